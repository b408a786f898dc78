"""Every set-up with every cap that a panel shows evenly: what was measured, and what is predicted of passes without a
cap (or with a higher one)."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from ..facts.knob import CAP, REFRESH
from ..facts.panel import EvenCap, uneven_cap
from ..facts.place import Source
from ..facts.setup import Setup, describe
from ..message import Message, say
from ..model import battery, held
from ..model.capped import Capped, Limiter, capped, limiter_of
from ..model.ladder import Ladder
from ..passes.figure import low_id
from ..questions.question import Question
from ..stats.estimate import Estimate, Mean
from .answer import Context, hours_of
from .response import Response

SAME_FPS = 0.05  # caps this near are one
OUT = 0.05  # chance under which a cap is no longer worth a column


@dataclass(frozen=True)
class CapCell:
    """A set-up with a cap. holds : chance that its 1 % low lies within the tolerance of the cap; passes : that were
    made with it, 0 where it is predicted; renders : chance that frames are ready for it, where it is predicted."""

    holds: float
    draw: Estimate | None
    hours: Estimate | None
    passes: int = 0
    renders: float = 0.0

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        figures = {name: one.as_dict() for name, one in (("draw_w", self.draw), ("hours", self.hours)) if one}
        return {"holds": self.holds, **figures, "passes": self.passes}


@dataclass(frozen=True)
class CapSetup:
    """A row. setup : without cap and refresh; apart : what else tells it from a row of the same setup; rate : mean
    without a cap, None where none was measured; cells : one a cap of the table, None where nothing can be said."""

    setup: Setup
    apart: tuple[str, ...]
    rate: Estimate | None
    cells: tuple[CapCell | None, ...]

    @property
    def words(self) -> str:
        """What the row is called."""
        return ", ".join((describe(self.setup) or "as set", *self.apart))

    def locked(self, sure: float) -> int | None:
        """Place of the highest cap that holds as surely as is asked."""
        return next((at for at, one in enumerate(self.cells) if one is not None and one.holds >= sure), None)

    def ready(self, sure: float) -> int | None:
        """Place of the highest cap that frames are ready for, whether the limiter keeps it or not."""
        return next((at for at, one in enumerate(self.cells) if one is not None and one.renders >= sure), None)


@dataclass(frozen=True)
class CapTable:
    """caps : highest first, those that no row holds left out but for the lowest of them; rows : fullest response first;
    lock : row and place of the cap to lock: the highest that any row holds surely, there the longest hours (else the
    least draw); says : that in words."""

    caps: tuple[EvenCap, ...]
    rows: tuple[CapSetup, ...]
    lock: tuple[int, int] | None
    says: Message


def hours_at(draw: Estimate | None, question: Question, context: Context) -> Estimate | None:
    """Hours on a charge at a draw that is predicted; None where they are not asked for or cannot be told."""
    if draw is None or context.rig is None or question.source is not Source.BATTERY:
        return None
    if draw.low is None or draw.high is None or draw.low <= 0:
        return None
    se = math.log(draw.high / draw.low) / (2 * 1.96)
    return battery.hours(context.rig, Mean(math.log(draw.value), se, 1e6, draw.n), context.used)


def cap_table(
    responses: Sequence[Response], caps: Sequence[EvenCap], question: Question, context: Context,
    wanted: Callable[[], bool] = lambda: True,
) -> CapTable:  # fmt: skip
    """The table. caps : of the panel that it is asked for, highest first; wanted : whether anyone still waits."""
    homes: dict[tuple[Setup, tuple[str, ...]], list[tuple[Response, int]]] = {}
    for response in responses:
        for at, group in enumerate(response.groups):
            homes.setdefault((group.setup.without(CAP, REFRESH), response.apart), []).append((response, at))
    asked = _Asked(question, context, limiter_of(one.ladder for one in responses))
    rows = [
        CapSetup(setup, apart, _rate(own), tuple(asked.cells(own, caps, wanted)))
        for (setup, apart), own in homes.items()
    ]
    rows = [row for row in rows if any(row.cells)]
    known = [at for at in range(len(caps)) if any(row.cells[at] for row in rows)]
    in_reach = [at for at in known if any((cell := row.cells[at]) and cell.holds >= OUT for row in rows)]
    first = max((at for at in known if at < in_reach[0]), default=in_reach[0]) if in_reach else len(caps) - 1
    kept = [at for at in known if at >= first]
    chosen = tuple(replace(row, cells=tuple(row.cells[at] for at in kept)) for row in rows)
    shown = tuple(caps[at] for at in kept)
    lock = _lock(chosen, question.terms.sure)
    says = None if asked.paced.is_known else _untried(shown, chosen, lock, question.terms.sure)
    return CapTable(shown, chosen, lock, says or _says(shown, chosen, lock))


@dataclass(frozen=True)
class _Asked:
    question: Question
    context: Context
    paced: Limiter

    def cells(
        self, own: Sequence[tuple[Response, int]], caps: Sequence[EvenCap], wanted: Callable[[], bool]
    ) -> Iterator[CapCell | None]:
        """Of a set-up's groups, a cap each: as measured with it, else as predicted of what is nearest to no cap."""
        free = own[max(range(len(own)), key=lambda number: (_rank(*own[number]), number))]
        for even in caps:
            made = [place for place in own if _is_made_at(*place, even.cap_fps)]
            if not wanted():
                yield None
            elif made and (cell := self._measured(*max(made, key=_passes), even.cap_fps)) is not None:
                yield cell
            else:
                yield self._predicted(*free, even.cap_fps)

    def _measured(self, response: Response, at: int, cap_fps: float) -> CapCell | None:
        group, low = response.groups[at], low_id(self.question.school)
        ladder, place = ladder_of(response), at
        if CAP in response.factor.knobs:  # levels beside it are other caps
            ladder, place = ladder.only([at]), 0
        ms = 1000.0 / ((1 - self.question.terms.tolerance) * cap_fps)
        chance = held.shares_held(ladder, low, ms, 0.01)[place]
        if chance is None:
            return None
        draw = group.draw.estimate("W") if group.draw is not None else None
        return CapCell(chance.holds, draw, hours_of(group, self.question, self.context), len(group.passes))

    def _predicted(self, response: Response, at: int, cap_fps: float) -> CapCell | None:
        found: Capped | None = capped(
            ladder_of(response), cap_fps, self.question.terms.tolerance, low_id(self.question.school), self.paced
        )[at]
        if found is None or found.holds is None:
            return None
        own = self.context.of(response.groups[at])
        hours = hours_at(found.draw, self.question, own)
        return CapCell(found.holds, found.draw, hours, renders=found.renders or 0.0)


