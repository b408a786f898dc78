"""Curves: NIST StRD (STD), SciPy's isotonic regression and SciPy's default search, which falls into the trap (LIB)."""

import warnings

import numpy as np
import pytest
from helpers.build import nist
from scipy import optimize

from hovrik.core.errors import InputError
from hovrik.core.stats import curve

BOXBOD = (2.1380940889e02, 5.4723748542e-01, 1.1680088766e03, 1.2354515176e01, 1.0455993237e-01)
MISRA1A = (2.3894212918e02, 5.5015643181e-04, 1.2455138894e-01, 2.7070075241e00, 7.2668688436e-06)


@pytest.mark.parametrize(
    ("name", "certified", "start"),
    [
        ("BoxBOD", BOXBOD, (1, 1)), ("BoxBOD", BOXBOD, (100, 0.75)), ("Misra1a", MISRA1A, (500, 1e-4)),
        ("Misra1a", MISRA1A, (250, 5e-4)),
    ],
)  # fmt: skip
def test_nist_to_six_digits_from_both_starts(name, certified, start):
    x, y = nist(name)
    found = curve.fit_saturating(x, y, x0=0.0, start=start)
    assert (found.a, found.b) == pytest.approx(certified[:2], rel=1e-6)
    assert found.rss == pytest.approx(certified[2], rel=1e-8)
    assert found.errors[:2] == pytest.approx(certified[3:], rel=1e-4)


def test_the_silent_failure_is_caught():
    """SciPy's default search from BoxBOD's first start returns nonsense without an error; ours does not."""
    x, y = nist("BoxBOD")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        trapped, _ = optimize.curve_fit(lambda x, a, b: a * (1 - np.exp(-b * x)), x, y, p0=(1, 1))
    assert trapped == pytest.approx((172.5, 110.9), rel=0.5) and abs(trapped[1] - BOXBOD[1]) > 1
    assert curve.fit_saturating(x, y, x0=0.0, start=tuple(trapped)).restarted
    assert curve.fit_saturating(x, y, x0=0.0, start=tuple(trapped)).b == pytest.approx(BOXBOD[1], rel=1e-6)


def test_three_parameters_are_recovered():
    x = np.arange(6.0, 26)
    y = 62 * (1 - np.exp(-0.17 * (x - 2.5)))
    found = curve.fit_saturating(x, y)
    assert (found.a, found.b, found.x0) == pytest.approx((62, 0.17, 2.5), rel=1e-6)
    assert found.slope(10.0) == pytest.approx((found.at(10.001) - found.at(9.999)) / 0.002, rel=1e-5)


def test_segmented_line_is_recovered_wherever_the_knot_lies():
    x = np.arange(7.0, 20)
    for knot in (11.0, 12.37, 15.5):
        y = 20 + 2.5 * x - 2.1 * np.maximum(0, x - knot)
        found = curve.fit_segmented(x, y)
        assert (found.knot, found.c1, found.c2) == pytest.approx((knot, 2.5, -2.1), rel=1e-6)
        assert found.slope(9.0) == pytest.approx(2.5) and found.slope(19.0) == pytest.approx(0.4)


@pytest.mark.parametrize("seed", range(5))
def test_isotonic_against_scipy(seed):
    rng = np.random.default_rng(seed)
    y, weight = rng.normal(np.arange(15) * 0.3, 1.0), rng.uniform(0.2, 3, 15)
    assert curve.isotonic(y, weight) == pytest.approx(optimize.isotonic_regression(y, weights=weight).x)
    both = curve.isotonic(np.stack([y, -y]), weight)
    assert both[1] == pytest.approx(optimize.isotonic_regression(-y, weights=weight).x)


def test_corrected_aic_only_where_it_may():
    assert curve.corrected_aic(1.0, 5, 4) == np.inf
    assert curve.corrected_aic(10.0, 10, 4) == pytest.approx(10 * np.log(1) + 8 + 40 / 5)


def test_choosing_a_family():
    x = np.arange(6.0, 24)
    rng = np.random.default_rng(0)
    bent = 60 * (1 - np.exp(-0.2 * (x - 2))) + rng.normal(0, 0.2, x.size)
    kinked = np.minimum(5 + 3.2 * x, 44) + rng.normal(0, 0.05, x.size)
    assert isinstance(curve.choose(x, bent).curve, curve.Saturating)
    assert isinstance(curve.choose(x, kinked).curve, curve.Segmented)
    steps = np.repeat([20.0, 30, 41], 6)
    assert curve.choose(x, steps).family == "monotone"
    assert curve.choose(x[:2], bent[:2]).curve is None


@pytest.mark.parametrize("fit", [curve.fit_saturating, curve.fit_segmented])
def test_too_few_levels(fit):
    with pytest.raises(InputError):
        fit(np.array([1.0, 2]), np.array([1.0, 2]))
