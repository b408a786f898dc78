"""Sixty changes of the core: do the unit tests notice them?

Each is one text for another in one file of src/hovrik/core, applied to a copy; `tests/unit`, stopped at its first
failure and given 60 s, must fail. The list was made before the tests that kill what survived; a change that no longer
applies is told as stale and counts as survived.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from .score import Score

ROOT = Path(__file__).parents[2]
SECONDS = 60


@dataclass(frozen=True)
class Mutant:
    """One change. slight : it changes a result by less than a factor of two."""

    kind: str
    file: str
    old: str
    new: str
    slight: bool = True


MUTANTS = (
    Mutant("rate", "passes/frames.py", "return float(1000.0 * interval_ms.size / interval_ms.sum())",
           "return float((1000.0 / interval_ms).mean())"),
    Mutant("rate", "passes/frames.py", "mean_fps=series.size / total_s,", "mean_fps=(series.size - 1) / total_s,"),
    Mutant("low", "passes/frames.py", "1000.0 / _quantile(ascending_ms, 1.0 - share),",
           "1000.0 / _quantile(ascending_ms, 1.0 - 1.1 * share),"),
    Mutant("low", "passes/frames.py",
           "slowest = math.ceil(share * n - 1e-9)", "slowest = max(math.floor(share * n), 1)"),
    Mutant("low", "passes/frames.py", "wanted = share * float(ascending_ms.sum())",
           "wanted = 1.2 * share * float(ascending_ms.sum())"),
    Mutant("share", "passes/frames.py", "STEADY_SHARE = 0.10", "STEADY_SHARE = 0.12"),
    Mutant("share", "passes/frames.py", "MISSED_RATIO = 1.5", "MISSED_RATIO = 1.6"),
    Mutant("share", "passes/frames.py", "STUTTER_RATIO = 2.5", "STUTTER_RATIO = 2.8"),
    Mutant("share", "passes/frames.py", "np.diff(slow) >= 5", "np.diff(slow) >= 8"),
    Mutant("share", "passes/frames.py", "STUTTER_OVER_MS = 8.0", "STUTTER_OVER_MS = 12.0"),
    Mutant("interval", "stats/estimate.py", "half = t_quantile(0.975, self.dof) * self.se", "half = 0.0", slight=False),
    Mutant("interval", "stats/estimate.py", "half = t_quantile(0.975, self.dof) * self.se",
           "half = t_quantile(0.95, self.dof) * self.se"),
    Mutant("interval", "passes/inside.py", "half = t_quantile(0.975, self.dof) * self.rate_se",
           "half = 1.4 * self.rate_se"),
    Mutant("interval", "read/answer.py", "half = 2.0 * math.hypot(draw.se, rate.se)",
           "half = 1.2 * math.hypot(draw.se, rate.se)"),
    Mutant("interval", "read/group.py", "max(own, scatter), HEAT_DOF", "0.65 * max(own, scatter), HEAT_DOF"),
    Mutant("interval", "model/battery.py", "low = math.hypot(own, math.log(found.wh / found.low))",
           "low = own", slight=False),
    Mutant("error", "stats/spread.py", "math.sqrt(variance / group.size)", "0.1 * math.sqrt(variance / group.size)",
           slight=False),
    Mutant("error", "stats/spread.py", "math.sqrt(variance / group.size)", "math.sqrt(variance) / group.size"),
    Mutant("error", "read/group.py", "fading = 0.5 if", "fading = 0.95 if"),
    Mutant("error", "stats/spread.py", "PRIOR_DOF = 4.0", "PRIOR_DOF = 16.0"),
    Mutant("error", "passes/inside.py", "dof = max(seconds / (2.0 * tau) - 1.0, 2.0)", "dof = max(seconds / tau, 2.0)"),
    Mutant("error", "read/group.py", "if mean.n == 1 else max(mean.se, own)", "if mean.n == 1 else mean.se"),
    Mutant("time constant", "passes/inside.py", "return lag * width", "return 0.6 * lag * width"),
    Mutant("time constant", "passes/heat.py", "if span < 1.5 * slow", "if span < 1.0 * slow"),
    Mutant("time constant", "passes/heat.py",
           "inverse[0, 0] * variance * (1 + r) / (1 - r)", "inverse[0, 0] * variance",
           slight=False),
    Mutant("time constant", "passes/heat.py", "se = math.hypot(se, other - value)", "pass", slight=False),
    Mutant("energy", "model/battery.py", "pack.delivered_wh(draw_w, rig.charge_limit, rig.reserve)",
           "pack.delivered_wh(draw_w, rig.charge_limit, 0.0)"),
    Mutant("energy", "model/battery.py", "pack.delivered_wh(draw_w, rig.charge_limit, rig.reserve)",
           "pack.delivered_wh(draw_w, 1.0, rig.reserve)"),
    Mutant("energy", "passes/energy.py", "LOSS_PER_WATT = 0.00155", "LOSS_PER_WATT = 0.0012"),
    Mutant("energy", "passes/energy.py", "return step_wh / math.sqrt(6.0)", "return step_wh / math.sqrt(12.0)"),
    Mutant("energy", "passes/energy.py", "inside = u * u - 4.0 * self.ohm * draw_w\n        return np.where",
           "inside = u * u - 3.0 * self.ohm * draw_w\n        return np.where"),
    Mutant("energy", "passes/energy.py", "least = max(least_share", "least = min(least_share"),
    Mutant("heat", "passes/heat.py", "value = settled.value + (hot_c - room_c)",
           "value = settled.value + 0.8 * (hot_c - room_c)"),
    Mutant("heat", "passes/heat.py", "return 50.0 * math.log10(speed_ratio)", "return 40.0 * math.log10(speed_ratio)"),
    Mutant("heat", "passes/heat.py",
           "return (limit_c - room_c) / resistance", "return 0.9 * (limit_c - room_c) / resistance"),
    Mutant("heat", "passes/heat.py", "(1 / 6, 48.0)", "(1 / 6, 50.0)"),
    Mutant("surprise", "stats/surprise.py", "SHARE = 0.9995", "SHARE = 0.99"),
    Mutant("surprise", "stats/surprise.py", "LEAST = 0.02", "LEAST = 0.04"),
    Mutant("surprise", "stats/surprise.py",
           "np.sqrt(variance * (1.0 + 1.0 / ((n - 1) or 2)))", "np.sqrt(variance)"),
    Mutant("mark", "read/marks.py", "CEILING_SHARE = 0.02", "CEILING_SHARE = 0.03"),
    Mutant("mark", "read/marks.py", "share = (floor - y[at - 1]) / (y[at] - y[at - 1])", "share = 0.5"),
    Mutant("mark", "read/marks.py", "at = int(net.argmax())", "at = int((net > 0).argmax())"),
    Mutant("mark", "read/marks.py", "for share in (0.025, 0.5, 0.975)", "for share in (0.25, 0.5, 0.75)"),
    Mutant("curve", "stats/process.py", "T_DOF = 4.0", "T_DOF = 400.0"),
    Mutant("curve", "stats/curve.py", "return n * math.log(max(rss, 1e-300) / n) + 2 * k",
           "return n * math.log(max(rss, 1e-300) / n) + k"),
    Mutant("curve", "stats/curve.py", "(at := (i2 - i1) / (s1 - s2))", "(at := 1.03 * (i2 - i1) / (s1 - s2))"),
    Mutant("curve", "read/response.py", "DENT_SE, MAYBE_SE = 5.0", "DENT_SE, MAYBE_SE = 8.0"),
    Mutant("floor", "read/group.py", "LOW: 0.01,", "LOW: 0.018,"),
    Mutant("floor", "model/held.py", "edge * np.sqrt(1.0 + spread**2) if of_share else edge", "edge",
           slight=False),
    Mutant("floor", "facts/terms.py", "else 1.0 - self.tolerance)", "else 1.0 - 0.5 * self.tolerance)"),
    Mutant("floor", "read/answer.py",
           "group.holds >= question.terms.sure and not group.incidents",
           "group.holds >= 0.85 and not group.incidents"),
    Mutant("floor", "read/answer.py", "group.holds >= question.terms.sure and not group.incidents",
           "group.holds >= question.terms.sure",
           slight=False),
    Mutant("plan", "model/held.py",
           "if chance >= 0.8:", "if chance >= 0.6:"),
    Mutant("plan", "plan/schedule.py", "if charge - need / full < low:", "if charge < low:", slight=False),
    Mutant("plan", "stats/power.py", "math.sqrt(repeats / 2.0)", "math.sqrt(repeats / 1.5)"),
    Mutant("check", "passes/checks.py", "over_share: float = 0.05", "over_share: float = 0.08"),
    Mutant("check", "passes/checks.py", "drift_share: float = 0.05", "drift_share: float = 0.09"),
    Mutant("check", "passes/checks.py", "throttle_share: float = 0.02", "throttle_share: float = 0.3", slight=False),
    Mutant("gate", "facts/allowed.py",
           "if low - 1e-9 <= number <= high + 1e-9 else", "if low - 1e-9 <= number <= 1.1 * high else"),
    Mutant("gate", "facts/knob.py",
           "<= 0.5 * step + 1e-9", "<= step + 1e-9"),
)  # fmt: skip


def survives(mutant: Mutant) -> str:
    """Why a mutant is not killed, empty where it is."""
    with tempfile.TemporaryDirectory() as name:
        source = Path(name) / "src"
        shutil.copytree(ROOT / "src" / "hovrik", source / "hovrik", ignore=shutil.ignore_patterns("__pycache__"))
        path = source / "hovrik" / "core" / mutant.file
        text = path.read_text(encoding="utf-8")
        if text.count(mutant.old) != 1:
            return f"stale: {text.count(mutant.old)} places"
        path.write_text(text.replace(mutant.old, mutant.new), encoding="utf-8")
        command = [sys.executable, "-m", "pytest", "tests/unit", "-x", "-q", "-p", "no:cacheprovider"]
        environment = {**os.environ, "PYTHONPATH": str(source), "PYTHONDONTWRITEBYTECODE": "1"}
        try:
            ended = subprocess.run(
                command, cwd=ROOT, env=environment, capture_output=True, timeout=SECONDS, check=False
            )
        except subprocess.TimeoutExpired:
            return f"not seen within {SECONDS} s"
        return "" if ended.returncode == 1 else f"pytest ended with {ended.returncode}"


def scores(most: int, at_once: int = 2) -> Iterator[Score]:
    """One score a mutant, a hit where it is killed; the first of every so many where fewer than all are wanted."""
    every = max(len(MUTANTS) // most, 1)
    some = MUTANTS[::every][:most]
    with ThreadPoolExecutor(at_once) as pool:
        for mutant, why in zip(some, pool.map(survives, some)):
            words = f"{mutant.file}: {mutant.new[:40]}" + (f" ({why})" if why else "")
            yield Score("mutants", "killed by tests/unit", "core", words, not why, 1.0)
