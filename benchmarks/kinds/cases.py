"""What each kind of question is asked of the grown plants, and whether what it says is right, withheld or wrong.

A third of the cases is null (nothing to be found) or impossible. What can be told is fixed before: a true effect of at
least twice what the passes of the plan resolve.
"""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import feel
import numpy as np

from hovrik.core.facts.knob import LIMITS, Level, Where
from hovrik.core.message import Message, Value
from hovrik.core.plan.undervolt import BACK_MV, STEP_MV
from hovrik.core.read.contrast import Comparison
from hovrik.core.stats.power import detectable

from .world import Effect, Grown, Own, grown, slots_of, static, true_at

RIGHT, WITHHELD, WRONG = "right", "withheld", "wrong"
FAMILIES = (
    "power", "hill", "flat", "ticks", "tails", "wander", "spread", "edge", "dent", "light", "launches", "warm",
)  # fmt: skip
SEEDS = 10
NULLS = (2, 5, 8)  # seeds that are null or impossible, of ten; of every third family one more
FEW = frozenset({"now", "first-look", "triage", "feels", "undervolt", "runtime-true"})
LOW = "low_1pct_fps_percentile"
TIE = 0.002  # share under which two truths are one
SD = {"mean_fps": 0.015, "low": 0.025, "draw_w": 0.01}  # spread of single passes that plans are made with


@dataclass(frozen=True)
class Judged:
    """outcome; hits of total intervals that hold the truth."""

    outcome: str
    hits: int = 0
    total: int = 0


@dataclass(frozen=True)
class Case:
    """kind, family, seed; plant; request : options of `sweeps.Request`; parts : of a question that only the window
    asks; told : whether the truth can be told by its plan; judge : of an evaluation."""

    kind: str
    family: str
    seed: int
    plant: Grown
    told: bool
    judge: Callable[[Any], Judged]
    request: Mapping[str, Any] = field(default_factory=dict)
    parts: Mapping[str, Any] | None = None
    null: bool = False


def is_null(family: str, seed: int) -> bool:
    """Whether a case has nothing to be found."""
    return seed in NULLS or (seed == 9 and FAMILIES.index(family) % 3 == 0)


def families_of(kind: str) -> tuple[str, ...]:
    """Twelve, or six of a kind of which little is asked."""
    return FAMILIES[::2] if kind in FEW else FAMILIES


def case_of(kind: str, family: str, seed: int) -> Case:
    """The case of a kind by its place in the table."""
    rng = np.random.default_rng((sorted(MAKERS).index(kind), FAMILIES.index(family), seed, 31))
    return MAKERS[kind](kind, family, seed, rng, is_null(family, seed))


# -- words of an answer, as values


def _says_none(answer: Any) -> bool:
    """Whether it is said that nothing tried holds."""
    first = answer.says.values.get("one", answer.says)
    return bool(first.id == "none-holds")


def _within(message: Message, name: str) -> Value | None:
    found = message.values.get(name)
    return found if isinstance(found, Value) else None


def _holds_in(value: Value | None, true: float, near: float = 0.0) -> bool:
    if value is None or value.low is None or value.high is None:
        return False
    low, high = sorted((value.low, value.high))
    return low - near <= true <= high + near


def _stated(answer: Any, sure: float = 0.95) -> Any:
    """The setup that is said to hold, None where none is."""
    return (
        answer.option if answer.option is not None and (answer.holds is None or answer.holds >= sure - 1e-9) else None
    )


def _metrics(option: Any, truth: Mapping[str, float]) -> tuple[int, int]:
    """(hits, total) of the intervals of an option."""
    keys = [(key, own) for key, own in (("mean_fps", "mean_fps"), (LOW, "low_fps"), ("draw_w", "draw_w"))
            if (one := option.metrics.get(key)) is not None and one.low is not None]  # fmt: skip
    hits = sum(option.metrics[key].low <= truth[own] <= option.metrics[key].high for key, own in keys)
    return hits, len(keys)


# -- floors over a ladder


def _ladder(plant: Grown, cap: Level = "none") -> dict[float, dict[str, float]]:
    return {watts: true_at(plant, {**static(watts), "cap_fps": cap}) for watts in plant.limits_w}


