"""What to look at before measuring: a list made from rig, OS slot, scene and question.

Each item is read from the machine where that can be, else asked; answers become conditions of the passes.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from ..facts.condition import Condition, Provenance
from ..facts.knob import LIMITS, REFRESH, Knob, Level
from ..facts.place import Source
from ..facts.rig import OsSlot, Rig
from ..facts.setup import Snapshot
from ..facts.title import Title
from .question import Question


class Mood(StrEnum):
    """How an item stands."""

    FINE = "fine"
    LOOK = "look"
    OPEN = "open"


@dataclass(frozen=True)
class Item:
    """One thing to look at.

    id : also the condition's name; ask : the question in words; choices : allowed answers, empty for free text or a
    number with `unit`; wanted : the answer that is fine ("" : any); condition : what is known; mood; note : what to do
    or a caution.
    """

    id: str
    ask: str
    condition: Condition
    mood: Mood
    choices: tuple[str, ...] = ()
    unit: str = ""
    note: str = ""

    @property
    def is_read(self) -> bool:
        """Whether the machine itself answered."""
        return self.condition.provenance is Provenance.READ


@dataclass(frozen=True)
class Seen:
    """What the machine shows now; everything may be None. at_ns : machine time; fault : why it could not be read;
    knobs : that it offers in the slot it is in."""

    snapshot: Snapshot | None = None
    charge: float | None = None
    source: Source | None = None
    slot: str | None = None
    at_ns: int = 0
    fault: str = ""
    knobs: tuple[Knob, ...] = ()


HALF = 0.5
YES_NO = ("yes", "no")
READ_IDS = frozenset({"slot_running", "source_now", "charge_share", "refresh_hz", "limits_now"})  # never asked


def items(
    rig: Rig, slot: OsSlot | None, title: Title | None, question: Question, seen: Seen, answers: Mapping[str, Condition]
) -> tuple[Item, ...]:
    """The list. answers : by item id, as they were given."""
    made = [
        _read("slot_running", f"Runs {slot.name if slot else question.slot}", seen.slot, question.slot, seen,
              "Restart into it; the run asks for it too."),
        _source(rig, question, seen),
        _charge(rig, seen),
        _refresh(rig, seen),
        _static(seen),
    ]  # fmt: skip
    made += [_asked(*entry, answers=answers) for entry in _questions(rig, slot, title, question)]
    return tuple(item for item in made if item is not None)


def _read(name: str, ask: str, value: Level | None, wanted: Level, seen: Seen, note: str) -> Item:
    if value is None:
        return Item(name, ask, Condition(None, Provenance.UNKNOWN), Mood.OPEN, note="No machine to read it from.")
    fine = value == wanted
    return Item(
        name, ask, Condition(value, Provenance.READ, seen.at_ns), Mood.FINE if fine else Mood.LOOK,
        note="" if fine else note,
    )  # fmt: skip


def _source(rig: Rig, question: Question, seen: Seen) -> Item:
    on = "Unplugged, on the battery" if question.source is Source.BATTERY else "Plugged in"
    if question.source is Source.ADAPTER and rig.adapter_w:
        on += f", an adapter of {rig.adapter_w:g} W without a dock between"
    value = seen.source.value if seen.source else None
    return _read("source_now", on, value, question.source.value, seen, "The run asks for it before it starts.")


def _charge(rig: Rig, seen: Seen) -> Item:
    low, high = rig.valid_charge
    ask = f"Charge between {100 * low:.0f} and {100 * high:.0f} %"
    if seen.charge is None:
        return Item(
            "charge_share", ask, Condition(None, Provenance.UNKNOWN), Mood.OPEN, note="No machine to read it from."
        )
    fine = low <= seen.charge <= high + 1e-9
    note = "" if fine else "Charge first: outside it firmware may cut clocks. Do not charge unattended."
    if fine and rig.valid_charge == Rig.__dataclass_fields__["valid_charge"].default and seen.charge < HALF:
        fine = False
        note = "Some laptops cut clocks under half a charge; nobody noted whether this one does."
    return Item(
        "charge_share", ask, Condition(round(seen.charge, 4), Provenance.READ, seen.at_ns),
        Mood.FINE if fine else Mood.LOOK, unit="share", note=note,
    )  # fmt: skip


def _refresh(rig: Rig, seen: Seen) -> Item | None:
    reading = seen.snapshot.readings.get(REFRESH) if seen.snapshot else None
    if reading is None or not rig.refresh_hz:
        return None
    return Item(
        "refresh_hz", "Refresh of the panel", Condition(reading.value, Provenance.READ, seen.at_ns), Mood.FINE,
        unit="Hz", note="" if reading.confirmed else "Only cached: what was set last.",
    )  # fmt: skip


def _static(seen: Seen) -> Item | None:
    if seen.snapshot is None:
        return None
    limits = {key: seen.snapshot.readings.get(key) for key in LIMITS}
    known = [r for r in limits.values() if r is not None]
    confirmed = bool(known) and all(r.confirmed for r in known)
    words = ", ".join(f"{r.value:g}" for r in known if isinstance(r.value, int | float))
    note = "" if confirmed else "The machine does not confirm its limits: note them by hand before changing any."
    return Item(
        "limits_now", "Limits can be pinned and put back", Condition(f"{words} W", Provenance.READ, seen.at_ns),
        Mood.FINE if confirmed else Mood.LOOK, note=note,
    )  # fmt: skip


Asked = tuple[str, str, tuple[str, ...], str, str, str]


def _questions(rig: Rig, slot: OsSlot | None, title: Title | None, question: Question) -> list[Asked]:
    """(id, question, choices, unit, wanted answer, note)."""
    versions = [f"{v.what} {v.installed}" for v in (*rig.versions, *(slot.versions if slot else ())) if v.installed]
    asked: list[Asked] = [
        ("versions_as_noted", f"Versions as noted: {', '.join(versions) or 'none noted'}", YES_NO, "", "yes",
         "Note the new ones in Rig first. Update firmware only on the adapter, by the maker's own procedure."),
        ("room_c", "Room temperature", (), "C", "", "A cold room flatters everything."),
        ("fan_policy", "Fan policy", rig.fan_policies, "", "", "Without the same one temperatures say nothing."),
        ("display", "Display in use", ("built-in", *(d.name for d in rig.displays)), "", "", ""),
        ("capture", "Screen capture or streaming off", YES_NO, "", "yes", "It costs frames and watts."),
        ("brightness_percent", "Brightness", (), "%", "", "Keep it the same in every pass: it is part of the draw."),
        ("background_quiet", "Background tasks finished", YES_NO, "", "yes", "Wait for updates and indexing."),
        ("radios", "Radios", ("on", "off"), "", "", ""),
        ("lighting", "Lighting", ("on", "off"), "", "off", "Off, or the same in every pass."),
        ("boost", "CPU boost", rig.boost_levels or ("on", "off"), "", "", "The same in every pass."),
        ("shaders_compiled", "Shaders compiled, the scene played once", YES_NO, "", "yes", "Play it once first."),
    ]  # fmt: skip
    if slot is not None and slot.overlay:
        note = f"It switches off {slot.overlay_stops}." if slot.overlay_stops else ""
        asked.append(("overlay_off", f"Overlay ({slot.overlay}) off", YES_NO, "", "yes", note))
    if question.source is Source.ADAPTER:
        asked.append(("power_path", "Power path", ("adapter", "dock"), "", "", "A dock may change the highest limit."))
        asked.append(("negotiated_w", "Watts negotiated", (), "W", "", ""))
    if title is not None:
        words = f" ({title.preset})" if title.preset else ""
        asked.append(("set_up_as_noted", f"Set-up of the title as noted{words}", YES_NO, "", "yes", ""))
        if title.live_opponents:
            note = (
                "A match is heavier than a training room, and a crash may cost you a suspension: try in training first."
            )
            asked.append(("live_opponents", "No live opponents in this scene", YES_NO, "", "yes", note))
        if title.dislikes_changes:
            note = "It hangs when settings change while it runs: everything is set before its launch."
            asked.append(("set_before_launch", "Set before launch, no window over it", YES_NO, "", "yes", note))
    return asked


def _asked(
    name: str,
    ask: str,
    choices: tuple[str, ...],
    unit: str,
    wanted: str,
    note: str,
    *,
    answers: Mapping[str, Condition],
) -> Item:
    known = answers.get(name, Condition(None, Provenance.UNKNOWN))
    if known.value is None:
        return Item(name, ask, known, Mood.OPEN, choices, unit, note)
    fine = not wanted or str(known.value) == wanted
    return Item(name, ask, known, Mood.FINE if fine else Mood.LOOK, choices, unit, note)


def conditions(made: tuple[Item, ...]) -> dict[str, Condition]:
    """What the list says about passes made now: every item that is known."""
    return {item.id: item.condition for item in made if item.condition.value is not None}
