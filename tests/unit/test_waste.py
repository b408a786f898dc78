"""Where the watts go: only measured pairs are told apart, and the lines add up. Coverage: benchmarks/waste.py."""

import sys
from pathlib import Path

import numpy as np
import pytest
from helpers.build import of_figures

from hovrik.core.facts.setup import static
from hovrik.core.passes import energy
from hovrik.core.passes.figures import PassFigures
from hovrik.core.read.waste import waste_of
from hovrik.core.stats.estimate import Estimate
from hovrik.core.words import render

BASE = static(15.0, 90.0).with_(boost="on", refresh_hz=120.0)


def passes(name, setup, package_w, rate=90.0, beside_w=6.0, n=3):
    rng = np.random.default_rng(len(name))
    made = []
    for number in range(n):
        noise = np.exp(0.004 * rng.standard_normal(2))
        values = {
            "mean_fps": rate * noise[0],
            "package_w": package_w,
            "draw_w": (beside_w + package_w / 0.92) * noise[1],
        }
        made.append(of_figures(f"{name}/{number}", setup, PassFigures(values=values)))
    return made


OWN = passes("own", BASE, 15.0)
OTHERS = [
    *passes("boost", BASE.with_(boost="off"), 11.0), *passes("60", BASE.with_(cap_fps=60.0), 13.0, 60.0),
    *passes("30", BASE.with_(cap_fps=30.0), 8.0, 30.0), *passes("hz", BASE.with_(refresh_hz=60.0), 15.0, beside_w=5.2),
    *passes("slow", BASE.with_(smt="off"), 8.0, 70.0),
    *passes("both", BASE.with_(boost="off", cap_fps=60.0), 9.0, 60.0),
    *passes("limit", static(12.0, 90.0).with_(boost="on", refresh_hz=120.0), 12.0, 84.0),
]  # fmt: skip


def seen(own=OWN, others=OTHERS, **kwargs):
    every = [*own, *others]
    line = energy.fit_overhead(
        *(np.array([one.figures.values[key] for one in every]) for key in ("package_w", "draw_w"))
    )
    return waste_of(own, every, line, **kwargs)


def test_each_line_is_a_measured_pair_and_all_add_up():
    found = seen(floor_fps=45.0)
    told = {one.id: one for one in found.parts}
    assert list(told) == ["boost", "over-cap", "refresh_hz", "loss", "standing", "rest"]
    for key, watts in (("boost", 4.0 / 0.92), ("over-cap", 2.0 / 0.92), ("refresh_hz", 0.8)):
        assert told[key].watts.low <= watts <= told[key].watts.high
    assert render(told["over-cap"].what) == "frames over 60"  # a cap under the floor saves nothing that is to be saved
    assert render(told["boost"].saves) == "boost off" and len(told["boost"].pair) == 6
    assert sum(one.watts.value for one in found.parts) == pytest.approx(found.draw.value)
    assert found.draw.value == pytest.approx(6.0 + 15.0 / 0.92, rel=0.01)


def test_minutes_are_those_that_a_charge_lasts_longer():
    found = seen(hours=lambda draw: Estimate(40.0 / draw.value, None, None))
    boost = next(one for one in found.parts if one.id == "boost")
    now = found.draw.value
    assert boost.minutes == pytest.approx(60 * 40 * (1 / (now - boost.watts.value) - 1 / now))


def test_without_pairs_or_line_nothing_is_told_apart():
    alone = waste_of(OWN, OWN, None)
    assert [one.id for one in alone.parts] == ["rest"] and alone.parts[0].watts.value == pytest.approx(alone.draw.value)
    without = [of_figures("x", BASE, PassFigures(values={"mean_fps": 90.0}))]
    assert waste_of(without, OTHERS, None) is None


def test_a_small_case_of_the_benchmark():
    sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
    try:
        import waste

        rows = waste.cases(0, 2, 3)
    finally:
        sys.path.pop(0)
    assert {name for name, *_ in rows} >= {"adds up", "standing", "loss", "over-cap"}
    assert sum(hit for _, hit, _ in rows) >= 0.8 * len(rows)
