"""What repeats say about a scene: spread of each figure, drift, warm-up, and how long a pass must be."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..core.facts.title import Scene, Title
from ..core.passes.figure import low_id
from ..core.passes.warm_up import settled_after
from ..core.plan.resolution import Curve, Repeatability, repeatability, resolution, sd_at_length
from ..core.questions.question import Question
from ..core.read.evening import PlayedEvening
from ..core.stats.power import repeats_needed
from ..store.notebook import Notebook
from .gather import Evaluation, PassView

PLAYED = "played-"  # key of scenes that an evening gave
MATTERS = {"rate": 0.02, "low": 0.03, "draw": 0.02}  # shares a player would care about, by default


@dataclass(frozen=True)
class SceneStudy:
    """figure name to its Repeatability; seconds : length of the passes; draw_w, gauge_step_wh : for energy by a gauge;
    warm_up_frames : until figures settle in the first pass, None where it was not looked at."""

    spread: dict[str, Repeatability]
    seconds: float
    draw_w: float | None
    gauge_step_wh: float | None
    warm_up_frames: int | None

    def curves(self, figure: str, by_gauge: bool = False) -> tuple[Curve, ...]:
        """What can be told apart in a figure against minutes; by_gauge : energy from gauge readings."""
        found = self.spread.get(figure)
        if found is None or found.sd <= 0:
            return ()
        gauge = (self.gauge_step_wh, self.draw_w) if by_gauge else (None, None)
        return resolution(found.sd, self.seconds, gauge_step_wh=gauge[0], draw_w=gauge[1])

    def advice(self, figure: str, difference: float, lengths_s: Sequence[float] = (30, 60, 120, 240)) -> str:
        """Passes a setup that find a difference (share) in a figure, by length, in words."""
        found = self.spread.get(figure)
        if found is None:
            return "Repeats are needed first."
        parts = []
        for length in lengths_s:
            need = repeats_needed(difference, max(sd_at_length(found.sd, self.seconds, length), 1e-9))
            parts.append(f"{need} of {length:.0f} s" if need is not None else f"over 60 of {length:.0f} s")
        return f"To tell {100 * difference:g} % apart, passes at each setup: {', or '.join(parts)}."


LEAST_MIX = 0.05  # of an evening, from which a sort of stretches is worth a scene


def with_scenes(title: Title, evening: PlayedEvening) -> Title:
    """A title with scenes for what was played in an evening, each with its share of it, which is then the mix; those of
    an evening before go."""
    kept = tuple(replace(scene, mix=None) for scene in title.scenes if not scene.key.startswith(PLAYED))
    made = tuple(
        Scene(
            f"{PLAYED}{sort.kind + 1}", f"Played, sort {sort.kind + 1} ({sort.rate:.0f} frames)", length_s=None,
            start_mark=f"as at {sort.start_s / 60:.0f} min of the evening", yields="frames", mix=round(sort.mix, 3),
            role="heaviest" if sort.kind == 0 and len(evening.sorts) > 1 else "typical",
        )
        for sort in evening.sorts if sort.mix >= LEAST_MIX
    )  # fmt: skip
    return replace(title, scenes=(*kept, *made))


def _in_question(counted: list[PassView], evaluation: Evaluation) -> list[PassView]:
    """Passes at the setups that the answer is about: others of the scene may repeat differently."""
    option = evaluation.answer.option
    for response in evaluation.responses:
        if option is None or any(g.setup == option.setup and g.level == option.level for g in response.groups):
            ids = {one for group in response.groups for one in group.passes}
            return [view for view in counted if view.record.id in ids] or counted
    return counted


def _ids(question: Question) -> dict[str, str]:
    return {"rate": "mean_fps", "low": low_id(question.school), "draw": "draw_w"}


def study(notebook: Notebook, evaluation: Evaluation) -> SceneStudy | None:
    """From the counted passes at the setups that a question is about; None without any."""
    counted = _in_question([v for v in evaluation.views if v.counts], evaluation)
    timed = [v.figures.frames.seconds for v in counted if v.figures.frames]
    if not timed:
        return None
    spread = {}
    for name, id_ in _ids(evaluation.question).items():
        groups: dict[object, list[tuple[float, float]]] = {}
        for order, view in enumerate(counted):
            value = view.figures.value(id_)
            if value is not None and value > 0:
                groups.setdefault(view.record.asked, []).append((float(order), value))
        found = repeatability(list(groups.values()))
        if found is not None:
            spread[name] = found
    draws = [value for v in counted if (value := v.figures.value("draw_w"))]
    trace = notebook.load(counted[0].record.id).trace
    interval_ms = trace.interval_ms() if trace is not None else None
    warm = settled_after(interval_ms[interval_ms > 0]) if interval_ms is not None and interval_ms.size else None
    rig = evaluation.rig
    return SceneStudy(
        spread, sum(timed) / len(timed), math.fsum(draws) / len(draws) if draws else None,
        rig.gauge_step_wh if rig else None, warm,
    )  # fmt: skip
