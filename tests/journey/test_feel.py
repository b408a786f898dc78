"""A blind test through the window: asked, played with one key, nothing shown, its floor taken and given back; and the
loudest fan, by ear.
"""

import gc
import math
import socket
import subprocess
import sys

import pytest
from helpers.window import at_rest, click, knocked, opened
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from hovrik.app.knock import PRESS, SHOW, knock
from hovrik.app.run_worker import RunWorker
from hovrik.app.single import Doorbell
from hovrik.app.start import make_application
from hovrik.bench.job import Phase, Progress, RunEnded
from hovrik.core.facts.knob import CAP
from hovrik.core.passes.purpose import FEEL
from hovrik.core.read.looks import PRESSED
from hovrik.store.notebook import PassQuery

FLOOR = 43.0


@pytest.fixture
def player(monkeypatch):
    """Who presses a second or two into a look at fewer frames than their floor; and what the window was told."""
    heard, own = [], RunWorker._announce

    def announce(self, event):
        heard.append(event)
        at_two = isinstance(event, Progress) and event.phase is Phase.MEASURE and 8.5 < event.left_s < 10.5
        if at_two and float(self._control.machine.read_back().as_setup()[CAP]) < FLOOR:
            self._control.press()
        own(self, event)

    monkeypatch.setattr(RunWorker, "_announce", announce)
    return heard


def test_a_floor_of_ones_own(empty_demo, player, qtbot):
    with opened(empty_demo, qtbot) as window:
        feel, session = window.bench.feel, window.session
        before = session.question
        window.show_place("Bench", "By feel")
        feel.ask.setFocus()
        QTest.keyClick(feel.ask, Qt.Key.Key_Space)
        assert session.question.kind == "feels" and feel.ask.isEnabled() and not feel.press.isEnabled()
        QTest.keyClick(window, Qt.Key.Key_F5)
        qtbot.waitUntil(lambda: feel.press.isEnabled(), timeout=60_000)
        shown = [window.bench.queue.item(row).text() for row in range(window.bench.queue.count())]
        assert shown and all(one.endswith("blind look") for one in shown)
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=120_000)
        at_rest(window, qtbot)
        steps = [one for one in player if isinstance(one, Progress) and one.phase is Phase.MEASURE]
        assert steps and all(one.setup is None for one in steps)
        assert [one.restored for one in player if isinstance(one, RunEnded)] == [True]
        looks = session.notebook.passes(PassQuery(purpose=FEEL))
        assert 20 <= len(looks) <= 60
        for one in looks:
            assert (PRESSED in one.conditions) is (float(one.asked[CAP]) < FLOOR)
        qtbot.waitUntil(lambda: feel.take.isVisible(), timeout=60_000)
        assert "begins to feel bad to you under" in feel.found.text()
        click(feel.take)
        taken = session.question
        assert taken.kind == before.kind and 36 <= taken.terms.floor.value <= 50
        session.undo_stack.undo()
        session.undo_stack.undo()
        assert session.question == before


def test_a_key_from_within_the_title(empty_demo, qtbot):
    with opened(empty_demo, qtbot) as window:
        heard = []
        bell = Doorbell(empty_demo, window)
        window.ask_when_running(bell)
        bell.pressed.connect(lambda: heard.append(1))
        window.hide()
        command = [sys.executable, "-P", "-m", "hovrik", "press", str(empty_demo)]
        assert knocked(qtbot, empty_demo, PRESS)
        from_elsewhere = subprocess.Popen(command)
        qtbot.waitUntil(lambda: from_elsewhere.poll() is not None, timeout=60_000)
        assert from_elsewhere.returncode == 0
        qtbot.waitUntil(lambda: len(heard) == 2, timeout=60_000)
        assert window.bench.feel._presses == 2
        assert not window.isVisible()  # a key does not bring the window before the title
    assert not knock(empty_demo.with_name("none.hovrik"), PRESS)


def test_a_slow_caller_is_heard_whatever_is_collected_meanwhile(tmp_path, qtbot):
    make_application()
    heard = []
    bell = Doorbell(tmp_path / "n.hovrik", QApplication.instance())
    bell.pressed.connect(lambda: heard.append("key"))
    bell.rung.connect(lambda: heard.append("show"))
    for said, wanted in ((PRESS, ["key"]), (SHOW, ["key", "show"]), (b"", ["key", "show"])):
        with socket.socket(socket.AF_UNIX) as caller:
            caller.connect(bell._server.fullServerName())
            qtbot.wait(50)
            gc.collect()
            caller.sendall(said)
        qtbot.waitUntil(lambda want=wanted: heard == want, timeout=10_000)
    bell.close()


def test_the_loudest_fan_is_a_limit(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        feel = window.bench.feel
        window.show_place("Bench", "By feel")
        assert not feel.loudest.isEnabled() and "No fan speed" in feel.fan.text()
        window.start_sweep()
        qtbot.waitUntil(lambda: feel.loudest.isEnabled(), timeout=60_000)
        window.stop_sweep()
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        window.show_place("Bench", "By feel")
        rpm, asked = feel._rpm, window.session.question.terms.limits
        click(feel.loudest)
        (limit,) = window.session.question.terms.limits
        assert limit.figure == "fan_rpm" and math.isclose(limit.at_most, rpm, abs_tol=25)
        qtbot.waitUntil(lambda: window.session.evaluation.question.terms.limits != asked, timeout=60_000)
        groups = [one for response in window.session.evaluation.responses for one in response.groups]
        assert any(one.floor_holds is not None and one.holds < one.floor_holds for one in groups)
