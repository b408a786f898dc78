"""Profiles: what was chosen, kept with its evidence."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from ..core.errors import InputError
from ..core.facts.factor import LIMIT
from ..core.facts.knob import CAP, LIMITS, Level, Where, is_number
from ..core.facts.known_knobs import is_voltage, known
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup
from ..core.keep.profile import Profile
from ..core.keep.staleness import changes, verdict
from ..core.keep.verified import LEAST_S, LONG_S
from ..core.keep.verified import verdict as verdict_of_long_run
from ..core.message import Message
from ..core.plan.grid import LadderDesign
from ..core.questions.question import Question
from ..core.read.answer import Answer
from ..core.sentences import TEMPLATES
from ..store.files.write.profile import problems_of
from ..store.notebook import Notebook
from ..store.sound import WRONG
from .gather import Evaluation
from .planning import of_kind, with_part

NOTED = ("fan_policy", "memory_split_gb", "refresh_hz", "brightness_percent", "boost")
KEPT_CONDITIONS = frozenset({*NOTED, "room_c", "overlay", "brightness_share", "dock", "radios", "lighting"})
ORDER = (("memory_split_gb",), ("power_mode",), LIMITS, ("preset",), (), ("upscaler", "render_scale"),
         ("frame_generation", "generation_factor"))  # fmt: skip


@dataclass(frozen=True)
class Spoiled:
    """A profile on the shelf that cannot be read. problems : in words."""

    id: str
    problems: tuple[str, ...]


def on_shelf(notebook: Notebook) -> list[Profile | Spoiled]:
    """Every profile in force, newest first."""
    return [
        Spoiled(id_, tuple(wrong)) if (wrong := problems_of(body)) else Profile(body, id_)
        for id_, body in notebook.profiles()
    ]


def sound_ones(notebook: Notebook) -> list[Profile]:
    """Those in force that can be read, newest first."""
    return [one for one in on_shelf(notebook) if isinstance(one, Profile)]


def profile_of(evaluation: Evaluation, names: dict[str, str]) -> Profile:
    """The profile of a stated answer; names : shown names by rig, slot, title, scene.

    Raises InputError where no answer is stated.
    """
    answer: Answer = evaluation.answer
    if answer.option is None:
        raise InputError("There is no answer to keep yet. " + answer.sentence)
    if any(is_voltage(key) and value for key, value in answer.option.setup.items()):
        raise InputError("A voltage offset goes into no profile: set it by hand, and only what stood its long soak.")
    question = evaluation.question
    passes = [
        id_ for one in evaluation.responses for group in one.groups for id_ in group.passes
        if group.setup == answer.option.setup and group.level == answer.option.level
    ]  # fmt: skip
    made = [view.point.place.slot for view in evaluation.views if view.record.id in set(passes)]
    slot = made[0].rpartition("/")[2] if made and made[0] else question.slot
    known_slot = next((one for one in (evaluation.rig.slots if evaluation.rig else ()) if one.key == slot), None)
    if slot != question.slot and known_slot is not None:
        names = {**names, "slot": known_slot.name}
    return Profile({
        "rig": question.rig, "slot": slot, "title": question.title, "scene": question.scene,
        "source": question.source.value, "target_fps": question.target_fps, "low_school": question.school.value,
        "names": names, "setup": answer.option.setup.as_dict(),
        "limit_w": answer.option.setup.static_limit_w, "holds": answer.holds,
        "sentence": answer.sentence,
        "metrics": {k: e.as_dict() for k, e in answer.option.metrics.items()},
        "reasons": list(answer.reasons), "passes": passes, "kept_at": time.time_ns(),
        "firmware": evaluation.rig.firmware if evaluation.rig else None,
        **_of_version_2(evaluation, passes),
    })  # fmt: skip


def _of_version_2(evaluation: Evaluation, passes: list[str]) -> dict[str, Any]:
    """What makes a profile checkable later: terms, versions, battery, conditions, the order in which it is applied."""
    option, question, rig = evaluation.answer.option, evaluation.question, evaluation.rig
    points = [view.point for view in evaluation.views if view.record.id in set(passes)]
    versions: dict[str, str | None] = {}
    conditions: dict[str, Level] = {}
    for point in points:
        versions.update({what: version for what, version in point.versions.items() if version})
        known_ = {**{key: point.setup[key] for key in NOTED if key in point.setup}, **point.conditions}
        conditions.update({key: value for key, value in known_.items() if key in KEPT_CONDITIONS})
    return {
        "state": "chosen", "versions": versions, "conditions": conditions, "health": rig.health if rig else None,
        "terms": question.as_dict().get("terms", {}), "message": evaluation.answer.says.as_dict(),
        "order": applied_in(list(option.setup) if option is not None else []),
    }  # fmt: skip


def applied_in(knobs: list[str]) -> list[str]:
    """Knobs in the order in which they have to be applied: what restarts, a mode that bundles others, limits, what is
    live, the title's preset before its scaler, frame generation last."""

    def place(key: str) -> tuple[int, int]:
        where = known(key).where
        rank = next((at for at, group in enumerate(ORDER) if key in group), 4)
        return (0 if where is Where.RESTART else 1, rank)

    return sorted(knobs, key=place)


