"""How it changes with charge: one long pass from full to the reserve, read by its charge; where firmware clamps, in
which window to measure, what each clamp costs."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from ..errors import PlanError
from ..facts.place import Source
from ..facts.rig import Rig
from ..message import Message, Value, say
from ..passes.discharge import LEAST_USED, Discharge, hours_of_a_charge, steps_of
from ..plan.design import Design, Told
from ..plan.schedule import expected_draw_w
from ..plan.steps import laid_out, passes_in
from ..plan.whole_charge import WholeChargeDesign
from ..read.answer import Answer
from ..stats.counts import a_minute
from .kind import USUAL, Ask, Kind, Seen

OF_CHARGE = USUAL - {"pass_s", "cool_s"}  # a pass lasts as long as its charge
BANDS = (1.0, 0.8, 0.6, 0.4, 0.2, 0.0)
FEW_MOMENTS, SWINGS = 20, 1.1  # half minutes; highest over lowest of their hours from which it is worth a word
SPARE = 0.02  # of charge, kept between a clamp and where passes count


def design(ask: Ask) -> Design:
    """One pass from full to the reserve at the setup that is asked for. Raises PlanError where the battery is not known
    or not what is asked of."""
    if ask.question.source is not Source.BATTERY:
        raise PlanError("A pass over a whole charge is made on the battery. Choose it in the question line.")
    full = ask.rig.full_charge_wh
    if full is None:
        raise PlanError("The battery's energy is not known: note it in Rig.")
    wanted = WholeChargeDesign(ask.base, ask.like, 3600.0)
    (planned,) = passes_in(laid_out(wanted.ask(Told()).wanted))
    return WholeChargeDesign(ask.base, ask.like, round(longest_s(ask.rig, full, expected_draw_w(planned)), 0))


def longest_s(rig: Rig, full_wh: float, draw_w: float) -> float:
    """Seconds after which it ends whatever the gauge says: twice what it takes at the most it may draw."""
    return 2.0 * 3600.0 * full_wh * (rig.charge_limit - rig.reserve) / max(draw_w, 3.0)


def answer(seen: Seen) -> Answer:
    """Clamps by charge, and the window in which nothing changes."""
    newest = seen.discharges[-1] if seen.discharges else None
    if newest is None or not newest.used >= LEAST_USED:
        return Answer(say("charge.none"), None, None, lacks=(say("missing.discharge"),))
    steps = steps_of(newest)
    known = newest.charge[np.isfinite(newest.charge)]
    top, bottom = float(known.max()), float(known.min())
    because = (*_lasted(seen, newest), *_bands(newest, [0.5 * (one.low + one.high) for one in steps]))
    if not steps:
        return Answer(say("charge.same", top=top, bottom=bottom), None, None, because=because)
    told = tuple(
        say("charge.clamp", low=Value(one.low), high=Value(one.high), after=Value(one.after, "W", digits=1),
            before=Value(one.before, "W", digits=1), frames=_lost(one.fps_before, one.fps_after))
        for one in steps
    )  # fmt: skip
    says = say("charge.clamps", clamps=told, top=top, window=min(steps[0].high + SPARE, 1.0))
    return Answer(says, None, None, because=because)


def _lost(before: float, after: float) -> Message:
    if not (before > 0 and math.isfinite(after)):
        return say("rule.none")
    share = after / before - 1.0
    if abs(share) < 0.02:
        return say("charge.frames-same")
    return say("charge.frames", by=Value(100 * share, "%", digits=0))


def _lasted(seen: Seen, newest: Discharge) -> list[Message]:
    """How long a charge lasts, of one that was played."""
    rig = seen.context.rig
    if rig is None:
        return []
    took = hours_of_a_charge(newest.seconds, newest.used, rig.charge_limit - rig.reserve, newest.gauge)
    return [say("charge.lasts", took=Value(took.value, "h", took.low, took.high)), *_swings(newest, took.value)]


def _swings(one: Discharge, hours: float) -> list[Message]:
    """What a readout of the moment would have made of the same charge: the draw of half minutes, nine in ten, in the
    place of its mean. Nothing of a few."""
    thirds = one.draw_w[: one.draw_w.size // 3 * 3].reshape(-1, 3).mean(axis=1)
    known = thirds[np.isfinite(thirds) & (thirds > 0)]
    if known.size < FEW_MOMENTS:
        return []
    low, high = (hours * float(known.mean() / np.quantile(known, at)) for at in (0.95, 0.05))
    return [say("charge.swings", low=Value(low, "h", low, high))] if high > SWINGS * low else []


def _bands(one: Discharge, clamps: Sequence[float]) -> list[Message]:
    """Mean rate, mean draw and stutters of each fifth of the charge, cut where firmware clamps: a mean over both sides
    of a clamp is of neither."""
    found = []
    edges = sorted({*BANDS, *(round(at, 3) for at in clamps)}, reverse=True)
    for top, bottom in pairwise(edges):
        own = (one.charge <= top) & (one.charge > bottom)
        minutes = own.sum() / 6.0
        if minutes < 1.0:
            continue
        events, low, high = a_minute(int(one.stutters[own].sum()), minutes)
        values = {
            "top": top, "bottom": bottom, "fps": Value(float(np.nanmean(one.fps[own])), "fps", digits=0),
            "stutters": Value(events, "", low, high),
        }  # fmt: skip
        draw = float(np.nanmean(one.draw_w[own])) if np.isfinite(one.draw_w[own]).any() else math.nan
        said = {"draw": Value(draw, "W", digits=1)} if math.isfinite(draw) else {}
        found.append(say("charge.band" if said else "charge.band-frames", **values, **said))
        hits = one.collapses[own]
        if np.isfinite(hits).any() and hits.sum() > 0:
            rate, low, high = a_minute(int(np.nansum(hits)), minutes)
            found.append(say("charge.collapses", top=top, bottom=bottom, collapses=Value(rate, "", low, high)))
    return found


KIND = Kind("over-charge", "look", "see how it changes with charge", "", design, answer, asks_floor=False,
            of_charge=True, fields=OF_CHARGE, takes=(0.34, 0.67))  # fmt: skip