def _floor_case(kind: str, family: str, seed: int, rng: Any, null: bool, coarse: bool = False) -> Case:
    plant = grown(family, seed)
    cap: Level = plant.cap_fps or "none"
    truths = _ladder(plant, cap)
    lows = np.array([one["low_fps"] for one in truths.values()])
    target = (
        1.4 * float(lows.max())
        if null
        else plant.floor_fps * (1.0 if plant.cap_fps else float(rng.uniform(0.97, 1.03)))
    )
    edge = 0.97 * target

    def judge(found: Any) -> Judged:
        answer = found.answer
        option = _stated(answer)
        if option is None:
            if not _says_none(answer):
                return Judged(WITHHELD)
            return Judged(WRONG if (lows > edge * (1 + TIE)).any() else RIGHT)
        watts = option.setup.static_limit_w
        true = true_at(plant, {**static(watts), "cap_fps": cap})
        hits = _metrics(option, true)
        if true["low_fps"] < edge * (1 - 0.0005):
            return Judged(WRONG, *hits)
        first = min((w for w, one in truths.items() if one["low_fps"] >= edge), default=None)
        near = first is None or coarse or watts <= first + 2.2 * (plant.limits_w[1] - plant.limits_w[0])
        return Judged(RIGHT if near else WITHHELD, *hits)

    told = null or bool((lows > edge * 1.02).any() and (coarse or (lows < edge * 0.98).any()))
    more = {} if not plant.cap_fps else {"cap": plant.cap_fps}
    levels = f"{plant.limits_w[0]:g}..{plant.limits_w[-1]:g}:{plant.limits_w[1] - plant.limits_w[0]:g}"
    request = {"floor": target, "knobs": {"limit_w": levels}, **more}
    return Case(kind, family, seed, plant, told, judge, request, null=null)


