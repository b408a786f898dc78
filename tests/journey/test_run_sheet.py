"""A run sheet typed in as a whole: logs by name, rates, a crash; what is wrong stays to be corrected; nothing twice."""

import pytest
from helpers.build import wandering
from helpers.window import click, opened

from hovrik.core.errors import StoreError
from hovrik.core.passes.record import End, Origin
from hovrik.service import run as sweep
from hovrik.service.imports import run_sheet
from hovrik.service.imports.by_hand import Scales
from hovrik.service.imports.run_sheet import SheetRow
from hovrik.service.run import load_plan
from hovrik.store.notebook import Notebook

from .test_by_hand import DESIGN, QUESTION, notebook  # noqa: F401 - a fixture


@pytest.fixture
def logs(tmp_path):
    """A folder with one log of 60 s."""
    (tmp_path / "logs").mkdir()
    values = "\n".join(f"{v:.4f}" for v in wandering(60, 40))
    (tmp_path / "logs" / "first.csv").write_text(f"frame time ms\n{values}")
    return tmp_path / "logs"


def fill(page, row, **texts):
    """Write into the cells of a line by heading."""
    headings = [page.table.horizontalHeaderItem(n).text() for n in range(page.table.columnCount())]
    for name, text in texts.items():
        page.table.item(row, headings.index(name.replace("_", " "))).setText(text)


def test_the_whole_sheet_through_the_window(notebook, logs, qtbot):  # noqa: F811
    with opened(notebook, qtbot) as window:
        click(window.stage_buttons["Plan"])
        window.stage("Plan").print_to(logs / "sheet.pdf")
        window.open_import()
        dialog = window.import_dialog
        page = dialog.sheet
        dialog.tabs.setCurrentWidget(page)
        page.plan.setCurrentIndex(1)  # the plan that was printed
        assert run_sheet.code_of(page.plan.key()) in window.stage("Plan").printed.text()
        assert page.table.rowCount() == 2 and not dialog.accept_.isEnabled()
        fill(page, 0, begun_at="14:05", gauge_start="40", gauge_end="39,7", seen="stutter, noise")
        page.table.item(0, 9).setText("first")
        fill(page, 1, gauge_start="39", gauge_end="39,5")
        page.table.item(1, 9).setText("41,5")
        page.take_folder(logs)
        assert dialog.accept_.text() == "Store 2 passes"
        click(dialog.accept_)
        qtbot.waitUntil(lambda: not page.is_busy, timeout=60_000)
        assert "1 pass stored. 1 line to be corrected." in page.words.text()
        assert "from 39 to 39.5 Wh" in page.table.item(1, page.table.columnCount() - 1).text()
        page.table.item(1, 4).setText("38,8")
        assert page.table.item(1, page.table.columnCount() - 1).text() == ""  # said of what stood there before
        click(dialog.accept_)
        qtbot.waitUntil(lambda: not page.is_busy and page.words.text() == "1 pass stored.", timeout=60_000)
        assert not dialog.accept_.isEnabled()
        one, two = window.session.notebook.passes()
        assert (one.origin, two.origin) == (Origin.IMPORTED, Origin.SUMMARY)
        assert one.conditions["seen"].value == "stutter, noise" and one.conditions["begun_at"].value == "14:05"
        trace = window.session.notebook.load(one.id).trace
        assert trace.measured("battery_w").mean() == pytest.approx(0.3 / trace.seconds * 3600, rel=1e-6)
        assert two.summary["mean_fps"] == 41.5 and two.summary["battery_w"] == pytest.approx(0.2 / 20 * 3600)
        assert load_plan(window.session.notebook, page.plan.key()).done_indices == {0, 1}


def test_a_crash_is_an_outcome_and_what_cannot_be_is_told_by_line(notebook, logs):  # noqa: F811
    with Notebook(notebook) as opened_:
        plan = sweep.keep_plan(opened_, QUESTION, DESIGN)
        rows = [
            SheetRow(0, {"log": "did not start at all"}),
            SheetRow(1, {"log": "none.csv"}),
            SheetRow(7, {"log": "40"}),
            SheetRow(1),
        ]
        done = run_sheet.store(opened_, plan, rows, Scales(), logs)
        assert [one.stored for one in done] == [True, False, False]
        assert "No log 'none.csv'" in done[1].words and "no pass 8" in done[2].words
        (record,) = opened_.passes()
        assert record.outcome is End.FAILED and record.reason == "did not start at all"
        assert "left alone" in run_sheet.store(opened_, plan, rows[:1], Scales(), logs)[0].words
        for text, words in (("-3", "cannot be"), ("", "log or a mean rate is needed"), ("/etc/passwd", "No column")):
            (one,) = run_sheet.store(opened_, plan, [SheetRow(1, {"log": text, "begun": "now"})], Scales(), logs)
            assert words in one.words or "cannot be read" in one.words
        with pytest.raises(StoreError, match="not in"):
            run_sheet.store(opened_, "no plan", rows, Scales(), logs)
