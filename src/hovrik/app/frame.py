"""What the window is made of: question, answer, rail, stages, bench line, and the sheets that lie over them."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from .session import Session
from .stages.base import Stage
from .theme import tokens
from .theme.glyphs import glyph
from .widgets.answer_panel import AnswerPanel, AnswerSheet
from .widgets.banner import Banner
from .widgets.bench_line import BenchLine
from .widgets.fields import button
from .widgets.overlay import MOST_PX, Overlay
from .widgets.question_line import QuestionLine, QuestionSheet
from .widgets.rail import Rail
from .widgets.room import ROW_PX, Room, room_for


class Frame(QWidget):
    """Rows of a fixed height around the stages, arranged by the room there is. Nothing that comes and goes moves the
    page or makes the window larger: banners and sheets lie over it."""

    def __init__(self, session: Session, stages: Sequence[str]) -> None:
        super().__init__()
        self.room = Room.WIDE
        self.menu = button("", tip="Menu (F10)")
        self.menu.setAccessibleName("Menu")
        self.menu.setObjectName("menuButton")
        self.menu.setFixedSize(ROW_PX + 8, ROW_PX)
        self.question_line = QuestionLine(session)
        self.answer_panel = AnswerPanel(session)
        self.rail = Rail(stages)
        self.stack = QStackedWidget()
        self.bench_line = BenchLine()
        self.banner = Banner(self)
        self.question_sheet = QuestionSheet(self.question_line, self)
        self.answer_sheet = AnswerSheet(self.answer_panel, self)
        top = QWidget()
        top.setObjectName("topRow")
        top.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        top.setFixedHeight(ROW_PX + 1)
        self._top = QHBoxLayout(top)
        self._top.setContentsMargins(0, 0, 0, 1)
        self._top.setSpacing(2)
        self._top.addWidget(self.menu)
        self._top.addWidget(self.rail.one)
        self._top.addWidget(self.question_line, 1)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.rail)
        middle.addWidget(self.stack, 1)
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(0)
        self._rows.addWidget(top)
        self._rows.addWidget(self.answer_panel)
        self._rows.addLayout(middle, 1)
        self._rows.addWidget(self.bench_line)
        self.question_line.whole_asked.connect(lambda: self._toggle(self.question_sheet))
        self.answer_panel.why_asked.connect(self._show_why)
        self.retheme()

    def minimumSizeHint(self) -> QSize:
        return QSize(480, 320)

    def retheme(self) -> None:
        """Draw the sign of the menu in the ink of the theme."""
        self.menu.setIcon(glyph("Menu", tokens.current().ink))

    def add_stage(self, stage: Stage) -> None:
        """A stage that was made."""
        self.stack.addWidget(stage)
        stage.adapt(self.room)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        room = room_for(self.width(), self.height())
        if room is not self.room:
            self._adapt(room)
        self.place()
        super().resizeEvent(event)

    def _adapt(self, room: Room) -> None:
        self.question_sheet.dismiss()
        self.room = room
        if room is Room.COMPACT:
            self._rows.removeWidget(self.answer_panel)
            self._top.addWidget(self.answer_panel, 1)
        elif self._top.indexOf(self.answer_panel) >= 0:
            self._top.removeWidget(self.answer_panel)
            self._rows.insertWidget(1, self.answer_panel)
        for part in (self.question_line, self.answer_panel, self.rail, self.bench_line):
            part.adapt(room)
        for at in range(self.stack.count()):
            stage = self.stack.widget(at)
            if isinstance(stage, Stage):
                stage.adapt(room)

    def place(self) -> None:
        """Lay the sheets where they belong."""
        top = ROW_PX + 1
        self.banner.place(top)
        below = top if self.room is Room.COMPACT else top + self.answer_panel.height()
        self._lay(self.question_sheet, top, self.width())
        self._lay(self.answer_sheet, below, self.width() if self.room is not Room.WIDE else MOST_PX)

    def _lay(self, sheet: Overlay, top: int, width: int) -> None:
        most = self.height() - top - self.bench_line.height()
        sheet.setGeometry(self.width() - width, top, width, max(60, min(most, sheet.wanted_height(width))))

    def _toggle(self, sheet: Overlay) -> None:
        if sheet.isVisible():
            sheet.dismiss()
            return
        sheet.open()
        self.place()

    def _show_why(self) -> None:
        if not self.answer_sheet.isVisible():
            self.answer_sheet.show_answer()
        self._toggle(self.answer_sheet)
