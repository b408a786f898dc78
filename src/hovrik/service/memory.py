"""What evaluations of one notebook have read and derived, so that the next one reads new passes only. One thread's."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any, TypeVar

from ..core.errors import HovrikError
from ..core.model.heat_network import Network
from ..core.passes.figures import PassFigures
from ..core.passes.record import PassRecord
from ..core.questions.question import Question
from ..store.notebook import Notebook, PassQuery
from ..store.opened import Spoiled
from ..store.sound import WRONG
from ..store.tables.checked import FIRST
from .points import Places
from .remembered import question_of
from .twin_cache import use_cache

T = TypeVar("T")
Progress = Callable[[int, int], bool]


class Cancelled(Exception):
    """The evaluation was no longer wanted."""


class Memory:
    """What is known of a notebook. places : its versions; revisions : annotations by pass as they were last read;
    damage : passes that are not as they were stored, with why; unchecked : how many were not looked at yet;
    networks : of the rig's heat by fan policy, with the passes they are of; settled : figures by pass, before
    and after they were told where temperatures settle (the same objects as long as those passes are the same)."""

    def __init__(self, notebook: Notebook) -> None:
        use_cache()
        self.notebook = notebook
        self.places = Places(notebook)
        self._records: dict[PassQuery, tuple[int, list[PassRecord]]] = {}
        self._derived: dict[tuple[str, int], dict[str, tuple[int, Any]]] = {}
        self._asked: dict[str, Question | None] = {}
        self.revisions: dict[str, int] = {}
        self.damage: dict[str, str] = {}
        self._checked = FIRST
        self.networks: dict[str, tuple[tuple[str, ...], Network | None]] = {}
        self.settled: dict[str, tuple[tuple[str, ...], PassFigures, PassFigures]] = {}

    def refresh(self) -> None:
        """Look at what may have changed: annotations, newest versions."""
        self.revisions = self.notebook.annotation_counts()
        self.places.refresh()

    @property
    def unchecked(self) -> int:
        """Passes that were not looked at yet, whether they are as they were stored."""
        return self.notebook.passes_after(self._checked)

    def check(self, wanted: Callable[[], bool] = lambda: True) -> None:
        """Look at every pass that was not looked at yet, as long as it is wanted: what is damaged counts as void from
        then on, whatever is cached of it."""
        if self._checked == FIRST:
            self.notebook.look_at_rows()
        found, self._checked = self.notebook.damage(self._checked, wanted)
        for name, why in found.items():
            self.damage[name] = why
            self.notebook.spoiled.setdefault(("pass", name), Spoiled("pass", name, why))
        if found:
            self._records.clear()
            self.settled = {name: own for name, own in self.settled.items() if name not in found}
            for own in self._derived.values():
                for name in found:
                    own.pop(name, None)

    def records(self, where: PassQuery) -> list[PassRecord]:
        """Passes without their series, oldest first; those read before are not read again."""
        after, known = self._records.get(where, (0, []))
        newest = self.notebook.newest_pass()
        if newest > after:
            read = self.notebook.passes(where.since(after))
            known = [*known, *(replace(one, damage=self.damage.get(one.id, "")) for one in read)]
            self._records[where] = newest, known
        return known

    def asked(self, plan_id: str) -> Question | None:
        """The question that a plan was made for; None where that cannot be read."""
        if plan_id not in self._asked:
            try:
                self._asked[plan_id] = question_of(self.notebook.plan(plan_id)["question"])
            except (*WRONG, HovrikError):
                self._asked[plan_id] = None
        return self._asked[plan_id]

    def _load(self, pass_id: str) -> PassRecord:
        """A pass in full; one that is damaged without what was measured."""
        if pass_id not in self.damage:
            return self.notebook.load(pass_id)
        return replace(self.notebook.without_series(pass_id), damage=self.damage[pass_id])

    def derived(
        self, algorithm: str, version: int, records: Iterable[PassRecord], read: Callable[[dict[str, Any]], T],
        make: Callable[[PassRecord], T], plain: Callable[[T], Mapping[str, Any]], progress: Progress | None = None,
    ) -> dict[str, T]:  # fmt: skip
        """What an algorithm says of passes, by id: as remembered, else as cached in the notebook, else made now from
        the pass in full and cached. read, plain : from and to plain values. progress(done, total) is told of each that
        is made; False raises Cancelled, and what was made by then is kept."""
        wanted = [record.id for record in records]
        own = self._derived.setdefault((algorithm, version), {})
        missing = [i for i in wanted if own.get(i, (-1,))[0] != self.revisions.get(i, 0)]
        if missing:
            sound = [i for i in missing if i not in self.damage]
            for i, body in self.notebook.cached(algorithm, version, sound).items():
                try:
                    own[i] = self.revisions.get(i, 0), read(body)
                except (*WRONG, HovrikError):  # of a program that meant something else by it: made anew
                    continue
        missing = [i for i in missing if own.get(i, (-1,))[0] != self.revisions.get(i, 0)]
        fresh: dict[str, Mapping[str, Any]] = {}
        try:
            for number, i in enumerate(missing, 1):
                made = make(self._load(i))
                own[i] = self.revisions.get(i, 0), made
                if i not in self.damage:
                    fresh[i] = plain(made)
                if progress is not None and not progress(number, len(missing)):
                    raise Cancelled
        finally:
            self.notebook.cache(algorithm, version, fresh)
        return {i: own[i][1] for i in wanted}
