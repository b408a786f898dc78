"""The logbook: what was done stands in it, is found by its words, and leads to the evidence."""

from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION
from helpers.window import at_rest, click, opened
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from hovrik.app import commands
from hovrik.core.facts.place import Source
from hovrik.service import run as sweep
from hovrik.service.logbook import PASSES, PROFILE, VERSION, Entry, Logbook, read_logbook
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
