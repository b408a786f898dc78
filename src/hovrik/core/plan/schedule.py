"""What a plan will take: minutes, watt-hours and recharges, with charge kept in the valid window."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..facts.knob import CAP, NO_CAP
from ..facts.place import Source
from ..facts.rig import Rig
from ..passes.energy import Overhead
from .steps import PIN, PlannedPass

ASSUMED = Overhead(6.0, 1.0 / 0.92, 1.5, 0)  # common practice, no source: about 6 W beside the package
IDLE_SHARE = 0.35  # draw between passes against that of the pass, assumed
LEAST_PASSES, MOST_LOSS = 6, 1.4
MARGIN = 0.02  # of a full charge, kept above the window's lower edge: gauges step and predictions err


def line_to_plan_with(fitted: Overhead | None) -> Overhead:
    """The line that draws are predicted by: that fitted to the passes of a question, two residual deviations up, where
    six or more carry one that can be (a base, a loss of at most 40 %); else the assumed one."""
    if fitted is None or fitted.n < LEAST_PASSES or fitted.base_w <= 0 or not 1.0 <= fitted.k <= MOST_LOSS:
        return ASSUMED
    return replace(fitted, base_w=fitted.base_w + 2.0 * fitted.sd_w)


def expected_draw_w(planned: PlannedPass, overhead: Overhead = ASSUMED) -> float:
    """Battery draw to plan with: overhead at the full limit. A cap or a light title takes less: this is the most."""
    limit = planned.setup.static_limit_w or 0.0
    capped = planned.setup.get(CAP, NO_CAP) != NO_CAP
    return overhead.draw_w(limit * (0.95 if capped else 1.0))


def expected_wh(planned: PlannedPass, overhead: Overhead = ASSUMED) -> float:
    """Energy the battery gives for a pass and its surroundings, Wh."""
    draw = expected_draw_w(planned, overhead)
    pins = sum(step.seconds for step in planned.steps if step.kind == PIN)
    busy = planned.settle_s + pins + planned.soak_s + planned.pass_s
    return (busy * draw + planned.cool_s * IDLE_SHARE * draw) / 3600.0


@dataclass(frozen=True)
class Totals:
    """What a plan takes. recharges : times the battery must be charged; charge : share after each pass, for drawing.

    too_long : indices of passes that no single charge window can carry; recharged : of those that a recharge precedes.
    """

    passes: int
    minutes: float
    recharge_minutes: float
    wh: float
    recharges: int
    charge: tuple[float, ...]
    too_long: tuple[int, ...] = ()
    recharged: tuple[int, ...] = ()


def charge_window(rig: Rig) -> tuple[float, float]:
    """Charges (shares) between which passes are made: a little over the lowest that counts, up to the charge limit."""
    return rig.valid_charge[0] + MARGIN, min(rig.valid_charge[1], rig.charge_limit)


def total(
    passes: Sequence[PlannedPass], rig: Rig, *, start_charge: float = 1.0, overhead: Overhead = ASSUMED
) -> Totals:
    """Walk through the plan with the predicted charge; a recharge to the upper edge precedes a pass that would
    leave the valid window. On a rig whose battery is unknown no recharge is planned."""
    low, high = charge_window(rig)
    full = rig.full_charge_wh
    charge, recharges, recharge_min, wh = min(start_charge, high), 0, 0.0, 0.0
    line: list[float] = []
    too_long: list[int] = []
    recharged: list[int] = []
    for planned in passes:
        need = expected_wh(planned, overhead)
        wh += need
        if planned.source == Source.ADAPTER:  # it takes nothing from the battery
            line.append(charge)
            continue
        if full is None:
            continue
        if planned.empties:
            if charge < high - MARGIN:
                recharge_min += 60.0 * (high - charge) * full / (rig.recharge_w or 30.0)
                recharges += 1
                recharged.append(planned.index)
            charge = min(rig.reserve, high)
            line.append(charge)
            continue
        if charge - need / full < low:
            if need / full > high - low:
                too_long.append(planned.index)
            recharge_min += 60.0 * (high - charge) * full / (rig.recharge_w or 30.0)
            recharges, charge = recharges + 1, high
            recharged.append(planned.index)
        charge -= need / full
        line.append(charge)
    minutes = sum(p.seconds for p in passes) / 60.0
    return Totals(
        len(passes), minutes + recharge_min, recharge_min, wh, recharges, tuple(line), tuple(too_long), tuple(recharged)
    )
