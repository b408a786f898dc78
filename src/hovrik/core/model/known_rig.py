"""What passes of other titles say of a rig: machines that explain them are taken for a new title's twins.

The machines are drawn anew with the weights that the other titles' passes give them, each moved a little, and a part of
them from the prior as before, since another title may load what those did not.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable, Mapping, Sequence
from contextvars import ContextVar
from dataclasses import dataclass, fields
from functools import lru_cache, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..facts.setup import Setup
from .belief import NOISE, Measured, features, weighed
from .twins import COUNT, CPU, GPU, Array, Places, Rigs, Twins, rigs_of, twins

LOGS = ("cpu_w", "gpu_w", "base_w", "heat")  # that are moved by a share; the others by a part of their range
MOVED, MOVED_SHARE = 0.04, 0.06
FRESH = 0.15  # of the machines, from the prior
FREE = 1e4
MOST_FPS = 1e5
VERSION = 1  # of what twins are, for those that are kept
Make = Callable[[], Twins]
kept: list[Callable[[str, Make], Twins]] = []  # at most one: gives those of a key, made only where it has none
heard: ContextVar[Callable[[int, int], None]] = ContextVar("heard", default=lambda done, total: None)


@dataclass(frozen=True, eq=False)
class KnownTitle:
    """Passes of another title on the same rig. target_fps : about what it runs at; setups; low, rate, draw, rise : logs
    of each, nan where they are not told."""

    target_fps: float
    setups: tuple[Setup, ...]
    low: tuple[float, ...]
    rate: tuple[float, ...]
    draw: tuple[float, ...]
    rise: tuple[float, ...]

    def __hash__(self) -> int:
        return hash((self.target_fps, self.setups))

    def __eq__(self, other: object) -> bool:
        """By what is told: a figure that is not is the same as another that is not."""
        return isinstance(other, KnownTitle) and repr(self) == repr(other)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        rows = {name: [None if math.isnan(v) else v for v in getattr(self, name)] for name in NOISE}
        return {"target_fps": self.target_fps, "setups": [one.as_dict() for one in self.setups], **rows}

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> KnownTitle:
        """The inverse of `as_dict`. Raises ValueError, KeyError, TypeError for what is none."""
        rows = [tuple(math.nan if v is None else float(v) for v in body[name]) for name in NOISE]
        setups = tuple(map(Setup, body["setups"]))
        if any(len(row) != len(setups) for row in rows) or not 0 < float(body["target_fps"]) < MOST_FPS or not setups:
            raise ValueError("what a title told is not whole")
        return cls(float(body["target_fps"]), setups, *rows)


def tops_of(setups: Sequence[Setup]) -> dict[str, float]:
    """Highest levels of the clock ceilings among setups."""
    found: dict[str, float] = {}
    for key in (CPU, GPU):
        numbers = [float(level) for one in setups if isinstance(level := one.get(key), int | float)]
        if numbers:
            found[key] = max(numbers)
    return found


def learned(known: Sequence[KnownTitle], highest_w: float, tops: dict[str, float], seed: int, count: int) -> Rigs:
    """Machines that explain the passes of other titles. highest_w, tops : highest limit and ceilings of the search."""
    rng = np.random.default_rng((seed, 23))
    prior = rigs_of(rng, COUNT, highest_w)
    weights = np.ones(COUNT)
    for title in known:
        distinct = tuple(dict.fromkeys(title.setups))
        places = Places.of(distinct, highest_w, tops)
        made = twins(places, title.target_fps, seed, COUNT, prior, highest_w)
        at = np.array([distinct.index(one) for one in title.setups], np.int64)
        caps = np.array([cap if cap < FREE else np.inf for cap in places.cap_fps])
        measured = Measured(at, {name: np.array(getattr(title, name)) for name in NOISE})
        weights *= weighed(made, features(distinct), caps, measured)
    weights /= weights.sum()
    places_ = (rng.random() + np.arange(count)) / count
    chosen = np.minimum(np.searchsorted(np.cumsum(weights), places_), COUNT - 1)
    rng.shuffle(chosen)
    moved = Rigs(*(_moved(rng, one.name, getattr(prior, one.name), chosen) for one in fields(Rigs)))
    fresh = rigs_of(rng, count, highest_w)
    old = rng.random((count, 1)) < FRESH
    return Rigs(*(np.where(old, getattr(fresh, f.name), getattr(moved, f.name)) for f in fields(Rigs)))


def _moved(rng: np.random.Generator, name: str, prior: Array, chosen: NDArray[np.intp]) -> Array:
    noise = rng.standard_normal((chosen.size, 1)).astype(np.float32)
    if name in LOGS:
        return np.asarray(prior[chosen] * np.exp(MOVED * noise))
    found: Array = np.clip(prior[chosen] + MOVED_SHARE * prior.std() * noise, prior.min(), prior.max())
    return found


@lru_cache(maxsize=2)
def twins_of(
    setups: tuple[Setup, ...], target_fps: float, highest_w: float, known: tuple[KnownTitle, ...] = ()
) -> Twins:
    """The twins of a search over these setups, on a rig that other titles may have told of; as kept, where they are.
    They take seconds to make: `heard` is told."""
    key = hashlib.sha256(
        repr((VERSION, COUNT, [sorted(one.items()) for one in setups], target_fps, highest_w, known)).encode()
    ).hexdigest()
    make = partial(_made, setups, target_fps, highest_w, known)
    return kept[0](key, make) if kept else make()


def _made(
    setups: tuple[Setup, ...], target_fps: float, highest_w: float, known: tuple[KnownTitle, ...], seed: int = 1
) -> Twins:
    tops = tops_of(setups)
    for title in known:
        for key, top in tops_of(title.setups).items():
            tops[key] = max(tops.get(key, 0.0), top)
    rigs = learned(known, highest_w, tops, seed, COUNT) if known else None
    return twins(Places.of(setups, highest_w, tops), target_fps, seed, COUNT, rigs, highest_w, heard.get())
