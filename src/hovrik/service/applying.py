"""A profile on its machine: set in its order, read back knob by knob, and put back to what was there before.

What was there is stored before anything is touched, so that a program that is killed on the way can still put it back.
Every value passes the one gate (`bench/setting.py`).
"""

from __future__ import annotations

import contextlib
import time
from collections.abc import Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from typing import Any

from ..bench import setting
from ..bench.protocol import Machine, Reply
from ..bench.setting import PutBack
from ..core.errors import InputError, PlanError, StoreError
from ..core.facts.allowed import refusals
from ..core.facts.knob import LIMITS, Knob, Level, named, shown
from ..core.facts.knobs import knobs_of
from ..core.facts.known_knobs import is_voltage, known
from ..core.facts.left import Left
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup, describe
from ..core.facts.title import Title
from ..core.keep.profile import Profile
from ..store.files.write.profile import problems_of
from ..store.notebook import Notebook
from ..store.sound import WRONG, setup_from
from . import run
from .holds import held
from .library import address_of
from .machines import open_machine
from .profiles import applied_in
from .run import crashed_at, rig_of, title_of

MOST_KEPT = 500  # of what was applied and put back, for the logbook
_LOG = "applied log"


@dataclass(frozen=True)
class Row:
    """What became of one knob. read : what the machine says now, "" where it says nothing; is_set : it reads back as
    it was asked; why : where it does not."""

    knob: str
    asked: Level
    read: str = ""
    is_set: bool = False
    why: str = ""


@dataclass(frozen=True)
class Applied:
    """A profile on a machine. before : how the machine was found, and which knobs were set since; rows : in the order
    in which they were set, none while it is under way; by_hand : a person set it; said : what else there is to say."""

    rig: str
    profile: str
    name: str
    setup: Setup
    before: Left
    at_ns: int
    rows: tuple[Row, ...] = ()
    by_hand: bool = False
    said: str = ""

    @property
    def is_whole(self) -> bool:
        """Whether every knob reads back as it was asked."""
        return bool(self.rows) and all(row.is_set for row in self.rows)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "rig": self.rig, "profile": self.profile, "name": self.name, "setup": self.setup.as_dict(),
            "before": self.before.as_dict(), "at_ns": self.at_ns, "rows": [vars(row) for row in self.rows],
            "by_hand": self.by_hand, "said": self.said,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Applied:
        """The inverse of `as_dict`. Raises ValueError, KeyError, TypeError for what is none."""
        rows = tuple(
            Row(str(one["knob"]), one["asked"], str(one["read"]), bool(one["is_set"]), str(one["why"]))
            for one in body["rows"]
        )
        return cls(
            str(body["rig"]), str(body["profile"]), str(body["name"]), setup_from(body["setup"]),
            Left.from_dict(body["before"]), int(body["at_ns"]), rows, bool(body["by_hand"]), str(body["said"]),
        )  # fmt: skip


@dataclass(frozen=True)
class ApplyStep:
    """One thing to set, for a person. knobs; words : what to set and where."""

    knobs: tuple[str, ...]
    words: str


def on_machine(notebook: Notebook, rig: str) -> Applied | None:
    """The profile that is on a rig's machine; None where there is none, or what was kept cannot be read."""
    body = notebook.get_state(_key(rig))
    try:
        return Applied.from_dict(body) if isinstance(body, dict) else None
    except WRONG:
        return None


def log(notebook: Notebook) -> list[Mapping[str, Any]]:
    """What was applied and put back, oldest first: at_ns, text, place (keys of rig, slot, title, scene, source)."""
    kept = notebook.get_state(_LOG)
    return [one for one in kept if _is_line(one)] if isinstance(kept, list) else []


def _is_line(one: Any) -> bool:
    return (
        isinstance(one, dict) and isinstance(one.get("at_ns"), int) and isinstance(one.get("text"), str)
        and isinstance(one.get("place"), list) and len(one["place"]) == 5
        and all(isinstance(key, str) for key in one["place"])
    )  # fmt: skip


def parts_of(profile: Profile) -> list[Setup]:
    """A profile's setup in the parts that are set one after the other; the three limits as one."""
    setup = profile.setup
    wanted = [str(one) for one in profile.order if str(one) in setup]
    order = wanted + [key for key in applied_in(list(setup)) if key not in wanted]
    found: list[Setup] = []
    for key in order:
        if any(key in one for one in found):
            continue
        keys = [one for one in LIMITS if one in setup] if key in LIMITS else [key]
        found.append(Setup({one: setup[one] for one in keys}))
    return found


