"""Rigs, slots, titles and scenes in the notebook: saved as new immutable versions, found again, their history told."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping, Sequence
from contextlib import closing
from dataclasses import asdict, replace
from typing import Any

import numpy as np

from ..bench.protocol import Description, Machine
from ..core.errors import HovrikError, PlanError
from ..core.facts.condition import Condition, from_plain
from ..core.facts.rig import OsSlot, Rig, Version
from ..core.facts.sheets import key_from, rig_problems, title_problems
from ..core.facts.title import Scene, Title
from ..core.questions.preflight import READ_IDS, Item, Mood, Seen, conditions, items
from ..core.questions.question import Question, lowest_watts
from ..store.notebook import Notebook
from ..store.sound import WRONG
from .holds import held
from .machines import BY_HAND, open_machine
from .planning import of_kind

MACHINES = "machines"
ANSWERS = "preflight"


def save_rig(notebook: Notebook, rig: Rig) -> None:
    """Note a rig and its slots; what is unchanged adds no row. Raises PlanError listing everything that is wrong."""
    body = _plain(rig.as_dict())
    _refuse(str(rig.name) or "The rig", rig_problems(body))
    with notebook.writing():
        rig_id = notebook.note("rig", rig.key, body)
        for slot in rig.slots:
            notebook.note("slot", f"{rig.key}/{slot.key}", _plain({**slot.as_dict(), "rig": rig.key}), rig_id)


def save_title(notebook: Notebook, title: Title) -> None:
    """Note a title and its scenes. Raises PlanError listing everything that is wrong."""
    body = _plain(title.as_dict())
    _refuse(str(title.name) or "The title", title_problems(body))
    with notebook.writing():
        title_id = notebook.note("title", title.key, body)
        for scene in title.scenes:
            notebook.note("scene", f"{title.key}/{scene.key}", _plain(asdict(scene)), title_id)


def _refuse(what: str, found: list[str]) -> None:
    if found:
        raise PlanError(f"{what} cannot be saved: " + "; ".join(found) + ".")


def _plain(value: Any) -> Any:
    """Tuples as lists and NumPy's own numbers as numbers, as a file would have them."""
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, Mapping):
        return {k: _plain(v) for k, v in value.items()}
    return [_plain(v) for v in value] if isinstance(value, list | tuple) else value


def plain_rig(rig: Rig) -> Rig:
    """A rig whose numbers are plain ones, whatever a machine of one's own wrote them in. Raises PlanError."""
    body = _plain(rig.as_dict())
    _refuse(str(rig.name) or "The rig", rig_problems(body))
    return Rig.from_dict(body)


def register(notebook: Notebook, description: Description) -> None:
    """Note the present versions of a machine's rig, its slots, titles and scenes; unchanged ones add no row."""
    save_rig(notebook, description.rig)
    for title in description.titles:
        save_title(notebook, title)


def rigs(notebook: Notebook) -> dict[str, Rig]:
    """Newest version of every rig by key."""
    return {key: Rig.from_dict(entity.body) for key, entity in notebook.newest("rig").items()}


def titles(notebook: Notebook) -> dict[str, Title]:
    """Newest version of every title by key."""
    return {key: Title.from_dict(entity.body) for key, entity in notebook.newest("title").items()}


def _unused(notebook: Notebook, kind: str, name: str) -> tuple[str, str]:
    """A key and a name, made from this one, that no rig or title of the notebook has."""
    taken = notebook.newest(kind)
    names = {str(e.body.get("name")) for e in taken.values()}
    shown = name if name not in names else f"{name} {len(names) + 1}"
    return key_from(shown, taken), shown


def new_rig(notebook: Notebook, name: str = "New rig") -> Rig:
    """A rig of which only the name is known, with one OS slot, saved."""
    key, shown = _unused(notebook, "rig", name)
    rig = Rig(key, shown, slots=(OsSlot("first-os", "First OS"),))
    save_rig(notebook, rig)
    return rig


def new_title(notebook: Notebook, name: str = "New title") -> Title:
    """A title of which only the name is known, with one scene, saved."""
    key, shown = _unused(notebook, "title", name)
    title = Title(key, shown, scenes=(Scene("first-scene", "First scene"),))
    save_title(notebook, title)
    return title


def with_new_slot(rig: Rig) -> Rig:
    """A copy with one more OS slot."""
    key = key_from("another os", [s.key for s in rig.slots])
    return replace(rig, slots=(*rig.slots, OsSlot(key, f"OS {len(rig.slots) + 1}")))


def with_new_scene(title: Title) -> Title:
    """A copy with one more scene."""
    key = key_from("another scene", [s.key for s in title.scenes])
    return replace(title, scenes=(*title.scenes, Scene(key, f"Scene {len(title.scenes) + 1}")))


def first_question(notebook: Notebook) -> Question | None:
    """A question about the first rig and title there are, None while one of them is missing."""
    rig = next((r for r in rigs(notebook).values() if r.slots), None)
    title = next((t for t in titles(notebook).values() if t.scenes), None)
    if rig is None or title is None:
        return None
    asked = lowest_watts(rig.key, rig.slots[0].key, title.key, title.scenes[0].key)
    return of_kind(asked, asked.kind)


