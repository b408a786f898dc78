"""Plans that must fit: against brute force; and that no plan of any kind leaves a rig's range or its charge window."""

from itertools import combinations

import numpy as np
import pytest

from hovrik.core.errors import PlanError
from hovrik.core.facts.allowed import refusals
from hovrik.core.facts.knobs import knobs_of
from hovrik.core.facts.rig import OsSlot, Rig
from hovrik.core.facts.setup import static
from hovrik.core.kinds.table import KINDS
from hovrik.core.passes.heat import TimeConstants
from hovrik.core.plan.ahead import Warming, ahead, warming_of
from hovrik.core.plan.design import Told
from hovrik.core.plan.designs import design_from, design_to
from hovrik.core.plan.edited import A_CONTROL, EditedDesign, Order
from hovrik.core.plan.grid import LadderDesign
from hovrik.core.plan.schedule import MARGIN, total
from hovrik.core.plan.steps import Wanted, laid_out, passes_in
from hovrik.core.plan.trim import trimmed
from hovrik.core.questions.question import Question, Scope
from hovrik.service.planning import of_kind, planned_within, with_part


def plan(counts, seconds=(60.0, 60.0, 60.0)):
    """Passes of three setups, so many of each."""
    wanted = [
        Wanted(static(float(10 + at)), length, 0.0, 0.0, 0.0)
        for at, (count, length) in enumerate(zip(counts, seconds)) for _ in range(count)
    ]  # fmt: skip
    return passes_in(laid_out(wanted))


def lost(kept, passes, chance):
    """What is uncertain over how well it is measured, of all setups; one that is gone counts five times."""
    total_ = 0.0
    for setup in {one.setup for one in passes}:
        n = sum(passes[at].setup == setup for at in kept)
        p = chance(next(one for one in passes if one.setup == setup))
        total_ += max(p * (1 - p), 0.02) * (1.0 / n if n else 5.0)
    return total_


@pytest.mark.parametrize("minutes", [2, 3, 4, 5, 6, 7])
@pytest.mark.parametrize("chances", [(0.5, 0.5, 0.5), (0.02, 0.5, 0.97), (0.4, 0.9, 0.99)])
def test_what_is_dropped_is_what_brute_force_would_drop(minutes, chances):
    passes = plan((3, 3, 2))

    def chance(one):
        return chances[int(one.setup.static_limit_w) - 10]

    found = trimmed(passes, minutes, chance)
    assert len(found.kept) == minutes and sorted((*found.kept, *found.dropped)) == list(range(8))
    best = min(lost(kept, passes, chance) for kept in combinations(range(8), minutes))
    assert lost(found.kept, passes, chance) == pytest.approx(best, rel=1e-9)


def test_a_plan_that_fits_loses_nothing_and_none_fits_into_nothing():
    passes = plan((3, 3, 2))
    assert trimmed(passes, 8).dropped == () and trimmed(passes, 0.5).kept == ()
    assert trimmed(passes, 3).once == 3 and trimmed(passes, 2).gone == 1


def test_edits_of_an_order():
    four = Order((0, 1, 2, 3))
    assert four.moved(3, 1).places == (0, 3, 1, 2) and Order((0, 1)).moved(0, 9).places == (1, 0)
    assert four.moved(0, 2).places == (1, 2, 0, 3) and four.moved(2, 2) == four
    assert Order((0, 1, 2)).with_controls().places == (A_CONTROL, 0, A_CONTROL, 1, 2, A_CONTROL)
    inner = LadderDesign(10, 12, 1, 40.0, repeats=1, seed=2)
    design = EditedDesign(inner, Order((2, A_CONTROL, 0, 0, 99)))
    wanted = design.ask(Told()).wanted
    assert [one.purpose for one in wanted] == ["sweep", "control", "sweep", "sweep"]
    assert wanted[1].setup == static(11.0, 40.0) and wanted[2] == wanted[3] == inner.ask(Told()).wanted[0]
    assert design_from({"design": design_to(design)}) == design and design.ask(Told(1)).wanted == ()


def test_what_is_pinned_stays_and_is_not_dropped():
    order = Order((0, 1, 2, 3, 4)).toggled(2)
    assert order.moved(0, 3).places == (1, 3, 2, 0, 4) and order.moved(4, 0).places == (4, 0, 2, 1, 3)
    assert order.moved(2, 0) == order and order.toggled(2).pinned == frozenset()
    assert order.with_controls().places == (A_CONTROL, 0, 2, 1, A_CONTROL, 3, 4, A_CONTROL)
    assert order.repeated(0).pinned == {3} and order.kept((0, 2, 4)).pinned == {1}
    design = EditedDesign(LadderDesign(10, 14, 1, 40.0, repeats=1), order)
    assert [one.pinned for one in design.ask(Told()).wanted] == [False, False, True, False, False]
    assert design_from({"design": design_to(design)}) == design
    passes = passes_in(laid_out(design.ask(Told()).wanted))
    assert [one.index for one in passes if one.pinned] == [2]
    tight = trimmed(passes, 0.1)
    assert tight.kept == (2,) and tight.over


