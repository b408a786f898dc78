"""Which caps would hold, predicted from passes without one (or with a higher one): off the interface's thread."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from ..core import words
from ..core.facts.panel import EvenCap, caps_of_words, even_caps_of
from ..core.facts.rig import Rig
from ..core.model.capped import Capped, capped, limiter_of
from ..core.passes.figure import low_id
from ..core.read.cap_table import OUT, CapCell, CapTable, cap_table, hours_at, ladder_of
from ..core.read.response import Response
from ..core.stats.estimate import Estimate
from ..store.files.write.table import csv_text, ends_of
from .gather import Evaluation


@dataclass(frozen=True)
class CapRow:
    """A cap that the panel shows evenly. at : the lowest level that would hold it as surely as is asked, else the one
    that comes nearest; sure : whether it is the former; hours : on a charge, None where they are not known."""

    even: EvenCap
    at: Capped
    sure: bool
    hours: Estimate | None


def predicted_from(evaluation: Evaluation) -> Response | None:
    """The response that caps are predicted from: along watts, without a cap before with one, the fullest first."""
    usable = [one for one in evaluation.responses if one.ladder is not None and one.factor.unit == "W"]

    def rank(one: Response) -> tuple[bool, float, int]:
        caps = [cap for cap in ladder_of(one).caps if cap is not None]
        return not caps, max(caps, default=0.0), sum(len(group.passes) for group in one.groups)

    return max(usable, key=rank, default=None)


def caps_of(evaluation: Evaluation, wanted: Callable[[], bool] = lambda: True) -> tuple[CapRow, ...]:
    """A row a cap, highest first; none where the panel is not known or no pass carries frames."""
    rig, response = evaluation.rig, predicted_from(evaluation)
    if rig is None or response is None:
        return ()
    question, found = evaluation.question, []
    low, tolerance = low_id(question.school), question.terms.tolerance
    paced = limiter_of(one.ladder for one in evaluation.every)
    for even in even_caps_of(rig):
        if not wanted():
            break
        told = capped(ladder_of(response), even.cap_fps, tolerance, low, paced)
        levels = [one for one in told if one is not None]
        judged = [one for one in levels if one.holds is not None]
        if not judged:
            continue
        first = next((one for one in judged if (one.holds or 0.0) >= question.terms.sure), None)
        at = first or max(judged, key=lambda one: one.holds or 0.0)
        hours = hours_at(at.draw, question, evaluation.context)
        found.append(CapRow(even, at, first is not None, hours))
    return tuple(found)


def table_of(evaluation: Evaluation, panel: str = "", rigs: Iterable[Rig] = (),
             wanted: Callable[[], bool] = lambda: True) -> CapTable:  # fmt: skip
    """Every set-up of the place with every cap of a panel. panel : its name or rates (`panel.caps_of_words`), "" the
    rig's own; rigs : that it can be named by. Raises InputError where it is no panel."""
    if panel.strip():
        caps = caps_of_words(panel, rigs)
    else:
        caps = even_caps_of(evaluation.rig) if evaluation.rig is not None else ()
    return cap_table(evaluation.every, caps, evaluation.question, evaluation.context, wanted)


def cell_words(cell: CapCell | None, sure: float) -> str:
    """What a cell says; what was measured stands with a full mark, what is predicted with a hollow one."""
    if cell is None:
        return "–"
    mark = "●" if cell.passes else "○"
    if cell.holds < OUT:
        return f"{mark} no"
    held = "holds" if cell.holds >= sure else words.percent(cell.holds)
    figures = [f"{words.number(cell.draw)} W"] if cell.draw is not None else []
    figures += [words.hours_minutes(cell.hours.value).replace(" min", "")] if cell.hours is not None else []
    return "\n".join((f"{mark} {held}", ", ".join(figures))) if figures else f"{mark} {held}"


def cell_tip(cell: CapCell | None) -> str:
    """The same in full, with its intervals."""
    if cell is None:
        return "Nothing can be said: its passes have a lower cap, or no frame times."
    lines = [f"{words.percent(cell.holds)} that it holds"]
    lines += [f"{words.span(cell.draw)} W drawn"] if cell.draw is not None else []
    lines += [f"{words.hours_span(cell.hours)} on a charge"] if cell.hours is not None else []
    made = f"measured, {cell.passes} {'pass' if cell.passes == 1 else 'passes'}" if cell.passes else "predicted"
    return "\n".join((*lines, made))


def table_dict(table: CapTable) -> dict[str, Any]:
    """Plain values for JSON."""
    rows = [
        {"setup": row.setup.as_dict(), "words": row.words, "uncapped_fps": row.rate.as_dict() if row.rate else None,
         "cells": [cell.as_dict() if cell else None for cell in row.cells]}
        for row in table.rows
    ]  # fmt: skip
    caps = [{"cap_fps": one.cap_fps, "refresh_hz": one.refresh_hz, "variable": one.variable} for one in table.caps]
    lock = {"row": table.lock[0], "cap": table.lock[1]} if table.lock else None
    return {"caps": caps, "setups": rows, "lock": lock, "sentence": words.render(table.says)}


def csv_of(table: CapTable) -> str:
    """The table as CSV: a line a set-up and cap, with every end."""
    names = [f"{name}{end}" for name in ("draw, W", "hours") for end in ("", " low", " high")]
    lines = [
        (row.words, even.cap_fps, even.refresh_hz, cell.holds, cell.passes, *ends_of(cell.draw), *ends_of(cell.hours))
        for row in table.rows for even, cell in zip(table.caps, row.cells) if cell is not None
    ]  # fmt: skip
    return csv_text([("setup", "cap, fps", "refresh, Hz", "holds, share", "passes", *names), *lines])
