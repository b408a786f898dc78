"""One pass in full: telemetry on the same time, pictures of its intervals, stutters to jump to, a pass laid over it."""

from dataclasses import replace

import numpy as np
import pytest
from helpers.build import DEMO_QUESTION, trace_of, wandering
from helpers.window import click, opened

from hovrik.app.plots.pass_plots import ShownPlot
from hovrik.core.passes import heat
from hovrik.core.passes.frames import stutter_list, stutters
from hovrik.core.passes.heat import TimeConstants
from hovrik.service.imports import one as imports
from hovrik.store.files.read.frame_log import Imported
from hovrik.store.notebook import Notebook


def with_stutters(seconds=40):
    interval = wandering(seconds, 50.0, seed=3)
    interval[[400, 401, 900]] = (90.0, 80.0, 120.0)
    return interval


def test_stutters_one_by_one_are_those_that_are_counted():
    interval = with_stutters()
    found, whole = stutter_list(interval), stutters(interval)
    assert len(found) == whole.count == 2 and [one.frames for one in found] == [2, 1]
    assert found[0].at_s == pytest.approx(np.cumsum(interval)[399] / 1000) and found[1].longest_ms == 120.0
    assert sum(one.longest_ms for one in found) > 200 and stutter_list(interval[:300]) == []


def test_the_settle_fit_follows_the_temperature_it_was_fitted_to():
    seconds = np.arange(0.0, 120.0)
    celsius = 70.0 - 8.0 * np.exp(-seconds / 11.0) - 12.0 * np.exp(-seconds / 208.0)
    celsius[5] = np.nan
    fit = heat.settle_curve(seconds, celsius, TimeConstants(11.0, 208.0))
    assert np.isnan(fit[5]) and np.nanmax(np.abs(fit - celsius)) < 1e-9
    assert np.isnan(heat.settle_curve(seconds[:5], celsius[:5], TimeConstants(11.0, 208.0))).all()


def test_ticks_of_a_panel_are_told_apart(qtbot):
    plot = ShownPlot()
    qtbot.addWidget(plot)
    plot.show_shown(np.tile([16.7, 33.3], 50), "")
    assert plot.data["shown_ms"] == [16.7, 33.3] and plot.data["share_percent"] == [50.0, 50.0]


def test_a_pass_in_full(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        read = window.stage("Read")
        window.show_stage("Read")
        qtbot.waitUntil(lambda: window.session.evaluation is not None, timeout=20_000)
        views = window.session.evaluation.views
        window.session.select_pass(next(v.record.id for v in views if v.figures.frames))
        read.pages.show_page("Pass")
        page = read.one_pass
        qtbot.waitUntil(lambda: page.trace.data.get("interval_ms") is not None)
        page.channels.setCurrentIndex(page.channels.findData("C"))
        qtbot.waitUntil(lambda: "die_c" in page.under.data)
        assert "percentile / slowest-share mean / time-weighted" in page.lows.text()
        page.picture.setCurrentIndex(1)
        assert page.pictures.currentWidget() is page.percentiles
        fps = page.percentiles.data["fps"]
        assert fps == sorted(fps, reverse=True)
        page.other.setCurrentIndex(1)
        qtbot.waitUntil(lambda: "other_interval_ms" in page.trace.data)
        page.trace.looked_at.emit(12.0)
        assert page.under._cursor.value() == 12.0 == page.trace._cursor.value()
        page._loaded = replace(page._loaded, stutters=tuple(stutter_list(with_stutters())))
        page._list()
        page.stutters.itemActivated.emit(page.stutters.item(1))
        (left, right), _ = page.trace.getPlotItem().getViewBox().viewRange()
        assert left < float(page.stutters.item(1).text().split(" s:")[0]) < right and not page.scenes.isEnabled()


def test_an_evening_of_play_is_listed_and_kept_as_scenes(demo_copy, qtbot):
    with Notebook(demo_copy) as notebook:
        parts = [(400, 60.0), (300, 40.0)]
        interval = np.concatenate([wandering(s, fps, wander=0.01, seed=at) for at, (s, fps) in enumerate(parts)])
        trace = trace_of(interval, battery_w=15.0)
        told = imports.conditions_from(DEMO_QUESTION, {})
        setup = imports.setup_from({"limit_w": "14", "cap_fps": "40"}, imports.knobs_on_offer(notebook, DEMO_QUESTION))
        kept = imports.import_trace(notebook, DEMO_QUESTION, Imported(trace, trace.frames_ns, ()), setup, told)
        assert kept.purpose == "play"
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Read")
        qtbot.waitUntil(lambda: window.session.evaluation is not None, timeout=20_000)
        assert not next(v for v in window.session.evaluation.views if v.record.id == kept.id).counts
        window.session.select_pass(kept.id)
        window.stage("Read").pages.show_page("Pass")
        page = window.stage("Read").one_pass
        qtbot.waitUntil(lambda: page.scenes.isEnabled())
        texts = [page.stutters.item(at).text() for at in range(page.stutters.count())]
        assert "2 sorts of stretches" in texts[0] and texts[-1].endswith("(sort 1)")
        page.stutters.itemActivated.emit(page.stutters.item(page.stutters.count() - 1))
        click(page.scenes)
        scenes = window.session.title.scenes
        assert {(one.key, one.role) for one in scenes} >= {("played-1", "heaviest"), ("played-2", "typical")}
        window.session.undo_stack.undo()
        assert len(window.session.title.scenes) == len(scenes) - 2
