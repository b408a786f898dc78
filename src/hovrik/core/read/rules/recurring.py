"""What the checks of single passes found again and again is no slip: it is the machine's, or the title's."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence

from ...facts.knob import is_number
from ...finding import About, Finding
from ...message import Value, say
from ...passes.remedy import from_above
from .rule import Looked, Rule, Whole, advice, finding

OFTEN, LEAST = 0.5, 2  # share of passes, and passes, from which it recurs
SOME, FEW = 0.1, 3  # the same for what comes at random
# check -> (what it is about, from which share, from how many passes)
CHECKS = {
    "limit-exceeded": ("sustained_limit_w", 0.3, LEAST),
    "drain-while-plugged": ("source", 0.3, LEAST),
    "dynamic-resolution": ("render_scale", OFTEN, LEAST),
    "clock-collapse": ("source", SOME, FEW),
    "focus-lost": ("overlay", SOME, FEW),
    "background-load": ("background", 0.3, LEAST),
}
NOTE = "note/never-runs/"  # and the key of an OS slot
CLAMPS = frozenset({"clamp-at", "clamp-hit", "under-clamp"})


def _recurring(whole: Whole) -> Iterable[Finding]:
    passes = _done(whole)
    for check, (about, share, least) in CHECKS.items():
        hit = [one for one in passes if check in one.checks]
        if len(hit) >= least and len(hit) > share * len(passes):
            yield finding(
                check, say(f"rule.again.{check}", passes=len(hit), of=float(len(passes))), About.SETTING, about,
                step=advice(f"again.{check}"), worry=True,
                action="ask/which-os" if check == "limit-exceeded" else "",
            )  # fmt: skip


def _done(whole: Whole) -> Sequence[Looked]:
    return [one for one in whole.passes if "outcome" not in one.checks]


def _clamps(whole: Whole) -> Iterable[Finding]:
    """Charge at which the firmware was seen to cut power."""
    hit = [one for one in _done(whole) if one.checks & CLAMPS]
    if len(hit) < LEAST:
        return
    charges = [c for one in hit if (c := one.one.figures.value("charge_start_share")) is not None]
    low = whole.rig.valid_charge[0] if whole.rig is not None else None
    yield finding(
        "charge-clamps",
        say("rule.charge-clamps", passes=len(hit), of=float(len(_done(whole))),
            top=say("rule.charge-under", charge=Value(max(charges), "", digits=2)) if charges else say("rule.none"),
            window=say("rule.charge-window", low=Value(low, digits=2)) if low is not None else say("rule.none")),
        About.SETTING, "source", step=advice("charge-clamps"), worry=True,
        action=from_above(max(charges)) if charges and (low is None or max(charges) > low) else "",
    )  # fmt: skip


def _memory(whole: Whole) -> Iterable[Finding]:
    """Which memory is full: the fixed share, what the driver grew, or all of it. Only the first is helped by a larger
    split."""
    hit = [one for one in _done(whole) if "memory-full" in one.checks]
    if len(hit) < LEAST or len(hit) <= 0.3 * len(_done(whole)):
        return
    used = max((m for one in hit if (m := one.one.figures.value("memory_mb")) is not None), default=None)
    own = hit[0].one.point.setup.get("memory_split_gb")
    split = float(own) if is_number(own) and own is not None else None
    whole_gb = whole.rig.memory_gb if whole.rig is not None else None
    which = "untold"
    if used is not None and split and used <= 1.03e3 * split:
        which = "fixed"
    elif used is not None and split:
        which = "grown"
    if used is not None and whole_gb and used >= 970.0 * whole_gb:
        which = "pool"
    said = say(f"rule.memory.{which}", used=Value((used or 0.0) / 1000.0, "GB", digits=1), passes=len(hit))
    yield finding("memory-full", said, About.SETTING, "memory_split_gb", step=advice(f"memory.{which}"), worry=True)


def _never_runs(whole: Whole) -> Iterable[Finding]:
    """A title that did not start in an OS slot, whatever was set, and of which that is not noted yet."""
    title = whole.title
    if title is None or whole.rig is None:
        return
    for slot in whole.rig.slots:
        own = [one for one in whole.passes if (one.one.point.place.slot or "").rpartition("/")[2] == slot.key]
        is_noted = any(one.title in (title.key, title.name) for one in slot.does_not_run)
        if is_noted or len(own) < LEAST or not all(one.failed for one in own):
            continue
        why = Counter(one.failed for one in own).most_common(1)[0][0]
        yield finding(
            "never-runs", say("rule.never-runs", title=title.name, slot=slot.name, passes=len(own), why=why),
            About.SETTING, "slot", step=advice("never-runs"), worry=True, action=f"{NOTE}{slot.key}",
        )  # fmt: skip


RULES = (
    Rule("never-runs", "two passes or more in an OS slot, none of which started", _never_runs),
    Rule("recurring", "the same check in two or more passes and a third to a half of them; a tenth for what comes at "
         "random", _recurring),
    Rule("charge-clamps", "steps of power that stay, in two or more passes", _clamps),
    Rule("memory-full", "graphics memory within 3 % of its pool in a third of the passes", _memory),
)  # fmt: skip
