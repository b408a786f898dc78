"""Likeness of stills: against scikit-image, refused where they are not of one spot, and of the set-ups of a title."""

from dataclasses import replace

import numpy as np
import pytest
from scipy import ndimage
from skimage.metrics import structural_similarity

from hovrik.core.errors import InputError
from hovrik.core.facts.setup import Setup
from hovrik.core.facts.title import Scene, SetUp, Title
from hovrik.core.read.picture import MOST_PX, likeness, luma
from hovrik.core.stats.estimate import Estimate
from hovrik.core.words import render
from hovrik.demo.drawn import cellar
from hovrik.service.pictures import Looks, set_up_of, told

MIDDLE = slice(150, 450), slice(240, 720)  # of a drawn still, which is quicker
BEST = luma(cellar(4, 1.0))[MIDDLE]


@pytest.mark.parametrize("drawn", [(4, 0.8, True), (3, 1.0, True), (2, 0.6, False)])
def test_similarity_is_that_of_a_library(drawn):
    other = luma(cellar(drawn[0], drawn[1], shadows=drawn[2]))[MIDDLE]
    wanted = structural_similarity(
        BEST, other, gaussian_weights=True, sigma=1.5, use_sample_covariance=False, data_range=1.0
    )
    found = likeness(BEST, other)
    assert found.value == pytest.approx(wanted, abs=1e-12) and found.low < found.value < found.high


def test_a_smaller_still_is_enlarged_and_the_same_is_one():
    assert likeness(BEST, BEST).value == pytest.approx(1.0)
    half = ndimage.zoom(BEST, 0.5, grid_mode=True, mode="nearest")
    assert 0.5 < likeness(BEST, half).value < 0.95 and likeness(half, BEST).value < 0.95


BAD = {
    "moved by about 7": lambda: np.roll(BEST, 7, 1),
    "do not fit": lambda: luma(cellar(4, 1.0, seed=5))[MIDDLE][::-1],
    "too plain": lambda: np.full(BEST.shape, 0.4),
    "sides differ": lambda: BEST[:, :350],
    "cannot be compared": lambda: BEST[:40, :64],
    "million in all": lambda: np.broadcast_to(BEST[:1, :1], (3001, MOST_PX // 3000)),
}


@pytest.mark.parametrize("words", BAD)
def test_what_cannot_be_compared_is_refused(words):
    with pytest.raises(InputError, match=words):
        likeness(BEST, BAD[words]())


def test_a_shift_of_half_a_pixel_by_an_upscaler_is_none():
    moved = ndimage.shift(BEST, (0.0, 0.5), order=1, mode="nearest")
    assert likeness(BEST, moved).value > 0.8
    with pytest.raises(InputError):
        likeness(BEST, np.roll(BEST, 1, 0))


TITLE = Title("t", "T", preset="medium", scenes=(Scene("s", "S"),), set_ups=(
    SetUp("ultra", preset="high", scale=1.0), SetUp("high", preset="high"), SetUp("medium", preset="medium"),
))  # fmt: skip


@pytest.mark.parametrize(
    ("setup", "name"),
    [({"preset": "high"}, "ultra"), ({"preset": "high", "render_scale": 0.8}, "high"), ({"cap_fps": 40}, "medium"),
     ({"preset": "low"}, None), ({"preset": "high", "render_scale": 1.0}, "ultra")],
)  # fmt: skip
def test_set_up_that_a_pass_was_made_at(setup, name):
    found = set_up_of(TITLE, Setup(setup))
    assert (found.name if found else None) == name
    assert set_up_of(replace(TITLE, preset=None), Setup({})) is None


def test_what_is_said_of_set_ups():
    like = lambda low, high: Estimate((low + high) / 2, low, high)  # noqa: E731
    assert "add screenshots" in render(told("", [])[0]) and "Only high" in render(told("high", [])[0])
    rows = [Looks("medium", like(0.7, 0.74), 2), Looks("low", like(0.8, 0.86), 1), Looks("poor", None, 0, ("why",)),
            Looks("else", None, 0)]  # fmt: skip
    said = [render(one) for one in told("high", rows)]
    assert said[0].startswith("medium looks 70 to 74 % like high (2 pairs") and said[2] == "poor: why"
    assert "no scene" in said[3] and "low looks more like high than medium" in said[4] and len(said) == 5
