"""The search for the best setup: belief against scikit-learn, twins against their own laws, choices, steering."""

import math
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from helpers.build import QUESTION, changed, counted
from sklearn.gaussian_process import GaussianProcessRegressor
from sklearn.gaussian_process.kernels import ConstantKernel, Matern

import hovrik
from hovrik.core.errors import InputError, PlanError
from hovrik.core.facts.factor import LIMIT, of_knob
from hovrik.core.facts.knob import CAP, LIMITS, Knob
from hovrik.core.facts.rig import Exclusion, OsSlot, Rig
from hovrik.core.facts.setup import Setup, static
from hovrik.core.facts.terms import Aim
from hovrik.core.kinds.best import KIND
from hovrik.core.kinds.kind import Ask, Seen
from hovrik.core.model import belief as beliefs
from hovrik.core.model.belief import Belief, Measured, believe, features, matern, varied
from hovrik.core.model.twins import EVERY, FREE_FPS, Places, twins
from hovrik.core.plan.ask_tell import Search
from hovrik.core.plan.design import Told
from hovrik.core.plan.designs import design_from, design_to
from hovrik.core.plan.first_holds import FirstHoldsDesign
from hovrik.core.plan.front import hypervolume
from hovrik.core.plan.lengths import Lengths
from hovrik.core.plan.search.design import FRESH, SearchDesign
from hovrik.core.plan.search.goal import Goal
from hovrik.core.plan.search.judged import judged
from hovrik.core.plan.search.told import noise_by
from hovrik.core.read import response
from hovrik.core.read.answer import Context
from hovrik.core.read.generated import KNOB, barred

LEVELS = {LIMIT: (8.0, 10.0, 12.0, 14.0, 16.0, 18.0), "boost": ("off", "on"), CAP: (40.0, "none")}
GOAL = Goal(edge_fps=38.8, target_fps=40.0)
DESIGN = SearchDesign(LEVELS, Setup(), GOAL, 18.0, Lengths(seed=1))


def made(limit, boost="on", cap="none", number=0):
    """A pass of a machine whose boost takes 2 W from the GPU: 40 hold from 10 W with boost off, 12 W with it."""
    free = 62.0 * (1.0 - math.exp(-0.14 * (limit - (3.0 if boost == "on" else 1.0))))
    low = 0.9 * free if cap == "none" else min(0.9 * free, 0.99 * cap)
    one = counted(limit, low, number, rate_fps=free if cap == "none" else min(free, cap), draw_w=6 + limit / 0.92)
    asked = Setup({**static(limit), "boost": boost, CAP: cap})
    return replace(one, asked=asked, point=replace(one.point, setup=asked))


def lone_twin(count, value=0.0):
    """Twins that all say the same of every candidate."""
    return Said(np.full((4, count), value))


class Said:
    """Twins that say given logs of every outcome, (twins, setups)."""

    def __init__(self, rows):
        self.rows, self.size, self.slack = rows, len(rows), np.zeros((len(rows), 1))

    def of(self, name, which=EVERY, at=EVERY):
        return self.rows[which][:, at]


def test_the_residual_is_a_gaussian_process(monkeypatch):
    """One amplitude and no twin to tell apart: mean and sd of the draws are those of scikit-learn's process."""
    monkeypatch.setattr(beliefs, "AMPLITUDES", ((0.05, 1.0),))
    monkeypatch.setattr(beliefs, "DRAWS", 6000)
    where = np.linspace(0, 3, 12)[:, None]
    at, y = np.array([1, 4, 9]), np.array([0.04, -0.03, 0.06])
    found = believe(lone_twin(12), where, np.full(12, np.inf), Measured(at, {"draw": y}), 3)
    kernel = ConstantKernel(0.05**2, "fixed") * Matern(1.0, "fixed", nu=1.5)
    process = GaussianProcessRegressor(kernel, alpha=beliefs.NOISE["draw"] ** 2, optimizer=None).fit(where[at], y)
    mean, sd = process.predict(where, return_std=True)
    assert np.abs(found.draw.mean(axis=0) - mean).max() < 0.004
    assert found.draw.std(axis=0) == pytest.approx(sd, abs=0.007)
    assert np.abs(found.rise.mean(axis=0)).max() < 0.004  # what was not measured stays as it was


def test_matern_is_scikit_learns():
    where = np.random.default_rng(1).normal(size=(7, 3))
    assert matern(where, where) == pytest.approx(Matern(1.0, nu=1.5)(where))


