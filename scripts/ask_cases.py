"""What the sentences of the later kinds of questions are shown with: see sentence_cases.py."""

from hovrik.core.message import Value, say


def v(number, unit="", low=None, high=None):
    """A value with an interval where it has one."""
    return Value(number, unit, low, high)


W, T = v(17.2, "W", 16.1, 18.4), v(0.5, "W", 0.5, 0.5)
C, K = Value(95, "C", digits=0), Value(23, "C", digits=0)
H = v(2.2, "h", 2.15, 2.25)
CLAMPS = ({"low": v(0.49), "high": v(0.51), "before": Value(15.0, "W", digits=1), "after": Value(10.5, "W", digits=1),
           "frames": say("charge.frames", by=Value(-22, "%", digits=0))},
          {"low": v(0.0), "high": v(0.01), "before": Value(4.0, "W", digits=1), "after": Value(1.0, "W", digits=1),
           "frames": say("charge.frames-same")})  # fmt: skip
CLAIM = ({"after": "boost off", "figure": "hours on a charge", "by": v(31.0, "%", 28.0, 34.0), "base": "boost on",
          "claimed": Value(30, "%", digits=0)},
         {"after": "12 W, cap 40", "figure": "draw", "by": v(0.0, "%", -1.0, 1.0), "base": "25 W, no cap",
          "claimed": Value(-50, "%", digits=0)})  # fmt: skip

