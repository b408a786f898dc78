"""A campaign over three titles and two OS slots: killed twice, gone on with in the window, nothing made twice."""

import signal
import subprocess
import sys
from collections import Counter
from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION, copy_notebook
from helpers.window import at_rest, button_named, opened
from kills import prepare
from PyQt6.QtCore import Qt

from hovrik.bench.protocol import Instruction, Need
from hovrik.core.errors import PlanError
from hovrik.core.plan.campaign import Campaign, Cell, State
from hovrik.core.questions.question import Question
from hovrik.service import campaigns, library
from hovrik.service import run as sweep
from hovrik.service.machines import open_machine
from hovrik.store.notebook import Notebook, PassQuery

CHILD = """
import sys
from pathlib import Path
from hovrik.bench.job import Control, PassDone
from hovrik.core.plan.grid import LadderDesign
from hovrik.service import campaigns, library, run
from hovrik.service.machines import open_machine
from hovrik.store.notebook import Notebook
with Notebook(Path(sys.argv[1])) as notebook:
    address = library.address_of(notebook, "ombrel-8")
    while (at := campaigns.kept(notebook).next_cell("sedge")) is not None:
        plan = campaigns.begun(notebook, LadderDesign(7, 18, 1), at, None)
        machine = open_machine(address)
        hear = lambda event: print("pass", flush=True) if isinstance(event, PassDone) else None
        run.run_plan(notebook, plan, machine, address, Control(), hear)
        machine.close()
        campaigns.ended(notebook, at)
"""


def killed(path, passes):
    """Run the campaign in a process of its own and kill it once so many passes were told."""
    child = subprocess.Popen([sys.executable, "-c", CHILD, str(path)], stdout=subprocess.PIPE, text=True)
    for _ in range(passes):
        assert child.stdout.readline().strip() == "pass"
    child.send_signal(signal.SIGKILL)
    child.wait()
    child.stdout.close()


def test_over_two_rigs_and_their_displays(tmp_path, qtbot):
    """Each cell runs on its own machine, on the display that it names; what was asked before is asked again."""
    (tmp_path / "copy").mkdir()
    path = copy_notebook(prepare(tmp_path), tmp_path / "copy")
    with Notebook(path) as notebook:
        titles, rigs = list(library.titles(notebook))[:1], ["ombrel-8", "hollin-17"]
        made = campaigns.made(notebook, DEMO_QUESTION, "triage", titles, ["sedge"], rigs, displays=True)
        panels = 1 + len(sweep.rig_of(notebook, "hollin-17").displays)
        slots = len(sweep.rig_of(notebook, "hollin-17").slots)
        own = [cell for cell in made.cells if not cell.rig]
        assert len(made.cells) == len(own) + panels * slots and all(cell.slot == "sedge" for cell in own)
        assert Campaign.from_dict(made.as_dict()) == made and made.next_cell("sedge") == 0
        corrie = next(at for at, cell in enumerate(made.cells) if cell.rig and cell.display not in ("", "built-in"))
        assert made.next_cell("corrie", "hollin-17") != 0
        campaigns.keep(notebook, replace(made, cells=(made.cells[0], made.cells[corrie])))
    with opened(path, qtbot, evaluated=False) as window:
        at_rest(window, qtbot)
        window.bench.pace.setCurrentIndex(0)
        window.start_campaign()
        qtbot.waitUntil(lambda: not window.campaign.is_on, timeout=120_000)
        cells = window.session.campaign.cells
        assert [cell.state for cell in cells] == [State.DONE, State.DONE], cells
        assert window.session.question.rig == "ombrel-8"
        shown = [record.setup.get("display") for record in window.session.notebook.passes(PassQuery(rig="hollin-17"))]
        assert shown and set(shown) == {cells[1].display}
        table = window.stage("Plan").campaign.table
        assert any("Hollin 17" in table.item(row, 1).text() for row in range(table.rowCount()))


