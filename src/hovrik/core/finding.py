"""A finding: what it is about, with which evidence, how heavy it weighs, what to do. Checks of a pass and rules over
many speak in it; it is a value, never words to be parsed.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from . import words
from .message import Message


class State(StrEnum):
    """What a check, and a pass as a whole, comes to."""

    VALID = "valid"
    SUSPECT = "suspect"
    VOID = "void"


class About(StrEnum):
    """What a finding is about."""

    PASS = "pass"
    GROUP = "group"
    RESPONSE = "response"
    SETTING = "setting"


@dataclass(frozen=True)
class Finding:
    """One finding. id : of the check or rule; weight : valid (a fact), suspect or void; message : the evidence;
    next_step : what to do; action : id of what one button does about it, "" for none; about, of : what it is about and
    which one; spans_ns : where on a trace it was seen, ((start, end), ...); sure : confidence, where a statistic gives
    it."""

    id: str
    weight: State
    message: Message
    next_step: Message | None = None
    spans_ns: tuple[tuple[int, int], ...] = ()
    about: About = About.PASS
    of: str = ""
    action: str = ""
    sure: float | None = None

    @property
    def key(self) -> str:
        """What it is dismissed by: the rule and what it is about."""
        return f"{self.id}/{self.about.value}/{self.of}"

    @property
    def check(self) -> str:
        """The check or rule as it is written: 'limit exceeded'."""
        return self.id.replace("-", " ")

    @property
    def evidence(self) -> str:
        """The evidence in English, for exports and the command line."""
        return words.render(self.message)

    @property
    def advice(self) -> str:
        """What to do, in English; empty where nothing is."""
        return words.render(self.next_step) if self.next_step is not None else ""

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "id": self.id, "weight": self.weight.value, "message": self.message.as_dict(),
            "next_step": self.next_step.as_dict() if self.next_step else None,
            "spans_ns": [list(span) for span in self.spans_ns], "about": self.about.value, "of": self.of,
            "action": self.action, "sure": self.sure,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Finding:
        """The inverse of `as_dict`."""
        step = body.get("next_step")
        return cls(
            body["id"], State(body["weight"]), Message.from_dict(body["message"]),
            Message.from_dict(step) if step else None, tuple((int(a), int(b)) for a, b in body["spans_ns"]),
            About(body["about"]), body["of"], body["action"], body.get("sure"),
        )  # fmt: skip
