"""A pass of which only figures are known, typed in."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from .fields import label

_FIELDS = (
    ("mean_fps", "mean rate (fps)"), ("min_fps", "minimum (fps)"), ("score", "score"),
    ("package_w", "package power (W)"), ("battery_w", "battery draw (W)"), ("wall_w", "wall power (W)"),
    ("input_w", "DC input power (W)"),
    ("source", "where it is from"),
)  # fmt: skip


class SummaryPage(QWidget):
    """Fields by name of the figure."""

    def __init__(self) -> None:
        super().__init__()
        grid = QGridLayout(self)
        words = "A pass of which only figures are known. Lows are withheld, and its interval comes from repeats."
        grid.addWidget(label(words, "soft", wrap=True), 0, 0, 1, 2)
        self.fields: dict[str, QLineEdit] = {}
        for row, (key, text) in enumerate(_FIELDS, 1):
            field = QLineEdit()
            field.setAccessibleName(text)
            field.setMaximumWidth(300)
            grid.addWidget(label(text, "soft"), row, 0)
            grid.addWidget(field, row, 1)
            self.fields[key] = field
        grid.setRowStretch(len(_FIELDS) + 1, 1)
        grid.setColumnStretch(1, 1)

    def figures(self) -> dict[str, float | str]:
        """What was typed; text where it is no number, for the message that refuses it."""
        found: dict[str, float | str] = {}
        for key, field in self.fields.items():
            text = field.text().strip()
            if text:
                try:
                    found[key] = text if key == "source" else float(text.replace(",", "."))
                except ValueError:
                    found[key] = text
        return found
