"""Caps in Choose: predicted off the thread, in words that say so."""

import csv
import io
import json

from click.testing import CliRunner
from helpers.window import click, opened

from hovrik.app import commands
from hovrik.cli import commands as commands_of
from hovrik.core.facts.place import Source
from hovrik.service.capping import cell_words, table_of


def test_every_set_up_with_every_cap_of_this_panel_and_another(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Choose"])
        caps = window.stage("Choose").caps
        window.stage("Choose").pages.show_page("Caps")
        qtbot.waitUntil(lambda: caps.setups.rowCount() == 12, timeout=20_000)
        table = table_of(window.session.evaluation)
        assert caps.words.text().startswith("Lock 40: 13 W holds it (over 99 % sure, 3 passes)")
        assert caps.setups.currentItem().text() == cell_words(table.rows[6].cells[0], 0.95)
        assert "● holds" in caps.setups.currentItem().text() and "● no" in caps.setups.item(0, 1).text()
        caps.panel.setText("48 to 90")
        caps.panel.editingFinished.emit()
        heading = lambda at: caps.setups.horizontalHeaderItem(at).text()  # noqa: E731
        qtbot.waitUntil(lambda: caps.setups.columnCount() > 2 and heading(2) == "35", timeout=20_000)
        assert "those of the panel that was measured" in caps.words.text()
        caps.panel.setText("as it is")
        caps.panel.editingFinished.emit()
        qtbot.waitUntil(lambda: "is no panel" in caps.words.text(), timeout=20_000)
        assert caps.setups.rowCount() == 0
    said = run("caps", demo_copy, "--panel", "60,80", "--csv")
    assert len(list(csv.DictReader(io.StringIO(said)))) == sum(
        cell is not None for row in table.rows for cell in row.cells
    )
    assert json.loads(run("caps", demo_copy, "--json"))["lock"] == {"row": 6, "cap": 0}
    assert "is no panel" in run("caps", demo_copy, "--panel", "as it is", status=1)


def run(*words, status=0):
    """What the command line prints."""
    done = CliRunner().invoke(commands_of, [str(word) for word in words])
    assert done.exit_code == status, done.output
    return done.output


def rows(table):
    return [[table.item(row, column).text() for column in range(table.columnCount())]
            for row in range(table.rowCount())]  # fmt: skip


def test_caps_are_predicted_at_once_and_follow_the_question(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Choose"])
        choose = window.stage("Choose")
        choose.pages.show_page("Caps")
        choose.caps.manner.setCurrentIndex(1)
        qtbot.waitUntil(lambda: choose.caps.each.rowCount() > 0, timeout=20_000)
        assert "not measured" in choose.caps.words.text() and "a cap of 40" in choose.caps.words.text()
        first = rows(choose.caps.each)[0]
        assert first[:2] == ["30", "60 Hz, 2 times"] and first[2].endswith(" W") and "%" in first[3] and "h" in first[6]
        assert all(float(row[0]) < 40 for row in rows(choose.caps.each))
        commands.set_question(window.session, window.session.question.with_(source=Source.ADAPTER))
        qtbot.waitUntil(lambda: choose.caps.each.rowCount() == 0, timeout=20_000)
        assert "No cap can be told" in choose.caps.words.text()
