"""Battery and adapter of the stand-in: what a block of power does to the charge, the gauge and the wall."""

from __future__ import annotations

import math
from dataclasses import dataclass

from .battery import Battery
from .model import Supply


@dataclass
class PowerState:
    """charge : true share; gauge : what the gauge follows; plugged : adapter in."""

    charge: float
    gauge: float
    plugged: bool

    def read_gauge(self, step_share: float) -> float:
        """Gauge reading, share, in its steps."""
        return math.floor(self.gauge / step_share + 1e-9) * step_share


@dataclass(frozen=True)
class Flow:
    """Where the watts of a block came from. battery_w : out of the battery, negative while charging; wall_w : into the
    adapter; current_a, volts : of the battery."""

    battery_w: float
    wall_w: float
    current_a: float
    volts: float


def charging_w(supply: Supply, state: PowerState, adapter_w: float, draw_w: float, charge_limit: float) -> float:
    """What is left for the battery, W: the load comes first, the rest charges, tapering near full."""
    if not state.plugged or state.charge >= charge_limit - 1e-6:
        return 0.0
    most = supply.charge_w
    if state.charge > supply.taper_from:
        most *= max((1.0 - state.charge) / (1.0 - supply.taper_from), 0.08)
    return min(max(adapter_w * supply.adapter_share - draw_w, 0.0), most)


def spend(
    supply: Supply,
    pack: Battery,
    state: PowerState,
    adapter_w: float,
    charge_limit: float,
    draw_w: float,
    seconds: float,
) -> Flow:
    """Let a constant draw pass for `seconds`; changes `state`."""
    into = charging_w(supply, state, adapter_w, draw_w, charge_limit)
    available = adapter_w * supply.adapter_share if state.plugged else 0.0
    battery_w = draw_w - available if draw_w > available else -into
    wall_w = (min(draw_w, available) + into) / supply.adapter_share if state.plugged else 0.0
    amps = pack.current_a(state.charge, battery_w)
    moved = state.charge - amps * seconds / 3600.0 / pack.charge_ah
    state.charge = min(max(moved, 0.0), 1.0)
    state.gauge += (state.charge - state.gauge) * (1.0 - math.exp(-seconds / supply.gauge_lag_s))
    return Flow(battery_w, wall_w, amps, pack.terminal_v(state.charge, battery_w))
