"""From `import-pass --set` through `answer --over` to the plot: caps, OS slots, an owner's own knob."""

import json
from dataclasses import replace

import numpy as np
import pytest
from click.testing import CliRunner
from helpers.build import wandering
from helpers.window import opened

from hovrik.cli import commands
from hovrik.core.facts.rig import OwnKnob
from hovrik.demo import scenario
from hovrik.service import library
from hovrik.store.notebook import Notebook


def run(*arguments):
    """The command line, in this process."""
    return CliRunner().invoke(commands, [str(a) for a in arguments])


@pytest.fixture
def empty(tmp_path):
    """The demo's rigs and titles with no passes, and a knob that the owner added."""
    path = tmp_path / "along.hovrik"
    with Notebook(path) as notebook:
        scenario.prepare(notebook)
        rig = library.rigs(notebook)["ombrel-8"]
        own = OwnKnob("window_mode", "Window mode", levels=("windowed", "whole screen"))
        library.save_rig(notebook, replace(rig, own_knobs=(own,)))
    return path


def bring(path, tmp_path, fps, *settings, seed=0, more=()):
    """Import a made-up log at a setup."""
    log = tmp_path / f"log-{seed}.csv"
    rows = ["frame time (ms)", *(f"{v:.4f}" for v in wandering(40, fps, wander=0.01, noise=0.02, seed=seed))]
    log.write_text("\n".join(rows) + "\n")
    given = [x for s in settings for x in ("--set", s)]
    done = run("import-pass", log, "--notebook", path, *given, *more, "--json")
    assert done.exit_code == 0, done.output


CASES = {
    "window_mode": [("windowed", 38.0), ("whole screen", 45.0)],
    "cap_fps": [("30", 29.9), ("45", 44.5), ("none", 48.0)],
    "boost": [("off", 43.0), ("on", 47.0)],
}


@pytest.mark.parametrize("factor", CASES)
def test_a_response_over_a_knob_from_the_command_line(factor, empty, tmp_path):
    for number, (level, fps) in enumerate(CASES[factor]):
        for k in range(3):
            bring(empty, tmp_path, fps, "limit_w=14", f"{factor}={level}", seed=10 * number + k)
    body = json.loads(run("answer", empty, "--over", factor, "--json").stdout)
    (one,) = body["responses"]
    assert body["over"] == factor == one["factor"]
    assert sorted(str(g["level"]) for g in one["groups"]) == sorted(
        str(float(level)) if level.isdigit() else level for level, _ in CASES[factor]
    )
    rates = {str(g["words"]): g["figures"]["mean_fps"]["value"] for g in one["groups"]}
    assert sorted(rates.values()) == pytest.approx(sorted(fps for _, fps in CASES[factor]), rel=0.02)
    assert body["setup"][factor] is not None and body["setup"]["peak_limit_w"] == 14.0
    apart = json.loads(run("answer", empty, "--json").stdout)["responses"]
    assert len(apart) == len(CASES[factor])  # along watts they are kept apart


def test_a_response_over_os_slots(empty, tmp_path):
    for number, (slot, fps) in enumerate((("sedge", 44.0), ("fennmark", 47.0))):
        for k in range(3):
            bring(empty, tmp_path, fps, "limit_w=14", seed=10 * number + k, more=("--slot", slot))
    done = run("answer", empty, "--over", "slot")
    assert done.exit_code == 0 and "holds 40" in done.stdout
    assert "at 2 levels of OS slot" in done.stdout


def test_a_factor_that_nothing_is_called(empty):
    done = run("answer", empty, "--over", "colour")
    assert done.exit_code == 1 and "Nothing is called colour" in done.output and "window_mode" in done.output


def test_the_window_reads_along_what_differs(empty, tmp_path, qtbot):
    for number, (level, fps) in enumerate(CASES["window_mode"]):
        for k in range(2):
            bring(empty, tmp_path, fps, "limit_w=14", f"window_mode={level}", seed=10 * number + k)
    with opened(empty, qtbot) as window:
        read = window.stage("Read")
        qtbot.waitUntil(lambda: read.along.count() == 2, timeout=60_000)
        assert read.along.itemText(1) == "Along: window mode" and read.response_choice.count() == 2
        read.along.setCurrentIndex(1)
        qtbot.waitUntil(lambda: window.session.evaluation.factor.id == "window_mode", timeout=60_000)
        assert np.allclose(read.rate.data["window_mode"], (0.0, 1.0)) and read.response_choice.count() == 1
        assert read.rate.read_out(0.1, 0).startswith("window mode whole screen")
        read.along.setCurrentIndex(0)
        qtbot.waitUntil(lambda: window.session.evaluation.factor.id == "limit_w", timeout=60_000)
