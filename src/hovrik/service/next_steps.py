"""What the button beside a finding does: another question, at the place of this one."""

from __future__ import annotations

from ..core.kinds.table import KINDS, kind_asked
from ..core.passes.remedy import SOAK, charge_of
from ..core.questions.question import LOWEST_WATTS, Question
from ..core.read.rules.felt import TAKE_LATE, TAKE_RATE
from ..core.read.rules.recurring import NOTE
from .planning import of_kind, with_part

ASK, SCENE = "ask", "scene"


def words_of(action: str) -> str:
    """What the button says, "" where there is none."""
    verb, _, what = action.partition("/")
    if action == SOAK:
        return "Soak until it stands"
    if (low := charge_of(action)) is not None:
        return f"Count from {100 * low:.0f} % of charge"
    if action.startswith(NOTE):
        return "Note it of the system"
    if action.startswith(TAKE_RATE):
        return f"Take {what.rpartition('/')[2]} as the floor"
    if action.startswith(TAKE_LATE):
        return "Take it as what may be late"
    if verb == SCENE:
        return "Ask about that scene"
    kind = what.partition("/")[0]
    return KINDS[kind].button if verb == ASK and kind in KINDS else ""


def asked_by(action: str, question: Question) -> Question | None:
    """The question that an action asks: "ask/KIND", "ask/knob/KNOB", "scene/KEY", "floor/rate/FPS" or
    "floor/late/SHARE"; None for any other."""
    verb, _, what = action.partition("/")
    if verb == SCENE:
        return question.with_(scene=what)
    if action.startswith((TAKE_RATE, TAKE_LATE)):
        own = question if kind_asked(question).asks_floor else of_kind(question, LOWEST_WATTS)
        value = float(what.rpartition("/")[2])
        return own.with_(target_fps=value) if action.startswith(TAKE_RATE) else own.with_(missed_share=value)
    kind, _, over = what.partition("/")
    if verb != ASK or kind not in KINDS:
        return None
    asked = of_kind(question, kind)
    return with_part(asked, over=over) if over else asked
