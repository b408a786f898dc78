"""Settled temperatures from ordinary passes, and a heat pass where there is one, by the network of the rig's heat."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from ..core.model.heat_network import MOST_S, Fixed, Network, Warmed, fit
from ..core.passes.figures import PassFigures
from ..core.passes.point import Point
from ..core.passes.record import PassRecord
from .memory import Memory

ALGORITHM, VERSION = "heat-network", 1
HeatPass = Callable[[Point], PassRecord | None]  # what calibrated a rig under the fan policy of a pass
ROOM_C, ROOM_SD, UNKNOWN_ROOM_SD = 23.0, 2.0, 4.0  # where nobody noted the room; of one that is typed; of none
BESIDE_W = 4.0  # drawn beside the package, where nothing tells
APART_S = 1e7  # between runs, whose clocks have nothing to do with each other
_KEYS = (("die_c", "die_least_c"), ("shell_c", ""))


def with_settled(
    memory: Memory, records: Sequence[PassRecord], points: Mapping[str, Point], found: Mapping[str, PassFigures],
    heat_pass: HeatPass,
) -> dict[str, PassFigures]:  # fmt: skip
    """The figures of passes with what the network says of them: settled temperatures where it is close enough, else
    what their own curves say by a heat pass, else at least how much. records : of one rig; found : their figures."""
    by_fan: dict[str, list[PassRecord]] = {}
    for record in records:
        own = found[record.id]
        if own.value("die_end_c") is not None and own.value("package_w") is not None:
            by_fan.setdefault(points[record.id].cooling, []).append(record)
    told = dict(found)
    for policy, unsorted in by_fan.items():
        group = _in_time(unsorted)
        network, ids = _network(memory, policy, group, points, heat_pass(points[group[0].id]))
        if network is None:
            continue
        kept = memory.settled
        new = [
            record.id for record in group
            if (was := kept.get(record.id)) is None or was[0] != ids or was[1] is not found[record.id]
        ]  # fmt: skip
        for name, made in zip(new, _told(network, [found[one] for one in new], [points[one] for one in new])):
            kept[name] = (ids, found[name], made)
        told |= {record.id: kept[record.id][2] for record in group}
    return told


def _in_time(group: Sequence[PassRecord]) -> list[PassRecord]:
    """Passes as they were made, in whatever order they are stored: heat goes from one into the next."""
    began: dict[str, int] = {}
    for record in group:
        plan = record.plan_id or record.id
        began[plan] = min(began.get(plan, record.started_ns), record.started_ns)
    return sorted(group, key=lambda one: (began[one.plan_id or one.id], one.started_ns, one.id))


def _network(
    memory: Memory, policy: str, group: Sequence[PassRecord], points: Mapping[str, Point], calibrated: PassRecord | None
) -> tuple[Network | None, tuple[str, ...]]:
    """From the heat pass and the newest others, up to so many seconds of these; anew when there are a sixth more."""
    count = 1
    while (further := max(count + 1, count * 7 // 6)) <= len(group):
        count = further
    key = f"{policy}/{group[0].id}"
    newest, known = tuple(record.id for record in group[:count]), memory.networks.get(key)
    of = newest if calibrated is None else (calibrated.id, *newest)
    if known is not None and known[0] == of:
        return known[1], of
    plans = {plan: at for at, plan in enumerate(dict.fromkeys(record.plan_id or record.id for record in group))}
    first = [] if calibrated is None else [calibrated]
    stretches: list[Warmed] = []
    seconds = 0.0
    rooms = []
    for record in (*first, *(one for one in reversed(group[:count]) if one not in first)):
        trace = memory.notebook.load(record.id).trace
        point = points[record.id] if record.id in points else memory.places.point(record)
        room = point.number("room_c")
        rooms.append(room)
        clock_s = APART_S * plans.get(record.plan_id or record.id, len(plans))
        stretch = Warmed.of(trace, ROOM_C if room is None else room, clock_s) if trace is not None else None
        if stretch is not None:
            stretches.append(stretch)
            seconds += stretch.die_c.size if record is not calibrated else 0.0
        if seconds > MOST_S:
            break
    network = _fitted(memory, policy, of, stretches, UNKNOWN_ROOM_SD if None in rooms else ROOM_SD)
    memory.networks[key] = of, network
    return network, of


def _fitted(
    memory: Memory, policy: str, newest: Sequence[str], stretches: Sequence[Warmed], room_sd: float
) -> Network | None:
    """The network of some passes, its fit as the notebook keeps it where it is of the same ones."""
    of, last = hashlib.sha1("|".join((policy, *newest)).encode("utf-8", "replace")).hexdigest(), newest[-1]
    body = memory.notebook.cached(ALGORITHM, VERSION, [last]).get(last)
    known = None
    if body is not None and body.get("of") == of:
        known = np.asarray(body["z"], float), np.asarray(body["covariance"], float)
    network = fit(stretches, room_sd, known)
    if network is not None and known is None:
        z, covariance = network.estimate
        memory.notebook.cache(ALGORITHM, VERSION, {last: {"of": of, "z": z, "covariance": covariance.ravel()}})
    return network


def _told(network: Network, figures: Sequence[PassFigures], points: Sequence[Point]) -> list[PassFigures]:
    """Figures with where the network says they settle; each knows its package power."""
    if not figures:
        return []
    packages = [one.value("package_w") or 0.0 for one in figures]
    draws = [one.value("draw_w") for one in figures]
    beside = [max(draw - package, 0.0) if draw is not None else BESIDE_W for draw, package in zip(draws, packages)]
    rooms = [ROOM_C if (room := point.number("room_c")) is None else room for point in points]
    return [_with(one, fixed) for one, fixed in zip(figures, network.settled(packages, beside, rooms))]


def _with(figures: PassFigures, fixed: tuple[Fixed, Fixed | None]) -> PassFigures:
    values, errors, why = dict(figures.values), dict(figures.errors), dict(figures.why)
    for (key, least), one in zip(_KEYS, fixed):
        if one is None:
            continue
        if one.is_told:
            values[key], errors[key] = one.value_c, one.se_c
            why.pop(key, None)
            values.pop(least, None)
        elif least and key not in values:
            values[least] = max(one.least_c, values.get(least, one.least_c))
    return replace(figures, values=values, errors=errors, why=why)
