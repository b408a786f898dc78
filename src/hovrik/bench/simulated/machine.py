"""The stand-in as a machine: physics behind the protocol, its state in a file of its own.

Like real hardware it stays as it was when the program is killed: knobs, charge, temperatures and time live in
the state file and are read back at the next start.
"""

from __future__ import annotations

import math
import threading
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from ...core.errors import HovrikError, Unavailable
from ...core.facts.condition import Conditions
from ...core.facts.knob import CAP, LIMITS, NO_CAP, REFRESH, Knob, Level, Where
from ...core.facts.knobs import knobs_of, narrowed
from ...core.facts.known_knobs import known
from ...core.facts.place import Source
from ...core.facts.setup import Reading, Setup, Snapshot
from ...core.passes.trace import CHANNELS
from ..protocol import ChannelInfo, Description, Instruction, Need, Outcome, Reply, Sample
from . import settings
from .faults import NONE, Faults
from .heat import HeatState
from .model import Model
from .physics import BLOCK_TICKS, TICK_S, Operating
from .recorder import Recorder, without_dropout
from .scene import BLOCK_S, Block, ScenePlayer
from .state import PlainState, StateFile
from .supply import Flow, PowerState, charging_w, spend

AS_FAST = float("inf")
_NS = 1_000_000_000
_BOOT_NS = 1_000 * _NS
_IDLE_STEP_S = 2.0
_SHORT_WINDOW_S = 2.5
_SETTLE_S = 1.2  # time constant with which a new limit takes effect
_FAULT_S, _FAULT_MV = 30.0, 2.5  # seconds to a crash at an offset's margin; an e-fold of that, mV
_HANG_CHANCE = 0.3
_RATES_HZ = {"package_w": 10.0, "die_c": 2.0}  # the others once a second
_CHANNELS = (
    "package_w", "cpu_w", "gpu_w", "battery_w", "current_a", "voltage_v", "charge_share", "wall_w", "die_c", "shell_c",
    "fan_rpm", "cpu_mhz", "gpu_mhz", "memory_mhz", "memory_mb", "cpu_share", "gpu_share", "other_share",
)  # fmt: skip


