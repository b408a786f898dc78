"""Reads a stand-in's description (TOML): rig, OS slots, titles and the physics behind them."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ...core.energy import Pack
from ...core.errors import Unavailable
from ...core.rig import Rig
from ...core.title import Title
from .physics import Board, Chip, Domain, HeatPath, Load, Physics


@dataclass(frozen=True)
class Model:
    """A stand-in. loads : (title key, scene key) to Load; room_c : the room it stands in."""

    rig: Rig
    titles: tuple[Title, ...]
    slot: str
    physics: Physics
    loads: Mapping[tuple[str, str], Load]
    room_c: float
    cap_levels: tuple[float, ...]


def load_model(path: Path) -> Model:
    """Read a description. Raises Unavailable where the file is missing or lacks something."""
    try:
        body = tomllib.loads(path.read_text(encoding="utf-8"))
        return _model(body)
    except (OSError, tomllib.TOMLDecodeError, KeyError, TypeError) as fault:
        raise Unavailable(f"The stand-in's description {path} cannot be used: {fault}. Restore the file.") from fault


def _model(body: Mapping[str, Any]) -> Model:
    rig = Rig.from_dict(body["rig"])
    physics = body["physics"]
    chip = physics["chip"]
    pack = Pack.of(rig)
    if pack is None:
        raise KeyError("rig.battery_wh")
    built = Physics(
        Chip(Domain(**physics["cpu"]), Domain(**physics["gpu"]), **chip),
        HeatPath(**physics["heat"]),
        Board(**physics["board"]),
        pack,
        **physics.get("more", {}),
    )
    titles, loads = [], {}
    for entry in body["title"]:
        facts = {k: v for k, v in entry.items() if k != "scenes"}
        scenes = []
        for scene in entry["scenes"]:
            loads[(entry["key"], scene["key"])] = Load(**scene["physics"])
            scenes.append({k: v for k, v in scene.items() if k != "physics"})
        titles.append(Title.from_dict({**facts, "scenes": scenes}))
    return Model(
        rig, tuple(titles), body["slot"], built, loads, float(body["room_c"]), tuple(body.get("cap_levels", ()))
    )
