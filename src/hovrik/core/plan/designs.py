"""The designs there are, by name, as plans store them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from ..errors import PlanError
from ..facts.setup import Setup
from .buys import BuysDesign
from .cap_check import CapCheckDesign
from .design import Design
from .edited import EditedDesign, Order
from .feel import FeelDesign
from .first_holds import FirstHoldsDesign
from .flip import FlipDesign
from .grid import LadderDesign, SetupsDesign
from .lengths import Lengths
from .lowest import LowestDesign
from .referenced import ReferencedDesign
from .rounds import RoundsDesign
from .search.design import SearchDesign
from .undervolt import UndervoltDesign
from .whole_charge import WholeChargeDesign


@dataclass(frozen=True)
class Stored:
    """How a design is stored. to_plain gives plain values, from_plain makes it again."""

    made: type
    to_plain: Callable[[Any], Mapping[str, Any]]
    from_plain: Callable[[Mapping[str, Any]], Design]


def _setups_to(design: SetupsDesign) -> dict[str, Any]:
    return {**design.like.as_dict(), "setups": [setup.as_dict() for setup in design.setups]}


def _setups_from(body: Mapping[str, Any]) -> Design:
    return SetupsDesign(tuple(Setup(values) for values in body["setups"]), Lengths.from_dict(body))


DESIGNS: dict[str, Stored] = {
    "ladder": Stored(LadderDesign, LadderDesign.as_dict, LadderDesign.from_dict),
    "setups": Stored(SetupsDesign, _setups_to, _setups_from),
    "rounds": Stored(RoundsDesign, RoundsDesign.as_dict, RoundsDesign.from_dict),
    "lowest": Stored(LowestDesign, LowestDesign.as_dict, LowestDesign.from_dict),
    "first-holds": Stored(FirstHoldsDesign, FirstHoldsDesign.as_dict, FirstHoldsDesign.from_dict),
    "cap-check": Stored(CapCheckDesign, CapCheckDesign.as_dict, CapCheckDesign.from_dict),
    "flip": Stored(FlipDesign, FlipDesign.as_dict, FlipDesign.from_dict),
    "feel": Stored(FeelDesign, FeelDesign.as_dict, FeelDesign.from_dict),
    "search": Stored(SearchDesign, SearchDesign.as_dict, SearchDesign.from_dict),
    "undervolt": Stored(UndervoltDesign, UndervoltDesign.as_dict, UndervoltDesign.from_dict),
    "whole-charge": Stored(WholeChargeDesign, WholeChargeDesign.as_dict, WholeChargeDesign.from_dict),
    "buys": Stored(BuysDesign, BuysDesign.as_dict, BuysDesign.from_dict),
}


def _edited_to(design: EditedDesign) -> dict[str, Any]:
    order = design.order
    return {"inner": design_to(design.inner), "sequence": list(order.places), "pinned": sorted(order.pinned)}


def _edited_from(body: Mapping[str, Any]) -> Design:
    order = Order(tuple(int(at) for at in body["sequence"]), frozenset(int(at) for at in body.get("pinned") or ()))
    return EditedDesign(design_from({"design": body["inner"]}), order)


def _referenced_to(design: ReferencedDesign) -> dict[str, Any]:
    setups = [setup.as_dict() for setup in design.references]
    return {"inner": design_to(design.inner), "references": setups, **design.like.as_dict()}


def _referenced_from(body: Mapping[str, Any]) -> Design:
    setups = tuple(Setup(one) for one in body["references"])
    return ReferencedDesign(design_from({"design": body["inner"]}), setups, Lengths.from_dict(body))


DESIGNS["referenced"] = Stored(ReferencedDesign, _referenced_to, _referenced_from)
DESIGNS["edited"] = Stored(EditedDesign, _edited_to, _edited_from)


def design_to(design: Design) -> dict[str, Any]:
    """Plain values for JSON. Raises PlanError for a design that is not one of the table."""
    for kind, stored in DESIGNS.items():
        if type(design) is stored.made:
            return {"kind": kind, **stored.to_plain(design)}
    raise PlanError(f"A design of the kind {type(design).__name__} cannot be stored.")


def design_from(body: Mapping[str, Any]) -> Design:
    """The design of a stored plan. Before there were kinds it was a ladder, or setups beside one. Raises PlanError for
    a kind of a newer version."""
    own = body["design"]
    kind = own.get("kind") or ("setups" if body.get("setups") else "ladder")
    if kind not in DESIGNS:
        raise PlanError(f"The plan's design {kind!r} is of a newer Hovrik. Update Hovrik to go on with it.")
    return DESIGNS[kind].from_plain({**own, "setups": own.get("setups") or body.get("setups") or ()})