def test_passes_weigh_the_twins():
    """Of twins that say 1 and 2 W (logs) a pass at 2 W leaves the second."""
    two = Said(np.repeat(np.array([[0.0], [0.7]]), 5, axis=1))
    where = np.arange(5.0)[:, None]
    found = believe(two, where, np.full(5, np.inf), Measured(np.array([2]), {"draw": np.array([0.7])}))
    assert np.median(found.draw[:, 4]) == pytest.approx(0.7, abs=0.1) and found.spread < 1.1


def test_twins_obey_what_every_machine_does():
    """More limit, clock or cap never costs frames; a cap saves power; no low lies over its cap."""
    found = twins(Places.of(DESIGN.setups, 18.0), 40.0, 3, 200)
    at = {one: place for place, one in enumerate(DESIGN.setups)}
    capped = [place for one, place in at.items() if one[CAP] == 40.0]
    low, draw = found.of("low"), found.of("draw")
    assert low[:, capped].max() <= math.log(40.0) + 1e-6
    for one, place in at.items():
        if one["sustained_limit_w"] < 18.0:
            higher = at[one.with_(**dict.fromkeys(LIMITS, one["sustained_limit_w"] + 2.0))]
            assert (low[:, higher] >= low[:, place] - 0.01).all()
        if one[CAP] == 40.0:
            free = at[one.with_(**{CAP: "none"})]
            assert (draw[:, free] >= draw[:, place] - 0.01).all()
    reaches = np.exp(low[:, at[Setup({**static(18.0), "boost": "on", CAP: "none"})]]) > 40.0
    assert 0.3 < reaches.mean() < 0.98  # the floor is decided inside the limits for most


def test_twins_share_nothing_with_the_stand_in():
    """Neither a module nor a voltage law nor a rule of the budget."""
    source = Path(hovrik.__file__).parent / "core" / "model" / "twins.py"
    text = source.read_text()
    assert (
        not re.search(r"import .*(bench|simulated)|from .*(bench|simulated)", text)
        and "volt" not in text.split('"""')[2]
    )
    assert Places.of((Setup(boost="off"),), 20.0) == Places((20.0,), (FREE_FPS,), (0.0,), (1.0,), (1.0,))


def test_places_of_setups():
    where = features(DESIGN.setups)
    assert where.shape == (24, 4) and np.ptp(where[:, 0]) == pytest.approx(math.log(18 / 8) / 0.7)
    assert features((Setup(fan_policy="a"), Setup(fan_policy="b"), Setup(fan_policy="c"))).shape == (3, 3)
    assert varied(DESIGN.setups) == [LIMITS[0], CAP, "boost"]


def searched(design, most=14, failing=lambda _setup: False):
    """A whole search on the machine of `made`: setups in order, last Found, why it ended."""
    passes, failed, order = [], [], []
    for number in range(most):
        asked = design.ask(Told(number, passes, failed=failed))
        if not asked.wanted:
            return order, design.found(passes, failed), asked.why
        (wanted,) = asked.wanted
        order.append((wanted.setup, asked.why))
        if failing(wanted.setup):
            failed.append(wanted.setup)
        else:
            setup = wanted.setup
            passes.append(made(setup["sustained_limit_w"], setup["boost"], setup[CAP], number))
    return order, design.found(passes, failed), ""


def test_the_search_finds_what_a_ladder_at_the_usual_setup_misses():
    """With boost on 12 W are the lowest that hold, with boost off 10 W: found, and verified by passes of its own."""
    order, found, why = searched(DESIGN)
    pick = DESIGN.setups[found.pick]
    assert (pick["sustained_limit_w"], pick["boost"]) == (10.0, "off") and len(order) <= 13
    assert why == "nothing promises more than it costs" and found.counts[found.pick] >= 1 + FRESH
    assert found.chances[found.pick] > 0.9 and found.sure > 0.7


def test_why_names_two_quantities_of_this_very_decision():
    order, _, _ = searched(DESIGN, 4)
    passes = [made(one["sustained_limit_w"], one["boost"], one[CAP], at) for at, (one, _) in enumerate(order[:3])]
    found = DESIGN.found(passes)
    asked = DESIGN.ask(Told(3, passes))
    chance, gain = (float(n) for n in re.findall(r"([0-9.]+) %", asked.why))
    at = DESIGN.setups.index(asked.wanted[0].setup)
    assert chance == pytest.approx(100 * found.chances[at], abs=0.51)
    assert gain == pytest.approx(100 * math.expm1(found.gain), abs=0.051)