CASES = {
    "cool.carries": ({"watts": W, "die": C, "room": K, "pick": v(13.0, "W")},
                     {"watts": T, "die": C, "room": Value(-5, "C", digits=0), "pick": v(4.0, "W")}),
    "cool.always": ({"highest": v(18.0, "W"), "die": C, "room": K}, {"highest": v(500.0, "W"), "die": C, "room": K}),
    "cool.never": ({"watts": W, "die": C, "least": v(15.0, "W")}, {"watts": T, "die": C, "least": v(4.0, "W")}),
    "cool.hotter": ({"room": Value(33, "C", digits=0), "watts": W}, {"room": Value(55, "C", digits=0), "watts": T}),
    "cool.hotter-too": ({"room": Value(33, "C", digits=0)}, {"room": Value(55, "C", digits=0)}),
    "cool.rise": ({"watts": v(13.0, "W"), "die": v(77.0, "C", 75.0, 79.0)},
                  {"watts": v(4.0, "W"), "die": v(24.0, "C", 24.0, 24.0)}),
    "cool.quiet": ({"noise": v(38.0, "dB"), "watts": W}, {"noise": v(0.0, "dB"), "watts": T}),
    "cool.noise": ({"noise": Value(36, "dB", digits=0)}, {"noise": Value(0, "dB", digits=0)}),
    "cool.passes": ({"passes": 3}, {"passes": 1}),
    "rest.most": ({"what": ("brightness 100 % over 0 %", "lighting on over off"), "watts": W},
                  {"what": ("radio on over off",), "watts": T}),
    "rest.none": ({"watts": W}, {"watts": T}),
    "rest.part": ({"what": "brightness 100 % over 0 %", "watts": v(1.8, "W", 1.6, 2.0),
                   "minutes": v(55, "min", 48, 62)},
                  {"what": "radio on over off", "watts": v(0.0, "W", -0.1, 0.1), "minutes": v(0, "min", -3, 3)}),
    "rest.watts": ({"what": "brightness 100 % over 0 %", "watts": v(1.8, "W", 1.6, 2.0)},
                   {"what": "radio on over off", "watts": v(0.0, "W", -0.1, 0.1)}),
    "use.lasts": ({"setup": "8 W", "hours": v(4.2, "h", 4.0, 4.4), "watts": v(10.0, "W", 9.9, 10.1)},
                  {"setup": "4 W", "hours": v(0.4, "h", 0.3, 0.5), "watts": T}),
    "use.draw": ({"setup": "8 W", "watts": W}, {"setup": "4 W", "watts": T}),
    "use.at": ({"setup": "8 W", "hours": v(4.2, "h", 4.0, 4.4), "watts": W},
               {"setup": "4 W", "hours": v(0.4, "h", 0.3, 0.5), "watts": T}),
    "use.draw-at": ({"setup": "8 W", "watts": W}, {"setup": "4 W", "watts": T}),
    "use.job": ({"setup": "15 W", "wh": v(2.1, "Wh", 2.0, 2.2), "seconds": v(84, "s", 82, 86)},
                {"setup": "4 W", "wh": v(0.02, "Wh"), "seconds": v(3.1, "s", 3.0, 3.2)}),
    "use.job-at": ({"setup": "15 W", "wh": v(2.1, "Wh", 2.0, 2.2), "seconds": v(84, "s", 82, 86)},
                   {"setup": "4 W", "wh": v(0.02, "Wh"), "seconds": v(3.1, "s", 3.0, 3.2)}),
    "path.takes": ({"panel": "desk", "hz": v(120.0, "Hz"), "takes": Value(20.7, "Gbit/s", digits=1)},
                   {"panel": "wall", "hz": v(59.94, "Hz"), "takes": Value(0.1, "Gbit/s", digits=1)}),
    "path.of-link": ({"panel": "desk", "hz": v(120.0, "Hz"), "takes": Value(20.7, "Gbit/s", digits=1), "share": 0.65,
                      "link": v(32.0, "Gbit/s")},
                     {"panel": "wall", "hz": v(60.0, "Hz"), "takes": Value(0.1, "Gbit/s", digits=1), "share": 0.002,
                      "link": v(40.0, "Gbit/s")}),
    "path.over": ({"panel": "desk", "hz": v(120.0, "Hz"), "takes": Value(41.5, "Gbit/s", digits=1), "share": 1.3,
                   "link": v(32.0, "Gbit/s")},
                  {"panel": "wall", "hz": v(240.0, "Hz"), "takes": Value(199.1, "Gbit/s", digits=1), "share": 9.0,
                   "link": v(8.0, "Gbit/s")}),
    "claim.confirmed": CLAIM, "claim.larger": CLAIM, "claim.refuted": CLAIM, "claim.open": CLAIM,
    "claim.base": ({"base": "boost on", "figure": "hours on a charge", "value": v(2.2, "h")},
                   {"base": "25 W", "figure": "draw", "value": v(31.0, "W")}),
    "claim.passes": ({"passes": 12}, {"passes": 1}),
    "claim.unread": ({"figure": "draw"}, {"figure": "hours on a charge"}),
    "claim.none": ({"why": "Before and after are the same: nothing is claimed."},
                   {"why": "What does the claim set?"}),
    "charge.same": ({"top": 0.98, "bottom": 0.06}, {"top": 1.0, "bottom": 0.0}),
    "charge.clamp": CLAMPS,
    "charge.clamps": ({"clamps": (say("charge.clamp", **CLAMPS[0]),), "top": 0.98, "window": 0.53},
                      {"clamps": tuple(say("charge.clamp", **one) for one in CLAMPS), "top": 1.0, "window": 1.0}),
    "charge.frames": ({"by": Value(-22, "%", digits=0)}, {"by": Value(3, "%", digits=0)}),
    "charge.band": ({"top": 0.8, "bottom": 0.6, "fps": Value(41, "fps", digits=0), "draw": Value(20.2, "W", digits=1),
                     "stutters": v(0.4, "", 0.2, 0.7)},
                    {"top": 0.2, "bottom": 0.0, "fps": Value(0, "fps", digits=0), "draw": Value(0.0, "W", digits=1),
                     "stutters": v(0.0, "", 0.0, 0.4)}),
    "charge.band-frames": ({"top": 0.8, "bottom": 0.6, "fps": Value(41, "fps", digits=0),
                            "stutters": v(0.4, "", 0.2, 0.7)},
                           {"top": 0.2, "bottom": 0.0, "fps": Value(0, "fps", digits=0),
                            "stutters": v(0.0, "", 0.0, 0.4)}),
    "charge.collapses": ({"top": 0.4, "bottom": 0.2, "collapses": v(1.2, "", 0.8, 1.8)},
                         {"top": 0.2, "bottom": 0.0, "collapses": v(0.1, "", 0.0, 0.4)}),
    "runtime.measured": ({"took": H}, {"took": v(0.3, "h", 0.2, 0.4)}),
    "runtime.true": ({"took": H, "told": H}, {"took": v(0.3, "h", 0.2, 0.4), "told": H}),
    "runtime.off": ({"took": H, "told": v(3.0, "h", 2.9, 3.1), "off": Value(36, "%", digits=0)},
                    {"took": H, "told": v(1.1, "h", 1.0, 1.2), "off": Value(-50, "%", digits=0)}),
    "runtime.above": ({"clamp": 0.5}, {"clamp": 0.2}),
    "runtime.used": ({"used": 0.93, "hours": v(2.1, "h")}, {"used": 0.2, "hours": v(0.2, "h")}),
    "missing.claim": ({"pairs": 4}, {"pairs": 1}),
}  # fmt: skip
