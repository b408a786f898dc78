"""Two notebooks become one: each row once, nothing of this one changed, machines joined by a person's word alone."""

import gzip
from pathlib import Path

import pytest
from helpers.build import DEMO_QUESTION, copy_notebook
from helpers.window import at_rest, click, opened

from hovrik.core.errors import StoreError
from hovrik.service import notes
from hovrik.service.gather import evaluate
from hovrik.store.merge import Other, merge, met
from hovrik.store.notebook import Notebook, PassQuery

DATA = Path(__file__).parents[1] / "data"
RIG, TITLE = ("rig", "ombrel-8"), ("title", "saltmarsh-couriers")


def rows(notebook):
    return {
        table: notebook.read_rows(f"SELECT count(*) FROM {table}")[0][0]
        for table in ("entity", "plan", "step", "recording", "clock", "series", "pass", "annotation", "profile")
    }


def test_a_copy_brings_what_is_new_once_and_nothing_twice(demo_notebook, demo_copy, tmp_path):
    """A pass taken out on one side, another on the other: both edits are kept."""
    (tmp_path / "b").mkdir()
    second = copy_notebook(demo_notebook, tmp_path / "b")
    with Notebook(demo_copy) as mine, Notebook(second) as theirs:
        first, other = (record.id for record in mine.passes()[:2])
        mine.annotate(first, "deletion", {})
        theirs.annotate(other, "deletion", {})
    with Notebook(demo_copy) as mine, Other(second) as theirs:
        before = rows(mine)
        assert {(one.kind, one.key): one.same for one in met(mine, theirs.notebook)}[RIG] == "ombrel-8"
        found = merge(mine, theirs.notebook, {})
        assert found.came["pass"] == 0 and found.there["pass"] == 37 and not found.renamed and not found.left_out
        assert rows(mine) == {**before, "annotation": before["annotation"] + 1}
        assert mine.taken_out() == {first, other}
        again = merge(mine, theirs.notebook, {})
        assert not any(again.came.values()) and "Nothing new came in" in again.words


def test_machines_are_joined_by_a_persons_word_and_else_stand_apart(empty_demo, demo_notebook):
    with Notebook(demo_notebook, read_only=True) as theirs:
        wanted = evaluate(theirs, DEMO_QUESTION).answer.sentence
    with Notebook(empty_demo) as mine, Other(demo_notebook) as theirs:
        assert not any(one.same for one in met(mine, theirs.notebook))
        found = merge(mine, theirs.notebook, {})
        assert found.came["pass"] == 37 and found.renamed["ombrel-8"] == "ombrel-8-2"
        assert mine.newest_of("rig", "ombrel-8-2").body["key"] == "ombrel-8-2" and mine.spoiled == {}
        assert mine.passes(PassQuery(rig="ombrel-8")) == []
        moved = DEMO_QUESTION.with_(rig="ombrel-8-2", title=found.renamed["saltmarsh-couriers"])
        assert evaluate(mine, moved).answer.sentence == wanted
        assert all(mine.load(record.id).trace is not None for record in mine.passes()[:4])


def test_joined_passes_count_for_this_machine_whose_facts_stay(empty_demo, demo_notebook):
    with Notebook(empty_demo) as mine, Other(demo_notebook) as theirs:
        body = {**mine.newest_of("rig", "ombrel-8").body, "battery_wh": 33.0}
        mine.note("rig", "ombrel-8", body)
        with pytest.raises(StoreError, match="stopped"):
            merge(mine, theirs.notebook, {}, lambda done, total: done < 7)
        assert rows(mine)["pass"] == rows(mine)["recording"] == 0
        joined = {key: key[1] for key in ((one.kind, one.key) for one in met(mine, theirs.notebook))}
        found = merge(mine, theirs.notebook, joined)
        assert found.came["pass"] == 37 and not found.renamed
        assert mine.newest_of("rig", "ombrel-8").body == body
        assert len(evaluate(mine, DEMO_QUESTION).views) == 37


def test_older_formats_come_in_and_what_is_no_notebook_does_not(empty_demo, tmp_path):
    old, bad = tmp_path / "old.hovrik", tmp_path / "bad.hovrik"
    old.write_bytes(gzip.decompress((DATA / "format-3.hovrik.gz").read_bytes()))
    bad.write_bytes(b"\x00" * 5000)
    kept = old.read_bytes()
    with Notebook(empty_demo) as mine:
        with Other(old) as theirs:
            assert merge(mine, theirs.notebook, {}).came["pass"] == len(theirs.notebook.passes()) > 0
        before = rows(mine)
        for path in (bad, tmp_path / "none.hovrik"):
            with pytest.raises(StoreError):
                Other(path)
        assert rows(mine) == before and old.read_bytes() == kept


def test_asked_in_the_window_and_told_in_the_banner(empty_demo, demo_copy, qtbot):
    mine, theirs = notes.Note(5, "mine"), notes.Note(2, "theirs #fan")
    for path, kept in ((empty_demo, [mine]), (demo_copy, [theirs, mine])):
        with Notebook(path) as notebook:
            notes.keep(notebook, kept)
    with opened(empty_demo, qtbot, evaluated=False) as window:
        window.desktop.merge_with(empty_demo)
        dialog = window.desktop.merge_dialog
        assert "itself" in dialog.message.text() and not dialog.accept_.isEnabled()
        dialog.reject()
        window.desktop.merge_with(demo_copy)
        dialog = window.desktop.merge_dialog
        qtbot.waitUntil(lambda: dialog.accept_.isEnabled(), timeout=20_000)
        for key, choice in dialog.choices.items():
            choice.setCurrentIndex(choice.findData(key[1]))
        click(dialog.accept_)
        qtbot.waitUntil(lambda: "Came in" in window.banner.text.text(), timeout=60_000)
        assert "37 passes" in window.banner.text.text()
        at_rest(window, qtbot)
        qtbot.waitUntil(lambda: len(window.session.evaluation.views) == 37, timeout=20_000)
        assert window.session.notes == (theirs, mine)
