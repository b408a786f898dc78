"""What a run found on a machine, and what it has touched since: so much has to be put back, and no more."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from .setup import Reading, Snapshot


@dataclass(frozen=True)
class Left:
    """home : OS slot that it ran, "" where it names none; snapshots : by OS slot, as each was found; touched : by OS
    slot, knobs that were set there since; by_hand : knobs that a person has set beside it; is_all : everything that was
    found counts as touched, as where a run of an earlier version did not note it."""

    home: str = ""
    snapshots: Mapping[str, Snapshot] = field(default_factory=dict)
    touched: Mapping[str, frozenset[str]] = field(default_factory=dict)
    by_hand: frozenset[str] = frozenset()
    is_all: bool = False

    @classmethod
    def found(cls, slot: str, snapshot: Snapshot) -> Left:
        """A machine as it was found, untouched."""
        return cls(slot, {slot: snapshot})

    @classmethod
    def of_old(cls, snapshot: Snapshot) -> Left:
        """What a run of an earlier version noted: only how it was found."""
        return cls("", {"": snapshot}, is_all=True)

    @property
    def snapshot(self) -> Snapshot:
        """The machine as it was found first."""
        return self.snapshots.get(self.home) or next(iter(self.snapshots.values()), Snapshot())

    def seen_in(self, slot: str, snapshot: Snapshot) -> Left:
        """The same, with an OS slot as it was found; one that was seen before stays as it was then."""
        return self if slot in self.snapshots else replace(self, snapshots={**self.snapshots, slot: snapshot})

    def touching(self, slot: str, knobs: Iterable[str], by_hand: Iterable[str] = ()) -> Left:
        """The same, where these knobs are set in an OS slot."""
        own = self.touched.get(slot, frozenset()) | frozenset(knobs)
        return replace(self, touched={**self.touched, slot: own}, by_hand=self.by_hand | frozenset(by_hand))

    def put_back(self) -> Left:
        """The same, where everything that was touched is as it was again, but perhaps the OS slot."""
        return replace(self, touched={}, by_hand=frozenset(), is_all=False)

    def to_restore(self, slot: str) -> Snapshot:
        """Readings of the knobs that were touched, as they were found: in this OS slot, else where they were set."""
        at_ns = self.snapshot.at_ns
        if self.is_all:
            return self.snapshots.get(slot) or self.snapshot
        found: dict[str, Reading] = {}
        for where, knobs in self.touched.items():
            for own in (self.snapshots.get(where), self.snapshots.get(slot)):
                if own is not None:
                    found.update({key: own.readings[key] for key in knobs if key in own.readings})
        return Snapshot(found, at_ns)

    @property
    def is_touched(self) -> bool:
        """Whether anything is to be put back, the OS slot apart."""
        return self.is_all or bool(self.by_hand) or any(self.touched.values())

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "home": self.home, "snapshots": {slot: one.as_dict() for slot, one in self.snapshots.items()},
            "touched": {slot: sorted(knobs) for slot, knobs in self.touched.items()},
            "by_hand": sorted(self.by_hand), "is_all": self.is_all,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Left:
        """The inverse of `as_dict`; a bare snapshot is what a run of an earlier version noted. Raises ValueError,
        KeyError, TypeError."""
        if "snapshots" not in body:
            return cls.of_old(Snapshot.from_dict(body))
        snapshots = {str(slot): Snapshot.from_dict(one) for slot, one in body["snapshots"].items()}
        touched = {str(slot): frozenset(map(str, knobs)) for slot, knobs in body["touched"].items()}
        by_hand = frozenset(map(str, body["by_hand"]))
        return cls(str(body["home"]), snapshots, touched, by_hand, bool(body["is_all"]))
