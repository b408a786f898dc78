"""What can be set. Knows levels, order, place and cost of a change; not how it is done, nor which rig offers what."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

Level = float | int | str | bool


class Where(StrEnum):
    """Where a knob can be changed."""

    LIVE = "live"
    RELAUNCH = "relaunch"
    RESTART = "restart"
    SETUP_SCREEN = "set-up screen"
    OTHER_OS = "other OS"
    NOT = "not at all"


class Hazard(StrEnum):
    """What a wrong value can do."""

    NONE = "none"
    LIMIT = "limit"
    VOLTAGE = "voltage"


class Order(StrEnum):
    """How levels stand to each other: as numbers, as words from least to most, or as words without an order."""

    NUMBER = "number"
    ORDERED = "ordered words"
    WORDS = "words"


@dataclass(frozen=True)
class Knob:
    """One thing that can be set.

    levels : allowed values where they are few; else low, high and step bound a number.
    cost_min : minutes one change costs. depends : ids of knobs that must be set first.
    slots : OS slot keys that offer it; empty means every slot. order : of its levels; phrase : a level in a sentence,
    with {value} (and its unit) or {number} (without); none : the phrase for the level "none"; by_hand : no program sets
    it, a person does; place : where that person finds it; starting : the level it stands at before anyone sets it.
    """

    id: str
    label: str
    unit: str = ""
    levels: tuple[Level, ...] = ()
    low: float | None = None
    high: float | None = None
    step: float | None = None
    where: Where = Where.LIVE
    cost_min: float = 0.0
    depends: tuple[str, ...] = ()
    hazard: Hazard = Hazard.NONE
    slots: tuple[str, ...] = ()
    order: Order = Order.WORDS
    phrase: str = ""
    none: str = ""
    by_hand: bool = False
    place: str = ""
    starting: Level | None = None

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON: what tells its levels apart and names them."""
        made = {
            "id": self.id, "label": self.label, "unit": self.unit, "levels": list(self.levels), "low": self.low,
            "high": self.high, "step": self.step, "order": self.order.value, "phrase": self.phrase, "none": self.none,
        }  # fmt: skip
        return {key: value for key, value in made.items() if value not in (None, "", [])}

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Knob:
        """The inverse of `as_dict`; unknown keys are ignored."""
        known = {k: v for k, v in body.items() if k in cls.__dataclass_fields__}
        more = {"levels": tuple(body.get("levels", ())), "order": Order(body.get("order", Order.WORDS.value))}
        return cls(**{"label": str(body["id"]), **known, **more})

    def refusal(self, value: Level) -> str | None:
        """Why `value` is not allowed, or None where it is."""
        if self.levels and value in self.levels:
            return None
        if isinstance(value, float) and not math.isfinite(value):
            return f"{self.label} {value} is not a number that can be set."
        if isinstance(value, str | bool) or self.low is None or self.high is None:
            allowed = ", ".join(shown(level) for level in self.levels) or "numbers only"
            return f"{self.label} {shown(value)} is not offered. Choose one of: {allowed}."
        if not self.low - 1e-9 <= value <= self.high + 1e-9:
            return (
                f"{self.label} {value:g} {self.unit} is outside this rig's range. "
                f"Choose {self.low:g} to {self.high:g} {self.unit}."
            )
        return None

    def words(self, value: Level) -> str:
        """A level in a sentence: "boost off", "cap 40", "no cap"."""
        if value == NONE and self.none:
            return self.none
        text = f"{shown(value)} {self.unit}".strip() if is_number(value) else shown(value)
        phrase = self.phrase or f"{self.label[0].lower()}{self.label[1:]} {{value}}"
        return phrase.format(value=text, number=shown(value))

    def agrees(self, asked: Level, read: Level) -> bool:
        """Whether a value read back is the one that was asked for: numbers within half a step (a hundredth of the
        value where no step is known), words to the letter."""
        if not (is_number(asked) and is_number(read)):
            return asked == read
        step = self.step or 0.02 * abs(float(asked))
        return abs(float(asked) - float(read)) <= 0.5 * step + 1e-9

    def same(self, one: Level, other: Level) -> bool:
        """Whether two levels are one setting: as `agrees`, but numbers half a step apart are two."""
        if not (is_number(one) and is_number(other)):
            return one == other
        step = self.step or 0.02 * abs(float(one))
        return abs(float(one) - float(other)) < 0.5 * step - 1e-9 or one == other


def inside(label: str) -> str:
    """A label inside a sentence: 'power limit', 'CPU boost', 'OS slot', '1 % low'."""
    return label.lower() if label[:2].istitle() else label


def is_number(value: Level | None) -> bool:
    """Whether a level is a number; True and False are words."""
    return isinstance(value, int | float) and not isinstance(value, bool)


def shown(value: Level) -> str:
    """A level as it is typed and shown."""
    return f"{value:g}" if is_number(value) else str(value)


def finite(value: Level) -> bool:
    """Whether a level is no number, or a finite one."""
    return not is_number(value) or math.isfinite(float(value))


def named(knobs: Sequence[Knob]) -> dict[str, Knob]:
    """Knobs by id."""
    return {knob.id: knob for knob in knobs}


LIMITS = ("sustained_limit_w", "short_limit_w", "peak_limit_w")
STATIC_LIMIT = LIMITS[0]
CAP = "cap_fps"
REFRESH = "refresh_hz"
NONE = "none"
NO_CAP = NONE
