"""Plots as data: extremes never lost, what is drawn is what was measured, copying, themes."""

import threading
import weakref

import numpy as np
import pytest
from helpers.build import QUESTION, counted, ladder_passes, of_figures
from PyQt6.QtWidgets import QApplication

from hovrik.app.plots.live import LiveTraces
from hovrik.app.plots.pyramid import Pyramid
from hovrik.app.plots.response_plot import RatePlot, WorthPlot, gain_of, per_watt_of, points_of
from hovrik.app.plots.schedule_plot import SchedulePlot
from hovrik.app.plots.trace import DistributionPlot, FrameTracePlot
from hovrik.app.start import make_application
from hovrik.app.theme import tokens
from hovrik.bench.protocol import Sample
from hovrik.core.facts.factor import of_knob
from hovrik.core.facts.knob import Knob, Order
from hovrik.core.facts.rig import Rig
from hovrik.core.facts.setup import static
from hovrik.core.passes.trace import Channel
from hovrik.core.plan.ahead import Ahead
from hovrik.core.plan.grid import LadderDesign, ordered_passes
from hovrik.core.read import marks, response
from hovrik.core.read.residuals import expected_at

TRUTH = {w: 60 * (1 - np.exp(-0.16 * (w - 2))) for w in range(8, 16)}


@pytest.fixture(autouse=True)
def application(qapp):
    make_application()


@pytest.fixture
def one():
    """A ladder of 8 limits."""
    return response.read(ladder_passes(TRUTH, sd=0.004), QUESTION)[0]


@pytest.mark.parametrize("n", [2, 7, 8, 9, 63, 64, 65, 1000, 12_345])
def test_pyramid_covers_every_extreme_at_every_zoom(n):
    rng = np.random.default_rng(n)
    y = rng.normal(20, 1, n)
    x = np.cumsum(np.abs(y)) / 1000
    pyramid = Pyramid(x, y)
    for _ in range(30):
        a, b = np.sort(rng.integers(0, n, 2))
        _, drawn = pyramid.between(x[a], x[b], 100)
        assert drawn.max() >= y[a : b + 1].max() and drawn.min() <= y[a : b + 1].min()
        assert drawn.size <= 100 * 8 + 20


def test_a_single_spike_in_a_million_is_drawn_at_every_zoom():
    rng = np.random.default_rng(1)
    y = 16.7 * np.exp(rng.normal(0, 0.05, 1_000_000))
    y[612_345] = 200.0
    x = np.cumsum(y) / 1000
    plot = FrameTracePlot()
    plot.resize(900, 300)
    plot.show_trace(x, y, 16.7)
    width, at = x[-1], x[612_345]
    while width > 0.05:
        plot.setXRange(max(at - 0.3 * width, 0), at + 0.7 * width, padding=0)
        assert max(plot.data["interval_ms"]) == 200.0 and len(plot.data["interval_ms"]) < 20_000
        width /= 1.8
    plot.setXRange(at + 1, at + 20, padding=0)
    assert max(plot.data["interval_ms"]) < 100


def test_trace_reads_out_and_hints():
    plot = FrameTracePlot()
    plot.show_trace(np.array([0.02, 0.04, 0.09]), np.array([20.0, 20, 50]), None)
    assert plot.read_out(0.08, 0) == "0.09 s: 50.00 ms"
    plot.show_trace(np.empty(0), np.empty(0), None)
    assert plot.read_out(0, 0) == "" and plot.data == {}


def test_points_are_the_levels_estimates(one):
    points = points_of(one, "mean_fps")
    estimates = [level.rate.estimate() for level in one.groups]
    assert points.at == tuple(TRUTH) and points.values == tuple(e.value for e in estimates)
    assert points.lows == tuple(e.low for e in estimates) and points.highs == tuple(e.high for e in estimates)


def test_gain_of_the_next_watt_is_the_difference_a_watt_of_draw(one):
    middle, gain = gain_of(one)
    rates, draws = (np.array(points_of(one, name).values) for name in ("mean_fps", "draw_w"))
    halves = [w + 0.5 for w in range(8, 15)]
    assert set(halves) <= set(middle.tolist())
    assert np.interp(halves, middle, gain) == pytest.approx(np.diff(rates) / np.diff(draws), rel=0.15, abs=0.2)


