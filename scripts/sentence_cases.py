"""What each sentence is shown with in docs/sentences.md: an id, a usual case and one at a bound.

A sentence without places needs no case. What to do about a check (`.do`) is shown with the values of the check.
"""

from typing import Any

from hovrik.core.message import Value, say

Case = dict[str, Any]


def v(number: float, unit: str = "", digits: int | None = None) -> Value:
    """A number that is said with its unit."""
    return Value(number, unit, digits=digits)


def span(value: float, low: float, high: float, unit: str = "") -> Value:
    """A number with its interval."""
    return Value(value, unit, low, high)


LOW = say("low-of", school="percentile")
LOW_IN = say("low-in", school="percentile")
LESS = say("step-less", step=v(1, "W"), level="11 W")
MORE = say("step-more", step=v(1, "W"), level="13 W")
HOT = {"room": v(32, "C", 0), "limit": v(95, "C", 0)}
HOURS = say("costs-hours", hours=0.3)
FASTER = say("versus.by", figure="mean rate", by=span(3.1, 1.9, 4.2, "%"), side=say("versus.higher"))
LESS_DRAW = say("versus.by", figure="draw", by=span(6, 5.2, 6.8, "%"), side=say("versus.lower"))
TWELVE = "12 W, cap 40, boost off"
TIGHT, WIDE = span(39.29, 39.19, 39.38), span(38.0, 30.2, 47.8)