def checklist(notebook: Notebook, profile: Profile) -> list[ApplyStep]:
    """A profile for a person to set, step by step. Raises PlanError where the rig does not allow it, InputError where
    it must not be."""
    rig, title = _allowed(notebook, profile)
    slot = next((one for one in rig.slots if one.key == profile.slot), None)
    knobs: dict[str, Knob] = named(knobs_of(rig, slot, title))
    wrong = refusals(profile.setup, rig)
    if wrong:
        raise PlanError(f"This profile cannot be set. {' '.join(wrong[:3])}")
    steps = []
    for part in parts_of(profile):
        own = [knobs.get(key) or known(key) for key in part]
        places = list(dict.fromkeys(knob.place for knob in own if knob.place))
        where = f" ({', '.join(places)})" if places else ""
        steps.append(ApplyStep(tuple(part), f"{describe(part, own)}{where}"))
    return steps


def set_by_hand(notebook: Notebook, profile: Profile, done: Sequence[str]) -> Applied:
    """Note what a person has set. done : knobs that were ticked. Raises as `checklist`, StoreError."""
    checklist(notebook, profile)
    setup = profile.setup
    keys = [key for part in parts_of(profile) for key in part]
    rows = tuple(
        Row(key, setup[key], shown(setup[key]) if key in done else "", key in done, "" if key in done else "not ticked")
        for key in keys
    )
    name = profile.title_name
    made = Applied(profile.rig, profile.id, name, setup, Left(), time.time_ns(), rows, by_hand=True)
    notebook.set_state(_key(made.rig), made.as_dict())
    _note(notebook, profile, f"Set by hand for {name}: {describe(setup)}")
    return made


def apply_profile(notebook: Notebook, profile: Profile) -> Applied:
    """Set a profile on its machine, part by part, and read it back. Where a part is refused, everything is put back.

    Raises InputError where it must not be, PlanError where its rig does not allow it, Unavailable where the machine
    cannot be reached, StoreError.
    """
    rig, title = _allowed(notebook, profile)
    address = address_of(notebook, rig.key)
    if address is None:
        raise InputError(f"{rig.name} is run by hand: set the profile by its list.")
    if run.open_run_of(notebook, address) is not None:
        raise InputError("A sweep is under way on this machine, or was cut short. End it first.")
    with held(address), closing(open_machine(address)) as machine:
        return _applied(notebook, machine, rig, title, profile)


def _applied(notebook: Notebook, machine: Machine, rig: Rig, title: Title | None, profile: Profile) -> Applied:
    parts, setup = parts_of(profile), profile.setup
    former = on_machine(notebook, rig.key)
    left = former.before if former is not None and not former.by_hand else None  # older, and so what was there
    if left is None:
        left = Left.found(machine.describe().slot, machine.snapshot())
    made = Applied(rig.key, profile.id, profile.title_name, setup, left, time.time_ns())
    notebook.set_state(_key(rig.key), made.as_dict())  # before it is restarted or anything is set
    try:
        said = _brought_about(machine, rig, profile)
    except InputError:
        notebook.set_state(_key(rig.key), former.as_dict() if former is not None else None)
        raise
    now, slot = machine.snapshot(), machine.describe().slot
    lost = sorted(set(setup) - set(now.restorable()))
    if lost:
        _closed(notebook, rig.key, setting.put_back_left(machine, left, rig))
        raise InputError(
            f"The machine does not confirm its present {', '.join(lost)}, so it could not be put back afterwards. "
            "Set it by hand once, then apply the profile."
        )
    left = left.seen_in(slot, now).touching(slot, setup)
    made = replace(made, before=left, said=said)
    notebook.set_state(_key(rig.key), made.as_dict())
    for part in parts:
        outcome = setting.apply(machine, part, rig, title)
        if outcome.reply is not Reply.DONE:
            back = setting.put_back_left(machine, left, rig)
            _closed(notebook, rig.key, back)
            rest = f" Left as it is: {back.words}." if not back.is_whole else " Everything was put back."
            why = outcome.reason or outcome.reply.value
            raise InputError(f"{describe(part)} was not taken: {why.rstrip('.')}.{rest}")
    made = replace(made, rows=_read_back(machine, rig, title, parts))
    notebook.set_state(_key(rig.key), made.as_dict())
    _note(notebook, profile, f"Applied for {made.name}: {describe(setup)}")
    return made


