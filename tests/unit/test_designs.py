"""Designs: what they want, in which order, and that a stored one is the same."""

from dataclasses import replace
from itertools import pairwise, permutations, product

import numpy as np
import pytest
import statsmodels.api as sm
from helpers.build import QUESTION, counted

from hovrik.core.errors import PlanError
from hovrik.core.facts.factor import static_limit
from hovrik.core.facts.knob import LIMITS, Knob
from hovrik.core.facts.place import Source
from hovrik.core.facts.rig import Exclusion, OsSlot, PowerMode, Rig
from hovrik.core.facts.setup import Setup, static
from hovrik.core.facts.title import Title
from hovrik.core.kinds.kind import Ask
from hovrik.core.kinds.options_cost import costs, screening
from hovrik.core.kinds.table import SEARCH, kind_of
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.plan.buys import BuysDesign
from hovrik.core.plan.cap_check import CapCheckDesign
from hovrik.core.plan.design import Told
from hovrik.core.plan.designs import design_from, design_to
from hovrik.core.plan.first_holds import FirstHoldsDesign
from hovrik.core.plan.lengths import Lengths
from hovrik.core.plan.lowest import LowestDesign
from hovrik.core.plan.rounds import Cell, RoundsDesign
from hovrik.core.plan.steps import APPLY, RELAUNCH, RESTART, RESTART_S, laid_out, passes_in
from hovrik.core.read import response
from hovrik.core.read.group import Counted

LIKE = Lengths(repeats=4, seed=3)
RIG = Rig("r", "R", 4.0, 20.0, slots=(OsSlot("one", "One"), OsSlot("two", "Two")), modes=(PowerMode("quiet", 9.2),))
WATTS = {key: Knob(key, key, "W", low=4.0, high=20.0, step=1.0) for key in LIMITS}
BOOST = {"boost": Knob("boost", "CPU boost", levels=("off", "on"))}
ASK = Ask(QUESTION, RIG, {**WATTS, **BOOST}, slots=("one", "two"), like=LIKE)


def told(*passes, batches=1):
    found = list(passes)
    return Told(batches, found, response.read(found, QUESTION, static_limit(1.0)))


def test_mirrored_rounds_run_backwards_every_second_time():
    design = RoundsDesign((Cell(Setup(boost="on")), Cell(Setup(boost="off"))), LIKE, mirrored=True)
    order = [one.setup["boost"] for one in design.ask(Told()).wanted]
    assert order[:2] == order[2:4][::-1] == order[4:6] == order[6:][::-1] or order[:2] == order[2:4][::-1]
    assert order.count("on") == order.count("off") == 4 and design.ask(Told(1)).wanted == ()


def test_slots_stay_together_and_a_round_begins_where_the_last_ended():
    cells = tuple(Cell(static(w), slot) for slot in ("one", "two") for w in (10.0, 12.0))
    wanted = RoundsDesign(cells, LIKE, mirrored=True).ask(Told()).wanted
    steps = laid_out(wanted, 0, "one")
    restarts = [step for step in steps if step.kind == RESTART]
    assert len(restarts) <= 5  # four rounds of two slots: one change a round, and perhaps the first
    passes = passes_in(steps)
    assert len(passes) == 16 and {one.slot for one in passes} == {"one", "two"}
    assert sum(one.seconds for one in passes) == pytest.approx(16 * 114 + 180 * len(restarts))


def test_a_title_that_hangs_on_changes_is_closed_before_each():
    """Twice the same setup: closed once; after a restart it does not run anyway."""
    wanted = [LIKE.wanted(setup) for setup in (Setup(boost="on"), Setup(boost="on"), Setup(boost="off"))]
    kinds = lambda steps: [one.kind for one in steps if one.kind in (RELAUNCH, RESTART)]  # noqa: E731
    assert kinds(laid_out(wanted)) == []
    steps = laid_out(wanted, before_launch=True)
    assert kinds(steps) == [RELAUNCH, RELAUNCH] and [one.kind for one in steps[:2]] == [RELAUNCH, APPLY]
    assert kinds(laid_out(wanted, before_launch=True, after=Setup(boost="on"))) == [RELAUNCH]
    restarted = [replace(wanted[0], slot="two"), replace(wanted[2], slot="two")]
    assert kinds(laid_out(restarted, 0, "one", before_launch=True)) == [RESTART, RELAUNCH]


