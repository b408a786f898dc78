"""A small fast case of the gates that pass, the arithmetic of the table, and the list of what is known to be red."""

import re
from pathlib import Path

import numpy as np
import pytest
from gates import bounds, confounded, marks, mutants, score, table
from gates.program import Asked
from gates.score import Score
from gates.table import Bounds
from scipy import stats

PAGE = (Path(__file__).parents[2] / "docs" / "gates.md").read_text(encoding="utf-8")


@pytest.fixture(scope="module")
def scores():
    """A sweep each of two plants whose physics the program does not share: slopes, no cap."""
    found = []
    for truth in score.truths("reporting"):
        if truth.plant.kind in ("power", "warm") and truth.plant.index == 0:
            found += list(score.plain(truth, 1))
    return found


def shares(scores, gate, cell):
    """Share of hits over some sweeps."""
    return table.share([one for one in scores if one.gate == gate and one.cell == cell])[0]


def test_stated_answers_hold_on_plain_slopes(scores):
    for n in (2, 3, 5):
        assert shares(scores, "stated", f"holds, n {n}, step 2 % or more") == 1.0
        assert shares(scores, "stated", f"within a step, n {n}, step 2 % or more") >= 0.8


@pytest.mark.parametrize("figure", ["mean_fps", "draw_w"])
def test_means_are_covered_and_no_wider_than_need_be(scores, figure):
    assert 0.85 <= shares(scores, "coverage", f"{figure}, n 3") <= 1.0
    assert table.median([one for one in scores if one.gate == "width" and one.cell == f"{figure}, n 3"])[0] < 1.6


def test_a_floor_on_the_truth_is_not_said_to_be_held(scores):
    assert shares(scores, "floor", "slope, n 3, over 95 %") <= 1 / 2


def test_every_row_is_made_and_says_what_it_wants(scores):
    rows = [row for gate in ("floor", "coverage", "stated", "probability", "marks", "more", "clean")
            for row in getattr(bounds, gate)(scores)]  # fmt: skip
    assert len(rows) > 300 and {row.verdict for row in rows} <= {"pass", "FAIL", "too few", "printed"}
    assert table.text(rows).count("\n") == len(rows)


def test_shares_widen_by_what_a_sweep_has_in_common():
    """Exact (Clopper and Pearson, SciPy) where levels are independent; a sweep's levels that agree count as one."""
    alone = [Score("g", "c", "w", str(i), float(i < 90), 1.0) for i in range(100)]
    measured, interval, n = table.share(alone)
    exact = stats.binomtest(90, 100).proportion_ci(0.99, method="exact")
    assert (measured, n) == (0.9, 100) and interval == pytest.approx((exact.low, exact.high), abs=0.005)
    together = [Score("g", "c", "w", str(i), 10.0 * (i < 9), 10.0) for i in range(10)]
    wide = table.share(together)[1]
    assert wide[1] - wide[0] > 2 * (interval[1] - interval[0])


@pytest.mark.parametrize(
    ("bounds_", "interval", "n", "verdict"),
    [
        (Bounds(high=0.06, fewest=100), (0.02, 0.09), 200, "pass"), (Bounds(high=0.06), (0.07, 0.2), 9, "FAIL"),
        (Bounds(high=0.06, fewest=100), (0.02, 0.09), 50, "too few"),
        (Bounds(high=0.06, fewest=100, total=True), (0.05, 0.09), 200, "FAIL"),
        (Bounds(low=0.9, high=0.99), (0.5, 0.89), 10, "FAIL"), (Bounds(), (0.5, 0.9), 10, "printed"),
    ],
)  # fmt: skip
def test_verdicts(bounds_, interval, n, verdict):
    assert bounds_.verdict(sum(interval) / 2, interval, n) == verdict


def test_marks_of_a_known_curve():
    """r = 60 (1 - exp(-(x - 4) / 6)), draw 6 + x: closed forms and SciPy-free arithmetic on a fine grid."""
    x = np.linspace(8, 40, 3201)
    rate = 60 * (1 - np.exp(-(x - 4) / 6))
    found = marks.of_curves(x, rate, 0.9 * rate, 6 + x, 45.0, 1.0)
    assert found["first_playable"] == pytest.approx(4 - 6 * np.log(1 - 50 / 60), abs=0.02)
    assert found["last_paying"] == pytest.approx(4 + 6 * np.log(10), abs=0.03)
    top = rate[-1]
    assert found["ceiling"] == pytest.approx(4 - 6 * np.log(1 - 0.98 * top / 60), abs=0.02)
    at = found["best_per_watt"]
    assert 10 * np.exp(-(at - 4) / 6) * (6 + at) == pytest.approx(60 * (1 - np.exp(-(at - 4) / 6)), rel=0.01)


def test_a_cap_is_asked_for_as_it_is_and_a_floor_falls_inside_the_ladder():
    for truth in score.truths("reporting"):
        asked = Asked(truth.plant.floor_fps)
        low = truth.means["low_fps"]
        assert low[0] < asked.floor_fps <= low.max() * 1.001, truth.plant.name
        if truth.exact is not None:
            assert truth.plant.cap_fps == truth.plant.floor_fps


def test_sixty_mutants_of_few_kinds_that_still_apply():
    kinds = [mutant.kind for mutant in mutants.MUTANTS]
    assert len(kinds) == 60 and max(kinds.count(kind) for kind in kinds) <= 6
    assert sum(mutant.slight for mutant in mutants.MUTANTS) >= 40
    core = Path(mutants.ROOT) / "src" / "hovrik" / "core"
    assert [m.old for m in mutants.MUTANTS if (core / m.file).read_text(encoding="utf-8").count(m.old) != 1] == []


def test_forty_differences_of_which_none_is_told_twice():
    names = [difference.name for difference in confounded.DIFFERENCES]
    assert len(set(names)) == len(names) == 40


# gates whose totals are red in docs/gates.md: mended by later work, and taken off here then
KNOWN_RED = {"coverage", "marks", "probability"}


def test_what_is_red_is_known():
    red = set(re.findall(r"^\| (\S+) \|.*\*\*FAIL\*\* \|$", PAGE, re.MULTILINE))
    assert red == KNOWN_RED
