"""Is a pass valid, suspect or void? Named checks with threshold, evidence and next step.

Here the four basic ones (limit exceeded, throttled, unsettled, time gaps) and the verdict; the others in checks.py.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from .. import words
from ..facts.condition import number
from ..facts.knob import LIMITS, STATIC_LIMIT, shown
from ..facts.known_knobs import known
from ..facts.rig import Rig
from ..facts.setup import Setup
from ..finding import Finding, State
from ..message import Message, Value, say
from .checks import ALL, Case, Thresholds, found, second_means, seconds, spans_of
from .frames import Intervals
from .point import PINNED
from .purpose import DISCHARGE
from .record import PassRecord
from .trace import Channel, Trace

VERSION = 7
_LAGS = (1, 3, 6)  # s
SHORTEST_S = 1.0  # less between two marks is a slip of the hand, not a pass

BY_CHARGE = frozenset({"charge-out-of-window", "clamp-hit"})


@dataclass(frozen=True)
class Verdict:
    """What the checks come to; facts are worth saying but are no fault. overruled : the user's reason, if any."""

    state: State
    findings: tuple[Finding, ...]
    facts: tuple[Message, ...] = ()
    overruled: str | None = None

    @property
    def counts(self) -> bool:
        """Whether the pass enters figures: everything but void."""
        return self.state is not State.VOID

    @property
    def reason(self) -> Finding | None:
        """The first finding that a pass is left out for; None without one."""
        return next((one for one in self.findings if one.weight is State.VOID), None)

    @property
    def fact_words(self) -> tuple[str, ...]:
        """The facts in English."""
        return tuple(words.render(fact) for fact in self.facts)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "state": self.state.value, "findings": [one.as_dict() for one in self.findings],
            "facts": [one.as_dict() for one in self.facts], "overruled": self.overruled,
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: dict[str, Any]) -> Verdict:
        """The inverse of `as_dict`."""
        findings = tuple(Finding.from_dict(one) for one in body["findings"])
        facts = tuple(Message.from_dict(one) for one in body["facts"])
        return cls(State(body["state"]), findings, facts, body.get("overruled"))


def judge(record: PassRecord, rig: Rig | None, thresholds: Thresholds | None = None) -> Verdict:
    """Run every check that the recorded channels allow."""
    limits = thresholds or Thresholds()
    if record.outcome.value != "done":
        return Verdict(State.VOID, (found("outcome", State.VOID, reason=record.reason or record.outcome.value),))
    trace = record.trace
    if record.damage:
        return Verdict(State.VOID, (found("damaged", State.VOID, what=record.damage),))
    if trace is None:
        return Verdict(State.VALID, (), (say("summary-only"),))
    interval_ms = trace.interval_ms()
    findings = [*_read_otherwise(record, rig), *_empty(record, trace)]
    facts: list[Message] = []
    unread = record.conditions.get("guard_unread")
    if unread is not None and unread.value:
        facts.append(say("said", text=str(unread.value)))
    limit_w = record.setup.static_limit_w
    package = trace.measured("package_w")
    if package is not None and limit_w is not None:
        findings += _limit_exceeded(package, limit_w, limits, number(record.conditions, PINNED))
        mean = package.mean()
        if mean is not None and mean < limit_w - max(limits.over_share * limit_w, limits.over_w):
            facts.append(say("not-binding", took=_watts(mean), limit=Value(limit_w, "W")))
    elif package is not None:
        findings += _boosted(package, record.setup.get(STATIC_LIMIT), trace, limits)
    if rig is not None and rig.die_limit_c is not None:
        findings += _throttled(trace, rig.die_limit_c, limits)
    if interval_ms.size:
        findings += _time_gaps(trace, interval_ms, limits)
        knobs = Setup({**record.read, **record.asked})
        seen = Case(trace, interval_ms, knobs, record.conditions, rig, limits)
        for check in ALL:
            findings += check(seen)
        if record.purpose == DISCHARGE:  # it goes through every charge, which is what it is for
            findings = [one for one in findings if one.id not in BY_CHARGE]
        if not findings:  # any of the others moves the rate too
            findings += _unsettled(trace, interval_ms, limits)
    return Verdict(worst(findings), tuple(findings), tuple(facts))


def worst(findings: Sequence[Finding]) -> State:
    """State of a pass with these findings."""
    weights = {one.weight for one in findings}
    return State.VOID if State.VOID in weights else State.SUSPECT if State.SUSPECT in weights else State.VALID


def _watts(number: float) -> Value:
    return Value(number, "W", digits=1)


def _read_otherwise(record: PassRecord, rig: Rig | None) -> list[Finding]:
    """Knobs that read back other than they were asked: the pass was not made at what it would count as."""
    off = []
    for key, asked in record.asked.items():
        knob = known(key)
        if rig is not None and key in LIMITS:
            knob = replace(knob, step=rig.limit_step_w)
        if key in record.read and not knob.agrees(asked, record.read[key]):
            off.append(say("reads-otherwise", knob=knob.label, read=shown(record.read[key]), asked=shown(asked)))
    return [found("read-back-otherwise", State.VOID, knobs=tuple(off))] if off else []


