"""Given setups in rounds: each once a round, rounds in random or mirrored order, OS slots as blocks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Any

import numpy as np

from ..facts.setup import Setup
from .design import Told
from .lengths import Lengths
from .steps import Asked, Wanted


@dataclass(frozen=True)
class Cell:
    """A setup in an OS slot, on a power source; "" the one that the machine is in, that of the question."""

    setup: Setup
    slot: str = ""
    source: str = ""


def _where(cell: Cell) -> tuple[str, str]:
    return cell.slot, cell.source


@dataclass(frozen=True)
class RoundsDesign:
    """Every cell `like.repeats` times, at most `most` passes in all.

    mirrored : every second round runs the first one backwards (ABBA), so that a drift of the machine cancels; else each
    round has its own random order. Cells of one slot and source stay together in a round, and the next begins where
    that ended; the first begins in that of the first cell. heat_last : the heat pass of `like` comes after all others.
    left_out : why setups that were asked for cannot be.
    """

    cells: tuple[Cell, ...]
    like: Lengths
    mirrored: bool = False
    most: int | None = None
    heat_last: bool = False
    left_out: tuple[str, ...] = ()
    pins: bool = False

    def ask(self, told: Told) -> Asked:
        """All of them at the first ask, nothing after it."""
        if told.batches:
            return Asked(())
        rng = np.random.default_rng(self.like.seed)
        found: list[Wanted] = []
        before: list[Cell] = []
        for number in range(self.like.repeats):
            order = before[::-1] if self.mirrored and number % 2 else self._order(rng, before)
            found += [
                replace(
                    self.like.wanted(cell.setup, number), slot=cell.slot, pin_w=self._pin_w(cell), source=cell.source
                )
                for cell in order
            ]
            before = order
        found = found[: self.most] if self.most is not None else found
        if self.like.heat_s > 0:
            last = [cell for cell in self.cells if self.heat_last or cell.slot == self.cells[0].slot][-1]
            heat = self.like.heat(last.setup, last.slot)
            found = [*found, heat] if self.heat_last else [heat, *found]
        return Asked(tuple(found), " ".join(self.left_out))

    def _pin_w(self, cell: Cell) -> float:
        return (cell.setup.static_limit_w or 0.0) if self.pins else 0.0

    def _order(self, rng: np.random.Generator, before: Sequence[Cell]) -> list[Cell]:
        blocks = {where: list(own) for where, own in groupby(sorted(self.cells, key=_where), _where)}
        keys = list(blocks)
        order = [keys[at] for at in rng.permutation(len(keys)).tolist()]
        standing = _where(before[-1] if before else self.cells[0])
        order.sort(key=lambda where: where != standing)
        return [blocks[where][at] for where in order for at in rng.permutation(len(blocks[where])).tolist()]

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        cells = [
            {"setup": cell.setup.as_dict(), **{k: v for k, v in (("slot", cell.slot), ("source", cell.source)) if v}}
            for cell in self.cells
        ]  # fmt: skip
        return {
            **self.like.as_dict(), "cells": cells, "mirrored": self.mirrored, "most": self.most,
            "heat_last": self.heat_last, "left_out": list(self.left_out), "pins": self.pins,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> RoundsDesign:
        """The inverse of `as_dict`."""
        cells = tuple(Cell(Setup(one["setup"]), one.get("slot", ""), one.get("source", "")) for one in body["cells"])
        return cls(
            cells, Lengths.from_dict(body), bool(body.get("mirrored")), body.get("most"),
            bool(body.get("heat_last")), tuple(body.get("left_out") or ()), bool(body.get("pins")),
        )  # fmt: skip
