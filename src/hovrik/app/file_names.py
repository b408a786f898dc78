"""Asking for files: the folder of the last time, the suffix that belongs, names that a file can have."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from ..core.errors import HovrikError, NotOurs
from .settings import remember, remembered

MOST_LETTERS = 120
# purposes of asking whose folder stands in the preferences, in words
FOLDERS = {"notebook": "Notebooks in", "logs": "Logs to import from", "export": "Exports to"}


def clean_name(name: str, suffix: str) -> str:
    """A file name from a name of anything: no separators, no control signs, not hidden, not too long."""
    kept = re.sub(r"[\x00-\x1f\x7f/\\:*?\"<>|\ud800-\udfff]+", " ", name)
    kept = re.sub(r"\s+", " ", kept).strip(" .-=+@")[:MOST_LETTERS] or "unnamed"
    return kept if kept.lower().endswith(suffix) else f"{kept}{suffix}"


def folder_of(purpose: str) -> Path:
    """The folder that was used last for a purpose, else the user's own."""
    kept = Path(str(remembered(f"folder/{purpose}") or ""))
    return kept if str(kept) != "." and kept.is_dir() else Path.home()


def ask_open(parent: QWidget, purpose: str, title: str, kinds: str) -> Path | None:
    """A file to read, None where none was chosen."""
    name, _ = QFileDialog.getOpenFileName(parent, title, str(folder_of(purpose)), kinds)
    return next(iter(_noted(purpose, [name] if name else [])), None)


def ask_open_many(parent: QWidget, purpose: str, title: str, kinds: str) -> list[Path]:
    """Files to read."""
    names, _ = QFileDialog.getOpenFileNames(parent, title, str(folder_of(purpose)), kinds)
    return _noted(purpose, names)


def _noted(purpose: str, names: list[str]) -> list[Path]:
    """The files, whose folder is that of the next time."""
    paths = [Path(name) for name in names]
    if paths:
        remember(f"folder/{purpose}", str(paths[0].parent))
    return paths


def ask_folder(parent: QWidget, purpose: str, title: str) -> Path | None:
    """A folder, None where none was chosen."""
    name = QFileDialog.getExistingDirectory(parent, title, str(folder_of(purpose)))
    if name:
        remember(f"folder/{purpose}", name)
    return Path(name) if name else None


def ask_save(parent: QWidget, purpose: str, title: str, suggestion: str, kinds: str, suffix: str) -> Path | None:
    """A file to write, with its suffix; None where none was chosen."""
    where = folder_of(purpose) / clean_name(suggestion, suffix)
    name, _ = QFileDialog.getSaveFileName(parent, title, str(where), kinds)
    if not name:
        return None
    (path,) = _noted(purpose, [name])
    return path if path.suffix else path.with_name(path.name + suffix)


def write_or_ask(parent: QWidget, write: Callable[[bool], None], told: Callable[[str], None], done: str = "") -> None:
    """Write something; where a file of another kind stands there, ask, and write over it by a yes only. write : takes
    that yes; told : of how it went; done : what is told of success, "" nothing."""
    try:
        write(False)
    except NotOurs as fault:
        told(str(fault))
        box = QMessageBox(
            QMessageBox.Icon.Question, "Hovrik", f"{fault}\nReplace it all the same?",
            QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No, parent,
        )  # fmt: skip
        box.setDefaultButton(QMessageBox.StandardButton.No)
        box.buttonClicked.connect(
            lambda chosen: _write(lambda: write(True), told, done)
            if box.standardButton(chosen) == QMessageBox.StandardButton.Yes else None
        )  # fmt: skip
        box.open()
    except HovrikError as fault:
        told(str(fault))
    else:
        told(done) if done else None


def _write(write: Callable[[], None], told: Callable[[str], None], done: str) -> None:
    try:
        write()
    except HovrikError as fault:
        told(str(fault))
        return
    if done:
        told(done)
