"""Sizes of a render that a panel shows well, and the rate of each, held against frames that last a + b x pixels."""

from dataclasses import replace
from types import SimpleNamespace

import pytest
from helpers.build import QUESTION, counted

from hovrik.core.facts.factor import of_knob
from hovrik.core.facts.known_knobs import known
from hovrik.core.facts.panel import BORDERS, UNEVEN, WHOLE, render_sizes
from hovrik.core.facts.rig import Panel, Rig
from hovrik.core.read import answer, response
from hovrik.core.read.answer import Context
from hovrik.core.words import render
from hovrik.service.gather import Evaluation
from hovrik.service.sizes import sizes_of, told

RIG = Rig("r", "R", resolution=(1280, 800), displays=(Panel("desk", 1920, 1080), Panel("unknown")))
FIXED, A_PIXEL = 6.0, 14.0  # ms of a frame of the whole panel


@pytest.mark.parametrize(
    ("panel", "wanted"),
    [
        ((1280, 800), {(1280, 800): WHOLE, (640, 400): WHOLE, (1280, 720): BORDERS, (960, 600): UNEVEN}),
        ((1920, 1080), {(1920, 1080): WHOLE, (960, 540): WHOLE, (640, 360): WHOLE, (1728, 1080): BORDERS}),
        ((3840, 2160), {(1920, 1080): WHOLE, (1280, 720): WHOLE, (960, 540): WHOLE}),
    ],
)
def test_sizes_of_a_panel(panel, wanted):
    found = {(one.width, one.height): one for one in render_sizes(panel)}
    assert {size: found[size].how for size in wanted} == wanted
    for (width, height), one in found.items():
        assert width <= panel[0] and height <= panel[1]
        if one.how == WHOLE:
            assert (width * one.times, height * one.times) == panel
        if one.how == BORDERS:
            assert one.border_px == max(panel[0] - width, panel[1] - height) // 2 > 0
    pixels = [one.pixels for one in render_sizes(panel)]
    assert pixels == sorted(pixels, reverse=True)


def evaluation(scales, cap="none"):
    """Passes at render scales of a frame that lasts a fixed time and one by its pixels."""
    passes = []
    for scale in scales:
        rate = 1000.0 / (FIXED + A_PIXEL * scale**2)
        for number in range(3):
            one = counted(15, 0.93 * rate, number, rate_fps=rate * (1 + 0.003 * (number - 1)), cap=cap)
            with_ = {"render_scale": scale}
            passes.append(replace(one, id=f"{scale}/{number}", asked=one.asked.with_(**with_),
                                  point=replace(one.point, setup=one.point.setup.with_(**with_))))  # fmt: skip
    read = response.read(passes, QUESTION, of_knob(known("render_scale")))
    views = tuple(SimpleNamespace(record=SimpleNamespace(id=one.id), counted=one) for one in passes)
    context = Context(RIG)
    return Evaluation(QUESTION, RIG, views, tuple(read), answer.build(read, QUESTION, context), context, None)


@pytest.mark.parametrize(("scales", "most"), [((1.0, 0.6), 0.03), ((0.6, 1.0), 0.03), ((1.0,), 0.25)])
def test_rate_of_each_size(scales, most):
    """Two scales tell how much grows with pixels; of one what is usual does, with a wide interval."""
    for row in sizes_of(RIG, evaluation(scales)):
        true = 1000.0 / (FIXED + A_PIXEL * row.size.pixels / (1280 * 800))
        assert row.rate.low <= true <= row.rate.high, (row.size, row.rate, true)
        if not row.display:
            assert row.rate.value == pytest.approx(true, rel=most)


def test_no_rate_where_a_cap_holds_it_or_nothing_is_known():
    capped = evaluation((1.0,), cap=50.0)
    assert all(row.rate is None for row in sizes_of(RIG, capped)) and all(row.rate is None for row in sizes_of(RIG))
    assert sizes_of(Rig("n", "N")) == []
    words = {render(told(row)) for row in sizes_of(RIG)}
    assert "pixel for pixel" in words and "evenly: 2 panel pixels a side for each" in words
    assert any("40 pixels dark on either side" in one for one in words)
