"""A game and the repeatable stretch of it that is measured."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True)
class Scene:
    """One repeatable stretch of a title.

    load_time_constant_s : how long the scene's load wanders in one direction (s), None where unknown;
    load : training, match or benchmark, since an online match is heavier than a training room.
    """

    key: str
    name: str
    length_s: float | None = None
    load: str | None = None
    load_time_constant_s: float | None = None
    start_mark: str | None = None
    end_mark: str | None = None


@dataclass(frozen=True)
class Title:
    """A game as far as measuring it needs to know."""

    key: str
    name: str
    nature: str | None = None
    preset: str | None = None
    targets_fps: tuple[float, ...] = ()
    live_opponents: bool | None = None
    dislikes_changes: bool | None = None
    scenes: tuple[Scene, ...] = ()

    def scene(self, key: str) -> Scene:
        """The scene with this key (KeyError where there is none)."""
        return {scene.key: scene for scene in self.scenes}[key]

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Title:
        """The inverse of `as_dict`; unknown keys are ignored."""
        known: dict[str, Any] = {
            k: tuple(v) if isinstance(v, list) else v
            for k, v in body.items()
            if k in cls.__dataclass_fields__ and k != "scenes"
        }
        scenes = tuple(
            Scene(**{k: v for k, v in s.items() if k in Scene.__dataclass_fields__}) for s in body.get("scenes", ())
        )
        return cls(**known, scenes=scenes)
