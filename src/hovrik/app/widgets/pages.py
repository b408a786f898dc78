"""The pages of a stage by tab, and what stands beside them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QStackedWidget, QTabBar, QTabWidget, QVBoxLayout, QWidget

from .fields import button
from .room import SIDE_PX, Room


class _Sheet(QWidget):
    """What a page needs at least of a width, which is what it gets where there is no more."""

    def __init__(self, page: QWidget) -> None:
        super().__init__()
        self._page = page
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(page)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        layout = self._page.layout()
        if layout is not None and layout.hasHeightForWidth():
            return max(layout.minimumHeightForWidth(width), self._page.minimumHeight())
        return max(self._page.minimumSizeHint().height(), self._page.minimumHeight())


class Scroll(QScrollArea):
    """A page that scrolls down where it does not fit, never sideways."""

    def __init__(self, page: QWidget | None = None) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        if page is not None:
            self.setWidget(_Sheet(page))

    def minimumSizeHint(self) -> QSize:
        return QSize(0, 0)


Page = TypeVar("Page", bound=QWidget)


class Tab(Generic[Page]):
    """A page that is made when it is first wanted. made : the page, None until then."""

    def __init__(self, make: Callable[[], Page], area: Scroll) -> None:
        self._make, self._area = make, area
        self.made: Page | None = None

    def __call__(self) -> Page:
        if self.made is None:
            self.made = self._make()
            self._area.setWidget(_Sheet(self.made))
        return self.made


class ScrollTabs(QTabWidget):
    """Tabs whose pages scroll down where they do not fit, each made when it is first seen or asked for."""

    def __init__(self) -> None:
        super().__init__()
        self._tabs: list[Tab[Any]] = []
        self.currentChanged.connect(lambda at: self._tabs[at]() if at >= 0 else None)

    def add(self, words: str, make: Callable[[], Page]) -> Tab[Page]:
        """A tab whose page is what `make` gives."""
        area = Scroll()
        tab = Tab(make, area)
        self._tabs.append(tab)
        self.addTab(area, words)
        return tab

    def currentWidget(self) -> QWidget | None:
        return self._tabs[self.currentIndex()].made if self._tabs else None

    def setCurrentWidget(self, page: QWidget | None) -> None:
        self.setCurrentIndex(next((at for at, tab in enumerate(self._tabs) if tab.made is page), -1))

    def minimumSizeHint(self) -> QSize:
        return QSize(300, 160)


class Pages(QWidget):
    """Pages by tab. What stands beside them is at the right where there is room, and folds; else it is the last tab.

    name : accessible name; names : of the pages and of what stands beside them. Signals: changed (name of the page).
    """

    changed = pyqtSignal(str)

    def __init__(self, name: str) -> None:
        super().__init__()
        self._room = Room.WIDE
        self._shown: dict[str, QWidget] = {}
        self._side: tuple[str, Scroll, int] | None = None
        self._share = 0.0
        self.bar = QTabBar()
        self.bar.setAccessibleName(name)
        self.bar.setDrawBase(False)
        self.bar.setExpanding(False)
        self.bar.setUsesScrollButtons(True)
        self.bar.setElideMode(Qt.TextElideMode.ElideNone)
        self.bar.currentChanged.connect(self._on_tab)
        self.fold = button("", "fold", "Fold or unfold what stands beside the page")
        self.fold.setCheckable(True)
        self.fold.setChecked(True)
        self.fold.hide()
        self.fold.toggled.connect(lambda _on: self._arrange())
        self._top = QHBoxLayout()
        self._top.setContentsMargins(0, 0, 0, 0)
        self._top.addWidget(self.bar, 1)
        self._top.addStretch()
        self._top.addWidget(self.fold)
        self.stack = QStackedWidget()
        self._row = QHBoxLayout()
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(8)
        self._row.addWidget(self.stack, 10)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(self._top)
        column.addLayout(self._row, 1)

    @property
    def names(self) -> tuple[str, ...]:
        """Every page, what stands beside them last."""
        return (*self._shown, *([self._side[0]] if self._side is not None else ()))

    def add(self, name: str, page: QWidget) -> None:
        """A page; it scrolls where it does not fit."""
        self._shown[name] = Scroll(page)
        self.stack.addWidget(self._shown[name])
        blocked = self.bar.blockSignals(True)
        self.bar.addTab(name)
        self.bar.blockSignals(blocked)
        self._arrange()

    def beside(self, name: str, page: QWidget, width: int = SIDE_PX, share: float = 0) -> None:
        """What stands beside every page, this wide, and folds; share : it is so much wider than the page instead."""
        area = Scroll(page)
        self._side = (name, area, 0 if share else width)
        self._share = share
        self._arrange()

    def adapt(self, room: Room) -> None:
        """Arrange for the room there is; the page that is shown stays."""
        if room is not self._room:
            self._room = room
            self._arrange()

    @property
    def page(self) -> str:
        """Name of the page that is shown."""
        return self.names[max(self.bar.currentIndex(), 0)] if self.names else ""

    def show_page(self, name: str) -> None:
        """Bring a page to the front, or unfold what stands beside them."""
        at = self.names.index(name)
        if at < self.bar.count():
            self.bar.setCurrentIndex(at)
        else:
            self.fold.setChecked(True)

    def step(self, by: int) -> None:
        """The next page, or the one before."""
        if self.bar.count():
            self.bar.setCurrentIndex((self.bar.currentIndex() + by) % self.bar.count())

    def _on_tab(self, at: int) -> None:
        if 0 <= at < self.stack.count():
            self.stack.setCurrentIndex(at)
            self.changed.emit(self.page)

    def _arrange(self) -> None:
        is_tab = self._side is not None and self._room is not Room.WIDE
        if self._side is not None:
            name, area, width = self._side
            has_tab = self.bar.count() > len(self._shown)
            if is_tab and not has_tab:
                self._row.removeWidget(area)
                area.setMinimumWidth(0)
                area.setMaximumWidth(16_777_215)
                self.stack.addWidget(area)
                self.bar.addTab(name)
            elif not is_tab and (has_tab or self._row.indexOf(area) < 0):
                if has_tab:
                    self.stack.removeWidget(area)
                    self.bar.removeTab(self.bar.count() - 1)
                self._row.addWidget(area, round(10 * self._share))
                if width:
                    area.setFixedWidth(width)
            if not is_tab:  # the stack shows it else
                area.setVisible(self.fold.isChecked())
        self.fold.setVisible(self._side is not None and not is_tab and not self._share)
        if self._side is not None:
            self.fold.setText(f"{self._side[0]} {'▸' if self.fold.isChecked() else '◂'}")
        self.bar.setVisible(self.bar.count() > 1)
