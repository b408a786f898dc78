"""Many logs at once: each read by its saved or guessed mapping, cut into passes, stored one by one.

A log is stored before the next is read, so memory holds one log and a kill loses none that was finished.
"""

from __future__ import annotations

import math
import re
import time
import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from ...core.errors import HovrikError, ImportRefused, InputError, StoreError, count_left_out
from ...core.facts.condition import Condition, Conditions, Provenance
from ...core.facts.knob import CAP
from ...core.facts.setup import Setup
from ...core.passes.cut import IDLE_S, cut_at_idle, cut_at_marks
from ...core.passes.record import PassRecord
from ...core.passes.recording import EVERYTHING, Recording
from ...core.passes.trace import Trace
from ...core.questions.question import Question
from ...core.words import plural
from ...disk.reading import name_of
from ...store.files.read.frame_log import Imported, convert, guess
from ...store.files.read.table import is_table, read_table
from ...store.files.read.telemetry import Telemetry
from ...store.notebook import Notebook
from . import log_parts
from . import one as imports
from . import telemetry as beside
from .mappings import mappings
from .overlap import Known

MOST_FILES = 1000
_WATTS = re.compile(r"(?<![0-9.])(\d{1,3}(?:[.,]\d+)?) ?w(?:att)?s?(?![a-z])", re.IGNORECASE)
_CAP = re.compile(r"cap[ _-]?(\d{2,3}|none)", re.IGNORECASE)
Progress = Callable[[int, int, "Log"], bool]
Piece = tuple[Trace, str]


@dataclass(frozen=True)
class Log:
    """One file as it was found, or what became of it.

    columns : "saved", "guessed" or "" where it was refused; pieces : passes it is cut into; seconds, frames : of
    all pieces; left_out : rows; outcome : words, empty where nothing is wrong yet; ids : of the passes
    that were stored.
    """

    path: Path
    columns: str = ""
    pieces: int = 0
    seconds: float = 0.0
    frames: int = 0
    left_out: int = 0
    outcome: str = ""
    ids: tuple[str, ...] = ()

    @property
    def stored(self) -> int:
        """How many passes of it are now in the notebook by this import."""
        return len(self.ids)

    @property
    def is_usable(self) -> bool:
        """Whether it can be imported."""
        return self.pieces > 0

    @property
    def mean_fps(self) -> float | None:
        """Mean rate over all pieces, fps."""
        return (self.frames - self.pieces) / self.seconds if self.seconds > 0 else None


@dataclass(frozen=True)
class LogOrder:
    """A log and under which setup it was measured, in words: sustained_limit_w, cap_fps; missing ones are unknown."""

    path: Path
    settings: Mapping[str, str]


def logs_in(folder: Path) -> list[Path]:
    """Tables in a folder, by name; its sub-folders are left alone. Raises InputError."""
    try:
        found = sorted(p for p in folder.iterdir() if is_table(p) and p.is_file())
    except OSError as fault:
        raise InputError(f"{folder} cannot be read: {fault.strerror}. Choose another folder.") from fault
    if len(found) > MOST_FILES:
        raise InputError(f"{folder.name} holds {len(found)} tables; up to {MOST_FILES} are taken. Split it.")
    return found


def settings_in(name: str) -> dict[str, str]:
    """Static limit and cap that a file name speaks of, such as "ferry 15W cap40.csv"; to be shown, not trusted."""
    found = {}
    watts = _WATTS.findall(name)
    if len(watts) == 1:
        found["sustained_limit_w"] = watts[0].replace(",", ".")
    cap = _CAP.search(name)
    if cap:
        found[CAP] = cap.group(1).lower()
    return found


def look(
    notebook: Notebook, paths: Sequence[Path], idle_s: float = IDLE_S, progress: Progress | None = None,
    telemetry: Telemetry | None = None,
) -> list[Log]:  # fmt: skip
    """What each file holds. progress(done, total, log) is told of each; False ends it early; telemetry : of a second
    recorder, put beside each log where it fits."""
    found: list[Log] = []
    for path in paths:
        try:
            found.append(_read(notebook, path, idle_s, telemetry)[0])
        except HovrikError as fault:
            found.append(Log(path, outcome=str(fault)))
        if progress is not None and not progress(len(found), len(paths), found[-1]):
            break
    return found


def store(
    notebook: Notebook, question: Question, orders: Sequence[LogOrder], conditions: Mapping[str, str],
    idle_s: float = IDLE_S, progress: Progress | None = None, telemetry: Telemetry | None = None,
) -> list[Log]:  # fmt: skip
    """Store every pass of every log. A log that is in the notebook already, or cannot be used, is told and left.

    Raises StoreError where the notebook cannot be written; passes stored before are kept, and a second call
    stores only those that are missing.
    """
    stated = imports.conditions_from(question, conditions)
    known = _There(notebook.log_parts(), Known(notebook))
    done: list[Log] = []
    for order in orders:
        try:
            done.append(_store_one(notebook, question, order, stated, idle_s, known, telemetry))
        except HovrikError as fault:
            if isinstance(fault, StoreError) and not isinstance(fault, ImportRefused):
                raise
            done.append(Log(order.path, outcome=str(fault)))
        if progress is not None and not progress(len(done), len(orders), done[-1]):
            break
    return done


