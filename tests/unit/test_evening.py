"""Evenings of play: change points against their own optimum and the Nile's break, what is said of known scenes, and the
test evening by evening. Rates on odd plants: benchmarks/evenings.py."""

import itertools
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from helpers.build import DEMO_QUESTION, QUESTION, trace_of
from scipy import stats
from statsmodels.datasets import nile

from hovrik.core.facts.setup import static
from hovrik.core.facts.title import Scene, Title
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.passes.trace import Channel
from hovrik.core.read import answer
from hovrik.core.read.evening import read_evening, said_of
from hovrik.core.read.group import Counted
from hovrik.core.read.rules import table
from hovrik.core.read.rules.rule import Looked, Whole
from hovrik.core.stats.changes import change_points
from hovrik.core.stats.evenings import evidence, shift_since
from hovrik.core.words import render
from hovrik.service.imports.one import is_evening
from hovrik.service.scenes import with_scenes


def cost(series, starts):
    edges = [0, *starts, len(series)]
    return sum(((series[a:b] - series[a:b].mean(axis=0)) ** 2).sum() for a, b in itertools.pairwise(edges))


@pytest.mark.parametrize("seed", range(4))
def test_change_points_are_the_optimum(seed):
    """Against every possible set of up to two changes of short series."""
    rng = np.random.default_rng(seed)
    series = rng.normal(0, 1, (24, 2)) + np.where(np.arange(24) < 10, 0.0, 2.5)[:, None]
    penalty, least = 6.0, 4
    sets = [()] + [(a,) for a in range(4, 21)] + [(a, b) for a in range(4, 17) for b in range(a + 4, 21)]
    best = min(sets, key=lambda one: cost(series, one) + penalty * len(one))
    found = change_points(series, penalty, least)
    assert cost(series, found) + penalty * len(found) <= cost(series, best) + penalty * len(best) + 1e-9
    assert change_points(series[:6], penalty, least) == []


def test_the_nile_has_one_break():
    """Cobb (1978): one break at index 28, means 1097.75 and 849.97."""
    flow = nile.load_pandas().data["volume"].to_numpy(float)
    (at,) = change_points(((flow - flow.mean()) / 125.0)[:, None], 3.0 * np.log(flow.size), 5)
    assert at == 28
    assert (flow[:28].mean(), flow[28:].mean()) == pytest.approx((1097.75, 849.97), abs=0.01)


PLAYED = ((300, 60.0, 15.0), (240, 42.0, 18.0), (360, 60.0, 15.0), (120, 110.0, 11.0))


def evening(parts=PLAYED, *, charge=None, memory=None, stutters=()):
    """A log of (seconds, fps, W) one after the other."""
    rng = np.random.default_rng(7)
    interval = np.concatenate([1000.0 / fps * np.exp(rng.normal(0, 0.05, int(s * fps))) for s, fps, _ in parts])
    for at in stutters:
        interval[int(at)] = 200.0
    watts = np.concatenate([np.full(s, w) for s, _, w in parts])
    trace = trace_of(interval)
    n = int(trace.seconds)
    seconds = np.arange(n, dtype=np.int64) * 1_000_000_000
    own = {"battery_w": watts[np.minimum(np.arange(n), watts.size - 1)] + rng.normal(0, 0.2, n)}
    own |= {"charge_share": np.linspace(*charge, n)} if charge else {}
    own |= {"memory_mb": np.linspace(*memory, n) + rng.normal(0, 20, n)} if memory else {}
    return replace(trace, channels={key: Channel(seconds, values) for key, values in own.items()})


