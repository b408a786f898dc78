"""The search for the best setup against the ways it replaces, on machines unlike its prior.

Run: .venv/bin/python benchmarks/search.py [CASES] [--tuning] [--known | --front | --plainly]; 30 cases are the quick
set, 200 the full one; --known plays a second title on a machine that a first one has told of, --front seeks the
trade-off, --plainly plays only the ways that need no belief. Cases of three kinds in equal parts: of the prior's own
family, odd plants, odd plants with a smooth 7 % field on top. 2,304 setups of four knobs. Most hours are sought that
hold a floor and, in some cases, a limit of the die.
"""

import math
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from gates.worlds import plants
from gates.worlds.chips import operate

from hovrik.core.facts.factor import LIMIT
from hovrik.core.facts.knob import LIMITS
from hovrik.core.facts.setup import Setup
from hovrik.core.model.belief import Measured, believe, features
from hovrik.core.model.known_rig import KnownTitle, twins_of
from hovrik.core.model.twins import Places, rigs_of, twins
from hovrik.core.plan.front import hypervolume
from hovrik.core.plan.lengths import Lengths
from hovrik.core.plan.search.design import FRESH, WORTH, SearchDesign
from hovrik.core.plan.search.goal import Goal
from hovrik.core.plan.search.judged import judged

CAPS = (30.0, 40.0, 45.0, 60.0, 90.0, "none")
NOISE = {"low": 0.023, "rate": 0.012, "draw": 0.008, "rise": 0.03}
TUNING, REPORTING = 4000, 8000
BUDGET = 25


@dataclass(frozen=True)
class Case:
    """A machine with a title. low, draw, rise : of every setup, logs; design : its question."""

    kind: str
    design: SearchDesign
    low: np.ndarray
    rate: np.ndarray
    draw: np.ndarray
    rise: np.ndarray

    @property
    def holds(self):
        """Which setups truly meet every limit."""
        goal = self.design.goal
        die = goal.room_c + np.exp(self.rise) <= goal.die_limit_c
        return (self.low >= math.log(goal.edge_fps)) & die

    @property
    def best(self):
        """Log of the least draw that meets them."""
        return float(self.draw[self.holds].min())


def case_of(number, seed, title=0):
    """The case of a number; None where nothing or everything holds. title : another one on the same machine."""
    rng = np.random.default_rng((seed, number))
    kind = ("prior", "plant", "field")[number % 3]
    plant = plants.drawn(plants.KINDS[int(rng.integers(len(plants.KINDS)))], int(rng.integers(6)), seed + number)
    low_w, high_w = plant.limits_w[0], plant.limits_w[-1]
    step = 0.5 if high_w - low_w < 12 else 1.0
    watts = tuple(np.round(np.linspace(low_w - 2 * step, high_w + 2 * step, 32), 1).tolist())
    tops = plant.chip.gpu_top_mhz
    levels = {
        LIMIT: watts, "boost": ("off", "on"),
        "gpu_ceiling_mhz": tuple(np.round(tops * np.array([0.35, 0.5, 0.62, 0.75, 0.87, 1.0])).tolist()),
        "cap_fps": CAPS,
    }  # fmt: skip
    design = SearchDesign(levels, Setup(), Goal(), high_w, Lengths(seed=number + 1))
    if title:  # what the machine is stays, what it plays is another plant's
        rng = np.random.default_rng((seed, number, title))
        other = plants.drawn(
            plants.KINDS[int(rng.integers(len(plants.KINDS)))], int(rng.integers(6)), seed + 7 * number
        )
        plant = replace(plant, work=other.work, scene=other.scene)
    target = float(rng.choice([30.0, 40.0, 45.0, 60.0]))
    if kind == "prior":
        rigs = rigs_of(np.random.default_rng((seed, number, 29)), 1, high_w)
        made = twins(Places.of(design.setups, high_w), target, seed + 17 * number + title, 1, rigs)
        low, rate, draw, rise = (np.asarray(made.of(k)[0], float) for k in ("low", "rate", "draw", "rise"))
    else:
        where = features(design.setups)
        fields = [_field(rng, where) if kind == "field" else np.zeros(where.shape[0]) for _ in range(2)]
        low, rate, draw, rise = _of_plant(plant, design.setups, target, rng, fields[0])
        draw = draw + fields[1]
    goal = Goal(edge_fps=0.97 * target, target_fps=target, room_c=plant.room_c)
    case = Case(kind, replace(design, goal=goal), low, rate, draw, rise)
    if rng.random() < 0.3 and case.holds.any():  # a die limit that has a say
        dies = goal.room_c + np.exp(rise[case.holds])
        case = replace(case, design=replace(design, goal=replace(goal, die_limit_c=float(np.quantile(dies, 0.3)))))
    return case if 2 <= case.holds.sum() <= 0.9 * case.holds.size else None