def test_three_titles_two_slots_killed_twice_and_resumed(tmp_path, qtbot):
    (tmp_path / "copy").mkdir()
    path = copy_notebook(prepare(tmp_path), tmp_path / "copy")
    with Notebook(path) as notebook:
        titles = list(library.titles(notebook))[:3]
        slots = [one.key for one in sweep.rig_of(notebook, DEMO_QUESTION.rig).slots][:2]
        made = campaigns.made(notebook, DEMO_QUESTION, "triage", titles, slots)
        campaigns.keep(notebook, made)
        address = library.address_of(notebook, DEMO_QUESTION.rig)
    before = open_machine(address).snapshot()
    killed(path, 3)
    killed(path, 4)
    with opened(path, qtbot, evaluated=False) as window:
        window.show_place("Plan", "Campaign")
        page = window.stage("Plan").campaign
        qtbot.waitUntil(lambda: page.table.rowCount() == 6, timeout=10_000)
        button_named(page, "Go on with it").click()
        qtbot.waitUntil(lambda: not window.campaign.is_on, timeout=120_000)
        cells = window.session.campaign.cells
        assert all(cell.state is State.DONE for cell in cells), [(cell.state, cell.said) for cell in cells]
        assert sum(cell.gain is not None and cell.gain > 5 for cell in cells) >= 3
        window.show_place("Plan", "Campaign")
        at_rest(page, qtbot)
        gains = [page.table.item(row, 2).text() for row in range(6)]
        numbers = [float(text.split()[0]) for text in gains if text != "–"]
        assert numbers == sorted(numbers, reverse=True) and gains == [
            *gains[: len(numbers)],
            *["–"] * (6 - len(numbers)),
        ]
        page.table.setCurrentCell(0, 0)
        page._on_cell(0)
        assert window.session.question.title == cells[page._rows[0]].title
        notebook = window.session.notebook
        made_ = Counter((one.plan_id, one.step_id) for one in notebook.passes() if one.outcome.value == "done")
        assert set(made_.values()) == {1} and len({plan for plan, _ in made_}) == 6
        assert notebook.open_runs() == []
    machine = open_machine(address)
    machine.needs_person(Instruction(Need.RESTART, "", slot=DEMO_QUESTION.slot))
    assert machine.snapshot().as_setup() == before.as_setup()
    machine.close()


def test_stopped_it_begins_nothing_more_and_goes_on_later(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_place("Plan", "Campaign")
        page = window.stage("Plan").campaign
        for at in range(page.titles.count()):
            page.titles.item(at).setCheckState(Qt.CheckState.Checked)
        page.kind.setCurrentIndex(page.kind.findData("triage"))
        page.slots.setCurrentIndex(page.slots.findData("all"))
        page.make_it()
        button_named(page, "Start it").click()
        with qtbot.waitSignal(window.runner.pass_stored, timeout=60_000):
            pass
        window.stop_sweep()
        qtbot.waitUntil(lambda: not window.campaign.is_on and not window.runner.is_running, timeout=60_000)
        left = [cell.state for cell in window.session.campaign.cells]
        assert left.count(State.BEGUN) <= 1 and State.OPEN in left and State.FAILED not in left
        window.show_place("Plan", "Campaign")
        assert button_named(page, "Go on with it").isEnabled()
        window.session.undo_stack.undo()
        assert window.session.campaign.cells == () or window.session.campaign.cells[0].plan_id


def test_closed_on_the_way_it_is_gone_on_with_at_the_next_start(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        made = campaigns.made(window.session.notebook, DEMO_QUESTION, "triage", ["saltmarsh-couriers"], ["sedge"])
        window.session.set_campaign(made)
        with qtbot.waitSignal(window.runner.pass_stored, timeout=60_000):
            window.start_campaign()
    with opened(demo_copy, qtbot) as window:
        (cell,) = window.session.campaign.cells
        assert cell.state in (State.BEGUN, State.DONE) and cell.plan_id and window.session.notebook.open_runs() == []
        window.start_campaign()
        qtbot.waitUntil(lambda: not window.campaign.is_on, timeout=60_000)
        (cell,) = window.session.campaign.cells
        passes = [one.step_id for one in window.session.notebook.passes() if one.plan_id == cell.plan_id]
        assert cell.state is State.DONE and len(passes) == len(set(passes)) == 4


def test_cells_go_by_the_slot_that_runs_and_what_was_begun_first():
    cells = [Cell("a", "s", "one"), Cell("b", "s", "two"), Cell("c", "s", "two"), Cell("d", "s", "one", State.DONE)]
    campaign = Campaign("triage", "r", tuple(cells))
    assert campaign.next_cell("one") == 0 and campaign.next_cell("two") == 1 and campaign.next_cell("three") == 1
    assert campaign.with_cell(2, state=State.BEGUN).next_cell("one") == 2
    over = campaign
    for at in range(3):
        over = over.with_cell(at, state=State.FAILED)
    assert over.next_cell("one") is None and campaigns.reopened(over).next_cell("one") == 0
    assert Campaign.from_dict(campaign.as_dict()) == campaign


def test_what_cannot_be_is_said(demo_copy):
    with Notebook(demo_copy) as notebook:
        with pytest.raises(PlanError, match="needs a title"):
            campaigns.made(notebook, DEMO_QUESTION, "triage", [], ["sedge"])
        notebook.set_state(campaigns.KEY, {"kind": 3, "cells": [{}]})
        assert campaigns.kept(notebook) == Campaign()
        made = campaigns.made(notebook, DEMO_QUESTION, "triage", list(library.titles(notebook)), ["sedge"])
        assert Question.from_dict(made.question) == DEMO_QUESTION and campaigns.asked(made, 0).kind == "triage"
        assert campaigns.asked(made, 0).target_fps == DEMO_QUESTION.target_fps