def ladder_of(response: Response) -> Ladder:
    """The passes of a response as the model has them: one that was read has them."""
    assert response.ladder is not None
    return response.ladder


def _cap(response: Response, at: int) -> float | None:
    return ladder_of(response).caps[at]


def _passes(place: tuple[Response, int]) -> int:
    return len(place[0].groups[place[1]].passes)


def _rank(response: Response, at: int) -> tuple[bool, float, int]:
    """Without a cap first, else with the highest, the most passes."""
    cap = _cap(response, at)
    return cap is None, cap or 0.0, len(response.groups[at].passes)


def _is_made_at(response: Response, at: int, cap_fps: float) -> bool:
    """Whether passes were made at a cap, and not held up by a panel of other ticks."""
    cap = _cap(response, at)
    near = cap is not None and abs(cap - cap_fps) < SAME_FPS
    return near and uneven_cap(response.groups[at].setup.with_(**{CAP: cap_fps})) is None


def _rate(own: Sequence[tuple[Response, int]]) -> Estimate | None:
    free = [one.groups[at] for one, at in own if _cap(one, at) is None and one.groups[at].rate is not None]
    group = max(free, key=lambda one: len(one.passes), default=None)
    return group.rate.estimate("fps") if group is not None and group.rate is not None else None


def _lock(rows: Sequence[CapSetup], sure: float) -> tuple[int, int] | None:
    holding = [(at, number) for number, row in enumerate(rows) if (at := row.locked(sure)) is not None]
    if not holding:
        return None
    highest = min(at for at, _ in holding)

    def best(number: int) -> tuple[float, float]:
        cell = rows[number].cells[highest]
        assert cell is not None
        return (cell.hours.value if cell.hours else -math.inf, -cell.draw.value if cell.draw else -math.inf)

    return max((number for at, number in holding if at == highest), key=best), highest


def _untried(
    caps: Sequence[EvenCap], rows: Sequence[CapSetup], lock: tuple[int, int] | None, sure: float
) -> Message | None:
    """That a higher cap than is surely held waits for a word on the limiter alone; None where none does."""
    ready = [
        (at, -cell.renders, row.words) for row in rows
        if (at := row.ready(sure)) is not None and (cell := row.cells[at]) is not None
    ]  # fmt: skip
    if not ready:
        return None
    at, chance, setup = min(ready)
    if lock is not None and lock[1] <= at:
        return None
    return say("caps.untried", cap=caps[at].cap_fps, setup=setup, sure=-chance)


def _says(caps: Sequence[EvenCap], rows: Sequence[CapSetup], lock: tuple[int, int] | None) -> Message:
    if not rows:
        return say("caps.nothing")
    if lock is None:
        return say("caps.none-held")
    row, at = lock
    cell = rows[row].cells[at]
    assert cell is not None
    draw = say("cap.draw", watts=cell.draw.as_value()) if cell.draw is not None else say("cap.no-draw")
    hours = say("caps.hours", hours=cell.hours.as_value()) if cell.hours is not None else say("cap.no-draw")
    told = {"cap": caps[at].cap_fps, "setup": rows[row].words, "sure": cell.holds, "draw": draw, "hours": hours}
    return say("caps.lock", passes=cell.passes, **told) if cell.passes else say("caps.lock-predicted", **told)
