"""Heat of the stand-in: two nodes, a fan with its policies, lag and noise. No clock, no files, no analysis."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

STILL_SHARE = 0.28  # of the conductance to the room that is left with the fan still
AIR_POWER = 0.8  # conductance of forced air grows with speed to this power (from memory)


@dataclass(frozen=True)
class FanPolicy:
    """Speed share = clip(base + slope (die - from_c), base, top); slope 0: a fixed speed."""

    base: float
    slope: float = 0.0
    from_c: float = 50.0
    top: float = 1.0

    def speed(self, die_c: float) -> float:
        """Speed the policy asks for, share of the highest."""
        return min(max(self.base + self.slope * (die_c - self.from_c), self.base), self.top)


@dataclass(frozen=True)
class HeatPath:
    """die -(r1)- shell -(r2)- room; c1, c2 in J/K; r2 at fan speed `fan_at`. hot_cpu, hot_gpu : hot spot over the die
    node, K/W.

    policies : name to FanPolicy (empty: the speed is `fan_at` for ever); fan_lag_s : time constant of the speed;
    fan_rpm, noise_db : at full speed; firmware_speed : what a firmware version makes of a policy's
    speed short of full;
    paste : factor on r1 (1 new, more with age and dust).
    """

    r1: float
    c1: float
    r2: float
    c2: float
    hot_cpu: float
    hot_gpu: float
    throttle_c: float = 95.0
    resume_c: float = 90.0
    fan_at: float = 0.6
    fan_lag_s: float = 8.0
    fan_rpm: float = 6200.0
    noise_db: float = 44.0
    firmware_speed: float = 1.0
    paste: float = 1.0
    policies: Mapping[str, FanPolicy] = field(default_factory=dict)

    def to_room(self, speed: float) -> float:
        """Conductance from shell to room at a fan speed share, W/K."""
        at = STILL_SHARE + (1.0 - STILL_SHARE) * self.fan_at**AIR_POWER
        return (STILL_SHARE + (1.0 - STILL_SHARE) * speed**AIR_POWER) / at / self.r2

    def noise(self, speed: float) -> float:
        """Sound level at a fan speed share, dB: + 50 log10(N2 / N1) (fan laws, from memory)."""
        return self.noise_db + 50.0 * math.log10(max(speed, 0.05))


@dataclass
class HeatState:
    """Node temperatures, C, and fan speed share (None: where its policy begins)."""

    die_c: float
    shell_c: float
    fan: float | None = None

    def advance(
        self, path: HeatPath, package_w: Array, room_c: float, dt_s: float, policy: str | None = None
    ) -> tuple[Array, Array]:
        """Step both nodes through powers (n,), each held `dt_s`; returns die and shell at the end of each step.

        The fan follows its policy once a call: its lag is longer than the blocks it is called with.
        """
        rule = path.policies.get(policy) if policy is not None else None
        asked = path.fan_at if rule is None else rule.speed(self.die_c)
        wanted = asked if rule is None or asked >= 1.0 else asked * path.firmware_speed
        if self.fan is None:
            self.fan = wanted
        else:
            self.fan += (wanted - self.fan) * (1.0 - math.exp(-dt_s * package_w.size / path.fan_lag_s))
        die, shell = self.die_c, self.shell_c
        dies, shells = [], []
        into, out = dt_s / path.c1, dt_s / path.c2
        g1, g2 = 1.0 / (path.r1 * path.paste), path.to_room(self.fan)
        for watts in package_w.tolist():
            flow = (die - shell) * g1
            die += (watts - flow) * into
            shell += (flow - (shell - room_c) * g2) * out
            dies.append(die)
            shells.append(shell)
        self.die_c, self.shell_c = die, shell
        return np.array(dies), np.array(shells)
