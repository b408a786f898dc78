"""What a report says: everything that another person needs to repeat a measurement and to check its answer."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from .. import __version__
from ..core import degrees, words
from ..core.errors import HovrikError
from ..core.facts.cautions import CAUTIONS
from ..core.facts.knob import inside
from ..core.facts.known_knobs import known
from ..core.facts.setup import describe
from ..core.finding import State
from ..core.keep.profile import Profile
from ..core.kinds.table import kind_asked
from ..core.passes.figure import BY_ID, floor_figure
from ..core.plan.designs import design_from
from ..core.plan.grid import LadderDesign
from ..core.plan.lengths import Lengths
from ..core.questions.question import Question
from ..core.read.group import Group
from ..core.read.response import Response
from ..core.stats.estimate import Mean
from ..store.files.write.picture import Picture, Series
from ..store.files.write.report import Part, Report
from ..store.notebook import Notebook
from ..store.sound import WRONG
from .applying import parts_of
from .gather import Evaluation, incidents_of
from .levels import level_rows
from .points import Places
from .profiles import names_of
from .spoiled import lines_of

MOST_FINDINGS, MOST_RESPONSES = 20, 4
UNSAID = frozenset({"round", "counts", "planned_s", "soak_s"})


def report_of(notebook: Notebook, evaluation: Evaluation, at_ns: int) -> Report:
    """The report on what a question's passes say. at_ns : when it is made (UTC)."""
    question, names = evaluation.question, names_of(notebook, evaluation.question)
    answer = evaluation.answer
    when = f"{datetime.fromtimestamp(at_ns / 1e9, UTC):%Y-%m-%d %H:%M} UTC"
    place = f"{names['title']}, {names['scene']}, on {names['rig']} under {names['slot']}, on {question.source.value}."
    sure = f" That it holds: {words.percent(answer.holds)}." if answer.holds is not None else ""
    shown = evaluation.responses[:MOST_RESPONSES]
    parts = (
        Part("What of the notebook cannot be read", lines_of(evaluation.spoiled)),
        Part("Why", answer.reasons),
        Part("What is missing", answer.missing),
        Part("How it was measured", (*_method(notebook, evaluation), *_counts(evaluation))),
        Part("Conditions", (), ("What", "Value"), tuple(_conditions(evaluation))),
        *(_figures(one, evaluation) for one in shown),
        Part("Levels that did not count", (), ("Level", "OS slot", "Left out"), _left_out(evaluation)),
        Part("In pictures", pictures=tuple(one for each in shown for one in _pictures(each, question))),
        Part("What else the passes say", tuple(_findings(evaluation))),
        Part("Incidents", tuple(_incidents(notebook, question))),
        Part("Versions", (), ("What", "Installed"), tuple(_versions(evaluation))),
        Part("Cautions", CAUTIONS),
        Part("How to repeat it", (
            "Set each setup of the tables in random order, let it soak as long as it says, log frame times and power, "
            "and compare passes that agree in every condition above.",
            f"Made {when} with Hovrik {__version__}, from the notebook {notebook.path.name}. Intervals are of 95 %.",
        )),
    )  # fmt: skip
    return Report(f"{names['title']}: {_asked(question)}", place, _question_words(question), answer.sentence + sure,
                  parts)  # fmt: skip


def card_of(profile: Profile) -> Report:
    """A profile on one page: what to set, in which order, what it gives."""
    steps = tuple(f"{at}. {describe(part)}" for at, part in enumerate(parts_of(profile), 1))
    rows = []
    for key, one in sorted(profile.metrics.items()):
        label = "Hours on a charge" if key == "hours" else BY_ID[key].label if key in BY_ID else None
        if label is not None:
            rows.append((label, words.hours_span(one) if key == "hours" else f"{words.span(one)} {one.unit}".strip()))
    conditions = tuple((inside(known(key).label), str(value)) for key, value in profile.conditions.items())
    where = [profile.named(kind) for kind in ("title", "scene", "rig", "slot")]
    return Report(
        describe(profile.setup), f"{where[0]}, {where[1]}, on {where[2]} under {where[3]}, on {profile.source.value}.",
        f"To hold {profile.target_fps:g} frames; {profile.state}.", profile.sentence,
        (
            Part("Set, in this order", steps), Part("What it gives", (), ("Figure", "95 % interval"), tuple(rows)),
            Part("Where that is so", (), ("What", "Value"), conditions), Part("Cautions", CAUTIONS),
        ),
    )  # fmt: skip


