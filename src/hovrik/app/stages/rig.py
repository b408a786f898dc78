"""The machine as it is known, read-only for now."""

from __future__ import annotations

from datetime import UTC, datetime

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...core.rig import Rig
from ..session import Session
from ..widgets.fields import Card, label
from .base import Stage, empty_hint, scrolling

CAUTIONS = (
    "Never defeat a thermal or charge protection. Limits above the maker's range are refused here.",
    "Firmware: by the maker's own procedure, on the adapter. Hovrik notes versions and never flashes.",
    "A swollen or very hot battery: stop, unplug, ask the maker or a qualified repairer. Do not charge unattended.",
    "Warranty and online-service rules are yours to check.",
)


def _or_unknown(value: object, unit: str = "") -> str:
    if value is None or value == ():
        return "unknown"
    return f"{value:g} {unit}".strip() if isinstance(value, float) else f"{value} {unit}".strip()


class RigStage(Stage):
    """Cards of chip, battery, panel, OS slots and versions; cautions."""

    title = "Rig"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._page = QWidget()
        self._holder = QVBoxLayout(self._page)
        self._holder.setContentsMargins(0, 0, 0, 0)
        self.layout_.addWidget(scrolling(self._page))
        session.question_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the rig of the question."""
        while (item := self._holder.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        rig = self.session.rig
        self._holder.addWidget(self._cards(rig) if rig else empty_hint("This notebook knows no rig yet."))
        self._holder.addStretch()

    def _cards(self, rig: Rig) -> QWidget:
        page = QWidget()
        columns = QHBoxLayout(page)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(10)
        chip = Card(f"{rig.name}: chip")
        chip.fact("Power limit", f"{rig.limit_low_w} to {rig.limit_high_w} W in steps of {rig.limit_step_w:g} W")
        chip.fact("Throttles at", _or_unknown(rig.die_limit_c, "C die"))
        chip.fact("Fan policy", _or_unknown(rig.fan_policy))
        battery = Card("Battery and adapter")
        battery.fact("Full charge", _or_unknown(rig.battery_wh, "Wh"))
        low, high = (100 * share for share in rig.valid_charge)
        battery.fact("Passes count between", f"{high:.0f} and {low:.0f} % charge")
        battery.fact("Kept in reserve", f"{100 * rig.reserve:.0f} %")
        battery.fact("Gauge step", _or_unknown(rig.gauge_step_wh, "Wh"))
        battery.fact("Adapter", _or_unknown(rig.adapter_w, "W"))
        panel = Card("Panel")
        size = f"{rig.resolution[0]} x {rig.resolution[1]}" if rig.resolution else "unknown"
        panel.fact("Resolution", size)
        panel.fact("Refresh", ", ".join(f"{hz:g}" for hz in rig.refresh_hz) + " Hz" if rig.refresh_hz else "unknown")
        slots = Card("OS slots")
        for slot in rig.slots:
            slots.fact(slot.name, f"build {slot.version('OS build') or 'unknown'}, driver {slot.version('graphics driver') or 'unknown'}, "
                                  f"session {slot.session or 'unknown'}")  # fmt: skip
        versions = Card("Versions")
        versions.fact("Firmware", _or_unknown(rig.firmware))
        found = self.session.newest("rig").get(rig.key)
        if found is not None:
            noted = datetime.fromtimestamp(found.noted_at / 1e9, UTC)
            versions.fact("Noted", f"{noted:%Y-%m-%d %H:%M} UTC")
        cautions = Card("Cautions")
        for text in CAUTIONS:
            cautions.body.addWidget(label(text, "soft", wrap=True))
        for cards in ((chip, panel, slots, versions), (battery, cautions)):
            column = QVBoxLayout()
            column.setSpacing(10)
            for card in cards:
                column.addWidget(card)
            column.addStretch()
            columns.addLayout(column, 1)
        return page