def test_frames_per_watt_divide_by_the_draw(one):
    kind, points = per_watt_of(one)
    assert kind == "draw"
    draws = points_of(one, "draw_w").values
    assert points.values == pytest.approx(np.array(points_of(one, "mean_fps").values) / draws, rel=1e-9)
    assert all(low < v < high for low, v, high in zip(points.lows, points.values, points.highs))


def test_rate_plot_draws_its_data_and_reads_out(one, qtbot):
    plot = RatePlot()
    qtbot.addWidget(plot)
    found = marks.find(one, QUESTION)
    plot.show_response(one, found, QUESTION.floor, "1 % low (percentile)", 12.0)
    assert list(plot.data["limit_w"]) == list(TRUTH)
    assert plot.read_out(11.9, 0).startswith("12 W, 3 passes\nrate")
    between, (rate, _) = plot.read_out(11.4, 0), expected_at(one, 11.4)
    assert "between levels: expected" in between
    assert one.group(11).rate.value < rate.low < rate.value < rate.high < one.group(12).rate.value
    assert plot.read_out(19.0, 0) == "nothing is said of 19 W:\nmeasured from 8 W to 15 W"
    assert expected_at(one, 15.5) is None and expected_at(one, 12.0) is None
    text = plot.data_text().splitlines()
    assert text[0].split("\t")[:2] == ["limit_w", "mean_fps"] and len(text) == 9
    plot.copy_data()
    assert QApplication.clipboard().text() == plot.data_text()
    plot.copy_image()
    assert not QApplication.clipboard().pixmap().isNull()
    plot.show_response(None, (), None, "", None)
    assert plot.data == {} and plot.read_out(1, 1) == ""


def test_levels_that_are_words_stand_beside_each_other(qtbot):
    """An owner's own knob: ticks with its words, no curve, no gain."""
    knob = Knob("window_mode", "Window mode", levels=("windowed", "whole screen"), order=Order.WORDS)
    passes = []
    for level, low in (("windowed", 36.0), ("whole screen", 42.0)):
        for k in range(3):
            one = counted(12, low * (1 + 0.002 * k), k)
            passes.append(of_figures(f"{level}{k}", static(12).with_(window_mode=level), one.figures))
    (found,) = response.read(passes, QUESTION, of_knob(knob))
    plot = RatePlot()
    qtbot.addWidget(plot)
    plot.show_response(found, (), QUESTION.floor, "low", None)
    assert plot.data["window_mode"] == (0.0, 1.0) and plot.read_out(0.9, 0).startswith("window mode windowed")
    assert found.groups[0].level == "whole screen" and gain_of(found)[0].size == 0
    worth = WorthPlot()
    qtbot.addWidget(worth)
    worth.show_response(found, 1.0)
    assert worth.data["gain_at_w"] == []


def test_worth_plot_names_its_watts(one, qtbot):
    plot = WorthPlot()
    qtbot.addWidget(plot)
    plot.show_response(one, 1.0)
    assert "fps_per_w_draw" in plot.data and "fps per W" in plot.read_out(10, 0)


def test_distribution_keeps_every_frame():
    plot = DistributionPlot()
    interval = np.concatenate((np.full(990, 20.0), np.full(10, 400.0)))
    plot.show_intervals(interval, [(20.0, "median")])
    assert sum(plot.data["share_percent"]) == pytest.approx(100)
    assert plot.read_out(20.0, 0).endswith("%")


