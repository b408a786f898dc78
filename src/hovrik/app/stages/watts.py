"""From an evaluation to the parts of the picture of watts."""

from __future__ import annotations

from collections.abc import Sequence

from ...core.facts.place import Source
from ...core.facts.setup import describe
from ...core.passes.energy import WattFlow, where_watts_go
from ...core.read.group import Group
from ...service.gather import Evaluation, PassView


def flows_of(evaluation: Evaluation | None) -> tuple[Sequence[WattFlow], str]:
    """Parts by the passes at the answer's limit (else at the highest), and words about where they are from."""
    if evaluation is None:
        return (), "The notebook is being read."
    counted = [v for v in evaluation.views if v.counts and _carries(v)]
    if not counted:
        return (), "No pass with package power and draw yet: measure or import one, and it is drawn here."
    group = _group_of(evaluation)
    chosen = [v for v in counted if group is not None and v.record.id in group.passes] or counted
    at = describe(group.setup) if group is not None and chosen is not counted else "all levels"

    def mean(name: str) -> float | None:
        values = [float(value) for v in chosen if (value := v.figures.value(name)) is not None]
        return sum(values) / len(values) if values else None

    flows = where_watts_go(
        mean("draw_w"),
        mean("package_w"),
        evaluation.context.overhead,
        mean("cpu_w"),
        mean("gpu_w"),
        mean("wall_w") if evaluation.question.source is Source.ADAPTER else None,
    )
    return flows, f"{_passes(chosen)} at {at}. Plain: measured; hatched: fitted, or what is left over."


def _carries(view: PassView) -> bool:
    value = view.figures.value
    return bool(value("package_w") and (value("draw_w") or value("wall_w")))


def _group_of(evaluation: Evaluation) -> Group | None:
    """The group of the answer, else the last of the fullest response."""
    option = evaluation.answer.option
    groups = [group for one in evaluation.responses for group in one.groups]
    if option is not None:
        return next((g for g in groups if g.setup == option.setup and g.level == option.level), None)
    return evaluation.responses[0].groups[-1] if evaluation.responses else None


def _passes(views: Sequence[PassView]) -> str:
    return f"Mean of {len(views)} pass{'es' if len(views) != 1 else ''}"
