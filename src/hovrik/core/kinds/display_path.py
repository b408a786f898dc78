"""Which display path: the built-in panel against each external one, at otherwise one setup; what a link can carry."""

from __future__ import annotations

from dataclasses import replace

from ..errors import PlanError
from ..facts.rig import Panel, Rig
from ..message import Message, Value, say
from ..plan.design import Design
from ..plan.rounds import Cell, RoundsDesign
from ..read.answer import Answer
from . import versus
from .kind import Ask, Kind, Seen

DISPLAY = "display"
REPEATS = 4
BITS = 24  # a pixel, eight a colour, uncompressed
CODED = 1.25  # 8b/10b; with 128b/132b less: the larger one is taken


def design(ask: Ask) -> Design:
    """Each path in rounds, mirrored where there are two. Raises PlanError where there is one."""
    if DISPLAY not in ask.knobs:
        raise PlanError("No external display is noted with this rig. Note it in Rig, under displays.")
    levels = ask.levels(DISPLAY)
    if len(levels) < 2:
        raise PlanError("One display path cannot be compared. Name two.")
    cells, left_out = ask.feasible([Cell(ask.base.with_(**{DISPLAY: level})) for level in levels])
    if len(cells) < 2:
        raise PlanError(f"No two display paths are left to compare. {' '.join(left_out)}")
    like = ask.lengths(repeats=max(ask.like.repeats, REPEATS), heat_s=0.0)
    return RoundsDesign(tuple(cells), like, mirrored=len(cells) == 2, most=ask.most, left_out=left_out)


def gbit_s(width: int, height: int, hz: float) -> float:
    """What a picture of so many pixels takes uncompressed, Gbit/s, without blanking."""
    return width * height * hz * BITS * CODED / 1e9


def answer(seen: Seen) -> Answer:
    """The better path where it is decided, and beside it what each takes of a link."""
    found = versus.answer(seen)
    rig = seen.context.rig
    more = tuple(_link(rig, panel) for panel in rig.displays if panel.width and panel.height) if rig is not None else ()
    return replace(found, because=(*found.because, *(one for one in more if one is not None)))


def _link(rig: Rig, panel: Panel) -> Message | None:
    """What a panel takes at its highest rate, beside the link where one is noted."""
    rate = panel.highest_hz or max(panel.refresh_hz, default=None)
    if rate is None or not panel.width or not panel.height:
        return None
    takes = gbit_s(panel.width, panel.height, rate)
    values = {"panel": panel.name, "takes": Value(takes, "Gbit/s", digits=1), "hz": Value(rate, "Hz")}
    if rig.link_gbit_s is None:
        return say("path.takes", **values)
    share = takes / rig.link_gbit_s
    return say("path.over" if share > 1 else "path.of-link", **values, share=min(share, 9.0),
               link=Value(rig.link_gbit_s, "Gbit/s"))  # fmt: skip


KIND = Kind("display-path", "compare", "compare the display paths", DISPLAY, design, answer, asks_floor=False)