def test_live_traces_append_and_restart():
    live = LiveTraces()
    live.start(60)
    stamps = np.arange(1, 51, dtype=np.int64) * 20_000_000
    channel = Channel(stamps[::10], np.full(5, 12.0))
    live.add(Sample(stamps, {"package_w": channel}))
    live.add(Sample(stamps + 1_000_000_000, {}))
    live.draw()
    assert live.interval.data["interval"] == pytest.approx(20.0) and len(live.interval.data["interval"]) == 99
    assert live.watts.data["package_w"].tolist() == [12.0] * 5
    live.add(Sample(stamps, {"gpu_mhz": Channel(stamps[::10], np.full(5, 900.0))}))
    live.draw()
    assert live.clocks.data == {}  # not asked for
    live.show_clocks(True)
    assert live.clocks.data["gpu_mhz"].tolist() == [900.0] * 5
    live.start(60)
    assert live.interval.data == live.clocks.data == {}


def test_ranges_move_in_steps():
    live = LiveTraces()
    live.start(60)
    plot = live.watts
    plot.show_values("package_w", np.array([1.0, 2.0]), np.array([11.0, 12.0]))
    first = plot.plotItem.vb.viewRange()[1]
    plot.show_values("package_w", np.array([1.0, 2.0]), np.array([11.0, 12.4]))
    assert plot.plotItem.vb.viewRange()[1] == first == pytest.approx([10.0, 15.0], abs=0.2)


def test_charge_and_die_over_a_plan():
    plot = SchedulePlot()
    passes = ordered_passes(LadderDesign(10, 12, 1, 40.0, repeats=1), Rig("r", "R", 5, 25))
    minutes = np.array([0.0, 1.0, 2.0])
    lines = Ahead(minutes, np.array([1.0, 0.9, 0.8]), minutes, np.array([30.0, 50.0, 60.0]))
    plot.show_passes(passes, (), 0.0, None, lines, (0.51, 1.0))
    assert plot.data["charge_percent"] == [100, 90, 80] and plot.data["die_c"] == [30, 50, 60]
    assert plot.read_out(1.5, 4.0) == "minute 2, charge 85 %, die 55 C, predicted" and len(plot.data["pass"]) == 3
    plot.show_passes(passes, (), 0.0, None, Ahead(minutes, np.empty(0), np.empty(0), np.empty(0)))
    assert "charge_percent" not in plot.data and plot.read_out(1.5, 4.0) == ""


def luminance(colour):
    """Relative luminance by WCAG 2 (from memory)."""
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


@pytest.mark.parametrize("theme", [tokens.LIGHT, tokens.DARK], ids=lambda t: t.name)
def test_text_has_enough_contrast(theme):
    pairs = [
        (ink, ground)
        for ink in (theme.ink, theme.soft, theme.good, theme.warn, theme.bad)
        for ground in (theme.paper, theme.sheet)
    ]
    pairs += [(theme.accent_ink, theme.accent), (theme.ink, theme.wash), (theme.warn, theme.wash)]
    for ink, ground in pairs:
        a, b = sorted((luminance(ink), luminance(ground)), reverse=True)
        assert (a + 0.05) / (b + 0.05) >= 4.5, (ink, ground)
    for quantity, colour in theme.data.items():
        a, b = sorted((luminance(colour), luminance(theme.sheet)), reverse=True)
        assert (a + 0.05) / (b + 0.05) >= 2.6, quantity


def test_a_theme_change_redraws(one, qtbot):
    plot = RatePlot()
    qtbot.addWidget(plot)
    plot.show_response(one, (), QUESTION.floor, "low", None)
    tokens.apply(QApplication.instance(), tokens.DARK)
    assert plot.backgroundBrush().color().name().upper() == tokens.DARK.sheet
    tokens.apply(QApplication.instance(), tokens.LIGHT)
    assert plot.backgroundBrush().color().name().upper() == tokens.LIGHT.sheet


def test_only_the_event_loop_collects_what_windows_leave(qtbot):
    """Elsewhere the collector would free a closed plot on another thread, or while Qt asks it for its bounds."""

    class Knot:
        pass

    def leave():
        knots = [Knot() for _ in range(5000)]
        for knot in knots:
            knot.itself = knot
        left.append(weakref.ref(knots[0]))

    left = []
    worker = threading.Thread(target=lambda: [leave() for _ in range(30)])
    worker.start()
    worker.join()
    assert left[0]() is not None
    qtbot.waitUntil(lambda: left[0]() is None, timeout=60_000)
