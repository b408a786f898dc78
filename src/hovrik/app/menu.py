"""The one menu: files, edit, view, help; at every size of the window."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QActionGroup, QKeySequence
from PyQt6.QtWidgets import QMenu

from .settings import remember, remembered
from .theme import tokens

if TYPE_CHECKING:
    from .desktop import Desktop
    from .main_window import MainWindow

MOST_RECENT = 8
_RECENT = "recent"
# words, keys, name of the slot of the desktop or the window; "" : a line between
Entry = tuple[str, str, str]
FILE: tuple[Entry, ...] = (
    ("New notebook …", "Ctrl+N", "new_notebook"), ("Open …", "Ctrl+O", "open_any"),
    ("Save a copy as …", "Ctrl+Shift+S", "save_copy"), ("", "", ""), ("Import passes …", "Ctrl+I", "open_import"),
    ("Merge a notebook …", "", "merge_notebook"),
    ("Export the passes …", "Ctrl+E", "export_passes"), ("Print the page …", "Ctrl+P", "print_page"), ("", "", ""),
    ("Preferences …", "Ctrl+,", "open_preferences"), ("", "", ""), ("Close the window", "Ctrl+W", "close"),
    ("Quit", "Ctrl+Q", "close"),
)  # fmt: skip
VIEW: tuple[Entry, ...] = (
    ("Next page", "Ctrl+Tab", "next_page"), ("Page before", "Ctrl+Shift+Tab", "page_before"), ("", "", ""),
    ("Larger", "Ctrl++", "larger"), ("Smaller", "Ctrl+-", "smaller"), ("Usual size", "Ctrl+0", "usual_size"),
    ("Full screen", "F11", "full_screen"),
)  # fmt: skip
BENCH: tuple[Entry, ...] = (
    ("Start the sweep", "F5", "start_sweep"), ("Pause or go on", "F6", "pause_or_go_on"),
    ("Stop the sweep", "F8", "stop_sweep"), ("Note an incident", "F9", "note_incident"),
)  # fmt: skip
HELP: tuple[Entry, ...] = (
    ("Keys", "F1", "show_keys"), ("What the answer means", "", "show_meaning"), ("About Hovrik", "", "show_about"),
    ("Licence", "", "show_licence"), ("Open the folder of the notebook", "", "open_folder"),
)  # fmt: skip


def recent() -> list[Path]:
    """Notebooks that were opened last, newest first, as far as they are still there."""
    kept = remembered(_RECENT) or []
    names = [kept] if isinstance(kept, str) else list(kept)
    return [path for name in names if (path := Path(str(name))).is_file()]


def note_recent(path: Path) -> None:
    """A notebook is opened now."""
    own = path.absolute()
    remember(_RECENT, [str(one) for one in [own, *(p for p in recent() if p != own)][:MOST_RECENT]])


class Menu(QMenu):
    """The menu with its actions, which work by their keys while it is closed. stages : in their order."""

    def __init__(self, window: MainWindow, desktop: Desktop, stages: Sequence[str], undo: Sequence[QAction]) -> None:
        super().__init__(window)
        self._window, self._desktop = window, desktop
        self.setAccessibleName("Menu")
        self.keys: list[tuple[str, str]] = []  # words and keys, for the sheet
        file = self._part("File", FILE)
        self.recent_menu = QMenu("Open recent", self)
        self.recent_menu.aboutToShow.connect(self._fill_recent)
        file.insertMenu(file.actions()[2], self.recent_menu)
        edit = self._part("Edit", ())
        for action in undo:
            edit.addAction(action)
            self.keys.append((action.text(), action.shortcut().toString()))
        view = self._part("View", ())
        for number, name in enumerate(stages, 1):
            self._add(view, f"{name} stage", f"Ctrl+{number}", lambda stage=name: window.show_stage(stage))
        view.addSeparator()
        self._fill(view, VIEW)
        view.addMenu(self._appearance())
        self._part("Bench", BENCH)
        self._part("Help", HELP)

    def _part(self, words: str, entries: Sequence[Entry]) -> QMenu:
        menu = self.addMenu(words)
        assert menu is not None  # it has just been made
        self._fill(menu, entries)
        return menu

    def _fill(self, menu: QMenu, entries: Sequence[Entry]) -> None:
        for words, keys, slot in entries:
            if words:
                self._add(menu, words, keys, getattr(self._desktop, slot, None) or getattr(self._window, slot))
            else:
                menu.addSeparator()

    def _add(self, menu: QMenu, words: str, keys: str, slot: Callable[[], object]) -> None:
        action = QAction(words, self._window)
        if keys:
            action.setShortcut(QKeySequence(keys))
            self.keys.append((words.removesuffix(" …"), keys))
        action.triggered.connect(lambda _on: slot())
        menu.addAction(action)
        self._window.addAction(action)

    def _appearance(self) -> QMenu:
        menu, group = QMenu("Appearance", self), QActionGroup(self)
        for name, words in tokens.APPEARANCES:
            action = QAction(words, self)
            action.setCheckable(True)
            action.setChecked(tokens.appearance() == name)
            action.triggered.connect(lambda _on, wanted=name: tokens.choose_appearance(wanted))
            group.addAction(action)
            menu.addAction(action)
        return menu

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for path in recent():
            action = QAction(str(path), self.recent_menu)
            action.triggered.connect(lambda _on, one=path: self._desktop.open_path(one))
            self.recent_menu.addAction(action)
        if not self.recent_menu.actions():
            self.recent_menu.addAction("Nothing was opened yet").setEnabled(False)  # type: ignore[union-attr]
