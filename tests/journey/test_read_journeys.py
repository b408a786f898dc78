"""From a question to what passes say: two OS slots to a printed comparison, heat after an update, the bottleneck."""

import re
from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION, trace_of, wandering
from helpers.window import opened
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from hovrik.app import commands
from hovrik.core.plan.grid import LadderDesign
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.imports import one as imports
from hovrik.service.planning import with_part
from hovrik.store.files.read.frame_log import Imported
from hovrik.store.notebook import Notebook

SHORT = LadderDesign(13, 14, 1, 40.0, repeats=1, pass_s=30, soak_s=10, settle_s=2, cool_s=5, heat_s=0, seed=3)


def read(window, page, qtbot):
    window.show_stage("Read")
    stored = {record.id for record in window.session.notebook.passes()}

    def is_read():
        found = window.session.evaluation
        own = {view.record.id for view in found.views} if found is not None else set()
        return own == stored and not window.evaluator.is_busy

    qtbot.waitUntil(is_read, timeout=30_000)
    window.stage("Read").pages.show_page(page)
    return window.stage("Read")


def test_two_slots_from_the_plan_to_a_printed_comparison(demo_copy, qtbot, tmp_path):
    with opened(demo_copy, qtbot) as window:
        commands.set_design(window.session, SHORT, "all")
        line = window.question_line
        line.kind.setCurrentIndex(line.kind.findData("which-os"))
        commands.set_question(window.session, with_part(window.session.question, slots=["sedge", "fennmark"]))
        with qtbot.waitSignal(window.runner.ended, timeout=120_000):
            QTest.keyClick(window, Qt.Key.Key_F5)
        page = read(window, "Compare", qtbot).compare
        for choice, part in ((page.a, "Sedge"), (page.b, "Fennmark")):
            choice.setCurrentIndex(next(at for at in range(choice.count()) if part in choice.itemText(at)))
        page.asked.setCurrentIndex(max(page.asked.findData("slot"), 0))
        assert page.sheet.lines, page.fair.text()
        assert "Fennmark 3 lacks limit read-back" in page.fair.text()
        page.print_to(tmp_path / "slots.html")
        html = (tmp_path / "slots.html").read_text()
        assert "Sedge 12" in html and "Fennmark 3" in html and "<img src='data:image/png" in html
        assert len(re.findall("<tr>", html)) > len(page.sheet.lines)


CELLS = (("1.0", "even", 0.0, 3700, 1.0), ("1.0", "full", -8.0, 6200, 1.01), ("1.1", "even", 9.0, 2000, 0.94),
         ("1.1", "full", -8.0, 6200, 1.01))  # fmt: skip


@pytest.fixture
def updated(demo_copy):
    """Passes before and after an update, each with the fan as set and full."""
    with Notebook(demo_copy) as notebook:
        rig = sweep.rig_of(notebook, DEMO_QUESTION.rig)
        for firmware, fan, hotter, rpm, slower in CELLS:
            versions = tuple(replace(v, installed=firmware) if v.what == "firmware" else v for v in rig.versions)
            library.save_rig(notebook, replace(rig, versions=versions))
            for at in range(6):
                interval = wandering(40, 44 * slower, wander=0.004, seed=at)
                trace = trace_of(interval, package_w=20.0, battery_w=27.0, die_c=60.0 + hotter, fan_rpm=float(rpm))
                told = imports.conditions_from(DEMO_QUESTION, {"room_c": "22"})
                setup = imports.setup_from({"limit_w": "20", "cap_fps": "none", "fan_policy": fan})
                imports.import_trace(notebook, DEMO_QUESTION, Imported(trace, trace.frames_ns, ()), setup, told)
    return demo_copy


def test_an_update_that_runs_hotter_and_why(updated, qtbot):
    with opened(updated, qtbot) as window:
        panel = read(window, "Responses", qtbot).notes
        panel.which.setCurrentIndex(panel.which.findData("all"))
        text = " ".join(words for _, words in panel.notes)
        assert (
            "Since firmware 1.1 (before 1.0) the die is" in text and "by a fan at 2000 rpm that was at 3700 rpm" in text
        )
        assert "With a full fan old and new are the same: heat is why" in text


def test_the_bottleneck_from_the_question_line(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        line = window.question_line
        line.kind.setCurrentIndex(line.kind.findData("limits-it"))
        qtbot.waitUntil(lambda: window.session.evaluation.question.kind == "limits-it", timeout=20_000)
        answer = window.session.evaluation.answer
        assert any("frames wait for the GPU, held down by the power limit" in one for one in answer.reasons)
        assert any("frames wait for the cap" in one for one in answer.reasons)
