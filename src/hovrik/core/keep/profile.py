"""A profile: the setup chosen for title x OS slot x source, with the evidence that it had.

It is what it is stored and written as; what a later version wrote into it stays in it. Schema: docs/profile-format.md.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from ..facts.place import Source
from ..facts.setup import Setup
from ..questions.question import Question, lowest_watts
from ..stats.estimate import Estimate


@dataclass(frozen=True)
class Profile:
    """body : as it is stored, sound (`problems_of` finds nothing); id : on the shelf, "" where it is on none."""

    body: Mapping[str, Any]
    id: str = ""

    @property
    def rig(self) -> str:
        """Key of the rig."""
        return str(self.body["rig"])

    @property
    def slot(self) -> str:
        """Key of the OS slot."""
        return str(self.body["slot"])

    @property
    def title(self) -> str:
        """Key of the title."""
        return str(self.body["title"])

    @property
    def source(self) -> Source:
        """What fed the machine."""
        return Source(self.body["source"])

    @property
    def place(self) -> tuple[str, str, str, str, str]:
        """Keys of rig, OS slot, title and scene, and the source."""
        return self.rig, self.slot, self.title, str(self.body["scene"]), self.source.value

    @property
    def shelf_place(self) -> tuple[str, str, str, str]:
        """What one profile at a time is kept for: rig, OS slot, title, source."""
        return self.rig, self.slot, self.title, self.source.value

    @property
    def target_fps(self) -> float:
        """The floor, fps."""
        return float(self.body["target_fps"])

    @property
    def low_school(self) -> str:
        """How its low was taken; "" where it does not say."""
        return str(self.body.get("low_school") or "")

    @property
    def sentence(self) -> str:
        """The answer in words."""
        return str(self.body["sentence"])

    @cached_property
    def setup(self) -> Setup:
        """What it sets."""
        return Setup(self.body["setup"])

    @cached_property
    def metrics(self) -> dict[str, Estimate]:
        """Its figures by name."""
        return {
            key: Estimate(float(row["value"]), row.get("low"), row.get("high"), row["unit"])
            for key, row in (self.body.get("metrics") or {}).items()
        }

    @property
    def passes(self) -> tuple[str, ...]:
        """Ids of the passes that it was chosen by."""
        return tuple(self.body["passes"])

    @property
    def order(self) -> tuple[str, ...]:
        """Knobs in the order in which they are applied, as far as it says."""
        return tuple(self.body.get("order") or ())

    @property
    def conditions(self) -> Mapping[str, Any]:
        """What its passes were made under."""
        return self.body.get("conditions") or {}

    @property
    def versions(self) -> dict[str, str | None]:
        """What was installed, by "rig/firmware" and the like; of version 1 the firmware alone."""
        told = dict(self.body.get("versions") or {})
        return told or ({"rig/firmware": self.firmware} if self.firmware else {})

    @property
    def firmware(self) -> str | None:
        """That of the rig, when it was kept."""
        return self.body.get("firmware")

    @property
    def health(self) -> float | None:
        """Of the battery, a share."""
        return self.body.get("health")

    @property
    def kept_at(self) -> int | None:
        """UTC ns."""
        return self.body.get("kept_at")

    @property
    def state(self) -> str:
        """ "chosen", "kept" or "stale", when it was stored."""
        return str(self.body.get("state") or "chosen")

    @property
    def asked(self) -> Question:
        """The question that it answers."""
        rig, slot, title, scene, _ = self.place
        return lowest_watts(rig, slot, title, scene, target_fps=self.target_fps).with_(source=self.source)

    @property
    def title_name(self) -> str:
        """What its title is called."""
        return self.named("title")

    def named(self, kind: str) -> str:
        """What its rig, slot, title or scene is called, else its key."""
        return str((self.body.get("names") or {}).get(kind) or self.body[kind])

    def with_(self, **changes: Any) -> Profile:
        """A copy with entries of its body changed."""
        return Profile({**self.body, **changes}, self.id)
