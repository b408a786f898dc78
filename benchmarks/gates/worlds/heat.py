"""Heat of an odd plant: a linear network of two to four nodes whose fan changes one conductance. NumPy and SciPy.

Stepped exactly (matrix exponential) once a second for each of 33 fan speeds. Where it settles comes from the network's
own balance, solved apart.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import expm
from scipy.optimize import brentq

Array = NDArray[np.float64]

SPEEDS = 33


@dataclass(frozen=True)
class Fan:
    """A policy. kind : "even" (speed `base`), "full" (1), "steps" (a level for each threshold of the die, left again
    `back_c` lower) or "curve" (from `base` to 1 over `width_c` about `middle_c`); lag_s : of what it sees."""

    kind: str = "even"
    base: float = 0.5
    steps: tuple[tuple[float, float], ...] = ()
    back_c: float = 4.0
    middle_c: float = 65.0
    width_c: float = 20.0
    lag_s: float = 8.0

    def wanted(self, seen_c: float, now: float) -> float:
        """Speed at a smoothed die temperature, from the speed that runs."""
        if self.kind == "even":
            return self.base
        if self.kind == "full":
            return 1.0
        if self.kind == "curve":
            part = (seen_c - self.middle_c) / self.width_c + 0.5
            return self.base + (1.0 - self.base) * min(max(part, 0.0), 1.0)
        up = max((level for edge, level in self.steps if seen_c >= edge), default=self.base)
        held = max((level for edge, level in self.steps if seen_c >= edge - self.back_c), default=self.base)
        return max(up, min(now, held))


@dataclass(frozen=True)
class Network:
    """die - sink - room, and where there are more nodes sink - board - shell - room. Conductances in W/K, capacities in
    J/K; g_sink is that at full fan, `still` the share of it left with the fan still; hot : of the sensor over the die
    node, K/W; beside : share of the draw beside the package that warms the board. nodes 2: the shell sensor is the
    sink; 3: no board."""

    nodes: int
    g_die: float
    c_die: float
    g_sink: float
    c_sink: float
    still: float
    power: float
    hot: float
    beside: float
    g_board: float = 0.3
    c_board: float = 200.0
    g_shell: float = 0.4
    c_shell: float = 150.0
    g_out: float = 0.5

    def conductance(self, speed: float) -> float:
        """From sink to room, W/K."""
        return self.g_sink * (self.still + (1.0 - self.still) * speed**self.power)

    def matrices(self, speed: float) -> tuple[Array, Array]:
        """dT/dt = A (T - room) + B (package, beside); T the nodes over the room."""
        out = self.conductance(speed)
        if self.nodes == 2:
            a = np.array([[-self.g_die, self.g_die], [self.g_die, -(self.g_die + out)]])
            c, b = np.array([self.c_die, self.c_sink]), np.array([[1.0, 0.0], [0.0, self.beside]])
        elif self.nodes == 3:
            a = np.array([
                [-self.g_die, self.g_die, 0.0],
                [self.g_die, -(self.g_die + out + self.g_shell), self.g_shell],
                [0.0, self.g_shell, -(self.g_shell + self.g_out)],
            ])  # fmt: skip
            c, b = np.array([self.c_die, self.c_sink, self.c_shell]), np.array([[1.0, 0], [0, 0], [0, self.beside]])
        else:
            a = np.array([
                [-self.g_die, self.g_die, 0.0, 0.0],
                [self.g_die, -(self.g_die + out + self.g_board), self.g_board, 0.0],
                [0.0, self.g_board, -(self.g_board + self.g_shell), self.g_shell],
                [0.0, 0.0, self.g_shell, -(self.g_shell + self.g_out)],
            ])  # fmt: skip
            c = np.array([self.c_die, self.c_sink, self.c_board, self.c_shell])
            b = np.array([[1.0, 0.0], [0.0, 0.0], [0.0, self.beside], [0.0, 0.0]])
        return a / c[:, None], b / c[:, None]

    @cached_property
    def steps(self) -> list[tuple[Array, Array]]:
        """(transition, input) matrices of one second for each fan speed."""
        found = []
        for index in range(SPEEDS):
            a, b = self.matrices(index / (SPEEDS - 1))
            whole = np.zeros((self.nodes + 2, self.nodes + 2))
            whole[: self.nodes, : self.nodes], whole[: self.nodes, self.nodes :] = a, b
            moved = expm(whole)
            found.append((moved[: self.nodes, : self.nodes].copy(), moved[: self.nodes, self.nodes :].copy()))
        return found

    def balance(self, package_w: float, beside_w: float, room_c: float, speed: float) -> tuple[float, float]:
        """Settled (die sensor, shell) at a held fan speed, C."""
        a, b = self.matrices(speed)
        rise = np.linalg.solve(a, -b @ np.array([package_w, beside_w]))
        return room_c + float(rise[0]) + self.hot * package_w, room_c + float(rise[-1])

    def settled(self, package_w: float, beside_w: float, room_c: float, fan: Fan) -> list[tuple[float, float]]:
        """Where die sensor and shell settle under a policy, C: one pair, or two where the fan's steps overlap."""
        if fan.kind in ("even", "full"):
            return [self.balance(package_w, beside_w, room_c, fan.wanted(0.0, 0.0))]
        if fan.kind == "curve":

            def off(speed: float) -> float:
                return fan.wanted(self.balance(package_w, beside_w, room_c, speed)[0], 0.0) - speed

            low, high = fan.base, 1.0
            speed = low if off(low) <= 0 else high if off(high) >= 0 else float(brentq(off, low, high, xtol=1e-6))
            return [self.balance(package_w, beside_w, room_c, speed)]
        found = []
        for level in sorted({fan.base, *(level for _, level in fan.steps)}):
            die, shell = self.balance(package_w, beside_w, room_c, level)
            if abs(fan.wanted(die, level) - level) < 1e-9:
                found.append((die, shell))
        if found:
            return found
        speeds = np.linspace(fan.base, 1.0, 200)  # it hunts between two levels: the mean lies where they meet
        dies = [self.balance(package_w, beside_w, room_c, float(s))[0] for s in speeds]
        edges = [edge for edge, _ in fan.steps]
        at = int(np.argmin([min(abs(d - e + fan.back_c / 2) for e in edges) for d in dies]))
        return [self.balance(package_w, beside_w, room_c, float(speeds[at]))]


