"""Is a pass valid, suspect or void? Named checks with threshold, evidence and next step.

Here the four basic ones (limit exceeded, throttled, unsettled, time gaps) and the verdict; the others in checks.py.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from ..facts.knob import LIMITS, STATIC_LIMIT, shown
from ..facts.known_knobs import known
from ..facts.rig import Rig
from ..facts.setup import Setup
from .checks import ALL, Finding, Seen, State, Thresholds, second_means, spans_of
from .frames import Intervals
from .record import PassRecord
from .trace import Channel, Trace

VERSION = 3
SHORTEST_S = 1.0  # less between two marks is a slip of the hand, not a pass


@dataclass(frozen=True)
class Verdict:
    """What the checks come to; facts are worth saying but are no fault. overruled : the user's reason, if any."""

    state: State
    findings: tuple[Finding, ...]
    facts: tuple[str, ...] = ()
    overruled: str | None = None

    @property
    def counts(self) -> bool:
        """Whether the pass enters figures: everything but void."""
        return self.state is not State.VOID

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, body: dict[str, Any]) -> Verdict:
        """The inverse of `as_dict`."""
        findings = tuple(
            Finding(f["check"], State(f["state"]), f["evidence"], f["next_step"], tuple(map(tuple, f["spans_ns"])))
            for f in body["findings"]
        )
        return cls(State(body["state"]), findings, tuple(body["facts"]), body.get("overruled"))


def judge(record: PassRecord, rig: Rig | None, thresholds: Thresholds | None = None) -> Verdict:
    """Run every check that the recorded channels allow."""
    limits = thresholds or Thresholds()
    if record.outcome.value != "done":
        return Verdict(
            State.VOID,
            (Finding("outcome", State.VOID, record.reason or record.outcome.value, "Run the pass again."),),
        )
    trace = record.trace
    if trace is None:
        return Verdict(State.VALID, (), ("summary only: nothing to check",))
    interval_ms = trace.interval_ms()
    findings = [*_read_otherwise(record, rig), *_empty(record, trace)]
    facts: list[str] = []
    unread = record.conditions.get("guard_unread")
    if unread is not None and unread.value:
        facts.append(str(unread.value))
    limit_w = record.setup.static_limit_w
    package = trace.measured("package_w")
    if package is not None and limit_w is not None:
        findings += _limit_exceeded(package, limit_w, limits)
        mean = package.mean()
        if mean is not None and mean < limit_w - max(limits.over_share * limit_w, limits.over_w):
            facts.append(f"limit not binding: took {mean:.1f} W of {limit_w:g} W")
    elif package is not None:
        findings += _boosted(package, record.setup.get(STATIC_LIMIT), trace, limits)
    if rig is not None and rig.die_limit_c is not None:
        findings += _throttled(trace, rig.die_limit_c, limits)
    if interval_ms.size:
        findings += _time_gaps(trace, interval_ms, limits)
        knobs = Setup({**record.read, **record.asked})
        seen = Seen(trace, interval_ms, knobs, record.conditions, rig, limits)
        for check in ALL:
            findings += check(seen)
        if not findings:  # any of the others moves the rate too
            findings += _unsettled(trace, interval_ms, limits)
    return Verdict(_worst(findings), tuple(findings), tuple(facts))


def _worst(findings: Sequence[Finding]) -> State:
    states = {f.state for f in findings}
    return State.VOID if State.VOID in states else State.SUSPECT if State.SUSPECT in states else State.VALID


def _read_otherwise(record: PassRecord, rig: Rig | None) -> list[Finding]:
    """Knobs that read back other than they were asked: the pass was not made at what it would count as."""
    off = []
    for key, asked in record.asked.items():
        knob = known(key)
        if rig is not None and key in LIMITS:
            knob = replace(knob, step=rig.limit_step_w)
        if key in record.read and not knob.agrees(asked, record.read[key]):
            off.append(f"{knob.label} reads {shown(record.read[key])}, {shown(asked)} was asked")
    if not off:
        return []
    return [
        Finding(
            "read back otherwise", State.VOID, "; ".join(off),
            "Check whether another tool or a power mode sets it, and whether the machine offers that value.",
        )
    ]  # fmt: skip


