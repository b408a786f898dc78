"""Fields for what a person reads after a pass; what the gauge counts in and where a meter sits is chosen once."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...bench.by_hand.guided import ANEW, Readings
from ...core import degrees
from ...core.facts.rig import Rig
from ...core.passes.hand import GaugeUnit, MeterPlace
from ...service.imports.by_hand import FIELDS, Scales, parse
from ..settings import remember, remembered
from .fields import Choice, label
from .flow import FlowLayout

DEGREES = ("die_c", "shell_c")  # fields that are temperatures
SEEN = ("stutter", "artefacts", "latency felt", "noise", ANEW)
_UNIT, _METER = "gauge_unit", "meter_place"
_METERS = [("", "no outside meter")] + [
    (f"{place.value}/{kind}", f"meter {place.value}, {words}")
    for place in MeterPlace
    for kind, words in (("w", "mean W"), ("wh", "Wh used"))
]


class ScaleChoices(QWidget):
    """Gauge unit and meter place, carried over from pass to pass and from day to day."""

    def __init__(self) -> None:
        super().__init__()
        self.unit = Choice("What the gauge counts in", [(u.value, f"gauge in {u.value}") for u in GaugeUnit])
        self.meter = Choice("Outside meter and its place", _METERS)
        for choice, key in ((self.unit, _UNIT), (self.meter, _METER)):
            kept = str(remembered(key))
            if choice.findData(kept) >= 0:
                choice.show_key(kept)
            choice.currentIndexChanged.connect(lambda _index, c=choice, k=key: remember(k, c.key()))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.unit)
        row.addWidget(self.meter)

    def scales(self) -> Scales:
        """As chosen."""
        place, _, kind = self.meter.key().partition("/")
        return Scales(GaugeUnit(self.unit.key()), MeterPlace(place) if place else None, kind == "wh")


class ReadingForm(QWidget):
    """The fields of one pass. fields : by name, as in service.hand.FIELDS; tags : by words."""

    def __init__(self) -> None:
        super().__init__()
        self.scales = ScaleChoices()
        self.fields: dict[str, QLineEdit] = {}
        self._pairs: dict[str, QWidget] = {}
        self._ticks: tuple[int, ...] = ()
        self._step_known = False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        first, second, third = FlowLayout(), FlowLayout(), FlowLayout()
        first.addWidget(self.scales.unit)
        second.addWidget(self.scales.meter)
        for row, names in (
            (first, ("gauge_start", "start_v", "gauge_end", "end_v", "step_wh")),
            (second, ("meter", "mean_fps", "die_c", "shell_c")),
        ):  # fmt: skip
            for name in names:
                self._add(row, name)
        third.addWidget(label("seen:", "soft"))
        self.tags = {words: QCheckBox(words) for words in SEEN}
        for tag in self.tags.values():
            third.addWidget(tag)
        for row in (first, second, third):
            column.addLayout(row)
        for choice in (self.scales.unit, self.scales.meter):
            choice.currentIndexChanged.connect(self._show_fields)
        self._show_fields()

    def _add(self, row: FlowLayout, name: str) -> None:
        line = QLineEdit()
        words = degrees.heading(FIELDS[name][0]) if name in DEGREES else FIELDS[name][0]
        line.setAccessibleName(words)
        line.setPlaceholderText("not read")
        line.setFixedWidth(80)
        pair = QWidget()
        beside = QHBoxLayout(pair)
        beside.setContentsMargins(0, 0, 8, 0)
        beside.addWidget(label(words, "soft"))
        beside.addWidget(line)
        row.addWidget(pair)
        self.fields[name], self._pairs[name] = line, pair

    def _show_fields(self) -> None:
        scales = self.scales.scales()
        shown = {
            "start_v": scales.unit is GaugeUnit.MAH, "end_v": scales.unit is GaugeUnit.MAH,
            "meter": scales.place is not None, "step_wh": self.wants_step,
        }  # fmt: skip
        for name, on in shown.items():
            self._pairs[name].setVisible(on)

    @property
    def wants_step(self) -> bool:
        """Whether ticks were timed of a gauge whose step nobody knows yet."""
        return bool(self._ticks) and not self._step_known and self.scales.scales().unit is not GaugeUnit.PERCENT

    def begin(self, ticks_ns: tuple[int, ...], rig: Rig | None, gauge: str = "") -> None:
        """Empty the fields for another pass, but for the step of the gauge. ticks_ns : timed during it; gauge : what it
        showed at the start, as was said then."""
        self._ticks, self._step_known = ticks_ns, rig is not None and rig.gauge_step_wh is not None
        for name, line in self.fields.items():
            if name != "step_wh":
                line.clear()
        self.fields["gauge_start"].setText(gauge)
        for tag in self.tags.values():
            tag.setChecked(False)
        self._show_fields()

    def readings(self, rig: Rig) -> Readings:
        """What was read. Raises InputError naming what cannot be."""
        texts = {
            name: degrees.typed(line.text()) if name in DEGREES else line.text()
            for name, line in self.fields.items()
            if not self._pairs[name].isHidden()
        }
        found = parse(texts, self.scales.scales(), rig)
        seen = tuple(words for words, tag in self.tags.items() if tag.isChecked())
        return replace(found, seen=seen, ticks_ns=self._ticks)