def _of_plant(plant, setups, target, rng, field):
    ratio = float(rng.uniform(0.8, 0.95))
    found = []
    for one in setups:
        knobs = replace(
            plant.knobs(one[LIMITS[0]]), cap_fps=0.0, boost=one["boost"] == "on",
            gpu_ceiling_mhz=one["gpu_ceiling_mhz"], sync="off",
        )  # fmt: skip
        free = operate(plant.chip, plant.work, knobs, np.ones(1))
        cap = one["cap_fps"]
        point = operate(plant.chip, plant.work, replace(knobs, cap_fps=cap), np.ones(1)) if cap != "none" else free
        found.append((1000.0 / free.frame_ms[0], point.package_w[0]))
    free, package = np.array(found).T
    shift = target / ratio / np.quantile(free, rng.uniform(0.35, 0.85))  # so that the floor is decided inside the grid
    caps = np.array([c if (c := one["cap_fps"]) != "none" else np.inf for one in setups])
    draw = plant.draw_w(package)
    grid = np.linspace(package.min(), package.max() + 0.1, 40)
    dies = [plant.settled(w)[0][0] for w in grid]
    rise = np.interp(package, grid, dies) - plant.room_c
    free = free * shift * np.exp(field)  # what a field changes, the cap still cuts
    low, rate = np.minimum(ratio * free, 0.99 * caps), np.minimum(free, caps)
    return tuple(map(np.log, (low, rate, draw, np.maximum(rise, 1.0))))


def _field(rng, where):
    waves = sum(
        np.cos(where @ rng.normal(0, 0.8, where.shape[1]) + rng.uniform(0, 2 * np.pi)) for _ in range(6)
    ) / math.sqrt(3.0)
    return 0.07 * waves / max(float(np.std(waves)), 1e-9) * 0.7


def searched(case, budget=BUDGET, seed=0):
    """One search: (setups measured in order, [(passes, pick, sure)], passes at which it would have stopped, logs that
    were measured by outcome)."""
    design = case.design
    rng = np.random.default_rng((seed, design.like.seed, 3))
    made = twins_of(design.setups, design.goal.target_fps, design.highest_w, design.known)
    where, caps = features(design.setups), design.space.caps
    at, rows, said, stopped = [], {key: [] for key in NOISE}, [], None
    while len(at) < budget:
        measured = Measured(np.array(at, np.int64), {key: np.array(v) for key, v in rows.items()})
        belief = believe(made, where, caps, measured, design.like.seed)
        found = judged(belief, design.goal, np.bincount(np.array(at, np.int64), minlength=where.shape[0]))
        if at:
            said.append((len(at), found.pick, found.sure))
        is_done = found.pick is not None and (found.gain < WORTH or found.next is None)
        if is_done and found.counts[found.pick] >= 1 + FRESH:
            stopped = stopped or len(at)
        following = found.pick if is_done and not stopped else found.next
        if following is None:
            break
        at.append(following)
        cap = math.log(caps[following])
        for key, sd in NOISE.items():
            true = getattr(case, key)[following]
            sd = 0.006 if key in ("low", "rate") and true > cap - 0.03 else sd
            value = true + sd * rng.standard_normal()
            rows[key].append(min(value, cap) if key in ("low", "rate") else value)
    measured = Measured(np.array(at, np.int64), {key: np.array(v) for key, v in rows.items()})
    found = judged(believe(made, where, caps, measured, design.like.seed), design.goal,
                   np.bincount(np.array(at, np.int64), minlength=where.shape[0]))  # fmt: skip
    said.append((len(at), found.pick, found.sure))
    return at, said, stopped, rows


def is_right(case, pick):
    """Within 5 % of the best hours, every limit truly met (half a percent of the floor, half a degree aside)."""
    if pick is None:
        return False
    goal = case.design.goal
    meets = case.low[pick] >= math.log(goal.edge_fps) - 0.005
    meets &= goal.room_c + math.exp(case.rise[pick]) <= goal.die_limit_c + 0.5
    return bool(meets and case.draw[pick] <= case.best + math.log(1.05))


def visited(case, at):
    """Passes until a setup within 2 % of the best was measured; inf where none was."""
    good = case.holds & (case.draw <= case.best + math.log(1.02))
    return next((n for n, one in enumerate(at, 1) if good[one]), math.inf)


