"""Nothing bad gets in: spoiled rows are left out and told, documents refused, odd files end in a told problem."""

import json
import os
import sys
from pathlib import Path

import pytest
from click.testing import CliRunner
from helpers.build import record_of, trace_of, wandering

from hovrik.cli import commands
from hovrik.core.errors import ImportRefused, Problem, Problems, count_left_out
from hovrik.service.remembered import design_of, question_of, remembered
from hovrik.store.files.read.frame_log import convert, guess
from hovrik.store.files.read.table import parse, read_table
from hovrik.store.files.write import profile as profile_file
from hovrik.store.notebook import Notebook
from hovrik.store.sound import json_of, setup_of

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
import fuzz

PROFILE = {
    "rig": "r", "slot": "s", "title": "t", "scene": "c", "source": "battery", "sentence": "x", "target_fps": 40,
    "holds": 0.9, "passes": ["a"], "setup": {"cap_fps": 40},
    "metrics": {"hours": {"value": 2.0, "low": 1.0, "high": 3.0, "unit": "h"}},
}  # fmt: skip


def test_flipped_bits_are_told_or_change_nothing():
    """benchmarks/fuzz.py does 500 files."""
    told, same, silent = fuzz.flips(12, seed=7)
    assert told and same and silent == []


def test_spoiled_rows_and_documents_are_told_and_nothing_else():
    """benchmarks/fuzz.py does 10,000."""
    assert fuzz.main(15, seed=7) == []


@pytest.mark.parametrize(
    "text",
    ["[", "NaN", '{"a": Infinity}', '{"a": 1e999}', '"\\ud800"', '{"a": 99999999999999999999}', "[" * 100_000,
     '["' + "x" * 5000 + '"]', "[" * 50 + "]" * 50],
)  # fmt: skip
def test_plain_values_that_cannot_be(text):
    with pytest.raises(ValueError):
        json_of(text)


def test_a_setup_holds_words_and_numbers_only():
    assert setup_of('{"cap_fps": 40, "boost": "on"}')["cap_fps"] == 40
    for spoiled in ("[]", '{"a": []}', '{"a": true}', '{"a": null}'):
        with pytest.raises(ValueError):
            setup_of(spoiled)


def test_a_notebook_with_spoiled_rows_opens_and_names_them(tmp_path):
    path = tmp_path / "n.hovrik"
    with Notebook(path) as notebook:
        context = {kind: notebook.note(kind, kind, {"name": kind, "key": kind}) for kind in ("slot", "title", "scene")}
        context["rig"] = notebook.note("rig", "rig", {"name": "rig", "key": "rig"})
        for name in ("good", "bad", "worse"):
            notebook.keep(record_of(trace_of(wandering(5)), context=context, id=name))
        with notebook.writing() as connection:
            connection.execute("DROP TRIGGER pass_no_update")
            connection.execute("UPDATE pass SET asked = '[1]' WHERE id = 'bad'")
            connection.execute("UPDATE pass SET conditions = '{\"room_c\": 5}' WHERE id = 'worse'")
        notebook.set_state("question", {"kind": "lowest-watts", "terms": 4})
        notebook.set_state("design", {"from_w": "x", "to_w": 4, "step_w": 1})
    with Notebook(path) as notebook:
        assert [record.id for record in notebook.passes()] == ["good"]
        assert {row for _, row in notebook.spoiled} == {"bad", "worse"}
        assert "a table is needed" in notebook.spoiled["pass", "bad"].fault
        found = remembered(notebook)
        assert (found.question, found.design) == (None, None) and len(found.faults) == 2


@pytest.mark.parametrize(
    "change",
    [{"terms": {"floor": {"value": "x"}}}, {"terms": {"sure": 7}}, {"place": {"rigs": [1]}}, {"terms": {"price": None}},
     {"terms": {"floor": {"value": -1}}}, {"terms": {"floor": {"value": 40, "tolerance": 3}}}],
)  # fmt: skip
def test_a_question_that_cannot_be_is_none(change):
    with pytest.raises((ValueError, TypeError)):
        question_of({"kind": "lowest-watts", "version": 1, **change})
    with pytest.raises((ValueError, TypeError)):
        design_of({"from_w": 1e10, "to_w": 2, "step_w": 1})


@pytest.mark.parametrize(
    "change",
    [{"sentence": "x" * 3_000_000}, {"kept_at": 1e30}, {"kept_at": "now"}, {"names": {"rig": 4}}, {"firmware": 9},
     {"metrics": {"hours": {"value": 2, "low": "a", "high": 3, "unit": "h"}}}, {"title": "\ud800"}, {"reasons": "no"},
     {"setup": {"cap_fps": []}}, {"passes": None}],
    ids=str,
)  # fmt: skip
def test_a_profile_that_cannot_be_shown_is_named(change):
    assert profile_file.problems_of(PROFILE) == []
    assert profile_file.problems_of({**PROFILE, **change})


def test_only_files_are_read(tmp_path):
    pipe = tmp_path / "pipe.csv"
    os.mkfifo(pipe)
    for path in (pipe, Path("/dev/zero"), tmp_path):
        with pytest.raises(ImportRefused, match="is no file"):
            read_table(path)
        with pytest.raises(ImportRefused, match="is no file"):
            profile_file.read(path)


def test_problems_are_counted_not_listed_without_end():
    found = Problems([Problem(None, "encoding", "odd")])
    for number in range(5000):
        found.append(Problem(number, "short line", "1 fields instead of 2: line left out"))
    assert len(found.told()) == 1002 and count_left_out(found.told()) == 5000
    assert found.told()[-1].text == "4,000 more: short line, left out"


def test_millions_of_blank_lines_and_columns_end_in_a_told_problem():
    table = parse(b"frame time ms\n" + b"\n" * 2_000_000 + b"20\n21\n20\n" * 20, "x")
    made = convert(table, guess(table))
    assert made.trace.frames_ns.size == 61 and len(made.problems) < 1100
    assert count_left_out(made.problems) == 2_000_000
    with pytest.raises(ImportRefused, match="columns; up to 1000 are read"):
        parse((",".join(["1"] * 50_000) + "\n").encode() * 3, "x")


def test_cells_that_a_spreadsheet_would_run_stand_behind_a_quote(tmp_path):
    path = tmp_path / "n.hovrik"
    fuzz.base(tmp_path).rename(path)
    with Notebook(path) as notebook:
        record = notebook.load(notebook.passes()[1].id)
        conditions = dict(record.conditions)
        conditions["note"] = conditions["source"].__class__("=1+1", conditions["source"].provenance)
        notebook.keep(
            record.__class__(**{**record.__dict__, "id": "=cmd", "conditions": conditions, "recording": None})
        )
    said = CliRunner().invoke(commands, ["passes", str(path), "--csv"]).output
    assert "'=1+1" in said and "'=cmd" in said and ",=1+1" not in said
    assert json.loads(CliRunner().invoke(commands, ["passes", str(path), "--json"]).output)["passes"]


@pytest.mark.parametrize("value", [-1, 0, -1e308, 1e308])
@pytest.mark.parametrize("name", ["cap_fps", "sustained_limit_w"])
def test_a_limit_or_a_cap_of_nothing_is_not_sound(name, value):
    with pytest.raises(ValueError, match="must be over 0"):
        setup_of(json.dumps({name: value}))
