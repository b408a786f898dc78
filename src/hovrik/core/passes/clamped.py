"""Charge under which passes do not count, learned from passes in which power stepped down at a charge."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from ..finding import State
from ..message import Value
from .checks import found, percent
from .verdict import Verdict, worst


def without_clamped(
    verdicts: Mapping[str, Verdict], rigs: Mapping[str, str], ends: Mapping[str, float]
) -> dict[str, Verdict]:
    """Verdicts by pass in which those that ended under a charge at which their rig was seen to step down are void.

    rigs : pass to rig; ends : pass to the charge (share) it ended at, where that is known.
    """
    clamps: dict[str, float] = {}
    for pass_id, verdict in verdicts.items():
        for one in verdict.findings:
            at = one.message.values.get("charge")
            if one.id == "clamp-hit" and isinstance(at, Value):
                clamps[rigs[pass_id]] = max(clamps.get(rigs[pass_id], 0.0), at.number)
    done = dict(verdicts)
    for pass_id, end in ends.items():
        clamp, own = clamps.get(rigs[pass_id], 0.0), verdicts[pass_id]
        if 100 * end >= clamp - 0.5 or any(one.id in ("clamp-hit", "charge-out-of-window") for one in own.findings):
            continue
        said = found("under-clamp", State.VOID, charge=percent(100 * end), clamp=percent(clamp))
        kept = (*own.findings, said)
        done[pass_id] = replace(own, state=worst(kept), findings=kept)
    return done