def test_what_cannot_be_is_left_out_with_its_reason():
    rig = replace(RIG, adapter_w=45.0, modes=(PowerMode("usual", 15.0), PowerMode("full", 18.0, adapter_w=65.0)))
    title = Title("t", "Copper Lanterns", memory_gb=6.0)
    on = QUESTION.with_(source=Source.ADAPTER)
    cells = [Cell(static(w)) for w in (15.0, 18.0)] + [Cell(Setup(memory_split_gb=gb)) for gb in (4.0, 6.0)]
    kept, why = replace(ASK, rig=rig, title=title, question=on).feasible(cells)
    assert kept == [cells[0], cells[3]]
    assert why == (
        "18 W wants an adapter of 65 W; this one has 45 W.",
        "Copper Lanterns wants 6 GB of graphics memory, more than a split of 4 GB.",
    )
    for known in (65.0, None):
        assert replace(ASK, rig=replace(rig, adapter_w=known), question=on).feasible(cells) == (cells, ())
    assert "about the battery" in replace(ASK, rig=rig).feasible(cells)[1][0]


@pytest.mark.parametrize("design", [
    RoundsDesign((Cell(static(10.0), "one"), Cell(Setup(boost="on"))), LIKE, True, 7, True),
    LowestDesign((4.0, 5.0, 6.0), LIMITS, Setup(cap_fps=40.0), LIKE, 0.9, 12),
    BuysDesign((4.0, 5.0, 6.0), LIMITS, Setup(), LIKE, 2.0, 12),
])  # fmt: skip
def test_a_stored_design_is_the_same(design):
    assert design_from({"design": design_to(design)}) == design


def truth(limit):
    """Lows that cross 38.8 between 11 and 12 W."""
    return 38.8 * (limit / 11.6) ** 0.7


@pytest.mark.parametrize("seed", range(6))
def test_the_search_ends_at_the_crossing_with_few_passes(seed):
    rng = np.random.default_rng(seed)
    design = LowestDesign(tuple(float(w) for w in range(4, 21)), LIMITS, Setup(), LIKE)
    passes, batches = [], 0
    asked = design.ask(Told())
    while asked.wanted:
        for one in asked.wanted:
            limit = one.setup.static_limit_w
            passes.append(counted(limit, truth(limit) * float(np.exp(0.006 * rng.standard_normal())), len(passes)))
        batches += 1
        if asked.done:
            break
        asked = design.ask(told(*passes, batches=batches))
    groups = told(*passes).responses[0].groups
    stated = next(group.at for group in groups if group.holds >= 0.95)
    assert stated in (12.0, 13.0) and len(passes) <= 16


def test_the_search_keeps_to_its_budget_and_ends_where_nothing_holds():
    design = LowestDesign((8.0, 9.0, 10.0), LIMITS, Setup(), LIKE, most=2)
    assert design.ask(told(counted(9, 30.0), batches=1)).done is False
    assert design.ask(told(counted(9, 30.0), counted(10, 31.0, 1), batches=2)).wanted == ()
    low = LowestDesign((8.0, 9.0, 10.0), LIMITS, Setup(), LIKE)
    found = low.ask(told(*(counted(w, 20.0 + w / 10, k) for w in (8, 9, 10) for k in range(2)), batches=4))
    assert found.wanted == () and found.why == "settled"
    high = low.ask(told(*(counted(w, 60.0, k) for w in (8, 9) for k in range(2)), batches=4))
    assert high.wanted == ()


def test_a_search_whose_first_pass_does_not_count_makes_it_anew():
    design = LowestDesign((8.0, 9.0, 10.0), LIMITS, Setup(), LIKE)
    assert [one.setup.static_limit_w for one in design.ask(Told(1)).wanted] == [9.0]
    assert design.ask(Told(6)).wanted == ()
    failed = Told(1, failed=[design.ask(Told()).wanted[0].setup])
    assert [one.setup.static_limit_w for one in design.ask(failed).wanted] == [8.0]