def _asked(question: Question) -> str:
    return kind_asked(question).words if question.is_known else question.kind


def _question_words(question: Question) -> str:
    terms = question.terms
    said = [f"Asked: {_asked(question)}"]
    if terms.floor is not None and (kind_asked(question).asks_floor):
        figure = floor_figure(terms.floor.figure, terms.school)
        of = f" of the {inside(figure.label)}" if figure is not None else ""
        said.append(f"{terms.floor.value:g}{of}, {100 * terms.floor.tolerance:g} % under it still holds")
    for limit in terms.limits:
        bound, side = (limit.at_most, "at most") if limit.at_most is not None else (limit.at_least, "at least")
        label = inside(BY_ID[limit.figure].label) if limit.figure in BY_ID else limit.figure
        said.append(f"{label} {side} {bound:g}")
    return f"{'; '.join(said)}. Stated from {words.percent(terms.sure)}."


def _method(notebook: Notebook, evaluation: Evaluation) -> list[str]:
    """A line for each plan that passes came from."""
    plans = Counter(view.record.plan_id for view in evaluation.views if view.counts and view.record.plan_id)
    said = []
    for plan_id, count in plans.most_common(6):
        try:
            design = design_from(notebook.plan(plan_id))
        except (HovrikError, *WRONG):
            continue
        like = design.lengths if isinstance(design, LadderDesign) else getattr(design, "like", None)
        many = words.plural(count, "pass", "passes")
        if isinstance(like, Lengths):
            said.append(
                f"{many} of {like.pass_s:.0f} s after {like.soak_s:.0f} s in the scene at the setup, "
                f"{like.cool_s:.0f} s of rest between them, in an order drawn with the seed {like.seed}."
            )
    others = sum(1 for view in evaluation.views if view.counts and not view.record.plan_id)
    return [*said, *([f"{words.plural(others, 'pass', 'passes')} from elsewhere."] if others else [])]


def _counts(evaluation: Evaluation) -> list[str]:
    states = Counter(view.verdict.state for view in evaluation.views if not view.deleted)
    return [
        f"{words.plural(states[State.VALID], 'pass is', 'passes are')} valid, {states[State.SUSPECT]} suspect, "
        f"{states[State.VOID]} void."
    ]


def _conditions(evaluation: Evaluation) -> list[tuple[str, str]]:
    """What was the same in all passes, and the range of what was not."""
    found: dict[str, list[Any]] = {}
    for view in (one for one in evaluation.views if one.counts):
        for key, value in view.point.conditions.items():
            found.setdefault(key, []).append(value)
    rows = []
    for key, values in sorted(found.items()):
        numbers = [float(v) for v in values if isinstance(v, int | float) and not isinstance(v, bool)]
        label = known(key).label if key not in BY_ID else BY_ID[key].label
        if key in UNSAID:
            continue
        if numbers and len(numbers) == len(values):
            low, high = min(numbers), max(numbers)
            if key.endswith("_c"):
                low, high = degrees.shown(low), degrees.shown(high)
            span = f"{low:.3g}" if math.isclose(low, high, rel_tol=1e-3) else f"{low:.3g} to {high:.3g}"
            unit = f" {degrees.unit()}" if key.endswith("_c") else ""
            if key.endswith("_share") or key == "charge":
                span, unit = f"{100 * low:.0f} to {100 * high:.0f}", " %"
            rows.append((label.removesuffix(" c").removesuffix(" share"), f"{span}{unit}"))
        else:
            rows.append((label, ", ".join(dict.fromkeys(map(str, values)))[:200]))
    return rows