def _first_look(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    made = _floor_case(kind, family, seed, rng, null, coarse=True)
    return replace(made, request={k: v for k, v in made.request.items() if k != "knobs"})


def _now(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    plant = grown(family, seed)
    watts = plant.limits_w[len(plant.limits_w) // 2]
    setting: dict[str, Level] = {**static(watts), "cap_fps": "none"}

    def judge(found: Any) -> Judged:
        parts = [one for one in found.answer.says.values.get("parts", ()) if isinstance(one, Message)]
        said = {one.id: one for one in parts}
        if null:  # on the adapter the battery gives no hours
            return Judged(WRONG if "from-charge" in said else RIGHT if "now.rate" in said else WITHHELD)
        true = true_at(plant, setting)
        own = {"now.rate": true["mean_fps"], "now.low": true["low_fps"], "now.draw": true["draw_w"]}
        known = [(key, value) for key in own if key in said and (value := _within(said[key], "value")) is not None]
        if "now.rate" not in said:
            return Judged(WITHHELD)
        given = [(key, value) for key, value in known if value.low is not None]
        hits = sum(_holds_in(value, own[key]) for key, value in given)
        far = any(abs(math.log(value.number / own[key])) > 0.15 for key, value in known if key != "now.low")
        return Judged(WRONG if far else RIGHT, hits, len(given))

    return Case(kind, family, seed, plant, True, judge, null=null, request={"plugged": null})


# -- two levels against each other


def _contrasted(true: Mapping[str, float], passes: int, second: Level) -> tuple[Callable[[Any], Judged], bool]:
    """Judge contrasts of figures by true log differences of the second level over the first; what can be told."""
    margins = {"mean_fps": 0.02, "draw_w": 0.02}

    def judge(found: Any) -> Judged:
        own = {one.figure: one for one in found.answer.contrasts if one.figure in true}
        rate = own.get("mean_fps")
        if rate is None:
            return Judged(WITHHELD)
        hits = total = 0
        wrong = False
        for key, one in own.items():
            if one.percent is None or one.verdict is Comparison.CONFOUNDED or not all(map(math.isfinite, one.percent)):
                continue
            a_is_second = one.a == second
            size = true[key] if a_is_second else -true[key]
            hits += one.percent[1] - 0.02 <= 100 * math.expm1(size) <= one.percent[2] + 0.02
            total += 1
            sign = size if key != "draw_w" else -size
            wrong |= one.verdict is Comparison.BETTER and sign < -TIE / 4
            wrong |= one.verdict is Comparison.WORSE and sign > TIE / 4
            wrong |= one.verdict is Comparison.SAME and abs(size) > margins[key] + TIE
        if wrong:
            return Judged(WRONG, hits, total)
        decided = rate.verdict in (Comparison.BETTER, Comparison.WORSE, Comparison.SAME)
        return Judged(RIGHT if decided else WITHHELD, hits, total)

    return judge, abs(true["mean_fps"]) >= 2 * detectable(SD["mean_fps"], passes)


def _effect(rng: Any, null: bool, most: float = 0.12) -> Effect:
    if null:
        return Effect()
    factor = math.exp(float(rng.choice([-1, 1])) * float(rng.uniform(0.02, most)))
    return Effect(factor, factor, float(rng.choice([0.0, 0.0, 0.6, 1.5])))


def _logs(a: Mapping[str, float], b: Mapping[str, float]) -> dict[str, float]:
    """Log differences of b over a."""
    return {key: math.log(b[key] / a[key]) for key in ("mean_fps", "draw_w")}


def _middle(plant: Grown) -> dict[str, Level]:
    return {**static(plant.limits_w[len(plant.limits_w) // 2]), "cap_fps": "none"}


def _as_in_window(plant: Grown) -> dict[str, Level]:
    """What is held the same by a question of the window: its plan keeps the player's cap (`program.py`)."""
    return {**_middle(plant), "cap_fps": plant.cap_fps or "none"}


def _pair(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    """knob, flip: one live knob of two levels."""
    plant = grown(family, seed, own={"mode": Own({"plain": Effect(), "other": _effect(rng, null)})})
    base = _as_in_window(plant) if kind == "flip" else _middle(plant)
    judge, told = _contrasted(_logs(*(true_at(plant, {**base, "mode": one}) for one in ("plain", "other"))), 4, "other")
    if kind == "flip":
        parts = {"over": "mode", "levels": {"mode": ["plain", "other"]}}
        return Case(kind, family, seed, plant, told, judge, parts=parts, null=null)
    return Case(kind, family, seed, plant, told, judge, {"over": "mode", "knobs": {"mode": "plain,other"}}, null=null)


def _which_os(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    factor = 1.0 if null else math.exp(float(rng.choice([-1, 1])) * float(rng.uniform(0.03, 0.15)))
    plant = slots_of(grown(family, seed, free=True), (factor, 0.0 if null else float(rng.uniform(-0.5, 1.5))))
    base = {**static(plant.limits_w[6]), "cap_fps": "none"}
    first, second = (true_at(plant, base, slot) for slot in (0, 1))
    judge, told = _contrasted({"mean_fps": _logs(first, second)["mean_fps"]}, 4, "second")
    limit = f"{plant.limits_w[6]:g}"
    return Case(kind, family, seed, plant, told, judge, {"knobs": {"limit_w": limit, "cap_fps": "none"}}, null=null)


def _display(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    pixels = Effect() if null else Effect(1.0, math.exp(float(rng.uniform(0.02, 0.3))), float(rng.uniform(-3.0, 1.0)))
    plant = grown(family, seed, own={"display": Own({"built-in": Effect(), "desk": pixels})})
    base = _middle(plant)
    judge, told = _contrasted(
        _logs(*(true_at(plant, {**base, "display": one}) for one in ("built-in", "desk"))), 4, "desk"
    )
    return Case(kind, family, seed, plant, told, judge, null=null)


def _plugged(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    plant = grown(family, seed, free=True)
    at = plant.limits_w[8]
    plant = replace(plant, battery_w=math.inf if null else at * float(rng.uniform(0.55, 0.9)))
    base = {**static(at), "cap_fps": "none"}
    battery, adapter = (true_at(plant, base, plugged=one) for one in (False, True))
    judge, told = _contrasted({"mean_fps": _logs(adapter, battery)["mean_fps"]}, 4, "battery")
    return Case(kind, family, seed, plant, told, judge, {"knobs": {"limit_w": f"{at:g}", "cap_fps": "none"}}, null=null)


def _claim(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    effect = _effect(rng, null)
    plant = grown(family, seed, own={"mode": Own({"plain": Effect(), "other": effect})})
    base = _as_in_window(plant)
    size = _logs(*(true_at(plant, {**base, "mode": one}) for one in ("plain", "other")))["mean_fps"]
    claimed = 8.0 if null or rng.random() < 0.4 else 100 * math.expm1(size)
    if abs(claimed) < 2.0:
        claimed = 6.0
    size_claimed = math.log1p(claimed / 100)

    def judge(found: Any) -> Judged:
        answer, share = found.answer, size / size_claimed
        by = _within(answer.says, "by")
        cover = (int(_holds_in(by, 100 * math.expm1(size))), 1) if by is not None and by.low is not None else (0, 0)
        match answer.says.id:
            case "claim.confirmed":
                return Judged(RIGHT if 0.7 <= share <= 1.6 else WRONG, *cover)
            case "claim.refuted":
                return Judged(RIGHT if share < 0.77 else WRONG, *cover)
            case "claim.larger":
                return Judged(RIGHT if share > 1.2 else WRONG, *cover)
        return Judged(WITHHELD, *cover)

    claim = {"before": {"mode": "plain"}, "after": {"mode": "other"}, "figure": "mean_fps", "percent": claimed}
    told = abs(size_claimed) >= 0.03 and not 0.6 < size / size_claimed < 0.9
    return Case(kind, family, seed, plant, told, judge, parts={"claim": claim}, null=null)


# -- several levels


def _set_up(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    steps = np.cumsum(rng.uniform(0.08, 0.3, 3))
    levels = {
        name: Effect(1.0 + 0.3 * cost, 1.0 + cost) for name, cost in zip(("low", "fair", "high", "best"), (0, *steps))
    }
    plant = grown(family, seed, free=True, own={"preset": Own(levels, Where.RELAUNCH)})
    base = {**static(plant.limits_w[9]), "cap_fps": "none"}
    lows = {name: true_at(plant, {**base, "preset": name})["low_fps"] for name in levels}
    ranked = sorted(lows.values())
    target = 1.4 * ranked[-1] if null else float(math.sqrt(ranked[-1] * ranked[int(rng.integers(0, 3))])) / 0.97
    edge = 0.97 * target
    order = ("best", "high", "fair", "low")
    wanted = next((name for name in order if lows[name] >= edge), None)

    def judge(found: Any) -> Judged:
        option = _stated(found.answer)
        if option is None:
            return Judged(WITHHELD if not _says_none(found.answer) else RIGHT if null else WRONG)
        name = str(option.setup.get("preset"))
        if lows[name] < edge * 0.9995:
            return Judged(WRONG)
        near = wanted is not None and lows[wanted] < edge * 1.03
        return Judged(RIGHT if name == wanted or near else WRONG)

    request = {
        "floor": target,
        "over": "preset",
        "knobs": {"preset": ",".join(order), "limit_w": f"{plant.limits_w[9]:g}"},
    }
    told = null or all(abs(math.log(one / edge)) > 2 * 0.02 for one in lows.values())
    return Case(kind, family, seed, plant, told, judge, request, null=null)


def _caps(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    plant = grown(family, seed, free=True)
    at = plant.limits_w[1 if null else int(rng.integers(4, 12))]
    caps = (30.0, 40.0, 45.0, 60.0, 90.0)
    scale = plant.typical_fps(at) / (22.0 if null else float(rng.uniform(34.0, 80.0)))
    plant = plant.scaled(scale)
    lows = {cap: true_at(plant, {**static(at), "cap_fps": cap})["low_fps"] for cap in caps}
    holds = {cap: low >= 0.97 * cap * 0.9995 for cap, low in lows.items()}

    def judge(found: Any) -> Judged:
        says = found.answer.says
        if says.id != "cap.holds":
            return Judged(RIGHT if null and not any(holds.values()) else WITHHELD)
        cap = says.values["cap"].number
        return Judged(RIGHT if holds.get(cap, lows.get(cap, 0.0) >= 0.97 * cap) else WRONG)

    told = null or any(low > 0.985 * cap for cap, low in lows.items())
    request = {"knobs": {"cap_fps": ",".join(f"{cap:g}" for cap in caps), "limit_w": f"{at:g}"}}
    return Case(kind, family, seed, plant, told, judge, request, null=null)


def _watts_buy(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    plant = grown(family, seed, free=True)
    truths = list(_ladder(plant).values())
    rates, draws = (np.array([one[key] for one in truths]) for key in ("mean_fps", "draw_w"))
    slopes = np.diff(rates) / np.maximum(np.diff(draws), 1e-6)
    price = float(np.max(slopes)) * 2.0 if null else float(np.quantile(slopes, float(rng.uniform(0.2, 0.7))))
    price = max(round(price, 2), 0.05)
    net = np.concatenate(([0.0], np.cumsum(np.diff(rates) - price * np.diff(draws))))
    true_w = plant.limits_w[int(net.argmax())]  # up to where all watts together pay
    step = plant.limits_w[1] - plant.limits_w[0]

    def judge(found: Any) -> Judged:
        says = found.answer.says
        if says.id == "buys.nothing":
            return Judged(RIGHT if true_w <= plant.limits_w[1] + 1e-6 else WRONG)
        span = _within(says, "span")
        if says.id != "buys.to" or span is None or span.low is None or span.high is None:
            return Judged(WITHHELD)
        covers = _holds_in(span, true_w, step)
        wide = span.high - span.low > 0.45 * (plant.limits_w[-1] - plant.limits_w[0])
        return Judged(WRONG if not covers else WITHHELD if wide else RIGHT, int(covers), 1)

    levels = f"{plant.limits_w[0]:g}..{plant.limits_w[-1]:g}:{step:g}"
    bend = float(np.max(slopes)) / max(float(np.min(slopes)), 1e-3)
    return Case(kind, family, seed, plant, null or bend > 2.0, judge,
                {"knobs": {"limit_w": levels}, "price": price}, null=null)  # fmt: skip


def _options(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    names = ("shadows", "fog", "grass", "water", "crowd")
    costs = (
        np.zeros(5) if null else rng.permutation([0.0, 0.0, *rng.uniform(0.03, 0.12, 2), float(rng.uniform(0.12, 0.3))])
    )
    own = {
        name: Own({"low": Effect(), "high": Effect(1.0 + 0.3 * c, 1.0 + c)}, Where.RELAUNCH)
        for name, c in zip(names, costs)
    }
    plant = grown(family, seed, free=True, own=own)
    base = {**static(plant.limits_w[8]), "cap_fps": "none"}
    first = 1000.0 / true_at(plant, base)["mean_fps"]
    all_high = dict.fromkeys(names, "high")
    ms = {}
    for name in names:  # in the middle of the others, as a screening finds it
        others = {k: v for k, v in all_high.items() if k != name}
        ends = [
            1000.0 / true_at(plant, {**base, **rest, name: level})["mean_fps"]
            for rest in ({}, others) for level in ("low", "high")
        ]  # fmt: skip
        ms[name] = 0.5 * (ends[1] - ends[0] + ends[3] - ends[2])

    def judge(found: Any) -> Judged:
        answer = found.answer
        rows = [one for one in answer.because if one.id.startswith("option.costs")]
        hits = total = 0
        for one in rows:
            name = str(one.values["option"]).split()[0].lower()
            hits += _holds_in(_within(one, "frame"), ms[name], 0.001 * first)
            total += 1
        if answer.says.id == "option.none":
            return Judged(RIGHT if max(ms.values()) < 0.03 * first else WRONG, hits, total)
        if answer.says.id != "option.dearest":
            return Judged(WITHHELD, hits, total)
        named = [str(one).split()[0].lower() for one in answer.says.values["options"]]
        wrong = any(ms[name] < 0.004 * first for name in named)
        dearest = max(ms, key=lambda key: ms[key])
        wrong |= not null and ms[named[0]] < 0.8 * ms[dearest]
        return Judged(WRONG if wrong else RIGHT, hits, total)

    request = {
        "knobs": {**dict.fromkeys(names, "low,high"), "limit_w": f"{plant.limits_w[8]:g}"},
        "over": "shadows",
    }
    told = null or max(ms.values()) / first > 2 * detectable(SD["mean_fps"], 6)
    return Case(kind, family, seed, plant, told, judge, request, null=null)


def _rest(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    names = ("radio", "lighting", "sound")
    watts = np.zeros(3) if null else rng.permutation([0.0, *rng.uniform(0.4, 2.5, 2)])
    own = {name: Own({"off": Effect(), "on": Effect(beside_w=float(w))}) for name, w in zip(names, watts)}
    plant = grown(family, seed, own=own)
    true = dict(zip(names, watts.tolist()))
    draw = true_at(plant, _middle(plant))["draw_w"]

    def judge(found: Any) -> Judged:
        answer = found.answer
        hits = total = 0
        for one in (one for one in answer.because if one.id in ("rest.part", "rest.watts")):
            name = str(one.values["what"]).split()[0].lower()
            if name in true:
                hits += _holds_in(_within(one, "watts"), true[name], 0.02)
                total += 1
        if answer.says.id == "rest.none":
            return Judged(RIGHT if max(true.values()) < 0.02 * draw else WRONG, hits, total)
        if answer.says.id != "rest.most":
            return Judged(WITHHELD, hits, total)
        named = [str(one).split()[0].lower() for one in answer.says.values["what"]]
        wrong = any(true.get(name, 0.0) <= 0.0 for name in named)
        return Judged(WRONG if wrong else RIGHT, hits, total)

    told = null or max(true.values()) / draw > 2 * detectable(SD["draw_w"], 3)
    request = {"knobs": dict.fromkeys(names, "off,on")}
    return Case(kind, family, seed, plant, told, judge, request, null=null)


def _limits_it(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    plant = grown(family, seed, free=True)
    at = plant.limits_w[int(rng.integers(3, 10))]
    cap: Level = round(0.6 * plant.typical_fps(at)) if null else "none"
    base: dict[str, Level] = {
        **static(at), "cap_fps": cap, "cpu_ceiling_ghz": round(plant.chip.cpu_top_ghz, 2),
        "gpu_ceiling_mhz": float(round(plant.chip.gpu_top_mhz)),
    }  # fmt: skip
    plant = replace(
        plant, chip=replace(plant.chip, cpu_top_ghz=base["cpu_ceiling_ghz"], gpu_top_mhz=base["gpu_ceiling_mhz"])
    )
    first = true_at(plant, base)["mean_fps"]
    follows = {}
    for name, keys in (("power limit", LIMITS), ("CPU", ("cpu_ceiling_ghz",)), ("GPU", ("gpu_ceiling_mhz",)),
                       ("cap", ("cap_fps",) if null else ())):  # fmt: skip
        if keys:
            other = true_at(plant, {**base, **{key: 0.85 * float(base[key]) for key in keys}})["mean_fps"]
            follows[name] = math.log(other / first) / math.log(0.85)

    def judge(found: Any) -> Judged:
        answer = found.answer
        hits = total = 0
        for one in (one for one in answer.because if one.id == "limits.follows"):
            key = next((name for name in follows if name in str(one.values["knob"])), None)
            if key is not None:
                hits += _holds_in(_within(one, "by"), 100 * follows[key], 1.0)
                total += 1
        strongest = max(follows, key=lambda name: follows[name])
        if answer.says.id == "limits.by":
            named = [next((n for n in follows if n in str(one)), "?") for one in answer.says.values["knobs"]]
            wrong = any(follows.get(name, 0.0) < 0.12 for name in named)
            return Judged(WRONG if wrong else RIGHT if strongest in named else WITHHELD, hits, total)
        if answer.says.id in ("limits.none", "limits.waits"):
            return Judged(WRONG if max(follows.values()) > 0.4 else RIGHT, hits, total)
        return Judged(WITHHELD, hits, total)

    typed = {"limit_w": f"{at:g}", **({"cap_fps": f"{cap}"} if null else {})}
    told = max(follows.values()) > 0.4
    return Case(kind, family, seed, plant, told, judge, {"knobs": typed}, null=null)


def _best(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    plant = grown(family, seed, free=True)
    target = float(round(plant.floor_fps))
    setups = [
        {**static(watts), "boost": boost, "cap_fps": cap}
        for watts, boost, cap in itertools.product(plant.limits_w, ("off", "on"), (target, "none"))
    ]  # fmt: skip
    truths = [true_at(plant, one, passes=24) for one in setups]
    top = max(one["low_fps"] for one in truths)
    target = round(1.4 * top) if null else target
    edge = 0.97 * target
    holding = [one["draw_w"] for one in truths if one["low_fps"] >= edge * 1.02]  # what holds by less cannot be told
    least = min(holding, default=math.inf)

    def judge(found: Any) -> Judged:
        option = _stated(found.answer)
        if option is None:
            return Judged(RIGHT if null else WITHHELD)  # a search says that nothing was found, in words of its own
        true = true_at(plant, dict(option.setup))
        hits = _metrics(option, true)
        if true["low_fps"] < edge * 0.995:
            return Judged(WRONG, *hits)
        if true["draw_w"] <= 1.06 * least:
            return Judged(RIGHT, *hits)
        is_open = found.answer.says.id == "best.rival"  # it says itself that something better may hold
        return Judged(WITHHELD if is_open else WRONG, *hits)

    step = plant.limits_w[1] - plant.limits_w[0]
    caps = "none" if null else f"{target:g},none"
    knobs = {"limit_w": f"{plant.limits_w[0]:g}..{plant.limits_w[-1]:g}:{step:g}", "boost": "off,on", "cap_fps": caps}
    return Case(
        kind, family, seed, plant, null or math.isfinite(least), judge, {"floor": target, "knobs": knobs}, null=null
    )


# -- heat, charge, hours


def _cool(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    plant = grown(family, seed, free=True)
    highest = plant.limits_w[-1]
    limit = float(rng.uniform(62.0, 80.0))
    if seed % 2 and not null:  # firmware that takes watts back there
        plant = replace(plant, throttle_c=limit)
    watts = np.linspace(3.0, 1.3 * highest, 200)
    dies = np.array([max(pair[0] for pair in plant.settled(float(w))) for w in watts])
    if null:
        limit = float(np.interp(highest, watts, dies)) + 12.0
    carries = float(np.interp(limit, dies, watts)) if dies[-1] > limit else math.inf
    if math.isfinite(plant.throttle_c) and dies.max() > limit:  # a fan in steps never comes to the one beyond
        carries = float(watts[np.argmax(dies > limit)])

    def judge(found: Any) -> Judged:
        says = found.answer.says
        tried = max((one.figures.value("package_w") or 0.0 for one in found.counted), default=0.0)
        if says.id == "cool.always":
            return Judged(RIGHT if carries > 0.98 * tried else WRONG)
        value = _within(says, "watts")
        if value is None or value.low is None:
            return Judged(WITHHELD)
        covers = _holds_in(value, carries) or (carries > value.high and not math.isfinite(carries))
        pick = _within(says, "pick")
        over = pick is not None and pick.number > carries
        return Judged(
            WRONG if over or not (covers or value.low / 1.1 < carries < value.high * 1.1) else RIGHT, int(covers), 1
        )

    step = plant.limits_w[1] - plant.limits_w[0]
    above = [plant.limits_w[0] + step * at for at in range(60)
             if 1.15 * carries < plant.limits_w[0] + step * at <= highest + 3 * step]  # fmt: skip
    only_above = seed % 4 == 3 and not null and len(above) > 1  # whoever plays at what the cooler does not carry
    plant_levels = (
        f"{above[0] if only_above else plant.limits_w[0]:g}..{above[-1] if only_above else highest:g}:{step:g}"
    )
    request = {"limit_die_c": round(limit, 1), "knobs": {"limit_w": plant_levels}}
    return Case(kind, family, seed, plant, True, judge, request, null=null)


def _lasts(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    plant = grown(family, seed)
    pack = plant.pack(np.random.default_rng((plant.seed, plant.index, seed + 3, 5)))
    null_cap = {"cap": 24.0} if null else {}

    def judge(found: Any) -> Judged:
        answer = found.answer
        if answer.option is None or answer.says.id not in ("use.lasts", "use.draw"):
            return Judged(WITHHELD)
        hits = total = 0
        true = true_at(plant, dict(answer.option.setup) | {"cap_fps": answer.option.setup.get("cap_fps", "none")})
        hours = answer.option.metrics.get("hours")
        if hours is not None and hours.low is not None:
            total, hits = 1, int(hours.low <= pack.hours(true["draw_w"]) <= hours.high)
        others = [true_at(plant, dict(one.setup))["draw_w"] for one in found.groups]
        wrong = true["draw_w"] > 1.02 * min(others, default=math.inf)
        return Judged(WRONG if wrong else RIGHT, hits, total)

    return Case(kind, family, seed, plant, True, judge, null_cap, null=null)


def _charge(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    plant = grown(family, seed, free=True)
    at = plant.limits_w[8]
    edge = float(rng.uniform(0.2, 0.7))
    plant = replace(plant, clamp=(0.0, math.inf) if null else (edge, at * float(rng.uniform(0.4, 0.75))))
    base = {**static(at), "cap_fps": "none"}
    drop = (
        1.0
        - true_at(plant, static(plant.clamp[1] if not null else at) | {"cap_fps": "none"})["package_w"]
        / true_at(plant, base)["package_w"]
    )

    def judge(found: Any) -> Judged:
        says = found.answer.says
        if says.id == "charge.same":
            return Judged(RIGHT if null or drop < 0.09 else WRONG)
        if says.id != "charge.clamps":
            return Judged(WITHHELD)
        clamps = says.values["clamps"]
        near = [one for one in clamps if one.values["low"].number - 0.02 <= edge <= one.values["high"].number + 0.02]
        return Judged(RIGHT if not null and near and len(clamps) == 1 else WRONG, int(bool(near)), 1)

    request = {"knobs": {"limit_w": f"{at:g}", "cap_fps": "none"}}
    return Case(kind, family, seed, plant, null or drop > 0.12, judge, request, null=null)


def _runtime(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    aged = float(rng.choice([0.7, 0.75, 1.3])) if null else 1.0
    plant = grown(family, seed, aged=aged)

    def judge(found: Any) -> Judged:
        match found.answer.says.id:
            case "runtime.true":
                return Judged(WRONG if null else RIGHT)
            case "runtime.off":
                return Judged(RIGHT if null else WRONG)
        return Judged(WITHHELD)

    return Case(kind, family, seed, plant, True, judge, parts={}, null=null)


def _triage(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    plant = grown(family, seed, free=True)
    target = 2.5 * plant.floor_fps if null else plant.floor_fps * float(rng.uniform(0.6, 1.0))

    def judge(found: Any) -> Judged:
        answer = found.answer
        if answer.says.id == "triage.none":
            return Judged(RIGHT if null else WITHHELD)
        if answer.option is None or answer.says.id not in ("triage.gain", "triage.little"):
            return Judged(WITHHELD)
        true = true_at(plant, dict(answer.option.setup))
        if true["low_fps"] < 0.97 * target * 0.98:
            return Judged(WRONG)
        return Judged(RIGHT)

    return Case(kind, family, seed, plant, True, judge, parts={}, null=null, request={"floor": float(round(target))})


def _undervolt(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    margin = float(rng.uniform(0.0, 4.0)) if null else float(rng.uniform(25.0, 110.0))
    plant = grown(family, seed, free=True, margin_mv=margin)

    def judge(found: Any) -> Judged:
        answer = found.answer
        said = re.search(r"CPU -(\d+)", answer.sentence) if answer.says.id in ("volt.gain", "volt.stands") else None
        kept = -float(said.group(1)) if said is not None else 0.0
        if -kept > margin:
            return Judged(WRONG)
        return Judged(RIGHT if null or -kept >= 0.5 * margin else WITHHELD)

    told = null or margin >= 2.0 * (STEP_MV + BACK_MV)  # what a walk backs off by is no part of what it can find
    return Case(kind, family, seed, plant, told, judge, parts={}, null=null)


def _feels(kind: str, family: str, seed: int, rng: Any, null: bool) -> Case:
    number = 10_000 + 100 * FAMILIES.index(family) + seed
    late = FAMILIES.index(family) % 4 == 2

    def judge(found: Any) -> Judged:
        player = feel.drawn(number, late=late)
        if null:  # a floor beyond all that can be shown
            player = replace(player, floor=6.0 if not late else 1e-3)
        _, low, high, _ = feel.tested(player, number, late=late)
        covers = feel.covers(low, high, player.floor)
        closed = low is not None and high is not None
        return Judged(WRONG if not covers else RIGHT if closed or null else WITHHELD, int(covers), 1)

    return Case(kind, family, seed, grown(family, seed), True, judge, parts=None, request={"alone": True}, null=null)


MAKERS: Mapping[str, Callable[[str, str, int, Any, bool], Case]] = {
    "now": _now, "first-look": _first_look, "limits-it": _limits_it, "lowest-watts": _floor_case, "best": _best,
    "caps": _caps, "title-setup": _set_up, "knob": _pair, "flip": _pair, "feels": _feels, "watts-buy": _watts_buy,
    "options-cost": _options, "which-os": _which_os, "display-path": _display, "plugged": _plugged,
    "stays-cool": _cool, "use-lasts": _lasts, "rest-draw": _rest, "claim": _claim, "over-charge": _charge,
    "runtime-true": _runtime, "triage": _triage, "undervolt": _undervolt,
}  # fmt: skip


def places(kinds: Sequence[str]) -> list[tuple[str, str, int]]:
    """Every case of some kinds."""
    return [(kind, family, seed) for kind in kinds for family in families_of(kind) for seed in range(SEEDS)]
