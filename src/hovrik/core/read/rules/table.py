"""Every rule, and what all of them find."""

from __future__ import annotations

from ...finding import Finding, State
from . import before_after, beside, evenings, felt, order, pacing, pairs, power, recurring, scene, stutters, waits
from .rule import Rule, Whole, found_once

RULES: tuple[Rule, ...] = (
    *waits.RULES, *pacing.RULES, *power.RULES, *pairs.RULES, *before_after.RULES, *order.RULES, *recurring.RULES,
    *scene.RULES, *stutters.RULES, *evenings.RULES, *felt.RULES, *beside.RULES,
)  # fmt: skip


def findings_of(whole: Whole) -> tuple[Finding, ...]:
    """What all rules find, what is worth acting on first."""
    if not whole.passes:
        return ()
    found = found_once(one for rule in RULES for one in rule.finds(whole))
    return tuple(sorted(found, key=lambda one: one.weight is not State.SUSPECT))
