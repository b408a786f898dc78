"""Two thermal nodes: die (seconds) and shell (minutes). Predicts where a temperature settles.

The time constants are calibrated once per rig and fan policy from a long pass; freeing them on a minute of
data is wildly wrong.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from ..message import Message, Value, say
from ..stats.estimate import Estimate

Array = NDArray[np.float64]


@dataclass(frozen=True)
class TimeConstants:
    """fast_s, slow_s : time constants of the response (s), the eigenvalues of the network, not R C of a node.

    slow_se_s : standard error of the slow one.
    """

    fast_s: float
    slow_s: float
    slow_se_s: float = 0.0

    def as_dict(self) -> dict[str, float]:
        """Plain values for JSON."""
        return {"fast_s": self.fast_s, "slow_s": self.slow_s, "slow_se_s": self.slow_se_s}


@dataclass(frozen=True)
class Settled:
    """Where a temperature settles. value_c; se_c : standard error; reason : why it is not given (then value None)."""

    value_c: float | None
    se_c: float | None
    reason: str = ""

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {"value_c": self.value_c, "se_c": self.se_c, "reason": self.reason}


def two_node_constants(r1: float, c1: float, r2: float, c2: float) -> TimeConstants:
    """Time constants of die -(r1)- shell -(r2)- room with heat capacities c1, c2 (K/W, J/K).

    Eigenvalues of d(T)/dt = A T, A = [[-1/(r1 c1), 1/(r1 c1)], [1/(r1 c2), -(1/r1 + 1/r2)/c2]].
    """
    a = np.array([[-1 / (r1 * c1), 1 / (r1 * c1)], [1 / (r1 * c2), -(1 / r1 + 1 / r2) / c2]])
    fast, slow = sorted(-1.0 / np.linalg.eigvals(a).real)
    return TimeConstants(float(fast), float(slow))


def fit_two_exponentials(x: Array, y: Array, start: tuple[float, float] | None = None) -> tuple[Array, Array, float]:
    """Least squares y = b1 + b2 exp(-x / tau1) + b3 exp(-x / tau2) with tau1 >= tau2.

    Returns ((b1, b2, b3, tau1, tau2), their standard errors, residual sum of squares). The linear part is solved
    inside (variable projection), so only the two constants are searched, from `start` and from a grid.
    Raises InputError under 6 points.
    """
    from scipy.optimize import least_squares

    if x.size < 6:
        raise InputError(f"{x.size} points cannot carry two time constants. At least 6 are needed.")

    def linear(log_tau: Array) -> tuple[Array, Array]:
        design = np.column_stack((np.ones_like(x), *np.exp(-x[:, None] / np.exp(log_tau)[None, :]).T))
        coefficients, *_ = np.linalg.lstsq(design, y, rcond=None)
        return coefficients, design @ coefficients - y

    def residual(log_tau: Array) -> Array:
        return linear(log_tau)[1]

    span = float(np.ptp(x))
    grid = np.log(np.geomspace(span / 200, span * 2, 12))
    starts = [np.array([a, b]) for i, a in enumerate(grid) for b in grid[:i]]
    starts.sort(key=lambda s: float((residual(s) ** 2).sum()))
    tried = [np.log(np.array(start, float))] if start else []
    best = None
    for guess in [*tried, *starts[:3]]:
        found = least_squares(residual, guess, xtol=1e-15, ftol=1e-15, gtol=1e-15, max_nfev=400)
        if best is None or found.cost < best.cost:
            best = found
    assert best is not None  # starts is never empty
    log_tau = np.sort(best.x)[::-1]
    coefficients, rest = linear(log_tau)
    tau = np.exp(log_tau)
    e1, e2 = np.exp(-x / tau[0]), np.exp(-x / tau[1])
    jacobian = np.column_stack(
        (np.ones_like(x), e1, e2, coefficients[1] * e1 * x / tau[0] ** 2, coefficients[2] * e2 * x / tau[1] ** 2)
    )
    rss = float(rest @ rest)
    se = _standard_errors(jacobian, rss)
    return np.array([*coefficients, *tau]), se, rss


def _standard_errors(jacobian: Array, rss: float) -> Array:
    n, k = jacobian.shape
    _, s, vt = np.linalg.svd(jacobian, full_matrices=False)
    if n <= k or s[-1] <= s[0] * 1e-13:
        return np.full(k, np.inf)
    covariance = (vt.T / s**2) @ vt * rss / (n - k)
    return np.sqrt(np.diag(covariance))


def calibrate(seconds: Array, celsius: Array) -> TimeConstants:
    """Time constants from a long pass at one setup: seconds (n,) from 0, celsius (n,).

    Raises InputError where the pass is too short for its slow constant (under 1.5 of it) or shows no rise.
    """
    known = np.isfinite(celsius)
    seconds, celsius = seconds[known], celsius[known]
    if seconds.size > 600:  # a few hundred points carry it; means keep the noise down
        seconds, celsius = _thinned(seconds, celsius, 600)
    if seconds.size < 30 or float(np.ptp(celsius)) < 3.0:
        raise InputError(
            f"The heat pass rose {float(np.ptp(celsius)) if celsius.size else 0:.1f} degrees over {seconds.size} "
            "samples; at least 3 degrees and 30 samples are needed. Start it from a cool machine."
        )
    values, se, _ = fit_two_exponentials(seconds, celsius)
    slow, fast = float(values[3]), float(values[4])
    span = float(seconds[-1] - seconds[0])
    if span < 1.5 * slow or not math.isfinite(float(se[3])):
        raise InputError(
            f"The heat pass lasted {span / 60:.0f} min, too short for a machine that settles over "
            f"{slow / 60:.0f} min. Make it at least {1.5 * slow / 60:.0f} min."
        )
    return TimeConstants(fast, slow, float(se[3]))


def _thinned(seconds: Array, celsius: Array, most: int) -> tuple[Array, Array]:
    group = math.ceil(seconds.size / most)
    whole = seconds.size // group * group
    return (
        seconds[:whole].reshape(-1, group).mean(axis=1),
        celsius[:whole].reshape(-1, group).mean(axis=1),
    )


def settle(seconds: Array, celsius: Array, constants: TimeConstants, widest_se_c: float = 2.0) -> Settled:
    """Where the temperature of one pass settles: T_inf of T_inf - A1 exp(-t / fast) - A2 exp(-t / slow).

    seconds (n,) since the setup was applied (s); celsius (n,). Linear in its three unknowns. The standard error
    allows for correlated residuals (first-order, from their own autocorrelation) and for the slow constant's own
    error. A pass that leaves it wider than `widest_se_c` is too short, and says so.
    """
    known = np.isfinite(celsius)
    seconds, celsius = seconds[known] - (seconds[known][0] if known.any() else 0.0), celsius[known]
    if seconds.size < 10:
        return Settled(None, None, "too few temperature samples")
    value, se = _settle_once(seconds, celsius, constants.fast_s, constants.slow_s)
    if constants.slow_se_s > 0:
        other, _ = _settle_once(seconds, celsius, constants.fast_s, constants.slow_s + constants.slow_se_s)
        se = math.hypot(se, other - value)
    if se > widest_se_c:
        return Settled(None, None, f"pass too short to tell where it settles (within {2 * se:.0f} degrees)")
    return Settled(value, se)


@dataclass(frozen=True)
class Structure:
    """How far off two exponentials are on machines of more nodes and other fans, as measured on such (one standard
    deviation): least, degrees; down, up : a degree that the temperature is reckoned to fall or rise after the pass."""

    least: float
    down: float
    up: float


# (shell, whether the fan was seen to keep its speed)
STRUCTURES = {
    (False, True): Structure(0.8, 0.8, 0.12), (False, False): Structure(2.0, 0.9, 0.3),
    (True, True): Structure(0.6, 0.4, 0.1), (True, False): Structure(0.9, 0.4, 0.6),
}  # fmt: skip


def with_structure(settled: Settled, end_c: float | None, *, is_shell: bool, steady_fan: bool) -> Settled:
    """The same with the error of the model itself in its own. end_c : at the end of the pass."""
    if settled.value_c is None or settled.se_c is None:
        return settled
    off = STRUCTURES[is_shell, steady_fan]
    moves = settled.value_c - end_c if end_c is not None else 0.0
    part = off.down * -moves if moves < 0 else off.up * moves
    return Settled(settled.value_c, math.sqrt(settled.se_c**2 + off.least**2 + part**2), settled.reason)


def is_steady(rpm: Array) -> bool:
    """Whether a fan kept its speed to 3 % over a pass."""
    known = rpm[np.isfinite(rpm)]
    return bool(known.size >= 5 and known.min() > 0 and np.ptp(known) <= 0.03 * known.mean())


def _settle_once(seconds: Array, celsius: Array, fast_s: float, slow_s: float) -> tuple[float, float]:
    design = np.column_stack((np.ones_like(seconds), np.exp(-seconds / fast_s), np.exp(-seconds / slow_s)))
    coefficients, *_ = np.linalg.lstsq(design, celsius, rcond=None)
    residual = celsius - design @ coefficients
    variance = float(residual @ residual) / max(seconds.size - 3, 1)
    r = float(residual[:-1] @ residual[1:]) / max(float(residual @ residual), 1e-12)
    r = min(max(r, 0.0), 0.98)
    inverse = np.linalg.pinv(design.T @ design)
    return float(coefficients[0]), math.sqrt(inverse[0, 0] * variance * (1 + r) / (1 - r))


def settle_curve(seconds: Array, celsius: Array, constants: TimeConstants) -> Array:
    """(n,) the fit of `settle` at each sample, nan where the sample is none; all nan under 10 samples."""
    known = np.isfinite(celsius)
    found: Array = np.full(seconds.size, np.nan)
    if int(known.sum()) < 10:
        return found
    at = seconds[known] - seconds[known][0]
    design = np.column_stack((np.ones_like(at), np.exp(-at / constants.fast_s), np.exp(-at / constants.slow_s)))
    found[known] = design @ np.linalg.lstsq(design, celsius[known], rcond=None)[0]
    return found


def thermal_resistance(settled_c: float, room_c: float, package_w: float) -> float:
    """Rise over room per watt of package power at one fan policy, K/W."""
    if package_w <= 0:
        raise InputError(f"Package power {package_w:g} W gives no thermal resistance. It must be over 0 W.")
    return (settled_c - room_c) / package_w


def sustained_power_w(limit_c: float, room_c: float, resistance: float) -> float:
    """Package power that settles at `limit_c` in a room, W."""
    return (limit_c - room_c) / resistance


def sound_change_db(speed_ratio: float) -> float:
    """Change of fan noise with speed: 50 log10(N2 / N1) dB (fan laws, from memory)."""
    return 50.0 * math.log10(speed_ratio)


def in_hot_room(
    settled: Estimate, room_c: float, hot_c: float, package_w: float | None, limit_c: float | None
) -> Message:
    """What the die would do in a hotter room: where it would settle, whether it throttles there, and up to which
    package power it would not. The rise is the same; a faster fan can only do better. The watts stay below even if
    the rise is at the upper end of its interval."""
    value = settled.value + (hot_c - room_c)
    told = {"room": Value(hot_c, "C", digits=0), "die": Value(value, "C", digits=0)}
    if limit_c is None or settled.high is None or settled.low is None:
        return say("hot-room", **told)
    told["limit"] = Value(limit_c, "C", digits=0)
    if settled.high + (hot_c - room_c) < limit_c:
        return say("hot-room-below", **told)
    sure = settled.low + (hot_c - room_c) > limit_c
    if package_w is None or settled.high <= room_c or limit_c <= hot_c:
        return say("hot-room-throttles" if sure else "hot-room-may", **told)
    watts = sustained_power_w(limit_c, hot_c, thermal_resistance(settled.high, room_c, package_w))
    told["watts"] = Value(math.floor(watts * 2) / 2, "W")
    return say("hot-room-throttles-at" if sure else "hot-room-may-at", **told)


TOUCH_LIMITS_C: tuple[tuple[float, float], ...] = ((1 / 60, 51.0), (1 / 6, 48.0), (8.0, 43.0))  # hours, degrees C


def touch_limit_c(hours: float) -> float:
    """Burn threshold of a surface held for some hours (ISO 13732-1, from memory), by log time between its rows."""
    times, limits = zip(*TOUCH_LIMITS_C)
    return float(np.interp(math.log(max(hours, 1e-3)), np.log(times), limits))


def touch_warning(shell_c: float, hours: float | None = None) -> Message | None:
    """Caution for a shell that is held for some hours (a working day where that is not known), or None."""
    held = min(hours, TOUCH_LIMITS_C[-1][0]) if hours else TOUCH_LIMITS_C[-1][0]
    limit = touch_limit_c(held)
    if shell_c < limit - 1.0:
        return None
    return say("touch", shell=Value(shell_c, "C", digits=0), limit=Value(limit, "C", digits=0), held=held)
