"""What the window remembers of its user between days, apart from any notebook: one place for all of it."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QSettings

# what a new question starts from
TARGET, SCHOOL = "default/target_fps", "default/school"
DEGREES = "shown/degrees"  # C or F


def remembered(name: str, default: Any = "") -> Any:
    """A remembered value."""
    return QSettings("hovrik", "hovrik").value(name, default)


def remember(name: str, value: Any) -> None:
    """Remember a value."""
    QSettings("hovrik", "hovrik").setValue(name, value)
