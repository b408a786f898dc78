"""Passes that are left out for one reason: the run pauses after two of them and offers what makes the next count."""

from contextlib import closing
from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION, machine
from helpers.window import button_named, click, opened

from hovrik.bench import runner
from hovrik.bench.job import Control, Job, PassDone, Phase, Progress
from hovrik.core.facts.setup import static
from hovrik.core.finding import State
from hovrik.core.message import Value
from hovrik.core.passes.checks import Thresholds, found
from hovrik.core.passes.record import End
from hovrik.core.passes.remedy import SOAK, Alike, above, charge_of, is_remedy, remedy_of
from hovrik.core.passes.verdict import Verdict
from hovrik.core.plan.grid import LadderDesign, ordered_passes
from hovrik.demo import scenario
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.service.machines import open_machine
from hovrik.service.thresholds import keep_thresholds
from hovrik.store.notebook import Notebook

DESIGN = LadderDesign(10, 14, 1, 40.0, repeats=1, pass_s=12, soak_s=4, cool_s=2)
DRIFTS = found("unsettled", State.VOID, what="rate", drift=Value(-6.0, "%"), errors=Value(5.0))
HOT = found("throttled", State.VOID, limit=Value(95, "C"), time=0.4)
ENDED = found("title-ended", State.VOID, seconds=Value(9.0, "s"))
NOTHING = replace(Thresholds(), drift_share=-1.0, drift_z=-1.0)  # by which no pass has ever settled


def clamped(share):
    """Power that steps down at this charge."""
    return found("clamp-hit", State.VOID, message="clamp-at", charge=Value(100 * share, "%"), high=20.0, low=9.0)


class Kept:
    """A sink that says of each pass what it is told to, and what was asked of it."""

    def __init__(self, *says):
        self.says, self.records, self.remedies = list(says), [], []

    def begin(self, left): ...
    def touching(self, left): ...
    def at(self, planned): ...
    def restored(self, left=None): ...

    def keep(self, record):
        self.records.append(record)
        why = self.says.pop(0) if self.says else None
        return Verdict(State.VOID, (why,)) if why else Verdict(State.VALID, ())

    def remedied(self, action):
        self.remedies.append(action)

    @property
    def soaks(self):
        """How long each pass soaked, s."""
        return [round(one.conditions["soak_s"].value) for one in self.records]


def played(folder, sink, control=None, heard=lambda event: None, **changes):
    """A run of five passes."""
    made = machine(folder)
    rig, question = made.describe().rig, scenario.question()
    job = Job("plan", ordered_passes(DESIGN, rig), {}, question.title, question.scene, rig, **changes)
    return runner.run(made, job, sink, control or Control(), heard)


def test_what_makes_the_next_pass_count(tmp_path):
    assert remedy_of(DRIFTS) == SOAK and remedy_of(HOT) == remedy_of(ENDED) == ""
    assert remedy_of(replace(DRIFTS, message=replace(DRIFTS.message, id="boosted"))) == ""  # no soak mends a boost
    assert remedy_of(clamped(0.35)) == "remedy/charge/0.37" and remedy_of(clamped(0.9)) == ""
    rig = machine(tmp_path).describe().rig
    assert above(rig, "remedy/charge/0.6").valid_charge[0] == 0.6 and above(rig, SOAK) == rig
    assert above(above(rig, "remedy/charge/0.7"), "remedy/charge/0.6").valid_charge[0] == 0.7
    strange = ("remedy/charge/", "remedy/charge/nan", "remedy/charge/-1", "remedy/charge/0.99", "remedy/run", "")
    assert not any(is_remedy(one) or charge_of(one) is not None for one in strange)


@pytest.mark.parametrize(
    ("whys", "alike"),
    [([DRIFTS, DRIFTS], 2), ([DRIFTS, None, DRIFTS], None), ([DRIFTS, clamped(0.3), DRIFTS, DRIFTS], 4),
     ([ENDED, ENDED, ENDED], None), ([HOT, HOT, HOT], None)],
)  # fmt: skip
def test_alike_are_two_in_a_row_for_one_reason_of_one_setup_where_it_lies_in_it(tmp_path, whys, alike):
    heard, sink = Alike(), Kept()
    played(tmp_path, sink)
    told = []
    for number, (why, record) in enumerate(zip(whys, sink.records), 1):
        verdict = Verdict(State.VOID, (why,)) if why else Verdict(State.VALID, ())
        if heard.hear(replace(record, asked=static(10.0 + number, 40.0)), verdict) is not None:
            told.append(number)
    assert told == ([alike] if alike else [])
    again = [heard.hear(replace(sink.records[0], outcome=End.DONE), Verdict(State.VOID, (HOT,))) for _ in range(2)]
    assert again[1] is HOT  # twice at one setup


def test_where_nobody_hears_it_the_run_soaks_until_it_stands_and_goes_on(tmp_path):
    sink, told = Kept(DRIFTS, DRIFTS), []
    ended = played(tmp_path, sink, heard=told.append)
    assert [one.why[:45] for one in told if getattr(one, "offers", "")] == [
        "Two passes in a row are left out for one reas"
    ]
    assert ended.reason == "" and len(sink.records) == 5 and sink.remedies == [SOAK]
    assert sink.soaks[:2] == [4, 4] and min(sink.soaks[2:]) > 4


def test_a_clamp_by_charge_is_measured_above(tmp_path):
    sink = Kept(clamped(0.7), clamped(0.72))
    charges = []
    played(tmp_path, sink, heard=lambda e: charges.append(e.charge) if isinstance(e, Progress) else None)
    assert sink.remedies == ["remedy/charge/0.74"]
    assert min(one.conditions["charge_end_share"].value for one in sink.records[2:]) >= 0.74


