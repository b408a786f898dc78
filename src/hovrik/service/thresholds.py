"""Thresholds as the user set them: of the checks of a pass, of the guards of a run."""

from __future__ import annotations

from dataclasses import asdict, fields
from typing import TypeVar

from ..core.errors import InputError
from ..core.passes.checks import Thresholds
from ..core.passes.guards import GuardThresholds
from ..store.notebook import Notebook

AnyThresholds = TypeVar("AnyThresholds", Thresholds, GuardThresholds)
_KEYS = {Thresholds: "thresholds", GuardThresholds: "guards"}


def thresholds_of(notebook: Notebook, kind: type[AnyThresholds]) -> AnyThresholds:
    """What the user set; defaults elsewhere, and where another program left what cannot be."""
    kept = notebook.get_state(_KEYS[kind])
    found = kept if isinstance(kept, dict) else {}
    names = [field.name for field in fields(kind)]
    try:
        return kind(**{name: float(found[name]) for name in names if isinstance(found.get(name), int | float)})
    except InputError:
        return kind()


def keep_thresholds(notebook: Notebook, thresholds: Thresholds | GuardThresholds) -> None:
    """Remember those that differ from the defaults."""
    notebook.set_state(_KEYS[type(thresholds)], changed(thresholds))


def changed(thresholds: Thresholds | GuardThresholds) -> dict[str, float]:
    """Those that differ from the defaults."""
    usual = asdict(type(thresholds)())
    return {name: value for name, value in asdict(thresholds).items() if value != usual[name]}