def test_a_ladder_is_finer_where_its_marks_are_uncertain():
    levels = tuple(float(w) for w in range(6, 25))
    design = BuysDesign(levels, LIMITS, Setup(), LIKE)
    first = design.ask(Told())
    assert {one.setup.static_limit_w for one in first.wanted} == {*levels[::2]} and len(first.wanted) == 20
    passes = [
        counted(w, 62 * (1 - np.exp(-0.2 * (w - 2))), k, draw_w=6 + w / 0.92) for w in levels[::2] for k in range(2)
    ]  # fmt: skip
    more = {one.setup.static_limit_w for one in design.ask(told(*passes)).wanted}
    assert more and more < set(levels) and 6.0 not in more
    assert design.ask(replace(told(*passes), batches=2)).wanted == ()


def test_a_first_look_takes_about_ten_minutes():
    design = kind_of("first-look").design(ASK)
    wanted = design.ask(Told()).wanted
    limits = sorted(one.setup.static_limit_w for one in wanted)
    assert len(limits) == 5 and 9.0 in limits  # the preset's, to the nearest level
    assert sum(one.seconds for one in passes_in(laid_out(wanted))) <= 10 * 60


def test_kinds_say_what_they_lack():
    searched = replace(QUESTION.with_(figure="none"), parts={"how": SEARCH})
    with pytest.raises(PlanError, match="needs a floor"):
        kind_of("lowest-watts").design(replace(ASK, question=searched))
    with pytest.raises(PlanError, match="one level only"):
        kind_of("knob").design(replace(ASK, varied={"boost": ("on",)}))
    with pytest.raises(PlanError, match="cannot set smt"):
        kind_of("knob").design(replace(ASK, over="smt"))
    with pytest.raises(PlanError, match="second one"):
        kind_of("which-os").design(replace(ASK, slots=("one",)))
    with pytest.raises(PlanError, match="no question of the kind"):
        kind_of("nothing")
    with pytest.raises(PlanError, match="outside this rig's range"):
        kind_of("lowest-watts").design(replace(ASK, varied={"limit_w": (3.0, 99.0)}))


def test_a_factorial_has_every_combination():
    knobs = {**ASK.knobs, "smt": Knob("smt", "SMT", levels=("off", "on"))}
    design = kind_of("knob").design(replace(ASK, knobs=knobs, varied={"boost": ("off", "on"), "smt": ("off", "on")}))
    made = [tuple(sorted(one.setup.items())) for one in design.ask(Told()).wanted]
    assert len(set(made)) == 4 and all(made.count(one) == 4 for one in set(made))


def test_the_screening_is_orthogonal():
    """Columns of Plackett and Burman (1946): six of each sign, any two at right angles; so effects do not mix."""
    table = screening(11)
    assert (table.T @ table == 12 * np.eye(11)).all() and (table.sum(axis=0) == 0).all()


def test_costs_are_those_of_least_squares():
    """statsmodels (LIB) on the same passes; the prior spread counts as four degrees of freedom beside eight."""
    rng = np.random.default_rng(4)
    levels = {"a": ("off", "on"), "b": ("off", "on"), "c": ("off", "on")}
    table = (screening(3) + 1) / 2
    ms = 20.0 + table @ [2.0, 1.0, 0.0] + rng.normal(0, 0.3, 12)
    passes = []
    for at, (row, value) in enumerate(zip(table, ms)):
        setup = Setup({key: levels[key][int(sign)] for key, sign in zip(levels, row)})
        passes.append(Counted(f"p{at}", Point(setup), setup, PassFigures(values={"mean_fps": 1000.0 / value})))
    found, base = costs(passes, levels)
    fitted = sm.OLS(ms, sm.add_constant(table)).fit()
    assert [one.frame_ms.value for one in found] == pytest.approx(fitted.params[1:])
    assert base.value == pytest.approx(fitted.params[0])
    widths = [one.frame_ms.high - one.frame_ms.low for one in found]
    assert widths == pytest.approx(np.diff(fitted.conf_int()[1:], axis=1)[:, 0], rel=0.3)


def test_set_ups_are_tried_best_first_until_one_holds():
    setups = (static(12.0), static(10.0))
    design = FirstHoldsDesign(setups, LIKE)
    assert design.ask(Told()).wanted[0].setup == setups[0]
    short = told(*(counted(12, 30.0, k) for k in range(2)))
    assert design.ask(short).wanted[0].setup == setups[1]
    held = told(*(counted(12, 30.0, k) for k in range(2)), *(counted(10, 60.0, k) for k in range(2)), batches=4)
    assert design.ask(held).wanted == () and design_from({"design": design_to(design)}) == design


