"""The logbook: what was done stands in it, is found by its words, and leads to the evidence."""

from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION
from helpers.window import at_rest, click, opened
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from hovrik.app import commands
from hovrik.core.errors import InputError
from hovrik.core.facts.place import Source
from hovrik.service import notes
from hovrik.service import run as sweep
from hovrik.service.logbook import NOTE, PASSES, PROFILE, VERDICT, VERSION, Entry, Logbook, read_logbook
from hovrik.store.notebook import Notebook


@pytest.mark.parametrize(
    ("said", "found"),
    [
        ("", [0, 1, 2]), ("frost", [0, 2]), ("FROST bridge", [2]), ("cafe", [1]), ('"', [0, 1, 2]), ("NEAR OR", []),
        ('fro"st', []), ("* ( ) ^", [0, 1, 2]), ("\0frost\udc80", [0, 2]), ("frost\0", [0, 2]), ("x " * 5000, []),
    ],
)  # fmt: skip
def test_words_are_found_whatever_they_are(said, found):
    lines = [
        Entry(3, PASSES, "frosty hill"),
        Entry(2, VERSION, "Café terrace"),
        Entry(1, PASSES, "frost \udcff on the bridge"),
    ]
    book = Logbook(lines)
    assert [lines.index(one) for one in book.matching(said)] == found
    assert [lines.index(one) for one in book.matching(said, PASSES)] == [at for at in found if at != 1]


def test_every_pass_stands_in_it_once(demo_copy):
    with Notebook(demo_copy) as notebook:
        book = read_logbook(notebook)
        counted = sum(int(one.text.split()[0].replace(",", "")) for one in book.entries if one.kind == PASSES)
        assert counted == len(notebook.passes()) > 0
        assert [one.at_ns for one in book.entries] == sorted((one.at_ns for one in book.entries), reverse=True)
        first = {one.id: one.context for one in notebook.passes()}
        assert all(one.pass_id in first for one in book.entries if one.kind == PASSES)
        assert read_logbook(notebook, lambda: False).entries == ()


def test_from_a_line_to_its_evidence(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.keep_answer()
        rig = sweep.rig_of(window.session.notebook, DEMO_QUESTION.rig)
        newer = tuple(replace(v, installed="0.33") if v.what == "firmware" else v for v in rig.versions)
        commands.save_rig(window.session, replace(rig, versions=newer), "firmware")
        window.show_place("Keep", "Logbook")
        page = window.stage("Keep").logbook
        qtbot.waitUntil(lambda: any("firmware is 0.33, was 0.31" in one.text for one in page.shown), timeout=10_000)
        assert sum(one.text.startswith("Kept for") for one in page.shown) == 1
        QTest.keyClicks(page.search, "firmware 0.33")
        assert [one.kind for one in page.shown] == [VERSION] and page.table.rowCount() == 1
        page.search.clear()
        page.kind.setCurrentIndex(page.kind.findData(PASSES))
        commands.set_question(window.session, window.session.question.with_(source=Source.ADAPTER))
        page.table.setCurrentCell(0, 2)
        page.table.setFocus()
        QTest.keyClick(page.table, Qt.Key.Key_Return)
        read = window.stage("Read")
        assert window.stack.currentWidget() is read and window.session.selected_pass == page.shown[0].pass_id
        rig, slot, title, scene, source = page.shown[0].place
        asked = window.session.question
        assert asked.keys == {"rig": rig, "slot": slot, "title": title, "scene": scene} and asked.source == source
        at_rest(read, qtbot)
        click(window.stage_buttons["Keep"])
        page.kind.setCurrentIndex(page.kind.findData(PROFILE))
        page.asked.emit(page.shown[0])
        assert window.stage("Keep").pages.page == "Profiles"
        while window.session.notebook.profiles():
            window.session.undo_stack.undo()
        window.show_place("Keep", "Logbook")
        at_rest(page, qtbot)
        page.kind.setCurrentIndex(page.kind.findData(PROFILE))
        assert any(one.text.startswith("No longer kept") for one in page.shown)


def test_notes_and_verdicts_are_lines_with_tags_and_are_undone(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        session = window.session
        odd = session.evaluation.views[4].record.id
        commands.annotate(session, odd, "overrule", {"state": "void", "reason": "the lid was shut"})
        window.show_place("Keep", "Logbook")
        page = window.stage("Keep").logbook
        page.note.setFocus()
        QTest.keyClicks(page.note, "new #Paste on the cooler, see #fan")
        QTest.keyClick(page.note, Qt.Key.Key_Return)
        qtbot.waitUntil(lambda: any(one.kind == NOTE for one in page.shown), timeout=60_000)
        (said,) = [one for one in page.shown if one.kind == VERDICT]
        assert "the lid was shut" in said.text and said.pass_id == odd and said.asked(session.question) is not None
        click(page.add)  # of no words
        assert "wants words" in page.says.text() and len(session.notes) == 1
        assert [page.tag.itemData(at) for at in range(page.tag.count())] == ["", "fan", "paste"]
        page.tag.setCurrentIndex(2)
        assert [one.text for one in page.shown] == ["new #Paste on the cooler, see #fan"]
        page.table.selectRow(0)
        click(page.remove)
        assert session.notes == ()
        session.undo_stack.undo()
        assert [one.text for one in session.notes] == ["new #Paste on the cooler, see #fan"]
        qtbot.waitUntil(lambda: any(one.kind == NOTE for one in page.shown), timeout=60_000)


@pytest.mark.parametrize("kept", [None, 5, ["x", {"at_ns": "1", "text": "a"}, {"at_ns": 2, "text": 3}], {"a": 1}])
def test_what_is_no_note_is_left_out(tmp_path, kept):
    with Notebook(tmp_path / "n.hovrik") as notebook:
        notebook.set_state("notes", kept)
        assert notes.kept(notebook) == ()
        with pytest.raises(InputError):
            notes.with_note((), "x" * 3000, 1)
        assert notes.tags_of("#a b#c #D-e ##f #a") == ("a", "d-e")