def test_what_fails_is_not_proposed_again_and_what_is_forbidden_never():
    crashes = lambda setup: setup["boost"] == "off"  # noqa: E731
    order, found, _ = searched(DESIGN, failing=crashes)
    tried = [one for one, _ in order if crashes(one)]
    assert len(tried) == len(set(tried)) and DESIGN.setups[found.pick]["boost"] == "on"
    never = tuple(one for one in DESIGN.setups if one["boost"] == "off")
    order, found, _ = searched(replace(DESIGN, forbidden=never))
    assert not any(crashes(one) for one, _ in order) and DESIGN.setups[found.pick]["sustained_limit_w"] == 12.0


def test_a_person_can_have_it_try_a_setup_next_once():
    wanted = Setup({**static(18.0), "boost": "on", CAP: 40.0})
    design = replace(DESIGN, first=(wanted,))
    assert design.ask(Told(3, [made(12.0)])).wanted[0].setup == wanted
    assert design.ask(Told(4, [made(12.0), made(18.0, "on", 40.0, 1)])).wanted[0].setup != wanted


def test_asked_again_it_says_the_same_and_stored_it_is_the_same():
    passes = [made(14.0), made(10.0, "off", 40.0, 1)]
    assert DESIGN.ask(Told(2, passes)) == DESIGN.ask(Told(2, passes))
    whole = replace(DESIGN, forbidden=(DESIGN.setups[0],), first=(DESIGN.setups[1],), left_out=("why",),
                    goal=replace(GOAL, aim=Aim.FRAMES, die_limit_c=80.0))  # fmt: skip
    assert design_from({"design": design_to(whole)}) == whole and design_from({"design": design_to(DESIGN)}) == DESIGN


def test_in_whatever_order_passes_are_stored_it_believes_the_same():
    passes = [made(14.0), made(10.0, "off", 40.0, 1), made(12.0, "on", "none", 2), made(12.0, "off", "none", 3)]
    one, other = DESIGN.found(passes), DESIGN.found([passes[at] for at in (2, 0, 3, 1)])
    assert (one.chances == other.chances).all() and (one.worth == other.worth).all() and one.pick == other.pick


def test_asked_and_told_as_documented():
    """The block of docs/own-machine.md, on the machine of `made`."""
    page = (Path(__file__).parents[2] / "docs" / "own-machine.md").read_text()
    (code,) = re.findall(r"```python-search\n(.*?)```", page, re.DOTALL)

    def measured(setup):
        one = made(setup["sustained_limit_w"], setup["boost"])
        return one.figures.value("low_1pct_fps_percentile"), one.figures.value("draw_w")

    known = {"measured": measured, "print": lambda *_: None}
    exec(code, known)
    assert (known["search"].pick.static_limit_w, known["search"].pick["boost"]) == (10.0, "off")
    with pytest.raises(InputError, match="no candidate"):
        known["search"].tell(static(99.0), draw_w=1.0)
    with pytest.raises(InputError, match="no figure 'watts'"):
        known["search"].tell(known["search"].pick, watts=1.0)
    fails = Search({"limit_w": [8.0, 10.0]}, 40.0)
    fails.tell(fails.ask())
    assert fails.ask() is not None and fails.pick is None


def test_a_better_setup_that_stays_open_is_named_in_the_first_line():
    """14 W hold three times; whether 10 W without boost do, which one pass says, is not settled."""
    passes = [replace(made(14.0, number=at), id=f"p{at}") for at in range(3)]
    for more, said in (([], "best.rival"), ([12.0, 12.0, 12.0, 12.0], "best.rival")):
        own = [*passes, replace(made(10.0, "off", number=9), id="q")]
        own += [replace(made(watts, number=20 + at), id=f"r{at}") for at, watts in enumerate(more)]
        question = replace(QUESTION, kind="best")
        responses = response.read(own, question, of_knob(Knob("boost", "Boost", levels=("off", "on"))))
        found = KIND.answer(Seen(responses, own, question, Context(), responses[0].factor, design=DESIGN))
        assert found.says.id == said and "10 W, no cap, boost off holds is open" in found.sentence
        assert found.option.setup["boost"] == "on" and found.option.setup["sustained_limit_w"] == (
            12.0 if more else 14.0
        )
    alone = replace(DESIGN, levels={**LEVELS, LIMIT: (14.0, 16.0), "boost": ("on",)})
    found = KIND.answer(Seen(responses, passes, question, Context(), responses[0].factor, design=alone))
    assert found.says.id != "best.rival"


