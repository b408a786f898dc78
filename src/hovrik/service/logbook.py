"""The logbook: what was measured, kept and noted, newest first, and searching in its words."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ..core import words
from ..core.facts.place import Source
from ..core.facts.setup import Setup, describe
from ..core.keep.profile import Profile
from ..core.keep.statement import difference
from ..core.kinds.table import kind_asked
from ..core.questions.question import Question, lowest_watts
from ..store.files.write.profile import problems_of
from ..store.notebook import Notebook
from ..store.tables.versions import Entity
from . import ledger
from .applying import log as applied_log
from .notes import kept as kept_notes
from .notes import tags_of

PASSES, PROFILE, APPLIED, VERSION, INCIDENT, VERDICT, NOTE, ANSWER = KINDS = (
    "passes", "profile", "applied", "version", "incident", "verdict", "note", "answer",
)  # fmt: skip


@dataclass(frozen=True)
class Entry:
    """A line of the logbook. at_ns : UTC; place : keys of rig, slot, title and scene, and the source, where it has one;
    pass_id : the first pass that it tells of."""

    at_ns: int
    kind: str
    text: str
    place: tuple[str, str, str, str, str | None] | None = None
    pass_id: str | None = None

    def asked(self, like: Question | None) -> Question | None:
        """The question of its place, with the floor of another; None where it has no place."""
        if self.place is None:
            return None
        *keys, source = self.place
        rig, slot, title, scene = (key.rpartition("/")[2] for key in keys)  # as the question says them
        asked = lowest_watts(rig, slot, title, scene, Source(source) if source else Source.BATTERY)
        return asked.with_(target_fps=like.target_fps, school=like.school) if like is not None else asked


class Logbook:
    """Entries, newest first, with an index of their words (SQLite FTS5, in memory)."""

    def __init__(self, entries: Sequence[Entry]) -> None:
        self.entries = tuple(entries)
        self._index = sqlite3.connect(":memory:", check_same_thread=False)  # made on a worker, asked by the window
        self._index.execute("CREATE VIRTUAL TABLE line USING fts5(text, tokenize = 'unicode61 remove_diacritics 2')")
        texts = ((at, _sayable(one.text)) for at, one in enumerate(self.entries))
        self._index.executemany("INSERT INTO line (rowid, text) VALUES (?, ?)", texts)

    @property
    def tags(self) -> tuple[str, ...]:
        """Tags of its notes, by name."""
        return tuple(sorted({tag for one in self.entries if one.kind == NOTE for tag in tags_of(one.text)}))

    def matching(self, said: str, kind: str = "", tag: str = "") -> tuple[Entry, ...]:
        """Entries of a kind ("" : all) that have every word said, or one that begins with it; of a tag only notes that
        bear it."""
        asked = [word for word in _sayable(said).replace("\0", " ").split() if any(sign.isalnum() for sign in word)]
        found: Sequence[Entry] = self.entries
        if asked:
            every = " ".join('"{}"*'.format(word.replace('"', '""')) for word in asked)
            rows = self._index.execute("SELECT rowid FROM line WHERE line MATCH ? ORDER BY rowid", (every,))
            found = [self.entries[at] for (at,) in rows]
        found = [one for one in found if not kind or one.kind == kind]
        return tuple(one for one in found if not tag or (one.kind == NOTE and tag in tags_of(one.text)))


def _sayable(text: str) -> str:
    return text.encode("utf-8", "replace").decode("utf-8")


def read_logbook(notebook: Notebook, wanted: Callable[[], bool] = lambda: True) -> Logbook:
    """The logbook of a notebook; empty where it is no longer wanted."""
    entities = notebook.entities()
    names = {(one.kind, one.key): str(one.body.get("name", one.key)) for one in entities}
    found = [*_passes(notebook, names)]
    for read in (_profiles, _applied, _incidents, _verdicts, _notes, _answers):
        if wanted():
            found += read(notebook, names)
    found += _versions(entities, names)
    return Logbook(sorted(found, key=lambda one: -one.at_ns) if wanted() else ())


Names = dict[tuple[str, str], str]


def _where(names: Names, rig: str, slot: str, title: str, scene: str) -> str:
    def said(kind: str, key: str) -> str:
        return names.get((kind, key), key)

    return f"{said('title', title)}, {said('scene', scene)}, on {said('rig', rig)} under {said('slot', slot)}"


def _passes(notebook: Notebook, names: Names) -> list[Entry]:
    found = []
    for many, at, first, origin, *place in notebook.pass_groups():
        rig, slot, title, scene, source = place
        what = words.plural(many, "pass", "passes")
        how = {"imported": " imported", "summary": " given as figures"}.get(origin, " measured")
        on = f", on {source}" if source else ""
        text = f"{what}{how}: {_where(names, rig, slot, title, scene)}{on}"
        found.append(Entry(at, PASSES, text, (rig, slot, title, scene, source), first))
    return found


def _profiles(notebook: Notebook, _: Names) -> list[Entry]:
    found = []
    for body, kept, removed in notebook.profile_history():
        if problems_of(body):
            continue
        profile = Profile(body)
        title = profile.title_name
        found.append(Entry(kept, PROFILE, f"Kept for {title}. {profile.sentence}", profile.place))
        if removed is not None:
            text = f"No longer kept for {title}: {describe(profile.setup)}"
            found.append(Entry(removed, PROFILE, text, profile.place))
    return found


def _answers(notebook: Notebook, names: Names) -> list[Entry]:
    """Every answer that was stated, and what had changed where it is not the first of its question."""
    found = []
    for question, said in ledger.every(notebook):
        rig, slot, title_key, scene = question.keys.values()
        place = (rig, slot, title_key, scene, question.source.value)
        what = kind_asked(question).words if question.is_known else question.kind
        title = names.get(("title", question.title), question.title)
        for at, one in enumerate(said):
            change = difference(said[: at + 1], ledger.dated)
            rest = f" {words.render(change)}" if change is not None else ""
            found.append(Entry(one.at_ns, ANSWER, f"{title}, to {what}: {words.render(one.says)}{rest}", place))
    return found


def _applied(notebook: Notebook, names: Names) -> list[Entry]:
    found = []
    for one in applied_log(notebook):
        rig, slot, title, scene, source = one["place"]
        keys = (rig, slot, title, scene, source) if title else None
        on = names.get(("rig", rig), rig)
        found.append(Entry(one["at_ns"], APPLIED, f"{one['text']}, on {on}", keys))
    return found


def _incidents(notebook: Notebook, names: Names) -> list[Entry]:
    found = []
    ids = {one.id: one.key for one in notebook.entities()}
    for one in notebook.incidents():
        rig, slot, title, scene = (ids.get(one.context[kind], "") for kind in ("rig", "slot", "title", "scene"))
        during = f" while {one.phase}" if one.phase else ""
        note = f": {one.note}" if one.note else ""
        text = f"{one.kind.value} at {describe(one.setup)}{during}, {_where(names, rig, slot, title, scene)}{note}"
        found.append(Entry(one.at_ns, INCIDENT, text, (rig, slot, title, scene, None)))
    return found


def _verdicts(notebook: Notebook, names: Names) -> list[Entry]:
    """Passes that a person took out, or judged otherwise than their checks."""
    found = []
    annotations = notebook.annotations()
    setups, places = (notebook.setups(), notebook.pass_places()) if annotations else ({}, {})
    for pass_id, notes in annotations.items():
        at = describe(setups.get(pass_id, Setup()))
        for one in notes:
            if one.kind == "overrule":
                text = f"A pass at {at} was said to be {one.body['state']}: {one.body['reason']}"
            elif one.kind == "deletion":
                text = f"A pass at {at} was taken out"
            else:
                continue
            found.append(Entry(one.noted_at, VERDICT, text, places.get(pass_id), pass_id))
    return found


def _notes(notebook: Notebook, _: Names) -> list[Entry]:
    return [Entry(one.at_ns, NOTE, one.text) for one in kept_notes(notebook)]


def _versions(entities: Sequence[Entity], names: Names) -> list[Entry]:
    """What was installed when, as versions of a rig, slot or title tell it."""
    found: list[Entry] = []
    before: dict[tuple[str, str], dict[str, str]] = {}
    for one in sorted(entities, key=lambda one: one.noted_at):
        key = (one.kind, one.key)
        rows = one.body.get("versions")
        now = {
            str(row.get("what")): str(row["installed"]) for row in (rows if isinstance(rows, list | tuple) else ())
            if isinstance(row, dict) and row.get("installed")
        }  # fmt: skip
        told = before.get(key)
        if told is None:
            owner = names.get(("rig", one.key.partition("/")[0])) if one.kind == "slot" else None
            of = f" of {owner}" if owner else ""
            found.append(Entry(one.noted_at, VERSION, f"{names[key]} was noted as a {one.kind}{of}"))
        for what, version in now.items():
            if told is not None and told.get(what) != version:
                was = f", was {told[what]}" if what in told else ""
                found.append(Entry(one.noted_at, VERSION, f"{names[key]}: {what} is {version}{was}"))
        before[key] = now
    return found
