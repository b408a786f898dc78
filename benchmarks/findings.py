"""Findings against the truth of odd plants: the bottleneck, steps and dents, planted faults, clean sweeps.

Usage: python -m findings [--seeds 2] [--rounds 3]   (from benchmarks/; about 10 min)

Bottleneck: clear is a level at which one thing makes 80 % of the frames wait (shares of the stored truths). What holds
it down is judged where the plant's own laws say it without doubt: the budget, or the clock's own ceiling. Steps and
dents: deep is 6.5 standard errors of a level's own mean, by the plant without them. Planted: figures of a clean sweep
are moved as a fault would, or the sweep is made with it. Clean: what is worth acting on, found where nothing was
planted. Plants whose panel holds every frame back are left out: what they wait for is a matter of words.
"""

from __future__ import annotations

import argparse
import math
import multiprocessing
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial

import numpy as np
from gates import program
from gates import truth as truths
from gates.program import Analyst, Asked
from gates.truth import Truth
from gates.worlds import passes
from gates.worlds.chips import _clocked, speed, wanted_w
from gates.worlds.plants import Plant
from pooling import moved

from hovrik.core.facts.knob import LIMITS
from hovrik.core.facts.rig import Rig
from hovrik.core.facts.terms import School
from hovrik.core.finding import State
from hovrik.core.passes.figures import figures_of
from hovrik.core.passes.record import PassRecord
from hovrik.core.read import answer, response
from hovrik.core.read.group import RATE, Counted
from hovrik.core.read.rules import waits
from hovrik.core.read.rules.rule import Looked, Whole
from hovrik.core.read.rules.table import findings_of

CLEAR = 0.8
NAMES = (waits.CPU, waits.GPU, waits.CAP)
OWN = 0.999  # of the top clock, from where it is held by its own ceiling
LATE = 0.01  # share of frames that miss a tick, under which ticks are not to be told from frames as they come
DEEP = 6.5  # standard errors of a level's mean
UNCLEAN = frozenset({"launches", "warm", "dent", "edge"})  # kinds that are odd on purpose
Row = tuple[str, str, str]


def whole_of(analyst: Analyst, rounds: int, floor_fps: float, change: Callable[[int, Counted], Counted] | None = None,
             rig: Rig | None = None) -> Whole:  # fmt: skip
    """A sweep as rules see it. change : of a pass at its place in the run; rig : another's facts."""
    question = program._question(Asked(floor_fps), School.PERCENTILE)
    prepared = [one for one in analyst.of(rounds) if one.state != "void"]
    counted = [replace(analyst._counted(one), round=f"{one.made.round}") for one in prepared]
    if change is not None:
        counted = [change(at, one) for at, one in enumerate(counted)]
    responses = response.read(counted, question, analyst.factor)
    looked = [
        Looked(one, frozenset(check.replace(" ", "-") for check in made.checks), plan="p", index=at)
        for at, (one, made) in enumerate(zip(counted, prepared))
    ]
    context = answer.Context(analyst.rig, analyst.swept.plant.room_c)
    return Whole.of(responses, looked, question=question, context=context, rig=rig or analyst.rig)


def scaled(one: Counted, **factors: float) -> Counted:
    """A pass with figures multiplied."""
    values = {key: one.figures.values[key] * by for key, by in factors.items() if key in one.figures.values}
    return replace(one, figures=one.figures.with_(**values))


def held(plant: Plant, limit_w: float, what: str) -> str:
    """What truly holds down what is waited for; "" where the laws leave it open."""
    if what == waits.CAP:
        return waits.NOTHING
    knobs, chip = plant.knobs(limit_w), plant.chip
    factors = (plant.slots[knobs.slot], plant.versions[knobs.version])
    limit = min(limit_w, wanted_w(chip, plant.work, knobs, factors)) if knobs.cap_fps else limit_w
    _, _, ghz, got, cpu_w, gpu_w = _clocked(chip, plant.work, knobs, limit, factors)
    top = chip.cpu_top_ghz if knobs.boost else chip.cpu_plain_ghz
    most = float(speed(chip.law, chip.bend, chip.gpu_top_w / chip.gpu_ref_w))
    if (what == waits.CPU and ghz >= OWN * top) or (what == waits.GPU and got >= OWN * most):
        return waits.CEILING
    spent = chip.base_w + cpu_w + gpu_w >= 0.995 * limit_w
    return waits.LIMIT if spent and limit == limit_w else ""


