"""A profile as a card: what it sets and gives, what is on the machine now, what has changed since."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QWidget

from ...core import words
from ...core.facts.knob import inside
from ...core.facts.known_knobs import known
from ...core.facts.setup import describe
from ...core.keep.profile import Profile
from ...core.message import Message
from ...service.applying import Applied, ApplyStep
from ...service.profiles import state_of
from ..theme.tokens import TARGET_PX
from .fields import Card, button, label
from .flow import FlowLayout

STATES = {"chosen": "chosen", "kept": "kept: it stood a long run", "stale": "stale"}


@dataclass(frozen=True)
class Known:
    """What is known of a profile beside its body. said : what changed since; since : what passes since then say;
    stood : what its long run says; evening : what its newest evening does; applied : where it is on its machine;
    is_busy : that machine is being set; can_edit : the notebook takes edits."""

    said: Sequence[Message] = ()
    since: Message | None = None
    stood: Message | None = None
    evening: Message | None = None
    applied: Applied | None = None
    is_busy: bool = False
    can_edit: bool = True
    steps: Sequence[ApplyStep] = field(default_factory=tuple)


class ProfileCard(Card):
    """Signals: again_asked, long_run_asked, evening_asked, apply_asked, put_back_asked, export_asked, remove_asked;
    set_by_hand (knobs that were ticked)."""

    again_asked = pyqtSignal()
    long_run_asked = pyqtSignal()
    evening_asked = pyqtSignal()
    apply_asked = pyqtSignal()
    put_back_asked = pyqtSignal()
    export_asked = pyqtSignal()
    remove_asked = pyqtSignal()
    set_by_hand = pyqtSignal(list)

    def __init__(self, profile: Profile, known_: Known) -> None:
        heading = f"{profile.title_name} · {profile.named('scene')}"
        super().__init__(heading)
        self.setAccessibleName(f"Profile {heading}")
        state = state_of(profile, known_.said, known_.stood)
        where = f"{profile.named('rig')}, {profile.named('slot')}, on {profile.source.value}"
        self.body.addWidget(label(f"{where} · {STATES.get(state, state)}", "soft", wrap=True))
        self.body.addWidget(label(describe(profile.setup), "figure", wrap=True))
        self.body.addWidget(label(profile.sentence, wrap=True))
        self.body.addWidget(label(" · ".join(_evidence(profile)), "soft", wrap=True))
        self._tell(known_)
        order = [inside(known(key).label) for key in profile.order]
        if order:
            self.body.addWidget(label(f"Set in this order: {', '.join(dict.fromkeys(order))}", "soft", wrap=True))
        self._tell_applied(known_.applied)
        self._ticks: list[tuple[QCheckBox, tuple[str, ...]]] = []
        if known_.steps:
            self._list(known_.steps)
        self._buttons(known_)

    def _tell(self, known_: Known) -> None:
        if known_.said:
            text = f"Stale: {', '.join(words.render(one) for one in known_.said)}."
            self.body.addWidget(label(text, "warn", wrap=True))
        told = ((known_.since, "stale.good"), (known_.stood, "kept.stood"), (known_.evening, "evening.true"))
        for message, good in told:
            if message is not None:
                kind = "good" if message.id == good else "warn"
                self.body.addWidget(label(words.render(message), kind, wrap=True))

    def _tell_applied(self, applied: Applied | None) -> None:
        if applied is None:
            return
        when = f"{datetime.fromtimestamp(applied.at_ns / 1e9, UTC):%Y-%m-%d %H:%M} UTC"
        how = "set by hand" if applied.by_hand else "on the machine"
        if not applied.rows:
            self.body.addWidget(label(f"Setting it was cut short ({when}). Put it back.", "warn", wrap=True))
        elif applied.is_whole:
            every = "ticked" if applied.by_hand else "read back as asked"
            self.body.addWidget(label(f"Now {how} since {when}: every setting {every}.", "good", wrap=True))
        else:
            off = ", ".join(f"{inside(known(row.knob).label)} {row.why}" for row in applied.rows if not row.is_set)
            self.body.addWidget(label(f"Now {how} since {when}, but {off}.", "warn", wrap=True))
        if applied.said:
            self.body.addWidget(label(applied.said, "warn", wrap=True))

    def _list(self, steps: Sequence[ApplyStep]) -> None:
        """What a person sets, to be ticked one after the other."""
        self.body.addWidget(label("Set these in turn, and tick each:", "soft"))
        for number, step in enumerate(steps, 1):
            box = QCheckBox(f"{number}. {step.words}")
            box.setMinimumHeight(TARGET_PX)
            self.body.addWidget(box)
            self._ticks.append((box, step.knobs))

    def _buttons(self, known_: Known) -> None:
        row = QWidget()
        flow = FlowLayout(row)
        flow.setContentsMargins(0, 0, 0, 0)
        may, on = known_.can_edit and not known_.is_busy, known_.applied is not None
        found = []
        if known_.steps:
            done = button("They are set", "main")
            done.clicked.connect(self._on_ticked)
            found.append((done, may))
        elif on:
            back = button("Put back", "main", "Bring the machine back to what it was before the profile")
            back.clicked.connect(self.put_back_asked)
            found.append((back, may))
        else:
            apply = button("Apply", "" if known_.said else "main", "Set these on the machine, each read back")
            apply.clicked.connect(self.apply_asked)
            found.append((apply, may))
        again = button("Check again", "main" if known_.said else "",
                       "A few passes at this setup and a step less, to Plan")  # fmt: skip
        again.clicked.connect(self.again_asked)
        run = button("Long run", "", "One settled pass of 15 minutes at this setup, to Plan")
        run.clicked.connect(self.long_run_asked)
        evening = button("An evening …", "", "Charge at its start and end, held against the hours that were promised")
        evening.clicked.connect(self.evening_asked)
        export = button("Export …", "", "Write this profile as JSON or TOML")
        export.clicked.connect(self.export_asked)
        remove = button("Remove")
        remove.clicked.connect(self.remove_asked)
        for one, is_on in (
            *found,
            (again, True),
            (run, True),
            (evening, known_.can_edit),
            (export, True),
            (remove, known_.can_edit),
        ):
            one.setEnabled(is_on)
            flow.addWidget(one)
        self.body.addWidget(row)

    def _on_ticked(self) -> None:
        self.set_by_hand.emit([key for box, keys in self._ticks if box.isChecked() for key in keys])


def _evidence(profile: Profile) -> list[str]:
    found = [words.plural(len(profile.passes), "pass", "passes") + " at this setup"]
    if "hours" in profile.metrics:
        found.append(words.hours_span(profile.metrics["hours"]) + " from full")
    if profile.firmware:
        found.append(f"firmware {profile.firmware}")
    if profile.kept_at:
        found.append(f"kept {datetime.fromtimestamp(profile.kept_at / 1e9, UTC):%Y-%m-%d %H:%M} UTC")
    return found
