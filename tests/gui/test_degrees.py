"""Temperatures in the user's unit, wherever they are shown or typed."""

import pytest
from helpers.window import opened, texts
from PyQt6.QtWidgets import QLabel

from hovrik.app.dialogs.preferences_dialog import PreferencesDialog
from hovrik.app.settings import DEGREES, remember, remembered
from hovrik.app.widgets.sheet_form import EntryField
from hovrik.core import degrees, words
from hovrik.core.errors import InputError
from hovrik.core.facts.sheet import parse
from hovrik.core.facts.sheets import GUARDS, RIG
from hovrik.core.message import Value, say


@pytest.fixture
def fahrenheit():
    degrees.choose("F")
    yield
    degrees.choose("C")


def test_words_fields_and_typed_numbers_follow(fahrenheit):
    assert words.render(say("settled", die=Value(65.0, "C", digits=0))).count("149 F") == 1
    assert degrees.words(65.0) == "149 F" and degrees.heading("die, settled C") == "die, settled F"
    assert float(degrees.typed("77")) == pytest.approx(25) and float(degrees.typed(" 75,2 ")) == pytest.approx(24)
    assert degrees.typed("warm") == "warm"


def test_a_form_takes_and_bounds_them_in_the_shown_unit(fahrenheit, qtbot):
    field = EntryField(RIG.field("die_limit_c"))
    qtbot.addWidget(field)
    field.show_value(95.0)
    assert field.text() == "203" and "F" in {one.text() for one in field.findChildren(QLabel)}
    told = []
    field.edited.connect(lambda name, value: told.append((name, value)))
    field.line.setText("212")
    field.line.editingFinished.emit()
    assert told == [("die_limit_c", 100.0)]
    field.line.setText("95")  # 35 C
    field.line.editingFinished.emit()
    assert len(told) == 1 and "104 to 266" in field.problem.text()
    rise = EntryField(GUARDS.field("heat_under_c"))
    qtbot.addWidget(rise)
    rise.show_value(10.0)
    assert rise.text() == "18"


def test_every_place_follows_from_the_next_start_on(demo_copy, qtbot, fahrenheit):
    with opened(demo_copy, qtbot) as window:
        dialog = PreferencesDialog(window)
        dialog.degrees.setCurrentIndex(1)
        assert remembered(DEGREES) == "F"
        dialog.done(0)
    try:
        with opened(demo_copy, qtbot) as window:
            seen = ""
            for stage in ("Choose", "Plan"):
                window.show_place(stage, "Options" if stage == "Choose" else "Knobs")
                qtbot.wait(20)
                seen += texts(window)
            assert "die, settled F" in seen and "die, settled C" not in seen
            assert window.stage("Plan").knobs.room_c.suffix() == " F"
            assert " F settled" in seen and " C settled" not in seen
            assert window.stage("Plan").knobs.room_c.value() == pytest.approx(
                degrees.shown(window.session.room_c), abs=0.05
            )
    finally:
        remember(DEGREES, "C")


def test_an_unknown_unit_is_c():
    degrees.choose("K")
    assert degrees.unit() == "C"
    with pytest.raises(InputError, match="40 to 130"):
        parse(RIG.field("die_limit_c"), "500")
