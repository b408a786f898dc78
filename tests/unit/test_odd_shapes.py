"""Odd shapes of a log: each is read right or refused, none read wrong."""

import numpy as np
import pytest

from hovrik.core.errors import ImportRefused
from hovrik.store.files.read.frame_log import convert, guess
from hovrik.store.files.read.table import parse

MS = np.random.default_rng(1).normal(16.7, 0.4, 200)
RIGHT = 1000.0 / MS.mean()


def lines(head, cells, sep="\n"):
    """A file of rows."""
    return ((head + sep if head else "") + sep.join(cells)).encode()


def comma(value, digits=2):
    """With a decimal comma."""
    return f"{value:.{digits}f}".replace(".", ",")


CUM = np.cumsum(MS)
SHAPES = {
    "ms with heading": (lines("frame time (ms)", [f"{v:.3f}" for v in MS]), True),
    "ms without heading": (lines("", [f"{v:.3f}" for v in MS]), True),
    "seconds": (lines("frame time (s)", [f"{v / 1000:.6f}" for v in MS]), True),
    "microseconds": (lines("frame time (us)", [f"{v * 1000:.1f}" for v in MS]), True),
    "nanoseconds": (lines("frame time (ns)", [f"{v * 1e6:.0f}" for v in MS]), True),
    "stamps in s": (lines("time (s)", [f"{v / 1000:.6f}" for v in CUM]), True),
    "stamps in ms": (lines("time (ms)", [f"{v:.3f}" for v in CUM]), True),
    "windows line ends": (lines("frame time (ms)", [f"{v:.3f}" for v in MS], "\r\n"), True),
    "old line ends": (lines("frame time (ms)", [f"{v:.3f}" for v in MS], "\r"), True),
    "semicolons, decimal commas": (lines("frame time (ms);W", [f"{comma(v)};{comma(12.5)}" for v in MS]), True),
    "tabs": (lines("frame time (ms)\tpackage power (W)", [f"{v:.3f}\t12.5" for v in MS]), True),
    "bars": (lines("frame time (ms)|package power (W)", [f"{v:.3f}|12.5" for v in MS]), True),
    "spaces": (lines("", [f"{v:.3f} 12.5" for v in MS]), True),
    "quotes": (lines('"frame time (ms)","note"', [f'"{v:.3f}","a, b"' for v in MS]), True),
    "one column, decimal commas": (lines("frame time (ms)", [comma(v) for v in MS]), True),
    "byte mark": (b"\xef\xbb\xbf" + lines("frame time (ms)", [f"{v:.3f}" for v in MS]), True),
    "UTF-16": (lines("frame time (ms)", [f"{v:.3f}" for v in MS]).decode().encode("utf-16"), True),
    "a rate beside": (lines("fps,frame time (ms)", [f"{1000 / v:.1f},{v:.3f}" for v in MS]), True),
    "an exponent": (lines("frame time (ms)", [f"{v:.6e}" for v in MS]), True),
    "a unit in the row below": (lines("frame time\n(ms)", [f"{v:.3f}" for v in MS]), True),
    "a running number": (lines("number,frame time (ms)", [f"{n},{v:.3f}" for n, v in enumerate(MS)]), True),
    "a trailing comma": (lines("frame time (ms),", [f"{v:.3f}," for v in MS]), True),
    "rates only": (lines("fps", [f"{1000 / v:.1f}" for v in MS]), False),
    "rates in words": (lines("frames per second", [f"{1000 / v:.1f}" for v in MS]), False),
    "frame rate": (lines("Frame Rate", [f"{1000 / v:.1f}" for v in MS]), False),
    "a panel's rate": (lines("refresh (Hz)", ["60"] * 200), False),
    "seconds that are ms": (lines("frame time (s)", [f"{v:.3f}" for v in MS]), False),
    "ms that are us": (lines("frame time (ms)", [f"{v * 1000:.1f}" for v in MS]), False),
    "commas as both": (lines("frame time (ms),W", [f"{comma(v)},{comma(12.5)}" for v in MS]), False),
    "commas as both, three columns": (lines("ms,W,C", [f"{comma(v)},{comma(12)},{comma(60)}" for v in MS]), False),
    "commas as both, no heading": (lines("", [comma(v, 3) for v in MS]), False),
    "words": (lines("thoughts", ["none"] * 50), False),
    "temperatures": (lines("die (C)", ["61.5"] * 200), False),
    "watts": (lines("package power (W)", ["15.1"] * 200), False),
    "nothing": (b"", False),
}


@pytest.mark.parametrize(("data", "is_read"), SHAPES.values(), ids=SHAPES.keys())
def test_each_is_read_right_or_refused(data, is_read):
    try:
        table = parse(data, "odd.csv")
        made = convert(table, guess(table))
    except ImportRefused as fault:
        assert not is_read, str(fault)
        assert len(str(fault)) > 20
        return
    assert 1000.0 / made.trace.interval_ms().mean() == pytest.approx(RIGHT, rel=0.005), "read wrong"
