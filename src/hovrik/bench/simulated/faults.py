"""Faults that can be put into the stand-in. They act in the physics or the logger; nothing else knows of them."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Faults:
    """What goes wrong. The default is nothing.

    extra_w : package power taken over the limit, while it reads as asked; dropouts_per_min, dropout_s : the frame
    logger loses frames; suspend_at_s, suspend_s : the machine sleeps in a scene; crash_at_s : the title ends;
    bursts_per_min, collapses_per_min : background work, GPU clock falling to its floor; variable_off : variable refresh
    switched off unseen; pool_gb : graphics memory the title finds, whatever is set; unplugged_at_s : the adapter is
    pulled; no_shaders : shaders are compiled anew; scaling_fps : the engine holds this rate by its own resolution.
    """

    extra_w: float = 0.0
    dropouts_per_min: float = 0.0
    dropout_s: float = 1.5
    suspend_at_s: float | None = None
    suspend_s: float = 20.0
    crash_at_s: float | None = None
    bursts_per_min: float = 0.0
    collapses_per_min: float = 0.0
    variable_off: bool = False
    pool_gb: float | None = None
    unplugged_at_s: float | None = None
    no_shaders: bool = False
    scaling_fps: float | None = None


NONE = Faults()
