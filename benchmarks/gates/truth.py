"""Truths of the odd plants: expectations over independent passes, kept in data/. No analysis code.

Usage: python -m gates.truth [--set reporting|tuning|shipped] [--plants 6] [--processes 2]
(from benchmarks/; about 40 min a set)

Truth of a pass figure is its expectation over passes of that length; the low of a level is the rate at which the
expected share of slower frames is 1 %. Every pass has a launch of its own; a sweep's drift is left out (its mean is
nought). Limits share their random numbers, so that differences between them are sharper than the levels themselves.
"""

from __future__ import annotations

import argparse
import json
import math
import multiprocessing
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator
from scipy.special import ndtri

from .worlds.chips import Knobs
from .worlds.passes import PASS_S
from .worlds.plants import KINDS, REPORTING, TUNING, Plant, drawn
from .worlds.scenes import WAITS, Stream, Stretch
from .worlds.shipped import NAMES, Shipped, independent

Array = NDArray[np.float64]

DATA = Path(__file__).with_name("data")
SETS = {"reporting": REPORTING, "tuning": TUNING}
TOLERANCE = 0.03
PASSES, FINE_PASSES, AIM_PASSES = 1000, 200, 5000
FIGURES = ("mean_fps", "low_fps", "slowest_fps", "timed_fps", "package_w", "draw_w")
QUARTERS = 4


@dataclass(frozen=True)
class Played:
    """Many independent passes at one setup. Means and log sd between passes of FIGURES; shares of frames by what they
    waited for."""

    means: dict[str, float]
    sds: dict[str, float]
    waits: tuple[float, ...]


@dataclass(frozen=True)
class Truth:
    """What is true of a plant.

    exact : the same with its level `aim` exactly at the floor (capped plants); means, fine : arrays by figure, over the
    ladder and over quarter steps; sds : log sd between passes by figure; waits : (levels, 4).
    """

    plant: Plant | Shipped
    exact: Plant | None
    aim: int
    means: dict[str, Array]
    fine: dict[str, Array]
    sds: dict[str, Array]
    waits: Array

    @property
    def limits_w(self) -> Array:
        """(k,) ladder, W."""
        return np.array(self.plant.limits_w)

    @property
    def fine_w(self) -> Array:
        """(m,) quarter steps, W."""
        limits = self.limits_w
        return np.linspace(limits[0], limits[-1], (limits.size - 1) * QUARTERS + 1)

    def step_worth(self) -> Array:
        """(k,) relative change of the low from each level to the next (the last repeats)."""
        low = self.means["low_fps"]
        steps = np.diff(low) / low[:-1]
        return np.append(steps, steps[-1])


def played(plant: Plant, limit_w: float, passes: int, seed: int) -> Played:
    """Figures of `passes` independent passes at a level, by plain NumPy."""
    return played_at(plant, plant.knobs(limit_w), passes, seed)


def played_at(plant: Plant, knobs: Knobs, passes: int, seed: int) -> Played:
    """Figures of `passes` independent passes at a setup."""
    rows = np.empty((passes, len(FIGURES)))
    slow, waits = [], np.zeros(len(WAITS))
    noise = 0.008 / math.sqrt(PASS_S / plant.telemetry_s)  # what is left of the sensor's in a mean
    for number in range(passes):
        stretch, rng = _pass_of(plant, knobs, seed, number)
        interval = np.diff(stretch.ends_s) * 1000.0
        slow.append(np.sort(interval[interval > 0])[::-1])
        draw = float(plant.draw_w(stretch.point.package_w).mean()) * (1 + noise * float(rng.standard_normal()))
        rows[number] = (*_rates(slow[-1]), float(stretch.point.package_w.mean()), draw)
        waits += np.bincount(stretch.waits, minlength=len(WAITS)) / max(stretch.waits.size, 1)
    return _gathered(rows, slow, waits)


