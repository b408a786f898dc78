"""The kinds of questions that work, by id."""

from __future__ import annotations

from collections.abc import Mapping

from ..errors import PlanError
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


def kind_of(name: str) -> Kind:
    """A kind by its id. Raises PlanError for one that this version does not know."""
    if name not in KINDS:
        raise PlanError(f"There is no question of the kind {name!r}. Choose one of: {', '.join(KINDS)}.")
    return KINDS[name]
