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


def dots(value, digits=2):
    """With a decimal comma and dots between the thousands."""
    return f"{value:,.{digits}f}".translate(str.maketrans(",.", ".,"))


CUM = np.cumsum(MS)
US = MS * 1000
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
    "dots between thousands": (lines("frame time (us);W", [f"{dots(v)};12,5" for v in US]), True),
    "dots between thousands of stamps": (lines("time (ms);W", [f"{dots(v)};12,5" for v in CUM]), True),
    "dots alone beside decimal commas": (lines("frame time (us);W", [f"{dots(v, 0)};12,5" for v in US]), False),
    "commas between thousands": (lines("frame time (us);W", [f"{v:,.1f};12.5" for v in US]), False),
    "the same in quotes": (lines('"frame time (us)","W"', [f'"{v:,.1f}","12.5"' for v in US]), False),
    "spaces between thousands": (
        lines("frame time (us);W", [f"{v:,.1f};12.5".replace(",", " ") for v in US]), False),
    "narrow spaces": (lines("frame time (us);W", [f"{v:,.1f};12.5".replace(",", "\u202f") for v in US]), False),
    "apostrophes": (lines("frame time (us);W", [f"{v:,.1f};12.5".replace(",", "'") for v in US]), False),
    "a unit in each cell": (lines("frame time;W", [f"{v:.2f} ms;12.5 W" for v in MS]), False),
    "rates without a heading": (lines("", [f"{1000 / v:.1f}" for v in MS]), False),
    "rates under vague words": (lines("avg,min,max", [f"{1000 / v:.1f},50,70" for v in MS]), False),
    "another latency": (lines("input latency (ms)", [f"{v + 20:.1f}" for v in MS]), False),
    "parts of a frame": (lines("gpu busy (ms),frame time (ms)", [f"{v - 3:.2f},{v:.2f}" for v in MS]), True),
    "a part alone": (lines("cpu time (ms)", [f"{v - 3:.2f}" for v in MS]), False),
    "a clock that starts anew": (lines("time (ms)", [f"{v % 1000:.3f}" for v in CUM]), False),
    "stamps called times": (lines("frame time (ms)", [f"{v:.3f}" for v in CUM]), True),
    "a second table below": (
        lines("frame time (ms)", [*(f"{v:.3f}" for v in MS), "", "fps", *(f"{1000 / v:.1f}" for v in MS)]), False),
    "the heading twice": (lines("frame time (ms)", [*(f"{v:.3f}" for v in MS), "frame time (ms)"]), True),
    "remarks above": (lines("# a log\n# of an evening\nframe time (ms)", [f"{v:.3f}" for v in MS]), True),
    "UTF-16 unmarked": (lines("frame time (ms)", [f"{v:.3f}" for v in MS]).decode().encode("utf-16-le"), True),
    "padding": (lines("frame time (ms) , power (W)", [f"  {v:.3f} ,  12.5" for v in MS]), True),
    "whole milliseconds": (lines("frame time (ms)", [f"{v:.0f}" for v in MS]), True),
    "a load beside": (lines("load (%),frame time (ms)", [f"97,{v:.2f}" for v in MS]), True),
    "negative": (lines("frame time (ms)", [f"-{v:.3f}" for v in MS]), False),
    "hexadecimal": (lines("frame time (ms)", [hex(int(v)) for v in MS]), False),
    "JSON": (b'{"frames": [16.7, 16.6]}', False),
    "a picture": (b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 8, False),
}  # fmt: skip


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
