"""Reads a stand-in's description (TOML): rig, OS slots, knobs, titles and the physics behind them."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from ...core.errors import HovrikError, Unavailable
from ...core.facts.knob import Knob, Level, Where
from ...core.facts.known_knobs import known
from ...core.facts.rig import Rig
from ...core.facts.title import Title
from ...disk.reading import read_text
from .battery import Battery
from .heat import FanPolicy, HeatPath
from .physics import Board, Chip, Domain, Load, Physics


@dataclass(frozen=True)
class SlotPhysics:
    """What one OS slot does to everything. overhead : factor on CPU time; base_w : draw beside the board's; driver :
    factor on GPU time by title; stutter_share, bursts_per_min : as in Surroundings; stops_variable : its overlay turns
    variable refresh off; fails : titles that do not start and why; missing : knobs that it does not offer."""

    overhead: float = 1.0
    base_w: float = 0.0
    driver: Mapping[str, float] = field(default_factory=dict)
    stutter_share: float = 0.0
    bursts_per_min: float = 0.0
    stops_variable: bool = False
    fails: Mapping[str, str] = field(default_factory=dict)
    missing: tuple[str, ...] = ()


@dataclass(frozen=True)
class GpuMode:
    """One GPU mode. own_w : power of a GPU beside the package (0: none); factor : on GPU time; base_w : draw beside the
    board's; linked : its frames go back over the link where they are shown on the built-in panel."""

    own_w: float = 0.0
    factor: float = 1.0
    base_w: float = 0.0
    linked: bool = False


@dataclass(frozen=True)
class Supply:
    """Adapter and battery electronics.

    adapter_share : of the adapter's watts that reach the machine; charge_w : most into the battery; taper_from : charge
    share from which charging slows; battery_limit_w : package limit the maker keeps on battery whatever is set,
    battery_gpu_w : the same for a GPU beside it (None: none); charging_share : of the package limit withheld while
    charging hard; gauge_lag_s : time constant of the gauge.
    """

    adapter_share: float = 0.9
    charge_w: float = 30.0
    taper_from: float = 0.8
    battery_limit_w: float | None = None
    battery_gpu_w: float | None = None
    charging_share: float = 0.12
    gauge_lag_s: float = 8.0


@dataclass(frozen=True)
class Model:
    """A stand-in. loads : (title key, scene key) to Load; defaults : knob id to the value it leaves the maker with;
    room_c : the room it stands in; unconfirmed : knobs whose read-back is only cached; room_sensor : it
    measures the room."""

    rig: Rig
    titles: tuple[Title, ...]
    slot: str
    physics: Physics
    loads: Mapping[tuple[str, str], Load]
    knobs: tuple[Knob, ...]
    defaults: Mapping[str, Level]
    slots: Mapping[str, SlotPhysics]
    gpu_modes: Mapping[str, GpuMode]
    supply: Supply
    room_c: float
    unconfirmed: frozenset[str]
    room_sensor: bool = False

    def slot_physics(self, key: str) -> SlotPhysics:
        """Physics of a slot; a plain one where the description has none."""
        return self.slots.get(key, SlotPhysics())


def load_model(path: Path) -> Model:
    """Read a description. Raises Unavailable where the file is missing or lacks something."""
    try:
        body = tomllib.loads(read_text(path, "a description"))
        titles = tomllib.loads(read_text(path.with_name(str(body["titles"])), "titles"))["title"]
        return _model(body, titles)
    except (HovrikError, OSError, RecursionError, AttributeError, KeyError, TypeError, ValueError) as fault:
        raise Unavailable(f"The stand-in's description {path} cannot be used: {fault}. Restore the file.") from fault


def _model(body: Mapping[str, Any], entries: list[Mapping[str, Any]]) -> Model:
    rig = Rig.from_dict(body["rig"])
    pack = Battery.of(rig)
    if pack is None:
        raise KeyError("rig.battery_wh")
    titles, loads = _titles(entries, body.get("only"))
    knobs = tuple(_knob(entry) for entry in body.get("knob", ()))
    return Model(
        rig, titles, body["slot"], _physics(body["physics"], pack), loads, knobs,
        {entry["id"]: entry["default"] for entry in body.get("knob", ()) if "default" in entry},
        {key: SlotPhysics(**_tuples(entry)) for key, entry in body.get("slots", {}).items()},
        {key: GpuMode(**entry) for key, entry in body.get("gpu_modes", {}).items()},
        Supply(**body.get("supply", {})), float(body["room_c"]), frozenset(body.get("unconfirmed", ())),
        bool(body.get("room_sensor", False)),
    )  # fmt: skip


def _physics(body: Mapping[str, Any], pack: Battery) -> Physics:
    chip = _tuples(body["chip"])
    for key in ("memory_steps", "dents"):
        chip[key] = tuple(tuple(row) for row in chip.get(key, ()))
    heat = {k: v for k, v in body["heat"].items() if k != "policies"}
    policies = {name: FanPolicy(**entry) for name, entry in body["heat"].get("policies", {}).items()}
    return Physics(
        Chip(Domain(**body["cpu"]), Domain(**body["gpu"]), **chip),
        HeatPath(**heat, policies=policies),
        Board(**body["board"]),
        pack,
        discrete=Domain(**body["discrete"]) if "discrete" in body else None,
        **_tuples(body.get("more", {})),
    )


def _titles(
    entries: list[Mapping[str, Any]], only: list[str] | None
) -> tuple[tuple[Title, ...], dict[tuple[str, str], Load]]:
    titles, loads = [], {}
    for entry in entries:
        if only is not None and entry["key"] not in only:
            continue
        facts = {k: v for k, v in entry.items() if k != "scenes"}
        scenes = []
        for scene in entry["scenes"]:
            loads[(entry["key"], scene["key"])] = Load(**_tuples(scene["physics"]))
            scenes.append({k: v for k, v in scene.items() if k != "physics"})
        titles.append(Title.from_dict({**facts, "scenes": scenes}))
    return tuple(titles), loads


def _knob(entry: Mapping[str, Any]) -> Knob:
    """What the program knows of a knob, with this machine's own levels, place and default."""
    body = {k: v for k, v in _tuples(entry).items() if k != "default"}
    if "where" in body:
        body["where"] = Where(body["where"])
    return replace(known(body["id"]), starting=entry.get("default"), **body)


def _tuples(body: Mapping[str, Any]) -> dict[str, Any]:
    return {k: tuple(v) if isinstance(v, list) else v for k, v in body.items()}
