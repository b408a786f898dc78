"""Pages of a document as a PDF."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QMarginsF, QSizeF
from PyQt6.QtGui import QFont, QPageLayout, QPageSize, QPdfWriter, QTextDocument

from ..core.errors import StoreError
from ..disk.writing import MARK, FileKind, replacing, write_web_page
from .theme import tokens


def write_page(path: Path, html: str, on_paper: str | None = None, *, force: bool = False) -> None:
    """Write a document as a web page where the name says so, else as a PDF. on_paper : the same for the PDF, None as it
    is; force : the yes to replacing another kind of file. Raises StoreError, NotOurs; an older file is then still
    whole."""
    if path.suffix.lower() in (".html", ".htm"):
        write_web_page(path, html, force=force)
    else:
        write_pdf(path, on_paper if on_paper is not None else html, force=force)


def pdf_writer(path: Path) -> QPdfWriter:
    """What writes a PDF that says by whom it was made."""
    writer = QPdfWriter(str(path))
    writer.setCreator(MARK)
    return writer


def write_pdf(path: Path, html: str, *, force: bool = False) -> None:
    """Write a document as landscape A4. Raises StoreError, NotOurs; an older file is then still whole."""
    document = QTextDocument()
    font = QFont(tokens.base_font().family())  # without the features of the screen: its text stays text
    font.setPixelSize(12)
    document.setDefaultFont(font)
    document.setHtml(html)
    with replacing(path, FileKind.PDF, force=force) as temporary:
        writer = pdf_writer(temporary)
        writer.setResolution(96)
        writer.setPageLayout(
            QPageLayout(
                QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Landscape, QMarginsF(12, 12, 12, 12)
            )
        )
        document.setPageSize(QSizeF(writer.width(), writer.height()))
        document.print(writer)
        del writer  # the last bytes are written here
        if temporary.stat().st_size == 0:
            raise StoreError(f"{path} cannot be written. Free some disk space or choose another folder.")
