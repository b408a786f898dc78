"""Caps, refresh and sync: what is paced in vain, what is rendered and never shown."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ...facts.knob import CAP, REFRESH, inside, is_number
from ...facts.panel import LOCKED, is_even, uneven_cap
from ...facts.place import Source
from ...facts.rig import OsSlot, Rig
from ...facts.setup import Setup
from ...finding import About, Finding
from ...message import Message, Value, say
from ..delay import added_ms, counted_of
from ..generated import FROM_FPS, is_generated
from ..group import Group, cap_of, paced_share
from ..response import Response
from .recurring import OFTEN
from .rule import Looked, Rule, Whole, advice, finding
from .waits import LADDER, levels_of

FAR, JUST_LOW, JUST_HIGH = 1.15, 0.2, 0.75  # cap over the most that is reached; shares of frames that a cap paces
UNUSED = 1.5  # refresh over the lowest that shows the same
OVER = 1.02  # rate over what the panel shows


def _cap(whole: Whole) -> Iterable[Finding]:
    """A cap that is never reached, and one that is reached by part of the frames."""
    for response in whole.responses:
        rows = [(group, whole.members(group)) for group in response.groups if group.rate is not None]
        capped = [(group, cap) for group, own in rows if own and (cap := cap_of([one.one for one in own]))]
        if not capped or len(capped) < len(rows):
            continue
        caps = {cap for _, cap in capped}
        if len(caps) == 1 and (far := _far(response, capped, caps.pop())) is not None:
            yield far
            continue
        if len(response.groups) < LADDER and response is not whole.responses[0]:
            continue
        shares = [paced_share([one.one for one in whole.members(group)]) for group, _ in capped]
        just = [(group, cap, share) for (group, cap), share in zip(capped, shares) if JUST_LOW < share < JUST_HIGH]
        if just:
            span = Value(*_middle([100 * share for _, _, share in just]))
            yield finding(
                "cap-just-reached",
                say("rule.cap-just-reached", cap=just[0][1], share=span,
                    levels=levels_of(response, [group.level for group, _, _ in just])),
                About.GROUP, just[0][0].passes[0], step=advice("cap-just-reached"), action="ask/caps",
            )  # fmt: skip


def _middle(shares: Sequence[float]) -> tuple[float, str, float | None, float | None, int]:
    """Shares of one level or several as one value."""
    several = len(shares) > 1
    return sum(shares) / len(shares), "%", min(shares) if several else None, max(shares) if several else None, 0


def _far(response: Response, capped: list[tuple[Group, float]], cap: float) -> Finding | None:
    best = max((mean.estimate().high or mean.value for group, _ in capped if (mean := group.rate) is not None))
    if cap < FAR * best:
        return None
    return finding(
        "cap-never-reached", say("rule.cap-never-reached", cap=cap, best=Value(best, digits=0)), About.SETTING, CAP,
        step=advice("cap-never-reached"), action="ask/caps",
    )  # fmt: skip


def uneven_words(setup: Setup, rig: Rig | None, slot: OsSlot | None) -> tuple[Message, Message] | None:
    """That a fixed refresh does not show a setup's cap evenly, and what to do; None where it does."""
    uneven = uneven_cap(setup, rig, slot)
    if uneven is None:
        return None
    cap, refresh = uneven
    return say("rule.cap-uneven", cap=cap, refresh=Value(refresh, "Hz")), advice("cap-uneven", cap=cap)


def _uneven(whole: Whole) -> Iterable[Finding]:
    """A cap that a fixed refresh does not show evenly."""
    for looked in whole.counted:
        told = uneven_words(looked.one.point.setup, whole.rig, whole.slot)
        if told is not None:
            yield finding("cap-uneven", told[0], About.SETTING, CAP, step=told[1], worry=True)
            return


def _paced(looked: Looked) -> tuple[float | None, float | None]:
    """Cap and refresh."""
    setup = looked.one.point.setup
    cap, refresh = setup.get(CAP), setup.get(REFRESH)
    numbers = [float(one) if is_number(one) and one is not None else None for one in (cap, refresh)]
    return numbers[0], numbers[1]


