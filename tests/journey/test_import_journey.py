"""The journey on real input: a log of another make through the dialog, a summary, a refusal; they land in Read."""

import numpy as np
import pytest
from helpers.build import wandering
from helpers.window import at_rest, click, opened
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from hovrik.app.worker import Worker
from hovrik.store.notebook import Notebook


@pytest.fixture
def log(tmp_path):
    """A log with semicolons, decimal commas, a mark, milliwatts and four faults."""
    path = tmp_path / "log.csv"
    path.write_bytes(log_bytes())
    return path


def log_bytes(seed=0):
    """The same of another run."""
    rng = np.random.default_rng(1)
    lines = ["frame time (ms);package power (mW);die temperature (C)"]
    for number, value in enumerate(wandering(60, 43, wander=0.01, seed=seed)):
        lines.append(f"{value:.3f};{14_800 + rng.normal(0, 60):.0f};{61 + number / 5000:.1f}".replace(".", ","))
    lines[40], lines[90], lines[120], lines[300] = "", lines[0], "-3,0;14800;61", "abc;14800;61"
    return b"\xef\xbb\xbf" + "\r\n".join(lines).encode()


def converted(dialog, qtbot):
    """Wait until the preview is there."""
    qtbot.waitUntil(lambda: dialog.imported is not None, timeout=60_000)


def test_import_a_log_then_a_summary(demo_copy, log, qtbot):
    with opened(demo_copy, qtbot) as window:
        QTest.keyClick(window, Qt.Key.Key_I, Qt.KeyboardModifier.ControlModifier)
        dialog = window.import_dialog
        assert dialog.isVisible() and not dialog.isModal() and not dialog.accept_.isEnabled()
        dialog.open_file(log)
        converted(dialog, qtbot)
        assert "semicolons, decimal comma" in dialog.file_words.text()
        assert dialog.frame_column.currentText() == "frame time (ms)" and dialog.frame_unit.key() == "ms"
        assert dialog.channels.rows["package_w"][1].key() == "mW" and dialog.channels.rows["die_c"][0].key() == "2"
        assert "4 left out" in dialog.outcome.text() and "1 % low (percentile)" in dialog.outcome.text()
        shown = dialog.problems.toPlainText()
        for words in ("line 41: blank", "line 91: repeated header", "line 121: interval -3", "line 301: 'abc'"):
            assert words in shown
        dialog.frame_unit.setFocus()
        dialog.frame_unit.setCurrentIndex(dialog.frame_unit.findData("s"))  # a wrong unit shows at once
        qtbot.waitUntil(lambda: "mean 0.0 fps" in dialog.outcome.text(), timeout=60_000)
        dialog.frame_unit.setCurrentIndex(dialog.frame_unit.findData("ms"))
        converted(dialog, qtbot)
        QTest.keyClicks(dialog.limit, "15")
        QTest.keyClicks(dialog.cap, "none")
        QTest.keyClicks(dialog.room, "21")
        click(dialog.accept_)
        at_rest(dialog, qtbot)
        assert "Imported" in dialog.message.text()
        qtbot.waitUntil(
            lambda: any(v.record.origin.value == "imported" for v in window.session.evaluation.views), timeout=60_000
        )
        click(dialog.accept_)  # the button once more
        at_rest(dialog, qtbot)
        assert "in the notebook already" in dialog.message.text()
        dialog.tabs.setCurrentWidget(dialog.summary_page)
        click(dialog.accept_)
        at_rest(dialog, qtbot)
        assert "a mean_fps, min_fps or score is needed" in dialog.message.text()
        for key, text in (("mean_fps", "52,5"), ("source", "a friend")):
            QTest.keyClicks(dialog.summary_page.fields[key], text)
        click(dialog.accept_)
        at_rest(dialog, qtbot)
        assert "Imported" in dialog.message.text()
        dialog.close()
        qtbot.waitUntil(
            lambda: sum(v.record.origin.value == "summary" for v in window.session.evaluation.views) == 1,
            timeout=60_000,
        )
        click(window.stage_buttons["Read"])
        read = window.stage("Read")
        assert read.table.model_.rowCount() == 39
        assert {"cap 40 (36 passes)", "no cap (2 passes)"} == {
            read.response_choice.itemText(n) for n in range(read.response_choice.count())
        }
        assert "lows withheld" in read.one_pass.words.text()
        click(window.stage_buttons["Keep"])
    with opened(demo_copy, qtbot) as window:
        assert len(window.session.evaluation.views) == 39


