"""Two sets side by side in Read: fair, confounded, and from there to the plan that settles it."""

import re

import pytest
from helpers.build import DEMO_QUESTION, trace_of, wandering
from helpers.window import click, opened
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from hovrik.app.widgets.compare_page import HEADINGS
from hovrik.service.imports import one as imports
from hovrik.store.files.read.frame_log import Imported
from hovrik.store.notebook import Notebook


@pytest.fixture
def window(demo_copy, qtbot):
    with Notebook(demo_copy) as notebook:
        for limit, boost, rate in ((13, "on", 42.0), (15, "off", 45.0)):
            setup = imports.setup_from({"sustained_limit_w": f"{limit}", "cap_fps": "none", "boost": boost})
            for seed in range(3):
                trace = trace_of(wandering(60, rate, seed=seed), package_w=float(limit), battery_w=6 + limit * 1.1)
                told = imports.conditions_from(DEMO_QUESTION, {"room_c": "22"})
                imports.import_trace(notebook, DEMO_QUESTION, Imported(trace, trace.frames_ns, ()), setup, told)
    with opened(demo_copy, qtbot) as made:
        made.show_stage("Read")
        made.stage("Read").pages.show_page("Compare")
        qtbot.waitUntil(lambda: made.stage("Read").compare.sheet is not None, timeout=20_000)
        yield made


def choose(page, a, b):
    """Two sets, by a part of their words."""
    for choice, part in ((page.a, a), (page.b, b)):
        choice.setCurrentIndex(next(at for at in range(choice.count()) if part in choice.itemText(at)))


def column(page, heading):
    at = HEADINGS.index(heading)
    return [page.table.item(row, at).text() for row in range(page.table.rowCount())]


def test_neighbours_are_fair_and_read_as_a_sheet(window):
    page = window.stage("Read").compare
    choose(page, "13 W, cap 40", "14 W, cap 40")
    assert page.fair.text() == "Fair: nothing differs but power limit."
    assert column(page, "Figure")[0].startswith("1 % low") and "better" in column(page, "Verdict")
    choose(page, "13 W, cap 40", "13 W, cap 40")
    assert page.table.rowCount() == 0 and "Choose two" in page.fair.text()


def test_a_comparison_is_drawn_and_printed(window, tmp_path):
    """The picture says what the table does; the page of HTML refers to nothing outside itself."""
    page = window.stage("Read").compare
    choose(page, "13 W, cap 40", "14 W, cap 40")
    drawn, lines = page.picture.data, page.sheet.lines
    signs = [(-1 if line.figure.less_is_better else 1) * line.found.delta for line in lines]
    assert [m > 0 for m in drawn["margins"]] == [s > 0 for s in signs] and len(lines) == len(drawn["low"])
    page.print_to(tmp_path / "a.html")
    html = (tmp_path / "a.html").read_text()
    assert "13 W, cap 40" in html and "Mean rate" not in column(page, "Figure") and "Room" not in html
    assert not re.search(r"""(?:src|href)=['"](?!data:)""", html)
    page.print_to(tmp_path / "a.pdf")
    assert (tmp_path / "a.pdf").read_bytes().startswith(b"%PDF") and (tmp_path / "a.pdf").stat().st_size > 4000
    page.print_to(tmp_path / "none" / "a.html")
    assert "a.html" in page.fair.text()


def test_what_is_confounded_goes_to_the_plan_that_settles_it(window, qtbot):
    page, session = window.stage("Read").compare, window.session
    choose(page, "13 W, no cap, boost on", "15 W, no cap, boost off")
    assert "Confounded" in page.fair.text() and set(column(page, "Verdict")) == {"confounded"}
    assert not page.settle.isEnabled()
    page.asked.setCurrentIndex(page.asked.findData("boost"))
    assert (
        "beside CPU boost" in page.fair.text() and "13 W, no cap, boost off would tell them apart" in page.fair.text()
    )
    click(page.settle)
    question = session.question
    assert question.kind == "knob" and question.parts["over"] == "boost"
    assert window.stack.currentWidget() is window.stage("Plan")
    passes, _ = session.planned_passes()
    assert {(one.setup["boost"], one.setup["sustained_limit_w"]) for one in passes} == {("on", 13.0), ("off", 13.0)}
    session.undo_stack.undo()
    assert session.question.kind == "lowest-watts"