def bisected(case, rng, budget=60):
    """Cap first, as is usual: at the floor's cap and everything on, the watts bisected on single noisy passes."""
    design = case.design
    places = {setup: at for at, setup in enumerate(design.setups)}
    target, watts = design.goal.target_fps, design.levels[LIMIT]
    top = max(design.levels["gpu_ceiling_mhz"])
    at_cap = lambda w, b: places[design.setups[0].with_(  # noqa: E731
        **dict.fromkeys(LIMITS, w), boost=b, gpu_ceiling_mhz=top, cap_fps=target)]  # fmt: skip
    at, picks = [], []
    for boost in ("on", "off"):
        low, high = 0, len(watts) - 1
        while low < high:
            middle = (low + high) // 2
            one = at_cap(watts[middle], boost)
            at.append(one)
            seen = case.low[one] + 0.008 * rng.standard_normal()
            die = design.goal.room_c + math.exp(case.rise[one])
            if seen >= math.log(design.goal.edge_fps) and die <= design.goal.die_limit_c:
                high = middle
            else:
                low = middle + 1
        picks.append(at_cap(watts[low], boost))
    holding = [one for one in picks if case.low[one] >= math.log(design.goal.edge_fps) - 0.01]
    return at, min(holding or picks, key=lambda one: case.draw[one])


def one_by_one(case, rng):
    """A full ladder of watts with everything on, then each other knob alone at what held there, single noisy passes."""
    design = case.design
    places = {setup: at for at, setup in enumerate(design.setups)}
    top = max(design.levels["gpu_ceiling_mhz"])
    at, best, best_draw = [], None, math.inf

    def tried(setup):
        nonlocal best, best_draw
        one = places[setup]
        at.append(one)
        low = case.low[one] + NOISE["low"] * rng.standard_normal()
        draw = case.draw[one] + NOISE["draw"] * rng.standard_normal()
        die = design.goal.room_c + math.exp(case.rise[one])
        if low >= math.log(design.goal.edge_fps) and die <= design.goal.die_limit_c and draw < best_draw:
            best, best_draw = setup, draw

    first = design.setups[0].with_(boost="on", gpu_ceiling_mhz=top, cap_fps="none")
    for watts in design.levels[LIMIT]:
        tried(first.with_(**dict.fromkeys(LIMITS, watts)))
    for name in ("cap_fps", "boost", "gpu_ceiling_mhz"):
        around = best if best is not None else first
        for level in design.levels[name]:
            if level != around[name]:
                tried(around.with_(**{name: level}))
    return at, places[best] if best is not None else None


def plainly(job):
    """The ways that need no belief: by hand, knob by knob, in random order."""
    number, seed = job
    case = case_of(number, seed)
    if case is None:
        return None
    ways = {"by hand": bisected(case, np.random.default_rng((seed, number, 8)))}
    ways["one knob at a time"] = one_by_one(case, np.random.default_rng((seed, number, 18)))
    return {
        name: (len(at), is_right(case, pick), math.isfinite(visited(case, at))) for name, (at, pick) in ways.items()
    }


def report_plainly(rows):
    """A line a way."""
    for name in rows[0]:
        passes, right, seen = zip(*(row[name] for row in rows))
        print(f"{name}: n {len(rows)}, passes {np.median(passes):.0f}, right {np.mean(right):.2f}, "
              f"visited {np.mean(seen):.2f}")  # fmt: skip


def one(job):
    number, seed = job
    case = case_of(number, seed)
    if case is None:
        return None
    at, said, stopped, _ = searched(case)
    rng = np.random.default_rng((seed, number, 8))
    by_hand, hand_pick = bisected(case, rng)
    random = visited(case, rng.permutation(case.low.size).tolist())
    picks = {n: (pick, sure) for n, pick, sure in said}
    last = max(picks)
    of = lambda n: picks[min(n, last)]  # noqa: E731
    end = of(stopped or last)
    return {
        "kind": case.kind, "visited": visited(case, at), "right15": is_right(case, of(15)[0]),
        "right25": is_right(case, of(25)[0]), "stopped": stopped or last, "right": is_right(case, end[0]),
        "sure": end[1], "stated": end[0] is not None, "hand_visited": visited(case, by_hand),
        "hand_right": is_right(case, hand_pick), "hand_passes": len(by_hand), "random": random,
    }  # fmt: skip


def known(job):
    """A second title on a machine of which the first one's search is known: passes until a setup within 2 % of its best
    was measured, with that and without."""
    number, seed = job
    first, second = case_of(number, seed), case_of(number, seed, 1)
    if first is None or second is None:
        return None
    at, _, _, rows = searched(first, 15)
    setups = tuple(first.design.setups[one] for one in at)
    told = KnownTitle(first.design.goal.target_fps, setups, *(tuple(rows[name]) for name in NOISE))
    knowing = replace(second, design=replace(second.design, known=(told,)))
    return {"kind": first.kind, "with": visited(second, searched(knowing, 15, 1)[0]),
            "without": visited(second, searched(second, 15, 1)[0])}  # fmt: skip


