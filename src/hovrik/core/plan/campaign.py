"""A campaign: one question put to several titles in several OS slots, cell by cell, over days if need be."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any

MOST_CELLS = 400


class State(StrEnum):
    """How far a cell is."""

    OPEN = "open"
    BEGUN = "begun"
    DONE = "done"
    FAILED = "failed"
    IMPOSSIBLE = "impossible"

    @property
    def is_left(self) -> bool:
        """Whether something is still to be done."""
        return self in (State.OPEN, State.BEGUN)


@dataclass(frozen=True)
class Cell:
    """A title's scene in an OS slot of a rig ("" that of the campaign), on a display ("" the one in use). said : its
    answer, or why there is none; gain : minutes to be gained where its question tells them; plan_id : of what was
    begun; setup : words of what it picks."""

    title: str
    scene: str
    slot: str
    state: State = State.OPEN
    said: str = ""
    gain: float | None = None
    plan_id: str = ""
    setup: str = ""
    rig: str = ""
    display: str = ""


@dataclass(frozen=True)
class Campaign:
    """kind : of the question; rig : of cells that name none; cells in the order in which they were made; question :
    that it was made of, as plain values, whose terms every cell has."""

    kind: str = ""
    rig: str = ""
    cells: tuple[Cell, ...] = ()
    question: Mapping[str, Any] = field(default_factory=dict)

    def rig_of(self, cell: Cell) -> str:
        """Key of a cell's rig."""
        return cell.rig or self.rig

    def next_cell(self, slot: str, rig: str = "") -> int | None:
        """Which is next: what was begun, else one on the rig ("" that of the campaign) and in the OS slot that run, so
        that restarts are shared, else the slot with most to do; None where nothing is left."""
        left = [at for at, cell in enumerate(self.cells) if cell.state.is_left]
        if not left:
            return None
        places = [(self.rig_of(cell), cell.slot) for cell in self.cells]
        counts = Counter(places[at] for at in left)
        here = rig or self.rig

        def rank(at: int) -> tuple[bool, bool, bool, int, int]:
            own, own_slot = places[at]
            begun = self.cells[at].state is State.BEGUN
            return (not begun, own != here, own_slot != slot, -counts[places[at]], at)

        return min(left, key=rank)

    def with_cell(self, at: int, **changes: Any) -> Campaign:
        """The same with a cell changed."""
        cells = list(self.cells)
        cells[at] = replace(cells[at], **changes)
        return replace(self, cells=tuple(cells))

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "kind": self.kind, "rig": self.rig, "question": dict(self.question),
            "cells": [{**vars(cell), "state": cell.state.value} for cell in self.cells],
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Campaign:
        """The inverse of `as_dict`. Raises ValueError, KeyError, TypeError for what is none."""
        cells = tuple(
            Cell(
                str(one["title"]), str(one["scene"]), str(one["slot"]), State(one["state"]), str(one["said"]),
                None if one["gain"] is None else float(one["gain"]), str(one["plan_id"]), str(one["setup"]),
                str(one.get("rig", "")), str(one.get("display", "")),
            )
            for one in body["cells"][:MOST_CELLS]
        )  # fmt: skip
        return cls(str(body["kind"]), str(body["rig"]), cells, dict(body["question"]))
