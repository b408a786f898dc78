"""Bringing in passes measured elsewhere, for the window and the command line alike."""

from __future__ import annotations

import math
import time
import uuid
from collections.abc import Mapping

from ...core.errors import InputError, PlanError
from ...core.facts.allowed import refusals
from ...core.facts.condition import Condition, Conditions, Provenance
from ...core.facts.factor import LIMIT
from ...core.facts.knob import CAP, LIMITS, NO_CAP, Knob, Level, Order, named
from ...core.facts.known_knobs import KNOWN, known
from ...core.facts.rig import Rig
from ...core.facts.setup import Setup
from ...core.facts.title import Title
from ...core.passes.purpose import PLAY, SWEEP
from ...core.passes.record import Origin, PassRecord
from ...core.passes.trace import Trace
from ...core.questions.question import Question
from ...core.read.evening import LEAST_S
from ...store.files.read.frame_log import Imported
from ...store.notebook import Notebook
from ..judging import keep_judged
from ..points import Places
from ..run import context_of, counted_by, rig_of, title_of

# the first three are rates, one of which is needed
SUMMARY_KEYS = ("mean_fps", "min_fps", "score", "package_w", "battery_w", "wall_w", "input_w", "die_c", "shell_c")


# conditions that can only lie between
_POSSIBLE = {"room_c": (-60.0, 80.0), "brightness_percent": (0.0, 100.0), "brightness_share": (0.0, 1.0),
             "charge_start_share": (0.0, 1.0), "charge_end_share": (0.0, 1.0)}  # fmt: skip
EVENING_TIMES = 4.0  # longer than its scene, a log is no pass of it


def knobs_on_offer(notebook: Notebook, question: Question) -> dict[str, Knob]:
    """The knobs of the question's rig, slot and title by id, owners' included."""
    return named(Places(notebook).knobs(question))


def setup_from(values: Mapping[str, str], knobs: Mapping[str, Knob] | None = None) -> Setup:
    """A setup from words such as sustained_limit_w=15. Short and peak limits stay unknown unless given; limit_w is the
    static limit, all that the machine has. knobs : those on offer.

    Raises InputError naming every value that cannot be used.
    """
    wrong, found = [], {}
    own = knobs or {}
    ids = {one.id for one in KNOWN}
    for key, text in values.items():
        try:
            if key == LIMIT:
                level = _level(LIMITS[0], text, own)
                found.update({limit: level for limit in LIMITS if not own or limit in own})
            elif knobs is not None and key not in own and key not in ids:
                raise ValueError(f"{key} is no knob that is known here")
            else:
                found[key] = _level(key, text, own)
        except ValueError as fault:
            wrong.append(str(fault))
    if wrong:
        raise InputError("The setup cannot be used: " + "; ".join(wrong) + ".")
    return Setup(found)


def _level(key: str, text: str, knobs: Mapping[str, Knob]) -> Level:
    if key == CAP and text.strip().lower() == NO_CAP:
        return NO_CAP
    try:
        number = float(text)
    except ValueError:
        if (knobs.get(key) or known(key)).order is Order.NUMBER:
            raise ValueError(f"{key}={text} is not a number") from None
        return text
    if not 0 < number < 1e6 and key in (*LIMITS, CAP):
        raise ValueError(f"{key}={text} must be over 0")
    if not math.isfinite(number):
        raise ValueError(f"{key}={text} is no number that can be set")
    return number


def conditions_from(question: Question, values: Mapping[str, str]) -> Conditions:
    """Conditions that a person stated, the source from the question. Raises InputError."""
    now = time.time_ns()
    found: dict[str, Condition] = {"source": Condition(question.source.value, Provenance.ASKED, now)}
    for key, text in values.items():
        try:
            value: Level = float(text)
        except ValueError:
            value = text
        if isinstance(value, float) and not math.isfinite(value):
            raise InputError(f"The condition {key}={text} cannot be used: it is no number. Leave it out if unknown.")
        low, high = _POSSIBLE.get(key, (-math.inf, math.inf))
        if key in _POSSIBLE and not (isinstance(value, float) and low <= value <= high):
            raise InputError(f"The condition {key}={text} cannot be used: it lies from {low:g} to {high:g}.")
        found[key] = Condition(value, Provenance.ASKED, now)
    return found


