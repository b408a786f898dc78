"""A profile set on its machine, read back, put back; refused where it must be; and kept once it stood a long run."""

from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION
from helpers.window import at_rest, opened, texts
from PyQt6.QtWidgets import QCheckBox, QPushButton

from hovrik.core.errors import HovrikError, InputError
from hovrik.core.facts.incident import IncidentKind
from hovrik.core.keep.profile import Profile
from hovrik.core.keep.verified import expected, verdict
from hovrik.core.words import render
from hovrik.service import applying, incidents, library
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.service.logbook import APPLIED, read_logbook
from hovrik.service.machines import open_machine
from hovrik.service.profiles import names_of, profile_of, sound_ones
from hovrik.store.notebook import Notebook


@pytest.fixture
def kept(demo_copy):
    """A notebook with a profile, its id and body, and what its machine reads."""
    with Notebook(demo_copy) as notebook:
        profile = profile_of(evaluate(notebook, DEMO_QUESTION), names_of(notebook, DEMO_QUESTION))
        address = library.address_of(notebook, DEMO_QUESTION.rig)

        def read():
            machine = open_machine(address)
            try:
                return machine.snapshot().as_setup()
            finally:
                machine.close()

        yield notebook, profile, read


def test_set_in_order_read_back_and_put_back(kept):
    notebook, profile, read = kept
    before = read()
    applied = applying.apply_profile(notebook, profile)
    assert applied.is_whole and read().has(profile.setup) and not before.has(profile.setup)
    parts = applying.parts_of(profile)
    assert {key for one in parts for key in one} == set(profile.setup) and len(parts) == 2
    other = replace(profile.with_(setup={**profile.setup, "cap_fps": 30.0}), id="q")
    again = applying.apply_profile(notebook, other)
    assert again.before == applied.before and applying.on_machine(notebook, profile.rig).profile == "q"
    assert applying.put_back(notebook, profile.rig).is_whole and read() == before
    assert applying.on_machine(notebook, profile.rig) is None
    lines = [one.text for one in read_logbook(notebook).entries if one.kind == APPLIED]
    assert sum(one.startswith("Applied for") for one in lines) == 2 and any("Put back" in one for one in lines)
    with pytest.raises(InputError):
        applying.put_back(notebook, profile.rig)


BAD = {
    "over its range": {"sustained_limit_w": 99.0}, "no number": {"sustained_limit_w": float("nan")},
    "unknown": {"warp_core_w": 5.0}, "text": {"peak_limit_w": "plenty"}, "a cap of nothing": {"cap_fps": 0.0},
}  # fmt: skip


@pytest.mark.parametrize("name", BAD)
def test_what_must_not_be_set_leaves_the_machine_as_it_was(kept, name):
    notebook, profile, read = kept
    before = read()
    with pytest.raises(HovrikError):
        applying.apply_profile(notebook, profile.with_(setup={**profile.setup, **BAD[name]}))
    assert read() == before


def test_a_setup_with_an_incident_is_refused_until_it_is_taken_back(kept):
    notebook, profile, read = kept
    before = read()
    incidents.note(notebook, DEMO_QUESTION, IncidentKind.CRASH, profile.setup, words="froze")
    with pytest.raises(InputError, match="went wrong"):
        applying.apply_profile(notebook, profile)
    notebook.take_back_incident(incidents.incidents_at(notebook, DEMO_QUESTION)[-1])
    assert read() == before and applying.apply_profile(notebook, profile).is_whole


def test_killed_on_the_way_it_can_still_be_put_back(kept, monkeypatch):
    notebook, profile, read = kept
    before, honest, calls = read(), applying.setting.apply, []

    def dies(machine, setup, *rest):
        if calls:
            raise KeyboardInterrupt
        calls.append(setup)
        return honest(machine, setup, *rest)

    monkeypatch.setattr(applying.setting, "apply", dies)
    with pytest.raises(KeyboardInterrupt):
        applying.apply_profile(notebook, profile)
    assert read() != before and not applying.on_machine(notebook, profile.rig).rows
    assert applying.put_back(notebook, profile.rig).is_whole and read() == before


