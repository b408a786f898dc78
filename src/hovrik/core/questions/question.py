"""What is asked. It is the context of every stage and the goal that planning, reading and choosing use."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ..facts.place import Source
from ..facts.setup import Setup
from ..facts.terms import LOW, MOST_WEIGHT, NOTHING, SCORE, TIME, Aim, Floor, Limit, School, Terms

LOWEST_WATTS, BEST_SET_UP = "lowest-watts", "title-setup"
VERSION = 1
BASE, VERSIONS = "base", "versions"  # parts of a question that is planned: what it holds the same
NOTED = (BASE, VERSIONS, "knobs")  # parts that a plan notes, and no person chooses
KNOWN: set[str] = set()  # ids of kinds: each that is in the table puts itself here


@dataclass(frozen=True)
class Scope:
    """Where a question looks: keys of rigs, OS slots, titles and scenes, the first of each being the one that is shown;
    source : None either."""

    rigs: tuple[str, ...] = ()
    slots: tuple[str, ...] = ()
    titles: tuple[str, ...] = ()
    scenes: tuple[str, ...] = ()
    source: Source | None = Source.BATTERY


@dataclass(frozen=True)
class Question:
    """A kind of question with its own parts, and terms that all kinds share.

    kind : one of kinds/table.py, or that of a newer version: then `body` holds it as it was found, to be kept and
    said, never read as another.
    """

    kind: str = LOWEST_WATTS
    scope: Scope = field(default_factory=Scope)
    terms: Terms = field(default_factory=Terms)
    parts: Mapping[str, Any] = field(default_factory=dict)
    version: int = VERSION
    body: Mapping[str, Any] | None = None

    # -- the first of each place

    @property
    def rig(self) -> str:
        """Key of the rig; "" where none is named."""
        return next(iter(self.scope.rigs), "")

    @property
    def slot(self) -> str:
        """Key of the OS slot."""
        return next(iter(self.scope.slots), "")

    @property
    def title(self) -> str:
        """Key of the title."""
        return next(iter(self.scope.titles), "")

    @property
    def scene(self) -> str:
        """Key of the scene."""
        return next(iter(self.scope.scenes), "")

    @property
    def keys(self) -> dict[str, str]:
        """Kind to the key by which the notebook knows the first of each place."""
        return {
            "rig": self.rig, "slot": f"{self.rig}/{self.slot}", "title": self.title,
            "scene": f"{self.title}/{self.scene}",
        }  # fmt: skip

    @property
    def source(self) -> Source:
        """Where the watts come from; the battery where both are looked at."""
        return self.scope.source or Source.BATTERY

    @property
    def floor(self) -> Floor:
        """The floor; one that everything holds where none is asked for."""
        return self.terms.floor or Floor(value=0.0)

    @property
    def school(self) -> School:
        """How lows are computed."""
        return self.terms.school

    @property
    def target_fps(self) -> float:
        """The floor's value."""
        return self.floor.value

    def with_(
        self, *, rig: str | None = None, slot: str | None = None, title: str | None = None, scene: str | None = None,
        source: Source | None = None, target_fps: float | None = None, figure: str | None = None,
        school: School | None = None, **terms: Any,
    ) -> Question:  # fmt: skip
        """A copy with parts of it replaced; terms : fields of Terms, and tolerance and missed_share of its floor. Of a
        question of an unknown kind it makes one that asks for the lowest watts at the same place."""
        if not self.is_known:
            return Question(scope=self.scope, terms=self.terms).with_(
                rig=rig, slot=slot, title=title, scene=scene, source=source, target_fps=target_fps, figure=figure,
                school=school, **terms,
            )  # fmt: skip
        scope = replace(
            self.scope,
            rigs=self.scope.rigs if rig is None else (rig,), slots=self.scope.slots if slot is None else (slot,),
            titles=self.scope.titles if title is None else (title,),
            scenes=self.scope.scenes if scene is None else (scene,), source=source or self.scope.source,
        )  # fmt: skip
        of_floor: dict[str, Any] = {k: terms.pop(k) for k in ("tolerance", "missed_share") if k in terms}
        if target_fps is not None:
            of_floor["value"] = target_fps
        if figure is not None:
            of_floor["figure"] = figure
        floor = replace(self.terms.floor or Floor(), **of_floor) if of_floor else self.terms.floor
        if figure == NOTHING:
            floor = None
        changed = replace(self.terms, floor=floor, school=school or self.school)
        return replace(self, scope=scope, terms=replace(changed, **terms))

    def for_scene_that(self, yields: str | None) -> Question:
        """The same with a floor that a scene can be held to, by what it yields: a score, a time, only draw, else
        frames. One that it can be held to stays."""
        figure = {"score": SCORE, "time": TIME, "draw": NOTHING}.get(yields or "")
        own = self.terms.floor
        if figure is None:
            return self.with_(figure=LOW, target_fps=40.0) if own is None or not own.is_of_frames else self
        return self if own is not None and own.figure == figure else self.with_(figure=figure)

    # -- what is held the same

    @property
    def base(self) -> Setup | None:
        """Every knob that it does not vary, as it was when it was planned; None where that was not noted."""
        found = self.parts.get(BASE)
        return Setup(dict(found)) if isinstance(found, Mapping) else None

    @property
    def versions(self) -> Mapping[str, str]:
        """What was installed then, by "rig/firmware" and the like."""
        return dict(self.parts.get(VERSIONS) or {})

    def noted_as(self, other: Question) -> Question:
        """The same with what another one notes, and what its kind filled in: nothing that a person chose."""
        own = {key: value for key, value in self.parts.items() if key not in NOTED}
        if other.kind == self.kind and other.parts.get("over"):
            own.setdefault("over", other.parts["over"])
        return replace(self, parts={**own, **{key: other.parts[key] for key in NOTED if key in other.parts}})

    # -- plain values

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        if self.body is not None:
            return dict(self.body)
        terms, floor = self.terms, self.terms.floor
        return {
            "kind": self.kind, "version": self.version,
            "terms": {
                "floor": None if floor is None else {
                    "figure": floor.figure, "value": floor.value, "tolerance": floor.tolerance,
                    "missed_share": floor.missed_share,
                },
                "school": terms.school.value,
                "limits": [
                    {"figure": one.figure, **({"at_most": one.at_most} if one.at_most is not None else {}),
                     **({"at_least": one.at_least} if one.at_least is not None else {})}
                    for one in terms.limits
                ],
                "aim": terms.aim.value, "weights": dict(terms.weights) if terms.weights is not None else None,
                "margins": dict(terms.margins), "sure": terms.sure, "room_c": terms.room_c, "price": terms.price,
            },
            "place": {
                "rigs": list(self.scope.rigs), "slots": list(self.scope.slots), "titles": list(self.scope.titles),
                "scenes": list(self.scope.scenes), "source": self.scope.source.value if self.scope.source else None,
            },
            "parts": dict(self.parts),
        }  # fmt: skip

    @classmethod
    def from_dict(cls, body: Mapping[str, Any]) -> Question:
        """The inverse of `as_dict`; unknown keys are ignored. A body of before there were kinds asks for the lowest
        watts."""
        if "kind" not in body:
            return _former(body)
        terms, place = body.get("terms") or {}, body.get("place") or {}
        floor = terms.get("floor")
        source = place.get("source")
        known = cls(
            str(body["kind"]),
            Scope(
                tuple(place.get("rigs", ())), tuple(place.get("slots", ())), tuple(place.get("titles", ())),
                tuple(place.get("scenes", ())), Source(source) if source else None,
            ),
            Terms(
                None if floor is None else Floor(**_fields(Floor, floor)), School(terms.get("school", "percentile")),
                tuple(Limit(**_fields(Limit, one)) for one in terms.get("limits", ())), Aim(terms.get("aim", "hours")),
                _weights(terms.get("weights")), dict(terms.get("margins") or {}), float(terms.get("sure", 0.95)),
                terms.get("room_c"), float(terms.get("price", 1.0)),
            ),
            dict(body.get("parts") or {}), int(body.get("version", VERSION)),
        )  # fmt: skip
        return known if body["kind"] in KNOWN and known.version <= VERSION else replace(known, body=dict(body))

    @property
    def is_known(self) -> bool:
        """Whether this version knows what is asked."""
        return self.body is None


