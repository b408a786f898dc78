"""What a first sweep needs, on one card: what is known, and each missing fact as a link to where it is entered."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal

from .fields import Card, button, emptied, label

# words, stage, page, whether it is known
Need = tuple[str, str, str, bool]


class StartCard(Card):
    """Signals: asked (stage, page)."""

    asked = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__("What a first sweep needs")
        self.setAccessibleName("What a first sweep needs")
        self.needs: tuple[Need, ...] = ()

    def show_needs(self, needs: Sequence[Need]) -> None:
        """Show what is known and what is missing; nothing to do where it is the same as before."""
        if tuple(needs) == self.needs:
            return
        self.needs = tuple(needs)
        emptied(self.body, keep=1)  # the heading stays
        for words, stage, page, is_known in needs:
            if is_known:
                self.body.addWidget(label(f"✓ {words}", "good"))
            else:
                made = button(f"{words}: enter it in {stage}")
                made.clicked.connect(lambda _on, at=(stage, page): self.asked.emit(*at))
                self.body.addWidget(made)