def import_trace(
    notebook: Notebook, question: Question, imported: Imported, setup: Setup, conditions: Conditions
) -> PassRecord:
    """Store an imported pass beside the measured ones of the question. Raises PlanError, StoreError."""
    return keep(notebook, question, record_of(notebook, question, imported.trace, setup, conditions))


def refuse_outside(notebook: Notebook, question: Question, setup: Setup) -> None:
    """Raises PlanError where a setup lies outside what the question's rig can have: then it was not measured on it."""
    rig = rig_of(notebook, question.rig)
    wrong = refusals(Setup({key: value for key, value in setup.items() if _is_known(rig, key)}), rig)
    if wrong:
        raise PlanError(f"This was not measured on that rig. {' '.join(wrong[:3])}")


def _is_known(rig: Rig, key: str) -> bool:
    """Whether a rig's range of a knob is noted; of limits that are not, nothing can be said."""
    if key not in LIMITS:
        return True
    try:
        rig.range_of(key)
    except PlanError:
        return False
    return True


def record_of(notebook: Notebook, question: Question, trace: Trace, setup: Setup, conditions: Conditions) -> PassRecord:
    """An imported pass of the question, not yet stored. Raises PlanError."""
    refuse_outside(notebook, question, setup)
    told = {**counted_by(title_of(notebook, question.title), question), **conditions}
    return PassRecord(
        str(uuid.uuid4()), context_of(notebook, question), setup, Setup(), told, trace, origin=Origin.IMPORTED,
        started_ns=trace.start_ns, purpose=PLAY if is_evening(trace, title_of(notebook, question.title), question)
        else SWEEP,
    )  # fmt: skip


def is_evening(trace: Trace, title: Title | None, question: Question) -> bool:
    """Whether a log is one of free play: long, and far longer than the scene."""
    scene = next((one for one in title.scenes if one.key == question.scene), None) if title is not None else None
    length = scene.length_s if scene is not None else None
    return trace.seconds >= LEAST_S and trace.seconds > (EVENING_TIMES * length if length else 2.0 * LEAST_S)


def import_summary(
    notebook: Notebook, question: Question, summary: Mapping[str, float | str], setup: Setup, conditions: Conditions
) -> PassRecord:
    """Store a pass of which only summary figures are known. `summary` needs a figure and its "source".

    Raises InputError naming everything that is wrong with it.
    """
    wrong = [f"{k} is not a summary figure" for k in summary if k not in (*SUMMARY_KEYS, "source")]
    for key in SUMMARY_KEYS:
        value = summary.get(key)
        if value is not None and not (isinstance(value, int | float) and 0 < value < 1e7):
            wrong.append(f"{key}={value} must be over 0")
    if not any(key in summary for key in SUMMARY_KEYS[:3]):
        wrong.append("a mean_fps, min_fps or score is needed")
    if not str(summary.get("source", "")).strip():
        wrong.append("its source is needed, for example source=review")
    if wrong:
        raise InputError("The summary cannot be used: " + "; ".join(wrong) + ".")
    refuse_outside(notebook, question, setup)
    record = PassRecord(
        str(uuid.uuid4()), context_of(notebook, question), setup, Setup(), conditions, None,
        origin=Origin.SUMMARY, summary=dict(summary),
    )  # fmt: skip
    return keep(notebook, question, record)


def keep(notebook: Notebook, question: Question, record: PassRecord) -> PassRecord:
    """Store a pass and its verdict by the question's rig; the pass. Raises StoreError."""
    keep_judged(notebook, record, rig_of(notebook, question.rig))
    return record
