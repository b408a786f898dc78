"""What a person notes in the logbook, in words of their own; a word that begins with # is a tag."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

from ..core.errors import InputError
from ..store.notebook import Notebook

STATE = "notes"
MOST, LONGEST = 5_000, 2_000  # notes of a notebook, signs of a note
_TAG = re.compile(r"(?<!\S)#(\w[\w-]*)")


@dataclass(frozen=True)
class Note:
    """One note. at_ns : UTC."""

    at_ns: int
    text: str


def tags_of(text: str) -> tuple[str, ...]:
    """The tags in some words, in small letters, each once."""
    return tuple(dict.fromkeys(tag.lower() for tag in _TAG.findall(text)))


def kept(notebook: Notebook) -> tuple[Note, ...]:
    """The notes of a notebook, oldest first; what is no note is left out."""
    found = notebook.get_state(STATE)
    return tuple(
        Note(one["at_ns"], one["text"]) for one in (found if isinstance(found, list) else ())
        if isinstance(one, dict) and isinstance(one.get("at_ns"), int) and isinstance(one.get("text"), str)
    )  # fmt: skip


def keep(notebook: Notebook, notes: Sequence[Note]) -> None:
    """Keep these instead. Raises InputError, StoreError."""
    if len(notes) > MOST:
        raise InputError(f"A logbook holds {MOST:,} notes. Take some out first.")
    made: list[dict[str, Any]] = [asdict(one) for one in notes]
    notebook.set_state(STATE, made)


def take_in(own: Notebook, other: Notebook) -> int:
    """Take another notebook's notes in, each once; how many came. Raises InputError, StoreError."""
    here = kept(own)
    came = [one for one in kept(other) if one not in here]
    if came:
        keep(own, sorted((*here, *came), key=lambda one: one.at_ns))
    return len(came)


def with_note(notes: Sequence[Note], text: str, at_ns: int) -> tuple[Note, ...]:
    """Notes with one more. Raises InputError where it has no words or too many."""
    said = " ".join(text.split())
    if not said:
        raise InputError("A note wants words.")
    if len(said) > LONGEST:
        raise InputError(f"A note of {len(said):,} signs is too long. Keep it under {LONGEST:,}.")
    return (*notes, Note(max(at_ns, notes[-1].at_ns + 1 if notes else 0), said))
