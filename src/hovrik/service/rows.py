"""A pass as a flat row, for tables, the command line and export."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..core.facts import condition
from ..core.facts.setup import describe
from ..core.passes.figure import BY_ID, FIGURES
from ..core.questions.question import Question
from ..store.files.write.table import csv_text
from .gather import Evaluation, PassView

_NAMES = {"die_c": "die_settled_c", "shell_c": "shell_settled_c"}


def metrics_of(view: PassView, question: Question) -> dict[str, float | None]:
    """Figures of a pass by name, units in the names; None where the data do not carry one."""
    frames, tail, floor = view.figures.frames, view.figures.tail, question.floor
    of_floor = tail is not None and floor.value > 0 and not floor.less_is_better
    return {
        **{_NAMES.get(figure.id, figure.id): view.figures.value(figure.id) for figure in FIGURES},
        "missed_share": tail.missed(floor.value) if of_floor and tail else None,
        "steady_share": tail.steady(floor.value) if of_floor and tail else None,
        "frames": frames.frames if frames else None,
        "seconds": frames.seconds if frames else None,
    }


def csv_of(rows: Sequence[dict[str, Any]]) -> str:
    """Rows of passes as CSV: a column each setting, figure and condition that any of them has. Text that a spreadsheet
    would take for a formula stands behind a quote."""
    flat = []
    for row in rows:
        line = {"id": row["id"], "verdict": row["verdict"], "origin": row["origin"]}
        for group in ("setup", "metrics"):
            line.update({k: v for k, v in row[group].items() if v is not None})
        line.update({k: v["value"] for k, v in row["conditions"].items() if v["value"] is not None})
        flat.append(line)
    names = list(dict.fromkeys(key for line in flat for key in line))
    return csv_text([names, *([line.get(name) for name in names] for line in flat)])


def pass_row(view: PassView, question: Question) -> dict[str, Any]:
    """The JSON row of `hovrik passes`."""
    record = view.record
    return {
        "id": record.id,
        "verdict": view.verdict.state.value,
        "findings": [f"{f.check}: {f.evidence}" for f in view.verdict.findings],
        "facts": list(view.verdict.fact_words),
        "overruled": view.verdict.overruled,
        "origin": record.origin.value,
        "purpose": record.purpose,
        "words": describe(record.setup),
        "setup": record.setup.as_dict(),
        "read": record.read.as_dict(),
        "conditions": condition.to_plain(record.conditions),
        "metrics": metrics_of(view, question),
    }


def response_rows(evaluation: Evaluation) -> list[dict[str, Any]]:
    """The responses of `hovrik answer --json`: a row a group, with every figure and its interval."""
    return [
        {
            "factor": one.factor.id, "unit": one.factor.unit, "setup": one.family.as_dict(), "apart": list(one.apart),
            "groups": [
                {
                    "level": group.level, "words": one.factor.words(group.level), "passes": len(group.passes),
                    "holds": group.holds,
                    "figures": {key: mean.estimate(BY_ID[key].unit).as_dict() for key, mean in group.means.items()},
                }
                for group in one.groups
            ],
            "findings": [f"{finding.check}: {finding.evidence}" for finding in one.findings],
        }
        for one in evaluation.responses
    ]  # fmt: skip