def report_known(rows):
    """As docs/search.md has it."""
    print("| cases | n | with: median | 90 % | without: median | 90 % |\n|---|---|---|---|---|---|")
    for kind in ("prior", "plant", "field", "all"):
        own = [r for r in rows if kind in ("all", r["kind"])]
        took = [sorted(r[name] for r in own) for name in ("with", "without")]
        if own:
            cells = [one[int(share * len(own))] for one in took for share in (0.5, 0.9)]
            print(f"| {' | '.join(map(str, (kind, len(own), *cells)))} |")


def fronted(job):
    """The trade-off of hours and frames: passes until what was measured covers nine tenths of the area that all setups
    do (linear, over the worst of each); inf where it was not in 40."""
    number, seed = job
    case = case_of(number, seed)
    if case is None:
        return None
    goal = replace(case.design.goal, edge_fps=0.0, front=True, die_limit_c=math.inf)
    at = searched(replace(case, design=replace(case.design, goal=goal)), 40)[0]
    points = np.column_stack((np.exp(-case.draw), np.exp(case.low)))
    reference = points.min(axis=0)
    whole = hypervolume(points, reference)
    rng = np.random.default_rng((seed, number, 9))

    def reached(order, most):
        areas = (hypervolume(points[order[:n]], reference) for n in range(1, most + 1))
        return next((n for n, area in enumerate(areas, 1) if area >= 0.9 * whole), math.inf)

    return {"kind": case.kind, "front": reached(at, len(at)), "random": reached(rng.permutation(len(points)), 400)}


def report_front(rows):
    """As docs/search.md has it."""
    print("| cases | n | median | 90 % | random: median |\n|---|---|---|---|---|")
    for kind in ("prior", "plant", "field", "all"):
        own = [r for r in rows if kind in ("all", r["kind"])]
        took = sorted(r["front"] for r in own)
        if own:
            cells = (took[len(own) // 2], took[int(0.9 * len(own))], np.median([r["random"] for r in own]))
            print(f"| {' | '.join(map(str, (kind, len(own), *cells)))} |")


HEAD = ("cases", "n", "visited, median", "90 %", "right at 15", "right at 25", "stops at", "right then", "said",
        "by hand: right", "by hand: visited")  # fmt: skip


def report(rows):
    """Tables as docs/search.md has them."""
    print(f"| {' | '.join(HEAD)} |\n|{'---|' * len(HEAD)}")
    for kind in ("prior", "plant", "field", "all"):
        own = [r for r in rows if kind in ("all", r["kind"])]
        if own:
            print(f"| {' | '.join(map(str, _row(kind, own)))} |")
    print(f"random, visited, median: {np.median([r['random'] for r in rows]):.0f}")
    for low, high in ((0.0, 0.7), (0.7, 0.9), (0.9, 1.01)):
        own = [r for r in rows if low <= r["sure"] < high and r["stated"]]
        if own:
            print(
                f"said {low:.1f} to {high:.1f}: n {len(own)}, said {np.mean([r['sure'] for r in own]):.2f}, "
                f"right {np.mean([r['right'] for r in own]):.2f}"
            )


def _row(kind, own):
    took = sorted(r["visited"] for r in own)
    shares = [f"{np.mean([r[key] for r in own]):.2f}" for key in ("right15", "right25", "right", "sure", "hand_right")]
    stops = f"{np.median([r['stopped'] for r in own]):.0f}"
    visited_ = f"{np.mean([math.isfinite(r['hand_visited']) for r in own]):.2f}"
    return (kind, len(own), took[len(own) // 2], took[int(0.9 * len(own))], *shares[:2], stops, *shares[2:], visited_)


def main(cases, seed, play=one, tell=report):
    """Play cases two at a time and print what they come to."""
    with ProcessPoolExecutor(2) as pool:
        rows = [row for row in pool.map(play, [(number, seed) for number in range(cases)]) if row is not None]
    tell(rows)
    return rows


if __name__ == "__main__":
    given = [a for a in sys.argv[1:] if not a.startswith("-")]
    ways = {
        "--known": (known, report_known), "--front": (fronted, report_front), "--plainly": (plainly, report_plainly),
    }  # fmt: skip
    how = next((ways[name] for name in ways if name in sys.argv), (one, report))
    main(int(given[0]) if given else 30, TUNING if "--tuning" in sys.argv else REPORTING, *how)