def _store_one(
    notebook: Notebook, question: Question, order: LogOrder, stated: Conditions, idle_s: float, known: _There,
    telemetry: Telemetry | None,
) -> Log:  # fmt: skip
    setup = imports.setup_from({k: v for k, v in order.settings.items() if v.strip()})
    log, imported, pieces, fitted = _read(notebook, order.path, idle_s, telemetry)
    known.parts = []
    kept = store_pieces(notebook, question, imported, pieces, setup, {**stated, **fitted}, name_of(log.path), known)
    outcome = f"{plural(len(kept), 'pass', 'passes')} stored." if kept else ""
    outcome = " ".join(filter(None, (outcome, *dict.fromkeys(known.parts))))
    outcome = outcome or "In the notebook already; left alone."
    return replace(log, ids=tuple(record.id for record in kept), outcome=f"{outcome} {log.outcome}".strip())


@dataclass
class _There:
    """What of logs is in the notebook already, which grows. digests : of whole logs with where a part begins; frames :
    by which parts of logs are found; parts : words of those that were left out last."""

    digests: set[str]
    frames: Known
    parts: list[str] = field(default_factory=list)


def store_pieces(
    notebook: Notebook, question: Question, imported: Imported, pieces: Sequence[Piece], setup: Setup,
    stated: Conditions, name: str, known: _There,
) -> list[PassRecord]:  # fmt: skip
    """Store the passes of one log but for those in `known`, which grows. name : of the log. Raises PlanError,
    StoreError."""
    made: list[PassRecord] = []
    new: list[tuple[PassRecord, Trace]] = []
    recording = Recording(str(uuid.uuid4()), imported.trace)
    for number, (piece, words) in enumerate(pieces, 1):
        part = log_parts.part_of(imported, piece)
        if part in known.digests:
            continue
        why = known.frames.part_of(piece)
        if why:
            known.parts.append(why)
            continue
        now = time.time_ns()
        where = name if len(pieces) == 1 else f"{name}, part {number} of {len(pieces)}"
        found = {
            **stated,
            "log": Condition(f"{where}: {words}" if words else where, Provenance.READ, now),
            log_parts.CONDITION: Condition(part, Provenance.READ, now),
        }
        within = EVERYTHING if piece is imported.trace else (piece.start_ns, piece.end_ns)
        record = imports.record_of(notebook, question, piece, setup, found)
        made.append(imports.keep(notebook, question, replace(record, recording=recording, within=within)))
        known.digests.add(part)
        new.append((made[-1], piece))
    for record, piece in new:  # parts of one log are no parts of each other
        known.frames.add(record, piece)
    return made


def store_whole(
    notebook: Notebook, question: Question, imported: Imported, setup: Setup, stated: Conditions, name: str
) -> list[PassRecord]:
    """Store what one log holds, cut at its marks where it has some. Raises InputError where nothing can be stored, or
    all of it is in the notebook already; PlanError, StoreError."""
    pieces = pieces_of(imported, math.inf)
    if not pieces:
        raise InputError("Between its marks the log holds no stretch of 10 s. Cut at another column, or at none.")
    known = _There(notebook.log_parts(), Known(notebook))
    kept = store_pieces(notebook, question, imported, pieces, setup, stated, name, known)
    if not kept and known.parts:
        raise InputError(f"Nothing of {name} was imported. {known.parts[0]}")
    if not kept:
        raise InputError(f"The frames of {name} are in the notebook already; nothing was imported.")
    return kept


def pieces_of(imported: Imported, idle_s: float = IDLE_S) -> list[Piece]:
    """The passes in one log with what their marks say: cut at its marks where it has some, else at idle gaps."""
    if imported.marks:
        return cut_at_marks(imported.trace, imported.marks)
    return [(piece, "") for piece in cut_at_idle(imported.trace, idle_s)]


def _read(
    notebook: Notebook, path: Path, idle_s: float, telemetry: Telemetry | None
) -> tuple[Log, Imported, list[Piece], Conditions]:
    table = read_table(path)
    saved = mappings(notebook).saved(table)
    imported = convert(table, saved or guess(table))
    words, fitted = "", {}
    if telemetry is not None:
        imported, place, words = beside.put_beside(imported, telemetry)
        fitted = beside.conditions_of((place, telemetry.name)) if place is not None else {}
    pieces = pieces_of(imported, idle_s)
    if not pieces:
        raise InputError(f"{path.name} holds no stretch of 10 s between its marks or gaps. Cut it elsewhere.")
    log = Log(
        path, "saved" if saved else "guessed", len(pieces), sum(p.seconds for p, _ in pieces),
        sum(int(p.frames_ns.size) for p, _ in pieces), count_left_out(imported.problems), words,
    )  # fmt: skip
    return log, imported, pieces, fitted
