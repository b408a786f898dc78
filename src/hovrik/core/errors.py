"""The error families. A message says what, what was got, what is allowed, and what to do next.

ValueError and TypeError mean a bug of ours; everything below means something the user can act on.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass


class HovrikError(Exception):
    """Anything the user can act on."""


class InputError(HovrikError):
    """A figure cannot be computed from what was given."""


class PlanError(HovrikError):
    """A plan that cannot be carried out."""


class LimitError(PlanError):
    """A value outside what the rig allows.

    Attributes: key, value, low, high, unit.
    """

    def __init__(self, key: str, value: float, low: float, high: float, unit: str) -> None:
        self.key, self.value, self.low, self.high, self.unit = key, value, low, high, unit
        side = "above" if value > high else "below"
        edge = high if value > high else low
        super().__init__(
            f"{key} {value:g} {unit} is {side} the allowed {edge:g} {unit}. Choose {low:g} to {high:g} {unit}."
        )


class BenchError(HovrikError):
    """The machine did not do what was asked."""


class Unavailable(BenchError):
    """The machine or one of its knobs cannot be reached."""


class ReadbackMismatch(BenchError):
    """A value read back differs from the one asked for."""


class PassAborted(BenchError):
    """A pass ended before its end mark."""


class StoreError(HovrikError):
    """The notebook cannot be read or written."""


class NotOurs(StoreError):
    """A file of another kind stands where something is to be written; it needs a yes."""


class TooNew(StoreError):
    """The notebook was written by a later version."""


class Damaged(StoreError):
    """The notebook failed its check."""


class Locked(StoreError):
    """Another instance holds the notebook."""


@dataclass(frozen=True)
class Problem:
    """One thing found in an input: its line (None where it concerns the whole), kind and what was done; count : how
    many it stands for."""

    line: int | None
    kind: str
    text: str
    count: int = 1

    def __str__(self) -> str:
        where = "file" if self.line is None else f"line {self.line}"
        return f"{where}: {self.text}"


def count_left_out(problems: Sequence[Problem]) -> int:
    """Lines of a file that were left out."""
    return sum(problem.count for problem in problems if "left out" in problem.text)


class Problems(list[Problem]):
    """Problems as they are found; from MOST_A_KIND of a kind on they are only counted, so that a spoiled file of any
    length ends in a list that can be read."""

    MOST_A_KIND = 1000

    def __init__(self, known: Sequence[Problem] = ()) -> None:
        super().__init__(known)
        self._counts: Counter[str] = Counter()
        self._left_out: Counter[str] = Counter()

    def append(self, problem: Problem) -> None:
        """Note a problem, or count it."""
        self._counts[problem.kind] += 1
        if self._counts[problem.kind] <= self.MOST_A_KIND:
            super().append(problem)
        elif "left out" in problem.text:
            self._left_out[problem.kind] += 1

    def told(self) -> tuple[Problem, ...]:
        """All of them, what was only counted as one each."""
        more = [Problem(None, k, f"{n:,} more: {k}, left out", n) for k, n in self._left_out.items()]
        return (*self, *more)


class ImportRefused(StoreError):
    """Nothing usable in an input; lists every problem found.

    Attributes: problems : tuple of Problem.
    """

    def __init__(self, what: str, problems: tuple[Problem, ...] = ()) -> None:
        self.problems = problems
        shown = "; ".join(str(p) for p in problems[:5])
        more = f" (and {len(problems) - 5} more)" if len(problems) > 5 else ""
        super().__init__(what if not problems else f"{what} {shown}{more}")
