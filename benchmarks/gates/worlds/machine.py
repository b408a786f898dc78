"""An odd plant behind the protocol that every machine offers.

The only file of the odd plants that imports anything of the program: the protocol and the nouns it speaks in.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from hovrik.bench.protocol import ChannelInfo, Description, Instruction, Need, Outcome, Reply, Sample
from hovrik.core.facts.condition import Conditions
from hovrik.core.facts.knob import Hazard, Knob, Level
from hovrik.core.facts.place import Source
from hovrik.core.facts.rig import OsSlot, Rig, Version
from hovrik.core.facts.setup import Reading, Setup, Snapshot
from hovrik.core.facts.title import Scene, Title
from hovrik.core.passes.trace import Channel

from .chips import Knobs
from .passes import NS, Bench
from .plants import Plant
from .scenes import Stream

BLOCK_S = 2.0
LIMITS = ("sustained_limit_w", "short_limit_w", "peak_limit_w")
SLOTS = ("first", "second")
VERSIONS = ("4.1", "4.2")
CHANNELS = {
    "package_w": "W", "battery_w": "W", "cpu_share": "%", "gpu_share": "%", "cpu_mhz": "MHz", "gpu_mhz": "MHz",
    "die_c": "C", "shell_c": "C", "fan_rpm": "rpm", "charge_share": "%", "voltage_v": "V",
}  # fmt: skip


class PlantMachine:
    """One plant as a machine; a setting takes effect at the next block of 2 s.

    version : 0 or 1, the driver that is installed. waits : truth, what each frame of the scenes so far waited for.
    """

    def __init__(self, plant: Plant, seed: int, version: int = 0) -> None:
        self.bench = Bench(plant, seed)
        self.version = version
        self.waits: list[np.ndarray] = []
        self._slot = 0
        self._plugged = False
        self._stopped = False
        self._now_ns = self.bench.now_ns
        self._stream: Stream | None = None
        self._scene_s = 0.0
        self._due_ns = 0
        self._frames: list[np.ndarray] = []
        self._channels: list[dict] = []
        middle = float(plant.limits_w[len(plant.limits_w) // 2])
        self._knobs: dict[str, Level] = {
            **dict.fromkeys(LIMITS, middle), "cap_fps": "none", "boost": "on", "fan_policy": plant.fan,
            "refresh_hz": plant.refresh_hz, "cpu_ceiling_ghz": plant.chip.cpu_top_ghz,
            "gpu_ceiling_mhz": plant.chip.gpu_top_mhz,
        }  # fmt: skip

    @property
    def poll_s(self) -> float:
        """A block."""
        return BLOCK_S

    def describe(self) -> Description:
        plant = self.bench.plant
        step = plant.limits_w[1] - plant.limits_w[0]
        low, high = plant.limits_w[0] - 3 * step, plant.limits_w[-1] + 3 * step
        driver = Version("graphics driver", VERSIONS[self.version])
        rig = Rig(
            f"plant-{plant.kind}-{plant.index}-{plant.seed}", f"Plant {plant.name}", limit_low_w=low, limit_high_w=high,
            limit_step_w=step, battery_wh=plant.label_wh, pack_cells=plant.cells, die_limit_c=100.0,
            refresh_hz=(60.0, 80.0, 90.0), fan_policies=tuple(plant.fans), fan_policy=plant.fan,
            valid_charge=(0.3, 1.0), gauge_step_wh=plant.label_wh * self.bench.pack.gauge_step,
            slots=tuple(OsSlot(key, f"{key} OS", (driver,)) for key in SLOTS),
        )  # fmt: skip
        scenes = (Scene("stretch", "The stretch", 60.0), Scene("play", "Free play"))
        title = Title("odd-title", "Odd title", scenes=scenes)
        words = ("Sustained limit", "Short limit", "Peak limit")
        knobs = [Knob(k, w, "W", low=low, high=high, step=step, hazard=Hazard.LIMIT) for k, w in zip(LIMITS, words)]
        knobs += [
            Knob("cap_fps", "Frame cap", "fps", levels=("none",), low=15.0, high=240.0),
            Knob("boost", "CPU boost", levels=("on", "off")),
            Knob("fan_policy", "Fan policy", levels=tuple(plant.fans)),
            Knob("refresh_hz", "Refresh", "Hz", levels=(60.0, 80.0, 90.0)),
            Knob("cpu_ceiling_ghz", "CPU ceiling", "GHz", low=1.0, high=plant.chip.cpu_top_ghz),
            Knob("gpu_ceiling_mhz", "GPU ceiling", "MHz", low=200.0, high=plant.chip.gpu_top_mhz),
        ]
        lacking = {name for name, there in (("shell_c", plant.shell), ("fan_rpm", plant.rpm)) if not there}
        channels = tuple(ChannelInfo(k, u, 1.0 / plant.telemetry_s) for k, u in CHANNELS.items() if k not in lacking)
        return Description(rig, (title,), tuple(knobs), channels, SLOTS[self._slot])

    def now_ns(self) -> int:
        return self._now_ns

    def wait(self, seconds: float) -> None:
        until = self._now_ns + round(seconds * NS)
        while self._now_ns < until and not self._stopped:
            step = min(round(BLOCK_S * NS), until - self._now_ns)
            if self._stream is None:
                self.bench.rest(step / NS)
                self.bench.now_ns = self._now_ns + step
            else:
                self._play_until(self._stream, self._now_ns + step)
            self._now_ns += step
        self._stopped = False

    def _play_until(self, stream: Stream, until_ns: int) -> None:
        while self.bench.now_ns < until_ns:
            before = self.bench.charge
            stretch, frames, channels = self.bench.play(stream, self.setting(), BLOCK_S, self._scene_s)
            if self._plugged:
                self.bench.charge = min(before + 1e-5, 1.0)
                channels["battery_w"] = (channels["battery_w"][0], 0 * channels["battery_w"][1] - 0.2)
            self._scene_s += BLOCK_S
            self._frames.append(frames)
            if self.bench.now_ns >= self._due_ns:  # telemetry slower than a block skips some
                self._channels.append(channels)
                self._due_ns = self.bench.now_ns + round(max(self.bench.plant.telemetry_s - BLOCK_S, 0.0) * NS)
            self.waits.append(stretch.waits)

    def setting(self) -> Knobs:
        """What is set now, as the plant takes it: the least of the three limits counts."""
        k, plant = self._knobs, self.bench.plant
        cap = k["cap_fps"]
        return Knobs(
            min(float(k[key]) for key in LIMITS), 0.0 if cap == "none" else float(cap), k["boost"] == "on",
            float(k["cpu_ceiling_ghz"]), float(k["gpu_ceiling_mhz"]), str(k["fan_policy"]), float(k["refresh_hz"]),
            plant.sync, self._slot, self.version,
        )  # fmt: skip

    def snapshot(self) -> Snapshot:
        return Snapshot({key: Reading(value, True) for key, value in self._knobs.items()}, self._now_ns)

    def read_back(self) -> Snapshot:
        return self.snapshot()

    def apply(self, setup: Setup) -> Outcome:
        knobs = {knob.id: knob for knob in self.describe().knobs}
        for key, value in setup.items():
            if key not in knobs:
                return Outcome(Reply.REFUSED, f"{key} is no knob of this plant.")
            refusal = knobs[key].refusal(value)
            if refusal:
                return Outcome(Reply.REFUSED, refusal)
        self._knobs.update(setup)
        return Outcome(Reply.DONE)

    def restore(self, snapshot: Snapshot) -> Outcome:
        return self.apply(snapshot.restorable())

    def start_scene(self, title: str, scene: str) -> Outcome:
        if title != "odd-title" or scene not in ("stretch", "play"):
            return Outcome(Reply.REFUSED, f"{title} · {scene} is not installed on this plant.")
        if not self.bench.launched:
            self.bench.relaunch()
        self.bench.now_ns = self._now_ns
        self._stream = self.bench.stream(play=scene == "play")
        self._scene_s = 0.0 if scene == "play" else -30.0  # a run-in of half a minute lies before the start mark
        return Outcome(Reply.DONE)

    def scene_over(self) -> bool:
        return False

    def end_scene(self) -> None:
        self._stream, now = None, self._now_ns
        self.bench.now_ns = now
        self._frames = [frames[frames <= now] for frames in self._frames]  # what was played ahead never was
        self._channels = [
            {name: (stamps[stamps <= now], values[stamps <= now]) for name, (stamps, values) in part.items()}
            for part in self._channels
        ]

    def sample(self) -> Sample:
        """What lies behind now; what was played ahead waits."""
        now = self._now_ns
        frames = np.concatenate(self._frames) if self._frames else np.empty(0, np.int64)
        names = {name for part in self._channels for name in part}
        found, left = {}, {}
        for name in names:
            parts = [part[name] for part in self._channels if name in part]
            stamps, values = (np.concatenate([part[i] for part in parts]) for i in (0, 1))
            past = stamps <= now
            found[name] = Channel(stamps[past], values[past])
            left[name] = (stamps[~past], values[~past])
        self._frames, self._channels = [frames[frames > now]], [left] if left else []
        return Sample(frames[frames <= now], found)

    def told(self) -> Conditions:
        return {}

    def charge(self) -> float | None:
        step = self.bench.pack.gauge_step
        return math.floor(self.bench.charge / step + 1e-9) * step

    def source(self) -> Source | None:
        return Source.ADAPTER if self._plugged else Source.BATTERY

    def room_c(self) -> float | None:
        return round(self.bench.plant.room_c, 1)

    def needs_person(self, instruction: Instruction) -> bool:
        """A plant comes with its own person."""
        match instruction.need:
            case Need.RECHARGE if instruction.until is not None:
                self.bench.charge = instruction.until
            case Need.PLUG_IN | Need.UNPLUG:
                self._plugged = instruction.need is Need.PLUG_IN
            case Need.RELAUNCH:
                self.bench.relaunch()
            case Need.RESTART | Need.SET_BY_HAND:
                if instruction.slot not in (None, *SLOTS):
                    return False
                if instruction.slot is not None:
                    self._slot = SLOTS.index(instruction.slot)
                self.bench.relaunch()
            case _:
                return False
        return True

    def stop(self) -> None:
        self._stopped = True

    def close(self) -> None:
        """Nothing to let go of."""


def machine(plant: Plant, seed: int, version: int = 0) -> PlantMachine:
    """A plant as a machine, its scene without drift, as one machine is used for one sweep."""
    return PlantMachine(replace(plant, scene=replace(plant.scene, drift=0.0)), seed, version)
