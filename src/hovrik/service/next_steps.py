"""What the button beside a finding does: another question, at the place of this one."""

from __future__ import annotations

from collections.abc import Mapping

from ..core.kinds.table import KINDS
from ..core.questions.question import Question
from .planning import of_kind, with_part

ASK, SCENE = "ask", "scene"
WORDS: Mapping[str, str] = {
    "caps": "See which caps hold", "limits-it": "See what limits it", "knob": "Measure it",
    "which-os": "Compare the OS slots",
}  # fmt: skip


def words_of(action: str) -> str:
    """What the button says, "" where there is none."""
    verb, _, what = action.partition("/")
    if verb == SCENE:
        return "Ask about that scene"
    kind = what.partition("/")[0]
    return WORDS.get(kind, "") if verb == ASK and kind in KINDS else ""


def asked_by(action: str, question: Question) -> Question | None:
    """The question that an action asks: "ask/KIND", "ask/knob/KNOB" or "scene/KEY"; None for any other."""
    verb, _, what = action.partition("/")
    if verb == SCENE:
        return question.with_(scene=what)
    kind, _, over = what.partition("/")
    if verb != ASK or kind not in KINDS:
        return None
    asked = of_kind(question, kind)
    return with_part(asked, over=over) if over else asked
