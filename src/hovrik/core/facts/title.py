"""A game and the repeatable stretches of it that are measured. A None or empty field is unknown."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from .rig import OwnKnob, Version, many, plain_fields, version_of


@dataclass(frozen=True)
class SetUp:
    """One way a title is set up: graphics options in the order in which they must be applied (preset, textures, scale,
    upscaler, frame generation). acts_at : where scaler and generator act: title, driver, system, outside program;
    accepted : whether the player still takes it."""

    name: str
    preset: str | None = None
    textures: str | None = None
    scale: float | None = None
    upscaler: str | None = None
    frame_generation: str | None = None
    acts_at: str | None = None
    accepted: bool = True


@dataclass(frozen=True)
class Section:
    """A named stretch of a scene, seconds of scene time from its start mark."""

    name: str
    start_s: float
    end_s: float


@dataclass(frozen=True)
class Scene:
    """One repeatable stretch of a title.

    role : typical, heaviest, menu or idle; mix : share of the player's time (0..1); yields : frames, a score, a
    completion time or only draw; counts : what the reported rate counts, rendered or shown; load : training, match or
    benchmark, since an online match is heavier than a training room; load_time_constant_s : how long the scene's load
    wanders in one direction (s); sections : named stretches of it.
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
    sections: tuple[Section, ...] = ()

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Scene:
        """The inverse of `dataclasses.asdict`; unknown keys are ignored."""
        return cls(**plain_fields(cls, body, ("sections",)), sections=many(Section, body.get("sections")))


@dataclass(frozen=True)
class Title:
    """A game as far as measuring it needs to know.

    api : graphics interface; targets_fps : rates its engine knows; own_scaler : whether it lowers its own resolution;
    preset : in use; set_ups : ways to set it up in order of picture quality, best first, those the player no longer
    accepts last; dislikes_changes : hangs when settings change while it runs; lock_out_min : minutes for which it keeps
    a player out after a crash in company; memory_gb : what it wants of graphics memory; slots : keys of OS slots it
    runs in (empty: unknown); versions : build, translation layer, patch; own_knobs : options of the title that its
    owner added.
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
    lock_out_min: float | None = None
    memory_gb: float | None = None
    slots: tuple[str, ...] = ()
    set_ups: tuple[SetUp, ...] = ()
    versions: tuple[Version, ...] = ()
    scenes: tuple[Scene, ...] = ()
    own_knobs: tuple[OwnKnob, ...] = ()

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
        """The inverse of `as_dict`; unknown keys are ignored. Bodies of before there were set-ups bring their presets,
        their lowest accepted one and what their scenes noted."""
        return cls(
            **plain_fields(cls, body, ("scenes", "versions", "set_ups", "own_knobs")),
            scenes=tuple(Scene.from_dict(scene) for scene in body.get("scenes") or ()),
            versions=many(Version, body.get("versions")),
            set_ups=many(SetUp, body["set_ups"]) if body.get("set_ups") else _former_set_ups(body),
            own_knobs=many(OwnKnob, body.get("own_knobs")),
        )


def _former_set_ups(body: Mapping[str, Any]) -> tuple[SetUp, ...]:
    """Set-ups from presets, the lowest accepted ones and the order noted with a scene, as notebooks kept them once."""
    presets, lowest = list(body.get("presets") or ()), body.get("lowest_preset")
    if lowest and lowest not in presets:
        presets.append(lowest)
    last = presets.index(lowest) if lowest else len(presets) - 1
    found = [SetUp(preset, preset, accepted=number <= last) for number, preset in enumerate(presets)]
    textures, scale = body.get("lowest_textures"), body.get("lowest_scale")
    if textures or scale is not None:
        base = found[last] if found else SetUp("lowest")
        name = base.name if not found else f"{base.name}, lowest"
        found.insert(last + 1, replace(base, name=name, textures=textures, scale=scale))
    for scene in body.get("scenes") or ():
        noted = _noted(scene.get("set_up") or ())
        if noted is not None and noted.preset not in presets:
            found.append(replace(noted, name=f"as in {scene.get('name', scene.get('key'))}"))
        elif noted is not None:
            at = next(i for i, one in enumerate(found) if one.preset == noted.preset)
            found[at] = replace(noted, name=found[at].name, accepted=found[at].accepted)
    return tuple(found)


_NOTED = {"preset": "preset", "textures": "textures", "scaler": "upscaler", "upscaler": "upscaler",
          "frame generation": "frame_generation"}  # fmt: skip


def _noted(words: Sequence[str]) -> SetUp | None:
    """What "preset medium", "scaler off", "frame generation off" say; None where nothing of it is understood."""
    found: dict[str, Any] = {}
    for text in words:
        for start, name in _NOTED.items():
            if text.lower().startswith(start + " "):
                found[name] = text[len(start) + 1 :].strip()
    return SetUp("", **found) if found else None