def _versions(evaluation: Evaluation) -> list[tuple[str, str]]:
    found: dict[str, set[str]] = {}
    for view in (one for one in evaluation.views if one.counts):
        for what, version in view.point.versions.items():
            if version:
                found.setdefault(what, set()).add(version)
    return [(what.replace("/", ", "), ", ".join(sorted(versions))) for what, versions in sorted(found.items())]


def _figures(response: Response, evaluation: Evaluation) -> Part:
    question = evaluation.question
    judged = response.figure.label if response.figure is not None else "Judged"
    headings = (response.factor.label, "Passes", "Mean rate, fps", f"{judged}, fps", "Package, W", "Draw, W",
                f"Die, settled {degrees.unit()}", "Holds")  # fmt: skip
    rows = []
    for group in response.groups:
        holds = words.percent(group.holds) if group.holds is not None else "–"
        shown = (_span(group.rate), _span(group.judged), _span(group.package), _span(group.draw))
        die = group.mean("die_c")
        heat = words.span(die.estimate("C").through(degrees.shown)) if die is not None else "–"
        rows.append((response.factor.words(group.level), str(len(group.passes)), *shown, heat, holds))
    beside = f" [{', '.join(response.apart)}]" if response.apart else ""
    shared = describe(response.family) if response.family else "as it was"
    floor = question.terms.floor
    lines = (f"Shared by all: {shared}{beside}.",) if floor is None else (
        f"Shared by all: {shared}{beside}. Holds: chance that {floor.value:g} is held.",
    )  # fmt: skip
    return Part(f"Along {inside(response.factor.label)}", lines, headings, tuple(rows))


def _left_out(evaluation: Evaluation) -> tuple[tuple[str, str, str], ...]:
    return tuple((row.words, row.slot, row.out_words) for row in level_rows(evaluation) if row.out)


def _span(mean: Mean | None) -> str:
    return words.span(mean.estimate()) if mean is not None else "–"


def _pictures(response: Response, question: Question) -> list[Picture]:
    if len(response.groups) < 2:
        return []
    x_words = f"{response.factor.label}{f', {response.factor.unit}' if response.factor.unit else ''}"
    places = response.places.tolist()
    floor = question.terms.floor
    line = (floor.value, f"floor {floor.value:g}") if floor is not None and floor.is_of_frames else None
    rates = tuple(
        one for name, of in (("mean rate", lambda g: g.rate), ("1 % low", lambda g: g.judged))
        if (one := _series(name, response.groups, places, of)).x
    )  # fmt: skip
    draws = tuple(
        one for name, of in (("draw", lambda g: g.draw), ("package", lambda g: g.package))
        if (one := _series(name, response.groups, places, of)).x
    )  # fmt: skip
    found = []
    if rates:
        found.append(Picture("Frames, with 95 % intervals", x_words, "frames a second", rates, line))
    if draws:
        found.append(Picture("Watts, with 95 % intervals", x_words, "W", draws))
    return found


def _series(name: str, groups: Sequence[Group], places: Sequence[float], of: Any) -> Series:
    rows = [(x, mean.estimate()) for x, group in zip(places, groups) if (mean := of(group)) is not None]
    return Series(name, [x for x, _ in rows], [e.value for _, e in rows], [e.low for _, e in rows],
                  [e.high for _, e in rows])  # fmt: skip


def _findings(evaluation: Evaluation) -> list[str]:
    said = [words.sentence(one.evidence) for one in evaluation.findings]
    said += [words.sentence(one.evidence) for response in evaluation.responses for one in response.findings]
    return list(dict.fromkeys(said))[:MOST_FINDINGS]


def _incidents(notebook: Notebook, question: Question) -> list[str]:
    return [
        f"{one.kind.value} at {describe(one.setup)}{f' while {one.phase}' if one.phase else ''}"
        f"{f': {one.note}' if one.note else ''}"
        for one in incidents_of(notebook, Places(notebook), question)
    ]  # fmt: skip