def test_a_setup_whose_generated_frames_do_not_count_is_neither_stated_nor_tried_again():
    """Sixty frames shown of thirty rendered: the kind that searches goes by the rule of all others."""
    design = replace(
        DESIGN, levels={LIMIT: LEVELS[LIMIT], KNOB: ("off", "on")}, base=Setup({"boost": "on", CAP: "none"})
    )
    on = changed(counted(10, 58.0), rendered_fps=30.0)
    setups = [one.with_(**{KNOB: level}) for one, level in ((static(10.0), "on"), (static(14.0), "off"))]
    setups = [one.with_(boost="on", **{CAP: "none"}) for one in setups]
    passes = [
        replace(one, id=f"p{at}", asked=setup, point=replace(one.point, setup=setup))
        for at, (one, setup) in enumerate(zip((on, counted(14, 45.0)), setups))
    ]  # fmt: skip
    responses = response.read(passes, QUESTION, of_knob(Knob(KNOB, "Frame generation", levels=("off", "on"))))
    for parts, stated in (({}, "off"), ({"shown_counts": True}, "on")):
        question = replace(QUESTION, kind="best", parts=parts)
        out = barred(responses, question, None)
        found = design.found(passes, responses=responses, barred=out)
        assert found.pick is not None and design.setups[found.pick][KNOB] == stated
        seen = Seen(responses, passes, question, Context(), responses[0].factor, design=design)
        said = KIND.answer(seen)
        assert f"frame generation {stated}" in said.sentence
        assert any("generated ones do not count" in one for one in said.reasons) is (not parts)
    plain = replace(QUESTION, kind="best", parts={})
    told = Told(2, passes, responses, barred=barred(responses, plain, None))
    assert design.ask(told).wanted[0].setup[KNOB] == "off"
    first = FirstHoldsDesign(tuple(setups), Lengths())
    assert first.ask(told).wanted == () or first.ask(told).wanted[0].setup[KNOB] == "off"


def test_limits_of_heat_count():
    """Two setups alike but for their heat: only the cool one holds."""
    rows = np.zeros((50, 2))
    belief = Belief(rows + math.log(50), rows, rows + np.array([0.0, 0.1]), np.log([[60.0, 30.0]]) + rows, 5.0)
    goal = replace(GOAL, die_limit_c=70.0, room_c=20.0)
    found = judged(belief, goal, np.array([1, 1]))
    assert found.pick == 1 and found.chances.tolist() == [0.0, 1.0] and found.sure == 1.0
    assert judged(belief, GOAL, np.array([1, 1])).pick == 0
    assert judged(belief, replace(goal, die_limit_c=30.0), np.array([1, 1])).pick is None


def test_limits_of_hours_and_of_noise_count():
    """Two setups alike but for their draw, then for their noise: only the modest one holds."""
    rows = np.zeros((50, 2))
    belief = Belief(rows + math.log(50), rows, np.log([[22.0, 18.0]]) + rows, rows + math.log(30.0), 5.0)
    found = judged(belief, replace(GOAL, draw_limit_w=20.0), np.array([1, 1]))
    assert found.pick == 1 and found.chances.tolist() == [0.0, 1.0]
    noise = rows + np.array([41.0, 33.0])
    loud = judged(belief, replace(GOAL, noise_limit_db=35.0), np.array([1, 1]), noise=noise)
    assert loud.chances.tolist() == [0.0, 1.0] and judged(belief, GOAL, np.array([1, 1]), noise=noise).pick == 1


def test_noise_follows_the_settled_die():
    """Passes of a fan that grows by 30 dB a log of the rise: at 50 K it is told within what the noted level allows."""
    design = replace(DESIGN, goal=replace(GOAL, noise_limit_db=40.0))
    passes = [
        replace(one, figures=one.figures.with_(die_c=23.0 + rise, noise_db=35.0 + 30.0 * math.log(rise / 35.0)))
        for one, rise in ((made(10.0), 25.0), (made(14.0, number=1), 38.0), (made(12.0, number=2), 31.0))
    ]  # fmt: skip
    belief = Belief(*(np.zeros((300, 1)),) * 3, np.full((300, 1), math.log(50.0)), 5.0)
    noise = noise_by(passes, belief, design.goal, design.like.seed)
    assert noise.mean() == pytest.approx(35.0 + 30.0 * math.log(50 / 35), abs=2.5) and 2.5 < noise.std() < 6.0
    assert noise_by([made(12.0)], belief, design.goal, 1) is None and noise_by(passes, belief, DESIGN.goal, 1) is None


