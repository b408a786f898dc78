"""Values for the sentences of the rules over many passes: two by the name of each place, the second at a bound."""

from __future__ import annotations

from typing import Any

from hovrik.core.message import Value, say
from hovrik.core.rule_sentences import RULE_TEMPLATES


def _v(
    number: float, unit: str = "", digits: int | None = 0, low: float | None = None, high: float | None = None
) -> Value:
    return Value(number, unit, low, high, None if low is not None else digits)


PLACES: dict[str, tuple[Any, Any]] = {
    "title": ("Tin Orchard", "Ironwood Vale"),
    "why": ("did not start: refused by its service", "failed"),
    "often": (_v(66), _v(8)),
    "mean": (_v(37), _v(144)),
    "slow": (_v(11), _v(2)),
    "cause": (
        say("rule.stutters.used", used=_v(3.9, "GB", 1), pool=_v(4, "GB")),
        say("rule.stutters.spare", used=_v(3.1, "GB", 1), pool=_v(16, "GB")),
    ),
    "pool": (_v(4, "GB"), _v(16, "GB")),
    "needs": (_v(6, "GB"), _v(24, "GB")),
    "clock": (_v(1600, "MHz"), _v(400, "MHz")),
    "clock_then": (_v(2750, "MHz"), _v(800, "MHz")),
    "then": ("12 W", "15 W"),
    "delay": (_v(34, "ms", low=22, high=46), _v(90, "ms", low=50, high=130)),
    "rendered": (_v(40), _v(12)),
    "method": (
        say("rule.generated.reckoned"),
        say("rule.generated.counted", counts=12, added=_v(40, "ms", low=31, high=49), at=_v(40)),
    ),
    "counts": (12, 6),
    "added": (_v(40, "ms", low=31, high=49), _v(0, "ms", low=-5, high=5)),
    "at": (_v(40), _v(12)),
    "shown": (_v(80), _v(24)),
    "setups": (7, 3),
    "levels": (say("rule.from-to", first="7 W", last="9 W"), say("rule.at", level="15 W")),
    "level": ("9 W", "15 W"),
    "setup": ("CPU up to 3.7 GHz", "boost off"),
    "target": (_v(40), _v(1)),
    "first": ("7 W", "10 W"),
    "last": ("9 W", "18 W"),
    "share": (_v(96, "%"), _v(21, "%")),
    "by": (say("rule.held.limit"), say("rule.held.ceiling")),
    "cap": (40.0, 45.0),
    "best": (_v(33), _v(51)),
    "refresh": (_v(80, "Hz"), _v(60, "Hz")),
    "lower": (_v(40, "Hz"), _v(45, "Hz")),
    "rate": (_v(71), _v(62)),
    "slot": ("Sedge 12", "Fen 4"),
    "overlay": ("the overlay", "an overlay"),
    "told": (_v(33.1, "Wh", low=32.0, high=34.2), _v(61.0, "Wh", low=58.0, high=64.0)),
    "noted": (_v(40, "Wh"), _v(46, "Wh")),
    "took": (_v(11.2, "W", 1), _v(9.8, "W", 1)),
    "name": ("Hush", "Steady"),
    "watts": (_v(9, "W"), _v(16, "W")),
    "preset": (say("rule.preset", name="Hush", watts=_v(9, "W")), say("rule.preset", name="Steady", watts=_v(16, "W"))),
    "modes": (("Gust",), ("Gust", "Gale")),
    "has": (_v(45, "W"), _v(30, "W")),
    "wants": (_v(65, "W"), _v(100, "W")),
    "base": (_v(5.6, "W", low=5.5, high=5.7), _v(6.0, "W", low=5.0, high=7.0)),
    "evenings": (9, 1),
    "slope": (_v(1.09, low=1.08, high=1.1), _v(1.2, low=1.1, high=1.3)),
    "die": (_v(94, "C"), _v(98, "C")),
    "limit": (_v(95, "C"), _v(100, "C")),
    "figure": ("rate", "draw"),
    "passes": (3, 1),
    "of": (12.0, 4.0),
    "one": ("boost off", "CPU up to 2 GHz"),
    "other": ("boost on", "CPU up to 4 GHz"),
    "draw": (_v(-8, "%", low=-10, high=-6), _v(-3, "%", low=-4, high=-2)),
    "pairs": (4, 1),
    "top": (say("rule.charge-under", charge=_v(0.31, digits=2)), say("rule.none")),
    "window": (say("rule.charge-window", low=_v(0.3, digits=2)), say("rule.none")),
    "charge": (_v(0.31, digits=2), _v(0.2, digits=2)),
    "low": (_v(0.3, digits=2), _v(0.1, digits=2)),
    "used": (_v(3.9, "GB", 1), _v(15.8, "GB", 1)),
    "length": (_v(20, "s"), _v(28, "s")),
    "wanted": (_v(60, "s"), _v(30, "s")),
    "scene": ("Causeway at dusk", "Ridge path"),
    "heavy": ("Tide market", "Quarry"),
    "factor": ("power limit", "boost"),
    "said": (_v(4.8, "h", 1), _v(2.1, "h", 1)),
    "real": (_v(3.1, "h", 1), _v(2.5, "h", 1)),
    "what": ("firmware", "driver"),
    "offered": ("0.33", "12.1"),
    **dict.fromkeys(("parts", "old", "new", "cells", "still"), ("", "")),  # of no two sentences the same
}
OWN: dict[str, dict[str, tuple[Any, Any]]] = {
    "rule.preset.short": {"by": (_v(3, "W"), _v(1, "W"))},
    "rule.preset.past": {"by": (_v(5, "W"), _v(1, "W"))},
    "rule.preset.right": {"by": (_v(0, "W"), _v(0, "W"))},
    "rule.cap-just-reached": {"share": (_v(32, "%", low=23, high=41), _v(60, "%"))},
    "rule.evenings-moved": {
        "by": (_v(1.3, "W", low=0.9, high=1.7), _v(-4, "fps", low=-6, high=-2)),
        "new": ("26.3", "0.33"),
    },
    "rule.hotter": {
        "by": (_v(9, "degrees", low=8, high=10), _v(3, "degrees", low=1.5, high=4.5)),
        "old": ("1.08", "0.31"),
        "new": ("1.11", "0.33"),
        "watts": (say("rule.hotter.same-watts"), say("rule.hotter.other-watts", by=_v(3, "%", low=2, high=4))),
        "rate": (say("rule.hotter.slower", by=_v(3, "%", low=2, high=4)), say("rule.hotter.same-rate")),
        "parts": (
            (
                say("rule.hotter.by-watts", by=_v(0.3, "degrees", 1)),
                say("rule.hotter.by-fan", by=_v(8.4, "degrees", 1), old=_v(3720, "rpm"), new=_v(1488, "rpm")),
            ),
            (say("rule.hotter.part-untold"),),
        ),
    },
    "rule.hotter.by-watts": {"by": (_v(0.3, "degrees", 1), _v(2.1, "degrees", 1))},
    "rule.hotter.by-rest": {"by": (_v(0.4, "degrees", 1), _v(2.1, "degrees", 1))},
    "rule.hotter.by-fan": {
        "by": (_v(8.4, "degrees", 1), _v(2.1, "degrees", 1)),
        "old": (_v(3720, "rpm"), _v(3000, "rpm")),
        "new": (_v(1488, "rpm"), _v(2500, "rpm")),
    },
    "rule.hotter.fan-moved": {"old": (_v(3720, "rpm"), _v(3000, "rpm")), "new": (_v(1488, "rpm"), _v(2500, "rpm"))},
    "rule.hotter.other-watts": {"by": (_v(3, "%", low=2, high=4), _v(8, "%", low=7, high=9))},
    "rule.hotter.slower": {"by": (_v(3, "%", low=2, high=4), _v(8, "%", low=7, high=9))},
    "rule.hotter.faster": {"by": (_v(3, "%", low=2, high=4), _v(8, "%", low=7, high=9))},
    "rule.hotter.lacks": {
        "cells": ((say("rule.hotter.cell-old"),), (say("rule.hotter.cell-old"), say("rule.hotter.cell-new")))
    },
    "rule.heat-cause": {"by": (_v(3, "%", low=2, high=4), _v(8, "%", low=7, high=9))},
    "rule.not-heat-alone": {
        "by": (_v(5, "%", low=4, high=6), _v(8, "%", low=7, high=9)),
        "still": (_v(4, "%", low=3, high=5), _v(6, "%", low=5, high=7)),
    },
    "rule.drift": {"by": (_v(4, "%", low=3, high=5), _v(-2, "%", low=-3, high=-1))},
    "rule.runs-apart": {"by": (_v(12, "%", low=11, high=13), _v(-5, "%", low=-6, high=-4))},
    "rule.warm-up.round": {"by": (_v(4, "%", low=3, high=5), _v(-2, "%", low=-3, high=-1))},
    "rule.warm-up.launch": {"by": (_v(4, "%", low=3, high=5), _v(-2, "%", low=-3, high=-1))},
    "rule.inside-noise": {"levels": (6, 4)},
    "rule.pays.gains": {"rate": (_v(6, "%", low=5, high=7), _v(3, "%", low=2, high=4))},
    "rule.pays.trades": {"rate": (_v(-6, "%", low=-7, high=-5), _v(-3, "%", low=-4, high=-2))},
    "rule.pays.costs": {"draw": (_v(8, "%", low=6, high=10), _v(3, "%", low=2, high=4))},
    "rule.version-behind": {"has": ("0.31", "12.0")},
}


def cases(places: Any) -> dict[str, tuple[dict[str, Any], dict[str, Any]]]:
    """Two sets of values for each template of the rules that has places. places : of a template's id."""
    found = {}
    for key in RULE_TEMPLATES:
        names = places(key)
        if names:
            values = {name: OWN.get(key, {}).get(name, PLACES[name]) for name in names}
            found[key] = tuple({name: pair[at] for name, pair in values.items()} for at in (0, 1))
    return found  # type: ignore[return-value]