def version_history(notebook: Notebook, rig_key: str) -> list[tuple[int, str, str, Version]]:
    """(noted at UTC ns, whose, what changed, version) of a rig and its slots, oldest first."""
    found: list[tuple[int, str, str, Version]] = []
    known: dict[tuple[str, str], str | None] = {}
    for entity in notebook.entities():
        if entity.kind == "rig" and entity.key == rig_key:
            whose, versions = "rig", Rig.from_dict(entity.body).versions
        elif entity.kind == "slot" and entity.key.startswith(f"{rig_key}/"):
            whose, versions = str(entity.body.get("name", entity.key)), OsSlot.from_dict(entity.body).versions
        else:
            continue
        for version in versions:
            before = known.get((entity.key, version.what), "")
            if before != version.installed:
                change = "first noted" if before == "" else f"was {before or 'unknown'}"
                found.append((entity.noted_at, whose, change, version))
                known[entity.key, version.what] = version.installed
    return found


# -- machines and what is seen on them


def address_of(notebook: Notebook, rig_key: str) -> dict[str, Any] | None:
    """Where the machine of a rig is found, None where it is run by hand."""
    machines = notebook.get_state(MACHINES)
    found = machines.get(rig_key) if isinstance(machines, dict) else None
    return found if isinstance(found, dict) and found.get("kind") != BY_HAND else None


def keep_address(notebook: Notebook, rig_key: str, address: Mapping[str, Any]) -> None:
    """Remember where the machine of a rig is found."""
    notebook.set_state(MACHINES, {**_table(notebook, MACHINES), rig_key: dict(address)})


def look(address: Mapping[str, Any] | None) -> Seen:
    """What a machine shows now; nothing where there is none, and why where it cannot be reached."""
    if address is None:
        return Seen()
    try:
        with held(address), closing(open_machine(address)) as machine:
            return seen_on(machine)
    except HovrikError as fault:
        return Seen(fault=str(fault))


def seen_on(machine: Machine) -> Seen:
    """What an open machine shows now."""
    told = machine.describe()
    knobs = () if told.by_hand else tuple(told.knobs)
    return Seen(machine.snapshot(), machine.charge(), machine.source(), told.slot, machine.now_ns(), knobs=knobs)


def told_by(notebook: Notebook, question: Question, machine: Machine) -> dict[str, Condition]:
    """What the list before measuring says about passes made now on a machine."""
    return conditions(preflight(notebook, question, seen_on(machine)))


def preflight(notebook: Notebook, question: Question, seen: Seen) -> tuple[Item, ...]:
    """The list before measuring, with the answers kept for this rig. seen : what its machine showed (`look`)."""
    rig = rigs(notebook).get(question.rig)
    if rig is None:
        return ()
    slot = next((s for s in rig.slots if s.key == question.slot), None)
    kept = answers_of(notebook, question.rig)
    title = titles(notebook).get(question.title)
    return items(rig, slot, title, question, seen, from_plain(kept))


def keep_answers(notebook: Notebook, rig_key: str, answers: Mapping[str, Any]) -> None:
    """Remember the answers of a rig (plain conditions by item id)."""
    notebook.set_state(ANSWERS, {**_table(notebook, ANSWERS), rig_key: dict(answers)})


def answers_of(notebook: Notebook, rig_key: str) -> dict[str, Any]:
    """Plain answers of a rig."""
    found = _table(notebook, ANSWERS).get(rig_key)
    with contextlib.suppress(*WRONG):
        from_plain(found or {})
        return dict(found or {})
    return {}


def _table(notebook: Notebook, key: str) -> dict[str, Any]:
    """What is remembered as a table; an empty one where anything else is."""
    found = notebook.get_state(key)
    return dict(found) if isinstance(found, dict) else {}


_ASKED = "asked_once"


def _asked(notebook: Notebook) -> dict[str, list[str]]:
    found = _table(notebook, _ASKED).items()
    return {rig: [one for one in ids if isinstance(one, str)] for rig, ids in found if isinstance(ids, list)}


def open_items(notebook: Notebook, rig_key: str, made: Sequence[Item]) -> list[Item]:
    """Items that only a person can answer, are open, and were not asked before a sweep by hand of this rig."""
    before = set(_asked(notebook).get(rig_key, ()))
    return [item for item in made if item.mood is Mood.OPEN and item.id not in READ_IDS and item.id not in before]


def note_asked(notebook: Notebook, rig_key: str, made: Sequence[Item]) -> None:
    """Remember that these were asked; what stays open then is unknown by choice."""
    known: dict[str, Any] = dict(_asked(notebook))
    known[rig_key] = sorted({*known.get(rig_key, ()), *(item.id for item in made)})
    notebook.set_state(_ASKED, known)


def import_body(notebook: Notebook, kind: str, body: Mapping[str, Any]) -> str:
    """Save an imported rig or title; its key. Raises HovrikError."""
    if kind == "rig":
        rig = Rig.from_dict(body)
        save_rig(notebook, rig)
        return rig.key
    if kind == "title":
        title = Title.from_dict(body)
        save_title(notebook, title)
        return title.key
    raise HovrikError(f"A file of kind {kind} cannot be imported here.")