def test_for_the_picture_the_best_looking_that_holds_is_taken():
    levels = {"render_scale": (0.5, 0.75, 1.0), CAP: (40.0, "none")}
    goal = replace(GOAL, aim=Aim.PICTURE, picture=("render_scale",))
    design = replace(DESIGN, levels=levels, base=static(12.0), goal=goal)
    assert design.space.picture(goal.picture).tolist() == [0.0, 0.0, 0.5, 0.5, 1.0, 1.0]
    low = np.log(np.array([60.0, 60.0, 50.0, 50.0, 30.0, 30.0])) + np.zeros((50, 6))
    belief = Belief(low, low, np.zeros((50, 6)), np.zeros((50, 6)), 5.0)
    found = judged(belief, goal, np.ones(6, np.int64), picture=design.space.picture(goal.picture))
    assert design.setups[found.pick]["render_scale"] == 0.75


def test_the_trade_off_of_hours_and_frames_is_found():
    """Of the 24 setups of `made`: what the measured ones cover is nearly all that there is, after a third of them."""
    design = replace(DESIGN, goal=replace(GOAL, edge_fps=0.0, front=True))
    order, found, _ = searched(design, 14)
    every = [made(one["sustained_limit_w"], one["boost"], one[CAP]) for one in design.setups]
    points = np.array([[1 / one.figures.value("draw_w"), one.figures.value(design.goal.figure)] for one in every])
    reference = points.min(axis=0)
    seen = np.flatnonzero(found.counts)
    assert hypervolume(points[seen], reference) >= 0.9 * hypervolume(points, reference) and len(order) <= 14
    assert all("widens the trade-off" in text for _, text in order[1:])


RIG = Rig("r", "R", 8.0, 18.0, refresh_hz=(60.0,), slots=(OsSlot("one", "One"),))
KNOBS = {
    **{key: Knob(key, key, "W", low=8.0, high=18.0, step=1.0) for key in LIMITS},
    "boost": Knob("boost", "CPU boost", levels=("off", "on")),
    CAP: Knob(CAP, "Frame cap", "fps", ("none",), 15.0, 240.0),
}  # fmt: skip
ASK = Ask(QUESTION, RIG, KNOBS, like=Lengths())


def test_what_is_varied():
    """All that the machine offers; what is named alone where anything is; caps from the floor up."""
    design = KIND.design(ASK)
    assert design.levels[CAP] == (40.0, 60.0, "none") and len(design.setups) == 11 * 2 * 3
    named = KIND.design(replace(ASK, varied={"boost": ("off", "on")}, base=static(12.0)))
    assert dict(named.levels) == {"boost": ("off", "on")} and named.setups[0].static_limit_w == 12.0
    slot = OsSlot("one", "One", exclusions=(Exclusion("boost", "off", CAP, "60", "they share a timer"),))
    asked = QUESTION.with_(slot="one")
    fewer = KIND.design(replace(ASK, rig=replace(RIG, slots=(slot,)), question=asked))
    assert len(fewer.forbidden) == 11 and all(one["boost"] == "off" for one in fewer.forbidden)


@pytest.mark.parametrize(("changes", "words"), [
    ({"question": QUESTION.with_(aim=Aim.PICTURE)}, "a knob of it has to vary"),
    ({"knobs": {}}, "Nothing can be varied"),
    ({"varied": {"nonsense": (1.0, 2.0)}}, "cannot set nonsense. It offers: .*boost"),
    ({"question": QUESTION.with_(figure="score")}, "1 % low or of the mean"),
])  # fmt: skip
def test_what_it_cannot_search_is_said(changes, words):
    with pytest.raises(PlanError, match=words):
        KIND.design(replace(ASK, **changes))


def test_many_levels_are_thinned():
    wide = {key: replace(knob, low=5.0, high=60.0) for key, knob in KNOBS.items() if key in LIMITS}
    many = {**KNOBS, **wide, "governor": Knob("governor", "Governor", levels=tuple(f"g{n}" for n in range(30)))}
    design = KIND.design(
        replace(ASK, rig=replace(RIG, limit_high_w=60.0), knobs=many,
                varied={LIMIT: (), "boost": (), CAP: (), "governor": many["governor"].levels})
    )  # fmt: skip
    assert 1000 < len(design.setups) <= 4000 and design.levels[LIMIT][-1] >= 58.0
