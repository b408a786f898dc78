"""Flips: wrong in at most 5 % of plays in which the knob does nothing, however often one looks; and they decide."""

import math

import numpy as np
import pytest

from hovrik.core.errors import PlanError
from hovrik.core.facts.knob import Knob, Where
from hovrik.core.facts.rig import Rig
from hovrik.core.facts.setup import Setup
from hovrik.core.facts.title import Title
from hovrik.core.kinds.kind import Ask
from hovrik.core.kinds.table import kind_of
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.plan.design import Told
from hovrik.core.plan.designs import design_from, design_to
from hovrik.core.questions.question import lowest_watts
from hovrik.core.read.group import Counted
from hovrik.core.stats.flips import DECIDED, evidence, judged


def play(rng, effect, pairs=60, wander=0.06):
    """Signed pair differences of a load that wanders (a block, rho .8) and has a cycle of its own of two pairs."""
    load = np.zeros(2 * pairs)
    for at in range(1, load.size):
        load[at] = 0.8 * load[at - 1] + wander * rng.standard_normal()
    load += 0.05 * np.sign(np.sin(np.arange(load.size) * math.pi / 2 + 0.1))
    coins = rng.random(pairs) < 0.5
    first, second = load[::2], load[1::2]
    return np.where(coins, second - first, first - second) + effect


def test_a_knob_that_does_nothing_is_called_better_in_at_most_one_play_of_twenty():
    """400 plays, looked at after every pair; the bound is exact, so that more than 5 % + 2.6 errors is a fault. A t
    test at every look is wrong in a quarter of them."""
    rng = np.random.default_rng(1)
    plays = [play(rng, 0.0) for _ in range(400)]
    wrong = np.mean([evidence(signed, 0.08).max() >= DECIDED for signed in plays])
    assert wrong <= 0.05 + 2.6 * math.sqrt(0.05 * 0.95 / 400)

    def naive(signed):
        n = np.arange(4, signed.size + 1)
        means = np.array([signed[:k].mean() for k in n])
        errors = np.array([signed[:k].std(ddof=1) / math.sqrt(k) for k in n])
        return (np.abs(means / errors) > 1.96).any()

    assert np.mean([naive(signed) for signed in plays]) > 0.15


def test_a_difference_of_one_standard_deviation_is_decided_within_25_pairs():
    rng = np.random.default_rng(2)
    needed = []
    for _ in range(120):
        signed = 0.08 * (1.0 + rng.standard_normal(40))
        needed.append(int(np.argmax(evidence(signed, 0.08) >= DECIDED)) + 1)
    assert np.quantile(needed, 0.8) <= 25


def test_intervals_hold_the_truth_at_every_look():
    rng, hits = np.random.default_rng(3), 0
    for _ in range(14):
        found = judged(play(rng, 0.05, 30), 0.08, 0.02)
        hits += found.low <= 0.05 <= found.high
    assert hits >= 12


def test_what_is_the_same_is_said_to_be():
    found = judged(0.004 * np.random.default_rng(4).standard_normal(40), 0.08, 0.02)
    assert found.same and not found.decided and abs(found.difference) < 0.01
    assert judged(np.empty(0), 0.08, 0.02).pairs == 0


KNOBS = {
    "boost": Knob("boost", "CPU boost", levels=("off", "on")),
    "preset": Knob("preset", "Preset", levels=("low", "high"), where=Where.RELAUNCH),
}
ASK = Ask(lowest_watts(), Rig("r", "R"), KNOBS, over="boost")


def block(number, state, rate):
    setup = Setup(boost=state)
    return Counted(f"b{number}", Point(setup), setup, PassFigures(values={"mean_fps": rate}), f"plan/{number // 2}")


def test_blocks_come_in_pairs_of_random_order_until_it_is_decided():
    design = kind_of("flip").design(ASK)
    first = design.ask(Told()).wanted
    assert [one.purpose for one in first] == ["flip"] * 4 and all(one.pass_s == 16 for one in first)
    assert {one.setup["boost"] for one in first[:2]} == {"off", "on"} == {one.setup["boost"] for one in first[2:]}
    orders = {tuple(one.setup["boost"] for one in design.ask(Told(n)).wanted[:2]) for n in range(1, 9)}
    assert len(orders) == 2  # the coin falls both ways
    clear = [block(n, ("off", "on")[n % 2], (46.0, 40.0)[n % 2] + 0.1 * n) for n in range(24)]
    assert design.ask(Told(6, clear)).wanted == ()
    assert len(design.ask(Told(1, clear[:4])).wanted) == 4
    assert design_from({"design": design_to(design)}) == design


def test_a_block_that_does_not_count_takes_its_pair_with_it():
    from hovrik.core.plan.flip import pairs_of

    blocks = [block(n, ("off", "on")[n % 2], 44.0 if n % 2 else 45.0) for n in range(6)]
    assert pairs_of(blocks, ("off", "on"), "boost", "mean_fps")[0].size == 3
    assert pairs_of([*blocks[:2], *blocks[3:]], ("off", "on"), "boost", "mean_fps")[0].size == 2


def test_only_what_a_program_can_set_while_playing_is_flipped():
    from dataclasses import replace

    with pytest.raises(PlanError, match="while the title runs"):
        kind_of("flip").design(replace(ASK, over="preset"))
    with pytest.raises(PlanError, match="Which knob"):
        kind_of("flip").design(replace(ASK, over=""))
    for kind in ("flip", "feels"):
        with pytest.raises(PlanError, match="Fen hangs when settings change while it runs"):
            kind_of(kind).design(replace(ASK, title=Title("fen", "Fen", dislikes_changes=True)))