def _empty(record: PassRecord, trace: Trace) -> list[Finding]:
    """Nothing that could be judged lies between the marks. A draw that was read by hand stands for itself."""
    low, high = np.searchsorted(trace.frames_ns, (trace.start_ns, trace.end_ns + 1))
    frames = int(high - low)
    by_hand = any(key.endswith("_read_from") for key in record.conditions)
    if trace.seconds >= SHORTEST_S and (frames > 1 or (frames == 0 and by_hand)):
        return []
    what = "no frame" if frames == 0 else "one frame" if frames == 1 else f"{frames} frames"
    return [
        Finding(
            "empty pass", State.VOID, f"{what} in {trace.seconds:.1f} s between the marks",
            "Check that the log ran and that the end mark was not set too early; run it again.",
        )
    ]  # fmt: skip


def _limit_exceeded(package: Channel, limit_w: float, limits: Thresholds) -> list[Finding]:
    mean = package.mean()
    allowed = limit_w + max(limits.over_share * limit_w, limits.over_w)
    if mean is None or mean <= allowed:
        return []
    return [
        Finding(
            "limit exceeded",
            State.VOID,
            f"mean package power {mean:.1f} W at a static limit of {limit_w:g} W (allowed {allowed:.1f} W)",
            "Pin sustained, short and peak limits to the same value and check what the machine takes.",
            ((int(package.stamps_ns[0]), int(package.stamps_ns[-1])),),
        )
    ]


def _boosted(package: Channel, sustained: object, trace: Trace, limits: Thresholds) -> list[Finding]:
    """Limits that differ: mean power over the sustained one means that the boost window flatters the pass."""
    mean = package.mean()
    if not isinstance(sustained, float) or mean is None:
        return []
    if mean <= sustained + max(limits.over_share * sustained, limits.over_w):
        return []
    return [
        Finding(
            "unsettled",
            State.VOID,
            f"took {mean:.1f} W on average over its sustained limit of {sustained:g} W: the boost window is not over",
            "Set all three limits to the same value, or soak until the window is over.",
            ((trace.start_ns, trace.end_ns),),
        )
    ]


def _throttled(trace: Trace, die_limit_c: float, limits: Thresholds) -> list[Finding]:
    die = trace.measured("die_c")
    if die is None:
        return []
    hot = die.values >= die_limit_c - limits.throttle_margin_c
    share = float(hot.mean())
    if share <= limits.throttle_share:
        return []
    return [
        Finding(
            "throttled",
            State.VOID,
            f"die at its {die_limit_c:g} C limit for {100 * share:.0f} % of the pass",
            "Let it cool down longer, raise the fan, or treat this limit as above what the cooler carries.",
            spans_of(die, hot),
        )
    ]


def _unsettled(trace: Trace, interval_ms: Intervals, limits: Thresholds) -> list[Finding]:
    found = _drift(interval_ms, limits)
    package = trace.measured("package_w")
    what = "rate"
    if found is None and package is not None:
        known = np.isfinite(package.values) & (package.values > 0)
        seconds = (package.stamps_ns[known] - trace.start_ns) / 1e9
        found = _trend(*second_means(seconds, package.values[known]), limits)
        what = "package power"
    if found is None:
        return []
    share, z = found
    return [
        Finding(
            "unsettled",
            State.VOID,
            f"{what} drifts by {100 * share:+.1f} % over the pass ({abs(z):.1f} standard errors)",
            "Soak longer before the start mark.",
            ((trace.start_ns, trace.end_ns),),
        )
    ]


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

    The standard error allows for first-order correlation of the residuals, taken as at least 0.7: a scene's load
    wanders over seconds and a short pass underrates that.
    """
    n = second.size
    if n < 10 or np.any(value <= 0):
        return None
    x = second - second.mean()
    y = np.log(value)
    slope = float(x @ y) / float(x @ x)
    rest = y - y.mean() - slope * x
    power = max(float(rest @ rest), 1e-12)
    r = min(max(float(rest[:-1] @ rest[1:]) / power, 0.7), 0.95)
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
    return [
        Finding(
            "time gaps",
            State.VOID,
            f"{missing_ms / 1000:.1f} s of {trace.seconds:.0f} s without a frame in {gaps.size} gap(s)",
            "Check the frame logger, and that the machine did not suspend; run the pass again.",
            spans,
        )
    ]
