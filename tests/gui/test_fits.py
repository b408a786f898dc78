"""Everything is at hand from 800x450 up, on a handheld's panel at scale 1.5 and 2 too; nothing moves the page."""

import json
import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest
from helpers.fits import PICTURE_PX, faults, walk
from helpers.window import at_rest, opened
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from hovrik.app.theme import tokens
from hovrik.app.widgets.flow import longest_that_fit
from hovrik.app.widgets.room import Room

SIZES = [(853, 533), (1280, 760), (2560, 1440)]  # smaller ones by scale, below
LONG = "The Long Winding Ferry Road to the Lighthouse beyond the Marshes " * 6
SCALED = """
import sys; sys.path.insert(0, {tests!r})
import json
from pathlib import Path
from helpers.fits import faults, walk
from hovrik.app.main_window import MainWindow
from hovrik.app.session import Session
from hovrik.app.start import make_application
application = make_application()
window = MainWindow(Session(Path({path!r})))
window.fit_screen()
window.show()
while window.session.evaluation is None:
    application.processEvents()
found = {{f"{{s}}/{{p}}": faults(window) for s, p in walk(window)}}
print(json.dumps([window.width(), window.height(), window.devicePixelRatio(), found]))
window.close()
"""


@pytest.fixture
def window(demo_copy, qtbot):
    """The window on the demo, a pass selected."""
    with opened(demo_copy, qtbot) as made:
        made.session.select_pass(made.session.evaluation.views[3].record.id)
        at_rest(made, qtbot)
        yield made


@pytest.mark.parametrize("size", SIZES, ids=lambda s: f"{s[0]}x{s[1]}")
def test_everything_fits(window, qtbot, size):
    window.resize(*size)
    wrong = {}
    for where in walk(window):
        at_rest(window, qtbot)
        assert (window.width(), window.height()) == size, where
        found = faults(window, PICTURE_PX if size == (853, 533) else 0)
        stop = window.bench_line.stop
        assert stop.isVisible() and window.rect().contains(stop.geometry().translated(window.bench_line.pos()))
        if found:
            wrong[where] = found
    assert not wrong


def test_a_panel_of_1280x800_at_scale_two(demo_copy, tmp_path):
    scale = "2"
    screen = {"name": "s", "x": 0, "y": 0, "width": 1280, "height": 800, "dpr": 1, "logicalDpi": 96,
              "logicalBaseDpi": 96}  # fmt: skip
    (tmp_path / "screen.json").write_text(
        json.dumps({"synchronousWindowSystemEvents": False, "windowFrameMargins": False, "screens": [screen]})
    )
    code = SCALED.format(tests=str(Path(__file__).parents[1]), path=str(demo_copy))
    platform = f"offscreen:configfile={tmp_path / 'screen.json'}"
    more = {"QT_SCALE_FACTOR": scale, "QT_QPA_PLATFORM": platform, "XDG_CONFIG_HOME": str(tmp_path / "config")}
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, timeout=180, env={**os.environ, **more}
    )
    assert done.returncode == 0, done.stderr
    width, height, ratio, found = json.loads(done.stdout.splitlines()[-1])
    assert ratio == float(scale) and width <= 1280 / ratio and height <= 800 / ratio, "first start fits the screen"
    assert {where: faults for where, faults in found.items() if faults} == {}


def test_long_names_elide_and_nothing_grows(window, qtbot):
    session = window.session
    with qtbot.waitSignal(session.evaluation_changed, timeout=60_000):
        session.set_rig(replace(session.rig, name=LONG[:380]))
        session.set_title(replace(session.title, name=LONG[:380]))
    at_rest(window, qtbot)
    window.answer_panel.show_text(LONG * 3)
    window.banner.show_problem(LONG * 2)
    for size in ((800, 450), (640, 400)):
        window.resize(*size)
        QApplication.processEvents()
        assert (window.width(), window.height()) == size
        assert not faults(window)
        assert window.minimumSizeHint().width() <= 640 and window.minimumSizeHint().height() <= 400
    assert window.answer_panel.sentence.toolTip() == LONG * 3 and window.answer_panel.sentence.is_cut