def _refresh(whole: Whole) -> Iterable[Finding]:
    """A refresh higher than the cap can use, where a lower one of the panel's shows the same."""
    if whole.question.source is not Source.BATTERY:
        return
    offered = whole.rig.refresh_hz if whole.rig is not None else ()
    for looked in whole.counted:
        cap, refresh = _paced(looked)
        if not cap or not refresh:
            continue
        lower = [one for one in offered if one >= cap - 0.5 and one * UNUSED <= refresh and is_even(cap, one)]
        if lower:
            yield finding(
                "refresh-unused",
                say("rule.refresh-unused", cap=cap, refresh=Value(refresh, "Hz"), lower=Value(min(lower), "Hz")),
                About.SETTING, REFRESH, step=advice("refresh-unused", lower=Value(min(lower), "Hz")),
            )  # fmt: skip
            return


def _unseen(whole: Whole) -> Iterable[Finding]:
    """A mean over the refresh or the cap with sync on: rendered, not shown."""
    for response in whole.responses:
        for group in response.groups:
            members = whole.members(group)
            if not members or group.rate is None:
                continue
            _, refresh = _paced(members[0])
            shown = members[0].one.point.setup.get("sync") in ("on", "variable")
            if refresh and shown and (group.rate.estimate().low or group.rate.value) > OVER * refresh:
                yield finding(
                    "rendered-not-shown",
                    say("rule.rendered-not-shown", level=response.factor.words(group.level),
                        rate=Value(group.rate.value, digits=0), refresh=Value(refresh, "Hz")),
                    About.GROUP, group.passes[0], step=advice("rendered-not-shown"), worry=True,
                )  # fmt: skip
                return


def _sync(whole: Whole) -> Iterable[Finding]:
    """What the OS slot does to sync: locked, or variable refresh switched off by an overlay."""
    slot = whole.slot
    if slot is None or not whole.counted:
        return
    if slot.sync == LOCKED:
        yield finding("sync-locked", say("rule.sync-locked", slot=slot.name), About.SETTING, "sync")
    said = [one for one in whole.counted if "variable-refresh-off" in one.checks]
    if len(said) > OFTEN * len(whole.counted) or (slot.overlay_stops and "variable" in slot.overlay_stops.lower()):
        yield finding(
            "overlay-stops-variable", say("rule.overlay-stops-variable", overlay=inside(slot.overlay or "an overlay")),
            About.SETTING, "sync", step=advice("overlay-stops-variable"), worry=True,
        )  # fmt: skip


def _generated(whole: Whole) -> Iterable[Finding]:
    """What generating frames costs in delay, once a response."""
    counted = counted_of(whole.rig.delays) if whole.rig is not None else None
    for response in whole.responses:
        for group in response.groups:
            rendered, rate = group.mean("rendered_fps"), group.rate
            if not is_generated(group) or rendered is None or rate is None:
                continue
            refresh, times = group.setup.get(REFRESH), group.mean("shown_fps")
            at = rendered.value, float(refresh) if is_number(refresh) and refresh else None
            delay = added_ms(*at) if counted is None else counted.at(*at)
            method = say("rule.generated.reckoned")
            if counted is not None:
                at_fps = Value(counted.at_fps, digits=0)
                method = say(
                    "rule.generated.counted", counts=counted.added.n, added=counted.added.as_value(), at=at_fps
                )
            yield finding(
                "generated",
                say("rule.generated", level=response.factor.words(group.level), delay=delay.as_value(), method=method,
                    rendered=Value(rendered.value, digits=0), shown=Value((times or rate).value, digits=0)),
                About.GROUP, group.passes[0], step=advice("generated") if counted is None else None,
                worry=rendered.value < FROM_FPS,
            )  # fmt: skip
            break


RULES = (
    Rule("generated", "frame generation on; rendered rate by the factor of the knob", _generated),
    Rule("cap", "a cap 15 % over the highest rate, upper end of its interval; 20 to 75 % of frames at the cap", _cap),
    Rule("cap-uneven", "sync on, and the refresh is no whole multiple of the cap", _uneven),
    Rule("refresh-unused", "a refresh of the panel half as high or less shows the cap as evenly", _refresh),
    Rule("rendered-not-shown", "mean rate, lower end of its interval, over 1.02 x the refresh with sync on", _unseen),
    Rule("sync", "as noted of the OS slot; or frames off variable refresh in most passes", _sync),
)
