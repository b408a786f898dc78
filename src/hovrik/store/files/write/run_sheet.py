"""The plan on paper: passes in their order with blanks for what is read, as one HTML document."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from html import escape

from ....core import degrees
from ....core.facts.knob import CAP, LIMITS, NO_CAP
from ....core.facts.known_knobs import known
from ....core.facts.place import Source
from ....core.facts.rig import Rig
from ....core.facts.title import Title
from ....core.passes.purpose import HEAT
from ....core.plan.grid import LadderDesign
from ....core.plan.steps import PlannedPass
from ....core.questions.question import Question

BLANKS = ("begun at", "gauge start", "gauge end", "meter", "die (C)", "shell (C)", "log, or mean fps", "seen")


def run_sheet(
    question: Question, rig: Rig, title: Title | None, design: LadderDesign, passes: Sequence[PlannedPass],
    room_c: float | None, plan_code: str = "",
) -> str:  # fmt: skip
    """The sheet of a plan. passes : in the order to be made; room_c : room temperature (C), None leaves a blank;
    plan_code : by which the plan is found when the sheet is typed in."""
    slot = next((s.name for s in rig.slots if s.key == question.slot), question.slot)
    scene = next((s for s in title.scenes if s.key == question.scene), None) if title is not None else None
    place = f"{title.name if title else question.title} · {scene.name if scene else question.scene}"
    names = {one.key: one.name for one in rig.slots}
    also = any(_others(planned, names) for planned in passes)
    parts = [
        "<html><body>",
        f"<h2>Run sheet: {escape(place)} on {escape(rig.name)}</h2>",
        f"<p>{escape(slot)}, {question.source.value}. Room {_room(room_c)}. "
        f"Date ________________ By ________________ {escape(f'Plan {plan_code}') if plan_code else ''}</p>",
        "<p>Ring one: gauge in Wh / mAh and V / %. Outside meter: none / at the wall / at the DC input / at the "
        "battery, in mean W / Wh used.</p>",
        f"<p>{escape(_steps(question, rig, design, (scene.start_mark if scene else None) or ''))}</p>",
        '<table border="1" cellspacing="0" cellpadding="5" style="border-collapse: collapse" width="100%"><thead><tr>',
        "".join(
            f"<th>{escape(degrees.heading(words))}</th>"
            for words in ("", "limits (W)", "cap (fps)", *(["also set"] if also else []), *BLANKS)
        ),
        "</tr></thead>",
        *(_row(planned, names, also=also) for planned in passes),
        "</table>",
        f"<p>{escape(_cautions(rig))}</p></body></html>",
    ]
    return "\n".join(parts)


def _steps(question: Question, rig: Rig, design: LadderDesign, mark: str) -> str:
    low, high = (f"{100 * share:.0f} %" for share in rig.valid_charge)
    steps = ["For each pass, in this order:", "set the limits and the cap;"]
    if question.source is Source.BATTERY:
        steps.append(f"unplug; begin only between {low} and {high} charge, else recharge;")
    steps.append(f"let it soak {design.soak_s:.0f} s in the scene;" if design.soak_s else "")
    steps.append(f"from {mark}," if mark else "then")
    steps.append(f"log {design.pass_s:.0f} s and read the gauge before and after;")
    steps.append(f"rest {design.cool_s:.0f} s." if design.cool_s else "note what you saw.")
    return " ".join(step for step in steps if step)


def _cautions(rig: Rig) -> str:
    words = "Keep to limits that the maker allows. Stop if it smells, swells or is too hot to hold."
    if rig.die_limit_c is not None:
        words += f" Stop at {degrees.words(rig.die_limit_c)} on the die."
    return words + " Afterwards put every setting back as it was; type the sheet in under Import passes in Bench."


def _others(planned: PlannedPass, names: Mapping[str, str]) -> str:
    """What is set beside limits and cap, and the OS slot where one is named."""
    slot = [names.get(planned.slot, planned.slot)] if planned.slot else []
    rest = [known(key).words(value) for key, value in planned.setup.items() if key not in (*LIMITS, CAP)]
    return ", ".join((*slot, *rest))


def _row(planned: PlannedPass, names: Mapping[str, str], *, also: bool) -> str:
    limits = [planned.setup[key] for key in LIMITS if key in planned.setup]
    static = planned.setup.static_limit_w
    watts = f"{static:g}" if static is not None else " / ".join(f"{value:g}" for value in limits) or "as it is"
    cap = planned.setup.get(CAP)
    frames = "none" if cap == NO_CAP else "as it is" if cap is None else f"{cap:g}"
    words = f"{planned.index + 1}" + (f" heat, {planned.pass_s:.0f} s" if planned.purpose == HEAT else "")
    cells = [words, watts, frames, *([_others(planned, names)] if also else []), *([""] * len(BLANKS))]
    return "<tr>" + "".join(f"<td>{escape(cell) or '&nbsp;'}</td>" for cell in cells) + "</tr>"


def _room(room_c: float | None) -> str:
    return f"______ {degrees.unit()}" if room_c is None else f"{degrees.shown(room_c):.4g} {degrees.unit()}"
