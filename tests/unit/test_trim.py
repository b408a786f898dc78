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
from hovrik.core.plan.design import Told
from hovrik.core.plan.designs import design_from, design_to
from hovrik.core.plan.edited import A_CONTROL, EditedDesign, moved, with_controls
from hovrik.core.plan.grid import LadderDesign
from hovrik.core.plan.schedule import MARGIN, total
from hovrik.core.plan.steps import Wanted, laid_out, passes_in
from hovrik.core.plan.trim import trimmed
from hovrik.core.questions.question import Question, Scope
from hovrik.service.planning import design_of, first_passes, of_kind, with_part


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
    assert moved((0, 1, 2, 3), 3, 1) == (0, 3, 1, 2) and moved((0, 1), 0, 9) == (1, 0)
    assert with_controls((0, 1, 2)) == (A_CONTROL, 0, A_CONTROL, 1, 2, A_CONTROL)
    inner = LadderDesign(10, 12, 1, 40.0, repeats=1, seed=2)
    design = EditedDesign(inner, (2, A_CONTROL, 0, 0, 99))
    wanted = design.ask(Told()).wanted
    assert [one.purpose for one in wanted] == ["sweep", "control", "sweep", "sweep"]
    assert wanted[1].setup == static(11.0, 40.0) and wanted[2] == wanted[3] == inner.ask(Told()).wanted[0]
    assert design_from({"design": design_to(design)}) == design and design.ask(Told(1)).wanted == ()


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
            passes, _ = first_passes(design_of(asked, rig, knobs, ladder, static((low + high) / 2)), asked)
        except PlanError:
            continue
        made += 1
        for one in passes:
            assert refusals(one.setup, rig, knobs) == []
        taken = total(passes, rig, start_charge=float(rng.uniform(window[0], 1.0)))
        if not taken.too_long:
            assert min(taken.charge, default=1.0) >= window[0] + MARGIN - 1e-9
            assert max(taken.charge, default=0.0) <= window[1] + 1e-9
    assert made > 60
