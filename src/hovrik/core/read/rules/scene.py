"""Whether the scene and the readings can carry what is asked of them."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from ...finding import About, Finding
from ...message import Value, say
from ...passes.purpose import purpose
from ...passes.record import Origin
from ...stats.estimate import t_quantile
from .rule import Looked, Rule, Whole, advice, finding
from .waits import CAP, waits_of

SHORT_S = 30.0
CONSTANTS = 5.0  # of the scene's load, that a pass should last
GAUGE_OFF = 0.15  # share by which a momentary estimate is off
BEHIND = ("rig", "slot")


def _short(whole: Whole) -> Iterable[Finding]:
    """Passes too short for how slowly the scene's load wanders, or for settled figures at all."""
    lengths = [f.seconds for one in whole.counted
               if purpose(one.one.purpose).counts and (f := one.one.figures.frames) is not None]  # fmt: skip
    if not lengths:
        return
    wander = whole.scene.load_time_constant_s if whole.scene is not None else None
    wanted = max(SHORT_S, CONSTANTS * wander if wander else 0.0)
    middle = sorted(lengths)[len(lengths) // 2]
    if middle < 0.95 * wanted:
        yield finding(
            "scene-short",
            say("rule.scene-short", length=Value(middle, "s", digits=0), wanted=Value(wanted, "s", digits=0)),
            About.SETTING, "scene", step=advice("scene-short"), worry=True,
        )  # fmt: skip


def _light(whole: Whole) -> Iterable[Finding]:
    """A scene that even the lowest limit plays at its cap: its ladder tells nothing."""
    for response in whole.responses[:1]:
        if response.factor.unit == "W" and len(response.groups) >= 4:
            found = waits_of(response, whole)
            if all(one.what == CAP for one in found):
                level = response.factor.words(response.groups[0].level)
                yield finding(
                    "scene-light", say("rule.scene-light", level=level), About.SETTING, "scene",
                    step=advice("scene-light"), worry=True,
                )  # fmt: skip


def _not_heaviest(whole: Whole) -> Iterable[Finding]:
    """A floor judged in a scene that is not the title's heaviest."""
    own, title = whole.scene, whole.title
    if own is None or title is None or not whole.counted or own.role in (None, "heaviest"):
        return
    heavy = next((scene for scene in title.scenes if scene.role == "heaviest" and scene.key != own.key), None)
    if heavy is not None:
        yield finding(
            "scene-not-heaviest", say("rule.scene-not-heaviest", scene=own.name, heavy=heavy.name), About.SETTING,
            "scene", step=advice("scene-not-heaviest", heavy=heavy.name), action=f"scene/{heavy.key}",
        )  # fmt: skip


def _inside_noise(whole: Whole) -> Iterable[Finding]:
    """Neighbouring levels that their passes do not tell apart, where a run of them is long."""
    for response in whole.responses[:1]:
        groups = [g for g in response.groups if g.rate is not None]
        alike = []
        for one, other in pairwise(groups):
            if one.rate is None or other.rate is None:
                continue
            se = (one.rate.se**2 + other.rate.se**2) ** 0.5
            half = t_quantile(0.975, min(one.rate.dof, other.rate.dof)) * se
            alike.append(abs(other.rate.mean - one.rate.mean) < half)
        if len(alike) >= 3 and all(alike) and whole.question.terms.floor is not None:
            yield finding(
                "inside-noise", say("rule.inside-noise", factor=response.factor.label.lower(), levels=len(groups)),
                About.RESPONSE, groups[0].passes[0], step=advice("inside-noise"),
            )  # fmt: skip


def _best_of(whole: Whole) -> Iterable[Finding]:
    """Imported figures that are the best of several runs: biased upward."""
    best = [one for one in whole.counted if _number(one, "best_of") > 1]
    if best:
        yield finding(
            "best-of", say("rule.best-of", passes=len(best)), About.PASS, best[0].one.id, step=advice("best-of"),
            worry=True,
        )  # fmt: skip


def _number(one: Looked, key: str) -> float:
    value = one.summary.get(key, one.one.point.conditions.get(key))
    try:
        return float(value) if value is not None else 0.0
    except (TypeError, ValueError):
        return 0.0


def _momentary(whole: Whole) -> Iterable[Finding]:
    """Hours as a gauge estimates them at one moment, against those from energy over the pass."""
    for one in whole.counted:
        said, draw = _number(one, "gauge_hours"), one.one.figures.value("draw_w")
        charge = one.one.figures.value("charge_start_share") or _number(one, "charge_share") / 100.0
        full = whole.rig.full_charge_wh if whole.rig is not None else None
        if said and draw and charge and full:
            real = charge * full / draw
            if abs(said / real - 1.0) > GAUGE_OFF:
                yield finding(
                    "gauge-estimate",
                    say("rule.gauge-estimate", said=Value(said, "h", digits=1), real=Value(real, "h", digits=1)),
                    About.PASS, one.one.id, step=advice("gauge-estimate"), worry=True,
                )  # fmt: skip


def _versions(whole: Whole) -> Iterable[Finding]:
    """What is installed behind what is offered."""
    for holder, key in ((whole.rig, "rig"), (whole.slot, "slot"), (whole.title, "title")):
        for version in holder.versions if holder is not None else ():
            if version.offered and version.installed and version.offered != version.installed:
                yield finding(
                    "version-behind",
                    say("rule.version-behind", what=version.what, has=version.installed, offered=version.offered),
                    About.SETTING, f"version:{key}/{version.what}", step=advice("version-behind"),
                )  # fmt: skip


def _imported(whole: Whole) -> Iterable[Finding]:
    """Levels with passes measured elsewhere beside the program's own."""
    kinds = {one.origin for one in whole.counted}
    if Origin.SUMMARY in kinds and len(kinds) > 1:
        many = sum(one.origin is Origin.SUMMARY for one in whole.counted)
        yield finding("mixed-origins", say("rule.mixed-origins", passes=many), About.RESPONSE, "", worry=False)


RULES = (
    Rule("scene-short", "passes under 30 s, or five time constants of the scene's load", _short),
    Rule("scene-light", "every level of a ladder of four or more waits for its cap", _light),
    Rule("scene-not-heaviest", "as noted of the title's scenes", _not_heaviest),
    Rule("inside-noise", "no two neighbours of four or more levels differ beyond their 95 % interval", _inside_noise),
    Rule("best-of", "imported with best_of over 1", _best_of),
    Rule("gauge-estimate", "a momentary estimate of hours 15 % or more off what charge and draw give", _momentary),
    Rule("version-behind", "installed and offered version as noted", _versions),
    Rule("mixed-origins", "summaries typed in beside passes with frames", _imported),
)
