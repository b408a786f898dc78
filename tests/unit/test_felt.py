"""Where it begins to feel bad: the curve against another program's fit, simulated players, what a look tells."""

import math

import feel
import numpy as np
import pytest
import statsmodels.api as sm

from hovrik.bench.setting import settable
from hovrik.bench.simulated.machine import SimulatedMachine
from hovrik.bench.simulated.model import load_model
from hovrik.core.errors import PlanError
from hovrik.core.facts.factor import of_knob, static_limit
from hovrik.core.facts.knob import CAP, LIMITS
from hovrik.core.facts.known_knobs import known
from hovrik.core.facts.setup import Setup
from hovrik.core.kinds import feels
from hovrik.core.kinds.kind import Seen
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.passes.purpose import FEEL, FEEL_LATE
from hovrik.core.passes.tail import Tail
from hovrik.core.plan.design import Told
from hovrik.core.plan.designs import design_from, design_to
from hovrik.core.plan.feel import ENOUGH, FeelDesign
from hovrik.core.plan.lengths import Lengths
from hovrik.core.read.answer import Context
from hovrik.core.read.group import Counted
from hovrik.core.read.looks import EARLY, PRESSED, felt_of, looks_of, said_of
from hovrik.core.stats.felt import Belief
from hovrik.core.words import render
from hovrik.demo import scenario
from hovrik.service.planning import of_kind, planned_within, with_part


@pytest.fixture(scope="module")
def machine(tmp_path_factory):
    """(rig, knobs) of the demo's first machine."""
    model = load_model(scenario.SCENARIO)
    made = SimulatedMachine(model, tmp_path_factory.mktemp("m") / "state.json")
    return model.rig, settable(made, model.rig)


def test_place_is_that_of_a_logistic_regression():
    """Of a person who never errs, by statsmodels' Logit."""
    rng = np.random.default_rng(3)
    x = np.log(rng.choice([30.0, 36.0, 40.0, 45.0, 52.0, 60.0], 600))
    bad = rng.random(600) < 1 / (1 + np.exp((x - math.log(43.0)) / 0.09))
    belief = Belief(np.unique(x), 1.0)
    for one, is_bad in zip(x.tolist(), bad.tolist()):
        belief.tell(one, is_bad)
    constant, slope = sm.Logit(bad.astype(float), sm.add_constant(x)).fit(disp=0).params
    found = belief.felt()
    assert found.at == pytest.approx(-constant / slope, abs=0.012)
    assert found.low < math.log(43.0) < found.high and found.width < 0.08


def test_simulated_players_are_covered():
    """The small fast case of benchmarks/feel.py: lags, mistakes, forgotten keys and a floor that wanders."""
    rows = [(feel.drawn(number), feel.tested(feel.drawn(number), number)) for number in range(6)]
    assert sum(feel.covers(low, high, player.floor) for player, (_, low, high, _) in rows) >= 5
    assert all(20 <= looks <= 60 for *_, (*_, looks) in rows)
    assert float(np.median([abs(math.log(at / player.floor)) for player, (at, *_) in rows])) < 0.08


def look(cap, *, pressed=None, early=0, rate=None, purpose=FEEL, intervals=None, **more):
    """A pass of a blind test."""
    known = {EARLY: early, **({PRESSED: pressed} if pressed is not None else {})}
    tail = Tail.of(np.sort(intervals)) if intervals is not None else None
    figures = PassFigures(None, tail, {"mean_fps": rate or cap})
    return Counted("a", Point(conditions=known), Setup({CAP: cap, **more}), figures, purpose=purpose)


def test_what_a_look_tells():
    free = Setup()
    assert [one.is_bad for one in looks_of([look(30, pressed=2.0), look(60)], CAP, free)] == [True, False]
    assert not looks_of([look(30, early=1)], CAP, free)  # it may have been about the look before
    assert looks_of([look(30, early=1, pressed=4.0)], CAP, free)[0].is_bad
    assert looks_of([look(60, rate=47.0)], CAP, free)[0].x == math.log(47.0)  # what was shown, not what was asked
    limit = LIMITS[0]
    late = look(40, purpose=FEEL_LATE, intervals=np.array([25.0] * 97 + [50.0] * 3), **{limit: 10.0})
    found = looks_of([late, look(30)], limit, Setup({CAP: 40}))
    assert [math.exp(-one.x) for one in found] == [pytest.approx(0.03)] and found[0].is_late
    assert not looks_of([late], limit, Setup({CAP: 60})) and not looks_of([late], CAP, free)