def versions_now(notebook: Notebook, keys: Mapping[str, str]) -> dict[str, str | None]:
    """What is installed now on a rig and slot and of a title, as passes tell their versions. keys : by kind."""
    found: dict[str, str | None] = {}
    for kind in ("rig", "slot", "title"):
        entity = notebook.newest_of(kind, keys[kind])
        for row in (entity.body.get("versions") or ()) if entity is not None else ():
            found[f"{kind}/{row['what']}"] = row.get("installed") or None
    return found


def stale(notebook: Notebook, profile: Profile) -> tuple[Message, ...]:
    """What changed since a profile was chosen."""
    entity = notebook.newest_of("rig", profile.rig)
    rig = Rig.from_dict(entity.body) if entity is not None else None
    now = versions_now(notebook, profile.asked.keys)
    return changes(profile, now, rig.health if rig else None, rig.fan_policy if rig else None)


def said_since(notebook: Notebook, profile: Profile, evaluation: Evaluation | None) -> Message | None:
    """What passes since the change say, where the evaluation is of the profile's place."""
    asked = profile.asked
    if evaluation is None or evaluation.question.keys != asked.keys or evaluation.question.source is not asked.source:
        return None
    made = {view.record.id: view.point.versions for view in evaluation.views if view.counts}
    now = versions_now(notebook, profile.asked.keys)
    return verdict(profile, evaluation.responses, made, now, evaluation.question.terms.sure)


def long_run(profile: Profile, like: LadderDesign) -> tuple[Question, LadderDesign]:
    """One settled pass of a quarter of an hour at a profile's setup: what is asked, and the lengths."""
    asked = with_part(of_kind(profile.asked, "now"), recipe=dict(profile.setup))
    return asked, replace(like, repeats=1, pass_s=LONG_S, until_settled=True, heat_s=0.0)


def stood(notebook: Notebook, profile: Profile, evaluation: Evaluation | None) -> Message | None:
    """What the newest long run at a profile's setup says, made since it was kept; None where there is none. Remembered,
    so that it is known where another question is shown."""
    asked = profile.asked
    if evaluation is not None and evaluation.question.keys == asked.keys and evaluation.question.source is asked.source:
        for view in reversed(evaluation.views):
            seconds = view.figures.frames.seconds if view.figures.frames is not None else 0.0
            is_new = view.record.id not in profile.passes  # that it was chosen by
            if view.is_good and is_new and seconds >= LEAST_S and view.record.setup.has(profile.setup):
                said = verdict_of_long_run(profile, view.figures.values, seconds / 60.0)
                if notebook.get_state(_stood(profile)) != said.as_dict():
                    notebook.set_state(_stood(profile), said.as_dict())
                return said
    kept = notebook.get_state(_stood(profile))
    try:
        return Message.from_dict(kept) if isinstance(kept, dict) and str(kept["id"]) in TEMPLATES else None
    except WRONG:
        return None


def state_of(profile: Profile, stale_: Sequence[Message], said: Message | None) -> str:
    """ "stale" where something changed since, "kept" where it stood its long run, else "chosen"."""
    if stale_:
        return "stale"
    return "kept" if said is not None and said.id == "kept.stood" else profile.state


def _stood(profile: Profile) -> str:
    return f"stood/{profile.id}"


def control_plan(
    profile: Profile, step_w: float, low_w: float | None, like: LadderDesign
) -> tuple[Question, LadderDesign]:
    """A few passes at a profile's setup and one step of limit less, all else as it says: what is asked, and the
    lengths. Six passes where limits and cap are all that it sets. like : the lengths that a person chose."""
    asked, setup = profile.asked, profile.setup
    limit, cap = setup.static_limit_w, setup.get(CAP)
    plain = limit is not None and not set(setup) - {*LIMITS, CAP}
    if plain and limit is not None:
        low = limit - step_w if low_w is None or limit - step_w >= low_w else limit
        number = float(cap) if is_number(cap) and cap is not None else None
        return asked, replace(like, from_w=low, to_w=limit, step_w=step_w, cap_fps=number, repeats=3, heat_s=0.0)
    return _control_question(asked, setup, limit, step_w, low_w), replace(like, heat_s=0.0)


def _control_question(
    asked: Question, setup: Setup, limit: float | None, step_w: float, low_w: float | None
) -> Question:
    others = {key: value for key, value in setup.items() if key not in LIMITS}
    if limit is None:
        return with_part(of_kind(asked, "now"), recipe=dict(setup))
    less = limit - step_w
    levels = [limit] if low_w is not None and less < low_w else [less, limit]
    return with_part(of_kind(asked, "knob"), over=LIMIT, levels={LIMIT: levels}, recipe=others or None)


def keep(notebook: Notebook, profile: Profile) -> str:
    """Store a profile for its title x OS slot x source; its id."""
    return notebook.keep_profile(profile.shelf_place, profile.body)


def names_of(notebook: Notebook, question: Question) -> dict[str, str]:
    """Shown names of what a question speaks of."""
    found = {kind: notebook.newest_of(kind, key) for kind, key in question.keys.items()}
    return {
        kind: str(entity.body.get("name", key)) if (entity := found[kind]) else key
        for kind, key in question.keys.items()
    }
