"""Two sets of passes side by side: every figure with its difference and verdict, and whether they may be compared.

What was asked about is judged at the full level, the rest by Holm's rule. Where more differs than was asked about
nothing is judged, and the setups whose passes would settle it are named. Some things are never put side by side.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from ..facts.knob import CAP, LIMITS, NO_CAP, Knob, Level
from ..facts.rig import OsSlot, Rig
from ..facts.setup import Setup
from ..facts.terms import School
from ..message import Message, Value, say
from ..passes.figure import BY_ID, FIGURES, Figure, low_id
from ..stats.counts import same_share_p, share_interval
from ..stats.estimate import Estimate
from ..stats.power import repeats_for_same, repeats_needed
from .agree import Difference, differences
from .contrast import AT_CAP, Comparison, Contrast, Side, contrast, margin_of
from .equal_watts import EqualWatts, equal_watts
from .group import Counted, cap_of
from .pixels import pixels_of, scaling_share

SHOWN = (
    "mean_fps", "score", "time_s", "draw_w", "package_w", "wall_w", "die_c", "shell_c", "noise_db", "stutters_per_min",
    "cpu_mhz", "gpu_mhz",
)  # fmt: skip
NEUTRAL = frozenset({"cpu_mhz", "gpu_mhz"})  # more of it is neither better nor worse
RATES = frozenset(figure.id for figure in FIGURES if figure.unit == "fps")
HEAT = frozenset({"die_c", "shell_c", "die_end_c", "shell_end_c"})
EVERYTHING = frozenset(BY_ID)
# what differs and makes some figures another quantity, whatever was asked about
NEVER: Mapping[str, frozenset[str]] = {
    CAP: RATES, "frame_generation": EVERYTHING, "generation_factor": EVERYTHING, "scene": EVERYTHING,
    "load": EVERYTHING, "title": EVERYTHING, "set_up": EVERYTHING, "meter_place": frozenset({"draw_w", "wall_w"}),
    "source": frozenset({"draw_w", "wall_w"}), "room_c": HEAT,
}  # fmt: skip
# what is another quantity unless it is just what was asked about
UNASKED: Mapping[str, frozenset[str]] = dict.fromkeys(
    ("preset", "textures", "render_scale", "upscaler", "display"), EVERYTHING
)
LIMIT = LIMITS[0]
CAPPED = frozenset({"mean_fps"})  # what a cap that is kept says nothing about


@dataclass(frozen=True)
class Line:
    """One figure of both sides. more : further passes a side after which it would be decided in four of five futures,
    None where it is, or where sixty would not do."""

    figure: Figure
    a: Estimate
    b: Estimate
    found: Contrast
    more: int | None = None


@dataclass(frozen=True)
class Tries:
    """How often a side was tried and failed (crash, hang, no start). low, high : exact 95 % interval of the share."""

    failed: int
    of: int

    @property
    def interval(self) -> tuple[float, float]:
        """Of the share that fails."""
        return share_interval(self.failed, self.of)


@dataclass(frozen=True)
class Sheet:
    """asked : what was asked about, in words, "" nothing; differs : all that is known to differ; unknown : what one
    side does not tell; beside : what differs beside what was asked about; withheld : why figures are left out; settle :
    setups whose passes would leave one difference at a time; tries : how often each side failed; equal : rates at equal
    watts, of ladders that differ in nothing but what was asked about; pixels : share (%) of a frame that grows with its
    pixels, where what is rendered is all that differs."""

    lines: tuple[Line, ...]
    asked: str
    differs: tuple[Difference, ...]
    unknown: tuple[str, ...]
    beside: tuple[str, ...]
    withheld: tuple[Message, ...] = ()
    settle: tuple[Setup, ...] = ()
    tries: tuple[Tries, Tries] | None = None
    equal: EqualWatts | None = None
    pixels: Estimate | None = None

    @property
    def tries_p(self) -> float:
        """p of both sides failing equally often."""
        a, b = self.tries or (Tries(0, 0), Tries(0, 0))
        return same_share_p(a.failed, a.of, b.failed, b.of)

    @property
    def is_fair(self) -> bool:
        """Whether no more differs than what was asked about."""
        return not self.beside


def keys_of(found: Sequence[Difference]) -> list[str]:
    """What differs, the three limits as one."""
    return list(dict.fromkeys(_key(one) for one in found if not one.is_unknown))


def compared(
    a: Sequence[Counted], b: Sequence[Counted], *, asked: str = "", school: School = School.PERCENTILE,
    margins: Mapping[str, float] | None = None, knobs: Mapping[str, Knob] | None = None, main: str = "",
    tries: tuple[Tries, Tries] | None = None, ladders: tuple[Sequence[Counted], Sequence[Counted]] | None = None,
    rig: Rig | None = None,
) -> Sheet:  # fmt: skip
    """Side by side: a against b, each a set of passes that agree (at least one).

    asked : key of what was asked about (a knob, slot, version:...), "" the one thing that differs; main : id of the
    figure that is judged at the full level, "" the low of the school; tries : of each side; ladders : the passes of the
    responses that the sides are levels of; rig : whose displays tell the pixels.
    """
    every = differences(a[0].point, b[0].point, knobs=knobs)
    keys = keys_of(every)
    asked = asked or (keys[0] if len(keys) == 1 else "")
    beside = tuple(dict.fromkeys(one.label for one in every if not one.is_unknown and _key(one) != asked))
    left_out, withheld = _never(every, asked)
    if asked == "slot" and all(_keeps_cap(side) for side in (a, b)):
        left_out, withheld = left_out | CAPPED, (*withheld, say("sheet.capped"))
    names = [low_id(school), *SHOWN]
    main = main if main in names else names[0]
    sides = tuple(Side(level, tuple(own), (0,) * len(own)) for level, own in (("a", a), ("b", b)))
    found = []
    for name in sorted(names, key=lambda one: one != main):
        if name in left_out:
            continue
        margin = (margins or {}).get(name)
        made = contrast(sides[0], sides[1], BY_ID[name], margin=margin, beside=beside)
        if made is not None:
            found.append(made)
    judged_ = _holm(found, main)
    lines = tuple(_line(one, sides, margins or {}) for one in judged_)
    labels = {one.key: one.label for one in every}
    words = "power limit" if asked in LIMITS else labels.get(asked, asked)
    settle = _settling(_settable(a[0], b[0]), _settable(b[0], a[0]), keys, asked) if beside else ()
    unknown = tuple(dict.fromkeys(one.label for one in every if one.is_unknown))
    equal = equal_watts(*ladders) if ladders is not None and not beside and asked not in (*LIMITS, CAP) else None
    differs = tuple(one for one in every if not one.is_unknown)
    pixels = _pixels(found, a[0], b[0], rig) if not beside and asked in ("render_scale", "display") else None
    return Sheet(lines, words, differs, unknown, beside, withheld, settle, tries, equal, pixels)


def _pixels(found: Sequence[Contrast], a: Counted, b: Counted, rig: Rig | None) -> Estimate | None:
    """The share of a frame that grows with its pixels; None where a cap paces either side."""
    rates = next((one for one in found if one.figure == "mean_fps"), None)
    sizes = pixels_of(a.point.setup, rig), pixels_of(b.point.setup, rig)
    if rates is None or None in sizes or any(_keeps_cap([one]) for one in (a, b)):
        return None
    return scaling_share(rates, (float(sizes[0] or 0), float(sizes[1] or 0)))


def _keeps_cap(side: Sequence[Counted]) -> bool:
    """Whether every pass runs at its cap: what is above it cannot be told then."""
    cap = cap_of(side)
    rates = [rate for one in side if (rate := one.figures.value("mean_fps")) is not None]
    return cap is not None and bool(rates) and min(rates) >= AT_CAP * cap


def beside_figures(sheet: Sheet) -> list[Message]:
    """What decides beside the figures: how often each side failed, rates and watts at equal terms."""
    said = []
    if sheet.tries is not None:
        one, other = (
            say("sheet.tries", side=name, failed=str(side.failed), of=str(side.of), low=Value(side.interval[0]),
                high=Value(side.interval[1]))
            for name, side in zip("AB", sheet.tries)
        )  # fmt: skip
        p = sheet.tries_p
        differ = p < 0.05 and sheet.is_fair
        said.append(say("sheet.tries-differ", one=one, other=other, p=Value(p, digits=3)) if differ
                    else say("sheet.tries-open", one=one, other=other))  # fmt: skip
    if sheet.equal is not None:
        low, high = (Value(watts, "W", digits=0) for watts in sheet.equal.at_w)
        rate, watts = sheet.equal.rate, sheet.equal.watts
        said.append(say("sheet.equal-rate", low=low, high=high, by=Value(rate.value, "%", rate.low, rate.high)))
        if watts is not None:
            said.append(say("sheet.equal-watts", by=Value(watts.value, "%", watts.low, watts.high)))
    if sheet.pixels is not None:
        said.append(say("sheet.pixels", share=sheet.pixels.as_value()))
    return said


def of_slots(slots: Sequence[OsSlot], title: str) -> list[Message]:
    """What decides between OS slots whatever the figures say: a title that does not run there, functions that are
    missing."""
    said = [
        say("sheet.runs-not", title=one.title, slot=slot.name, why=one.why or "unknown")
        for slot in slots for one in slot.does_not_run if one.title == title
    ]  # fmt: skip
    return said + [say("sheet.lacks", slot=slot.name, what=slot.lacks) for slot in slots if slot.lacks]


def _key(one: Difference) -> str:
    return LIMIT if one.key in LIMITS else one.key


def _never(found: Sequence[Difference], asked: str) -> tuple[set[str], tuple[Message, ...]]:
    """Figures that are left out, and why."""
    left_out: set[str] = set()
    said: list[Message] = []
    for one in found:
        if one.is_unknown:
            continue
        figures = NEVER.get(one.key) or (UNASKED.get(one.key) if one.key != asked else None)
        if figures is None or (one.key == CAP and NO_CAP not in (one.one, one.other)):
            continue
        left_out |= figures
        what = say("sheet.all") if figures == EVERYTHING else say("sheet.some", figures=_words(figures))
        said.append(say("sheet.never", what=one.label, one=str(one.one), other=str(one.other), figures=what))
    return left_out, tuple(said)


def _words(figures: frozenset[str]) -> str:
    return "rates" if figures == RATES else "temperatures" if figures == HEAT else "watts at different places"


def _holm(found: Sequence[Contrast], main: str) -> list[Contrast]:
    """Verdicts of the figures beside the main one, each held against as many as are left (Holm 1979)."""
    rest = sorted((one for one in found if one.figure != main), key=lambda one: one.p)
    kept, failed = {}, False
    for at, one in enumerate(rest):
        failed = failed or one.p * (len(rest) - at) > 0.05
        decided = one.verdict in (Comparison.BETTER, Comparison.WORSE)
        kept[one.figure] = replace(one, verdict=Comparison.UNDECIDED) if decided and failed else one
    return [kept.get(one.figure, one) for one in found]


def _line(one: Contrast, sides: Sequence[Side], margins: Mapping[str, float]) -> Line:
    figure = BY_ID[one.figure]
    a, b = (_estimate([c.figures.values[one.figure] for c in side.passes if one.figure in c.figures.values], figure)
            for side in sides)  # fmt: skip
    more = None
    if one.verdict is Comparison.UNDECIDED and one.se > 0:
        n = min(a.n, b.n)
        sd = one.se / math.sqrt(1.0 / a.n + 1.0 / b.n)
        wide = margins.get(figure.id, margin_of(figure))
        needed = repeats_needed(abs(one.delta), sd) if abs(one.delta) > wide else repeats_for_same(one.delta, wide, sd)
        more = max(needed - n, 1) if needed is not None else None
    return Line(figure, a, b, one, more)


def _estimate(values: Sequence[float], figure: Figure) -> Estimate:
    """Mean of a side's passes; its own interval is that of the difference, not of each side."""
    logs = figure.log and all(value > 0 for value in values)
    mean = math.exp(sum(map(math.log, values)) / len(values)) if logs else sum(values) / len(values)
    return Estimate(mean, None, None, figure.unit, len(values))


def _settable(one: Counted, other: Counted) -> Setup:
    """What a pass was made at, of what either side was asked for."""
    setup = one.point.setup
    return Setup({key: setup[key] for key in dict.fromkeys((*one.asked, *other.asked)) if key in setup})


def _settling(a: Setup, b: Setup, keys: Sequence[str], asked: str) -> tuple[Setup, ...]:
    """Setups between the two: a's with what was asked about as b has it, else one difference at a time."""
    knobs = [key for key in keys if key in a and key in b]

    def moved(setup: Setup, key: str) -> Setup:
        changed: dict[str, Level] = {one: b[one] for one in (LIMITS if key == LIMIT else (key,)) if one in b}
        return setup.with_(**changed)

    if asked:
        return (moved(a, asked),) if asked in knobs else ()
    found, setup = [], a
    for key in knobs[:-1]:
        setup = moved(setup, key)
        found.append(setup)
    return tuple(found)