def bottlenecks(truth: Truth, whole: Whole) -> Iterator[Row]:
    """(which part, what is true, what was said) of every level; true "" where it is unclear."""
    main = whole.responses[0]
    assert isinstance(truth.plant, Plant)
    for group, said in zip(main.groups, waits.waits_of(main, whole)):
        shares = truth.waits[int(np.argmin(np.abs(truth.limits_w - group.at)))]
        best = int(np.argmax(shares))
        real = NAMES[best] if best < len(NAMES) and shares[best] >= CLEAR else ""
        yield "waits", real, said.what
        if real and said.what == real:
            yield "held", held(truth.plant, group.at, real), said.held


def steps(truth: Truth, whole: Whole, rounds: int) -> Iterator[Row]:
    """Whether a step or dent was named: deep, shallow, or none there is."""
    plant = truth.plant
    assert isinstance(plant, Plant)
    named = any("maybe" not in said.id for _, said in whole.responses[0].dents)
    true = "none"
    if plant.kind in ("edge", "dent"):
        at, factor = (plant.chip.edge[0], plant.chip.edge[1]) if plant.kind == "edge" else plant.chip.dent[::2]
        with_, without = (plant.typical(at, change, free=True)[0] for change in ({}, {plant.kind: 1 / factor}))
        level = int(np.argmin(np.abs(truth.limits_w - at)))
        sd = float(truth.sds[RATE][level]) / math.sqrt(rounds)
        true = "deep" if abs(math.log(with_ / without)) >= DEEP * sd else "shallow"
        if plant.cap_fps:
            true = "capped"
    yield "steps", true, "named" if named else "not"


def planted(truth: Truth, analyst: Analyst, rounds: int, number: int) -> Iterator[Row]:
    """Each fault planted alone: was it found?"""
    plant = truth.plant
    assert isinstance(plant, Plant)
    whole = whole_of(analyst, rounds, plant.floor_fps)
    n = len(whole.passes)
    sign = 1.0 if number % 2 else -1.0
    first = min(one.one.round for one in whole.passes)

    def drifted(at: int, one: Counted) -> Counted:
        return scaled(one, draw_w=math.exp(sign * 0.05 * at / n))

    def warm(at: int, one: Counted) -> Counted:
        return scaled(one, draw_w=1.04 if one.round == first else 1.0)

    def said(change: Callable[[int, Counted], Counted] | None, rig: Rig | None = None) -> set[str]:
        return {one.id for one in findings_of(whole_of(analyst, rounds, plant.floor_fps, change, rig))}

    yield "planted drift", "planted", "found" if "drift" in said(drifted) else "not"
    if rounds > 1:
        yield "planted warm-up", "planted", "found" if {"warm-up", "drift"} & said(warm) else "not"
    dies = [d for g in whole.responses[0].groups if (d := g.mean("die_c")) is not None]
    if dies and analyst.rig is not None:
        limit = max(one.value for one in dies) - 6.0
        found = said(None, replace(analyst.rig, die_limit_c=limit))
        yield "planted heat", "planted", "found" if "heat-limited" in found else "not"
        found = said(None, replace(analyst.rig, die_limit_c=max(one.value for one in dies) + 10.0))
        yield "planted heat", "far from it", "found" if "heat-limited" in found else "not"

    def capped(_at: int, one: Counted) -> Counted:
        point = replace(one.point, setup=one.point.setup.with_(cap_fps=240.0))
        return replace(one, point=point, asked=one.asked.with_(cap_fps=240.0))

    if not plant.cap_fps and plant.most_fps < 200:
        yield "planted far cap", "planted", "found" if "cap-never-reached" in said(capped) else "not"
    pairs = _boosted(plant, truth, whole, rounds, number)
    if pairs is not None:
        yield "planted boost pair", *pairs


