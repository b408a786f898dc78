"""Reports: the answer with everything behind it, or a profile on one page, seen before it is written."""

from __future__ import annotations

import time
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QRectF
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QTextBrowser, QVBoxLayout, QWidget

from ...core.facts.setup import describe
from ...service.profiles import sound_ones
from ...service.report import card_of, report_of
from ...store.files.write.report import Report, html
from ..file_names import ask_save, write_or_ask
from ..session import Session
from ..theme import tokens
from ..worker import Wanted, Worker
from .fields import Choice, Notice, allow, button, label
from .flow import FlowLayout

ANSWER, ANSWER_WORDS = "answer", "the answer above, with all behind it"
SHARP = 2.0  # pixels of a picture a unit of its drawing


class ReportPage(QWidget):
    """report : what is shown, None while there is none."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.report: Report | None = None
        self._worker = Worker("report", self)
        self._worker.finished.connect(self._on_made)
        self._worker.failed.connect(lambda fault: self.words.say(str(fault), "warn"))
        self.what = Choice("What is reported", [(ANSWER, ANSWER_WORDS)])
        self.write = button("Write it …", "main", "As a PDF, or as one web page that needs no other file")
        self.write.clicked.connect(self._on_write)
        self.words = Notice("How the report went")
        self.view = QTextBrowser()
        self.view.setAccessibleName("The report")
        self.view.setOpenLinks(False)
        row = QWidget()
        flow = FlowLayout(row)
        flow.setContentsMargins(0, 0, 0, 2)
        for widget in (label("of", "soft"), self.what, self.write):
            flow.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(row)
        column.addWidget(self.words)
        column.addWidget(self.view, 1)
        self.view.setMinimumHeight(260)
        self.what.currentIndexChanged.connect(lambda _at: self.refresh())

    def refresh(self) -> None:
        """Make the report anew, off the interface thread."""
        session = self._session
        kept = {one.id: one for one in sound_ones(session.notebook)}
        shown = [(name, f"profile: {own.title_name}, {describe(own.setup)}") for name, own in kept.items()]
        self.what.offer([(ANSWER, ANSWER_WORDS), *shown])
        evaluation, notebook, chosen = session.evaluation, session.notebook, self.what.key()
        if chosen in kept:
            self._on_made(card_of(kept[chosen]))
            return
        if evaluation is None or not evaluation.views:
            self.report = None
            allow(self.write, False, self.what)
            self.view.setPlainText("")
            self.words.say("No passes yet: there is nothing to report.")
            return

        def work(_wanted: Wanted) -> Report:
            with notebook.sibling() as own:
                return report_of(own, evaluation, time.time_ns())

        self._worker.ask(work)

    def _on_made(self, report: Report) -> None:
        self.report = report
        allow(self.write, True, self.what)
        self.words.say("")
        self.view.setHtml(html(report, pictured))

    def _on_write(self) -> None:
        if self.report is not None:
            path = ask_save(self, "export", "Report", self.report.heading, "PDF (*.pdf);;Web page (*.html)", ".pdf")
            if path is not None:
                self.write_to(path)

    def write_to(self, path: Path) -> None:
        """Write the report as a PDF, or as HTML where the name says so."""
        from ..printing import write_page  # loads what the first paint does not need

        if self.report is None:
            return
        done, page, paper = f"Written to {path}.", html(self.report), html(self.report, pictured)
        write_or_ask(
            self, lambda force: write_page(path, page, paper, force=force),
            lambda text: self.words.say(text, "good" if text == done else "warn"), done,
        )  # fmt: skip


def pictured(svg: str) -> bytes:
    """A PNG of an SVG element."""
    from PyQt6.QtSvg import QSvgRenderer  # loads what the first paint does not need

    drawing = QSvgRenderer(QByteArray(svg.encode()))
    size = drawing.defaultSize() * SHARP
    image = QImage(size, QImage.Format.Format_RGB32)
    image.fill(QColor(tokens.PAPER))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    drawing.render(painter, QRectF(0, 0, size.width(), size.height()))
    painter.end()
    buffer = QBuffer()
    buffer.open(QBuffer.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return bytes(buffer.data().data())
