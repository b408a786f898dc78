"""Where passes of a notebook were made: points, from the versions of rig, slot and title that they ran under."""

from __future__ import annotations

from collections.abc import Mapping

from ..core.facts.knob import Knob
from ..core.facts.knobs import knobs_of
from ..core.facts.place import Place, Source, moved_with
from ..core.facts.rig import OsSlot, Rig
from ..core.facts.title import Title
from ..core.passes.point import Point, point_of
from ..core.passes.record import PassRecord
from ..core.questions.question import Question
from ..store.notebook import CONTEXT, Entity, Notebook, PassQuery


class Places:
    """Versions that passes were made under, each read and parsed once; newest versions until `refresh`."""

    def __init__(self, notebook: Notebook) -> None:
        self._notebook = notebook
        self._entities: dict[str, Entity | None] = {}  # those that passes name are frozen
        self._newest: dict[tuple[str, str], Entity | None] = {}
        self._rigs: dict[tuple[str, int], Rig] = {}
        self._versions: dict[str, dict[str, str | None]] = {}
        self._points: dict[str, Point] = {}

    def refresh(self) -> None:
        """Read newest versions anew."""
        self._newest.clear()

    def entity(self, entity_id: str) -> Entity | None:
        """A version that something was made under."""
        if entity_id not in self._entities:
            self._entities[entity_id] = self._notebook.entity(entity_id)
        return self._entities[entity_id]

    def key(self, record: PassRecord, kind: str) -> str:
        """Key of the rig, slot, title or scene of a pass, "" where it has none."""
        entity = self.entity(record.context.get(kind, ""))
        return entity.key if entity is not None else ""

    def rig_of(self, record: PassRecord) -> Rig | None:
        """The rig as it was when the pass was made."""
        return self._rig(self.entity(record.context.get("rig", "")))

    def newest(self, kind: str, key: str) -> Entity | None:
        """A rig, slot, title or scene as it is now."""
        if (kind, key) not in self._newest:
            self._newest[kind, key] = self._notebook.newest_of(kind, key)
        return self._newest[kind, key]

    def newest_rig(self, key: str) -> Rig | None:
        """A rig as it is now."""
        return self._rig(self.newest("rig", key))

    def _rig(self, entity: Entity | None) -> Rig | None:
        if entity is None:
            return None
        at = (entity.id, entity.noted_at)
        if at not in self._rigs:
            self._rigs[at] = Rig.from_dict(entity.body)
        return self._rigs[at]

    def knobs(self, question: Question) -> tuple[Knob, ...]:
        """The knobs that the rig, slot and title of a question offer; none where the rig is not known."""
        rig = self.newest_rig(question.rig)
        if rig is None:
            return ()
        slot, title = (self.newest(kind, question.keys[kind]) for kind in ("slot", "title"))
        known_ones = knobs_of(
            rig, OsSlot.from_dict(slot.body) if slot else None, Title.from_dict(title.body) if title else None,
            absent=True,
        )  # fmt: skip
        ids = {knob.id for knob in known_ones}
        told = [Knob.from_dict(body) for body in question.parts.get("knobs") or ()]
        return (*known_ones, *(knob for knob in told if knob.id not in ids))

    def names(self, kind: str) -> dict[str, str]:
        """Key to name of every rig, slot, title or scene."""
        return {key: str(e.body.get("name", key)) for key, e in self._notebook.newest(kind).items()}

    def point(self, record: PassRecord) -> Point:
        """What a pass was really made at."""
        if record.id not in self._points:
            self._points[record.id] = self._point(record)
        return self._points[record.id]

    def _point(self, record: PassRecord) -> Point:
        keys = {kind: self.key(record, kind) for kind in CONTEXT}
        source = record.conditions.get("source")
        value = source.value if source is not None else None
        path = record.conditions.get("power_path")
        place = Place(
            **keys, source=Source(value) if value in tuple(Source) else None,
            path=str(path.value) if path is not None and path.value else "",
        )  # fmt: skip
        versions: dict[str, str | None] = {}
        for kind in ("rig", "slot", "title"):
            versions.update(self._versions_of(kind, record.context.get(kind, "")))
        return point_of(record.asked, record.read, place, versions, record.conditions)

    def _versions_of(self, kind: str, entity_id: str) -> Mapping[str, str | None]:
        if entity_id not in self._versions:
            entity = self.entity(entity_id)
            rows = (entity.body.get("versions") or ()) if entity is not None else ()
            self._versions[entity_id] = {f"{kind}/{row['what']}": row.get("installed") or None for row in rows}
        return self._versions[entity_id]


def scope(question: Question, over: str = "") -> PassQuery:
    """Which passes are in the scope of a question. over : the part of the place that passes differ by, if any."""
    free = moved_with(over)
    keys = {kind: None if kind in free else key for kind, key in question.keys.items()}
    source = None if over == "source" else question.source.value
    return PassQuery(keys["rig"], keys["slot"], keys["title"], keys["scene"], source)


def levels_along(notebook: Notebook, question: Question, part: str) -> set[str]:
    """Which rigs, slots, titles, scenes or sources passes in the scope of a question differ by."""
    wanted, free = question.keys, moved_with(part)
    found = set()
    for *keys, source in notebook.places():
        place = dict(zip(CONTEXT, keys, strict=True))
        if all(place[kind] == key for kind, key in wanted.items() if kind not in free) and (
            part == "source" or source is None or source == question.source.value
        ):
            found.add((source or "") if part == "source" else place[part])
    return found - {""}
