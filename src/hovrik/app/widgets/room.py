"""How much room the window has, and what stands where for it."""

from __future__ import annotations

from enum import IntEnum

ROW_PX = 40  # the question, the answer in one line
ANSWER_PX = 56  # the answer in two lines
LINE_PX = 44  # the bottom line
RAIL_PX = 120
GLYPHS_PX = 56  # the rail without words
PICTURE_PX = 240  # the least height of a picture that is what its page is about
SIDE_PX = 320  # notes beside a page


class Room(IntEnum):
    """COMPACT : one column, question and answer share a line; NARROW : a handheld's panel, what stands beside a page is
    its last tab; WIDE : 1280 x 760 and up."""

    COMPACT = 0
    NARROW = 1
    WIDE = 2


def room_for(width: int, height: int) -> Room:
    """The room of a window (logical pixels)."""
    if width < 740 or height < 430:
        return Room.COMPACT
    return Room.NARROW if width < 1100 or height < 620 else Room.WIDE
