"""Answers stay: each is kept with its evidence, a change is told with its cause, and what is undone says the same."""

from dataclasses import replace
from itertools import cycle, islice

import pytest
from helpers.build import DEMO_QUESTION, trace_of, wandering
from helpers.window import opened

from hovrik.app import commands
from hovrik.core.facts.incident import IncidentKind
from hovrik.core.facts.setup import Setup, static
from hovrik.core.keep import statement
from hovrik.core.message import say
from hovrik.core.words import render
from hovrik.service import incidents, ledger, library, run
from hovrik.service.gather import evaluate
from hovrik.service.imports import one as imports
from hovrik.service.logbook import ANSWER, read_logbook
from hovrik.store.files.read.frame_log import Imported
from hovrik.store.notebook import Notebook

NONSENSE = {"at_ns": 1, "says": {"id": "no-such", "values": {}}, "setup": None, "passes": [], "edits": 0, "facts": {},
            "beside": 0, "incidents": 0, "method": 1}  # fmt: skip


def said(notebook):
    """(sentence, what is other than before)."""
    found = ledger.told(notebook, evaluate(notebook, DEMO_QUESTION))
    return found.answer.sentence, render(found.since) if found.since is not None else ""


def taken_out(notebook, number):
    own = [one for one in notebook.passes() if one.setup.static_limit_w == 13.0 and one.purpose == "sweep"]
    uid = notebook.annotate(own[number].id, "deletion", {})
    return "fewer that count", lambda: notebook.undo_annotation(own[number].id, uid)


def other_battery(notebook, number):
    rig = run.rig_of(notebook, DEMO_QUESTION.rig)
    library.save_rig(notebook, replace(rig, full_wh=20.0 + number))
    return "the rig was noted anew", lambda: library.save_rig(notebook, rig)


def crashed(notebook, _number):
    one = incidents.note(notebook, DEMO_QUESTION, IncidentKind.CRASH, Setup(static(13.0, 40.0)), words="froze")
    return "other incidents", lambda: notebook.take_back_incident(one)


def brought(notebook, number):
    conditions, setup = imports.conditions_from(DEMO_QUESTION, {"room_c": "22"}), static(13.0, 40.0)
    made = []
    for at in range(3):
        trace = trace_of(wandering(60, 45.0, seed=9 * number + at))
        kept = Imported(trace, trace.frames_ns, ())
        made.append(imports.import_trace(notebook, DEMO_QUESTION, kept, setup, conditions))
    return "more", lambda: [notebook.annotate(one.id, "deletion", {}) for one in made]


def test_twenty_edits_and_imports_are_each_explained_and_undone_it_says_the_same(demo_copy):
    with Notebook(demo_copy) as notebook:
        first, since = said(notebook)
        assert since == "" and said(notebook) == (first, "")
        moved = 0
        for number, act in enumerate(islice(cycle((taken_out, other_battery, crashed, brought)), 10)):
            cause, undo = act(notebook, number // 5)
            now, since = said(notebook)
            if now != first:
                moved += 1
                assert cause in since and first in since, (act.__name__, now, since)
            undo()
            again, since = said(notebook)
            assert again == first and (now == first or not number or "The same again as on" in since), act.__name__
        assert moved >= 8
        texts = [one.text for one in read_logbook(notebook).entries if one.kind == ANSWER]
        assert any("Another answer" in one for one in texts) and len(texts) == ledger.MOST


def test_a_change_is_told_in_the_band(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        session, panel = window.session, window.answer_panel
        first = panel.answer.sentence
        commands.save_rig(session, replace(session.rig, full_wh=20.0), "battery")
        qtbot.waitUntil(lambda: "the rig was noted anew" in panel.missing.text(), timeout=20_000)
        assert first in panel.missing.text() and panel.answer.sentence != first
        session.undo_stack.undo()
        qtbot.waitUntil(lambda: panel.answer.sentence == first, timeout=20_000)
        own = ledger.statements(session.notebook, session.question)
        assert len(own) == 3 and own[0].sentence == own[2].sentence
        older = replace(own[-1], says=say("since.nothing"), evidence=replace(own[-1].evidence, method=0))
        assert "a newer method" in render(statement.difference((older, own[-1]), ledger.dated))


@pytest.mark.parametrize(
    "body",
    [7, [], {"statements": 3}, {"statements": [{"at_ns": "x"}]}, {"statements": [{}]}, {"statements": [NONSENSE]}],
)
def test_what_is_no_ledger_is_none(demo_copy, body):
    with Notebook(demo_copy) as notebook:
        key = ledger.key_of(DEMO_QUESTION)
        notebook.set_state(key, body)
        assert ledger.statements(notebook, DEMO_QUESTION) == () and ledger.every(notebook) == []
        assert said(notebook)[1] == "" and len(ledger.statements(notebook, DEMO_QUESTION)) == 1