def _empty(record: PassRecord, trace: Trace) -> list[Finding]:
    """Nothing that could be judged lies between the marks. A draw that was read by hand stands for itself."""
    low, high = np.searchsorted(trace.frames_ns, (trace.start_ns, trace.end_ns + 1))
    frames = int(high - low)
    by_hand = any(key.endswith("_read_from") for key in record.conditions)
    if trace.seconds >= SHORTEST_S and (frames > 1 or (frames == 0 and by_hand)):
        return []
    return [found("empty-pass", State.VOID, frames=frames, seconds=Value(trace.seconds, "s", digits=1))]


def _limit_exceeded(package: Channel, limit_w: float, limits: Thresholds, pinned_w: float | None) -> list[Finding]:
    """pinned_w : measured watts that the limit was adjusted to: what the machine takes over it is known then."""
    mean, most = package.mean(), pinned_w if pinned_w is not None else limit_w
    allowed = most + max(limits.over_share * most, limits.over_w)
    if mean is None or mean <= allowed:
        return []
    span = (int(package.stamps_ns[0]), int(package.stamps_ns[-1]))
    limit = Value(limit_w, "W")
    return [found("limit-exceeded", State.VOID, (span,), took=_watts(mean), limit=limit, allowed=_watts(allowed))]


def _boosted(package: Channel, sustained: object, trace: Trace, limits: Thresholds) -> list[Finding]:
    """Limits that differ: mean power over the sustained one means that the boost window flatters the pass."""
    mean = package.mean()
    if not isinstance(sustained, float) or mean is None:
        return []
    if mean <= sustained + max(limits.over_share * sustained, limits.over_w):
        return []
    span = (trace.start_ns, trace.end_ns)
    limit = Value(sustained, "W")
    return [found("unsettled", State.VOID, (span,), message="boosted", took=_watts(mean), limit=limit)]


def _throttled(trace: Trace, die_limit_c: float, limits: Thresholds) -> list[Finding]:
    die = trace.measured("die_c")
    if die is None:
        return []
    hot = die.values >= die_limit_c - limits.throttle_margin_c
    share = float(hot.mean())
    if share <= limits.throttle_share:
        return []
    return [found("throttled", State.VOID, spans_of(die, hot), limit=Value(die_limit_c, "C"), time=share)]


def _unsettled(trace: Trace, interval_ms: Intervals, limits: Thresholds) -> list[Finding]:
    moved = _drift(interval_ms, limits)
    package = trace.measured("package_w")
    what = "rate"
    if moved is None and package is not None:
        read = np.isfinite(package.values) & (package.values > 0)
        at = (package.stamps_ns[read] - trace.start_ns) / 1e9
        moved = _trend(*second_means(at, package.values[read]), limits)
        what = "package power"
    if moved is None:
        return []
    share, z = moved
    drift, errors = Value(100 * share, "%", digits=1), Value(abs(z), digits=1)
    span = (trace.start_ns, trace.end_ns)
    return [found("unsettled", State.VOID, (span,), what=what, drift=drift, errors=errors)]


def _drift(interval_ms: Intervals, limits: Thresholds) -> tuple[float, float] | None:
    ends_s = np.cumsum(interval_ms) / 1000.0
    whole = int(ends_s[-1])
    if whole < 10:
        return None
    counts = np.bincount(np.minimum(ends_s.astype(np.intp), whole))[:whole]
    kept = counts > 0
    return _trend(np.flatnonzero(kept).astype(float), counts[kept].astype(float), limits)


def _trend(second: Intervals, value: Intervals, limits: Thresholds) -> tuple[float, float] | None:
    """Drift of log value from first to last second (share) and in standard errors, where over both thresholds.

    The standard error allows for first-order correlation of the residuals, by the slowest decay that any of a few lags
    shows, taken as at least 0.7 a second: a scene's load wanders over seconds and a short pass underrates that.
    """
    n = second.size
    if n < 10 or np.any(value <= 0):
        return None
    x = second - second.mean()
    y = np.log(value)
    slope = float(x @ y) / float(x @ x)
    rest = y - y.mean() - slope * x
    power = max(float(rest @ rest), 1e-12)
    lags = [float(rest[:-lag] @ rest[lag:]) / power for lag in _LAGS if lag < n - 2]
    r = min(max(0.7, *(max(one, 0.0) ** (1.0 / lag) for one, lag in zip(lags, _LAGS))), 0.98)
    se = math.sqrt(power / (n - 2) / float(x @ x) * (1 + r) / (1 - r))
    drift, z = slope * float(np.ptp(second)), slope / se
    return (drift, z) if abs(drift) > limits.drift_share and abs(z) > limits.drift_z else None


def _time_gaps(trace: Trace, interval_ms: Intervals, limits: Thresholds) -> list[Finding]:
    threshold = max(limits.gap_ms, limits.gap_median * float(np.median(interval_ms)))
    gaps = np.flatnonzero(interval_ms > threshold)
    lost_ms = float(interval_ms[gaps].sum())
    edges_ms = max(trace.seconds * 1000.0 - float(interval_ms.sum()), 0.0)
    missing_ms = lost_ms + (edges_ms if edges_ms > threshold else 0.0)
    if missing_ms <= limits.lost_share * trace.seconds * 1000.0 and not gaps.size:
        return []
    first = int(np.searchsorted(trace.frames_ns, trace.start_ns))
    spans = tuple((int(trace.frames_ns[first + g]), int(trace.frames_ns[first + g + 1])) for g in gaps)
    missing, whole = Value(missing_ms / 1000, "s", digits=1), seconds(trace.seconds)
    return [found("time-gaps", State.VOID, spans, gaps=int(gaps.size), missing=missing, seconds=whole)]
