"""The command line: one JSON document on stdout, messages on stderr, exit 0 / 1 / 2, no toolkit needed."""

import csv
import io
import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from helpers.build import copy_notebook, wandering

from hovrik.cli import commands

BLOCK = (
    "import sys; sys.modules['PyQt6'] = None; sys.modules['pyqtgraph'] = None; from hovrik.__main__ import main; main()"
)


def run(*arguments):
    """A command inside this process."""
    return CliRunner().invoke(commands, [str(a) for a in arguments])


def blocked(*arguments):
    """A command in a process that cannot import the toolkit."""
    return subprocess.run(
        [sys.executable, "-c", BLOCK, *map(str, arguments)], capture_output=True, text=True, env=os.environ
    )


@pytest.fixture
def log(tmp_path):
    """A frame log."""
    path = tmp_path / "log.csv"
    interval = wandering(60, 42)
    rows = ["frame time (ms),package power (mW)", *(f"{v:.4f},14800" for v in interval)]
    path.write_text("\n".join(rows) + "\n")
    return path


def test_frames_against_numpy(log):
    done = run("frames", log, "--target", "40", "--json")
    body = json.loads(done.stdout)
    t = np.loadtxt(log, delimiter=",", skiprows=1, usecols=0)
    assert set(body) == {
        "frames", "seconds", "mean_fps", "min_fps", "low_1pct_fps", "low_0_1pct_fps", "median_ms", "p95_ms", "p99_ms",
        "stutters", "stutter_seconds", "steady_share", "missed_share", "intervals_95", "problems",
    }  # fmt: skip
    assert body["frames"] == t.size and body["mean_fps"] == pytest.approx(1000 / t.mean(), rel=1e-6)
    assert body["low_1pct_fps"]["percentile"] == pytest.approx(1000 / np.quantile(t, 0.99), rel=1e-6)
    assert body["low_1pct_fps"]["slowest_mean"] == pytest.approx(
        1000 / np.sort(t)[-int(np.ceil(t.size / 100)) :].mean()
    )
    assert [body[k] for k in ("median_ms", "p95_ms", "p99_ms")] == pytest.approx(
        np.quantile(t, (0.5, 0.95, 0.99)), rel=1e-6
    )
    assert body["missed_share"] == pytest.approx(np.mean(t > 37.5))
    low, high = body["intervals_95"]["mean_fps"]
    assert low < body["mean_fps"] < high and body["problems"] == []


def test_frames_without_target_withholds_what_needs_one(log):
    body = json.loads(run("frames", log, "--json").stdout)
    assert body["steady_share"] is None and body["missed_share"] is None


def test_short_files_withhold_lows_and_intervals(tmp_path):
    path = tmp_path / "short.csv"
    path.write_text("frame time ms\n" + "20\n" * 50)
    body = json.loads(run("frames", path, "--json").stdout)
    assert body["low_1pct_fps"] == {"percentile": None, "slowest_mean": None, "time_weighted": None}
    assert body["intervals_95"] == {"mean_fps": None, "low_1pct_fps_percentile": None}


def test_frames_in_words_tells_problems_on_stderr(tmp_path):
    path = tmp_path / "odd.csv"
    path.write_text("frame time ms\n" + "20\n" * 200 + "-3\n\n" + "20\n" * 10)
    done = run("frames", path)
    assert done.exit_code == 0 and "line 202" in done.stderr and "line 203" in done.stderr
    assert "mean_fps" in done.stdout and "line" not in done.stdout


