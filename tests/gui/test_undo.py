"""One stack of edits: what cannot be undone is told and drops out, and nothing is lost or left half done."""

import sqlite3
import time
from contextlib import contextmanager

import pytest
from helpers.build import DEMO_QUESTION
from helpers.window import at_rest, click, opened
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from hovrik.app import commands
from hovrik.app.session import EDIT_WAITS_S, MOST_EDITS, Session
from hovrik.core.errors import StoreError
from hovrik.core.facts.incident import IncidentKind
from hovrik.core.facts.setup import static
from hovrik.core.passes.checks import Thresholds
from hovrik.service import library
from hovrik.store.notebook import Notebook


@pytest.fixture
def session(demo_copy, qtbot):
    """A session with what it says."""
    made = Session(demo_copy)
    made.said = []
    made.failed.connect(made.said.append)
    yield made
    made.close()


@contextmanager
def full_disk(notebook):
    """A transaction on it."""
    raise StoreError(f"{notebook.path.name} cannot be written: database or disk is full.")
    yield


def edits(session):
    """One of each that writes: words to what does it, and what is read of it."""
    notebook = session.notebook
    pass_id, setup = notebook.passes()[2].id, static(9.0, 40.0)
    return {
        "annotation": (lambda: commands.annotate(session, pass_id, "deletion", {}), notebook.taken_out),
        "incident": (
            lambda: commands.note_incident(session, IncidentKind.CRASH, setup, "", "long " * 900), notebook.incidents,
        ),
        "thresholds": (
            lambda: commands.set_thresholds(session, Thresholds(over_share=0.2)),
            lambda: notebook.get_state("thresholds"),
        ),
        "imported": (lambda: commands.imported(session, [r.id for r in notebook.passes()[3:6]]), notebook.taken_out),
    }  # fmt: skip


@pytest.mark.parametrize("what", ["annotation", "incident", "thresholds", "imported"])
def test_an_undo_that_the_disk_refuses_is_told_and_changes_nothing(session, what, monkeypatch):
    make, read = edits(session)[what]
    make()
    before, depth = read(), session.undo_stack.count()
    monkeypatch.setattr(Notebook, "writing", full_disk)
    session.undo_stack.undo()  # in a slot: raised nothing
    assert any("disk is full" in words for words in session.said) and read() == before
    monkeypatch.undo()
    assert session.undo_stack.count() == depth - 1  # it has dropped out


def test_what_was_changed_since_is_not_undone_over_it(session):
    commands.set_question(session, session.question.with_(target_fps=50.0))
    session.set_question(session.question.with_(target_fps=55.0))  # another window's, a migration's
    session.undo_stack.undo()
    assert session.question.target_fps == 55.0 and "changed since" in session.said[-1]
    rig = session.rig
    commands.save_rig(session, rig.__class__(**{**rig.__dict__, "name": "Once"}), "name")
    library.save_rig(session.notebook, rig.__class__(**{**rig.__dict__, "name": "Twice"}))
    session.undo_stack.undo()
    assert session.rig.name == "Twice" and session.undo_stack.count() == 0


def test_the_stack_is_200_deep(session):
    for number in range(MOST_EDITS + 30):
        commands.set_question(session, session.question.with_(target_fps=30.0 + number / 10))
    assert session.undo_stack.count() == MOST_EDITS == 200
    while session.undo_stack.canUndo():
        session.undo_stack.undo()
    assert session.question.target_fps == pytest.approx(30.0 + 29 / 10) and session.said == []


def test_edits_of_one_field_are_one_step(session):
    first = session.design
    for to_w in (16.0, 17.0, 15.0):
        commands.set_design(session, session.design.__class__(**{**session.design.__dict__, "to_w": to_w}), "range")
    commands.set_room(session, 25.0)
    assert session.undo_stack.count() == 2
    session.undo_stack.undo()
    session.undo_stack.undo()
    assert session.design == first
    session.undo_stack.redo()
    assert session.design.to_w == 15.0


def test_an_import_is_undone_whole_and_comes_back(session):
    ids = [r.id for r in session.notebook.passes()[3:6]]
    commands.imported(session, ids)
    assert session.notebook.taken_out() == set()
    for _ in range(2):
        session.undo_stack.undo()
        assert session.notebook.taken_out() == set(ids)
        session.undo_stack.redo()
        assert session.notebook.taken_out() == set()
    assert len(session.notebook.passes()) == 37  # nothing measured is ever gone


def test_an_edit_waits_no_longer_than_it_may_and_stays_in_its_field(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        at_rest(window, qtbot)
        click(window.stage_buttons["Rig"])
        stage, name = window.stage("Rig"), window.session.rig.name
        field = stage.form.entries["name"].line
        with window.session.notebook.sibling() as other, other.writing():
            field.setText("Another name")
            began = time.monotonic()
            QTest.keyClick(field, Qt.Key.Key_Return)
            took = time.monotonic() - began
            assert "is locked" in window.banner.text.text() and took < 4 * EDIT_WAITS_S
            assert field.text() == "Another name" and window.session.rig.name == name
        QTest.keyClick(field, Qt.Key.Key_Return)
        assert window.session.rig.name == "Another name"


def test_a_damaged_page_is_told_and_nothing_more_is_written(demo_copy, qtbot):
    with sqlite3.connect(demo_copy) as raw:
        raw.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        (root,) = raw.execute("SELECT rootpage FROM sqlite_master WHERE name = 'still_by_pass'").fetchone()
        (size,) = raw.execute("PRAGMA page_size").fetchone()
    with demo_copy.open("r+b") as file:  # an index that opening does not read
        file.seek((root - 1) * size)
        file.write(b"\xff" * 200)
    with opened(demo_copy, qtbot) as window:
        qtbot.waitUntil(lambda: "is damaged" in window.banner.text.text(), timeout=60_000)
        assert window.session.notebook.read_only
        commands.set_question(window.session, DEMO_QUESTION.with_(target_fps=44.0))
        assert window.session.notebook.get_state("question")["terms"]["floor"]["value"] == 40.0
