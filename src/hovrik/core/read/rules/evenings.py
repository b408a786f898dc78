"""Evenings of free play since a change of version: whether a figure moved, without a sweep."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

from ...finding import About, Finding
from ...message import Value, say
from ...passes.figure import BY_ID
from ...passes.purpose import PLAY
from ...stats.evenings import ERROR, shift_since
from ..group import RATE, Counted
from .rule import Rule, Whole, advice, finding

FIGURES = (("draw_w", "draw"), (RATE, "rate"))


def _finds(whole: Whole) -> Iterable[Finding]:
    """Every version that moved between evenings at one setup, in the order in which they were played."""
    by_setup: dict[object, list[Counted]] = defaultdict(list)
    for looked in whole.passes:
        if looked.one.purpose == PLAY and "outcome" not in looked.checks:
            by_setup[looked.one.asked].append(looked.one)
    for own in by_setup.values():
        for what, old, new in _moved(own):
            for key, name in FIGURES:
                before, after = ([one.figures.values[key] for one in own if one.point.versions.get(what) == version
                                  and one.figures.value(key) is not None] for version in (old, new))  # fmt: skip
                told = shift_since(before, after)
                if told is not None:
                    by = Value(told.by.value, BY_ID[key].unit, told.by.low, told.by.high)
                    yield finding(
                        "evenings-moved",
                        say("rule.evenings-moved", what=what.partition("/")[2] or what, new=new, figure=name, by=by,
                            evenings=told.evenings),
                        About.PASS, own[-1].id, step=advice("evenings-moved"), worry=True, sure=1 - ERROR,
                    )  # fmt: skip


def _moved(own: list[Counted]) -> list[tuple[str, str, str]]:
    """(version key, the one before the newest, the newest)."""
    seen: dict[str, list[str]] = defaultdict(list)
    for one in own:
        for key, version in one.point.versions.items():
            if version and (not seen[key] or seen[key][-1] != version):
                seen[key].append(version)
    return [(key, versions[-2], versions[-1]) for key, versions in seen.items() if len(versions) > 1]


RULES = (
    Rule("evenings-moved", "a Bayes factor over 20 since a version changed: wrong in 5 % of series at most", _finds),
)