def stuttered(record: PassRecord, a_minute: float, seed: int) -> PassRecord:
    """The pass with so many frames of 80 to 200 ms more, at random; what comes after them comes later."""
    assert record.trace is not None
    rng = np.random.default_rng((seed, 17))
    stamps = record.trace.frames_ns
    many = rng.poisson(a_minute * record.trace.seconds / 60.0)
    late = np.zeros(stamps.size)
    late[rng.choice(stamps.size - 1, min(many, stamps.size - 1), replace=False) + 1] = rng.uniform(8e7, 2e8, many)
    moved = stamps + np.cumsum(late).astype(np.int64)
    return replace(record, trace=replace(record.trace, frames_ns=moved[moved <= record.trace.end_ns]))


def further(truth: Truth, analyst: Analyst, rounds: int, number: int) -> Iterator[Row]:
    """Stutters, ticks of a fixed refresh, a memory clock that steps, two runs that differ: planted, and clean."""
    plant = truth.plant
    assert isinstance(plant, Plant)
    again = Analyst(passes.sweep(plant, number + 5000))

    def said(change: Callable[[int, Counted], Counted] | None, id_: str) -> str:
        whole = whole_of(analyst, rounds, plant.floor_fps, change)
        return "found" if id_ in {one.id for one in findings_of(whole)} else "not"

    records = {one.id: one.record for one in analyst.prepared}
    for name, often in (("66 a minute", 66.0), ("3 a minute", 3.0), ("none planted", 0.0)):

        def jerked(at: int, one: Counted, often: float = often) -> Counted:
            return replace(one, figures=figures_of(stuttered(records[one.id], often, at), analyst.constants))

        yield "stutters", name, said(jerked if often else None, "stutters")
    for name, sync in (("on ticks", "on"), ("as they come", "off")):
        free = replace(plant, sync=sync, cap_fps=0.0, refresh_hz=plant.refresh_hz)
        bench = passes.sweep(free, number, limits=plant.limits_w[2::8])
        for made in bench.of(1)[1:]:
            _, checks = program.verdict(made, plant.facts(), read={"sync": "variable"})
            rare = np.mean(np.diff(made.frames_ns) > 1.5e9 / plant.refresh_hz) < LATE
            yield (
                "variable",
                f"{name}, at the panel's rate" if rare else name,
                "found" if "variable refresh off" in checks else "not",
            )
    rng = np.random.default_rng(number)
    edge = plant.chip.edge[0] if plant.kind == "edge" else plant.chip.dent[0] if plant.kind == "dent" else None
    named = any("maybe" not in one.id for _, one in whole_of(analyst, rounds, plant.floor_fps).responses[0].dents)
    for name, step in (("steps", 0.5), ("stands", 0.0)):
        at_w = edge if edge is not None else plant.limits_w[len(plant.limits_w) // 2]

        def clocked(_at: int, one: Counted, step: float = step, at_w: float = at_w) -> Counted:
            low = float(one.asked[LIMITS[0]]) < at_w + 1e-6
            mhz = 2750.0 * (1.0 - step * low) * math.exp(0.002 * float(rng.standard_normal()))
            return replace(one, figures=one.figures.with_(memory_mhz=mhz))

        where = "a dent that is named" if named and edge is not None else "a smooth rise"
        yield "memory clock", f"{name}, {where}", said(clocked, "memory-clock")
    for name, factor in (("10 % off", 0.9), ("another run", 1.0)):
        both = [*whole_of(analyst, rounds, plant.floor_fps).passes]
        for looked in whole_of(again, rounds, plant.floor_fps).passes:
            one = scaled(replace(looked.one, id=f"again/{looked.one.id}"), mean_fps=factor)
            both.append(replace(looked, one=one, plan="q"))
        base = whole_of(analyst, rounds, plant.floor_fps)
        responses = response.read([one.one for one in both], base.question, analyst.factor)
        whole = Whole.of(responses, both, question=base.question, context=base.context, rig=base.rig)
        yield "two runs", name, "found" if "runs-apart" in {one.id for one in findings_of(whole)} else "not"


def _boosted(plant: Plant, truth: Truth, whole: Whole, rounds: int, number: int) -> tuple[str, str] | None:
    """Boost off beside it at every third level: what truly differs, and what was said."""
    limits = plant.limits_w[::3]
    other = moved(plant, boost=False)
    off = Analyst(passes.sweep(other, 1700 + number, limits=limits))
    limit_of = lambda one: float(one.asked[LIMITS[0]])  # noqa: E731
    own = [looked for looked in whole.passes if limit_of(looked.one) in limits]
    more = whole_of(off, rounds, plant.floor_fps).passes
    more = [replace(one, one=replace(one.one, id=f"off/{one.one.id}"), plan="q") for one in more]
    responses = response.read([one.one for one in (*own, *more)], whole.question, off.factor)
    both = Whole.of(responses, [*own, *more], question=whole.question, context=whole.context, rig=whole.rig)
    said = {one.message.id for one in findings_of(both) if one.id == "knob-pays"}
    load = np.ones(1)
    points = [[p.operate(p.knobs(w), load) for w in limits] for p in (other, plant)]
    rate = [float(np.mean([-math.log(float(point.frame_ms[0])) for point in row])) for row in points]
    draw = [float(np.mean([math.log(float(plant.draw_w(point.package_w)[0])) for point in row])) for row in points]
    differs = (rate[0] - rate[1], draw[0] - draw[1])
    if all(abs(one) < 0.005 for one in differs):
        return "no difference", "said" if said else "not"
    if differs[1] < -0.04 and abs(differs[0]) < 0.008:
        return "saves 4 %", "saves" if "rule.pays.free" in said else "other" if said else "not"
    if differs[0] < -0.04 and abs(differs[1]) < 0.008:
        return "loses 4 %", "loses" if said else "not"
    wrong = (differs[1] > 0 and bool({"rule.pays.free", "rule.pays.trades"} & said)) or (
        differs[0] < 0 and "rule.pays.gains" in said
    )
    return "between", "wrong sign" if wrong else "right sign" if said else "not"


def clean(whole: Whole) -> Iterator[Row]:
    """What is said to be worth acting on, where nothing was planted."""
    ids = {one.id for one in findings_of(whole) if one.weight is State.SUSPECT}
    yield "clean", "any", "said" if ids else "not"
    for name in ids:
        yield "clean", name, "said"


def _played(index: int, seeds: int, rounds: int) -> list[Row]:
    truth = truths.loaded()[index]
    assert isinstance(truth.plant, Plant)
    found: list[Row] = []
    for seed in range(700, 700 + seeds):
        analyst = Analyst(passes.sweep(truth.plant, seed))
        whole = whole_of(analyst, rounds, truth.plant.floor_fps)
        found += [
            *bottlenecks(truth, whole),
            *steps(truth, whole, rounds),
            *planted(truth, analyst, rounds, seed),
            *further(truth, analyst, rounds, seed),
        ]
        if truth.plant.kind not in UNCLEAN:
            found += clean(whole)
    return found


def main() -> None:
    """Print the tables."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--seeds", type=int, default=2)
    parser.add_argument("--rounds", type=int, default=3, choices=(1, 2, 3, 5))
    parser.add_argument("--processes", type=int, default=2)
    options = parser.parse_args()
    plants = [i for i, one in enumerate(truths.loaded()) if isinstance(one.plant, Plant) and one.plant.sync != "on"]
    play = partial(_played, seeds=options.seeds, rounds=options.rounds)
    with multiprocessing.Pool(options.processes) as pool:
        rows = [row for own in pool.imap_unordered(play, plants) for row in own]
    for part in ("waits", "held"):
        own = [row for row in rows if row[0] == part]
        sure = [row for row in own if row[1]]
        right = sum(real == said for _, real, said in sure)
        print(f"{part}: {right} of {len(sure)} clear ones named rightly ({100 * right / max(len(sure), 1):.1f} %), "
              f"{len(own) - len(sure)} unclear")  # fmt: skip
    for (part, real, said), n in sorted(Counter(rows).items()):
        print(f"  {part:<20} true {real or 'unclear':<16} said {said:<10} {n}")


if __name__ == "__main__":
    main()
