"""How much of a frame grows with its pixels: from two sets of passes that differ in what is rendered."""

from __future__ import annotations

import math

from ..facts.knob import is_number
from ..facts.rig import Rig
from ..facts.setup import Setup
from ..stats.estimate import Estimate
from .contrast import Contrast

BUILT_IN = "built-in"
LEAST_APART = 0.1  # of the pixels: less tells nothing


def pixels_of(setup: Setup, rig: Rig | None) -> float | None:
    """Pixels that are rendered at a setup: those of the display in use times the square of the render scale; with no
    display known, of one pixel. None where a display is named of which nothing is noted."""
    scale, display = setup.get("render_scale", 1.0), setup.get("display")
    panel: tuple[int, int] | None = rig.resolution if rig is not None else None
    if display not in (None, BUILT_IN):
        named = next((one for one in rig.displays if one.name == display), None) if rig is not None else None
        panel = (named.width, named.height) if named is not None and named.width and named.height else None
        if panel is None:
            return None
    base = float(panel[0] * panel[1]) if panel is not None else 1.0
    return base * float(scale) ** 2 if is_number(scale) and scale is not None else None


def grows_share(longer: float, less: float) -> float:
    """Share of a frame of the larger picture that grows with its pixels. longer : log of its time over that of the
    smaller one; less : pixels of the smaller over those of the larger."""
    return -math.expm1(-longer) / (1.0 - less)


def scaling_share(rates: Contrast, pixels: tuple[float, float]) -> Estimate | None:
    """Percent of the time of a frame of the larger picture that grows with its pixels, with its 95 % interval.

    rates : mean rates, A less B, on the log scale; pixels : of A and of B. A frame is taken to last a + b x pixels; so
    it does where one thing limits both sides, and the share is that of the larger one. None where the passes contradict
    that: a share below nothing or above the whole.
    """
    more, few = max(pixels), min(pixels)
    if few <= 0 or few / more > 1.0 - LEAST_APART or rates.percent is None:
        return None
    sign = 1.0 if pixels[0] == more else -1.0  # log time of the larger less that of the smaller is -sign x delta
    ends = sorted(-sign * math.log1p(percent / 100.0) for percent in rates.percent[1:])
    low, value, high = (100.0 * grows_share(longer, few / more) for longer in (ends[0], -sign * rates.delta, ends[1]))
    if low > 100.0 or high < 0.0:
        return None
    value, low, high = (min(max(one, 0.0), 100.0) for one in (value, low, high))
    return Estimate(value, low, high, "%", rates.n)