@pytest.mark.parametrize(("over", "words"), [("limit_w", "of late frames on, at a cap of 40"), (CAP, "under 3")])
def test_each_test_is_answered_by_its_own_looks(over, words):
    """Whichever was made last."""
    share = lambda n: np.array([25.0] * (400 - n) + [50.0] * n)  # noqa: E731
    late = [look(40, purpose=FEEL_LATE, intervals=share(n), pressed=1.0 if n > 9 else None, **{LIMITS[0]: 30.0 - n})
            for n in (1, 2, 4, 8, 12, 20) * 5]  # fmt: skip
    caps = [look(rate, pressed=1.0 if rate < 37 else None) for rate in (24, 30, 36, 40, 45, 60) * 5]
    asked = with_part(of_kind(scenario.question(), "feels"), over=over)
    factor = static_limit() if over != CAP else of_knob(known(CAP))
    for counted in ([*late, *caps], [*caps, *late]):
        found = feels.answer(Seen([], counted, asked, Context(), factor))
        assert words in found.sentence and "key was pressed in 1" in found.reasons[0]


@pytest.mark.parametrize(
    ("rates", "bad", "words"),
    [
        ((30, 40, 60), lambda rate: False, "somewhere under"),
        ((30, 40, 60), lambda rate: True, "lies over"),
        ((30, 36, 40, 45, 60), lambda rate: rate < 41, "to 4"),
    ],
)
def test_ends_stay_open_where_nothing_was_tried(rates, bad, words):
    told = looks_of([look(rate, pressed=1.0 if bad(rate) else None) for rate in rates * 10], CAP, Setup())
    assert words in render(said_of(felt_of(told)))


def test_random_keys_tell_nothing():
    rng = np.random.default_rng(5)
    told = [look(rate, pressed=1.0 if rng.random() < 0.5 else None) for rate in (30, 36, 40, 45, 60) * 8]
    found = felt_of(looks_of(told, CAP, Setup()))
    assert found.width > 0.5  # a factor of 1.6 at least


def test_design_ends_and_is_stored():
    base = FeelDesign((CAP,), (30.0, 40.0, 60.0), Setup(), Lengths(pass_s=12, settle_s=1))
    assert design_from({"design": design_to(base)}) == base
    never = [look(cap) for cap in (30.0, 40.0, 60.0) * (ENOUGH // 3)]
    assert not base.ask(Told(10, never)).wanted and not base.ask(Told(30, [])).wanted
    first = base.ask(Told()).wanted
    assert {one.purpose for one in first} == {FEEL} and len({one.setup for one in first}) == 2


@pytest.mark.parametrize(
    ("parts", "words"),
    [({"over": "boost"}, "not over boost"), ({"over": CAP, "levels": {CAP: [30.0, 60.0]}}, "three levels or more")],
)
def test_what_cannot_be_a_blind_test(machine, parts, words):
    rig, knobs = machine
    asked = with_part(of_kind(scenario.question(), "feels"), **parts)
    with pytest.raises(PlanError, match=words):
        planned_within(asked, rig, knobs, scenario.design())


def test_levels_are_even_caps_or_the_chosen_limits(machine):
    rig, knobs = machine
    asked = of_kind(scenario.question(), "feels")
    caps = planned_within(asked, rig, knobs, scenario.design()).design
    assert set(caps.levels) == {20.0, 26.667, 30.0, 40.0, 60.0, 80.0} and caps.base[LIMITS[0]] == 18.0
    limits = planned_within(with_part(asked, over="limit_w"), rig, knobs, scenario.design()).design
    assert len(limits.levels) == 9 and {limits.levels[0], limits.levels[-1]} == {7.0, 18.0} and limits.base[CAP] == 40.0
    assert {one.purpose for one in limits.ask(Told()).wanted} == {FEEL_LATE}
