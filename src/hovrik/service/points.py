"""Where passes of a notebook were made: points, from the versions of rig, slot and title that they ran under."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..core.facts.knob import Knob
from ..core.facts.knobs import knobs_of
from ..core.facts.place import Place, Source, moved_with
from ..core.facts.rig import OsSlot, Rig
from ..core.facts.title import Title
from ..core.passes.point import Point, point_of
from ..core.passes.record import PassRecord
from ..core.questions.question import Question
from ..store.notebook import Entity

KINDS = ("rig", "slot", "title", "scene")


class Places:
    """Entities of a notebook by id, each parsed once."""

    def __init__(self, entities: Sequence[Entity]) -> None:
        self.entities: Mapping[str, Entity] = {entity.id: entity for entity in entities}
        self._newest = {(entity.kind, entity.key): entity for entity in entities}
        self._rigs: dict[str, Rig] = {}
        self._versions: dict[str, dict[str, str | None]] = {}

    def key(self, record: PassRecord, kind: str) -> str:
        """Key of the rig, slot, title or scene of a pass, "" where it has none."""
        entity = self.entities.get(record.context.get(kind, ""))
        return entity.key if entity is not None else ""

    def rig_of(self, record: PassRecord) -> Rig | None:
        """The rig as it was when the pass was made."""
        return self._rig(self.entities.get(record.context.get("rig", "")))

    def newest_rig(self, key: str) -> Rig | None:
        """A rig as it is now."""
        return self._rig(self._newest.get(("rig", key)))

    def _rig(self, entity: Entity | None) -> Rig | None:
        if entity is None:
            return None
        if entity.id not in self._rigs:
            self._rigs[entity.id] = Rig.from_dict(entity.body)
        return self._rigs[entity.id]

    def knobs(self, question: Question) -> tuple[Knob, ...]:
        """The knobs that the rig, slot and title of a question offer; none where the rig is not known."""
        rig = self.newest_rig(question.rig)
        if rig is None:
            return ()
        slot = self._newest.get(("slot", f"{question.rig}/{question.slot}"))
        title = self._newest.get(("title", question.title))
        return knobs_of(
            rig, OsSlot.from_dict(slot.body) if slot else None, Title.from_dict(title.body) if title else None,
            absent=True,
        )  # fmt: skip

    def names(self, kind: str) -> dict[str, str]:
        """Key to name of every rig, slot, title or scene."""
        return {key: str(e.body.get("name", key)) for (found, key), e in self._newest.items() if found == kind}

    def point(self, record: PassRecord) -> Point:
        """What a pass was really made at."""
        keys = {kind: self.key(record, kind) for kind in KINDS}
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
            entity = self.entities.get(entity_id)
            rows = (entity.body.get("versions") or ()) if entity is not None else ()
            self._versions[entity_id] = {f"{kind}/{row['what']}": row.get("installed") or None for row in rows}
        return self._versions[entity_id]

    def belongs(self, record: PassRecord, question: Question, over: str) -> bool:
        """Whether a pass is in the scope of a question. over : the part of the place that passes differ by, if any."""
        wanted = {
            "rig": question.rig, "slot": f"{question.rig}/{question.slot}", "title": question.title,
            "scene": f"{question.title}/{question.scene}",
        }  # fmt: skip
        free = moved_with(over)
        source = record.conditions.get("source")
        return all(self.key(record, kind) == key for kind, key in wanted.items() if kind not in free) and (
            over == "source" or source is None or source.value == question.source.value
        )
