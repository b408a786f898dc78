"""The trade-off of two aims against moocore."""

import moocore
import numpy as np
import pytest

from hovrik.core.plan.front import hypervolume, improvements, unbeaten

REFERENCE = np.array([0.1, 0.2])


@pytest.mark.parametrize("seed", range(6))
def test_area_and_front_are_moocores(seed):
    rng = np.random.default_rng(seed)
    points = rng.uniform(0, 1, (int(rng.integers(1, 30)), 2)).round(1 if seed < 2 else 9)  # ties too
    assert hypervolume(points, REFERENCE) == pytest.approx(
        moocore.hypervolume(points, ref=REFERENCE, maximise=True), abs=1e-12
    )
    kept = np.zeros(len(points), bool)
    kept[unbeaten(points)] = True
    assert kept.tolist() == moocore.is_nondominated(points, maximise=True, keep_weakly=False).tolist()


def test_what_a_setup_adds_is_the_difference_of_areas():
    rng = np.random.default_rng(7)
    first, second = rng.uniform(0, 1, (5, 12)), rng.uniform(0, 1, (5, 12))
    counts = rng.random((5, 12)) < 0.7
    seen = np.array([0, 3, 5, 8])
    found = improvements(first, second, seen, counts, REFERENCE)
    for draw in range(5):
        own = [at for at in seen if counts[draw, at]]
        points = np.column_stack((first[draw], second[draw]))
        before = moocore.hypervolume(points[own], ref=REFERENCE, maximise=True) if own else 0.0
        for at in range(12):
            after = moocore.hypervolume(points[[*own, at]], ref=REFERENCE, maximise=True)
            assert found[draw, at] == pytest.approx(after - before if counts[draw, at] else 0.0, abs=1e-12)
    assert improvements(first, second, np.array([], int), counts, REFERENCE).shape == (5, 12)
