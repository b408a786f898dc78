"""The kinds of questions that work, by id."""

from __future__ import annotations

from collections.abc import Mapping

from ..errors import PlanError
from . import first_look, knob, lowest_watts, now, watts_buy, which_os
from .kind import Kind

KINDS: Mapping[str, Kind] = {
    one.id: one for one in (now.KIND, first_look.KIND, lowest_watts.KIND, knob.KIND, watts_buy.KIND, which_os.KIND)
}
VERBS = ("look", "find", "does it pay", "compare", "how long")


def kind_of(name: str) -> Kind:
    """A kind by its id. Raises PlanError for one that this version does not know."""
    if name not in KINDS:
        raise PlanError(f"There is no question of the kind {name!r}. Choose one of: {', '.join(KINDS)}.")
    return KINDS[name]
