"""How well a second recorder's clock is found: known offsets and drifts on stand-in recordings, and unrelated ones.

    python benchmarks/alignment.py [--trials 100] [--first 1000] [--processes 2]

Offsets are drawn from -20 to +30 s, drifts from +-100 ppm (a clock) or +-2 % (a logger that only wishes for one row a
second). "within" counts errors in the middle of the overlap of at most twice the stated standard deviation. Unrelated:
the telemetry of another recording with other scene lengths; anything but a refusal is a false fit.
"""

from __future__ import annotations

import argparse
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from hovrik.bench.simulated.machine import AS_FAST, SimulatedMachine
from hovrik.bench.simulated.model import load_model
from hovrik.core.errors import InputError
from hovrik.core.facts.setup import static
from hovrik.core.passes.align import CLOCK_DRIFT, ROWS_DRIFT, by_load
from hovrik.core.passes.trace import Channel, Trace
from hovrik.demo import scenario

SECOND = 1_000_000_000
NAMES = ("package_w", "gpu_share", "cpu_share")
# name: scenes, limit (W), cap, whether the log carries package power too, largest drift, whether the same recording
CASES = {
    "six scenes, a clock": (6, 12.0, "none", False, 1e-4, True),
    "six scenes at a cap, a clock": (6, 20.0, 40.0, False, 1e-4, True),
    "six scenes, rows only": (6, 12.0, "none", False, 0.02, True),
    "twenty scenes, a clock": (20, 12.0, "none", False, 1e-4, True),
    "one capped scene, package power in both": (1, 20.0, 40.0, True, 1e-4, True),
    "one steady scene, frame rate only": (1, 12.0, "none", False, 1e-4, True),
    "three scenes, a clock": (3, 12.0, "none", False, 1e-4, True),
    "unrelated, three scenes": (3, 12.0, "none", False, 1e-4, False),
    "unrelated, six scenes": (6, 12.0, "none", False, 1e-4, False),
    "unrelated, one scene": (1, 12.0, "none", True, 1e-4, False),
}


def evening(seed: int, limit: float, cap: float | str, scenes: int) -> Trace:
    """Scenes of 50 to 90 s (one of 300 s where it is the only one) with pauses of 8 to 25 s, sensors going on."""
    rng = np.random.default_rng(seed)
    frames, parts = [], {name: [] for name in NAMES}
    with tempfile.TemporaryDirectory() as folder:
        machine = SimulatedMachine(load_model(scenario.SCENARIO), Path(folder) / "state.json", pace=AS_FAST, seed=seed)
        machine.apply(static(limit, cap))
        question = scenario.question()
        for _ in range(scenes):
            machine.start_scene(question.title, question.scene)
            machine.wait(300.0 if scenes == 1 else round(float(rng.uniform(50, 90)), 1))
            sample = machine.sample()
            machine.end_scene()
            frames.append(sample.frames_ns)
            for name in NAMES:
                parts[name].append(sample.channels[name])
            before = machine.now_ns()
            machine.wait(round(float(rng.uniform(8, 25)), 1))
            idle = np.arange(before // SECOND + 1, machine.now_ns() // SECOND + 1, dtype=np.int64) * SECOND
            for name, value in (("package_w", 3.5), ("gpu_share", 4.0), ("cpu_share", 6.0)):
                parts[name].append(Channel(idle, value * (1 + 0.05 * rng.standard_normal(idle.size))))
        machine.close()
    stamps = np.concatenate(frames)
    channels = {}
    for name, found in parts.items():
        at = np.concatenate([c.stamps_ns for c in found])
        order = np.argsort(at, kind="stable")
        channels[name] = Channel(at[order], np.concatenate([c.values for c in found])[order])
    return Trace(stamps, channels, int(stamps[0]), int(stamps[-1]))


def trial(case: str, seed: int) -> tuple[float, float, float] | None:
    """(error in the middle of the overlap in s, its stated standard deviation, error of the drift), None: refused."""
    scenes, limit, cap, shared, most, related = CASES[case]
    rng = np.random.default_rng((seed, 7))
    source = evening(seed, limit, cap, scenes)
    heard = source if related else evening(seed + 50_000, limit, cap, scenes)
    own = {}
    if shared:
        power, rows = source.channels["package_w"], source.frames_ns[::30]
        own = {"package_w": Channel(rows, np.interp(rows, power.stamps_ns, power.values))}
    trace = Trace(source.frames_ns, own, source.start_ns, source.end_ns)
    begin_s, drift = rng.uniform(-20, 30), rng.uniform(-most, most)
    first = int(heard.frames_ns[0] + begin_s * SECOND)
    telemetry = {}
    for name, channel in heard.channels.items():
        at = np.arange(first, int(channel.stamps_ns[-1]), SECOND, dtype=np.int64)  # the newest value, once a second
        newest = channel.values[np.maximum(np.searchsorted(channel.stamps_ns, at, side="right") - 1, 0)]
        noisy = newest * (1 + 0.01 * rng.standard_normal(at.size))
        telemetry[name] = Channel(np.round((at - first) / (1 + drift)).astype(np.int64), noisy)
    try:
        fit = by_load(trace, telemetry, ROWS_DRIFT if most > CLOCK_DRIFT else CLOCK_DRIFT)
    except InputError:
        return None
    middle = fit.overlap_s / 2
    error = fit.begin_s + (1 + fit.drift) * middle - begin_s - (1 + drift) * middle
    return error, float(fit.sd_s or 0.0), fit.drift - drift


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--trials", type=int, default=100)
    parser.add_argument("--first", type=int, default=1000, help="first seed")
    parser.add_argument("--processes", type=int, default=2)
    given = parser.parse_args()
    head = ("case", "fitted", "within 2 sd", "median", "worst", "stated sd", "drift off by (rms)")
    print("{:42}{:>8}{:>13}{:>10}{:>10}{:>11}{:>20}".format(*head))
    with ProcessPoolExecutor(given.processes) as pool:
        for case in CASES:
            seeds = range(given.first, given.first + given.trials)
            found = [one for one in pool.map(trial, [case] * given.trials, seeds) if one is not None]
            line = f"{case:42}{len(found) / given.trials:8.1%}"
            if found and CASES[case][5]:
                error, sd, drift = (np.array(column) for column in zip(*found, strict=True))
                within = np.mean(np.abs(error) <= 2 * sd)
                line += f"{within:13.0%}{np.median(np.abs(error)):8.2f} s{np.abs(error).max():8.2f} s"
                line += f"{np.median(sd):9.2f} s{1e6 * np.sqrt((drift**2).mean()):16.0f} ppm"
            print(line, flush=True)


if __name__ == "__main__":
    main()
