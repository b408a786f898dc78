"""The table of levels: figures, and why passes do not count; a level that never ran is in the first line."""

import csv
import io
import uuid
from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION
from helpers.window import at_rest, opened

from hovrik.app import commands
from hovrik.core.facts.rig import DoesNotRun
from hovrik.core.passes.purpose import SWEEP
from hovrik.core.passes.record import End
from hovrik.service.gather import evaluate
from hovrik.service.levels import cells, csv_of, csv_over, headings, level_rows, library_of
from hovrik.service.library import rigs
from hovrik.service.planning import of_kind, with_part
from hovrik.service.report import report_of
from hovrik.store.notebook import Notebook

KNOB = with_part(of_kind(DEMO_QUESTION, "knob"), over="boost", levels={"boost": ["on", "off"]})


def failed(notebook, many, context=None, **asked):
    """Passes at which the title did not start."""
    like = next(one for one in notebook.passes() if one.purpose == SWEEP and one.setup.static_limit_w == 13.0)
    for _ in range(many):
        setup = like.setup.with_(**asked)
        notebook.keep(replace(
            notebook.load(like.id), id=str(uuid.uuid4()), context=context or like.context, asked=setup, read=setup,
            outcome=End.FAILED, plan_id=None, plan_index=None, step_id=None, recording=None, trace=None,
            reason="did not start: refused by its service",
        ))  # fmt: skip


@pytest.fixture
def notebook(demo_copy):
    with Notebook(demo_copy) as made:
        failed(made, 3, boost="off")
        yield made


def test_a_level_that_never_ran_is_in_the_first_line_with_count_and_reason(notebook):
    found = evaluate(notebook, KNOB)
    assert found.answer.sentence.startswith("Boost on alone runs: boost off never ran (3 passes tried: did not start")
    assert found.answer.option is not None and [one.tried for one in found.stopped] == [3]
    ladder = evaluate(notebook, DEMO_QUESTION)
    assert ladder.stopped == ()  # at that limit others ran


def test_each_level_has_its_figures_and_why_passes_are_left_out(notebook):
    one = next(one for one in notebook.passes() if one.setup.static_limit_w == 9.0)
    notebook.annotate(one.id, "overrule", {"state": "void", "reason": "the lid was shut"})
    rows = level_rows(evaluate(notebook, DEMO_QUESTION))
    by = {row.level: row for row in rows if row.passes}
    assert by[9.0].passes == 2 and by[9.0].out_words == "the lid was shut (1 of 3)" and len(by) == 12
    assert set(by[13.0].figures) == {"mean_fps", "judged", "package_w", "draw_w", "hours", "die_c"}
    (off,) = [row for row in level_rows(evaluate(notebook, KNOB)) if row.words == "boost off"]
    assert off.passes == 0 and off.out_words == "did not start (3 of 3)" and off.figures == {}
    table = list(csv.DictReader(io.StringIO(csv_of(rows))))
    assert table[6]["slot"] == "Sedge 12"
    assert float(table[6]["draw_w, W"]) == pytest.approx(by[13.0].figures["draw_w"].value)
    report = report_of(notebook, evaluate(notebook, KNOB), 0)
    (part,) = [part for part in report.parts if part.heading == "Levels that did not count"]
    assert part.rows[-1:] == (("boost off", "Sedge 12", "did not start (3 of 3)"),)


def test_where_none_counts_the_common_reason_is_the_sentence(notebook):
    for one in notebook.passes():
        whole = notebook.load(one.id)
        notebook.annotate(one.id, "deletion", {})
        if one.setup.static_limit_w == 13.0 and one.purpose == SWEEP and one.outcome is End.DONE:
            name, read = str(uuid.uuid4()), whole.read.with_(sustained_limit_w=9.0)
            notebook.keep(replace(whole, id=name, read=read, plan_id=None, plan_index=None, step_id=None,
                                  recording=replace(whole.recording, id=name)))  # fmt: skip
    said = evaluate(notebook, DEMO_QUESTION).answer.sentence
    assert said.startswith("No pass counts yet: 3 of 3 passes are left out for one reason: Sustained limit reads 9")
    assert said.endswith("whether the machine offers that value.")


