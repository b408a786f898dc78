"""Telemetry that another recorder wrote, put beside the frames of an imported log."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ...core.errors import ImportRefused, InputError
from ...core.facts.condition import Condition, Conditions, Provenance
from ...core.passes import align, frames
from ...core.passes.align import ClockFit, How
from ...core.passes.trace import Trace, channel_words
from ...store.files.read import frame_log
from ...store.files.read.frame_log import Imported
from ...store.files.read.table import read_table
from ...store.files.read.telemetry import Telemetry, convert
from ...store.notebook import Notebook
from . import log_parts
from .mappings import Mappings, mappings


def read(notebook: Notebook, path: Path) -> Telemetry:
    """A telemetry file by its saved or guessed columns. Raises ImportRefused."""
    table = read_table(path)
    return convert(table, mappings(notebook).of_telemetry(table), path.name)


def fit(imported: Imported, telemetry: Telemetry, how: How | None = None, begin_s: float = 0.0) -> ClockFit:
    """Where the telemetry lies on the frames' clock.

    how : None takes the time stamps where both files hold dates or times of day that meet, else the load (a time since
    some start is not the same start in two files); begin_s : for How.GIVEN, seconds from the first frame. Raises
    InputError saying what else can be done.
    """
    trace = imported.trace
    if how is How.GIVEN:
        return align.as_given(trace, begin_s, telemetry.length_s)
    both_dated = imported.is_dated and telemetry.is_dated
    if how is How.STAMPS or (how is None and both_dated):
        try:
            return align.by_stamps(trace, imported.origin_s, telemetry.origin_s, telemetry.length_s)
        except InputError:
            if how is How.STAMPS:
                raise
    drift = align.CLOCK_DRIFT if telemetry.has_clock else align.ROWS_DRIFT
    return align.by_load(trace, telemetry.channels, drift)


@dataclass(frozen=True)
class Together:
    """The log of one pass with all telemetry that fits; conditions : where that lies; words : how it went."""

    imported: Imported
    conditions: Conditions
    words: str


def _figures_words(trace: Trace) -> str:
    """Mean and low of a log, as far as it carries them."""
    interval_ms = trace.interval_ms()
    found = frames.figures(interval_ms[interval_ms > 0], None)
    low = found.low_1pct.percentile
    return f"mean {found.mean_fps:.1f} fps, " + (
        "too few for a 1 % low" if low is None else f"1 % low (percentile) {low:.1f}"
    )


def read_together(paths: Sequence[Path], known: Mappings) -> Together:
    """The log of one pass in one or more files: the one with frames, and what other recorders wrote beside it.

    Raises ImportRefused where none holds frames, or two do.
    """
    log, others = None, []
    for path in paths:
        table = read_table(path)
        try:
            found = frame_log.convert(table, known.of_log(table))
        except ImportRefused:
            if len(paths) == 1:
                raise
            others.append(convert(table, known.of_telemetry(table), path.name))
            continue
        if log is not None:
            raise ImportRefused(f"{log[1]} and {path.name} both hold frames. Bring one log a pass.")
        log = found, path.name
    if log is None:
        raise ImportRefused("None of the files holds frame times. Bring the frame log with its telemetry.")
    imported, words = log[0], [f"{log[1]}: {log[0].trace.seconds:.0f} s of frames, {_figures_words(log[0].trace)}."]
    places: list[tuple[ClockFit, str]] = []
    for telemetry in others:
        imported, place, said = put_beside(imported, telemetry)
        words.append(f"{telemetry.name}: {said}" if place is not None else said)
        if place is not None:
            places.append((place, telemetry.name))
    part = Condition(log_parts.part_of(log[0], log[0].trace), Provenance.READ, time.time_ns())
    return Together(imported, {**conditions_of(*places), log_parts.CONDITION: part}, " ".join(words))


def put_beside(imported: Imported, telemetry: Telemetry) -> tuple[Imported, ClockFit | None, str]:
    """The log with a telemetry where that fits by itself, its place, and how it went in words; else the log as it is
    and None."""
    try:
        place = fit(imported, telemetry)
    except InputError as fault:
        return imported, None, f"Without {telemetry.name}: {fault}"
    return join(imported, telemetry, place), place, words_of(place)


def join(imported: Imported, telemetry: Telemetry, found: ClockFit) -> Imported:
    """The log with the telemetry's channels; those it has already stay."""
    return replace(imported, trace=align.joined(imported.trace, telemetry.channels, found))


def conditions_of(*places: tuple[ClockFit, str]) -> dict[str, Condition]:
    """What alignments add to the conditions of a pass, each with the name of its file; a second one is numbered."""
    made, now = {}, time.time_ns()
    for number, (found, name) in enumerate(places, 1):
        key = "telemetry" if number == 1 else f"telemetry_{number}"
        said = Provenance.ASKED if found.how is How.GIVEN else Provenance.READ
        made[key] = Condition(f"{name}, by {found.how.value}", Provenance.READ, now)
        made[f"{key}_begin_s"] = Condition(found.begin_s, said, now)
        if found.drift:
            made[f"{key}_drift_ppm"] = Condition(1e6 * found.drift, said, now)
        if found.sd_s is not None:
            made[f"{key}_sd_s"] = Condition(found.sd_s, Provenance.ASSUMED, now)
    return made


def words_of(found: ClockFit) -> str:
    """An alignment in one sentence, with no more digits than it carries."""
    digits = 1 if found.sd_s is None or 2 * found.sd_s < 1 else 0
    begin = f"{abs(found.begin_s):.{digits}f} s {'after' if found.begin_s >= 0 else 'before'} the first frame"
    if found.how is not How.LOAD or found.sd_s is None:
        return f"The telemetry begins {begin}, by {'its time stamps' if found.how is How.STAMPS else 'your word'}."
    text = f"The telemetry begins {begin} (± {2 * found.sd_s:.2g} s)"
    if found.drift and found.drift_sd:
        pace = "fast" if found.drift < 0 else "slow"
        text += f"; its clock runs {_share(found.drift)} (± {_share(2 * found.drift_sd)}) {pace}"
    one, other = (channel_words(name) for name in found.pair)
    pair = f"{one} against {other}" if one != other else f"{one} in both"
    return f"{text}. Found by the load: {pair}, correlation {found.correlation:.2f} over {found.overlap_s:.0f} s."


def _share(value: float) -> str:
    value = abs(value)
    return f"{100 * value:.1f} %" if value >= 1e-3 else f"{1e6 * value:.0f} ppm"