@pytest.mark.parametrize(
    ("arguments", "code", "words"),
    [
        (["frames", "none.csv"], 1, "cannot be read"), (["frames"], 2, "Missing argument"),
        (["frames", "LOG", "--unit", "hours"], 2, "Invalid value"),
        (["frames", "LOG", "--target", "0"], 2, "Invalid value"),
        (["frames", "LOG", "--column", "no such"], 1, "The file has: frame time (ms)"),
        (["answer", "none.hovrik"], 1, "does not exist"),
        (["passes", "none.hovrik", "--json", "--csv"], 2, "choose --json or --csv"),
        (["demo", "--headless"], 2, "needs --out"),
        (["import-pass", "--notebook", "n.hovrik"], 2, "give FILE or --summary"),
        (["import-pass", "LOG", "--notebook", "n.hovrik", "--set", "15"], 2, "takes NAME=VALUE"),
        (["import-pass", "LOG", "--notebook", "n.hovrik", "--set", "sustained_limit_w=x"], 1, "is not a number"),
        (["import-pass", "LOG", "--notebook", "n.hovrik"], 1, "holds no question yet"),
        (["no-such"], 2, "No such command"),
    ],
)  # fmt: skip
def test_exit_codes(arguments, code, words, log, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    done = run(*[log if a == "LOG" else a for a in arguments])
    assert done.exit_code == code and words in done.stderr and done.stdout == ""


@pytest.mark.parametrize("target", ["nan", "inf", "1e400", "1e9", "-1", "0", "x"])
@pytest.mark.parametrize("command", ["answer", "frames"])
def test_a_target_that_compares_with_nothing_is_wrong_usage(command, target, log, tmp_path):
    done = run(command, log, "--target", target)
    assert done.exit_code == 2 and "--target" in done.stderr and done.stdout == ""


def test_values_that_cannot_be_kept_are_told(demo, log):
    before = run("passes", demo, "--json").stdout
    for options in (
        ("--set", "sustained_limit_w=nan"), ("--set", "static_limit_w=inf"), ("--set", "boost=1e400"),
        ("--condition", "room_c=nan"), ("--condition", "room_c=-inf"), ("--summary", "mean_fps=nan"),
        ("--set", "boost=\udcff"), ("--condition", "\udcff=1"), ("--rig", "\udcff"), ("--map", "die_c=\udcff"),
    ):  # fmt: skip
        files = [] if options[0] == "--summary" else [log]
        done = run("import-pass", *files, "--notebook", demo, *options)
        assert done.exit_code == 1 and done.stderr.startswith("hovrik: "), options
        assert not isinstance(done.exception, ValueError)
    assert run("passes", demo, "--json").stdout == before


@pytest.mark.parametrize("command", [("frames", "LOG"), ("answer", "DEMO", "--json"), ("passes", "DEMO", "--csv")])
def test_output_that_cannot_be_written_is_told(command, demo, log):
    arguments = [{"LOG": log, "DEMO": demo}.get(one, one) for one in command]
    with Path("/dev/full").open("w") as full:
        done = subprocess.run(
            [sys.executable, "-m", "hovrik", *map(str, arguments)], stdout=full, stderr=subprocess.PIPE, text=True
        )
    assert done.returncode == 1 and "cannot be read or written (No space left" in done.stderr
    assert "Traceback" not in done.stderr


def test_column_by_number_and_unit(log):
    by_name = run("frames", log, "--column", "frame time (ms)", "--json").stdout
    assert run("frames", log, "--column", "1", "--unit", "ms", "--json").stdout == by_name
    in_s = json.loads(run("frames", log, "--column", "1", "--unit", "s", "--json").stdout)
    assert in_s["mean_fps"] == pytest.approx(json.loads(by_name)["mean_fps"] / 1000, rel=1e-6)


def test_everything_runs_with_the_toolkit_blocked(log, tmp_path):
    notebook = tmp_path / "demo.hovrik"
    made = blocked("demo", "--headless", "--out", notebook, "--seed", "3")
    assert made.returncode == 0 and "37/37" in made.stderr and made.stdout == ""
    answer = json.loads(blocked("answer", notebook, "--json").stdout)
    assert set(answer) == {
        "sentence", "holds", "setup", "level", "metrics", "marks", "reasons", "missing", "over", "section", "since",
        "responses",
        "spoiled",
    }  # fmt: skip
    assert answer["setup"]["sustained_limit_w"] in (12.0, 13.0, 14.0) and answer["holds"] >= 0.95
    rows = json.loads(blocked("passes", notebook, "--json").stdout)["passes"]
    assert len(rows) == 37 and {"id", "verdict", "setup", "conditions", "metrics"} <= set(rows[0])
    added = blocked("import-pass", log, "--notebook", notebook, "--set", "sustained_limit_w=15", "--json")
    assert added.returncode == 0 and json.loads(added.stdout)["problems"] == []
    assert blocked("frames", log, "--json").returncode == 0


@pytest.fixture
def demo(demo_notebook, tmp_path):
    """A demo notebook of one's own."""
    return copy_notebook(demo_notebook, tmp_path)


def test_answer_in_words(demo):
    done = run("answer", demo)
    assert done.stdout.startswith("13 W, cap 40: holds 40 (1 % low, percentile,")
    assert "passes count" in done.stdout


def test_answer_to_another_question(demo):
    body = json.loads(run("answer", demo, "--json", "--target", "60").stdout)
    assert body["setup"] is None and "Nothing tried holds 60" in body["sentence"]
    other = json.loads(run("answer", demo, "--json", "--scene", "market").stdout)
    assert other["holds"] is None and other["missing"]


def test_passes_as_csv(demo):
    rows = list(csv.DictReader(io.StringIO(run("passes", demo, "--csv").stdout)))
    assert len(rows) == 37 and float(rows[5]["mean_fps"]) > 20 and rows[5]["source"] == "battery"
    assert len(run("passes", demo).stdout.splitlines()) == 37


def test_import_with_mapping_conditions_and_a_bad_line(demo, log):
    log.write_text(log.read_text() + "-5,14800\n")
    done = run(
        "import-pass", log, "--notebook", demo, "--set", "sustained_limit_w=15", "--set", "cap_fps=none",
        "--condition", "room_c=21", "--map", "package_w=package power (mW):mW", "--column", "frame time (ms)",
    )  # fmt: skip
    assert done.exit_code == 0 and "is not positive" in done.stderr
    rows = {r["id"]: r for r in json.loads(run("passes", demo, "--json").stdout)["passes"]}
    row = rows[done.stdout.strip()]
    assert row["origin"] == "imported" and row["conditions"]["room_c"]["value"] == 21.0
    assert row["metrics"]["package_w"] == pytest.approx(14.8) and row["setup"]["cap_fps"] == "none"


def test_the_same_file_is_imported_once(demo, log, tmp_path):
    renamed = tmp_path / "another name.csv"
    renamed.write_bytes(log.read_bytes())
    first = run("import-pass", log, "--notebook", demo, "--set", "sustained_limit_w=15")
    again = run("import-pass", renamed, "--notebook", demo, "--set", "sustained_limit_w=15")
    assert first.exit_code == 0 and again.exit_code == 1
    assert "in the notebook already; nothing was imported" in again.stderr
    ids = {r["id"] for r in json.loads(run("passes", demo, "--json").stdout)["passes"]}
    assert first.stdout.strip() in ids and len(ids) == 38


@pytest.mark.parametrize(
    ("mapping", "words"),
    [("none=1", "no known channel"), ("package_w=no such", "no column"), ("package_w=2:V", "Choose one of")],
)
def test_mappings_that_cannot_be(demo, log, mapping, words):
    done = run("import-pass", log, "--notebook", demo, "--set", "sustained_limit_w=15", "--map", mapping)
    assert done.exit_code == 1 and words in done.stderr


def test_summary_import(demo):
    done = run(
        "import-pass", "--notebook", demo, "--set", "sustained_limit_w=15", "--summary", "mean_fps=51",
        "--summary", "source=review", "--json",
    )  # fmt: skip
    assert done.exit_code == 0 and json.loads(done.stdout)["id"]
    refused = run("import-pass", "--notebook", demo, "--summary", "mean_fps=51")
    assert refused.exit_code == 1 and "source is needed" in refused.stderr


def test_telemetry_beside_a_log(demo, log, tmp_path):
    sensors = tmp_path / "sensors.csv"
    sensors.write_text("time (s),wall power (W)\n" + "\n".join(f"{n},{30 + n % 2}" for n in range(60)))
    done = run("import-pass", log, "--notebook", demo, "--telemetry", sensors, "--begin", "1", "--json")
    assert "begins 1.0 s after the first frame, by your word" in done.stderr
    rows = {r["id"]: r for r in json.loads(run("passes", demo, "--json").stdout)["passes"]}
    row = rows[json.loads(done.stdout)["id"]]
    assert row["metrics"]["wall_w"] == pytest.approx(30.5, abs=0.6)
    assert row["conditions"]["telemetry"]["value"] == "sensors.csv, by given"
    unfit = run("import-pass", log, "--notebook", demo, "--telemetry", sensors)
    assert unfit.exit_code == 1 and "align by time stamps" in unfit.stderr.lower()


def test_module_and_file_arguments(tmp_path):
    done = subprocess.run([sys.executable, "-m", "hovrik", "--version"], capture_output=True, text=True)
    assert done.returncode == 0 and "hovrik" in done.stdout
    bad = tmp_path / "x.hovrik"
    bad.write_bytes(b"nonsense" * 100)
    opened = subprocess.run([sys.executable, "-m", "hovrik", str(bad)], capture_output=True, text=True)
    assert opened.returncode == 1 and "Nothing was changed" in opened.stderr


def test_options_documented():
    text = (Path(__file__).parents[2] / "docs" / "command-line.md").read_text()
    for command in commands.commands.values():
        assert f"hovrik {command.name}" in text
        for option in command.params:
            for name in option.opts:
                assert not name.startswith("--") or name in text, name


def test_a_log_with_marks_gives_a_pass_for_each(demo, tmp_path):
    path = tmp_path / "marked.csv"
    rows = [f"{24 + n % 2},{'one' if n < 600 else '' if n < 700 else 'two'}" for n in range(1400)]
    path.write_text("frame time (ms),mark\n" + "\n".join(rows))
    done = run("import-pass", path, "--notebook", demo, "--json")
    ids = json.loads(done.stdout)["ids"]
    rows = {r["id"]: r for r in json.loads(run("passes", demo, "--json").stdout)["passes"]}
    assert [rows[i]["conditions"]["log"]["value"] for i in ids] == [
        "marked.csv, part 1 of 2: one", "marked.csv, part 2 of 2: two",
    ]  # fmt: skip