def test_where_somebody_hears_it_the_run_pauses_and_offers(tmp_path):
    sink, control, paused = Kept(*[DRIFTS] * 5), Control(is_attended=True), []

    def heard(event):
        if isinstance(event, Progress) and event.phase is Phase.PAUSED:
            paused.append((len(sink.records), event.why, event.offers))
            if event.offers:
                control.remedy()
            else:
                control.stop()

    ended = played(tmp_path, sink, control, heard)
    assert ended.reason == "stopped" and ended.restored and sink.remedies == [SOAK]
    assert [(many, offers) for many, _, offers in paused] == [
        (2, SOAK),
        (4, ""),
    ]  # it does not play on, nor offer twice
    assert paused[0][1].startswith("Two passes in a row are left out for one reason: rate drifts by -6 %")
    assert sink.soaks[:2] == [4, 4] and min(sink.soaks[2:]) > 4


def test_going_on_without_it_is_a_choice(tmp_path):
    sink, control = Kept(DRIFTS, DRIFTS), Control(is_attended=True)

    def heard(event):
        if isinstance(event, Progress) and event.phase is Phase.PAUSED:
            control.paused.clear()

    assert played(tmp_path, sink, control, heard).reason == "" and sink.remedies == []
    assert max(sink.soaks) == 4


@pytest.fixture
def notebook(tmp_path):
    """One by whose thresholds no pass has ever settled."""
    with Notebook(tmp_path / "n.hovrik") as made:
        scenario.prepare(made)
        keep_thresholds(made, NOTHING)
        yield made


def test_a_sweep_that_is_cut_short_goes_on_with_what_it_was_given(notebook):
    plan_id = sweep.keep_plan(notebook, DEMO_QUESTION, DESIGN, room_c=22.0)
    control, address = Control(is_attended=True), library.address_of(notebook, DEMO_QUESTION.rig)
    said = []

    def run(heard):
        with closing(open_machine(address)) as made:
            sweep.run_plan(notebook, plan_id, made, address, control, heard)

    def stop_after_three(event):
        if isinstance(event, Progress) and event.phase is Phase.PAUSED:
            said.append(evaluate(notebook, DEMO_QUESTION).answer)
            control.remedy()
        if isinstance(event, PassDone) and event.position == 3:
            control.stop()

    run(stop_after_three)
    assert said[0].action == SOAK and "2 of 2 passes are left out for one reason" in said[0].sentence
    assert sweep.remedies_of(notebook, plan_id) == (SOAK,) and len(notebook.passes()) == 3
    control = Control()
    run(lambda _event: None)
    soaks = [one.conditions["soak_s"].value for one in sorted(notebook.passes(), key=lambda one: one.started_ns)]
    assert len(soaks) == 5 and max(soaks[:2]) < 5 < min(soaks[2:])
    notebook.set_state(f"remedies/{plan_id}", ["remedy/format", 7, SOAK])  # of another program
    assert sweep.remedies_of(notebook, plan_id) == (SOAK,)


def test_what_the_scene_does_itself_is_no_reason_to_pause(notebook):
    """A rate that moves the same way in every pass of a scene is the scene's: known from earlier passes of it."""
    address, paused = library.address_of(notebook, DEMO_QUESTION.rig), []

    def run():
        control = Control(is_attended=True)

        def heard(event):
            if isinstance(event, Progress) and event.phase is Phase.PAUSED:
                paused.append(len(notebook.passes()))
                control.paused.clear()

        plan_id = sweep.keep_plan(notebook, DEMO_QUESTION, DESIGN, room_c=22.0)
        with closing(open_machine(address)) as made:
            sweep.run_plan(notebook, plan_id, made, address, control, heard)

    run()
    assert paused and paused[0] == 2
    recurs = [one.verdict for one in evaluate(notebook, DEMO_QUESTION).views if not one.verdict.findings]
    assert len(recurs) >= 3  # by the thresholds of this test all of them drift
    before = len(paused)
    run()
    assert len(paused) == before


def test_in_the_window_it_pauses_and_offers_there_and_beside_the_answer(notebook, qtbot):
    notebook.close()
    with opened(notebook.path, qtbot) as window:
        session, line, panel = window.session, window.bench_line, window.answer_panel
        session.set_design(DESIGN)
        window.start_sweep()
        qtbot.waitUntil(lambda: line.remedy.isVisible(), timeout=60_000)
        assert line.pause.text() == "Go on"  # one press, and not two
        assert line.remedy.text() == "Soak until it stands" and len(session.notebook.passes()) == 2
        assert window.bench.state.text().startswith("Paused: Two passes in a row are left out for one reason")
        qtbot.waitUntil(lambda: "2 of 2 passes are left out" in panel.sentence.text(), timeout=60_000)
        assert panel.act.isVisible() and panel.act.text() == "Soak until it stands"
        click(panel.act)
        assert session.design.until_settled
        session.undo_stack.undo()
        assert not session.design.until_settled
        click(panel.why)
        click(button_named(window.frame.answer_sheet, "Soak until it stands"))
        assert session.design.until_settled and not window.frame.answer_sheet.isVisible()
        click(line.remedy)
        qtbot.waitUntil(lambda: len(session.notebook.passes()) >= 3, timeout=60_000)
        assert not line.remedy.isVisible()
        window.stop_sweep()
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        newest = max(session.notebook.passes(), key=lambda one: one.started_ns)
        assert newest.conditions["soak_s"].value > 5
