"""What one pass shows of what limits it and what is wasted, as far as it can tell."""

from __future__ import annotations

from ...facts.knob import CAP, REFRESH, is_number
from ...facts.rig import Rig
from ...message import Message, Value, say
from ..group import Counted

AT_CAP, BUSY, BINDS = 0.99, 95.0, 0.97
FREE = 0.9  # a package that takes less of its limit than this is not limited by it


def rules_of(one: Counted, rig: Rig | None) -> list[Message]:
    """Messages, the surest first; each rests on figures that the pass carries."""
    value, setup = one.figures.value, one.point.setup
    found: list[Message] = []
    rate, cap, limit, package = value("mean_fps"), setup.get(CAP), setup.static_limit_w, value("package_w")
    if rate is not None and is_number(cap) and cap is not None and rate >= AT_CAP * float(cap):
        found.append(say("rule.cap", cap=float(cap)))
    elif limit is not None and package is not None and package >= BINDS * limit:
        found.append(say("rule.limit", limit=Value(limit, "W")))
    elif (gpu := value("gpu_share")) is not None and gpu >= BUSY:
        found.append(say("rule.gpu", share=Value(gpu, "%", digits=0)))
    if limit is not None and package is not None and package < FREE * limit:
        found.append(say("rule.spare", limit=Value(limit, "W"), took=Value(package, "W", digits=1)))
    refresh = setup.get(REFRESH)
    if rate is not None and is_number(refresh) and refresh is not None and rate > 1.05 * float(refresh):
        found.append(say("rule.unseen", rate=rate, refresh=Value(float(refresh), "Hz")))
    die = value("die_end_c")
    if rig is not None and rig.die_limit_c is not None and die is not None and die >= rig.die_limit_c - 3.0:
        found.append(say("rule.hot", die=Value(die, "C", digits=0), limit=Value(rig.die_limit_c, "C", digits=0)))
    return found
