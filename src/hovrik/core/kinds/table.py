"""The kinds of questions that work, by id."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..errors import PlanError
from ..questions import question
from . import (
    best,
    caps,
    claim,
    display_path,
    feels,
    first_look,
    flip,
    knob,
    limits_it,
    lowest_watts,
    now,
    options_cost,
    over_charge,
    plugged,
    rest_draw,
    runtime_true,
    stays_cool,
    title_setup,
    triage,
    undervolt,
    use_lasts,
    watts_buy,
    which_os,
)
from .kind import Kind

KINDS: Mapping[str, Kind] = {
    one.id: one
    for one in (
        now.KIND,
        first_look.KIND,
        limits_it.KIND,
        lowest_watts.KIND,
        best.KIND,
        caps.KIND,
        title_setup.KIND,
        knob.KIND,
        flip.KIND,
        feels.KIND,
        watts_buy.KIND,
        options_cost.KIND,
        which_os.KIND,
        display_path.KIND,
        plugged.KIND,
        stays_cool.KIND,
        use_lasts.KIND,
        rest_draw.KIND,
        claim.KIND,
        over_charge.KIND,
        runtime_true.KIND,
        triage.KIND,
        undervolt.KIND,
    )
}

question.KNOWN.update(KINDS)
FELT = feels.KIND.id
SEARCH, LADDER = lowest_watts.SEARCH, lowest_watts.LADDER  # parts["how"] of a question that has such a field
is_ladder = lowest_watts.is_ladder
IN_CAMPAIGN = tuple(one.id for one in (triage.KIND, *KINDS.values()) if one.in_campaign)


def kind_of(name: str) -> Kind:
    """A kind by its id. Raises PlanError for one that this version does not know."""
    if name not in KINDS:
        raise PlanError(f"There is no question of the kind {name!r}. Choose one of: {', '.join(KINDS)}.")
    return KINDS[name]


def question_from(body: Mapping[str, Any]) -> question.Question:
    """A question from plain values; one of a kind that this version does not know is kept as it was found."""
    return question.Question.from_dict(body)


def kind_asked(asked: question.Question | None) -> Kind:
    """The kind of a question; that of the lowest watts where none is asked, or one that this version does not know."""
    return KINDS.get(asked.kind if asked is not None and asked.is_known else "", KINDS[question.LOWEST_WATTS])


def asks_for(asked: question.Question | None, field: str) -> bool:
    """Whether a field of the form is of use for a question."""
    return field in kind_asked(asked).fields