@pytest.mark.parametrize("size", [(1280, 800), (853, 533), (640, 400)])
def test_the_page_does_not_move_when_words_come_and_go(window, qtbot, size):
    window.resize(*size)
    QApplication.processEvents()

    def place():
        QApplication.processEvents()
        return window.stack.geometry().translated(window.frame.pos()), window.minimumSizeHint()

    first = place()
    window.banner.show_problem(LONG)
    assert window.banner.isVisible() and place() == first
    for text in ("", LONG, "short"):
        window.answer_panel.show_text(text)
        assert place() == first
        window.answer_panel.show_waiting(text)
        assert place() == first
    window.bench_line.show_running(True)
    assert place() == first
    window.banner.dismiss()
    assert place() == first


def test_the_whole_question_and_the_whole_answer_open_over_the_page(window, qtbot):
    for size, room in (((1280, 800), Room.WIDE), ((853, 533), Room.NARROW), ((640, 400), Room.COMPACT)):
        window.resize(*size)
        QApplication.processEvents()
        assert window.frame.room is room
        line, sheet = window.question_line, window.frame.question_sheet
        line.whole.setFocus()
        QTest.keyClick(line.whole, Qt.Key.Key_Space)
        assert sheet.isVisible() and sheet.isAncestorOf(line.floor) and line.floor.isVisible()
        assert not [f for f in faults(window) if "out of sight" not in f]
        before = window.session.question.target_fps
        line.target.setValue(before + 5)
        assert window.session.question.target_fps == before + 5
        window.session.undo_stack.undo()
        QTest.keyClick(sheet, Qt.Key.Key_Escape)
        assert sheet.isHidden() and line.floor.parentWidget() is not sheet and window.focusWidget() is line.whole
        assert line.rig.isVisible() is (room is not Room.COMPACT)
        answer = window.frame.answer_sheet
        QTest.mouseClick(window.answer_panel.why, Qt.MouseButton.LeftButton)
        assert answer.isVisible() and window.rect().contains(answer.geometry())
        QTest.keyClick(answer, Qt.Key.Key_Escape)
        assert answer.isHidden()


def test_what_stands_beside_a_page_is_a_tab_where_there_is_less_room(window, qtbot):
    window.show_stage("Read")
    pages = window.stage("Read").pages
    assert pages.bar.count() == 5 and window.stage("Read").notes.isVisible()
    pages.fold.click()
    assert not window.stage("Read").notes.isVisible()
    pages.fold.click()
    pages.show_page("Pass")
    window.resize(853, 533)
    QApplication.processEvents()
    assert pages.bar.count() == 6 and pages.page == "Pass" and not window.stage("Read").notes.isVisible()
    pages.show_page("Notes")
    assert window.stage("Read").notes.isVisible()
    window.resize(1280, 800)
    QApplication.processEvents()
    assert pages.bar.count() == 5 and window.stage("Read").notes.isVisible()


def test_signs_follow_the_theme(window):
    window.resize(853, 533)
    rail = window.frame.rail.buttons["Rig"]

    def picture():
        return rail.icon().pixmap(24, 24).toImage()

    light = picture()
    tokens.apply(QApplication.instance(), tokens.DARK)
    dark = picture()
    tokens.apply(QApplication.instance(), tokens.LIGHT)
    assert light != dark and picture() == light


@pytest.mark.parametrize(
    ("widths", "room", "most"),
    [((100, 50, 30), 200, 100), ((100, 50, 30), 150, 70), ((100, 100, 100), 90, 30), ((100,), 10, 20), ((), 5, 20)],
)
def test_the_longest_gives_way(widths, room, most):
    found = longest_that_fit(list(widths), room, 20)
    assert found == most and (sum(min(w, found) for w in widths) <= room or found == 20)
