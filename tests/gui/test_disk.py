"""A disk that fills during a sweep and a folder that cannot be written, as the window tells of them."""

import os

from helpers.window import click, opened
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from hovrik.core.plan.grid import LadderDesign
from hovrik.service.machines import open_machine
from hovrik.store import database
from hovrik.store.notebook import Notebook


def test_a_full_disk_stops_the_run_and_keeps_what_was_made(demo_copy, qtbot, monkeypatch):
    """SQLite's own page limit on the run's connection stands in for the disk; its message is that of a full one."""
    with opened(demo_copy, qtbot) as window:
        session = window.session
        before, honest = len(session.notebook.passes()), session.notebook.sibling
        knobs = open_machine(session.address).read_back().readings

        def sibling():
            made = honest()
            pages = made.read_rows("PRAGMA page_count")[0][0]
            made.read_rows(f"PRAGMA max_page_count = {pages + 90}")
            return made

        monkeypatch.setattr(window.runner, "_open", sibling)
        session.set_design(LadderDesign(8, 15, 1, None, repeats=3, pass_s=60, soak_s=5, settle_s=0, cool_s=0))
        click(window.stage_buttons["Bench"])
        click(window.bench.start)
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        words = window.banner.text.text()
        assert window.banner.isVisible() and "database or disk is full" in words
        assert "Everything stored before is safe" in words and "free some disk space" in words
        assert "full" in window.bench.state.text() and window.bench.start.isEnabled()
        monkeypatch.undo()
        kept = session.notebook.passes()[before:]
        assert 0 < len(kept) < 24
        assert all(session.notebook.load(record.id).trace.frames_ns.size > 500 for record in kept)
        assert open_machine(session.address).read_back().readings == knobs  # put back all the same
    with Notebook(demo_copy) as notebook:
        assert len(notebook.passes()) == before + len(kept)


def test_a_folder_that_cannot_be_written_is_opened_for_reading(demo_copy, qtbot, monkeypatch):
    honest = os.open

    def refused(path, flags, *more):
        if str(path).endswith(".lock"):  # for root no folder is read-only, so the kernel's answer is given here
            raise PermissionError(13, "Permission denied")
        return honest(path, flags, *more)

    monkeypatch.setattr(database.os, "open", refused)
    with opened(demo_copy, qtbot) as window:
        words = window.banner.text.text()
        assert words.startswith("Open for reading only.") and "cannot be written: Permission denied" in words
        click(window.stage_buttons["Bench"])
        assert not window.bench.start.isEnabled()
        QTest.keyClick(window, Qt.Key.Key_F5)
        assert not window.runner.is_running and len(window.session.evaluation.views) == 37
        window.open_import()
        assert not window.import_dialog.accept_.isEnabled()