def _weights(found: Any) -> dict[str, float] | None:
    """Weights of figures that can be such; None where there are none."""
    own = {
        str(key): float(value) for key, value in dict(found).items()
        if isinstance(value, int | float) and 0.0 < value <= MOST_WEIGHT
    } if isinstance(found, Mapping) else {}  # fmt: skip
    return own or None


def _fields(kind: type, body: Mapping[str, Any]) -> dict[str, Any]:
    return {k: v for k, v in body.items() if k in kind.__dataclass_fields__}  # type: ignore[attr-defined]


def _former(body: Mapping[str, Any]) -> Question:
    """A question as notebooks of format 3 and before kept it."""
    changes = {
        {"price_fps_per_w": "price"}.get(k, k): body[k]
        for k in ("target_fps", "tolerance", "missed_share", "sure", "price_fps_per_w") if k in body
    }  # fmt: skip
    return lowest_watts(
        body.get("rig", ""), body.get("slot", ""), body.get("title", ""), body.get("scene", ""),
        Source(body.get("source", "battery")), school=School(body.get("school", "percentile")), **changes,
    )  # fmt: skip


def lowest_watts(
    rig: str = "", slot: str = "", title: str = "", scene: str = "", source: Source = Source.BATTERY, *,
    target_fps: float = 40.0, school: School = School.PERCENTILE, **terms: Any,
) -> Question:  # fmt: skip
    """The lowest watts that hold a floor, at one place; terms as in `Question.with_`."""
    rigs, slots, titles, scenes = (((key,) if key else ()) for key in (rig, slot, title, scene))
    scope = Scope(rigs, slots, titles, scenes, source)
    return Question(scope=scope).with_(target_fps=target_fps, school=school, **terms)
