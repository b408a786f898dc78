"""Two things that share a width, which a person divides."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSplitter, QWidget


def beside(left: QWidget, right: QWidget, sizes: list[int]) -> QSplitter:
    """Side by side; sizes : px at first."""
    both = QSplitter(Qt.Orientation.Horizontal)
    both.setChildrenCollapsible(False)
    both.addWidget(left)
    both.addWidget(right)
    both.setSizes(sizes)
    return both