def _brought_about(machine: Machine, rig: Rig, profile: Profile) -> str:
    """The machine in the profile's OS slot; what there is to say of its source."""
    slot = machine.describe().slot
    if slot and slot != profile.slot:
        wanted = setting.restart_into(rig, profile.slot)
        if not machine.needs_person(wanted) or machine.describe().slot != profile.slot:
            raise InputError(f"The machine runs another OS slot. {wanted.text}")
    source = machine.source()
    if source is not None and source is not profile.source:
        return f"It was chosen on {profile.source.value}, and the machine is on the {source.value}."
    return ""


def _read_back(machine: Machine, rig: Rig, title: Title | None, parts: Sequence[Setup]) -> tuple[Row, ...]:
    knobs = named(setting.settable(machine, rig, title))
    readings = machine.read_back().readings
    rows = []
    for key, asked in (item for part in parts for item in part.items()):
        knob, found = knobs.get(key) or known(key), readings.get(key)
        if found is None or not found.confirmed:
            rows.append(Row(key, asked, "", False, "the hardware does not confirm it"))
        elif not knob.agrees(asked, found.value):
            rows.append(Row(key, asked, shown(found.value), False, f"reads {shown(found.value)}"))
        else:
            rows.append(Row(key, asked, shown(found.value), True))
    return tuple(rows)


def put_back(notebook: Notebook, rig_key: str) -> PutBack:
    """Put a machine back to what it was before a profile was applied; once all of it is confirmed, or a person set it
    by hand, nothing is on it any more. Raises InputError, PlanError, Unavailable, StoreError."""
    found = on_machine(notebook, rig_key)
    if found is None:
        raise InputError("No profile is on this machine.")
    rig, address = rig_of(notebook, rig_key), address_of(notebook, rig_key)
    back = PutBack()
    if not found.by_hand:
        if address is None:
            raise InputError(f"Where {rig.name} is reached is not known any more: put it back by hand.")
        if run.open_run_of(notebook, address) is not None:
            raise InputError("A sweep is under way on this machine, or was cut short. End it first.")
        with held(address), closing(open_machine(address)) as machine:
            back = setting.put_back_left(machine, found.before, rig)
    _closed(notebook, rig_key, back)
    if back.is_whole:
        _line(notebook, f"Put back after {found.name}", (rig_key, "", "", "", ""))
    return back


def _closed(notebook: Notebook, rig: str, back: PutBack) -> None:
    if back.is_whole:
        notebook.set_state(_key(rig), None)


def _allowed(notebook: Notebook, profile: Profile) -> tuple[Rig, Title | None]:
    wrong = problems_of(profile.body)
    if wrong:
        raise InputError(f"This profile is not sound: {'; '.join(wrong[:3])}.")
    if any(is_voltage(key) for key in profile.body["setup"]):
        raise InputError("This profile moves a voltage, which nothing here sets from a file: set it by hand.")
    rig = rig_of(notebook, profile.rig)
    if all(slot.key != profile.slot for slot in rig.slots):
        raise PlanError(f"{rig.name} has no OS slot {profile.slot!r} any more.")
    setup = profile.setup
    failed = []
    with contextlib.suppress(PlanError):  # a title that is not known has no incidents either
        failed = crashed_at(notebook, profile.asked)
    if any(_same(setup, one) for one in failed):
        raise InputError(
            f"{describe(setup)} is not set: something went wrong at this setup. Take the incident back in Bench where "
            "it is resolved, or choose another setup."
        )
    return rig, title_of(notebook, profile.title)


def _same(setup: Setup, failed: Setup) -> bool:
    """Whether what failed is this setup, as far as both tell."""
    both = set(setup) & set(failed)
    limits = set(failed) & set(LIMITS) or set(failed)
    return limits <= both and all(known(key).agrees(setup[key], failed[key]) for key in both)


def _note(notebook: Notebook, profile: Profile, text: str) -> None:
    _line(notebook, text, profile.place)


def _line(notebook: Notebook, text: str, place: Sequence[str]) -> None:
    lines = [*log(notebook), {"at_ns": time.time_ns(), "text": text, "place": list(place)}]
    with contextlib.suppress(StoreError):  # what was done is done; only its line in the logbook is lost
        notebook.set_state(_LOG, lines[-MOST_KEPT:])


def _key(rig: str) -> str:
    return f"applied/{rig}"
