"""The ledger of answers: what a notebook's questions were answered with, kept so that a change can be explained."""

from __future__ import annotations

import contextlib
import hashlib
import json
import time
from dataclasses import replace
from datetime import UTC, datetime

from ..core.errors import StoreError
from ..core.keep.statement import SHORT, Evidence, Statement, difference, noted
from ..core.questions.question import Question
from ..store.notebook import Notebook
from ..store.sound import WRONG
from .gather import Evaluation

RECENT_NS = 24 * 3600 * 10**9  # how long a change is told beside the answer; the logbook keeps it
MOST = 12  # statements a question that are kept


def told(notebook: Notebook, evaluation: Evaluation, *, keep: bool = True) -> Evaluation:
    """The evaluation with what is other than was said before. A stated answer is kept where the notebook can be
    written; one that is read along something else, or of a section, is not the answer of the question. keep : not
    while a run goes on, whose every pass says something else."""
    question, answer = evaluation.question, evaluation.answer
    if evaluation.within or evaluation.unchecked or not evaluation.context.counted or not question.is_known:
        return evaluation
    before = statements(notebook, question)
    if answer.option is None and answer.lacks:
        return evaluation
    setup = answer.option.setup.as_dict() if answer.option is not None else None
    now = Statement(time.time_ns(), answer.says, setup, _evidence(notebook, evaluation))
    after = noted(before, now, MOST)
    if keep and after != before and not notebook.read_only:
        body = {"question": question.as_dict(), "statements": [one.as_dict() for one in after]}
        with contextlib.suppress(StoreError):  # a full disk: the answer is still one
            notebook.set_state(key_of(question), body)
    is_new = time.time_ns() - after[-1].at_ns < RECENT_NS
    return replace(evaluation, since=difference(after, dated) if is_new else None)


def dated(at_ns: int) -> str:
    """A time in words, to the minute."""
    return f"{datetime.fromtimestamp(at_ns / 1e9, UTC):%Y-%m-%d %H:%M} UTC"


def statements(notebook: Notebook, question: Question) -> tuple[Statement, ...]:
    """What was stated of a question, oldest first; nothing where that cannot be read."""
    return _read(notebook.get_state(key_of(question)))


def every(notebook: Notebook) -> list[tuple[Question, tuple[Statement, ...]]]:
    """Every question that was answered, with its statements."""
    from .remembered import question_of

    found = []
    for body in notebook.states("answers"):
        try:
            found.append((question_of(body["question"]), _read(body)))
        except WRONG:
            continue
    return found


def _read(body: object) -> tuple[Statement, ...]:
    try:
        rows = body["statements"] if isinstance(body, dict) else ()
        return tuple(Statement.from_dict(one) for one in rows)
    except WRONG:
        return ()


def _evidence(notebook: Notebook, evaluation: Evaluation) -> Evidence:
    revisions = notebook.annotation_counts()
    views = [view for view in evaluation.views if not view.beside]
    newest = {kind: notebook.newest_of(kind, key) for kind, key in evaluation.question.keys.items()}
    return Evidence(
        frozenset(view.record.id[:SHORT] for view in views if view.counts_for(evaluation.question)),
        sum(revisions.get(view.record.id, 0) for view in views),
        {kind: _digest(one.body)[:SHORT] for kind, one in newest.items() if one is not None},
        sum(view.beside and view.is_good for view in evaluation.views),
        sum(group.incidents for one in evaluation.responses for group in one.groups),
    )


def key_of(question: Question) -> str:
    """Where the answers of a question are remembered."""
    return f"answers/{_digest(question.as_dict())}"


def _digest(body: object) -> str:
    words = json.dumps(body, sort_keys=True, default=str)
    return hashlib.blake2s(words.encode(), digest_size=12).hexdigest()
