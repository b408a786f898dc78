"""What was answered before: every stated answer with the evidence that it had, and why the next one is another."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ..message import Message, say
from ..words import render

METHOD = 2  # of answering: one more where the same passes may give another answer
SHORT = 8  # signs of a pass's id that are kept: enough to tell passes of one notebook apart


@dataclass(frozen=True)
class Evidence:
    """What an answer was made of. passes : those that counted; edits : made to passes of the question; facts : digests
    of the rig, OS slot, title and scene as they were noted; beside : passes beside the question that could enter what
    belongs to the rig; incidents; method : of answering."""

    passes: frozenset[str]
    edits: int = 0
    facts: Mapping[str, str] = field(default_factory=dict)
    beside: int = 0
    incidents: int = 0
    method: int = METHOD

    def causes(self, then: Evidence) -> tuple[Message, ...]:
        """What is other than then, in the order of how much it can change."""
        said = []
        if self.method != then.method:
            said.append(say("since.method"))
        if more := len(self.passes - then.passes):
            said.append(say("since.more", passes=more))
        if fewer := len(then.passes - self.passes):
            said.append(say("since.fewer", passes=fewer))
        said += [say("since.facts", what=kind) for kind in self.facts if self.facts[kind] != then.facts.get(kind)]
        if self.edits != then.edits:
            said.append(say("since.edits"))
        if self.incidents != then.incidents:
            said.append(say("since.incidents"))
        if self.beside != then.beside:
            said.append(say("since.beside"))
        return tuple(said)


@dataclass(frozen=True)
class Statement:
    """An answer. at_ns : first said (UTC); says; setup : what is recommended, None where nothing is; evidence."""

    at_ns: int
    says: Message
    setup: Mapping[str, Any] | None
    evidence: Evidence

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        own = self.evidence
        return {
            "at_ns": self.at_ns, "says": self.says.as_dict(), "setup": self.setup, "passes": sorted(own.passes),
            "edits": own.edits, "facts": dict(own.facts), "beside": own.beside, "incidents": own.incidents,
            "method": own.method,
        }  # fmt: skip

    @property
    def sentence(self) -> str:
        """What was said, in one unit of temperatures whatever the user's is: by this answers compare."""
        return render(self.says, fahrenheit=False)

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Statement:
        """The inverse of `as_dict`. Raises ValueError, KeyError, TypeError, AttributeError for what is none."""
        facts = {str(kind): str(one) for kind, one in body["facts"].items()}
        passes = frozenset(str(one) for one in body["passes"])
        edits, beside, incidents, method = (int(body[key]) for key in ("edits", "beside", "incidents", "method"))
        at_ns = int(body["at_ns"])
        if not 0 <= at_ns < 4 * 10**18:
            raise ValueError("its time cannot be")
        setup = dict(body["setup"]) if body["setup"] is not None else None
        own = Evidence(passes, edits, facts, beside, incidents, method)
        says = Message.from_dict(body["says"])
        render(says)
        return cls(at_ns, says, setup, own)


def noted(before: tuple[Statement, ...], now: Statement, most: int) -> tuple[Statement, ...]:
    """Statements with one more, oldest first. One that says the same as the newest takes its place, and keeps the time
    at which that was first said."""
    if before and before[-1].sentence == now.sentence:
        return (*before[:-1], replace(now, at_ns=before[-1].at_ns))
    return (*before, now)[-most:]


def difference(statements: tuple[Statement, ...], dated: Callable[[int], str]) -> Message | None:
    """What was said before the newest, and what has changed since; None where nothing else was said. dated : the words
    of a time (UTC ns)."""
    if len(statements) < 2:
        return None
    then, now = statements[-2:]
    again = next((one for one in reversed(statements[:-2]) if one.sentence == now.sentence), None)
    causes = now.evidence.causes(then.evidence) or (say("since.nothing"),)
    said = say("since.other", when=dated(then.at_ns), says=then.says, causes=causes)
    return say("since.again", when=dated(again.at_ns), other=said) if again is not None else said
