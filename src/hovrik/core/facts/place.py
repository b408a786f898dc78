"""Where a pass is made: which rig, OS slot, title and scene, on which source, over which path."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Source(StrEnum):
    """Where the watts come from."""

    BATTERY = "battery"
    ADAPTER = "adapter"


@dataclass(frozen=True)
class Place:
    """Keys of what a pass ran on and in. source : None unknown; path : adapter, dock or display path beside the usual
    one, "" unknown. The display in use is a knob."""

    rig: str = ""
    slot: str = ""
    title: str = ""
    scene: str = ""
    source: Source | None = None
    path: str = ""


PLACES = ("rig", "slot", "title", "scene", "source", "path")
_MOVED_WITH = {"rig": ("rig", "slot"), "title": ("title", "scene")}


def moved_with(part: str) -> tuple[str, ...]:
    """The parts of a place that are others where `part` is: a rig has OS slots of its own, a title scenes."""
    return _MOVED_WITH.get(part, (part,))