class SimulatedMachine:
    """A machine made of physics.

    pace : machine seconds a real second; AS_FAST for no waiting. A setting takes effect at the next 2 s block.
    faults : what goes wrong, for tests of judgement.
    """

    def __init__(
        self, model: Model, state: Path | StateFile, *, pace: float = AS_FAST, seed: int = 1, faults: Faults = NONE
    ) -> None:
        self.model, self._faults = model, faults
        self._file = PlainState(state) if isinstance(state, Path) else state
        self.pace = pace
        self._stopped = threading.Event()
        self._player: ScenePlayer | None = None
        self._title, self._wanted_gb = "", 0.0
        self._ahead_ns = 0
        self._began_ns = 0
        self._recorder = Recorder()
        self._throttle, self._drawn_w = 1.0, 0.0
        self._written = 0.0
        self._unwritten = ""
        self._granted: set[Where] = set()
        self.happened = {"dropouts": 0}  # truth, for tests of judgement only; a scene's own joins at its end
        self._sensor = np.random.default_rng((seed, 77))
        self._state = self._read_state(seed)
        self._heat = HeatState(self._state["die_c"], self._state["shell_c"], self._state.get("fan"))
        self.power = PowerState(self._state["charge"], self._state["gauge"], self._state["plugged"])

    # -- state file

    def _read_state(self, seed: int) -> dict[str, Any]:
        fresh = self._fresh_state(seed)
        body = self._file.read()
        return fresh if body is None else {**fresh, **body, "knobs": {**fresh["knobs"], **body["knobs"]}}

    def _fresh_state(self, seed: int) -> dict[str, Any]:
        rig, room = self.model.rig, self.model.room_c
        _, high = rig.limit_range_w()
        knobs: dict[str, Level] = dict.fromkeys(LIMITS, float(round(0.7 * high)))
        knobs[CAP] = NO_CAP
        if rig.refresh_hz:
            knobs[REFRESH] = max(rig.refresh_hz)
        knobs.update(self.model.defaults)
        charge = min(1.0, rig.charge_limit)
        return {
            "seed": seed, "knobs": knobs, "now_ns": _BOOT_NS, "charge": charge, "gauge": charge, "plugged": False,
            "die_c": room + 12.0, "shell_c": room + 7.0, "fan": None, "scenes": 0, "slot": self.model.slot,
            "running": None, "changed": False, "played": {}, "limits": [float(knobs[key]) for key in LIMITS],
            "kept_w": [0.0, 0.0], "room_c": room,
        }  # fmt: skip

    def _write_state(self) -> None:
        self._state.update(
            die_c=self._heat.die_c, shell_c=self._heat.shell_c, fan=self._heat.fan, charge=self.power.charge,
            gauge=self.power.gauge, plugged=self.power.plugged,
        )  # fmt: skip
        self._unwritten = ""
        try:
            self._file.write(self._state)
            self._written = time.monotonic()
        except (HovrikError, OSError) as fault:  # hardware does not care for a full disk: told when it is let go of
            self._unwritten = f"The stand-in's state cannot be written: {fault}"

    # -- what it is

    @property
    def poll_s(self) -> float:
        """As fast as it goes: a block; else about 20 samples a real second, at most a block."""
        return BLOCK_S if self.pace == AS_FAST else min(max(0.05 * self.pace, 0.05), BLOCK_S)

    def describe(self) -> Description:
        rig, slot = self.model.rig, str(self._state["slot"])
        missing = self.model.slot_physics(slot).missing
        plain = [replace(known(key), low=rig.range_of(key)[0], high=rig.range_of(key)[1]) for key in LIMITS]
        plain.append(known(CAP))
        if rig.refresh_hz:
            plain.append(replace(known(REFRESH), levels=rig.refresh_hz))
        own = [k for k in self.model.knobs if k.id not in missing and (not k.slots or slot in k.slots)]
        facts = next((one for one in rig.slots if one.key == slot), None)
        knobs = narrowed(knobs_of(rig, facts, absent=True), [*plain, *own])
        channels = tuple(ChannelInfo(name, CHANNELS[name][1], _RATES_HZ.get(name, 1.0)) for name in _CHANNELS)
        return Description(rig, self.model.titles, knobs, channels, slot)

    def now_ns(self) -> int:
        return int(self._state["now_ns"])

    def told(self) -> Conditions:
        return {}

    def charge(self) -> float | None:
        return self.power.read_gauge(self._gauge_step())

    def source(self) -> Source | None:
        return Source.ADAPTER if self.power.plugged else Source.BATTERY

    def room_c(self) -> float | None:
        return round(float(self._state["room_c"]), 1) if self.model.room_sensor else None

    def set_room(self, celsius: float) -> None:
        """Warm or cool the room; for tests and demonstrations."""
        self._state["room_c"] = celsius
        if self._player is not None:
            self._player.room_c = celsius

    def set_charge(self, share: float) -> None:
        """Put the battery at a charge share, gauge and all; for tests and demonstrations."""
        self.power.charge = self.power.gauge = share

    def _gauge_step(self) -> float:
        step_wh, full_wh = self.model.rig.gauge_step_wh, self.model.rig.full_charge_wh
        return min(max(step_wh / full_wh, 1e-4), 0.1) if step_wh and full_wh else 0.01

    # -- knobs

    def snapshot(self) -> Snapshot:
        offered = {knob.id for knob in self.describe().knobs}
        unconfirmed = self.model.unconfirmed | {REFRESH}
        readings = {k: Reading(v, k not in unconfirmed) for k, v in self._state["knobs"].items() if k in offered}
        return Snapshot(readings, self.now_ns())

    def read_back(self) -> Snapshot:
        return self.snapshot()

    def apply(self, setup: Setup) -> Outcome:
        description, changed = self.describe(), False
        for key, value in setup.items():
            knob = description.knob(key)
            if knob is None:
                return Outcome(Reply.REFUSED, f"{self._slot_words()} has no knob {key}.")
            refusal = knob.refusal(value)
            if refusal:
                return Outcome(Reply.REFUSED, refusal)
            if self._state["knobs"].get(key) != value:
                changed = True
                wanted = self._wants(knob, value)
                if wanted is not None:
                    return wanted
        self._granted.clear()
        self._state["knobs"] = {**self._state["knobs"], **setup.as_dict()}
        self._state["changed"] = self._state["changed"] or (changed and self._state["running"] is not None)
        self._write_state()
        return Outcome(Reply.DONE)

    def _wants(self, knob: Knob, value: Level) -> Outcome | None:
        """What must happen before a knob can change, None where it can change now."""
        words = f"{knob.label} {value}" + (f" {knob.unit}" if knob.unit else "")
        if knob.where is Where.LIVE or knob.where in self._granted:
            return None
        if knob.where is Where.RELAUNCH:
            if self._state["running"] is None:
                return None
            return Outcome(Reply.RELAUNCH, f"{knob.label} changes at launch", f"Close the title, then set {words}.")
        if knob.where is Where.RESTART:
            return Outcome(Reply.RESTART, f"{knob.label} changes at a restart", f"Set {words} and restart.")
        if knob.where is Where.SETUP_SCREEN:
            return Outcome(Reply.PERSON, f"{knob.label} is in the set-up screen", f"Restart into set-up, set {words}.")
        return Outcome(Reply.REFUSED, f"{knob.label} cannot be changed under {self._slot_words()}.")

    def _slot_words(self) -> str:
        return next((s.name for s in self.model.rig.slots if s.key == self._state["slot"]), str(self._state["slot"]))

    def restore(self, snapshot: Snapshot) -> Outcome:
        return self.apply(snapshot.restorable())

    def needs_person(self, instruction: Instruction) -> bool:
        """The stand-in comes with its own person, who plugs in, restarts and waits."""
        match instruction.need:
            case Need.RECHARGE if instruction.until is not None:
                return self._recharge(instruction.until)
            case Need.PLUG_IN | Need.UNPLUG:
                self.power.plugged = instruction.need is Need.PLUG_IN
            case Need.RELAUNCH:
                self._close_title(20.0)
                self._granted.add(Where.RELAUNCH)
            case Need.RESTART | Need.SET_BY_HAND:
                if instruction.slot is not None and instruction.slot not in {s.key for s in self.model.rig.slots}:
                    return False
                self._close_title(90.0)
                self._state["slot"] = instruction.slot or self._state["slot"]
                self._as_the_slot_has_it()
                self._granted |= {Where.RESTART, Where.SETUP_SCREEN, Where.RELAUNCH}
            case Need.PUT_BACK:
                pass
            case _:
                return False
        self._write_state()
        return True

    def _as_the_slot_has_it(self) -> None:
        """What an OS slot allows at one level only stands at that after a restart into it, and as before in others."""
        knobs, forced = dict(self._state["knobs"]), dict(self._state.get("forced") or {})
        for knob in (one for one in self.describe().knobs if one.id in knobs and one.levels):
            if knob.id in forced and not knob.refusal(forced[knob.id]):
                knobs[knob.id] = forced.pop(knob.id)
            elif knob.refusal(knobs[knob.id]):
                forced[knob.id], knobs[knob.id] = knobs[knob.id], knob.levels[0]
        self._state.update(knobs=knobs, forced=forced)

    def _close_title(self, seconds: float) -> None:
        self._state["running"], self._state["changed"] = None, False
        self._idle(seconds)

    def _recharge(self, until: float) -> bool:
        rig, before = self.model.rig, self.power.plugged
        watts = rig.recharge_w or 30.0
        pack = self.model.physics.pack
        while self.power.charge < until - 1e-6:
            if self._is_stopped():
                return False
            step_s = min(60.0, (until - self.power.charge) * pack.full_wh / watts * 3600.0)
            self._idle(step_s, draining=False)
            self.set_charge(min(self.power.charge + watts * step_s / 3600.0 / pack.full_wh, until))
            if self.pace != AS_FAST:
                self._stopped.wait(step_s / self.pace)
        self.power.plugged = before
        self._write_state()
        return True

    # -- scenes

    def start_scene(self, title: str, scene: str) -> Outcome:
        load = self.model.loads.get((title, scene))
        if load is None:
            return Outcome(Reply.REFUSED, f"{title} · {scene} is not installed on this machine.")
        slot = self.model.slot_physics(self._state["slot"])
        setting = settings.setting_of(self.model, self._state, self._faults, title)
        self._state["scenes"] += 1
        seed = (int(self._state["seed"]), int(self._state["scenes"]))
        self._sensor = np.random.default_rng((*seed, 77))
        why = settings.why_not(self.model, self._state, title, load, setting)
        if why is None and self._hangs(title):
            why = "hung: a setting was changed while it ran"
        if why is not None:
            self._state["running"], self._state["changed"] = None, False
            self._write_state()
            return Outcome(Reply.REFUSED, why)
        around = settings.surroundings_of(slot, self._state, self._faults, title)
        chip = self.model.physics.chip
        physics = replace(
            self.model.physics, chip=replace(
                chip, cpu=replace(chip.cpu, offset_v=self._offset_mv("cpu_offset_mv") / 1000.0),
                gpu=replace(chip.gpu, offset_v=self._offset_mv("gpu_offset_mv") / 1000.0),
            ), overhead=self.model.physics.overhead * slot.overhead,
            limit_bias_w=self.model.physics.limit_bias_w + self._faults.extra_w,
        )  # fmt: skip
        self._player = ScenePlayer(physics, load, seed, around, self._state["room_c"])
        self._title, self._wanted_gb = title, settings.wanted_gb(load, self._state)
        self._ahead_ns = self._began_ns = self.now_ns()
        self._state["running"], self._state["changed"] = title, False
        self._write_state()
        return Outcome(Reply.DONE)

    def _offset_mv(self, key: str) -> float:
        return float(self._state["knobs"].get(key, 0.0))

    def _faults_by_voltage(self) -> bool:
        """Whether a block ends in a crash: the nearer an offset lies to its hidden margin, the sooner."""
        physics = self.model.physics
        margins = (("cpu_offset_mv", physics.undervolt_margin_mv), ("gpu_offset_mv", physics.undervolt_gpu_margin_mv))
        over = [-self._offset_mv(key) - margin for key, margin in margins if self._offset_mv(key) < 0]
        a_second = sum(math.exp(min(x / _FAULT_MV, 5.0)) for x in over) / _FAULT_S
        return a_second > 0 and self._sensor.random() < 1.0 - math.exp(-a_second * BLOCK_S)

    def scene_over(self) -> bool:
        return False

    def _hangs(self, title: str) -> bool:
        dislikes = any(t.key == title and t.dislikes_changes for t in self.model.titles)
        same = self._state["running"] == title and self._state["changed"]
        return dislikes and same and self._sensor.random() < _HANG_CHANCE

    def end_scene(self) -> None:
        if self._player is not None:
            self._keep_played()
            self._recorder.forget_after(self.now_ns())  # blocks are played ahead
        self._player, self._began_ns = None, 0
        self._write_state()

    def _keep_played(self) -> None:
        assert self._player is not None  # callers have checked
        key = f"{self._state['slot']}/{self._title}"
        self.happened.update(self._player.happened)
        played = self._state["played"]
        self._state["played"] = {**played, key: played.get(key, 0.0) + self._player.played_s}

    # -- time

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

    def sample(self) -> Sample:
        return self._recorder.take(self.now_ns())

    def stop(self) -> None:
        self._stopped.set()

    def _is_stopped(self) -> bool:
        """Whether a stop was asked for; it counts once."""
        if self._stopped.is_set():
            self._stopped.clear()
            return True
        return False

    def close(self) -> None:
        self._write_state()
        if self._unwritten:
            raise Unavailable(self._unwritten)

    def _advance(self, step_ns: int) -> None:
        if self._player is None:
            self._idle(step_ns / _NS)
            if self._state["running"] is None and self._began_ns:
                self._record_desktop(self.now_ns() - step_ns, self.now_ns())
            return
        until = self.now_ns() + step_ns
        while self._ahead_ns < until and self._player is not None:
            self._play_block(self._player)
        self._state["now_ns"] = until

    def _play_block(self, player: ScenePlayer) -> None:
        into_s, faults = (self._ahead_ns - self._began_ns) / _NS, self._faults
        if _is_due(faults.crash_at_s, into_s) or self._faults_by_voltage():
            self._keep_played()
            self._player, self._state["running"] = None, None
            return
        if _is_due(faults.suspend_at_s, into_s):
            self._ahead_ns += round(faults.suspend_s * _NS)
        if _is_due(faults.unplugged_at_s, into_s):
            self.power.plugged = False
        setting = settings.setting_of(self.model, self._state, faults, self._title)
        most = self.model.supply.battery_gpu_w
        if most is not None and not self.power.plugged:
            setting = replace(setting, own_gpu_w=min(setting.own_gpu_w, most))
        policy = self._state["knobs"].get("fan_policy", self.model.rig.fan_policy)
        block = player.play(self._allowed_w(), setting, self._heat, str(policy) if policy is not None else None)
        hottest = float(block.hot_c.max())
        if hottest > self.model.physics.heat.throttle_c:
            self._throttle = max(0.4, self._throttle - 0.08)
        elif hottest < self.model.physics.heat.resume_c:
            self._throttle = min(1.0, self._throttle + 0.04)
        self._keep_windows(float(block.operating.package_w.mean()))
        self._record(block)
        self._ahead_ns += round(BLOCK_S * _NS)

    def _allowed_w(self) -> float:
        """Package power the firmware allows in this block: three limits with their windows, charge, source, heat."""
        supply, rig = self.model.supply, self.model.rig
        self._settle(BLOCK_S)
        sustained, short, peak = self._state["limits"]
        kept, kept_short = self._state["kept_w"]
        share = self._throttle
        if self.power.plugged:
            busy = charging_w(supply, self.power, rig.adapter_w or 0.0, self._drawn_w, rig.charge_limit) > 5.0
            share *= 1.0 - supply.charging_share if busy else 1.0
        else:
            share *= self.model.physics.clamp(self.power.charge)
            most = supply.battery_limit_w
            if most is not None:
                sustained, short, peak = (min(limit, most) for limit in (sustained, short, peak))
        long_w = _headroom(sustained, kept, rig.window_s or 28.0)
        return share * max(min(peak, _headroom(short, kept_short, _SHORT_WINDOW_S), long_w), 0.5 * sustained)

    def _settle(self, seconds: float) -> None:
        """Limits move towards what was set, as firmware takes a moment."""
        near = 1.0 - math.exp(-seconds / _SETTLE_S)
        wanted = [float(self._state["knobs"][key]) for key in LIMITS]
        moved = [now + (goal - now) * near for now, goal in zip(self._state["limits"], wanted)]
        self._state["limits"] = [goal if abs(goal - now) < 0.05 else now for now, goal in zip(moved, wanted)]

    def _keep_windows(self, package_w: float) -> None:
        """Weighted means by the firmware's own account, which knows nothing of what it takes too much."""
        package_w -= self.model.physics.limit_bias_w + self._faults.extra_w
        kept, short = self._state["kept_w"]
        window = self.model.rig.window_s or 28.0
        self._state["kept_w"] = [
            before + (package_w - before) * (1.0 - math.exp(-BLOCK_S / tau))
            for before, tau in ((kept, window), (short, _SHORT_WINDOW_S))
        ]

    def _draw_w(self, package_w: float) -> float:
        board, slot = self.model.physics.board, self.model.slot_physics(self._state["slot"])
        mode = settings.gpu_mode_of(self.model, self._state)
        return board.base_w + slot.base_w + mode.base_w + package_w / board.efficiency

    def _spend(self, draw_w: float, seconds: float) -> Flow:
        rig = self.model.rig
        pack, limit = self.model.physics.pack, rig.charge_limit
        return spend(self.model.supply, pack, self.power, rig.adapter_w or 0.0, limit, draw_w, seconds)

    def _record(self, block: Block) -> None:
        base, found = self._ahead_ns, block.operating
        frames = base + np.round(block.frame_ends_s * _NS).astype(np.int64)
        faults = self._faults
        if faults.dropouts_per_min > 0 and self._sensor.random() < faults.dropouts_per_min * BLOCK_S / 60.0:
            self.happened["dropouts"] += 1
            frames = without_dropout(frames, base, base + round(faults.dropout_s * _NS))
        self._recorder.frames(frames)
        draw = self._draw_w(0.0) + (found.package_w + found.outside_w) / self.model.physics.board.efficiency
        self._drawn_w = float(draw.mean())
        flow = self._spend(self._drawn_w, BLOCK_S)
        self._telemetry(base, block, draw, flow)

    def _telemetry(self, base: int, block: Block, draw: Any, flow: Flow) -> None:
        found, put = block.operating, self._recorder.put
        ticks = base + np.round(np.arange(1, BLOCK_TICKS + 1) * TICK_S * _NS).astype(np.int64)
        every_s, every_half = slice(9, None, 10), slice(4, None, 5)
        noise = self._sensor.standard_normal((4, BLOCK_TICKS))
        put("package_w", ticks, found.package_w * (1 + 0.004 * noise[0]))
        seconds = ticks[every_s]
        swing = draw.reshape(-1, 10).mean(axis=1) - draw.mean()
        put(
            "battery_w",
            seconds,
            (flow.battery_w + (swing if flow.wall_w == 0 else 0.0)) * (1 + 0.006 * noise[1, every_s]),
        )
        put("die_c", ticks[every_half], np.round(block.hot_c[every_half] + 0.3 * noise[2, every_half], 1))
        put("shell_c", seconds, np.round(block.shell_c[every_s] + 0.05 * noise[3, every_s], 1))
        plain = self._plain(found, every_s)
        plain["charge_share"] = math.floor(100 * self.power.read_gauge(self._gauge_step()) + 1e-6)
        plain["voltage_v"], plain["current_a"] = round(flow.volts, 4), round(flow.current_a, 5)
        plain["wall_w"], plain["other_share"] = flow.wall_w, block.other_share
        for name, values in plain.items():
            put(name, seconds, np.broadcast_to(np.asarray(values, float), seconds.shape).copy())

    def _record_desktop(self, from_ns: int, to_ns: int) -> None:
        """Sensors go on after a title has crashed; frames do not."""
        stamps = np.arange(from_ns // _NS + 1, to_ns // _NS + 1, dtype=np.int64) * _NS
        idle_w = self.model.physics.board.idle_package_w
        for name, value in (("package_w", idle_w), ("battery_w", self._draw_w(idle_w)), ("die_c", self._heat.die_c)):
            self._recorder.put(name, stamps, np.full(stamps.size, value))

    def _plain(self, found: Operating, at: slice) -> dict[str, Any]:
        knobs, heat = self._state["knobs"], self.model.physics.heat
        limit = float(knobs[LIMITS[0]])
        pool = settings.pool_gb(self.model, self._state, self._faults)
        used_gb = min(self._wanted_gb or 0.6, pool)
        return {
            "cpu_w": found.cpu_w[at], "gpu_w": found.gpu_w[at], "cpu_mhz": np.round(1000 * found.cpu_ghz[at]),
            "gpu_mhz": np.round(1000 * found.gpu_ghz[at]), "cpu_share": 100 * found.cpu_share[at],
            "gpu_share": 100 * found.gpu_share[at], "memory_mhz": self.model.physics.chip.memory_clock_mhz(limit),
            "memory_mb": 1000.0 * used_gb, "fan_rpm": round((self._heat.fan or heat.fan_at) * heat.fan_rpm),
        }  # fmt: skip

    def _idle(self, seconds: float, *, draining: bool = True) -> None:
        """Let the machine cool between scenes; nothing is recorded."""
        board = self.model.physics.board
        policy = self._state["knobs"].get("fan_policy", self.model.rig.fan_policy)
        left = seconds
        while left > 1e-9:
            step = min(_IDLE_STEP_S, left)
            watts = np.full(max(round(step / 0.5), 1), board.idle_package_w)
            heat, room = self.model.physics.heat, self._state["room_c"]
            self._heat.advance(heat, watts, room, step / watts.size, str(policy) if policy is not None else None)
            left -= step
        self._settle(seconds)
        fade = math.exp(-seconds / (self.model.rig.window_s or 28.0))
        self._state["kept_w"] = [w * fade + board.idle_package_w * (1 - fade) for w in self._state["kept_w"]]
        if draining:
            self._spend(self._draw_w(board.idle_package_w), seconds)
        self._throttle = 1.0
        self._state["now_ns"] += round(seconds * _NS)


def _is_due(at_s: float | None, into_s: float) -> bool:
    return at_s is not None and at_s <= into_s < at_s + BLOCK_S


def _headroom(limit_w: float, kept_w: float, window_s: float) -> float:
    """Power that brings an exponentially weighted mean to its limit at the end of a block, W."""
    fade = math.exp(-BLOCK_S / window_s)
    return (limit_w - kept_w * fade) / (1.0 - fade)
