"""The evening ahead in the window: legs added, typed and dragged, undone, written as a card."""

from helpers.window import at_rest, click, opened, type_number

from hovrik.core.choose.journey import FILM
from hovrik.core.read.answer import Answer


def test_an_evening_is_planned_dragged_undone_and_written(demo_copy, qtbot, tmp_path):
    with opened(demo_copy, qtbot) as window:
        window.show_place("Choose", "Tonight")
        page = window.stage("Choose").tonight
        assert isinstance(window.session.evaluation.answer, Answer)
        for _ in range(2):
            click(page.add)
            at_rest(page, qtbot)
        page.table.cellWidget(1, 0).setCurrentIndex(page.table.cellWidget(1, 0).findData(FILM))
        type_number(page.table.cellWidget(0, 1), "45")
        type_number(page.charge, "90")
        at_rest(page, qtbot)
        first = page.outcome
        legs = window.session.evening.legs
        assert [leg.minutes for leg in legs] == [45.0, 60.0] and legs[1].what == FILM and first.picks == (0, 0)
        assert first.chance > 0.99 and "is left all the way" in page.words.text()
        assert page.table.item(0, 4).text().startswith("13 W, cap 40") and page.table.item(1, 4).text() != ""
        page.plot.leg_moved.emit(0, 150.0)  # as a drag of its end does
        at_rest(page, qtbot)
        assert page.outcome.unplayed == (0,) or page.outcome.chance < 0.9
        assert "left out" in page.words.text() or page.outcome.breaks is not None
        page.plot.leg_moved.emit(0, 80.0)
        at_rest(page, qtbot)
        assert page.outcome.picks[0] is not None
        while window.session.evening.legs and window.session.evening.legs[0].minutes != 45.0:
            window.session.undo_stack.undo()
        at_rest(page, qtbot)
        assert page.outcome.chance == first.chance and page.table.cellWidget(0, 1).value() == 45.0
        page.card_to(tmp_path / "card.html")
        page.card_to(tmp_path / "card.pdf")
        text = (tmp_path / "card.html").read_text()
        assert "a film" in text and "13 W, cap 40" in text and (tmp_path / "card.pdf").read_bytes()[:5] == b"%PDF-"
        page.table.setCurrentCell(1, 4)
        click(page.up)
        at_rest(page, qtbot)
        assert window.session.evening.legs[0].what == FILM
        click(page.remove)
        at_rest(page, qtbot)
        assert len(window.session.evening.legs) == 1
        kept = window.session.evening
    with opened(demo_copy, qtbot) as window:  # what was planned is there when the page is first seen
        window.show_place("Choose", "Tonight")
        page = window.stage("Choose").tonight
        at_rest(page, qtbot)
        assert page.table.rowCount() == 1 and page.charge.value() == 90.0 and window.session.evening == kept
        window.session.notebook.set_state("tonight", {"legs": [{"what": 3}]})
        assert window.session.evening.legs == ()  # what cannot be read is an empty evening
