"""Named stretches of a scene, in scene time, carried to all its passes: the same figures, of a part of each."""

from __future__ import annotations

from dataclasses import replace

from ..facts.title import Section
from .figures import PassFigures, figures_of
from .record import PassRecord

MOST_SHORT_S = 0.5  # a pass may end this much before the section does
_SETTLES = ("die_c", "shell_c")


def section_of(record: PassRecord, section: Section) -> PassRecord | None:
    """A pass cut to a section, its marks moved and no series copied; None where it does not reach that far.

    Temperatures do not settle in a part: they are left out.
    """
    trace = record.trace
    if trace is None or section.end_s > trace.seconds + MOST_SHORT_S:
        return None
    start = trace.start_ns + round(section.start_s * 1e9)
    end = min(trace.start_ns + round(section.end_s * 1e9), trace.end_ns)
    channels = {name: channel for name, channel in trace.channels.items() if name not in _SETTLES}
    return replace(record, trace=replace(trace, start_ns=start, end_ns=end, channels=channels), summary={})


def section_figures(record: PassRecord, section: Section) -> PassFigures:
    """Every figure of a section of a pass; none where the pass does not reach that far."""
    part = section_of(record, section)
    if part is None:
        return PassFigures(why=dict.fromkeys(_SETTLES, "the pass ends before the section does"))
    return replace(figures_of(part, None), why=dict.fromkeys(_SETTLES, "a section is too short to settle in"))
