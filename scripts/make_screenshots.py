"""Makes docs/screenshots/ from the demo data: every main view at 1280x800, light, and some dark.

Usage: .venv/bin/python scripts/make_screenshots.py [NAME ...]   (NAME: a file's stem; default: all)
Runs offscreen in a folder of its own; nothing of the user's is read.
"""

import json
import os
import sys
import tempfile
from dataclasses import replace
from pathlib import Path

HOME = Path(tempfile.mkdtemp(prefix="hovrik-shots-"))
SCREEN = {
    "name": "s0", "x": 0, "y": 0, "width": 1280, "height": 800, "logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1.0,
}  # fmt: skip
(HOME / "screen.json").write_text(
    json.dumps({"synchronousWindowSystemEvents": False, "windowFrameMargins": False, "screens": [SCREEN]})
)
os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={HOME / 'screen.json'}"
for name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
    os.environ[name] = str(HOME / name)

from PyQt6.QtCore import QElapsedTimer, QThread  # noqa: E402
from PyQt6.QtWidgets import QApplication, QWidget  # noqa: E402

from hovrik.app.main_window import MainWindow  # noqa: E402
from hovrik.app.session import Session  # noqa: E402
from hovrik.app.start import make_application  # noqa: E402
from hovrik.app.theme import tokens  # noqa: E402
from hovrik.app.worker import Worker  # noqa: E402
from hovrik.demo import scenario  # noqa: E402

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
DARK_TOO = (("Read", "Compare", "read-compare"),)
STAGES = ("Rig", "Plan", "Read", "Choose", "Keep")
PAGES = (
    ("Rig", "OS slots", "rig-slots"), ("Plan", "Order", "plan-order"), ("Read", "Pass", "read-pass"),
    ("Choose", "Tonight", "tonight"), ("Choose", "What if", "what-if"), ("Keep", "Reports", "report"),
)  # fmt: skip


def spin(ready=lambda: False, ms=20_000):
    """Let the window live until `ready` or for `ms`."""
    timer = QElapsedTimer()
    timer.start()
    while not ready() and timer.elapsed() < ms:
        QApplication.processEvents()
        QThread.msleep(5)  # the window's own load is on one of the pictures


class Shooter:
    """Saves what was asked for."""

    def __init__(self, wanted):
        self._wanted = set(wanted)

    def shoot(self, widget: QWidget, name: str) -> None:
        """Save a widget as NAME.png."""
        if self._wanted and name not in self._wanted:
            return
        spin(ms=600)
        workers = [*widget.findChildren(Worker), *widget.window().findChildren(Worker)]
        spin(lambda: not any(worker.is_busy for worker in workers), 1_500)
        OUT.mkdir(parents=True, exist_ok=True)
        widget.grab().save(str(OUT / f"{name}.png"))
        print(OUT / f"{name}.png")


def of_question(window, shooter, question, page, name):
    """A page of Read for another of the demo's questions, with all its findings."""
    session = window.session
    before, session_evaluation = session.question, session.evaluation
    session.set_question(question)
    window.show_place("Read", page)
    spin(lambda: session.evaluation is not session_evaluation and not window.evaluator.is_busy, 60_000)
    read = window.stage("Read")
    read.notes.which.setCurrentIndex(read.notes.which.findData("all"))
    boosted = [at for at in range(read.waste.setup.count()) if "boost on" in read.waste.setup.itemText(at)]
    if boosted:
        read.waste.setup.setCurrentIndex(boosted[0])
    spin(ms=500)
    shooter.shoot(window, name)
    read.notes.which.setCurrentIndex(0)
    session.set_question(before)
    spin(lambda: session.evaluation.question == before and not window.evaluator.is_busy, 60_000)


def set_ups(window, shooter):
    """A title of which stills are kept: how alike its set-ups look, what its panels show."""
    session = window.session
    before = session.question
    session.set_question(scenario.set_ups_question())
    window.show_place("Scene", "Set-ups")
    spin(lambda: session.evaluation.question != before and not window.evaluator.is_busy, 60_000)
    spin(lambda: "looks" in window.stage("Scene").alike.text(), 60_000)
    shooter.shoot(window, "scene")
    session.set_question(before)
    spin(lambda: session.evaluation.question == before and not window.evaluator.is_busy, 60_000)


