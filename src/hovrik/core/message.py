"""What is said, before it is words: a message id with named values. Words are made of it in one place (words.py)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class Value:
    """A number in a message. unit : as it is shown; low, high : its interval; digits : decimals where no interval says
    (None: three significant ones)."""

    number: float
    unit: str = ""
    low: float | None = None
    high: float | None = None
    digits: int | None = None


@dataclass(frozen=True)
class Count:
    """How many of something; the template names it: {passes:pass|passes}."""

    number: int


Part = Value | Count | str


@dataclass(frozen=True)
class Message:
    """id : of a template in words.py; values : what its places hold; several of a kind stand as a tuple."""

    id: str
    values: Mapping[str, Part | Message | tuple[Part | Message, ...]] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {"id": self.id, "values": {name: _plain(value) for name, value in self.values.items()}}

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Message:
        """The inverse of `as_dict`."""
        return cls(str(body["id"]), {name: _back(value) for name, value in body["values"].items()})


def say(template: str, /, **values: Any) -> Message:
    """A message; whole numbers are counts, other numbers three significant digits of no unit."""
    return Message(template, {name: _part(value) for name, value in values.items()})


def _part(value: Any) -> Any:
    if isinstance(value, tuple | list):
        return tuple(_part(one) for one in value)
    if isinstance(value, bool) or not isinstance(value, int | float):
        return value
    return Count(value) if isinstance(value, int) else Value(value)


def _plain(value: Any) -> Any:
    match value:
        case Value():
            known = {"number": value.number, "unit": value.unit, "low": value.low, "high": value.high}
            return {k: v for k, v in {**known, "digits": value.digits}.items() if v not in (None, "")}
        case Count():
            return {"count": value.number}
        case Message():
            return {"message": value.as_dict()}
        case tuple():
            return [_plain(one) for one in value]
    return value


def _back(value: Any) -> Any:
    if isinstance(value, list):
        return tuple(_back(one) for one in value)
    if not isinstance(value, Mapping):
        return value
    if "count" in value:
        return Count(int(value["count"]))
    if "message" in value:
        return Message.from_dict(value["message"])
    return Value(**value)
