"""What the legs of an evening may be played with, from what was measured of each title; and what comes of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

from ..core.choose.journey import BOUND_SD, MOST_WAYS, SCENES_SD, Journey, JourneyEnd, Supply, Way, planned
from ..core.choose.trade import Point, PointKind, points_of, unbeaten
from ..core.errors import HovrikError
from ..core.facts.rig import Rig
from ..core.facts.setup import Setup, describe
from ..core.keep.profile import Profile
from ..core.model import battery
from ..core.questions.question import Question, lowest_watts
from ..core.read.answer import hours_of
from ..store.notebook import CONTEXT, Notebook
from ..store.sound import WRONG
from . import library
from .gather import Evaluation, evaluate
from .memory import Cancelled, Memory
from .profiles import sound_ones

STATE = "tonight"
DRAW_SD = 0.03  # log, of a draw without an interval
BINDS = 0.95  # of a limit, from which package power says that it binds
NOTICED = 1.02  # of the judged figure: what plays less than that better is not worth its watts


@dataclass(frozen=True)
class Means:
    """What an evening is played with on a rig, in an OS slot. names, ways : by title key; supply : None where the
    battery is not known."""

    names: dict[str, str]
    ways: dict[str, tuple[Way, ...]]
    supply: Supply | None

    def why_not(self, evening: Journey) -> str:
        """Why an evening cannot be told, or a title of it has no way to be played; "" for neither."""
        if self.supply is None:
            return "The battery's energy is not known: note it in Rig."
        none = [self.names.get(one, one) for one in titles_of(evening) if not self.ways.get(one)]
        return f"Nothing was measured of {', '.join(none)} on battery here: plan it first." if none else ""


def titles_of(evening: Journey) -> list[str]:
    """Keys of the titles that are played, each once."""
    return list(dict.fromkeys(leg.what for leg in evening.legs if leg.is_title))


def kept(notebook: Notebook) -> Journey:
    """The evening that was planned last; an empty one where there is none that can be read."""
    body = notebook.get_state(STATE)
    try:
        return Journey.from_dict(body) if isinstance(body, dict) else Journey()
    except (HovrikError, *WRONG):
        return Journey()


def keep(notebook: Notebook, evening: Journey) -> None:
    """Remember it. Raises StoreError."""
    notebook.set_state(STATE, evening.as_dict())


def means_of(
    notebook: Notebook, question: Question, titles: Sequence[str], memory: Memory | None = None,
    wanted: Callable[[], bool] = lambda: True,
) -> Means:  # fmt: skip
    """What titles can be played with at the place of a question. Raises Cancelled where it is no longer wanted."""
    memory = memory or Memory(notebook)
    names = {key: title.name for key, title in library.titles(notebook).items()}
    ways: dict[str, tuple[Way, ...]] = {}
    used = None
    for key in titles:
        if not wanted():
            raise Cancelled
        found = _evaluated(notebook, question, key, memory)
        ways[key] = _ways(notebook, question, key, found) if found is not None else ()
        used = used or (found.context.used if found is not None else None)
    return Means(names, ways, _supply(memory.places.newest_rig(question.rig), used))


def ahead(evening: Journey, means: Means) -> JourneyEnd | None:
    """What comes of an evening; None where the battery is not known or there is no leg."""
    return planned(evening, means.ways, means.supply) if means.supply is not None and evening.legs else None


def _supply(rig: Rig | None, used: battery.Used | None) -> Supply | None:
    if rig is None:
        return None
    whole = replace(rig, charge_limit=1.0, reserve=0.0)  # charge and reserve are the evening's own
    found = battery.gives(whole, 10.0, used)
    if found is None:
        return None
    sd = math.log(found.high / found.low) / 3.92

    def hours_at(draw_w: float) -> float:
        own = battery.gives(whole, draw_w, used)
        return (own.wh if own is not None else found.wh) / draw_w

    return Supply(hours_at, sd)


def _evaluated(notebook: Notebook, question: Question, title: str, memory: Memory) -> Evaluation | None:
    """The scene of a title with most passes on battery here, held against the floor of its profile, else the
    question's."""
    best: Evaluation | None = None
    profile = _profile_of(notebook, question.rig, question.slot, title)
    for *keys, source in notebook.places():
        place = dict(zip(CONTEXT, keys, strict=True))
        here = all(place[kind] == question.keys[kind] for kind in ("rig", "slot")) and place["title"] == title
        if not here or source not in (None, "battery"):
            continue
        rig, slot, _, scene = (str(place[kind]).rpartition("/")[2] for kind in CONTEXT)
        floor = profile.target_fps if profile is not None else question.target_fps
        asked = lowest_watts(rig, slot, title, scene, target_fps=floor).with_(school=question.school)
        try:
            found = evaluate(notebook, asked, memory=memory)
        except HovrikError:
            continue
        if best is None or len(found.views) > len(best.views):
            best = found
    return best


def _profile_of(notebook: Notebook, rig: str, slot: str, title: str) -> Profile | None:
    """The first profile kept there that can be read."""
    return next((one for one in sound_ones(notebook) if one.shelf_place[:3] == (rig, slot, title)), None)


def _ways(notebook: Notebook, question: Question, title: str, found: Evaluation) -> tuple[Way, ...]:
    """Setups that hold what is asked and that none beats, and the profile; where none holds, those that none beats."""
    of = partial(hours_of, question=found.question, context=found.context)
    points = [one for one in points_of(found.responses, found.question.terms, of)
              if one.kind is not PointKind.PREDICTED and not one.incidents and one.at("draw_w") > 0]  # fmt: skip
    fits = [one for one in points if one.fits and (one.holds is None or one.holds >= 0.5)]
    chosen = unbeaten(fits or points, "draw_w")
    kept = _profile_of(notebook, question.rig, question.slot, title)
    profile = kept.setup if kept is not None else None
    option = found.answer.option
    answer = profile if profile is not None else option.setup if option is not None else None
    own = [one for one in points if answer is not None and one.setup.has(answer)]
    every: list[Point] = []
    for one in sorted({id(one): one for one in (*own, *chosen)}.values(), key=lambda one: one.at("draw_w")):
        if one in own or not every or one.at("judged") > NOTICED * max(other.at("judged") for other in every):
            every.append(one)
    if len(every) > MOST_WAYS:
        step = (len(every) - 1) / (MOST_WAYS - 1)
        every = [every[round(at * step)] for at in range(MOST_WAYS)]
    return tuple(_way(one, profile, is_answer=one in own) for one in every)


def _way(point: Point, profile: Setup | None, *, is_answer: bool) -> Way:
    draw = point.values["draw_w"]
    known = draw.low is not None and draw.high is not None and draw.low > 0
    sd = math.log(draw.high / draw.low) / 3.92 if known and draw.high and draw.low else DRAW_SD
    words = describe(point.setup)
    is_profile = profile is not None and point.setup.has(profile)
    limit, package = point.setup.static_limit_w, point.at("package_w")
    mix = BOUND_SD if limit is not None and package >= BINDS * limit else SCENES_SD
    return Way(f"{words} (profile)" if is_profile else words, draw.value, sd, point.at("judged"), mix, is_answer)