def test_what_a_long_run_says():
    row = {"value": 40.0, "low": 39.6, "high": 40.4, "unit": "fps"}
    profile = Profile({"metrics": {"mean_fps": row, "draw_w": {**row, "value": 18.0, "low": 17.9, "high": 18.1}}})
    low, high = expected(profile)["draw_w"]
    assert low == pytest.approx(18.0 - (0.1**2 + (2 * 0.008 * 18) ** 2) ** 0.5) and low < 17.9 < 18.1 < high
    assert verdict(profile, {"mean_fps": 40.2, "draw_w": 18.2}, 15.0).id == "kept.stood"
    assert "draw 19" in render(verdict(profile, {"mean_fps": 40.2, "draw_w": 19.0}, 15.0))


def press(keep, words, qtbot):
    """Click a button of a card once it is shown; wait for what it sets off."""
    shown = lambda: [b for b in keep.findChildren(QPushButton) if b.isVisible() and b.text() == words]  # noqa: E731
    qtbot.waitUntil(lambda: len(shown()) == 1 and shown()[0].isEnabled(), timeout=10_000)
    shown()[0].click()
    at_rest(keep, qtbot)


def test_from_the_card_to_the_machine_a_long_run_and_back(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.keep_answer()
        window.show_stage("Keep")
        keep = window.stage("Keep")
        press(keep, "Apply", qtbot)
        qtbot.waitUntil(lambda: "every setting read back as asked" in texts(keep), timeout=10_000)
        press(keep, "Put back", qtbot)
        qtbot.waitUntil(lambda: "on the machine since" not in texts(keep), timeout=10_000)
        assert "back at what it was" in keep.message.text()
        press(keep, "Long run", qtbot)
        ((planned,), _) = window.session.planned_passes()
        (profile,) = sound_ones(window.session.notebook)
        assert planned.pass_s == 900.0 and planned.setup.has(profile.setup)
        with qtbot.waitSignal(window.runner.ended, timeout=120_000):
            window.start_sweep()
        window.show_stage("Keep")
        qtbot.waitUntil(lambda: "Kept: a run of 15 min" in texts(keep), timeout=30_000)
        assert keep.as_it_stands(profile).state == "kept"
        an_evening(window, keep, profile, qtbot)


def an_evening(window, keep, profile, qtbot):
    """Its readings are held against the hours that were promised, refused where they cannot be, and undone."""
    hours = profile.metrics["hours"].value
    press(keep, "An evening …", qtbot)
    dialog = keep.evening_dialog
    dialog.end.setValue(100)
    dialog.minutes.setValue(60)
    dialog.keep()
    assert "must lie under" in dialog.message.text() and dialog.isVisible()
    dialog.end.setValue(40)
    dialog.minutes.setValue(60 * hours * 0.6 / 0.95)
    dialog.keep()
    qtbot.waitUntil(lambda: "took 60 %" in texts(keep) and "as predicted" in texts(keep), timeout=20_000)
    line = window.question_line
    line.kind.setCurrentIndex(line.kind.findData("runtime-true"))
    answer = lambda: window.session.evaluation.answer  # noqa: E731
    qtbot.waitUntil(lambda: answer().sentence.startswith("The prediction is true"), timeout=20_000)
    assert any("by its readings" in one for one in answer().reasons)
    window.session.undo_stack.undo()
    window.session.undo_stack.undo()
    qtbot.waitUntil(lambda: "took 60 %" not in texts(keep), timeout=20_000)


def test_by_hand_it_is_a_list_to_tick(demo_copy, qtbot, monkeypatch):
    with opened(demo_copy, qtbot) as window:
        window.keep_answer()
        rig = sweep.rig_of(window.session.notebook, DEMO_QUESTION.rig)
        window.session.notebook.set_state(library.MACHINES, {})
        assert library.address_of(window.session.notebook, rig.key) is None
        window.show_stage("Keep")
        keep = window.stage("Keep")
        press(keep, "Apply", qtbot)
        qtbot.waitUntil(lambda: len([b for b in keep.findChildren(QCheckBox) if b.isVisible()]) == 2, timeout=10_000)
        boxes = [one for one in keep.findChildren(QCheckBox) if one.isVisible()]
        assert "13 W" in boxes[0].text()
        boxes[0].click()
        press(keep, "They are set", qtbot)
        qtbot.waitUntil(lambda: "but frame cap not ticked" in texts(keep), timeout=10_000)
        press(keep, "Put back", qtbot)
        qtbot.waitUntil(lambda: "set by hand" not in texts(keep), timeout=10_000)
        narrow = replace(rig, limit_high_w=9.0, short_high_w=9.0, peak_high_w=9.0, modes=())
        library.save_rig(window.session.notebook, narrow)
        press(keep, "Apply", qtbot)
        assert "cannot be set" in keep.message.text()