def test_hostile_files_are_told(demo_copy, tmp_path, qtbot):
    with opened(demo_copy, qtbot) as window:
        for number, content in enumerate((b"", b"\x00\x01\x02" * 500, b"a,b\nx,y\n", None)):
            path = tmp_path / f"bad-{number}.csv"
            if content is not None:
                path.write_bytes(content)
            window.open_import()
            dialog = window.import_dialog
            dialog.open_file(path)
            qtbot.waitUntil(lambda: bool(dialog.message.text()), timeout=60_000)  # noqa: B023
            assert not dialog.accept_.isEnabled() and "Traceback" not in dialog.message.text(), content
            dialog.close()


def test_values_that_cannot_be_are_told_and_nothing_is_stored(demo_copy, log, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.open_import()
        dialog = window.import_dialog
        dialog.open_file(log)
        converted(dialog, qtbot)
        dialog.limit.setText("fifteen")
        click(dialog.accept_)
        assert "sustained_limit_w=fifteen is not a number" in dialog.message.text()
        assert len(window.session.notebook.passes()) == 37
        dialog.close()


def test_many_logs_by_list_and_by_watched_folder(demo_copy, tmp_path, qtbot):
    folder = tmp_path / "logs"
    folder.mkdir()
    for watts in (9, 11):
        (folder / f"run {watts}W cap40.csv").write_bytes(log_bytes(watts))
    (folder / "11 notes.txt").write_text("not a log")
    with opened(demo_copy, qtbot) as window:
        window.open_import()
        dialog = window.import_dialog
        dialog.tabs.setCurrentWidget(dialog.batch)
        page = dialog.batch
        page.add_folder(folder)
        qtbot.waitUntil(lambda: page.table.rowCount() == 3 and not page.is_busy, timeout=60_000)
        assert dialog.accept_.text() == "Import 2 logs" and "2 of 3 logs" in page.words.text()
        assert [page.table.item(row, 5).text() for row in range(3)] == ["", "11", "9"]
        page.watch.watch(folder)
        (folder / "later 13W.csv").write_bytes(log_bytes(13))
        page.watch.look()
        assert page.table.rowCount() == 3  # it may still be growing
        page.watch.look()
        qtbot.waitUntil(lambda: page.table.rowCount() == 4 and not page.is_busy, timeout=60_000)
        page.table.item(2, 5).setText("10")  # the name was wrong
        click(dialog.accept_)
        qtbot.waitUntil(lambda: "3 passes stored" in page.words.text(), timeout=60_000)
        stored = [r for r in window.session.notebook.passes() if "log" in r.conditions]
        assert sorted(r.setup["sustained_limit_w"] for r in stored) == [10, 11, 13]
        dialog.close()
        assert page.watch.folder is None


def test_closing_the_window_ends_an_import_after_the_log_under_way(demo_copy, tmp_path, qtbot):
    folder = tmp_path / "logs"
    folder.mkdir()
    for number in range(30):
        (folder / f"{number}.csv").write_bytes(log_bytes(number))
    with opened(demo_copy, qtbot) as window:
        window.open_import()
        page = window.import_dialog.batch
        window.import_dialog.tabs.setCurrentWidget(page)
        page.add_folder(folder)
        qtbot.waitUntil(lambda: page.usable == 30 and not page.is_busy, timeout=60_000)
        click(window.import_dialog.accept_)
        qtbot.waitUntil(lambda: page.bar.value() >= 1, timeout=60_000)
        workers = page.findChildren(Worker)
    assert workers and not any(worker.is_busy for worker in workers)
    with Notebook(demo_copy) as notebook:
        stored = [r for r in notebook.passes() if "log" in r.conditions]
        assert 1 <= len(stored) <= 30 and all(notebook.load(r.id).trace is not None for r in stored)
