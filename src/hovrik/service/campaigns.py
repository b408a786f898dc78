"""A campaign over titles and OS slots: its cells made, begun one after the other, and each answered when it is done.

What a cell was begun with is stored before its plan is run: a program that is killed goes on with that cell, and none
is made twice.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import product

from ..core.errors import HovrikError, PlanError, StoreError
from ..core.facts.knobs import knobs_of
from ..core.facts.rig import OsSlot, Rig
from ..core.facts.setup import Setup, describe
from ..core.kinds.table import kind_of, question_from
from ..core.plan.campaign import MOST_CELLS, Campaign, Cell, State
from ..core.plan.grid import LadderDesign
from ..core.questions.question import Question
from ..store.notebook import Notebook
from ..store.sound import WRONG
from . import library, run
from .gather import evaluate
from .machines import BY_HAND
from .planning import of_kind, planned_within, with_part

KEY = "campaign"


def kept(notebook: Notebook) -> Campaign:
    """The campaign of a notebook; an empty one where there is none that can be read."""
    body = notebook.get_state(KEY)
    try:
        return Campaign.from_dict(body) if isinstance(body, dict) else Campaign()
    except WRONG:
        return Campaign()


def keep(notebook: Notebook, campaign: Campaign) -> None:
    """Remember it. Raises StoreError."""
    notebook.set_state(KEY, campaign.as_dict())


def made(
    notebook: Notebook, question: Question, kind: str, titles: Sequence[str], slots: Sequence[str],
    rigs: Sequence[str] = (), *, displays: bool = False,
) -> Campaign:  # fmt: skip
    """A campaign of titles in OS slots on the rig of a question, and in every slot of further rigs; what does not run
    somewhere is impossible there. displays : on each display that a rig has, else on the one in use. Raises
    PlanError."""
    first = run.rig_of(notebook, question.rig)
    known = library.titles(notebook)
    cells = []
    for rig in (first, *(run.rig_of(notebook, key) for key in rigs if key != first.key)):
        panels = ("built-in", *(one.name for one in rig.displays)) if displays and rig.displays else ("",)
        for slot in (one for one in rig.slots if rig is not first or one.key in slots):
            for key, panel in product(titles, panels):
                title = known.get(key)
                if title is None or not title.scenes:
                    continue
                scene = next((one.key for one in title.scenes if one.key == question.scene), title.scenes[0].key)
                why = _runs_not(slot, key, title.name)
                state = State.IMPOSSIBLE if why else State.OPEN
                cells.append(Cell(key, scene, slot.key, state, why, rig="" if rig is first else rig.key, display=panel))
    if not cells:
        raise PlanError("A campaign needs a title with a scene, and an OS slot. Choose some.")
    if len(cells) > MOST_CELLS:
        raise PlanError(f"{len(cells)} cells are too many: at most {MOST_CELLS}. Choose fewer titles.")
    return Campaign(kind, first.key, tuple(cells), question.as_dict())


def _runs_not(slot: OsSlot, key: str, name: str) -> str:
    found = next((one for one in slot.does_not_run if one.title in (key, name)), None)
    return f"Does not run there: {found.why}." if found is not None else ""


def asked(campaign: Campaign, at: int) -> Question:
    """The question of a cell. Raises StoreError where that of the campaign cannot be read."""
    cell = campaign.cells[at]
    try:
        like = question_from(campaign.question)
    except WRONG as fault:
        raise StoreError(f"The question of this campaign cannot be read: {fault}. Make it anew.") from fault
    rig = campaign.rig_of(cell)
    found = of_kind(like, campaign.kind).with_(rig=rig, slot=cell.slot, title=cell.title, scene=cell.scene)
    return with_part(found, display=cell.display or None)


def begun(notebook: Notebook, lengths: LadderDesign, at: int, room_c: float | None) -> str:
    """The plan of a cell: what it was begun with, else a new one, stored with the cell before it is run. Raises
    PlanError where it cannot be carried out; the cell is then impossible."""
    campaign = kept(notebook)
    cell = campaign.cells[at]
    if cell.plan_id:
        return cell.plan_id
    own = asked(campaign, at)
    try:
        rig, title = run.rig_of(notebook, campaign.rig_of(cell)), run.title_of(notebook, cell.title)
        slot = next((one for one in rig.slots if one.key == cell.slot), None)
        made = planned_within(own, rig, knobs_of(rig, slot, title), _within(lengths, rig), Setup(), title)
        run.check_design(rig, made.design)
        plan_id = run.keep_design(notebook, made.question, made.design, room_c)
    except PlanError as fault:
        keep(notebook, campaign.with_cell(at, state=State.IMPOSSIBLE, said=str(fault)))
        raise
    keep(notebook, campaign.with_cell(at, state=State.BEGUN, plan_id=plan_id))
    return plan_id


def _within(lengths: LadderDesign, rig: Rig) -> LadderDesign:
    """The lengths with limits that the rig has."""
    low, high = rig.limit_low_w or lengths.from_w, rig.limit_high_w or lengths.to_w
    from_w = min(max(lengths.from_w, low), high)
    return replace(lengths, from_w=from_w, to_w=max(min(lengths.to_w, high), from_w), cap_fps=None)


def ended(notebook: Notebook, at: int, fault: str = "", *, stopped: bool = False) -> Campaign:
    """Note what came of a cell: its answer once its plan is done, else why it failed; what a person stopped is gone on
    with later. fault : why its run ended by itself, "" where it did not."""
    campaign = kept(notebook)
    cell = campaign.cells[at]
    if not cell.plan_id:
        return campaign
    planned = run.load_plan(notebook, cell.plan_id)
    whole = bool(planned.batches) and planned.batches[-1].is_last and len(planned.done) >= len(planned.passes)
    if not whole:
        if not stopped:
            why = fault or "Not all of its passes were made."
            campaign = campaign.with_cell(at, state=State.FAILED, said=why)
            keep(notebook, campaign)
        return campaign
    try:
        found = evaluate(notebook, asked(campaign, at))
    except HovrikError as wrong:
        campaign = campaign.with_cell(at, state=State.FAILED, said=str(wrong))
    else:
        counts = any(view.counts for view in found.views)
        option, gain = found.answer.option, kind_of(campaign.kind).gain
        campaign = campaign.with_cell(
            at, state=State.DONE if counts else State.FAILED, said=found.answer.sentence,
            gain=gain(found.answer) if gain is not None else None,
            setup=describe(option.setup) if option is not None else "",
        )  # fmt: skip
    keep(notebook, campaign)
    return campaign


def goes_on(notebook: Notebook, at: int) -> bool:
    """Whether a further cell is run on the machine of this one."""
    campaign = kept(notebook)
    own = campaign.rig_of(campaign.cells[at])
    return any(
        cell.state.is_left and number != at and campaign.rig_of(cell) == own
        for number, cell in enumerate(campaign.cells)
    )


def went_home(notebook: Notebook) -> list[str]:
    """Restart every machine that a campaign left in another OS slot into the one that it was found in, and nothing
    else; what could not be, in words."""
    said = []
    for entry in notebook.open_runs():
        if entry.left.is_touched or entry.machine.get("kind") == BY_HAND:
            continue
        try:
            back = run.put_back(notebook, entry)
        except HovrikError as fault:
            said.append(str(fault))
        else:
            said += [] if back.is_whole else [f"The machine is not wholly back as it was. {back.words}."]
    return said


def reopened(campaign: Campaign) -> Campaign:
    """The same campaign with what failed open once more."""
    for at, cell in enumerate(campaign.cells):
        if cell.state is State.FAILED:
            campaign = campaign.with_cell(at, state=State.OPEN, said="", plan_id="")
    return campaign
