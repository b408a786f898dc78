"""Caps in Choose: predicted off the thread, in words that say so."""

from helpers.window import click, opened

from hovrik.app import commands
from hovrik.core.facts.place import Source


def rows(table):
    return [[table.item(row, column).text() for column in range(table.columnCount())]
            for row in range(table.rowCount())]  # fmt: skip


def test_caps_are_predicted_at_once_and_follow_the_question(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Choose"])
        choose = window.stage("Choose")
        choose.pages.show_page("Caps")
        qtbot.waitUntil(lambda: choose.caps.rowCount() > 0, timeout=20_000)
        assert "not measured" in choose.caps_words.text() and "a cap of 40" in choose.caps_words.text()
        first = rows(choose.caps)[0]
        assert first[:2] == ["30", "60 Hz, 2 times"] and first[2].endswith(" W") and "%" in first[3] and "h" in first[6]
        assert all(float(row[0]) < 40 for row in rows(choose.caps))
        commands.set_question(window.session, window.session.question.with_(source=Source.ADAPTER))
        qtbot.waitUntil(lambda: choose.caps.rowCount() == 0, timeout=20_000)
        assert "No cap can be predicted" in choose.caps_words.text()