def test_responses_are_laid_over_each_other(window):
    """What is drawn is what the groups say, along the factor or along watts; a line keeps its colour when others go."""
    window.stage("Read").pages.show_page("Responses")
    window.stage("Read").manner.setCurrentIndex(1)
    page, found = window.stage("Read").overlay, window.session.evaluation
    names = [item.text() for item in page._items()]
    assert "cap 40" in names and len(names) == len(found.every) >= 3
    page.figure.setCurrentIndex(page.figure.findData("mean_fps"))
    own = found.every[names.index("cap 40")]
    assert list(page.plot.data["cap 40"]) == pytest.approx([group.rate.value for group in own.groups])
    page.across.setCurrentIndex(page.across.findData("watts"))
    assert list(page.plot.data["cap 40: at"]) == pytest.approx(sorted(group.package.value for group in own.groups))
    page.figure.setCurrentIndex(page.figure.findData("joules_per_frame"))
    joules = [group.draw.value / group.rate.value for group in own.groups]
    assert sorted(page.plot.data["cap 40"]) == pytest.approx(sorted(joules))
    before = {line.words: line.number for line in page.plot._lines}
    page._items()[0].setCheckState(Qt.CheckState.Unchecked)
    after = {line.words: line.number for line in page.plot._lines}
    assert names[0] not in after and all(before[name] == number for name, number in after.items())
    assert names[0] not in page.plot.data
    page.manner.setCurrentIndex(1)
    assert len(page.small[0].data) == 4 and page.small[0]._beside == page.small[1]._beside  # shared axes


def held_over(plot, moves):
    """Press at the first of some places of a plot, go over the others, let go at the last."""
    box = plot.getPlotItem().getViewBox()
    places = [plot.mapFromScene(box.mapViewToScene(QPointF(x, y))) for x, y in moves]
    QTest.mousePress(plot.viewport(), Qt.MouseButton.LeftButton, pos=places[0])
    for place in places[1:]:
        at, button = QPointF(place), Qt.MouseButton.LeftButton
        whole = QPointF(plot.viewport().mapToGlobal(place))
        moved = QMouseEvent(QMouseEvent.Type.MouseMove, at, whole, button, button, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(plot.viewport(), moved)
    QTest.mouseRelease(plot.viewport(), Qt.MouseButton.LeftButton, pos=places[-1])


def test_a_level_dragged_onto_another_leads_to_their_comparison(window, qtbot):
    """Beside it: the button does the same for the selected pass; a drag into the empty compares nothing."""
    read, pages = window.stage("Read"), window.stage("Read").pages
    page, plot = read.compare, read.rate
    pages.show_page("Responses")
    read.manner.show_key("one")
    qtbot.waitUntil(lambda: plot.data != {}, timeout=10_000)
    at = {x: (x, y) for x, y in zip(plot.data["limit_w"], plot.data["mean_fps"])}
    middle = (10.0, (at[8.0][1] + at[12.0][1]) / 2)
    held_over(plot, [at[8.0], middle, (10.0, 5.0)])
    assert pages.page == "Responses"
    held_over(plot, [at[8.0], middle, at[12.0]])
    assert pages.page == "Compare" and "8 W, cap 40" in page.a.currentText()
    assert "12 W, cap 40" in page.b.currentText() and "Fair" in page.fair.text()
    view = next(v for v in window.session.evaluation.views if v.counts and v.record.setup.static_limit_w == 10)
    window.session.select_pass(view.record.id)
    click(read.compare_with)
    assert "10 W, cap 40" in page.a.currentText()


def test_what_passes_leave_over_leads_from_pass_to_pass(window, qtbot):
    """Dots are the passes; arrow keys go through them as they were made, Return opens one."""
    read, session = window.stage("Read"), window.session
    read.pages.show_page("Responses")
    read.manner.setCurrentIndex(read.manner.findData("left"))
    page = read.residuals
    qtbot.waitUntil(lambda: page.order.data != {}, timeout=10_000)
    groups = read._response.groups
    assert len(page.along.data["off"]) == sum(len(group.passes) for group in groups)
    assert len(page.along.data["limit_w"]) == len(page.order.data["order"])
    first, second = page.order._rows[:2]
    session.select_pass(first.id)
    qtbot.keyClick(page.order, Qt.Key.Key_Right)
    assert session.selected_pass == second.id
    rate = next(group for group in groups if second.id in group.passes).rate.value
    assert second.off == pytest.approx(100 * (second.value / rate - 1))
    qtbot.keyClick(page.order, Qt.Key.Key_Return)
    assert read.pages.page == "Pass"
    page.figure.setCurrentIndex(page.figure.findData("die_c"))
    assert page.along.getAxis("left").labelText.endswith("(C)")