def belief(window, shooter):
    """The demo's search for the best setup of its second title."""
    session = window.session
    before = session.question
    session.set_question(scenario.search_question())
    window.show_place("Plan", "Belief")
    spin(lambda: session.evaluation.answer.believed is not None and not window.evaluator.is_busy, 60_000)
    spin(ms=500)
    shooter.shoot(window, "belief")
    session.set_question(before)


def campaign(window, shooter):
    """Where something is to be gained: three titles in two OS slots."""
    from PyQt6.QtCore import Qt

    window.show_place("Plan", "Campaign")
    window.bench.pace.setCurrentIndex(0)
    page = window.stage("Plan").campaign
    for at in range(page.titles.count()):
        page.titles.item(at).setCheckState(Qt.CheckState.Checked if at < 3 else Qt.CheckState.Unchecked)
    page.slots.setCurrentIndex(page.slots.findData("all"))
    page.make_it()
    window.start_campaign()
    spin(lambda: not window.campaign.is_on, 120_000)
    window.show_place("Plan", "Campaign")
    shooter.shoot(window, "campaign")


def by_hand(window, shooter):
    """A machine that no program drives: first an instruction, then the readings of a pass."""
    from hovrik.core.facts.rig import OsSlot, Rig
    from hovrik.core.plan.grid import LadderDesign

    rig = Rig("hearthside-9", "Hearthside 9", 5.0, 25.0, battery_wh=50.0, refresh_hz=(60.0,),
              slots=(OsSlot("moss", "Moss 4"),))  # fmt: skip
    window.session.set_rig(rig)
    window.session.set_question(window.session.question.with_(rig=rig.key, slot="moss"))
    window.session.set_design(LadderDesign(10, 14, 2, 40.0, repeats=2, pass_s=10, soak_s=0, settle_s=0, cool_s=0))
    window.guide.speed = 20.0
    window.start_sweep()
    panel = window.bench.guide
    panel.done.click()  # what is asked once stays open
    while not panel.readings.isVisible():
        spin(lambda: panel.request is not None)
        if not panel.readings.isVisible():
            panel.done.click()
            spin(ms=300)
    panel.fields["gauge_start"].setText("41.2")
    panel.form.scales.meter.setCurrentIndex(1)
    panel.fields["meter"].setText("31.5")
    panel.tags["noise"].setChecked(True)
    spin(ms=6_000)  # until the own load is that of waiting
    shooter.shoot(window, "bench-by-hand")
    window.runner.stop()
    spin(lambda: not window.runner.is_running)


def main(wanted):
    """Shoot."""
    shooter = Shooter(wanted)
    path = HOME / "demo.hovrik"
    scenario.build(path, searched=True)
    application = make_application()
    tokens.apply(application, tokens.LIGHT)
    window = MainWindow(Session(path))
    window.show()
    spin(lambda: window.session.evaluation is not None)
    views = [v for v in window.session.evaluation.views if v.counts and v.record.setup.static_limit_w == 12]
    window.session.select_pass(views[0].record.id)
    window.keep_answer()
    for stage in STAGES:
        window.show_stage(stage)
        shooter.shoot(window, stage.lower())
    tokens.apply(application, tokens.DARK)
    for stage, page, name in DARK_TOO:
        window.show_place(stage, page)
        shooter.shoot(window, name)
    tokens.apply(application, tokens.LIGHT)
    for stage, page, name in PAGES:
        window.show_stage(stage)
        window.stage(stage).pages.show_page(page)
        shooter.shoot(window, name)
    window.show_place("Bench", "By feel")
    window.resize(853, 533)
    shooter.shoot(window, "small")
    window.resize(1280, 800)
    window.session.set_design(replace(window.session.design, heat_s=0.0))
    window.bench.pace.show_key("10")
    window.start_sweep()
    spin(ms=8_000)
    shooter.shoot(window, "bench")
    window.runner.stop()
    spin(lambda: not window.runner.is_running)
    of_question(window, shooter, scenario.update_question(), "Responses", "read-update")
    set_ups(window, shooter)
    belief(window, shooter)
    campaign(window, shooter)
    by_hand(window, shooter)
    window.close()


if __name__ == "__main__":
    main(sys.argv[1:])
