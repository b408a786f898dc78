"""Screenshots of a title that does not exist: one spot, drawn with as much detail as a set-up of it has."""

from __future__ import annotations

import struct
import zlib

import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
SIZE = (600, 960)  # rows and columns


def cellar(stones: int, scale: float, *, shadows: bool = True, seed: int = 11) -> Picture:
    """(rows, columns, 3) of a flooded cellar. stones : how finely walls are made up, 1 to 4; scale : of the pixels that
    are rendered, the rest is enlarged; shadows : whether columns throw any."""
    rows, columns = (round(size * scale) for size in SIZE)
    y, x = np.meshgrid(np.linspace(0, 1, rows), np.linspace(-1, 1, columns), indexing="ij")
    water = y > 0.72
    up = np.where(water, 1.44 - y, y)  # what the water throws back
    far = np.abs(x) / (0.18 + 0.9 * np.abs(up - 0.45) + 0.25)
    light = 0.16 + 0.5 * np.exp(-((x / 0.22) ** 2) - ((up - 0.36) / 0.3) ** 2)
    wall = np.zeros_like(x)
    rng = np.random.default_rng(seed)
    for octave in range(stones + 2):
        across, down = 14 * 2**octave, 9 * 2**octave
        grain = rng.standard_normal((256, 512))
        wall += grain[(up * down).astype(int) % 256, ((x + 1) * across).astype(int) % 512] * 0.05 / (1 + 0.4 * octave)
    joints = (np.abs((up * 22) % 1 - 0.5) > 0.46) | (
        np.abs(((x + 1) * 26 + 0.5 * ((up * 22).astype(int) % 2)) % 1 - 0.5) > 0.47
    )
    shade = light + wall * (0.35 + far.clip(0, 1)) - 0.10 * joints * (stones > 1)
    for at in (-0.78, -0.5, -0.3, 0.3, 0.5, 0.78):
        width = 0.035 + 0.05 * abs(at)
        column = np.abs(x - at) < width
        shade = np.where(column, 0.30 + 0.22 * np.cos((x - at) / width * 1.4) + 0.6 * wall, shade)
        flutes = column & (np.abs(((x - at) / width * 4) % 1 - 0.5) > 0.42)
        shade = np.where(flutes & (stones > 2), shade - 0.08, shade)
        if shadows:
            thrown = np.abs(x - at * (1.0 + 0.5 * (up - 0.3))) < width * 1.6
            shade = np.where(thrown & ~column, shade * 0.72, shade)
    window = (np.abs(x) < 0.11) & (up > 0.12) & (up < 0.52) & ((x / 0.11) ** 2 + ((0.3 - up) / 0.2).clip(0) ** 2 < 1)
    panes = (np.abs((x * 46) % 1 - 0.5) > 0.42) | (np.abs((up * 34) % 1 - 0.5) > 0.44)
    shade = np.where(window, np.where(panes, 0.25, 0.92), shade)
    ripple = 0.06 * np.sin(140 * y + 9 * np.sin(7 * x)) * (0.4 + 0.6 * (stones > 1))
    shade = np.where(water, 0.72 * shade + ripple, shade).clip(0, 1)
    tint = np.where(
        window[..., None], (0.98, 0.90, 0.66), np.where(water[..., None], (0.66, 0.86, 0.90), (0.96, 0.94, 0.88))
    )
    small = (255 * shade[..., None] * tint).round().clip(0, 255)
    return _enlarged(small).astype(np.uint8)


def _enlarged(small: NDArray[np.float64]) -> NDArray[np.float64]:
    """At full size, by straight lines between pixels."""
    for axis, size in enumerate(SIZE):
        own = small.shape[axis]
        at = ((np.arange(size) + 0.5) * own / size - 0.5).clip(0, own - 1)
        low = np.minimum(at.astype(int), own - 2)
        part = (at - low).reshape([-1 if k == axis else 1 for k in range(3)])
        small = np.take(small, low, axis) * (1 - part) + np.take(small, low + 1, axis) * part
    return small


def png(picture: Picture) -> bytes:
    """A picture file (ISO/IEC 15948), eight bits a colour, every line as it is."""
    rows, columns, _ = picture.shape
    lines = np.concatenate([np.zeros((rows, 1), np.uint8), picture.reshape(rows, -1)], axis=1).tobytes()

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", columns, rows, 8, 2, 0, 0, 0)
    parts = (chunk(b"IHDR", head), chunk(b"IDAT", zlib.compress(lines, 6)), chunk(b"IEND", b""))
    return b"\x89PNG\r\n\x1a\n" + b"".join(parts)
