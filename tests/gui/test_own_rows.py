"""What an owner adds on screen: knobs, what excludes what, set-ups, sections; and floors of another kind."""

import pytest
from helpers.build import DEMO_QUESTION
from helpers.window import at_rest, click, opened

from hovrik.core.facts.factor import LIMIT
from hovrik.core.facts.title import Section


@pytest.fixture
def window(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as made:
        yield made


def write(table, row, heading, text):
    """Type into a cell by its heading."""
    headings = [table.table.horizontalHeaderItem(i).text() for i in range(table.table.columnCount())]
    table.table.item(row, headings.index(heading)).setText(text)


def test_knobs_of_ones_own_on_the_rig_and_in_a_slot(window):
    click(window.stage_buttons["Rig"])
    stage, session = window.stage("Rig"), window.session
    stage.pages.show_page("OS slots")
    click(stage.own_knobs.add)
    click(stage.own_knobs.add)
    assert [one.id for one in session.rig.own_knobs] == ["my_option", "my_option_2"]
    write(stage.own_knobs, 0, "Name", "Window mode")
    write(stage.own_knobs, 0, "Levels, least first", "borderless, exclusive")
    assert session.rig.own_knobs[0].label == "Window mode"
    assert session.rig.own_knobs[0].levels == ("borderless", "exclusive")
    write(stage.own_knobs, 0, "Levels, least first", "only one")
    assert "needs two levels" in window.banner.text.text() and session.rig.own_knobs[0].levels[0] == "borderless"
    assert not stage.exclusions.isVisible()
    stage.knobs_of.show_key("sedge")
    stage.knobs_of.currentIndexChanged.emit(1)
    assert stage.own_knobs.table.rowCount() == len(session.slot.own_knobs)
    before = len(session.slot.exclusions)
    click(stage.exclusions.add)
    assert len(session.slot.exclusions) == before + 1
    session.undo_stack.undo()
    assert len(session.slot.exclusions) == before


def test_set_ups_options_and_sections_of_a_title(window, qtbot):
    click(window.stage_buttons["Scene"])
    stage, session = window.stage("Scene"), window.session
    stage.pages.show_page("Set-ups")
    before = len(session.title.set_ups)
    click(stage.set_ups.add)
    click(stage.set_ups.add)
    assert [one.name for one in session.title.set_ups[before:]] == ["another", "another 2"]
    stage.pages.show_page("Title")
    click(stage.own_knobs.add)
    assert session.title.own_knobs[-1].id == "my_option"
    stage.pages.show_page("Scenes")
    click(stage.sections.add)
    assert session.title.scene("causeway").sections == (Section("first half", 0.0, 30.0),)
    write(stage.sections, 0, "to (s)", "0")
    assert "must end after it begins" in window.banner.text.text()
    assert session.title.scene("causeway").sections == (Section("first half", 0.0, 30.0),)


def test_a_section_is_read_apart(window, qtbot):
    session = window.session
    click(window.stage_buttons["Scene"])
    click_page = window.stage("Scene")
    click_page.pages.show_page("Scenes")
    click(click_page.sections.add)
    click(window.stage_buttons["Read"])
    read = window.stage("Read")
    qtbot.waitUntil(read.section.isVisible, timeout=60_000)
    whole = {v.record.id: v.figures.value("mean_fps") for v in session.evaluation.views}
    read.section.show_key("first half")
    read.section.currentIndexChanged.emit(1)
    qtbot.waitUntil(lambda: session.evaluation.within == "first half", timeout=60_000)
    at_rest(window, qtbot)
    views = [v for v in session.evaluation.views if v.counts]
    assert all(v.figures.frames.seconds == pytest.approx(30, abs=0.1) for v in views)
    assert any(v.figures.value("mean_fps") != whole[v.record.id] for v in views)
    assert all(v.figures.value("die_c") is None for v in views) and session.evaluation.factor.id == LIMIT
    sentence = window.answer_panel.sentence.text()
    assert sentence and "holds" in sentence


def test_the_floor_names_its_figure(window, qtbot):
    session, line = window.session, window.question_line
    line.floor.show_key("mean")
    line.floor.currentIndexChanged.emit(0)
    assert session.question.terms.floor.figure == "mean" and session.question.target_fps == 40.0
    line.floor.show_key("score")
    line.floor.currentIndexChanged.emit(0)
    assert line.unit.text() == "points as its"
    line.floor.show_key("none")
    line.floor.currentIndexChanged.emit(0)
    assert session.question.terms.floor is None and not line.target.isVisible()
    at_rest(window, qtbot)
    for name in ("Plan", "Read", "Choose", "Keep"):
        click(window.stage_buttons[name])
    session.select_pass(session.evaluation.views[3].record.id)
    at_rest(window, qtbot)
    session.undo_stack.undo()
    session.undo_stack.undo()
    session.undo_stack.undo()
    assert session.question.terms.floor.figure == "low_1pct"


def test_a_scene_brings_a_floor_that_it_can_be_held_to():
    asked = DEMO_QUESTION
    for yields, figure in (("score", "score"), ("time", "time"), ("frames", "low_1pct")):
        found = asked.for_scene_that(yields)
        assert found.terms.floor.figure == figure and found.for_scene_that(yields) == found
    assert asked.for_scene_that("draw").terms.floor is None
    assert asked.for_scene_that("draw").for_scene_that("frames").terms.floor.figure == "low_1pct"
