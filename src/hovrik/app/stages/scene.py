"""Title and scene as they are known, read-only for now, and how repeatable the scene proved."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ..session import Session
from ..widgets.fields import Card
from .base import Stage, empty_hint, scrolling


def _yes(value: bool | None) -> str:
    return "unknown" if value is None else "yes" if value else "no"


class SceneStage(Stage):
    """Cards of the title, the scene and its repeatability."""

    title = "Scene"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._page = QWidget()
        self._holder = QVBoxLayout(self._page)
        self._holder.setContentsMargins(0, 0, 0, 0)
        self._holder.setSpacing(10)
        self.layout_.addWidget(scrolling(self._page))
        session.question_changed.connect(self.refresh)
        session.evaluation_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the title and scene of the question."""
        while (item := self._holder.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        title, question = self.session.title, self.session.question
        if title is None or question is None:
            self._holder.addWidget(empty_hint("This notebook knows no title yet."))
            self._holder.addStretch()
            return
        facts = Card(title.name)
        facts.fact("Nature", title.nature or "unknown")
        facts.fact("Preset", title.preset or "unknown")
        facts.fact("Live opponents", _yes(title.live_opponents))
        facts.fact("Dislikes changes while running", _yes(title.dislikes_changes))
        self._holder.addWidget(facts)
        for scene in title.scenes:
            here = " (in the question)" if scene.key == question.scene else ""
            card = Card(f"Scene: {scene.name}{here}")
            card.fact("Length", f"{scene.length_s:g} s" if scene.length_s else "unknown")
            card.fact("Load", scene.load or "unknown")
            card.fact("Start mark", scene.start_mark or "unknown")
            card.fact("End mark", scene.end_mark or "unknown")
            if scene.key == question.scene:
                card.fact("Repeatability", self._repeatability())
            self._holder.addWidget(card)
        self._holder.addStretch()

    def _repeatability(self) -> str:
        evaluation = self.session.evaluation
        ladder = evaluation.ladders[0] if evaluation and evaluation.ladders else None
        repeated = [v for v in ladder.levels if v.low is not None and v.low.n > 1] if ladder else []
        if not repeated:
            return "unknown until passes were repeated"
        singles = [level.low.se * math.sqrt(level.low.n) for level in repeated if level.low]
        return (
            f"one pass's 1 % low varies by {100 * min(singles):.1f} to {100 * max(singles):.1f} % between passes "
            f"({sum(level.low.n for level in repeated if level.low)} passes at {len(repeated)} limits)"
        )
