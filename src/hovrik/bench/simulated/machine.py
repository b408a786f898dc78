"""The stand-in as a machine: physics behind the protocol, its state in a file of its own.

Like real hardware it stays as it was when the program is killed: knobs, charge, temperatures and time live in
the state file and are read back at the next start.
"""

from __future__ import annotations

import json
import threading
import time
from collections import defaultdict
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.errors import Unavailable
from ...core.knob import CAP, LIMITS, NO_CAP, REFRESH, Hazard, Knob, Level
from ...core.setup import Reading, Setup, Snapshot
from ...core.trace import Channel
from ..protocol import ChannelInfo, Description, Instruction, Need, Outcome, Reply, Sample
from .model import Model
from .physics import BLOCK_TICKS, TICK_S, HeatState
from .scene import BLOCK_S, Block, ScenePlayer

AS_FAST = float("inf")
_NS = 1_000_000_000
_BOOT_NS = 1_000 * _NS
_IDLE_STEP_S = 2.0
_UNCONFIRMED = frozenset({REFRESH})
_CHANNELS = (
    ("package_w", "W", 10.0), ("battery_w", "W", 1.0), ("die_c", "C", 2.0), ("shell_c", "C", 1.0),
    ("cpu_mhz", "MHz", 1.0), ("gpu_mhz", "MHz", 1.0), ("cpu_share", "%", 1.0), ("gpu_share", "%", 1.0),
    ("charge_share", "%", 1.0), ("voltage_v", "V", 1.0),
)  # fmt: skip


