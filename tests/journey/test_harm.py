"""What must never happen to a machine, a file or an answer, and how it is told; each fell before it was mended."""

import json
import sqlite3
import subprocess
import sys

import pytest
from helpers.build import DEMO_QUESTION, left
from helpers.window import at_rest, button_named, click, opened
from PyQt6.QtWidgets import QMessageBox

from hovrik.app import evaluate_worker
from hovrik.core.errors import NotOurs, StoreError
from hovrik.core.facts.knob import LIMITS
from hovrik.core.facts.setup import Snapshot, static
from hovrik.core.finding import State
from hovrik.demo import scenario
from hovrik.disk.folders import data_folder
from hovrik.disk.writing import FileKind, write_text
from hovrik.service import holds, library, machines
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.store import sealed
from hovrik.store.notebook import Notebook


def hovrik(*arguments):
    command = [sys.executable, "-P", "-m", "hovrik", *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True, timeout=120, check=False)


def damage_a_series(path):
    """Flip a bit in what one pass recorded; its id."""
    with sqlite3.connect(path) as raw:
        raw.execute("DROP TRIGGER series_no_update")
        ((seq, data, owner),) = raw.execute(
            "SELECT series.seq, series.data, pass.id FROM series JOIN pass USING (recording_id) "
            "WHERE series.data IS NOT NULL AND purpose = 'sweep' ORDER BY series.seq LIMIT 1"
        ).fetchall()
        spoiled = bytearray(data)
        spoiled[len(data) // 2] ^= 4
        raw.execute("UPDATE series SET data = ? WHERE seq = ?", (bytes(spoiled), seq))
        raw.execute(
            "CREATE TRIGGER series_no_update BEFORE UPDATE ON series BEGIN SELECT RAISE(ABORT, 'series are "
            "append-only'); END"
        )
    raw.close()
    return owner


def test_a_pass_whose_series_is_damaged_is_void_whatever_was_cached(demo_copy):
    with Notebook(demo_copy) as notebook:
        before = evaluate(notebook, DEMO_QUESTION)
    owner = damage_a_series(demo_copy)
    with Notebook(demo_copy) as notebook:
        found = evaluate(notebook, DEMO_QUESTION)
        (view,) = [one for one in found.views if one.record.id == owner]
        assert view.verdict.state is State.VOID and not view.counts and not view.figures.values
        assert found.context.counted == before.context.counted - 1
        assert [(one.table, one.row) for one in found.spoiled] == [("pass", owner)]


def test_command_line_and_report_tell_of_damage(demo_copy, tmp_path):
    owner = damage_a_series(demo_copy)
    told = hovrik("answer", demo_copy, "--json")
    assert told.returncode == 3 and "1 row cannot be read" in told.stderr
    (spoiled,) = json.loads(told.stdout)["spoiled"]
    assert spoiled["row"] == owner and json.loads(told.stdout)["sentence"]
    assert hovrik("passes", demo_copy).returncode == 3
    page = tmp_path / "r.html"
    assert hovrik("report", demo_copy, "--out", page).returncode == 3
    assert "What of the notebook cannot be read" in page.read_text() and owner[:8] in page.read_text()


def test_until_all_is_looked_through_the_answer_says_so(demo_copy, qtbot, monkeypatch):
    monkeypatch.setattr(evaluate_worker, "MOST_AT_ONCE", 5)
    owner, said = damage_a_series(demo_copy), []
    with opened(demo_copy, qtbot, evaluated=False) as window:
        window.evaluator.evaluated.connect(said.append)
        qtbot.waitUntil(lambda: len(said) == 2, timeout=60_000)
        first, second = said
        assert first.unchecked == 37 and any("looked through for damage" in one for one in first.answer.reasons)
        assert second.unchecked == 0 and not any("looked through" in one for one in second.answer.reasons)
        assert owner[:8] in window.banner.text.text()


def test_what_is_remembered_by_a_later_version_is_told_and_not_read(demo_copy):
    with Notebook(demo_copy) as notebook:
        notebook.set_state("campaign", {"kind": "x"})
        ((schema, version),) = notebook.read_rows("SELECT schema, version FROM state WHERE key = 'campaign'")
        assert (schema, version) == ("campaign", 1)
        with notebook.writing() as connection:
            sealed.update(connection, "state", {"version": 9}, "key = ?", "campaign")
        assert notebook.get_state("campaign") is None and "update" in notebook.spoiled["state", "campaign"].fault


def test_a_report_takes_the_place_of_a_report_and_of_nothing_else_but_by_a_yes(demo_copy, tmp_path):
    page, letter = tmp_path / "r.html", tmp_path / "letter.html"
    letter.write_text("<p>Dear all,</p>")
    for _ in range(2):
        assert hovrik("report", demo_copy, "--out", page).returncode == 0
    refused = hovrik("report", demo_copy, "--out", letter)
    assert refused.returncode == 1 and "--force" in refused.stderr and "Dear all" in letter.read_text()
    assert hovrik("report", demo_copy, "--out", letter, "--force").returncode == 0
    before = demo_copy.read_bytes()
    assert hovrik("report", demo_copy, "--out", demo_copy, "--force").returncode == 1
    assert demo_copy.read_bytes() == before


def test_the_window_asks_before_it_replaces_a_file_of_another_kind(demo_copy, tmp_path, qtbot):
    letter = tmp_path / "letter.csv"
    letter.write_text("Dear all,\nthis is a letter.\n")
    with opened(demo_copy, qtbot) as window:
        window.desktop.export_to(letter)
        (box,) = window.findChildren(QMessageBox)
        assert "no table of Hovrik's" in window.banner.text.text() and box.isVisible()
        click(box.button(QMessageBox.StandardButton.No))
        assert letter.read_text().startswith("Dear all")
        window.desktop.export_to(letter)
        box = window.findChildren(QMessageBox)[-1]
        click(box.button(QMessageBox.StandardButton.Yes))
        assert letter.read_text().startswith("id,verdict") and "passes are written" in window.banner.text.text()


@pytest.mark.parametrize("kind", [FileKind.PAGE, FileKind.TABLE, FileKind.DOCUMENT])
def test_nothing_takes_the_place_of_an_open_notebook_or_its_log(demo_copy, kind):
    with Notebook(demo_copy) as notebook:
        notebook.set_state("x", 1)
        for path in (demo_copy, demo_copy.with_name(f"{demo_copy.name}-wal")):
            with pytest.raises(StoreError, match="open"):
                write_text(path, "x", kind, force=True)
    with pytest.raises(StoreError, match="is a notebook"):
        write_text(demo_copy, "x", kind, force=True)
    other = demo_copy.with_name("x.txt")
    other.write_text("mine")
    with pytest.raises(NotOurs):
        write_text(other, "x", kind)


def test_an_edit_of_a_question_opens_no_machine_and_none_is_opened_that_a_run_has(demo_copy, qtbot, monkeypatch):
    opened_ = []
    honest = library.open_machine
    monkeypatch.setattr(library, "open_machine", lambda address: opened_.append(address) or honest(address))
    with opened(demo_copy, qtbot) as window:
        at_rest(window, qtbot)
        begun = len(opened_)
        for target in (41.0, 42.0, 43.0):
            window.session.set_question(window.session.question.with_(target_fps=target))
            qtbot.wait(60)
        at_rest(window, qtbot)
        assert begun == 1 and len(opened_) == 1
        address = window.session.address
        with holds.held(address):
            assert "in use" in library.look(address).fault and len(opened_) == 1


def test_what_a_run_left_is_put_back_from_another_notebook(demo_copy, tmp_path):
    """A machine belongs to no notebook."""
    with Notebook(demo_copy) as notebook:
        address = library.address_of(notebook, "ombrel-8")
        notebook.copy_to(tmp_path / "other.hovrik")
        machine = machines.open_machine(address)
        found = left(machine.snapshot(), [*LIMITS, "cap_fps"])
        plan = sweep.keep_plan(notebook, DEMO_QUESTION, scenario.design())
        run = notebook.begin_run(plan, address, found)
        hold = holds.Hold(address)
        hold.note(notebook.path, run, found)
        machine.apply(static(5.0, 30.0))
        machine.close()
    with Notebook(tmp_path / "other.hovrik") as other:
        machine = machines.open_machine(address)
        short = scenario.LadderDesign(9, 10, 1, 40.0, repeats=1, pass_s=10, soak_s=0, cool_s=0)
        plan = sweep.keep_plan(other, DEMO_QUESTION, short, room_c=22.0)
        sweep.run_plan(other, plan, machine, address, sweep.Control(), lambda event: None)
        assert machine.snapshot().restorable() == found.snapshot.restorable()
        machine.close()
    assert hold.open_run() is None


def test_what_a_run_left_and_cannot_be_read_is_said(demo_copy):
    """Nothing is set on a machine of which nobody knows how it was."""
    with Notebook(demo_copy) as notebook:
        address = library.address_of(notebook, "ombrel-8")
        plan = sweep.keep_plan(notebook, DEMO_QUESTION, scenario.design())
        machine = machines.open_machine(address)
        before, hold = machine.snapshot().restorable(), holds.Hold(address)
        hold.note(notebook.path.with_name("other.hovrik"), "one", left(machine.snapshot(), LIMITS))
        noted = next((data_folder() / "machines").glob("*/run.json"))
        noted.write_text(noted.read_text()[:-20])
        with pytest.raises(sweep.Unavailable, match="put it back by hand"):
            sweep.run_plan(notebook, plan, machine, address, sweep.Control(), lambda event: None)
        assert machine.snapshot().restorable() == before and not notebook.open_runs()
        machine.close()


def test_a_machine_that_a_run_has_is_given_to_no_other(demo_copy):
    with Notebook(demo_copy) as notebook:
        address = library.address_of(notebook, "ombrel-8")
        plan = sweep.keep_plan(notebook, DEMO_QUESTION, scenario.design())
        machine = machines.open_machine(address)
        with holds.held(address), pytest.raises(sweep.Unavailable, match="in use"):
            sweep.run_plan(notebook, plan, machine, address, sweep.Control(), lambda event: None)
        machine.close()


def test_closing_a_run_by_hand_asks_its_person_and_believes_a_yes_only(tmp_path, qtbot):
    path = tmp_path / "n.hovrik"
    with Notebook(path) as notebook:
        scenario.prepare(notebook)
        library.keep_address(notebook, "ombrel-8", machines.by_hand("ombrel-8"))
        plan = sweep.keep_plan(notebook, DEMO_QUESTION, scenario.design())
        notebook.begin_run(plan, machines.by_hand("ombrel-8"), left(Snapshot(), LIMITS))
    with opened(path, qtbot, evaluated=False) as window:
        click(button_named(window.banner, "Put it back"))
        assert "sustained limit" in window.banner.text.text()
        click(button_named(window.banner, "Not yet"))
        assert len(window.session.notebook.open_runs()) == 1
        window._offer_recovery()
        click(button_named(window.banner, "Put it back"))
        click(button_named(window.banner, "It is back as it was"))
        qtbot.waitUntil(lambda: window.session.notebook.open_runs() == [], timeout=60_000)


def test_put_back_by_command(demo_copy):
    with Notebook(demo_copy) as notebook:
        address = library.address_of(notebook, "ombrel-8")
        machine = machines.open_machine(address)
        before = machine.snapshot()
        notebook.begin_run(
            sweep.keep_plan(notebook, DEMO_QUESTION, scenario.design()), address, left(before, [*LIMITS, "cap_fps"])
        )
        machine.apply(static(5.0, 30.0))
        machine.close()
    done = hovrik("put-back", demo_copy)
    assert done.returncode == 0 and "back as it was" in done.stdout
    assert machines.open_machine(address).read_back().readings == before.readings
    assert "nothing is to be put back" in hovrik("put-back", demo_copy).stdout


def test_a_notebook_of_before_whose_stand_in_was_known_by_paths_goes_on(tmp_path, demo_copy):
    """Its state is read once, from where it lay, and never written there."""
    with Notebook(demo_copy) as notebook:
        state = machines.state_of(library.address_of(notebook, "ombrel-8")).read()
        old = tmp_path / "demo.ombrel-8.machine.json"
        old.write_text(json.dumps(state))
        address = {"kind": "simulated", "description": "/gone/ombrel-8.toml", "state": str(old), "seed": 1}
        before = old.read_bytes()
        machine = machines.open_machine(address)
        assert machine.snapshot().as_setup() == machines.open_machine(address).snapshot().as_setup()
        machine.wait(5.0)
        machine.close()
        assert old.read_bytes() == before and machines.open_machine(address).now_ns() > state["now_ns"]
        assert machines.identity_of(address) != machines.identity_of(library.address_of(notebook, "ombrel-8"))