def test_the_table_is_a_manner_of_reading(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Read")
        read = window.stage("Read")
        read.manner.setCurrentIndex(read.manner.findData("table"))
        at_rest(window, qtbot)
        table, found = read.levels.table, window.session.evaluation
        assert table.isVisible() and table.rowCount() == 12 and not read.response_choice.isVisible()
        shown = [table.item(6, at).text() for at in range(table.columnCount())]
        assert tuple(shown) == cells(level_rows(found)[6]) and shown[0] == "13 W"
        assert [table.horizontalHeaderItem(at).text() for at in range(table.columnCount())] == list(headings(found))


def test_every_title_and_system_in_one_table(demo_copy, qtbot):
    """The first title's rows are those of its own table; other titles stand beside it; the CSV has a line a row."""
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Read")
        read = window.stage("Read")
        read.manner.setCurrentIndex(read.manner.findData("titles"))
        table = read.every_title.table
        qtbot.waitUntil(lambda: table.rowCount() > 0, timeout=60_000)
        rows = [[table.item(row, at).text() for at in range(table.columnCount())] for row in range(table.rowCount())]
        own = [row for row in rows if row[0] == "Saltmarsh Couriers"]
        assert own[6][:4] == ["Saltmarsh Couriers", "Causeway at dusk", "Sedge 12", "13 W"]
        assert [row[4:11] for row in own] == [list(cells(row)[1:8]) for row in level_rows(window.session.evaluation)]
    with Notebook(demo_copy) as notebook:
        library = library_of(notebook, DEMO_QUESTION)
        found = library.rows
        assert [one.id for one in library.says] == ["library.ceiling"]
        assert len(found) == len(rows) and len(list(csv.DictReader(io.StringIO(csv_over(found))))) == len(rows)
        failed(notebook, 2, boost="off")
        off = [one for one in library_of(notebook, DEMO_QUESTION, "boost").rows if one.row.out]
        assert [(one.title, one.row.out_words) for one in off] == [("Saltmarsh Couriers", "did not start (2 of 2)")]


def test_a_title_that_never_starts_in_a_system_is_noted_of_it_by_a_button(demo_copy, qtbot):
    """Two passes in another slot that did not start: a finding, whose button notes it; undone it is not noted."""
    with Notebook(demo_copy) as notebook:
        like = next(one for one in notebook.passes() if one.purpose == SWEEP and one.setup.static_limit_w == 13.0)
        rig = rigs(notebook)["ombrel-8"]
        other = next(one.key for one in rig.slots if one.key != DEMO_QUESTION.slot)
        place = {**like.context, "slot": notebook.newest("slot")[f"ombrel-8/{other}"].id}
        failed(notebook, 2, context=place)
        assert "never-runs" not in {one.id for one in evaluate(notebook, DEMO_QUESTION).findings}
        asked = DEMO_QUESTION.with_(slot=other)
        (said,) = [one for one in evaluate(notebook, asked).findings if one.id == "never-runs"]
        assert said.action == f"note/never-runs/{other}" and "(2 passes tried: did not start" in said.evidence
    with opened(demo_copy, qtbot) as window:
        commands.set_question(window.session, asked)
        qtbot.waitUntil(lambda: window.session.evaluation.question.slot == other, timeout=20_000)
        window.stage("Read").notes.acted.emit(said.action)
        slot = lambda: rigs(window.session.notebook)["ombrel-8"].slot(other)  # noqa: E731
        assert DoesNotRun(asked.title, "did not start: refused by its service") in slot().does_not_run
        said_now = lambda: {one.id for one in window.session.evaluation.findings}  # noqa: E731
        qtbot.waitUntil(lambda: "never-runs" not in said_now(), timeout=20_000)
        window.session.undo_stack.undo()
        assert slot() == rig.slot(other)
