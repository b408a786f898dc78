"""Read: findings beside the page (seen, followed, put aside with a reason and brought back), where the watts go."""

import pytest
from helpers.window import click, opened
from PyQt6.QtWidgets import QInputDialog, QPushButton


@pytest.fixture
def window(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as made:
        made.show_stage("Read")
        qtbot.waitUntil(lambda: made.session.evaluation is not None, timeout=20_000)
        yield made


def press(panel, name):
    click(next(one for one in panel.findChildren(QPushButton) if one.accessibleName().startswith(name)))


def words(panel):
    return " ".join(text for _, text in panel.notes)


def test_findings_stand_beside_what_they_are_about(window):
    panel = window.stage("Read").notes
    assert "frames wait for the GPU, held down by the power limit" in words(panel)
    assert window.stage_buttons["Read"].accessibleDescription().endswith("findings")
    press(panel, "Show: waits")
    evaluation, chosen = window.session.evaluation, window.session.selected_pass
    assert chosen in evaluation.responses[0].groups[0].passes


def test_a_finding_leads_to_the_question_that_follows(window):
    panel = window.stage("Read").notes
    press(panel, "Ask about that scene")
    assert window.session.question.scene == "market"
    assert window.stage_buttons["Plan"].isChecked()
    window.session.undo_stack.undo()
    assert window.session.question.scene == "causeway"


def test_a_finding_is_put_aside_with_a_reason_and_brought_back(window, monkeypatch):
    panel, session = window.stage("Read").notes, window.session
    before = panel.which.itemText(1)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("I like it so", True))
    press(panel, "Put aside: refresh unused")
    assert list(session.aside.values()) == ["I like it so"] and panel.which.itemText(1) != before
    panel.which.setCurrentIndex(panel.which.findData("aside"))
    assert "80 Hz" in words(panel)
    press(panel, "Bring back: refresh unused")
    assert session.aside == {} and panel.which.itemText(1) == before
    session.undo_stack.undo()
    assert session.aside


def test_parts_of_the_draw(window):
    read = window.stage("Read")
    read.pages.show_page("Waste")
    page = read.waste
    page.setup.setCurrentIndex(next(at for at in range(page.setup.count()) if "15 W" in page.setup.itemText(at)))
    assert page.table.rowCount() == len(page.waste.parts) == 3 and "No pair" in page.words.text()
    assert page.picture.data["to_w"][-1] == pytest.approx(page.waste.draw.value)
    assert page.table.item(0, 5).text() == "the line of draws"