# id : (a usual case, one at a bound)
CASES: dict[str, tuple[Case, Case]] = {
    "said": ({"text": "clock read by the recorder"}, {"text": "it ended with status -9"}),
    "outcome": ({"reason": "the title ended by itself"}, {"reason": "guard: die over 95 C"}),
    "damaged": ({"what": "its frames cannot be read"}, {"what": "the row does not match its checksum"}),
    "not-binding": ({"took": v(9.1, "W"), "limit": v(15, "W")}, {"took": v(14.2, "W"), "limit": v(15, "W")}),
    "reads-otherwise": (
        {"knob": "CPU boost", "read": "on", "asked": "off"}, {"knob": "cap", "read": "none", "asked": "40 fps"},
    ),
    "read-back-otherwise": (
        {"knobs": (say("reads-otherwise", knob="CPU boost", read="on", asked="off"),)},
        {"knobs": tuple(say("reads-otherwise", knob=name, read="15 W", asked="12 W")
                        for name in ("sustained limit", "short limit", "peak limit"))},
    ),
    "empty-pass": ({"frames": 7, "seconds": v(60.0, "s", 1)}, {"frames": 0, "seconds": v(0.2, "s", 1)}),
    "limit-exceeded": (
        {"took": v(14.9, "W", 1), "limit": v(12, "W"), "allowed": v(12.6, "W", 1)},
        {"took": v(4.4, "W", 1), "limit": v(4, "W"), "allowed": v(4.3, "W", 1)},
    ),
    "boosted": ({"took": v(18.2, "W", 1), "limit": v(15, "W")}, {"took": v(4.5, "W", 1), "limit": v(4, "W")}),
    "throttled": ({"limit": v(95, "C", 0), "time": 0.2}, {"limit": v(95, "C", 0), "time": 1.0}),
    "unsettled": (
        {"what": "package power", "drift": v(4.1, "%", 1), "errors": v(6.0, digits=0)},
        {"what": "GPU clock", "drift": v(-2.0, "%", 1), "errors": v(4.0, digits=0)},
    ),
    "time-gaps": (
        {"missing": v(2.4, "s", 1), "seconds": v(60, "s", 0), "gaps": 3},
        {"missing": v(60.0, "s", 1), "seconds": v(60, "s", 0), "gaps": 1},
    ),
    "charge-out-of-window": (
        {"charge": v(28, "%", 0), "low": v(30, digits=0), "high": v(100, "%", 0)},
        {"charge": v(0, "%", 0), "low": v(1, digits=0), "high": v(100, "%", 0)},
    ),
    "clamp-hit": (
        {"high": v(15.0, "W", 1), "low": v(9.8, "W", 1)}, {"high": v(4.2, "W", 1), "low": v(3.0, "W", 1)},
    ),
    "clamp-at": (
        {"high": v(15.0, "W", 1), "low": v(9.8, "W", 1), "charge": v(50, "%", 0)},
        {"high": v(4.2, "W", 1), "low": v(3.0, "W", 1), "charge": v(1, "%", 0)},
    ),
    "under-clamp": (
        {"charge": v(41, "%", 0), "clamp": v(50, "%", 0)}, {"charge": v(0, "%", 0), "clamp": v(1, "%", 0)},
    ),
    "adapter-changed": ({"time": 0.4}, {"time": 0.004}),
    "drain-while-plugged": ({"watts": v(6.2, "W", 1)}, {"watts": v(0.5, "W", 1)}),
    "variable-refresh-off": (
        {"frames": 0.97, "refresh": v(120, "Hz")}, {"frames": 1.0, "refresh": v(59.94, "Hz")},
    ),
    "cap-against-refresh": ({"cap": 40.0, "refresh": v(60, "Hz")}, {"cap": 59.0, "refresh": v(59.94, "Hz")}),
    "memory-full": ({"used": v(3.9, digits=1), "pool": v(4, "GB")}, {"used": v(0.5, digits=1), "pool": v(0.5, "GB")}),
    "shaders-compiling": ({"frames": 14}, {"frames": 1}),
    "wrong-length": (
        {"seconds": v(41, "s", 0), "wanted": v(60, "s", 0)}, {"seconds": v(0, "s", 0), "wanted": v(60, "s", 0)},
    ),
    "background-load": (
        {"percent": v(15, "%", 0), "time": 0.3}, {"percent": v(15, "%", 0), "time": 1.0},
    ),
    "clock-collapse": (
        {"usual": v(1600, "MHz", 0), "seconds": v(4, "s", 0)}, {"usual": v(200, "MHz", 0), "seconds": v(1, "s", 0)},
    ),
    "suspended": ({"seconds": v(40, "s", 0)}, {"seconds": v(36000, "s", 0)}),
    "title-ended": ({"seconds": v(20.0, "s", 1)}, {"seconds": v(2.0, "s", 1)}),
    "dynamic-resolution": (
        {"frames": 0.8, "interval": v(16.7, "ms", 1)}, {"frames": 1.0, "interval": v(25.0, "ms", 1)},
    ),
    "slow-stretches": (
        {"seconds": v(6, "s", 0), "longer": v(1.6, digits=1), "at": v(21, "s", 0)},
        {"seconds": v(2, "s", 0), "longer": v(1.3, digits=1), "at": v(0, "s", 0)},
    ),
    "frames-lost": ({"frames": 48}, {"frames": 1}),
    "recurs": (
        {"what": say("shaders-compiling", frames=6)}, {"what": say("clock-collapse", usual=v(900, "MHz", 0),
                                                                  seconds=v(1, "s", 0))},
    ),
    "pooled-unknown": (
        {"what": ("firmware",), "passes": 3}, {"what": ("sync mode", "scaler", "brightness"), "passes": 1},
    ),
    "package-inferred": ({"passes": 9, "sd": v(0.3, "W", 1)}, {"passes": 1, "sd": v(0.04, "W", 1)}),
    "launched-apart": ({"passes": 9, "launches": 3}, {"passes": 4, "launches": 2}),
    "differ": ({"what": ("driver",)}, {"what": ("driver", "firmware", "room")}),
    "unchecked": ({"passes": 2000}, {"passes": 301}),
    "lengths-differ": ({"short": v(30, "s", 0), "long": v(90, "s", 0)}, {"short": v(60, "s", 0), "long": v(1, "s", 0)}),
    "rooms-differ": ({"by": v(6, "degrees", 0)}, {"by": v(4, "degrees", 0)}),
    "surprise": (
        {"level": "12 W", "off": v(53, "%", 0), "side": say("below"), "figure": "1 % low"},
        {"level": "12 W", "off": v(2, "%", 0), "side": say("above"), "figure": "draw"},
    ),
    "dent": ({"size": v(8, "%", 0), "side": say("below")}, {"size": v(1, "%", 0), "side": say("above")}),
    "dent-maybe": ({"size": v(3, "%", 0), "side": say("below")}, {"size": v(1, "%", 0), "side": say("above")}),
    "edge": ({"size": v(11, "%", 0), "side": say("above")}, {"size": v(1, "%", 0), "side": say("below")}),
    "edge-maybe": ({"size": v(4, "%", 0), "side": say("above")}, {"size": v(1, "%", 0), "side": say("below")}),
    "evening.mix": (
        {"minutes": v(94, "min", 0), "sorts": 2, "mix": (say("evening.sort", share=0.3, rate=v(41, "", 0)),
                                                         say("evening.sort", share=0.7, rate=v(52, "", 0)))},
        {"minutes": v(11, "min", 0), "sorts": 1, "mix": (say("evening.sort", share=1.0, rate=v(52, "", 0)),)},
    ),
    "evening.sort": ({"share": 0.3, "rate": v(41, "", 0)}, {"share": 1.0, "rate": v(52, "", 0)}),
    "evening.heaviest": (
        {"share": 0.3, "rate": v(41, "", 0), "start": v(32, "min", 0)},
        {"share": 0.02, "rate": v(30, "", 0), "start": v(0, "min", 0)},
    ),
    "evening.spot-light": ({"share": 0.93}, {"share": 0.9}),
    "evening.spot": ({"share": 0.41}, {"share": 0.0}),
    "evening.memory": ({"full": v(70, "min", 0)}, {"full": v(12, "min", 0)}),
    "evening.band": (
        {"top": 1.0, "bottom": 0.8, "stutters": span(0.4, 0.2, 0.8)},
        {"top": 0.2, "bottom": 0.0, "stutters": span(6.0, 4.0, 9.0)},
    ),
    "evening.collapses": (
        {"top": 0.6, "bottom": 0.5, "collapses": span(0.4, 0.2, 0.8)},
        {"top": 0.2, "bottom": 0.0, "collapses": span(6.0, 4.0, 9.0)},
    ),
    "stale.version": (
        {"what": "firmware", "now": "0.33", "then": "0.31"}, {"what": "graphics driver", "now": "9.15", "then": "9.14"},
    ),
    "stale.health": ({"now": 0.84, "then": 0.93}, {"now": 0.88, "then": 0.94}),
    "stale.fan": ({"now": "quiet", "then": "even"}, {"now": "full", "then": "quiet"}),
    "since.other": (
        {"when": "2026-05-04 20:15 UTC", "says": "13 W holds 40.", "causes": (say("since.more", passes=3),)},
        {"when": "2026-05-04 20:15 UTC", "says": "", "causes": (say("since.facts", what="rig"), say("since.edits"))},
    ),
    "since.again": (
        {"when": "2026-05-04 20:15 UTC", "other": "Another answer than on 2026-05-04 20:16 UTC: 3 passes more."},
        {"when": "2026-05-04 20:15 UTC", "other": ""},
    ),
    "since.more": ({"passes": 3}, {"passes": 1}),
    "since.fewer": ({"passes": 3}, {"passes": 1}),
    "since.facts": ({"what": "rig"}, {"what": "title"}),
    "since.edits": ({}, {}),
    "since.incidents": ({}, {}),
    "since.beside": ({}, {}),
    "since.method": ({}, {}),
    "since.nothing": ({}, {}),
    "stale.good": ({"passes": 6, "sure": 0.97}, {"passes": 1, "sure": 0.95}),
    "stale.retune": ({"passes": 6, "sure": 0.02}, {"passes": 1, "sure": 0.0}),
    "stale.open": ({"passes": 3}, {"passes": 1}),
    "tonight.chance": (
        {"chance": 0.93, "reserve": 0.1, "left": 0.24, "low": 0.12, "high": 0.35},
        {"chance": 0.0, "reserve": 0.0, "left": 0.0, "low": 0.0, "high": 0.0},
    ),
    "tonight.unplayed": ({"legs": ("Amberfall", "a film")}, {"legs": ("a film",)}),
    "tonight.spare": ({"legs": ("Amberfall", "a film")}, {"legs": ("a film",)}),
    "tonight.breaks": ({"leg": "Amberfall"}, {"leg": "a film"}),
    "kept.stood": ({"minutes": Value(15, digits=0)}, {"minutes": Value(14, digits=0)}),
    "kept.figure": (
        {"figure": "draw", "value": Value(14.2, "W"), "range": Value(13.0, "W", 12.7, 13.3)},
        {"figure": "mean rate", "value": Value(0.4, "fps"), "range": Value(40.0, "fps", 39.2, 40.8)},
    ),
    "kept.elsewhere": (
        {"minutes": Value(15, digits=0), "figures": (say("kept.figure", figure="draw", value=Value(14.2, "W"),
                                                         range=Value(13.0, "W", 12.7, 13.3)),)},
        {"minutes": Value(120, digits=0), "figures": (
            say("kept.figure", figure="draw", value=Value(14.2, "W"), range=Value(13.0, "W", 12.7, 13.3)),
            say("kept.figure", figure="die, settled", value=Value(91, "C"), range=Value(70, "C", 68, 72)))},
    ),
    "trade.short": ({"target": 40.0, "sure": 0.2}, {"target": 59.94, "sure": 0.0}),
    "trade.breaks": (
        {"limit": say("trade.at-most", figure="die, settled", bound=v(70, "C")), "sure": 0.1},
        {"limit": say("trade.at-least", figure="hours", bound=v(2.5, "h")), "sure": 0.0},
    ),
    "trade.at-most": ({"figure": "die, settled", "bound": v(70, "C")}, {"figure": "noise", "bound": v(38, "dB")}),
    "trade.at-least": ({"figure": "hours", "bound": v(2.5, "h")}, {"figure": "hours", "bound": v(0.25, "h")}),
    "trade.incidents": ({"incidents": 2}, {"incidents": 1}),
    "trade.relax-floor": ({"value": 36.0, "asked": 40.0}, {"value": 29.0, "asked": 30.0}),
    "trade.relax": (
        {"limit": say("trade.at-most", figure="die, settled", bound=v(60, "C")), "value": v(66, "C")},
        {"limit": say("trade.at-least", figure="hours", bound=v(4, "h")), "value": v(2.1, "h")},
    ),
    "waste.over-cap": ({"cap": 60.0}, {"cap": 59.94}),
    "waste.cpu": ({"knob": "CPU boost"}, {"knob": "CPU clock ceiling"}),
    "waste.stands": ({"what": "refresh"}, {"what": "radios"}),
    "waste.saves": ({"setting": "boost off"}, {"setting": "cap 40"}),
    "sheet.tries": (
        {"side": "A", "failed": "2", "of": "9", "low": v(0.03), "high": v(0.6)},
        {"side": "B", "failed": "0", "of": "3", "low": v(0.0), "high": v(0.71)},
    ),
    "sheet.tries-differ": (
        {"one": say("said", text="A failed 5 of 6"), "other": say("said", text="B failed 0 of 9"), "p": v(0.002)},
        {"one": say("said", text="A failed 0 of 4"), "other": say("said", text="B failed 4 of 4"), "p": v(0.03)},
    ),
    "sheet.tries-open": (
        {"one": say("said", text="A failed 1 of 6"), "other": say("said", text="B failed 0 of 9")},
        {"one": say("said", text="A failed 1 of 3"), "other": say("said", text="B failed 0 of 3")},
    ),
    "sheet.equal-rate": (
        {"low": v(8, "W", 0), "high": v(15, "W", 0), "by": span(4.0, 2.5, 5.5, "%")},
        {"low": v(9, "W", 0), "high": v(11, "W", 0), "by": span(-1.0, -3.0, 1.0, "%")},
    ),
    "sheet.equal-watts": (
        {"by": span(-6.0, -9.0, -3.0, "%")},
        {"by": span(2.0, -1.0, 5.0, "%")},
    ),
    "sheet.runs-not": (
        {"title": "Saltmarsh Couriers", "slot": "Fen 4", "why": "its copy protection"},
        {"title": "Ironwood Vale", "slot": "Sedge 12", "why": "unknown"},
    ),
    "sheet.lacks": ({"slot": "Fen 4", "what": ("boost switch", "fan speed")}, {"slot": "Sedge 12", "what": ("sleep",)}),
    "lies": (
        {"level": "9 W", "what": say("dent", size=v(8, "%", 0), side=say("below"))},
        {"level": "9 W", "what": say("dent-maybe", size=v(1, "%", 0), side=say("above"))},
    ),
    "a-pass": (
        {"what": say("surprise", level="12 W", off=v(53, "%", 0), side=say("below"), figure="1 % low")},
        {"what": say("surprise", level="12 W", off=v(2, "%", 0), side=say("above"), figure="draw")},
    ),
    "mark.first_playable": ({"target": 40.0}, {"target": 59.94}),
    "mark.best_per_watt": ({"power": "draw"}, {"power": "limit"}),
    "mark.last_paying": ({"price": 1.0, "power": "draw"}, {"price": 0.0, "power": "limit"}),
    "mark.says": (
        {"mark": say("mark.best_per_watt", power="draw"), "note": say("mark.at-lowest")},
        {"mark": say("mark.last_paying", price=0.0, power="limit"), "note": say("mark.all-pay")},
    ),
    "no-passes-why": (
        {"many": 4, "passes": 4, "why": "mean rate drifts by -6 % over the pass", "advice": "Soak longer."},
        {"many": 1, "passes": 1, "why": "the title ended", "advice": ""},
    ),
    "no-passes-void": ({"passes": 3}, {"passes": 1}),
    "no-level": ({"passes": 3, "factor": "CPU boost"}, {"passes": 1, "factor": "static limit"}),
    "missing.level": ({"factor": "CPU boost"}, {"factor": "static limit"}),
    "no-figure": (
        {"target": 900.0, "figure": say("figure.score")}, {"target": 0.0, "figure": say("figure.none")},
    ),
    "missing.figure": ({"figure": say("figure.score")}, {"figure": say("figure.none")}),
    "unknown-kind": ({"kind": "first-look"}, {"kind": ""}),
    "holds": (
        {"setup": TWELVE, "target": 40.0, "figure": LOW, "low": TIGHT, "passes": 3, "sure": 0.97},
        {"setup": TWELVE, "target": 40.0, "figure": LOW, "low": span(39.9, 39.9, 39.9), "passes": 1, "sure": 1.0},
    ),
    "holds-inside": (
        {"setup": TWELVE, "target": 40.0, "figure": LOW, "low": TIGHT, "passes": 1, "sure": 0.96},
        {"setup": TWELVE, "target": 40.0, "figure": LOW, "low": WIDE, "passes": 1, "sure": 0.95},
    ),
    "from-full": ({"hours": span(2.3, 2.2, 2.4)}, {"hours": span(0.4, 0.02, 0.9)}),
    "from-charge": (
        {"hours": span(1.9, 1.82, 1.95), "charge": 0.8}, {"hours": span(0.03, 0.01, 0.08), "charge": 0.06},
    ),
    "of-100": ({"passes": v(88, digits=0)}, {"passes": v(1, digits=0)}),
    "settled": ({"die": span(74, 72.1, 76.2, "C")}, {"die": span(74, 60, 110, "C")}),
    "step-less": ({"step": v(1, "W"), "level": "11 W"}, {"step": v(0.5, "W"), "level": "3.5 W"}),
    "step-more": ({"step": v(1, "W"), "level": "13 W"}, {"step": v(0.5, "W"), "level": "4.5 W"}),
    "stated": (
        {"parts": (say("holds", setup=TWELVE, target=40.0, figure=LOW, low=TIGHT, passes=3, sure=0.97),
                   say("from-full", hours=span(2.3, 2.2, 2.4)), say("settled", die=span(74, 72.1, 76.2, "C"))),
         "steps": (say("less-drops", step=LESS, low=span(37.1, 36.8, 37.4)),
                   say("more-nothing", step=MORE, costs=HOURS))},
        {"parts": (say("chosen", setup=TWELVE, passes=1),), "steps": (say("less-untried.limit"),)},
    ),
    "stated-alone": (
        {"parts": (say("chosen", setup=TWELVE, passes=3), say("from-full", hours=span(2.3, 2.2, 2.4)))},
        {"parts": (say("chosen", setup="4 W", passes=1),)},
    ),
    "two-sentences": (
        {"one": say("none-holds", target=60.0, level="15 W", figure=LOW_IN, low=span(51, 50.2, 51.8)),
         "other": say("try", what=say("missing.limits", level="15 W"))},
        {"one": say("not-settled", level="12 W", target=40.0, sure=0.0501, asked=0.95),
         "other": say("missing.close", levels="12 W")},
    ),
    "chosen": ({"setup": TWELVE, "passes": 3}, {"setup": "4 W", "passes": 1}),
    "holds-share": (
        {"setup": TWELVE, "target": 40.0, "share": 0.004, "passes": 3, "sure": 0.97},
        {"setup": TWELVE, "target": 40.0, "share": 0.0, "passes": 1, "sure": 1.0},
    ),
    "low-of": ({"school": "percentile"}, {"school": "mean of the slowest"}),
    "low-in": ({"school": "percentile"}, {"school": "mean of the slowest"}),
    "figure.low_0_1pct": ({"school": "percentile"}, {"school": "mean of the slowest"}),
    "less-misses": ({"step": LESS, "missed": 0.03}, {"step": LESS, "missed": 1.0}),
    "less-drops": ({"step": LESS, "low": span(37.1, 36.8, 37.4)}, {"step": LESS, "low": WIDE}),
    "less-open": ({"step": LESS, "sure": 0.6}, {"step": LESS, "sure": 0.05}),
    "less-unjudged": ({"step": LESS}, {"step": say("said", text="boost off")}),
    "more-brings": (
        {"step": MORE, "frames": v(2.1, digits=1), "costs": HOURS},
        {"step": MORE, "frames": v(0.5, digits=1), "costs": say("costs-none")},
    ),
    "more-nothing": (
        {"step": MORE, "costs": HOURS}, {"step": MORE, "costs": say("costs-unknown")},
    ),
    "costs-hours": ({"hours": 0.3}, {"hours": 0.01}),
    "costs-watts": ({"watts": v(1.1, "W", 1)}, {"watts": v(0.1, "W", 1)}),
    "gives-hours": ({"hours": 0.3}, {"hours": 0.01}),
    "missing.settled-least": ({"die": Value(71.6, "C", digits=0)}, {"die": Value(100.0, "C", digits=0)}),
    "missing.settled": ({"why": "no die temperature was recorded"}, {"why": "the pass was too short"}),
    "missing.close": ({"levels": "12 W"}, {"levels": "boost off"}),
    "missing.close-several": ({"levels": "11 and 12 W"}, {"levels": "10, 11 and 12 W"}),
    "missing.settle": ({"passes": 4, "levels": "12 W"}, {"passes": 1, "levels": "12 W"}),
    "missing.settle-each": ({"passes": 4, "levels": "11 and 12 W"}, {"passes": 1, "levels": "10, 11 and 12 W"}),
    "missing.frames-settle": ({"levels": "14 and 15 W"}, {"levels": "15 W"}),
    "missing.frames": ({"figure": say("low-alone")}, {"figure": say("figure.mean")}),
    "missing.limits": ({"level": "15 W"}, {"level": "4 W"}),
    "missing.levels": ({"level": "1600 MHz"}, {"level": "0"}),
    "missing.limits-to": ({"level": "15 W", "top": v(30, "W", 0)}, {"level": "29 W", "top": v(30, "W", 0)}),
    "missing.top": ({"level": "30 W"}, {"level": "4 W"}),
    "missing.cap": ({"cap": 40.0, "target": 60.0}, {"cap": 59.0, "target": 59.94}),
    "try": (
        {"what": say("missing.cap", cap=40.0, target=60.0)}, {"what": say("missing.top", level="30 W")},
    ),
    "no-low": ({"target": 40.0, "figure": say("low-alone")}, {"target": 59.94, "figure": say("figure.mean")}),
    "none-holds": (
        {"target": 60.0, "level": "15 W", "figure": LOW_IN, "low": span(51, 50.2, 51.8)},
        {"target": 60.0, "level": "15 W", "figure": LOW_IN, "low": WIDE},
    ),
    "in-the-way": (
        {"what": say("rule.waits.gpu", levels=say("rule.at", level=("18 W",)), by=say("rule.held.ceiling"))},
        {"what": say("rule.waits.pool", levels=say("rule.at", level=("4 W",)))},
    ),
    "kept-back": (
        {"level": "12 W", "target": 40.0, "sure": 0.995, "why": say("incidents", level="12 W", incidents=1)},
        {"level": "4 W", "target": 40.0, "sure": 0.0501, "why": say("generated.untold", level="4 W")},
    ),
    "not-settled": (
        {"level": "12 W", "target": 40.0, "sure": 0.8, "asked": 0.95},
        {"level": "12 W", "target": 40.0, "sure": 0.0501, "asked": 0.999},
    ),
    "weighed.alone": ({"setup": "12 W, cap 40"}, {"setup": "4 W"}),
    "weighed.first": (
        {"setup": "12 W, cap 40", "other": "14 W, cap 40", "by": v(6.2, digits=1),
         "parts": (say("weighed.part", figure="hours", by=v(7.1, digits=1)),
                   say("weighed.part", figure="a cool die", by=v(-0.9, digits=1)))},
        {"setup": "12 W", "other": "13 W", "by": v(0.0, digits=1),
         "parts": (say("weighed.part", figure="quiet", by=v(0.1, digits=1)),)},
    ),
    "weighed.part": ({"figure": "hours", "by": v(7.1, digits=1)},
                     {"figure": "quiet", "by": v(0.0, digits=1)}),
    "weighed.flips-under": ({"figure": "hours", "weight": v(0.62, digits=2)},
                            {"figure": "quiet", "weight": v(0.01, digits=2)}),
    "weighed.flips-over": ({"figure": "a cool die", "weight": v(1.4, digits=2)},
                           {"figure": "quiet", "weight": v(9.99, digits=2)}),
    "generated.untold": ({"level": "12 W"}, {"level": "7 W"}),
    "generated.not-counted": ({"level": "12 W", "rendered": v(31, digits=0), "shown": v(62, digits=0)},
                              {"level": "7 W", "rendered": v(9, digits=0), "shown": v(18, digits=0)}),
    "generated.low-base": ({"level": "12 W", "rendered": v(24, digits=0), "least": 30.0},
                           {"level": "7 W", "rendered": v(29, digits=0), "least": 29.5}),
    "generated.live": ({"level": "12 W"}, {"level": "7 W"}),
    "sheet.pixels": ({"share": span(70, 62, 78, "%")}, {"share": span(1, -4, 6, "%")}),
    "gained": (
        {"setup": "15 W, no cap", "parts": (say("gained.more-time", time=span(0.8, 0.7, 0.9, "h")),
                                            say("gained.frames", frames=span(3.1, 2.8, 3.4), side=say("gained.less")))},
        {"setup": "15 W", "parts": (say("gained.same-watts"),)},
    ),
    "gained.preset": (
        {"level": "16 W", "preset": "Steady",
         "parts": (say("gained.more-time", time=span(0.4, 0.35, 0.45, "h")), say("gained.same-frames"))},
        {"level": "9 W", "preset": "Hush", "parts": (say("gained.same-time"), say("gained.open-frames"))},
    ),
    "gained.more-time": ({"time": span(0.8, 0.7, 0.9, "h")}, {"time": span(0.02, 0.01, 0.03, "h")}),
    "gained.less-time": ({"time": span(0.8, 0.7, 0.9, "h")}, {"time": span(0.02, 0.01, 0.03, "h")}),
    "gained.watts": (
        {"watts": span(2.1, 1.9, 2.3, "W"), "side": say("gained.less")},
        {"watts": span(0.2, 0.1, 0.3, "W"), "side": say("gained.more")},
    ),
    "gained.frames": (
        {"frames": span(3.1, 2.8, 3.4), "side": say("gained.less")},
        {"frames": span(0.9, 0.1, 1.7), "side": say("gained.more")},
    ),
    "bound.broken": (
        {"level": "13 W", "target": 40.0,
         "bounds": (say("bound.kept-most", figure="die, settled", value=span(88, 86, 90, "C"), bound=v(85, "C")),)},
        {"level": "13 W", "target": 59.94,
         "bounds": (say("bound.unknown-most", figure="noise", bound=v(35, "dB")),)},
    ),
    "bound.kept-most": (
        {"figure": "die, settled", "value": span(72, 70, 74, "C"), "bound": v(85, "C")},
        {"figure": "noise", "value": span(35, 35, 35, "dB"), "bound": v(35, "dB")},
    ),
    "bound.kept-least": (
        {"figure": "hours", "value": span(2.4, 2.3, 2.5, "h"), "bound": v(2, "h")},
        {"figure": "hours", "value": span(2, 2, 2, "h"), "bound": v(2, "h")},
    ),
    "bound.unknown-most": (
        {"figure": "die, settled", "bound": v(85, "C")}, {"figure": "noise", "bound": v(0, "dB")},
    ),
    "bound.unknown-least": ({"figure": "hours", "bound": v(2.5, "h")}, {"figure": "hours", "bound": v(0.25, "h")}),
    "missing.undecided": ({"figure": "mean rate"}, {"figure": "draw"}),
    "now": (
        {"parts": (say("now.rate", value=span(41.2, 40.1, 42.3)), say("now.draw", value=span(18.9, 18.7, 19.1)))},
        {"parts": (say("now.nothing"),)},
    ),
    "now.rate": ({"value": span(41.2, 40.1, 42.3)}, {"value": v(41.2)}),
    "now.low": ({"value": span(36.2, 35.1, 37.3)}, {"value": v(36.2)}),
    "now.draw": ({"value": span(18.9, 18.7, 19.1)}, {"value": v(18.9)}),
    "rule.cap": ({"cap": 40.0}, {"cap": 59.94}),
    "rule.limit": ({"limit": v(15, "W")}, {"limit": v(4, "W")}),
    "rule.gpu": ({"share": v(98, "%", 0)}, {"share": v(95, "%", 0)}),
    "rule.spare": ({"limit": v(15, "W"), "took": v(9.1, "W", 1)}, {"limit": v(4, "W"), "took": v(3.5, "W", 1)}),
    "rule.unseen": ({"rate": 90.0, "refresh": v(60, "Hz")}, {"rate": 63.0, "refresh": v(59.94, "Hz")}),
    "rule.hot": (
        {"die": v(94, "C", 0), "limit": v(95, "C", 0)}, {"die": v(92, "C", 0), "limit": v(95, "C", 0)},
    ),
    "buys.to": (
        {"level": "14 W", "price": 1.0, "span": span(14.2, 13.1, 15.4, "W"), "rate": span(48, 47.6, 48.4)},
        {"level": "30 W", "price": 0.0, "span": span(30, 30, 30, "W"), "rate": span(48, 47.6, 48.4)},
    ),
    "buys.nothing": ({"level": "8 W", "price": 1.0}, {"level": "4 W", "price": 0.0}),
    "limits.by": ({"knobs": ("power limit",)}, {"knobs": ("power limit", "CPU clock ceiling", "cap")}),
    "limits.open": ({"knobs": ("power limit",)}, {"knobs": ("CPU clock ceiling", "cap")}),
    "limits.follows": (
        {"knob": "power limit", "by": span(45, 38, 52, "%"), "start": Value(14.0, "W"), "end": Value(12.0, "W")},
        {"knob": "cap", "by": span(0, -20, 20, "%"), "start": Value(60.0, "fps"), "end": Value(51.0, "fps")},
    ),
    "limits.waits": (
        {"waits": say("rule.waits.cpu", levels=say("rule.at", level=("30 W",)), by=say("rule.held.ceiling"))},
        {"waits": say("rule.waits.panel", levels=say("rule.at", level=("4 W",)))},
    ),
    "option.costs": (
        {"option": "shadows high", "frame": span(1.8, 1.5, 2.1, "ms"), "watts": span(0.6, 0.4, 0.8, "W")},
        {"option": "film grain on", "frame": span(0, -0.1, 0.1, "ms"), "watts": span(0, -0.1, 0.1, "W")},
    ),
    "option.costs-frames": (
        {"option": "shadows high", "frame": span(1.8, 1.5, 2.1, "ms")},
        {"option": "film grain on", "frame": span(0, -0.1, 0.1, "ms")},
    ),
    "option.dearest": ({"options": ("shadows high", "grass far")}, {"options": ("shadows high",)}),
    "option.set": (
        {"kept": ("shadows", "grass"), "rate": 41.0, "target": 40.0},
        {"kept": (say("option.no-option"),), "rate": 40.0, "target": 40.0},
    ),
    "option.not-enough": ({"rate": 35.0, "target": 40.0}, {"rate": 39.9, "target": 40.0}),
    "cap.holds": ({"cap": 40.0, "sure": 0.97}, {"cap": 59.94, "sure": 1.0}),
    "best.under": ({"slot": "Heath 3", "says": "11 W holds 40."}, {"slot": "os", "says": ""}),
    "best.rival": (
        {"says": "12 W holds 40.", "setup": "11 W, boost off", "sure": 0.71, "gain": v(8, "%", 0)},
        {"says": "", "setup": "4 W", "sure": 0.05, "gain": v(1, "%", 0)},
    ),
    "best.sure": ({"sure": 0.91}, {"sure": 0.0}),
    "best.of": ({"setups": 2304, "passes": 9}, {"setups": 1, "passes": 1}),
    "best.next": (
        {"setup": "13 W, boost off", "gain": Value(1.25, "%", digits=1), "sure": 0.6},
        {"setup": "4 W", "gain": Value(0.0, "%", digits=1), "sure": 0.004},
    ),
    "best.next-front": (
        {"setup": "13 W, boost off", "gain": Value(1.25, "%", digits=1)},
        {"setup": "4 W", "gain": Value(0.0, "%", digits=1)},
    ),
    "best.front-one": (
        {"setup": "9 W, boost off", "draw": v(15.2, "W", 1), "frames": v(38, "fps", 0)},
        {"setup": "4 W", "draw": v(9, "W", 1), "frames": v(1, "fps", 0)},
    ),
    "best.front": (
        {"setups": 3, "parts": (
            say("best.front-one", setup="9 W, boost off", draw=v(15.2, "W", 1), frames=v(38, "fps", 0)),
            say("best.front-one", setup="15 W, boost off", draw=v(21.9, "W", 1), frames=v(52, "fps", 0)),
        )},
        {"setups": 1, "parts": (say("best.front-one", setup="4 W", draw=v(9, "W", 1), frames=v(12, "fps", 0)),)},
    ),
    "sheet.never": (
        {"what": "frame cap", "one": "40", "other": "none", "figures": say("sheet.some", figures="rates")},
        {"what": "scene", "one": "harbour", "other": "grove", "figures": say("sheet.all")},
    ),
    "sheet.some": ({"figures": "rates"}, {"figures": "temperatures"}),
    "best.open": (
        {"setup": "13 W, boost off", "sure": 0.8, "asked": 0.95}, {"setup": "4 W", "sure": 0.5, "asked": 0.999},
    ),
    "best.none": ({"setup": "13 W, boost off", "sure": 0.3}, {"setup": "4 W", "sure": 0.0}),
    "missing.search": ({}, {}),
    "missing.fresh": ({"passes": 2}, {"passes": 1}),
    "cap.open": ({"cap": 40.0, "sure": 0.6}, {"cap": 59.94, "sure": 0.94}),
    "cap.measured": (
        {"cap": 40.0, "sure": 0.97, "draw": say("cap.draw", watts=span(16, 15.6, 16.4, "W"))},
        {"cap": 59.94, "sure": 0.0, "draw": say("cap.no-draw")},
    ),
    "cap.draw": ({"watts": span(16, 15.6, 16.4, "W")}, {"watts": v(16, "W")}),
    "caps.lock": (
        {"cap": 40.0, "setup": "13 W", "sure": 0.97, "passes": 3,
         "draw": say("cap.draw", watts=span(16, 15.6, 16.4, "W")),
         "hours": say("caps.hours", hours=span(2.5, 2.4, 2.6, "h"))},
        {"cap": 59.94, "setup": "4 W, boost off", "sure": 1.0, "passes": 1, "draw": say("cap.no-draw"),
         "hours": say("cap.no-draw")},
    ),
    "caps.lock-predicted": (
        {"cap": 40.0, "setup": "13 W", "sure": 0.97, "draw": say("cap.draw", watts=span(16, 15.6, 16.4, "W")),
         "hours": say("caps.hours", hours=span(2.5, 2.4, 2.6, "h"))},
        {"cap": 26.667, "setup": "4 W, boost off", "sure": 0.95, "draw": say("cap.no-draw"),
         "hours": say("cap.no-draw")},
    ),
    "caps.untried": ({"cap": 60.0, "setup": "13 W", "sure": 0.97},
                     {"cap": 26.667, "setup": "4 W, boost off", "sure": 1.0}),
    "library.ceiling": ({"watts": v(18, "W"), "titles": 6}, {"watts": v(4, "W"), "titles": 1}),
    "library.rising": ({"names": ("Tin Orchard", "Ironwood Vale")}, {"names": ("Tin Orchard",)}),
    "caps.hours": ({"hours": span(2.5, 2.4, 2.6, "h")}, {"hours": v(0.4, "h")}),
    "caps.none-held": ({}, {}),
    "caps.nothing": ({}, {}),
    "cap.predicted": ({"cap": 40.0, "sure": 0.97}, {"cap": 26.667, "sure": 0.5}),
    "missing.pairs": ({"pairs": 30}, {"pairs": 1}),
    "flip.better": (
        {"a": "boost off", "b": "boost on", "by": span(5, 2, 8, "%"), "pairs": 14},
        {"a": "boost off", "b": "boost on", "by": Value(5.0, "%", digits=1), "pairs": 1},
    ),
    "flip.same": (
        {"a": "boost off", "b": "boost on", "pairs": 30}, {"a": "boost off", "b": "boost on", "pairs": 1},
    ),
    "flip.open": (
        {"a": "boost off", "b": "boost on", "pairs": 8}, {"a": "boost off", "b": "boost on", "pairs": 0},
    ),
    "flip.figure": (
        {"figure": "draw", "by": span(-5, -6, -4, "%"), "pairs": 14},
        {"figure": "draw", "by": Value(0.0, "%", digits=1), "pairs": 1},
    ),
    "versus.one": ({"factor": "CPU boost"}, {"factor": "OS slot"}),
    "versus.better-than": (
        {"a": "boost off", "b": "boost on", "what": (FASTER, LESS_DRAW)},
        {"a": "boost off", "b": "boost on", "what": (say("versus.holds-floor"),)},
    ),
    "versus.best-of": (
        {"a": "2.6 GHz", "others": ("2.2 GHz", "3.4 GHz")},
        {"a": "fan full", "others": ("fan even", "fan auto", "fan silent")},
    ),
    "versus.lead-alike": (
        {"ahead": ("720 lines", "1080 lines"), "behind": ("2160 lines",)},
        {"ahead": ("fan even", "fan auto", "fan full"), "behind": ("fan silent", "fan off")},
    ),
    "versus.all-alike": (
        {"levels": ("720 lines", "1080 lines", "2160 lines")}, {"levels": ("a", "b", "c", "d")}
    ),
    "stopped.why": (
        {"level": "Pane 4", "tried": 4, "why": "did not start"}, {"level": "boost on", "tried": 1, "why": "refused"},
    ),
    "stopped.plain": ({"level": "Pane 4", "tried": 4}, {"level": "boost on", "tried": 1}),
    "versus.beside-stopped": (
        {"stopped": (say("stopped.plain", level="shade c", tried=4),), "says": "Shade a is better than shade b."},
        {"stopped": (say("stopped.plain", level="c", tried=1), say("stopped.plain", level="d", tried=2)), "says": ""},
    ),
    "versus.only": (
        {"level": "Heath 3", "stopped": (say("stopped.why", level="Pane 4", tried=4, why="did not start"),)},
        {"level": "a", "stopped": (say("stopped.plain", level="b", tried=1),)},
    ),
    "versus.none-ran": (
        {"stopped": (say("stopped.plain", level="a", tried=4), say("stopped.plain", level="b", tried=4))},
        {"stopped": (say("stopped.plain", level="a", tried=1),)},
    ),
    "versus.enough": (
        {"says": "Not decided yet between a and b.", "level": "CPU up to 2.6 GHz", "margin": 0.02},
        {"says": "", "level": "4 GB", "margin": 0.05},
    ),
    "versus.begins": ({"low": "CPU up to 2.2 GHz", "high": "CPU up to 2.9 GHz"}, {"low": "a", "high": "b"}),
    "versus.with-levels": (
        {"says": "Boost on is better than boost off: draw 5 % lower.",
         "levels": (say("versus.level", level="boost on", parts=(say("versus.rate", rate=v(38.4, "", 1)),
                        say("versus.draw", draw=v(16.4, "W", 1)))),)},
        {"says": "", "levels": (say("versus.level", level="a", parts=(say("versus.rate", rate=v(40, "", 0)),)),)},
    ),
    "versus.level": (
        {"level": "boost on", "parts": (say("versus.rate", rate=v(38, "", 0)), say("versus.draw", draw=v(16, "W", 0)))},
        {"level": "a", "parts": (say("versus.rate", rate=v(40, "", 0)),)},
    ),
    "versus.rate": ({"rate": v(38.4, "", 1)}, {"rate": v(120, "", 0)}),
    "versus.draw": ({"draw": v(16.4, "W", 1)}, {"draw": v(4, "W", 0)}),
    "versus.turns": ({"low": "Pane 4", "high": "Heath 3"}, {"low": "a", "high": "b"}),
    "versus.turns-between": (
        {"low": "Pane 4", "high": "Heath 3", "last": v(14, "W", 0), "first": v(20, "W", 0)},
        {"low": "a", "high": "b", "last": v(4, "W", 0), "first": v(5, "W", 0)},
    ),
    "versus.history": ({"passes": 36}, {"passes": 12}),
    "versus.lead-open": (
        {"ahead": ("720 lines", "1080 lines"), "behind": ("2160 lines",)},
        {"ahead": ("fan even", "fan auto", "fan full"), "behind": ("fan silent", "fan off")},
    ),
    "versus.none-leads": (
        {"levels": ("720 lines", "1080 lines", "2160 lines")}, {"levels": ("a", "b", "c", "d")}
    ),
    "versus.all-same": ({"a": "boost off", "b": "boost on"}, {"a": "SMT off", "b": "SMT on"}),
    "knob.also": (
        {"a": "SMT on", "b": "SMT off", "what": say("versus.figure", what=FASTER, verdict=say("versus.better"))},
        {"a": "SMT on", "b": "SMT off", "what": say("versus.figure", what=LESS_DRAW, verdict=say("versus.same"))},
    ),
    "knob.together": (
        {"a": "CPU boost", "b": "SMT", "by": span(3, 1, 5, "%")}, {"a": "CPU boost", "b": "SMT",
                                                                   "by": span(-3, -5, -0.1, "%")},
    ),
    "versus.trade": (
        {"a": "Sedge 12", "b": "Fennmark 3", "what": (
            say("versus.by", figure="mean rate", by=span(3.8, 1.9, 5.7, "%"), side=say("versus.lower")), LESS_DRAW)},
        {"a": "boost off", "b": "boost on", "what": (FASTER, LESS_DRAW)},
    ),
    "versus.open": ({"a": "boost off", "b": "boost on"}, {"a": "SMT off", "b": "SMT on"}),
    "versus.confounded-by": (
        {"factor": "cpu boost", "beside": ("frame cap",)}, {"factor": "os slot", "beside": ("brightness", "room")},
    ),
    "versus.figure": (
        {"what": FASTER, "verdict": say("versus.better")},
        {"what": say("versus.about", figure="draw", by=v(0.1, "%", 1), side=say("versus.lower")),
         "verdict": say("versus.same")},
    ),
    "versus.by": (
        {"figure": "mean rate", "by": span(3.1, 1.9, 4.2, "%"), "side": say("versus.higher")},
        {"figure": "die, settled", "by": span(2.1, 0.1, 4.1, "C"), "side": say("versus.lower")},
    ),
    "versus.about": (
        {"figure": "mean rate", "by": v(0.4, "%", 1), "side": say("versus.higher")},
        {"figure": "draw", "by": v(0.0, "%", 1), "side": say("versus.lower")},
    ),
    "passes-count": ({"passes": 27, "levels": 9}, {"passes": 1, "levels": 1}),
    "passes-count-over": (
        {"passes": 6, "levels": 2, "factor": "CPU boost"}, {"passes": 1, "levels": 1, "factor": "OS slot"},
    ),
    "void-left-out": ({"passes": 2}, {"passes": 1}),
    "suspect-count": ({"passes": 2}, {"passes": 1}),
    "incidents": ({"level": "12 W", "incidents": 2}, {"level": "12 W", "incidents": 1}),
    "plain-division": (
        {"hours": 2.5, "draw": v(16, "W", 0), "reserve": 0.05},
        {"hours": 0.05, "draw": v(60, "W", 0), "reserve": 0.001},
    ),
    "plain-division-all": ({"hours": 2.5, "draw": v(16, "W", 0)}, {"hours": 0.05, "draw": v(60, "W", 0)}),
    "tolerance": (
        {"share": 0.03, "edge": v(38.8, digits=1), "target": 40.0},
        {"share": 0.001, "edge": v(59.9, digits=1), "target": 59.94},
    ),
    "hot-room": (
        {"room": v(32, "C", 0), "die": v(84, "C", 0)}, {"room": v(10, "C", 0), "die": v(31, "C", 0)},
    ),
    "touch": (
        {"shell": v(46, "C", 0), "limit": v(45, "C", 0), "held": 2.2}, {"shell": v(42, "C", 0), "limit": v(43, "C", 0),
                                                                      "held": 8.0},
    ),
    "hot-room-below": (
        {**HOT, "die": v(84, "C", 0)}, {**HOT, "die": v(94, "C", 0)},
    ),
    "hot-room-may": ({**HOT, "die": v(93, "C", 0)}, {**HOT, "die": v(95, "C", 0)}),
    "hot-room-may-at": (
        {**HOT, "die": v(93, "C", 0), "watts": v(14.5, "W")}, {**HOT, "die": v(95, "C", 0), "watts": v(0.5, "W")},
    ),
    "hot-room-throttles": (HOT, {**HOT, "room": v(60, "C", 0)}),
    "hot-room-throttles-at": ({**HOT, "watts": v(17, "W")}, {**HOT, "watts": v(0.5, "W")}),
    "hot-room-shell": (
        {"room": v(32, "C", 0), "shell": v(54, "C", 0), "limit": v(45, "C", 0), "held": 2.2},
        {"room": v(20, "C", 0), "shell": v(43, "C", 0), "limit": v(43, "C", 0), "held": 8.0},
    ),
}  # fmt: skip
