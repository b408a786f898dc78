"""Sizes of a render that the panels of a rig show well, and the rate that each would give."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..core.facts.panel import BORDERS, WHOLE, RenderSize, render_sizes
from ..core.facts.rig import Rig
from ..core.message import Message, say
from ..core.read.group import AT_CAP, RATE, Group, cap_of
from ..core.read.pixels import LEAST_APART, grows_share, pixels_of
from ..core.stats.estimate import Estimate
from .gather import Evaluation

# percent of a frame's time that grows with its pixels, and its sd, where passes do not tell: common practice, no source
GROWS, GROWS_SD = 62.0, 12.0


@dataclass(frozen=True)
class SizeRow:
    """A size on a panel. display : its name, "" the rig's own; share : of the pixels of the panel; rate : at the setup
    that is stated, None where it is not known, or a cap holds it."""

    display: str
    size: RenderSize
    share: float
    rate: Estimate | None = None


def sizes_of(rig: Rig, evaluation: Evaluation | None = None) -> list[SizeRow]:
    """Every size of every panel whose resolution is noted."""
    panels = [("", rig.resolution)] if rig.resolution else []
    panels += [(one.name, (int(one.width), int(one.height))) for one in rig.displays if one.width and one.height]
    base = _base(evaluation)
    found = []
    for display, panel in panels:
        for size in render_sizes((int(panel[0]), int(panel[1]))):
            share = size.pixels / (panel[0] * panel[1])
            found.append(SizeRow(display, size, share, _rate(base, float(size.pixels))))
    return found


@dataclass(frozen=True)
class _Base:
    """A level that no cap holds. pixels : rendered there; grows : percent of its frame that grows with them, and sd."""

    rate: Estimate
    pixels: float
    grows: tuple[float, float]


def _base(evaluation: Evaluation | None) -> _Base | None:
    """The stated level, else the one with most frames, of those that no cap holds."""
    if evaluation is None:
        return None
    by_id = {view.record.id: view.counted for view in evaluation.views}
    free = []
    for response in evaluation.responses:
        for group in response.groups:
            members = [by_id[one] for one in group.passes if one in by_id]
            cap = cap_of(members) if members else None
            if group.rate is not None and (cap is None or group.rate.value < AT_CAP[RATE] * cap):
                free.append(group)
    if not free:
        return None
    option = evaluation.answer.option
    chosen = next((one for one in free if option is not None and one.setup == option.setup), None)
    best = chosen or max(free, key=lambda one: one.rate.value if one.rate is not None else 0.0)
    pixels = pixels_of(best.setup, evaluation.rig)
    if pixels is None or pixels <= 1.0 or best.rate is None:
        return None
    return _Base(best.rate.estimate("fps"), pixels, _grows(free, best, evaluation))


def _grows(free: list[Group], best: Group, evaluation: Evaluation) -> tuple[float, float]:
    """By a level that differs from this one in its pixels alone, else as is usual."""
    own = pixels_of(best.setup, evaluation.rig)
    for other in free:
        its = pixels_of(other.setup, evaluation.rig)
        alike = best.setup.without("render_scale") == other.setup.without("render_scale")
        if not (own and its and alike and best.rate and other.rate):
            continue
        less = min(own, its) / max(own, its)
        if less > 1 - LEAST_APART:
            continue
        more, few = (best.rate, other.rate) if own > its else (other.rate, best.rate)
        longer = few.mean - more.mean
        grows = grows_share(longer, less)
        sd = math.hypot(more.se, few.se) * math.exp(-longer) / (1.0 - less)
        if own < its:  # as a share of the frame of the smaller picture
            grows *= less * math.exp(longer)
        return 100.0 * grows, max(100.0 * sd, 1.0)
    return GROWS, GROWS_SD


def _rate(base: _Base | None, pixels: float) -> Estimate | None:
    """Frames a second with so many pixels, by a frame that lasts a + b x pixels."""
    if base is None:
        return None

    def at(rate: float, grows: float) -> float:
        part = min(max(grows / 100.0, 0.0), 1.0)
        return rate / (1.0 - part + part * pixels / base.pixels)

    value, (grows, sd) = at(base.rate.value, base.grows[0]), base.grows
    off = abs(math.log(at(1.0, grows + sd) / at(1.0, grows - sd))) / 2.0
    own = math.log((base.rate.high or base.rate.value) / base.rate.value) / 1.96
    half = 1.96 * math.hypot(off, own)
    return Estimate(value, value * math.exp(-half), value * math.exp(half), "fps")


def told(row: SizeRow) -> Message:
    """How a panel shows a size."""
    size = row.size
    if size.how == BORDERS:
        return say("size.borders", border=size.border_px)
    if size.how == WHOLE:
        return say("size.whole", times=size.times) if size.times > 1 else say("size.full")
    return say("size.uneven")