class Warmth:
    """Temperatures under way. rises : of the nodes over `room_c`; speed : of the fan."""

    def __init__(self, network: Network, fan: Fan, room_c: float) -> None:
        self.network, self.fan, self.room_c = network, fan, room_c
        self._rise = np.full(network.nodes, 6.0)
        self._rise[-1] = 3.0
        self._seen = room_c + 8.0
        self._watts = 3.0
        self.speed = fan.wanted(self._seen, fan.base)

    def advance(self, package_w: Array, beside_w: float) -> tuple[Array, Array, Array]:
        """Step through seconds of package power (n,); die sensor, shell, fan speed at the end of each."""
        steps, fan, rise = self.network.steps, self.fan, self._rise
        near = 1.0 - math.exp(-1.0 / fan.lag_s)
        dies, shells, speeds = np.empty(package_w.size), np.empty(package_w.size), np.empty(package_w.size)
        still = fan.kind in ("even", "full")
        hot, room = self.network.hot, self.room_c
        for index, watts in enumerate(package_w.tolist()):
            move, push = steps[round(self.speed * (SPEEDS - 1))]
            rise = move @ rise + push @ (watts, beside_w)
            die = room + float(rise[0]) + hot * watts
            if not still:
                self._seen += (die - self._seen) * near
                self.speed = fan.wanted(self._seen, self.speed)
            dies[index], shells[index], speeds[index] = die, room + float(rise[-1]), self.speed
        self._rise = rise
        return dies, shells, speeds