def test_caps_are_measured_where_they_are_predicted_to_hold():
    design = CapCheckDesign(
        ((60.0, 60.0), (45.0, 0.0), (40.0, 80.0), (30.0, 60.0)), Setup(sustained_limit_w=12.0), LIKE
    )
    assert all(one.setup["cap_fps"] == "none" for one in design.ask(Told()).wanted)
    passes = [counted(12, 44.5, k, rate_fps=50.0) for k in range(2)]
    more = design.ask(replace(told(*passes), batches=1)).wanted
    caps = {one.setup["cap_fps"] for one in more}
    assert 40.0 in caps or (45.0 in caps and len(caps) == 2)
    assert all(one.setup.get("refresh_hz") == 80.0 for one in more if one.setup["cap_fps"] == 40.0)
    near = [counted(12, 38.7, k, rate_fps=39.9, cap=40.0) for k in range(2, 4)]  # just under what a cap of 40 wants
    asked = design.ask(replace(told(*passes, *near), batches=2))
    assert {one.setup["cap_fps"] for one in asked.wanted} <= {40.0} and asked.done
    assert design.ask(replace(told(*passes, *near), batches=3)).wanted == ()
    assert design_from({"design": design_to(design)}) == design


def test_setups_that_exclude_each_other_are_left_out_with_the_reason():
    slot = OsSlot("one", "One", exclusions=(Exclusion("boost", "on", "smt", "off", "firmware refuses it"),))
    rig = replace(RIG, slots=(slot, OsSlot("two", "Two")))
    knobs = {**ASK.knobs, "smt": Knob("smt", "SMT", levels=("off", "on"))}
    question = QUESTION.with_(slot="one")
    ask = replace(ASK, rig=rig, knobs=knobs, question=question, varied={"boost": ("off", "on"), "smt": ("off", "on")})
    design = kind_of("knob").design(ask)
    made = {tuple(sorted(one.setup.items())) for one in design.ask(Told()).wanted}
    assert len(made) == 3 and "firmware refuses it" in design.left_out[0]
    with pytest.raises(PlanError, match="Nothing is left to compare"):
        kind_of("knob").design(replace(ask, base=Setup(smt="off"), varied={"boost": ("off", "on")}))


def test_a_cap_above_the_refresh_is_left_out():
    knobs = {**ASK.knobs, "cap_fps": Knob("cap_fps", "Frame cap", "fps", ("none",), 15.0, 240.0),
             "refresh_hz": Knob("refresh_hz", "Refresh", "Hz", levels=(60.0, 90.0))}  # fmt: skip
    ask = replace(ASK, knobs=knobs, varied={"refresh_hz": (60.0, 90.0), "cap_fps": (60.0, 90.0)})
    design = kind_of("knob").design(ask)
    made = {(one.setup["refresh_hz"], one.setup["cap_fps"]) for one in design.ask(Told()).wanted}
    assert made == {(60.0, 60.0), (90.0, 60.0), (90.0, 90.0)} and "above a refresh of 60" in design.left_out[0]


@pytest.mark.parametrize("seed", range(8))
def test_restarts_are_as_few_as_rounds_allow(seed):
    """Every order of the slots in every round, by brute force: none takes fewer minutes than the design's."""
    rng = np.random.default_rng(seed)
    slots = ("one", "two", "three")[: 2 + seed % 2]
    cells = tuple(Cell(static(float(w)), slot) for slot in slots for w in range(8, 9 + int(rng.integers(1, 3))))
    rounds = 2 + seed % 3
    design = RoundsDesign(cells, replace(LIKE, repeats=rounds, seed=seed), mirrored=seed % 4 == 0)
    taken = sum(one.seconds for one in passes_in(laid_out(design.ask(Told()).wanted, 0, "one")))
    least = min(
        sum(before != after for before, after in pairwise(("one", *(slot for own in orders for slot in own))))
        for orders in product(permutations(slots), repeat=rounds)
    )
    passes = sum(LIKE.settle_s + LIKE.soak_s + LIKE.pass_s + LIKE.cool_s for _ in range(rounds * len(cells)))
    assert taken <= 1.05 * (passes + RESTART_S * least)
