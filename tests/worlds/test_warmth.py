"""Where temperatures settle, from ordinary passes alone, on plants that share nothing with what is fitted."""

import math

import numpy as np
import pytest
from kinds.cases import FAMILIES
from kinds.world import GrownMachine, grown
from scipy.integrate import solve_ivp
from warmth import of_plants

from hovrik.core.model.heat_network import Warmed, fit
from hovrik.core.passes.purpose import HEAT
from hovrik.service import sweeps
from hovrik.store.notebook import Notebook


def test_settled_temperatures_are_covered():
    """Eight passes of a minute: nearly every interval holds the truth, and nine of ten are narrow enough to be told."""
    rows, seconds = of_plants(6, 1, 8)
    told = [row for row in rows if row.said.is_told]
    assert len(told) >= 0.7 * len(rows)
    assert np.mean([row.hit for row in told]) >= 0.9
    assert np.mean([1.96 * row.said.se_c for row in told if not row.is_shell]) < 3.0
    assert seconds < 5.0


def test_one_pass_says_at_least():
    rows, _ = of_plants(12, 1, 1)
    dies = [row for row in rows if not row.is_shell]
    assert not any(row.said.is_told for row in dies)
    assert np.mean([row.true_c >= row.said.least_c for row in dies]) >= 0.9


def five_nodes(seconds, watts, room):
    """A chain of five nodes under a steady fan, by SciPy's solver: (die, shell) every second, and where it settles."""
    g, c = np.array([2.5, 4.0, 1.2, 0.5]), np.array([6.0, 20.0, 60.0, 150.0, 300.0])
    out = np.array([0.0, 0.0, 0.9, 0.0, 0.35])
    matrix = np.diag(-out)
    for at, each in enumerate(g):
        for i, j in ((at, at + 1), (at + 1, at)):
            matrix[i, j] += each
            matrix[i, i] -= each
    heat = lambda t: np.array([watts[min(int(t), len(watts) - 1)], 0, 0, 0, 0]) + out * room  # noqa: E731
    found = solve_ivp(
        lambda t, y: (matrix @ y + heat(t)) / c, (0, seconds), np.full(5, room), t_eval=np.arange(1, seconds + 1),
        max_step=1.0,
    )  # fmt: skip
    return found.y[0], found.y[4], lambda w: np.linalg.solve(-matrix, np.array([w, 0, 0, 0, 0]) + out * room)


def test_against_a_solver():
    """Five nodes by a solver, steps of power every minute and a half: settled within the interval at each of them."""
    watts = np.repeat([8.0, 20.0, 14.0, 24.0, 11.0, 17.0, 23.0, 9.0], 90)
    die, shell, settled = five_nodes(watts.size, watts, 22.0)
    rng = np.random.default_rng(3)
    made = Warmed(
        0.0, 22.0, watts, np.zeros(watts.size), die + rng.normal(0, 0.3, die.size),
        shell + rng.normal(0, 0.1, die.size), np.full(watts.size, 3000.0),
    )  # fmt: skip
    network = fit([made])
    levels = (8.0, 14.0, 20.0, 24.0)
    again = fit([made], known=network.estimate)  # a fit that was kept says the same, and all at once what each alone
    assert again.settled(levels, (0.0,) * 4, (22.0,) * 4) == [network.settled([w], [0.0], [22.0])[0] for w in levels]
    for level in levels:
        ((found, outer),) = network.settled([level], [0.0], [22.0])
        true = settled(level)
        assert found.value_c == pytest.approx(true[0], abs=1.96 * found.se_c) and found.is_told
        assert outer is not None and outer.value_c == pytest.approx(true[4], abs=1.96 * outer.se_c)


def test_nothing_to_fit():
    blank = np.full(60, np.nan)
    assert fit([]) is None
    assert fit([Warmed(0.0, 22.0, np.full(60, 15.0), blank, blank, blank, blank)]) is None


def test_with_a_heat_pass_they_are_surer():
    """The same passes with a heat pass of a quarter of an hour before them: more are told, and not wider."""
    alone, _ = of_plants(5, 1, 8)
    both, seconds = of_plants(5, 1, 8, 900.0)
    told = [row for row in both if row.said.is_told]
    assert len(told) >= 0.9 * len(both) and all(row.said.is_told for row in both if not row.is_shell)
    assert np.mean([row.hit for row in told]) >= 0.9
    halves = [np.mean([row.said.se_c for row in rows if not row.is_shell]) for rows in (alone, both)]
    assert halves[1] <= 1.05 * halves[0] and seconds < 6.0


def test_a_sweep_uses_its_heat_pass_and_its_ordinary_ones(tmp_path):
    """Told at every level, to 3 C, with the truth inside."""
    plant = grown(FAMILIES[0], 0, free=True)
    request = sweeps.Request(floor=plant.floor_fps, limit_die_c=200.0)
    with Notebook(tmp_path / "n.hovrik") as notebook:
        found = sweeps.sweep(GrownMachine(plant, 9), request, notebook).evaluation
    assert any(view.record.purpose == HEAT for view in found.views)
    groups = [group for one in found.responses for group in one.groups]
    assert len(groups) >= 3
    for group in groups:
        die, watts = group.means["die_c"], math.exp(group.means["package_w"].mean)
        assert 2.0 * die.se <= 3.0
        assert min(abs(true - die.mean) for true, _ in plant.settled(watts)) <= 2.0 * die.se
