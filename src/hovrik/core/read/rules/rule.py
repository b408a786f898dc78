"""What a rule over many passes is, and what it looks at. A rule that lacks what it needs says nothing."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ...facts.knob import Knob
from ...facts.rig import OsSlot, Rig
from ...facts.title import Scene, Title
from ...finding import About, Finding, State
from ...message import Message, say
from ...passes.record import Origin
from ...questions.question import Question
from ..answer import Context, Option
from ..group import Counted, Group
from ..response import Response


@dataclass(frozen=True)
class Looked:
    """A pass as rules see it. checks : ids of what its own checks found; facts : of what they noted; counts : whether
    it enters figures; plan, index : that it was made for and its place in it; summary : what it was imported with;
    is_good : whether it could enter those of another question; failed : why the title did not start, "" it did."""

    one: Counted
    checks: frozenset[str] = frozenset()
    facts: tuple[Message, ...] = ()
    counts: bool = True
    plan: str = ""
    index: int | None = None
    origin: Origin = Origin.MEASURED
    summary: Mapping[str, Any] = field(default_factory=dict)
    is_good: bool = True
    failed: str = ""


@dataclass(frozen=True)
class Whole:
    """All that rules look at: a question's responses and passes, and the facts of its place. slot, title, scene : None
    where they are not known; pick : what its answer states; beside : responses of passes that are not its own."""

    responses: Sequence[Response]
    passes: Sequence[Looked]
    question: Question
    context: Context
    rig: Rig | None = None
    slot: OsSlot | None = None
    title: Title | None = None
    scene: Scene | None = None
    knobs: Mapping[str, Knob] = field(default_factory=dict)
    by_id: Mapping[str, Looked] = field(default_factory=dict)
    pick: Option | None = None
    beside: Sequence[Response] = ()

    @classmethod
    def of(cls, responses: Sequence[Response], passes: Sequence[Looked], **rest: Any) -> Whole:
        """With its passes found by id."""
        return cls(responses, passes, by_id={looked.one.id: looked for looked in passes}, **rest)

    @property
    def counted(self) -> list[Looked]:
        """Passes that enter figures."""
        return [looked for looked in self.passes if looked.counts]

    def members(self, group: Group) -> list[Looked]:
        """The passes of a group."""
        return [self.by_id[one] for one in group.passes if one in self.by_id]


@dataclass(frozen=True)
class Rule:
    """One rule. statistic : what it goes by and from where on it speaks, for a person who doubts it; finds : what it
    finds."""

    id: str
    statistic: str
    finds: Callable[[Whole], Iterable[Finding]]


def finding(
    rule: str, message: Message, about: About, of: str, *, step: Message | None = None, worry: bool = False,
    action: str = "", sure: float | None = None,
) -> Finding:  # fmt: skip
    """A finding of a rule. worry : worth acting on, no mere fact; sure : confidence, where a statistic gives one."""
    weight = State.SUSPECT if worry else State.VALID
    return Finding(rule, weight, message, step, about=about, of=of, action=action, sure=sure)


def advice(rule: str, **values: Any) -> Message:
    """What to do about it: the message called as the rule is, with ".do"."""
    return say(f"rule.{rule}.do", **values)


def found_once(findings: Iterable[Finding]) -> list[Finding]:
    """Findings with the same words about the same thing are said once."""
    return list({(one.key, one.evidence): one for one in findings}.values())
