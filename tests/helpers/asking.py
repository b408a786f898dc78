"""Asking the window one kind of question after the other, as a person does, and coming back to the first."""

import time

from PyQt6.QtTest import QTest

from hovrik.app import commands
from hovrik.core.errors import HovrikError
from hovrik.core.kinds.table import KINDS
from hovrik.core.plan.grid import LadderDesign
from hovrik.service.planning import with_part

SHORT = LadderDesign(11, 15, 2, 40.0, repeats=1, pass_s=20, soak_s=5, settle_s=2, cool_s=5, seed=2)
PARTS = {
    "knob": {"over": "boost", "levels": {"boost": ["on", "off"]}},
    "flip": {"over": "boost", "levels": {"boost": ["on", "off"]}},
    "options-cost": {"levels": {"boost": ["on", "off"], "fan_policy": ["even", "full"]}},
    "rest-draw": {"levels": {"refresh_hz": [40.0, 60.0]}},
    "best": {"levels": {"boost": ["on", "off"]}},
    "claim": {"claim": {"before": {"boost": "on"}, "after": {"boost": "off"}, "figure": "mean_fps", "percent": 20.0}},
}


def settled(window, seconds=120.0):
    """Wait until nothing runs and the answer is of the question that is shown, for a third of a second on end."""
    until, rest = time.monotonic() + seconds, 0
    while time.monotonic() < until:
        QTest.qWait(50)
        found, session = window.session.evaluation, window.session
        is_at_rest = not (window.runner.is_running or window.evaluator.is_busy or session.is_looking)
        rest = rest + 1 if is_at_rest and found is not None and found.question == session.question else 0
        if rest > 6:
            return True
    return False


def asked(window, kind, seconds=300.0):
    """Choose a kind, start its plan, wait for its end: what was made, or why it was not started."""
    session, line = window.session, window.question_line
    before = len(session.notebook.passes())
    line.kind.setCurrentIndex(line.kind.findData(kind))
    if PARTS.get(kind):
        commands.set_question(session, with_part(session.question, **PARTS[kind]))
    settled(window)
    try:
        session.planned_passes()
    except HovrikError as refused:
        return str(refused)
    window.start_sweep()
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        QTest.qWait(50)
        if not window.runner.is_running:
            break
    else:
        window.stop_sweep()
    settled(window)
    return len(session.notebook.passes()) - before


def came_back(window, kinds, told=lambda kind, made: None):
    """What each of some kinds said as it was asked, one after the other, and what it says when all were: kind to
    sentence, twice."""
    commands.set_design(window.session, SHORT, "all")
    settled(window)
    line, before, after = window.question_line, {}, {}
    for kind in kinds:
        made = asked(window, kind)
        told(kind, made)
        if isinstance(made, int):
            before[kind] = window.session.evaluation.answer.sentence
    for kind in before:
        line.kind.setCurrentIndex(line.kind.findData(kind))
        settled(window)
        after[kind] = window.session.evaluation.answer.sentence
    return before, after


EVERY = tuple(KINDS)
