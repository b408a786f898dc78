"""What a person has a search do: setups that it tries next, setups that it leaves alone. Kept with where it is made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from ..core.facts.setup import Setup
from ..core.plan.design import Design
from ..core.plan.search.design import SearchDesign
from ..core.questions.question import Question
from ..store.notebook import Notebook

MOST = 200  # setups of each


def steered(notebook: Notebook, question: Question, design: Design) -> Design:
    """A design with what a person had it do since; one that is no search as it is."""
    kept = notebook.get_state(_key(question))
    if not isinstance(design, SearchDesign) or not isinstance(kept, dict):
        return design
    first, never = (_setups(kept.get(name), design) for name in ("first", "forbidden"))
    return replace(design, first=(*design.first, *first), forbidden=(*design.forbidden, *never))


def steer(notebook: Notebook, question: Question, setup: Setup, *, never: bool) -> None:
    """Try a setup next, or never. Raises StoreError."""
    kept = notebook.get_state(_key(question))
    found: dict[str, list[Any]] = {"first": [], "forbidden": []}
    if isinstance(kept, dict):
        found |= {name: list(kept.get(name) or []) for name in found}
    body = setup.as_dict()
    for name in found:
        found[name] = [one for one in found[name] if one != body][:MOST]
    found["forbidden" if never else "first"].append(body)
    notebook.set_state(_key(question), found)


def _setups(rows: Any, design: SearchDesign) -> Sequence[Setup]:
    """Setups of a stored list that are candidates; what is none is left out."""
    known = set(design.setups)
    found = [Setup(row) for row in rows if isinstance(row, dict)] if isinstance(rows, list) else []
    return [one for one in found if one in known]


def _key(question: Question) -> str:
    return f"steer/{'/'.join(question.keys.values())}"