def _pass_of(plant: Plant, knobs: Knobs, seed: int, number: int) -> tuple[Stretch, np.random.Generator]:
    """One independent pass, in a launch of its own."""
    rng = np.random.default_rng((plant.seed, plant.index, seed, number, 1))
    level = plant.scene.pass_sd * float(rng.standard_normal()) + plant.scene.launch(rng)
    own_seed = (plant.seed, plant.index, seed, number, 2)
    stream = Stream(plant.scene, plant.operate, plant.work.serial, own_seed, level, plant.most_fps)
    return stream.play(knobs, PASS_S), rng


def _rates(slowest_ms: Array) -> tuple[float, float, float, float]:
    """Mean rate and three 1 % lows of intervals that descend."""
    n, total = slowest_ms.size, float(slowest_ms.sum())
    timed = int(np.searchsorted(np.cumsum(slowest_ms), 0.01 * total))
    return (
        1000.0 * n / total, 1000.0 / float(np.quantile(slowest_ms, 0.99)),
        1000.0 / float(slowest_ms[: math.ceil(0.01 * n)].mean()), 1000.0 / float(slowest_ms[timed]),
    )  # fmt: skip


def _gathered(rows: Array, slow: list[Array], waits: Array) -> Played:
    """Means and spreads of passes; the low from the expected share of slower frames."""
    passes = len(slow)
    found = dict(zip(FIGURES, rows.mean(axis=0).tolist()))
    tail = np.concatenate([one[: one.size // 8] for one in slow])
    weight = np.concatenate([np.full(one.size // 8, 1.0 / one.size) for one in slow])
    order = np.argsort(-tail)
    reached = int(np.searchsorted(np.cumsum(weight[order]) / passes, 0.01))
    found["low_fps"] = 1000.0 / float(tail[order][reached])
    sds = np.log(rows).std(axis=0, ddof=1).tolist()
    return Played(found, dict(zip(FIGURES, sds)), tuple((waits / passes).tolist()))


def slow_share(plant: Plant, limit_w: float, floor_fps: float, passes: int, seed: int) -> float:
    """Expected share of frames slower than the floor's interval (`floor_fps` with its tolerance taken off)."""
    total = 0.0
    for number in range(passes):
        interval = np.diff(_pass_of(plant, plant.knobs(limit_w), seed, number)[0].ends_s) * 1000.0
        total += float(np.mean(interval > 1000.0 / floor_fps))
    return total / passes


def solved(plant: Plant, limit_w: float, passes: int, seed: int, wanted: float = 0.01, width: float = 0.5) -> float:
    """Scale of the scene at which a level's expected share of slow frames is `wanted`.

    A rough bisection on its log, then a straight line through the shares' normal quantiles at five scales near it.
    Raises ValueError where no scale within `width` does.
    """
    floor = (1 - TOLERANCE) * plant.floor_fps

    def quantile_at(log_scale: float, number: int) -> float:
        share = slow_share(plant.scaled(math.exp(log_scale)), limit_w, floor, number, seed)
        return float(ndtri(min(max(share, 1e-6), 1 - 1e-6)))

    goal = float(ndtri(wanted))
    low, high = math.log(1 - width), math.log(1 + width)
    for _ in range(9):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if quantile_at(middle, 80) < goal else (low, middle)
    centre = 0.5 * (low + high)
    for turn in range(2):
        offsets = np.linspace(-0.02, 0.02, 5) / (1 + 3 * turn)
        found = [quantile_at(centre + float(off), passes // (5 if turn else 20)) for off in offsets]
        slope, level = np.polyfit(offsets, found, 1)
        move = (goal - float(level)) / float(slope)
        if not math.isfinite(move) or abs(move) > 0.1 or abs(centre + move) > 0.9 * abs(math.log(1 - width)):
            raise ValueError(f"{plant.name}: no scale brings {limit_w:g} W to the floor (moved {move:.3f})")
        centre += move
    return math.exp(centre)


def roomy(plant: Plant) -> Plant:
    """The plant with headroom enough to hold its cap where no limit binds, or fewer hitches where that is no help."""
    if not plant.cap_fps:
        return plant
    top, easy = plant.limits_w[-1], 0.7
    for turn in range(14):
        share = slow_share(plant.scaled(easy), top, (1 - TOLERANCE) * plant.floor_fps, 60, 13)
        if share < 0.002:
            return plant
        scene, chip = plant.scene, plant.chip
        if turn % 3 == 2:
            plant = replace(plant, scene=replace(scene, hitches_per_min=0.6 * scene.hitches_per_min))
        else:
            plant = replace(plant, chip=replace(chip, headroom=1.07 * chip.headroom))
    raise ValueError(f"{plant.name}: {100 * share:.2f} % of frames miss the cap whatever the headroom")


def shaped(kind: str, index: int, seed: int, shape: Mapping[str, Any]) -> Plant:
    """A drawn plant with what its truth settled: headroom, hitches, ladder."""
    plant = drawn(kind, index, seed)
    return replace(
        plant, chip=replace(plant.chip, headroom=shape["headroom"]), limits_w=plant.limits_w[: shape["levels"]],
        scene=replace(plant.scene, hitches_per_min=shape["hitches_per_min"]),
    )  # fmt: skip


def levels_kept(low_fps: Sequence[float], rng: np.random.Generator) -> int:
    """How much of a ladder to keep, so that 3 to 7 levels lie on a flat top."""
    low = np.array(low_fps)
    flat = int(np.count_nonzero(low >= low[-1] * 0.999))
    return len(low) - (flat - int(rng.integers(3, 8)) if flat > 7 else 0)


def made(kind: str, index: int, seed: int, passes: int = PASSES, fine: int = FINE_PASSES) -> dict[str, object]:
    """The truth of one plant as plain values."""
    base = roomy(drawn(kind, index, seed))
    aim = base.limits_w.index(base.middle_w)
    rng = np.random.default_rng((seed, index, KINDS.index(kind), 3))
    # the floor is crossed somewhere between two levels: the share at the upper one lies under 1 %
    wanted = 0.01 * math.exp(-float(rng.uniform(0.1, 1.2)))
    scale = solved(base, base.middle_w, AIM_PASSES, 11, wanted)
    exact = solved(base, base.middle_w, AIM_PASSES, 12) if base.cap_fps else None
    plant = base.scaled(scale)
    rows = [played(plant, limit, passes, 21) for limit in plant.limits_w]
    rows = rows[: levels_kept([row.means["low_fps"] for row in rows], rng)]
    shape = {
        "headroom": base.chip.headroom, "hitches_per_min": base.scene.hitches_per_min, "levels": len(rows),
        "scale": scale, "exact_scale": exact, "aim": aim,
    }  # fmt: skip
    limits = np.array(plant.limits_w[: len(rows)])
    quarter = np.linspace(limits[0], limits[-1], (limits.size - 1) * QUARTERS + 1)
    finer = [played(plant, float(limit), fine, 21) for limit in quarter]
    return {
        "kind": kind, "index": index, "seed": seed, **shape,
        "means": {k: [_short(row.means[k]) for row in rows] for k in FIGURES},
        "sds": {k: [_short(row.sds[k]) for row in rows] for k in FIGURES},
        "waits": [[round(v, 3) for v in row.waits] for row in rows],
        "fine": {k: [_short(row.means[k]) for row in finer] for k in ("mean_fps", "low_fps", "package_w", "draw_w")},
    }  # fmt: skip


def made_shipped(index: int, passes: int = PASSES) -> dict[str, object]:
    """The truth of one case of the shipped stand-in; between its levels the curves are monotone."""
    case = Shipped(index)
    rows = [_played_shipped(case, limit, passes) for limit in case.limits_w]
    limits = np.array(case.limits_w)
    quarter = np.linspace(limits[0], limits[-1], (limits.size - 1) * QUARTERS + 1)
    fine = {}
    for key in ("mean_fps", "low_fps", "package_w", "draw_w"):
        values = PchipInterpolator(limits, [row.means[key] for row in rows])(quarter)
        fine[key] = [_short(float(v)) for v in values]
    return {
        "kind": "shipped", "index": index, "seed": 0,
        "means": {k: [_short(row.means[k]) for row in rows] for k in FIGURES},
        "sds": {k: [_short(row.sds[k]) for row in rows] for k in FIGURES}, "waits": [], "fine": fine,
    }  # fmt: skip


def _played_shipped(case: Shipped, limit_w: float, passes: int) -> Played:
    rows = np.empty((passes, len(FIGURES)))
    slow: list[Array] = []
    for number in range(passes):
        interval, package = independent(case.index, limit_w, number)
        slow.append(np.sort(interval[interval > 0])[::-1])
        rng = np.random.default_rng((case.index, number, 4))
        draw = case.draw_w(package) * (1 + 0.006 / math.sqrt(PASS_S) * float(rng.standard_normal()))
        rows[number] = (*_rates(slow[-1]), package, draw)
    return _gathered(rows, slow, np.zeros(len(WAITS)))


def _short(value: float) -> float:
    return float(f"{value:.6g}")


def loaded(name: str = "reporting") -> list[Truth]:
    """Every stored truth of a set."""
    found = []
    bodies = json.loads((DATA / f"{name}.json").read_text())
    for body in (*bodies, *json.loads((DATA / "shipped.json").read_text())):
        if body["kind"] == "shipped":
            arrays = {k: {f: np.array(v) for f, v in body[k].items()} for k in ("means", "fine", "sds")}
            found.append(Truth(Shipped(body["index"]), None, 0, **arrays, waits=np.empty(0)))
            continue
        base = shaped(body["kind"], body["index"], body["seed"], body)
        arrays = {k: {f: np.array(v) for f, v in body[k].items()} for k in ("means", "fine", "sds")}
        exact = base.scaled(body["exact_scale"]) if body["exact_scale"] else None
        waits = np.array(body["waits"])
        found.append(Truth(base.scaled(body["scale"]), exact, body["aim"], **arrays, waits=waits))
    return [_sharpened(one) for one in found]


def _sharpened(truth: Truth) -> Truth:
    """The fine curves moved so that they pass through the levels, which more passes stand behind."""
    fine = {}
    for key, values in truth.fine.items():
        off = np.log(truth.means[key]) - np.log(values[::QUARTERS])
        fine[key] = values * np.exp(np.interp(truth.fine_w, truth.limits_w, off))
    return replace(truth, fine=fine)


def _one(argument: tuple[str, int, int]) -> dict[str, object]:
    return made_shipped(argument[1]) if argument[0] == "shipped" else made(*argument)


def main() -> None:
    """Make a set of truths and keep it."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--set", default="reporting", choices=[*SETS, "shipped"])
    parser.add_argument("--plants", type=int, default=6, help="of each kind")
    parser.add_argument("--processes", type=int, default=2)
    options = parser.parse_args()
    work: list[tuple[str, int, int]] = [("shipped", index, 0) for index in range(len(NAMES))]
    if options.set != "shipped":
        work = [(kind, index, SETS[options.set]) for kind in KINDS for index in range(options.plants)]
    with multiprocessing.Pool(options.processes) as pool:
        rows = []
        for row in pool.imap(_one, work):
            rows.append(row)
            print(f"{len(rows)}/{len(work)} {row['kind']} {row['index']}", flush=True)
    DATA.mkdir(exist_ok=True)
    text = ",\n".join(json.dumps(row, separators=(",", ":")) for row in rows)
    (DATA / f"{options.set}.json").write_text(f"[\n{text}\n]\n")


if __name__ == "__main__":
    main()
