"""Where the watts of a setup go, in the window."""

import pytest
from helpers.window import opened


def test_parts_of_the_draw(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Read")
        qtbot.waitUntil(lambda: window.session.evaluation is not None, timeout=20_000)
        read = window.stage("Read")
        read.pages.show_page("Waste")
        page = read.waste
        page.setup.setCurrentIndex(next(at for at in range(page.setup.count()) if "15 W" in page.setup.itemText(at)))
        assert page.table.rowCount() == len(page.waste.parts) == 3 and "No pair" in page.words.text()
        assert page.picture.data["to_w"][-1] == pytest.approx(page.waste.draw.value)
        assert page.table.item(0, 5).text() == "the line of draws"
