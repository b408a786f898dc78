"""A game and the repeatable stretches of it that are measured. A None or empty field is unknown."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from .rig import Version, many, plain_fields, version_of


@dataclass(frozen=True)
class Scene:
    """One repeatable stretch of a title.

    role : typical, heaviest, menu or idle; mix : share of the player's time (0..1); yields : frames, a score, a
    completion time or only draw; counts : what the reported rate counts, rendered or shown; load : training, match or
    benchmark, since an online match is heavier than a training room; load_time_constant_s : how long the scene's load
    wanders in one direction (s); set_up : graphics settings in the order in which they must be applied (preset, then
    scaler, then frame generation).
    """

    key: str
    name: str
    length_s: float | None = None
    load: str | None = None
    load_time_constant_s: float | None = None
    start_mark: str | None = None
    end_mark: str | None = None
    role: str | None = None
    mix: float | None = None
    yields: str | None = None
    counts: str | None = None
    set_up: tuple[str, ...] = ()


@dataclass(frozen=True)
class Title:
    """A game as far as measuring it needs to know.

    api : graphics interface; targets_fps : rates its engine knows; own_scaler : whether it lowers its own resolution;
    presets : in order of picture quality, best first; lowest_preset, lowest_textures, lowest_scale : the lowest set-up
    the player accepts; dislikes_changes : hangs when settings change while it runs; memory_gb : what it wants of
    graphics memory; slots : keys of OS slots it runs in (empty: unknown); versions : build, translation layer, patch.
    """

    key: str
    name: str
    nature: str | None = None
    preset: str | None = None
    api: str | None = None
    targets_fps: tuple[float, ...] = ()
    own_scaler: bool | None = None
    frame_generation: bool | None = None
    live_opponents: bool | None = None
    dislikes_changes: bool | None = None
    memory_gb: float | None = None
    slots: tuple[str, ...] = ()
    presets: tuple[str, ...] = ()
    lowest_preset: str | None = None
    lowest_textures: str | None = None
    lowest_scale: float | None = None
    versions: tuple[Version, ...] = ()
    scenes: tuple[Scene, ...] = ()

    def scene(self, key: str) -> Scene:
        """The scene with this key (KeyError where there is none)."""
        return {scene.key: scene for scene in self.scenes}[key]

    def version(self, what: str) -> str | None:
        """Installed version of something, None where it is not noted."""
        return version_of(self.versions, what)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Title:
        """The inverse of `as_dict`; unknown keys are ignored."""
        return cls(
            **plain_fields(cls, body, ("scenes", "versions")),
            scenes=many(Scene, body.get("scenes")),
            versions=many(Version, body.get("versions")),
        )
