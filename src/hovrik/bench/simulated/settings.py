"""From the stand-in's knobs, OS slot and faults to what the physics works with."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from ...core.facts.knob import CAP, NO_CAP, REFRESH
from .faults import Faults
from .model import GpuMode, Model, SlotPhysics
from .physics import Load, Setting
from .scene import Surroundings

# upscaler level -> share of pixels rendered, cost in ms
UPSCALERS = {"off": (1.0, 0.0), "quality": (0.45, 1.1), "performance": (0.25, 1.3)}
TEXTURE_SHARE = {"high": 1.0, "low": 0.62}
NOT_AT_ALL = 1.8  # a title that wants this many times the pool does not start
FRAME_BITS = 24


def link_ms(width: int, height: int, bits: int, gbit_s: float) -> float:
    """Time to send one frame back over a link, ms: width x height x bits / rate."""
    return width * height * bits / gbit_s / 1e6


def pool_gb(model: Model, state: Mapping[str, Any], faults: Faults) -> float:
    """Graphics memory a title finds, GB."""
    if faults.pool_gb is not None:
        return faults.pool_gb
    split = state["knobs"].get("memory_split_gb")
    return float(split) if split is not None else math.inf


def gpu_mode_of(model: Model, state: Mapping[str, Any]) -> GpuMode:
    """The GPU mode in use; a plain one where the rig has none."""
    return model.gpu_modes.get(str(state["knobs"].get("gpu_mode")), GpuMode())


def wanted_gb(load: Load, state: Mapping[str, Any]) -> float:
    """Graphics memory a scene wants with the textures set, GB."""
    return load.memory_gb * TEXTURE_SHARE.get(str(state["knobs"].get("textures", "high")), 1.0)


def setting_of(model: Model, state: Mapping[str, Any], faults: Faults, title: str) -> Setting:
    """What the knobs come to for a title in the booted slot."""
    knobs, rig = state["knobs"], model.rig
    slot, mode = model.slot_physics(state["slot"]), gpu_mode_of(model, state)
    share, upscale_ms = UPSCALERS.get(str(knobs.get("upscaler", "off")), (1.0, 0.0))
    stops = slot.stops_variable or faults.variable_off
    sync = str(knobs.get("sync", "off"))
    variable = rig.variable_range_hz
    if sync == "variable" and (stops or variable is None):
        sync = "on"
    size = rig.resolution or (1280, 800)
    built_in = str(knobs.get("display", "built-in")) == "built-in"
    back = link_ms(*size, FRAME_BITS, rig.link_gbit_s) if mode.linked and built_in and rig.link_gbit_s else 0.0
    engine = knobs.get("engine_target", "off")
    refresh = max(variable) if variable and sync == "variable" else float(knobs.get(REFRESH, 0.0) or 0.0)
    return Setting(
        cap_ms=0.0 if knobs[CAP] == NO_CAP else 1000.0 / float(knobs[CAP]),
        boost=knobs.get("boost", "on") == "on",
        smt=knobs.get("smt", "on") == "on",
        cpu_ceiling_ghz=float(knobs.get("cpu_ceiling_ghz", math.inf)),
        gpu_ceiling_ghz=float(knobs.get("gpu_ceiling_mhz", math.inf)) / 1000.0,
        pixels=float(knobs.get("render_scale", 1.0)) * share,
        upscale_ms=upscale_ms,
        engine_fps=faults.scaling_fps or (0.0 if engine == "off" else float(engine)),
        pool_gb=pool_gb(model, state, faults) / TEXTURE_SHARE.get(str(knobs.get("textures", "high")), 1.0),
        frame_generation=knobs.get("frame_generation", "off") == "on",
        sync=sync,
        refresh_hz=refresh,
        lowest_hz=min(variable) if variable else 0.0,
        gpu_factor=slot.driver.get(title, 1.0) * mode.factor,
        return_ms=back,
        own_gpu_w=mode.own_w,
    )


def why_not(model: Model, state: Mapping[str, Any], title: str, load: Load, setting: Setting) -> str | None:
    """Why a title does not start, None where it does."""
    slot = model.slot_physics(state["slot"])
    if title in slot.fails:
        return str(slot.fails[title])
    if load.memory_gb > NOT_AT_ALL * setting.pool_gb:
        return f"too little graphics memory: wants {wanted_gb(load, state):.1f} GB"
    return None


def surroundings_of(slot: SlotPhysics, state: Mapping[str, Any], faults: Faults, title: str) -> Surroundings:
    """What the slot and the faults do to a scene."""
    played = float(state["played"].get(f"{state['slot']}/{title}", 0.0))
    return Surroundings(
        slot.stutter_share,
        slot.bursts_per_min + faults.bursts_per_min,
        faults.collapses_per_min,
        0.0 if faults.no_shaders else played,
    )
