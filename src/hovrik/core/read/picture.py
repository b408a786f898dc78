"""How alike two stills of one spot are: the structural similarity of their luma.

(Z. Wang and others, Image quality assessment: from error visibility to structural similarity, 2004; Gaussian window of
1.5 pixels.) Stills that are not of the same spot to two thirds of a pixel are refused: what moved would count as what
differs. How many pixels were really rendered is not told from spectra: a render that flickers at edges has them of a
finer one (of drawn stills at .5 to .9 of the pixels a side, .70 to .96 came out, surely).
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from scipy import fft, ndimage

from ..errors import InputError
from ..stats.estimate import Estimate, half_width

Array = NDArray[np.float64]

SIGMA, K1, K2 = 1.5, 0.01, 0.03
EDGE = 5  # pixels at the rim, where the window is not whole
TILES = 4  # a side, by which stills are laid over each other, and by which errors are told
MOST_PX, LEAST_PX = 9_000_000, 64  # of a still, a little more than 3840 x 2160; of a side
SAME_ASPECT = 0.01
COARSE = 4.0  # pixels; what is coarser is left out where stills are laid over each other
PLAIN = 0.004  # sd of what is finer, under which a tile tells nothing
APART_PX, ALIKE, OF_TILES = 0.67, 0.35, 0.7  # of a tile: off at most; correlated at least; share of tiles


def luma(rgb: NDArray[np.uint8]) -> Array:
    """(h, w) luma 0..1 of (h, w, 3) gamma-coded colours, by Rec. ITU-R BT.709."""
    found: Array = rgb[..., :3].astype(np.float64) @ np.array([0.2126, 0.7152, 0.0722]) / 255.0
    return found


def likeness(better: Array, other: Array) -> Estimate:
    """Of two stills (h, w), luma 0..1, 1 for the same picture, with its interval over parts of them; the smaller one is
    enlarged. Raises InputError where they cannot be compared."""
    better, other = _of_one_size(better, other)
    _refuse_what_moved(better, other)
    found = structure(better, other)[EDGE:-EDGE, EDGE:-EDGE]
    parts = np.array([tile.mean() for tile in _tiles(found)])
    half, value = half_width(parts), float(found.mean())
    return Estimate(value, value - half, min(value + half, 1.0))


def structure(a: Array, b: Array) -> Array:
    """(h, w) structural similarity of two pictures at every pixel."""
    blur = lambda image: ndimage.gaussian_filter(image, SIGMA, truncate=3.5)  # noqa: E731
    mean_a, mean_b = blur(a), blur(b)
    var_a, var_b = blur(a * a) - mean_a**2, blur(b * b) - mean_b**2
    both = blur(a * b) - mean_a * mean_b
    c1, c2 = K1**2, K2**2
    found: Array = ((2 * mean_a * mean_b + c1) * (2 * both + c2)) / (
        (mean_a**2 + mean_b**2 + c1) * (var_a + var_b + c2)
    )
    return found


def _of_one_size(a: Array, b: Array) -> tuple[Array, Array]:
    for one in (a, b):
        if one.size > MOST_PX or min(one.shape) < LEAST_PX:
            most = f"{MOST_PX / 1e6:.0f} million in all, or save them smaller"
            raise InputError(f"A still of {one.shape[1]} x {one.shape[0]} pixels cannot be compared. "
                             f"Take one of {LEAST_PX} pixels a side to {most}.")  # fmt: skip
    if abs(math.log(a.shape[1] / a.shape[0] * b.shape[0] / b.shape[1])) > SAME_ASPECT:
        raise InputError(f"The stills are {a.shape[1]} x {a.shape[0]} and {b.shape[1]} x {b.shape[0]} pixels: their "
                         "sides differ. Take both of the whole picture.")  # fmt: skip
    to = max(a.shape, b.shape)
    resized = [
        one if one.shape == to else ndimage.zoom(one, (to[0] / one.shape[0], to[1] / one.shape[1]), mode="nearest",
                                                 grid_mode=True) for one in (a, b)
    ]  # fmt: skip
    return resized[0], resized[1]


def _tiles(image: Array) -> list[Array]:
    return [tile for row in np.array_split(image, TILES) for tile in np.array_split(row, TILES, axis=1)]


def _refuse_what_moved(a: Array, b: Array) -> None:
    fine = [one - ndimage.gaussian_filter(one, COARSE) for one in (a, b)]
    pairs = [pair for pair in zip(*map(_tiles, fine)) if min(float(tile.std()) for tile in pair) > PLAIN]
    if len(pairs) < TILES:
        raise InputError("The stills are too plain to be laid over each other. Take them where there is more to see.")
    found = [_offset(*pair) for pair in pairs]
    there = [math.hypot(down, right) <= APART_PX and peak >= ALIKE for down, right, peak in found]
    if sum(there) >= OF_TILES * len(there):
        return
    middle = [float(np.median([one[axis] for one in found])) for axis in (0, 1)]
    as_one = [math.dist(one[:2], middle) <= 1.0 and one[2] >= ALIKE for one in found]
    how = "do not fit on each other"
    if sum(as_one) >= OF_TILES * len(as_one):
        how = f"moved by about {math.hypot(*middle):.0f} pixels"
    raise InputError(f"The stills are not of the same spot: they {how}. Stand still, pause, and take both there.")


def _offset(a: Array, b: Array) -> tuple[float, float, float]:
    """(down, right, correlation) at which two tiles fit best, pixels."""
    window = np.outer(np.hanning(a.shape[0]), np.hanning(a.shape[1]))
    own, other = ((one - one.mean()) * window for one in (a, b))
    power = math.sqrt(float((own**2).sum() * (other**2).sum()))
    found = fft.irfft2(np.conj(fft.rfft2(own)) * fft.rfft2(other), s=own.shape) / max(power, 1e-12)
    at = np.unravel_index(int(np.argmax(found)), found.shape)
    ends = []
    for axis in (0, 1):
        before, middle, after = (
            float(found[tuple((at[k] + (step if k == axis else 0)) % found.shape[k] for k in (0, 1))])
            for step in (-1, 0, 1)
        )
        bend = before - 2 * middle + after
        place = int(at[axis]) + (0.5 * (before - after) / bend if bend < 0 else 0.0)
        ends.append(place - found.shape[axis] if place > found.shape[axis] / 2 else place)
    return ends[0], ends[1], float(found.max())
