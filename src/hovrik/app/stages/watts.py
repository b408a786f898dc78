"""From an evaluation to the parts of the picture of watts."""

from __future__ import annotations

from collections.abc import Sequence

from ...core.passes.energy import WattFlow, where_watts_go
from ...core.questions.question import Source
from ...service.gather import Evaluation, PassView


def flows_of(evaluation: Evaluation | None) -> tuple[Sequence[WattFlow], str]:
    """Parts by the passes at the answer's limit (else at the highest), and words about where they are from."""
    if evaluation is None:
        return (), "The notebook is being read."
    counted = [
        v for v in evaluation.views if v.counts and v.figures.package_w and (v.figures.draw_w or v.figures.wall_w)
    ]
    if not counted:
        return (), "No pass with package power and draw yet: measure or import one, and it is drawn here."
    option = evaluation.answer.option
    limit = option.limit_w if option else max(v.record.setup.static_limit_w or 0.0 for v in counted)
    chosen = [v for v in counted if v.record.setup.static_limit_w == limit] or counted

    def mean(name: str) -> float | None:
        values = [float(value) for v in chosen if (value := getattr(v.figures, name)) is not None]
        return sum(values) / len(values) if values else None

    flows = where_watts_go(
        mean("draw_w"),
        mean("package_w"),
        evaluation.context.overhead,
        mean("cpu_w"),
        mean("gpu_w"),
        mean("wall_w") if evaluation.question.source is Source.ADAPTER else None,
    )
    return flows, f"{_passes(chosen)} at {limit:g} W. Plain: measured; hatched: fitted, or what is left over."


def _passes(views: Sequence[PassView]) -> str:
    return f"Mean of {len(views)} pass{'es' if len(views) != 1 else ''}"
