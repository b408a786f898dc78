"""What a desktop expects of a program: files in and out, the size of things, help, preferences, and each thing that is
dropped going where it belongs."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from importlib import resources
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QProcess, QUrl
from PyQt6.QtGui import QDesktopServices, QPainter
from PyQt6.QtWidgets import QDialog, QMessageBox

from .. import __version__
from ..disk.writing import FileKind as Written
from ..disk.writing import replacing, write_text
from ..service.rows import csv_of, pass_row
from ..service.spoiled import words_of
from .arrivals import Arrival, kind_of
from .dialogs.words_dialog import WordsDialog
from .file_names import ask_open, ask_save, write_or_ask
from .printing import pdf_writer
from .settings import remember, remembered

if TYPE_CHECKING:
    from .main_window import MainWindow
    from .widgets.batch_page import BatchPage

NOTEBOOKS = "Notebooks (*.hovrik);;All files (*)"
ANYTHING = "All that Hovrik reads (*.hovrik *.csv *.tsv *.txt *.json *.toml);;All files (*)"
SCALE = "scale"
SCALES = (0.75, 1.0, 1.25, 1.5, 1.75, 2.0)


class Desktop(QObject):
    """Files, sizes and help of one window."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.started: Callable[[Path], None] = start_another

    # -- files

    def new_notebook(self) -> None:
        """A notebook of its own in a window of its own."""
        path = ask_save(self._window, "notebook", "New notebook", "notebook", NOTEBOOKS, ".hovrik")
        if path is not None and path.exists():
            self._say(f"{path.name} is there already and was not touched. Open it, or choose another name.")
        elif path is not None:
            self.started(path)

    def open_any(self) -> None:
        """A file of any kind that Hovrik reads."""
        path = ask_open(self._window, "notebook", "Open", ANYTHING)
        if path is not None:
            self.open_path(path)

    def open_path(self, path: Path) -> None:
        """What a path leads to goes where it belongs."""
        window, kind = self._window, kind_of(path)
        if kind is Arrival.NOTEBOOK and path.exists():
            self.started(path)
        elif kind in (Arrival.RIG, Arrival.TITLE):
            window.show_stage("Rig")
            window.stage("Rig").import_from(path)  # type: ignore[attr-defined]
        elif kind is Arrival.PROFILE:
            window.show_stage("Keep")
            window.stage("Keep").import_from(path)  # type: ignore[attr-defined]
        elif kind in (Arrival.LOG, Arrival.FOLDER):
            if kind is Arrival.FOLDER:
                self._many_logs().add_folder(path)
            else:
                window.open_import()
                window.import_dialog.open_file(path)
        elif kind is Arrival.PICTURE:
            window.open_stills()
            window.stills_dialog.add_files([path])
        else:
            what = Arrival.NOTHING.value if path.exists() else "not there"
            self._say(
                f"{path.name} is {what}. Hovrik reads notebooks, rigs, titles and profiles as JSON or TOML, and logs "
                "as text tables."
            )

    def take(self, paths: Sequence[Path]) -> None:
        """Whatever was dropped; several logs go into one list."""
        logs = [path for path in paths if kind_of(path) is Arrival.LOG]
        if len(logs) > 1:
            self._many_logs().add(logs)
        for path in paths if len(logs) < 2 else [one for one in paths if one not in logs]:
            self.open_path(path)

    def _many_logs(self) -> BatchPage:
        """The page of the import that takes many, opened."""
        self._window.open_import()
        dialog = self._window.import_dialog
        dialog.tabs.setCurrentWidget(dialog.batch)
        return dialog.batch

    def save_copy(self) -> None:
        """All of the notebook, as it is now, into another file."""
        own = self._window.session.notebook
        path = ask_save(self._window, "notebook", "Save a copy as", f"{own.path.stem} copy", NOTEBOOKS, ".hovrik")
        if path is not None:
            self.save_copy_to(path)

    def save_copy_to(self, path: Path) -> None:
        """Write the copy; the banner tells how it went."""
        own = self._window.session.notebook
        if path.resolve() == own.path.resolve():
            self._say("That is this notebook itself. Choose another name for the copy.")
            return
        done = f"A copy is in {path}. This window goes on with {own.path.name}."
        self._write(lambda force: own.copy_to(path, force=force), done)

    def merge_notebook(self) -> None:
        """Another notebook's passes, with all that belongs to them, into this one."""
        path = ask_open(self._window, "notebook", "Merge a notebook", NOTEBOOKS)
        if path is not None:
            self.merge_with(path)

    def merge_with(self, path: Path) -> None:
        """Ask which rigs and titles are which, and take it in; the banner tells what came."""
        from .dialogs.merge_dialog import MergeDialog  # loads what the first paint does not need

        session = self._window.session

        def came(said: str) -> None:
            session.read_again()
            self._say(said)

        self.merge_dialog = MergeDialog(session, came, self._window)
        self.merge_dialog.open_file(path)
        self.merge_dialog.open()

    def export_passes(self) -> None:
        """Every pass of the question with its figures, as CSV."""
        path = self._ask_export("Export the passes", "Tables (*.csv)", ".csv")
        if path is not None:
            self.export_to(path)

    def _ask_export(self, title: str, kinds: str, suffix: str) -> Path | None:
        return ask_save(self._window, "export", title, self._window.session.notebook.path.stem, kinds, suffix)

    def export_to(self, path: Path) -> None:
        """Write the table; the banner tells how it went."""
        evaluation = self._window.session.evaluation
        if evaluation is None:
            self._say("There are no figures to export yet.")
            return
        rows = [pass_row(view, evaluation.question) for view in evaluation.views if not view.deleted]

        def write(force: bool) -> None:
            write_text(path, csv_of(rows), Written.TABLE, force=force)

        spoiled = words_of(evaluation.spoiled)
        self._write(write, f"{len(rows)} passes are written to {path}.{f' {spoiled}.' if spoiled else ''}")

    def print_page(self) -> None:
        """The page that is shown with question and answer, as PDF."""
        path = self._ask_export("Print the page", "PDF (*.pdf)", ".pdf")
        if path is not None:
            self.print_to(path)

    def print_to(self, path: Path) -> None:
        """Write the window's picture as one page; the banner tells how it went."""

        def write(force: bool) -> None:
            with replacing(path, Written.PDF, force=force) as temporary:
                writer = pdf_writer(temporary)
                writer.setResolution(144)
                painter = QPainter(writer)
                picture = self._window.frame.grab()
                scale = min(writer.width() / picture.width(), writer.height() / picture.height())
                painter.scale(scale, scale)
                painter.drawPixmap(0, 0, picture)
                painter.end()

        self._write(write, f"The page is written to {path}.")

    def open_folder(self) -> None:
        """Show where the notebook lies."""
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._window.session.notebook.path.absolute().parent)))

    # -- sizes

    def larger(self) -> None:
        """Everything larger from the next start on, as the toolkit sets it once."""
        self._scale(1)

    def smaller(self) -> None:
        """Everything smaller from the next start on."""
        self._scale(-1)

    def usual_size(self) -> None:
        """The desktop's own size from the next start on."""
        remember(SCALE, 1.0)
        self._say("The usual size is used from the next start on.")

    def _scale(self, by: int) -> None:
        at = min(range(len(SCALES)), key=lambda n: abs(SCALES[n] - scale_wanted())) + by
        wanted = SCALES[min(max(at, 0), len(SCALES) - 1)]
        remember(SCALE, wanted)
        self._say(f"{100 * wanted:.0f} % of the usual size is used from the next start on.")

    def full_screen(self) -> None:
        """All of the screen, and back."""
        window = self._window
        window.showNormal() if window.isFullScreen() else window.showFullScreen()

    # -- help and preferences

    def open_preferences(self) -> None:
        """Appearance, size, defaults, thresholds."""
        from .dialogs.preferences_dialog import PreferencesDialog

        self._window.preferences_dialog = self._show(PreferencesDialog(self._window))

    def show_keys(self) -> None:
        """Every key there is."""
        lines = "\n".join(f"{keys:16} {words}" for words, keys in self._window.menu.keys)
        self._show(WordsDialog("Keys", f"{lines}\nF10              Menu\nEsc              Close a sheet", self._window))

    def show_meaning(self) -> None:
        """What the answer's words stand for."""
        self._show(WordsDialog("What the answer means", _text("meaning"), self._window))

    def show_about(self) -> None:
        """What this is."""
        words = (
            f"Hovrik {__version__}\nSweeps power limits, clocks, modes and caps per title and operating system, and "
            "answers in one sentence with its evidence.\nFree software under GPL-3.0-or-later, without any warranty."
        )
        self._show(WordsDialog("About Hovrik", words, self._window))

    def show_licence(self) -> None:
        """The terms."""
        self._show(WordsDialog("Licence", _text("licence"), self._window))

    def _show(self, dialog: QDialog) -> QDialog:
        self.shown = dialog
        return self._window.show_dialog(dialog)

    def _say(self, text: str) -> None:
        self._window.banner.show_problem(text)

    def _write(self, write: Callable[[bool], None], done: str) -> None:
        write_or_ask(self._window, write, self._say, done)


def _text(name: str) -> str:
    return resources.files("hovrik.app.words").joinpath(f"{name}.txt").read_text(encoding="utf-8")


# how the program starts itself: nothing that lies in the folder it happens to be in is loaded
OWN_PROCESS = ("-P", "-m", "hovrik")


def start_another(path: Path) -> None:
    """A window of its own for another notebook; one that is open already comes to the front instead."""
    QProcess.startDetached(sys.executable, [*OWN_PROCESS, "open", str(path.absolute())], str(Path.home()))


def scale_wanted() -> float:
    """How large things are to be, as chosen (1: as the desktop has it)."""
    try:
        return min(max(float(remembered(SCALE, 1.0)), SCALES[0]), SCALES[-1])
    except (TypeError, ValueError):
        return 1.0


def ask_to_make(path: Path) -> bool:
    """Whether a notebook that is not there is to be made; a mistyped name makes none."""
    asked = QMessageBox.question(
        None, "Hovrik", f"There is no notebook {path}.\nMake a new, empty one there?",
        QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No, QMessageBox.StandardButton.No,
    )  # fmt: skip
    return asked == QMessageBox.StandardButton.Yes