def test_an_evening_of_known_scenes():
    found = read_evening(evening())
    starts = [one.start_s for one in found.stretches]
    assert len(starts) == 4 and np.abs(np.array(starts) - [0, 300, 540, 900]).max() <= 5
    assert [one.kind for one in found.stretches] == [0 if k == 1 else {0: 1, 2: 1, 3: 2}[k] for k in range(4)]
    heavy = found.sorts[0]
    assert (heavy.rate, heavy.draw_w) == pytest.approx((42.0, 18.0), rel=0.02) and heavy.mix == pytest.approx(
        0.235, abs=0.02
    )
    text = " ".join(render(one) for one in said_of(found, 100.0))
    assert "3 sorts" in text and "lighter than 88 %" not in text and "% of the evening is heavier" in text
    assert "lighter than 100 %" in " ".join(render(one) for one in said_of(found, 140.0))
    assert read_evening(evening(((60, 60.0, 15.0),))) is None


def test_memory_that_fills_and_stutters_by_charge():
    late = [20_000 + 400 * k for k in range(30)]
    found = read_evening(
        evening(((1200, 40.0, 15.0),), charge=(90.0, 30.0), memory=(4000.0, 6000.0), stutters=late), 8000.0
    )
    assert found.memory_full_min == pytest.approx(40.0, rel=0.05)
    counts = [round(band.stutters[0] * band.minutes) for band in found.bands]
    assert sum(counts) == 30 and counts[0] == 0
    for k, band in zip(counts, found.bands):
        low, high = stats.chi2.ppf(0.025, 2 * k) if k else 0.0, stats.chi2.ppf(0.975, 2 * k + 2)
        assert band.stutters[1:] == pytest.approx((low / 2 / band.minutes, high / 2 / band.minutes))


def test_what_was_played_becomes_scenes_with_their_share():
    title = Title("t", "T", scenes=(Scene("a", "A", length_s=60.0, mix=1.0),))
    made = with_scenes(title, read_evening(evening()))
    again = with_scenes(made, read_evening(evening()))
    assert [one.key for one in again.scenes] == ["a", "played-1", "played-2", "played-3"] and again.scenes[
        1
    ].role == "heaviest"
    assert sum(one.mix for one in made.scenes[1:]) == pytest.approx(1.0, abs=0.01)
    asked = replace(DEMO_QUESTION, scope=replace(DEMO_QUESTION.scope, scenes=("a",)))
    assert is_evening(evening(), title, asked) and not is_evening(evening(((60, 60.0, 15.0),)), title, asked)


def test_evening_by_evening_no_change_is_rarely_said_one():
    """At any of twelve looks, of 400 series; a change of four spreads is proven in most."""
    rng = np.random.default_rng(3)
    wrong = sum(shift_since(rng.normal(0, 1, 5), rng.normal(0, 1, 12)) is not None for _ in range(400))
    right = sum(shift_since(rng.normal(0, 1, 5), rng.normal(4, 1, 6)) is not None for _ in range(100))
    assert wrong <= 20 and right >= 90
    assert evidence([1.0, 2.0], [3.0]) == 1.0 and shift_since([], []) is None


def test_since_the_update_more_watts_without_a_sweep():
    made = []
    for number, watts in enumerate((18.0, 18.3, 17.9, 18.1, 19.4, 19.6, 19.3, 19.5)):
        versions = {"slot/driver": "26.2" if number < 4 else "26.3"}
        figures = PassFigures(values={"draw_w": watts, "mean_fps": 55.0 + 0.3 * (number % 3)})
        one = Counted(
            f"{number}", Point(static(15.0, None), versions=versions), static(15.0, None), figures, purpose="play"
        )
        made.append(Looked(one, counts=False))
    told = table.findings_of(Whole.of([], made, question=QUESTION, context=answer.Context()))
    (said,) = [one.evidence for one in told if one.id == "evenings-moved"]
    assert said.startswith("since driver 26.3 the draw of an evening is 1.1 to 1.6 W") and "4 evenings" in said


def test_a_small_case_of_the_benchmark():
    sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
    try:
        import evenings

        hits, there, false, hours = evenings.scores(2, 1301)
    finally:
        sys.path.pop(0)
    assert there > 15 and hits >= 0.85 * there and false <= 3 and hours == pytest.approx(1.0, abs=0.01)