class SimulatedMachine:
    """A machine made of physics.

    pace : machine seconds a real second; AS_FAST for no waiting. A setting takes effect at the next 2 s block.
    The lowest of the three limits binds: sweeps are static, so no boost window is played.
    """

    def __init__(self, model: Model, state_path: Path, *, pace: float = AS_FAST, seed: int = 1) -> None:
        self._model, self._path = model, state_path
        self.pace = pace
        self._stopped = threading.Event()
        self._player: ScenePlayer | None = None
        self._ahead_ns = 0
        self._frames: list[NDArray[np.int64]] = []
        self._telemetry: dict[str, list[tuple[NDArray[np.int64], NDArray[np.float64]]]] = defaultdict(list)
        self._throttle = 1.0
        self._written = 0.0
        self._sensor = np.random.default_rng((seed, 77))
        self._state = self._read_state(seed)
        self._heat = HeatState(self._state["die_c"], self._state["shell_c"])

    # -- state file

    def _read_state(self, seed: int) -> dict[str, Any]:
        try:
            body: dict[str, Any] = json.loads(self._path.read_text(encoding="utf-8"))
        except FileNotFoundError:
            body = self._fresh_state(seed)
        except (OSError, ValueError) as fault:
            raise Unavailable(f"The stand-in's state {self._path} cannot be read: {fault}. Delete it.") from fault
        return body

    def _fresh_state(self, seed: int) -> dict[str, Any]:
        rig, room = self._model.rig, self._model.room_c
        knobs: dict[str, Level] = dict.fromkeys(LIMITS, round(0.7 * rig.limit_high_w))
        knobs[CAP] = NO_CAP
        if rig.refresh_hz:
            knobs[REFRESH] = max(rig.refresh_hz)
        return {
            "seed": seed, "knobs": knobs, "now_ns": _BOOT_NS, "charge": min(1.0, rig.charge_limit),
            "die_c": room + 12.0, "shell_c": room + 7.0, "scenes": 0,
        }  # fmt: skip

    def _write_state(self) -> None:
        self._state.update(die_c=self._heat.die_c, shell_c=self._heat.shell_c)
        temporary = self._path.with_suffix(".tmp")
        try:
            temporary.write_text(json.dumps(self._state), encoding="utf-8")
            temporary.replace(self._path)
            self._written = time.monotonic()
        except OSError as fault:
            raise Unavailable(f"The stand-in's state {self._path} cannot be written: {fault}.") from fault

    # -- protocol

    @property
    def poll_s(self) -> float:
        """As fast as it goes: a block; else about 20 samples a real second, at most a block."""
        return BLOCK_S if self.pace == AS_FAST else min(max(0.05 * self.pace, 0.05), BLOCK_S)

    def describe(self) -> Description:
        rig = self._model.rig
        low, high, step = rig.limit_low_w, rig.limit_high_w, rig.limit_step_w
        words = {LIMITS[0]: "Sustained limit", LIMITS[1]: "Short limit", LIMITS[2]: "Peak limit"}
        knobs = [Knob(key, words[key], "W", low=low, high=high, step=step, hazard=Hazard.LIMIT) for key in LIMITS]
        knobs.append(Knob(CAP, "Frame cap", "fps", levels=(NO_CAP,), low=15.0, high=240.0, step=1.0))
        if rig.refresh_hz:
            knobs.append(Knob(REFRESH, "Refresh", "Hz", levels=rig.refresh_hz))
        channels = tuple(ChannelInfo(*entry) for entry in _CHANNELS)
        return Description(rig, self._model.titles, tuple(knobs), channels, self._model.slot)

    def now_ns(self) -> int:
        return int(self._state["now_ns"])

    def wait(self, seconds: float) -> None:
        remaining = round(seconds * _NS)
        while remaining > 0 and not self._is_stopped():
            step = min(remaining, round(self.poll_s * _NS))
            self._advance(step)
            remaining -= step
            if self.pace != AS_FAST:
                self._stopped.wait(step / _NS / self.pace)
        if time.monotonic() - self._written > 0.5:
            self._write_state()

    def _is_stopped(self) -> bool:
        """Whether a stop was asked for; it counts once."""
        if self._stopped.is_set():
            self._stopped.clear()
            return True
        return False

    def snapshot(self) -> Snapshot:
        readings = {k: Reading(v, k not in _UNCONFIRMED) for k, v in self._state["knobs"].items()}
        return Snapshot(readings, self.now_ns())

    def read_back(self) -> Snapshot:
        return self.snapshot()

    def apply(self, setup: Setup) -> Outcome:
        description = self.describe()
        for key, value in setup.items():
            knob = description.knob(key)
            if knob is None:
                return Outcome(Reply.REFUSED, f"This machine has no knob {key}.")
            refusal = knob.refusal(value)
            if refusal:
                return Outcome(Reply.REFUSED, refusal)
        self._state["knobs"] = {**self._state["knobs"], **setup.as_dict()}
        self._write_state()
        return Outcome(Reply.DONE)

    def restore(self, snapshot: Snapshot) -> Outcome:
        return self.apply(snapshot.restorable())

    def start_scene(self, title: str, scene: str) -> Outcome:
        load = self._model.loads.get((title, scene))
        if load is None:
            return Outcome(Reply.REFUSED, f"{title} · {scene} is not installed on this machine.")
        self._state["scenes"] += 1
        seed = (int(self._state["seed"]), int(self._state["scenes"]))
        self._player = ScenePlayer(self._model.physics, load, seed)
        self._sensor = np.random.default_rng((*seed, 77))
        self._ahead_ns = self.now_ns()
        self._write_state()
        return Outcome(Reply.DONE)

    def end_scene(self) -> None:
        self._player = None
        self._write_state()

    def charge(self) -> float | None:
        step = 0.01
        return float(np.floor(self._state["charge"] / step + 1e-9) * step)

    def needs_person(self, instruction: Instruction) -> bool:
        """The stand-in comes with its own person, who plugs in and waits."""
        if instruction.need is not Need.RECHARGE or instruction.until is None:
            return False
        rig = self._model.rig
        watts = rig.recharge_w or 30.0
        while self._state["charge"] < instruction.until - 1e-6:
            if self._is_stopped():
                return False
            missing_wh = (instruction.until - self._state["charge"]) * self._model.physics.pack.full_wh
            step_s = min(60.0, missing_wh / watts * 3600.0)
            self._idle(step_s, draining=False)
            gained = watts * step_s / 3600.0 / self._model.physics.pack.full_wh
            self._state["charge"] = min(self._state["charge"] + gained, instruction.until)
            if self.pace != AS_FAST:
                self._stopped.wait(step_s / self.pace)
        self._write_state()
        return True

    def sample(self) -> Sample:
        now = self.now_ns()
        frames, self._frames = _release(self._frames, now)
        channels = {}
        for name, parts in self._telemetry.items():
            stamps = np.concatenate([p[0] for p in parts]) if parts else np.empty(0, np.int64)
            values = np.concatenate([p[1] for p in parts]) if parts else np.empty(0)
            ready = int(np.searchsorted(stamps, now, side="right"))
            if ready:
                channels[name] = Channel(stamps[:ready], values[:ready])
            self._telemetry[name] = [(stamps[ready:], values[ready:])] if ready < stamps.size else []
        return Sample(frames, channels)

    def stop(self) -> None:
        self._stopped.set()

    def close(self) -> None:
        self._write_state()

    # -- advancing

    def _advance(self, step_ns: int) -> None:
        if self._player is None:
            self._idle(step_ns / _NS, draining=True)
            return
        until = self.now_ns() + step_ns
        while self._ahead_ns < until:
            self._play_block(self._player)
        self._state["now_ns"] = until

    def _play_block(self, player: ScenePlayer) -> None:
        knobs, physics = self._state["knobs"], self._model.physics
        cap = None if knobs[CAP] == NO_CAP else float(knobs[CAP])
        limit = min(float(knobs[key]) for key in LIMITS)
        allowed = limit * self._throttle * physics.clamp(self._state["charge"])
        block = player.play(allowed, cap, self._heat, self._model.room_c)
        hottest = float(block.hot_c.max())
        if hottest > physics.heat.throttle_c:
            self._throttle = max(0.4, self._throttle - 0.08)
        elif hottest < physics.heat.resume_c:
            self._throttle = min(1.0, self._throttle + 0.04)
        self._record(block)
        self._ahead_ns += round(BLOCK_S * _NS)

    def _record(self, block: Block) -> None:
        base, found = self._ahead_ns, block.operating
        self._frames.append(base + np.round(block.frame_ends_s * _NS).astype(np.int64))
        board, pack = self._model.physics.board, self._model.physics.pack
        draw = board.base_w + found.package_w / board.efficiency
        mean_draw = float(draw.mean())
        current = pack.current_a(self._state["charge"], mean_draw)
        self._state["charge"] = max(self._state["charge"] - current * BLOCK_S / 3600.0 / pack.charge_ah, 0.0)
        ticks = base + np.round(np.arange(1, BLOCK_TICKS + 1) * TICK_S * _NS).astype(np.int64)
        every_s, every_half = slice(9, None, 10), slice(4, None, 5)
        noise = self._sensor.standard_normal((4, BLOCK_TICKS))
        self._put("package_w", ticks, found.package_w * (1 + 0.004 * noise[0]))
        seconds = ticks[every_s]
        smooth = draw.reshape(-1, 10).mean(axis=1)
        self._put("battery_w", seconds, smooth * (1 + 0.006 * noise[1, every_s]))
        self._put("die_c", ticks[every_half], np.round(block.hot_c[every_half] + 0.3 * noise[2, every_half], 1))
        self._put("shell_c", seconds, np.round(block.shell_c[every_s] + 0.05 * noise[3, every_s], 1))
        self._put("cpu_mhz", seconds, np.round(1000 * found.cpu_ghz[every_s]))
        self._put("gpu_mhz", seconds, np.round(1000 * found.gpu_ghz[every_s]))
        self._put("cpu_share", seconds, 100 * found.cpu_share[every_s])
        self._put("gpu_share", seconds, 100 * found.gpu_share[every_s])
        charge = self._state["charge"]
        self._put("charge_share", seconds, np.full(seconds.size, np.floor(charge * 100 + 1e-9)))
        volts = float(pack.terminal_v(charge, mean_draw))
        self._put("voltage_v", seconds, np.full(seconds.size, round(volts, 3)))

    def _put(self, name: str, stamps: NDArray[np.int64], values: NDArray[np.float64]) -> None:
        self._telemetry[name].append((stamps, values))

    def _idle(self, seconds: float, *, draining: bool) -> None:
        """Let the machine cool between scenes; nothing is recorded."""
        board, pack = self._model.physics.board, self._model.physics.pack
        left = seconds
        while left > 1e-9:
            step = min(_IDLE_STEP_S, left)
            watts = np.full(max(round(step / 0.5), 1), board.idle_package_w)
            self._heat.advance(self._model.physics.heat, watts, self._model.room_c, step / watts.size)
            left -= step
        if draining:
            draw = board.base_w + board.idle_package_w / board.efficiency
            used = pack.current_a(self._state["charge"], draw) * seconds / 3600.0 / pack.charge_ah
            self._state["charge"] = max(self._state["charge"] - used, 0.0)
        self._throttle = 1.0
        self._state["now_ns"] += round(seconds * _NS)


def _release(parts: list[NDArray[np.int64]], now_ns: int) -> tuple[NDArray[np.int64], list[NDArray[np.int64]]]:
    stamps = np.concatenate(parts) if parts else np.empty(0, np.int64)
    ready = int(np.searchsorted(stamps, now_ns, side="right"))
    return stamps[:ready], [stamps[ready:]] if ready < stamps.size else []
