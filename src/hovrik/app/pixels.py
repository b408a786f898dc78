"""From a picture file to what computations read of it. Qt decodes it; needs no screen and any thread will do."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QByteArray
from PyQt6.QtGui import QImage

from ..core.read.picture import Array, luma


def luma_of(data: bytes) -> Array | None:
    """(h, w) luma 0..1 of a picture file; None where it cannot be read."""
    image = QImage.fromData(QByteArray(data))
    if image.isNull():
        return None
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    bits = image.constBits()
    if bits is None:
        return None
    rows = np.frombuffer(bits.asarray(image.sizeInBytes()), np.uint8).reshape(image.height(), image.bytesPerLine())
    return luma(rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3))