def test_charge_and_die_along_a_plan():
    """The charge ends where the totals say; the die follows the sum of two exponentials to where its power settles."""
    rig = Rig("r", "R", 5, 30, battery_wh=24.0, valid_charge=(0.5, 1.0), recharge_w=40.0)
    passes = passes_in(laid_out(LadderDesign(10, 20, 5, None, repeats=4, heat_s=900.0).ask(Told()).wanted))
    taken = total(passes, rig, start_charge=0.9)
    assert taken.recharges
    warming = warming_of([(62.0, 20.0), (41.0, 10.0), (80.0, 0.0)], 22.0, TimeConstants(6.0, 200.0))
    assert warming == Warming(1.95, 22.0, TimeConstants(6.0, 200.0)) and warming_of([], 22.0, None) is None
    found = ahead(passes, rig, taken, start_charge=0.9, warming=warming)
    assert found.charge[-1] == pytest.approx(taken.charge[-1], abs=1e-9) and found.charge.min() >= 0.5
    assert found.minutes[-1] == pytest.approx(taken.minutes) == found.die_minutes[-1]
    end = float(passes[0].settle_s + passes[0].pass_s)
    at = int(np.argmin(np.abs(found.die_minutes * 60 - end)))
    rises = [0.5 * 1.95 * (4.0 + (15.0 - 4.0) * (1 - np.exp(-end / tau))) for tau in (6.0, 200.0)]
    assert passes[0].setup.static_limit_w == 15.0 and found.die_c[at] == pytest.approx(22.0 + sum(rises), abs=1e-6)
    assert found.die_c.max() < 22.0 + 1.95 * 20.0
    unknown = ahead(passes, Rig("r", "R", 5, 30), total(passes, Rig("r", "R", 5, 30)))
    assert unknown.charge.size == unknown.die_c.size == 0


@pytest.mark.parametrize("block", range(4))
def test_no_plan_leaves_the_range_of_a_rig_or_its_charge_window(block):
    """250 random plans each, of every kind: 1,000 in all."""
    rng = np.random.default_rng(block)
    made = 0
    for _ in range(250):
        low = float(rng.integers(3, 12))
        high = low + float(rng.integers(2, 25))
        window = (float(rng.uniform(0.05, 0.6)), float(rng.uniform(0.8, 1.0)))
        rig = Rig(
            "r", "R", low, high, battery_wh=float(rng.uniform(20, 90)), valid_charge=window, recharge_w=40.0,
            boost_levels=("off", "on"), refresh_hz=(60.0, 90.0), cpu_low_ghz=1.0, cpu_high_ghz=4.0,
            slots=(OsSlot("one", "One"), OsSlot("two", "Two")),
        )  # fmt: skip
        knobs = knobs_of(rig, rig.slots[0])
        kind = str(rng.choice(sorted(KINDS)))
        asked = of_kind(Question(scope=Scope(("r",), ("one",), ("t",), ("s",))).with_(target_fps=40.0), kind)
        if kind in ("knob", "flip"):
            asked = with_part(asked, over="boost", levels={"boost": ["off", "on"]})
        first = float(rng.uniform(low - 2, high))
        ladder = LadderDesign(
            first, first + float(rng.uniform(0, 12)), float(rng.choice([0.5, 1.0, 2.0])),
            None if rng.random() < 0.4 else float(rng.integers(20, 120)), int(rng.integers(1, 5)),
            float(rng.uniform(20, 300)), seed=int(rng.integers(99)),
        )  # fmt: skip
        try:
            passes = planned_within(asked, rig, knobs, ladder, static((low + high) / 2)).passes
        except PlanError:
            continue
        made += 1
        for one in passes:
            assert refusals(one.setup, rig, knobs) == []
        taken = total(passes, rig, start_charge=float(rng.uniform(window[0], 1.0)))
        if not taken.too_long and not any(one.empties for one in passes):
            assert min(taken.charge, default=1.0) >= window[0] + MARGIN - 1e-9
            assert max(taken.charge, default=0.0) <= window[1] + 1e-9
    assert made > 60
