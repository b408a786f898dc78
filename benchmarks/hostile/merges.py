"""Another notebook's rows: what is spoiled there comes in spoiled or not at all, and a merge ends."""

from __future__ import annotations

import shutil
import time

from hovrik.core.errors import HovrikError
from hovrik.demo import scenario
from hovrik.service.gather import evaluate
from hovrik.store.merge import Other, merge, met
from hovrik.store.notebook import Notebook

from .crafted import _base, crafted, still_row, within


def _pair(folder, statements, table=""):
    """An empty notebook with the same machines by words alone, and a spoiled one."""
    own, other = folder / "own.hovrik", folder / "other.hovrik"
    shutil.copy(_base(), other)
    crafted(other, statements, table)
    with Notebook(own) as notebook:
        scenario.prepare(notebook)
    return own, other


def _taken(own, other, joined=True):
    with Notebook(own) as mine, Other(other) as theirs:
        how = {(one.kind, one.key): one.key for one in met(mine, theirs.notebook)} if joined else {}
        return merge(mine, theirs.notebook, how)


def changed_watts(folder):
    """17.0 W that were made 27.0 by something else do not come in as sound."""
    own, other = _pair(
        folder, ["UPDATE pass SET asked = replace(asked, '9.0', '9.5'), read = replace(read, '9.0', '9.5')"]
    )
    found = _taken(own, other, joined=False)
    with Notebook(own) as mine:
        passes = mine.passes()
        assert not any(9.5 in dict(one.asked).values() for one in passes), "they came in as sound"
        assert found.left_out, "without a word"


def _spoiled(statement, what):
    def attack(folder):
        own, other = _pair(folder, [statement])
        try:
            found = _taken(own, other, joined=False)
        except HovrikError as fault:
            assert other.name in str(fault) or "other" in str(fault), f"it blames {fault}"
            return
        assert found.left_out and any(what in one for one in found.left_out), found.left_out[:2]
        with Notebook(own) as mine:
            evaluate(mine, scenario.question())

    return attack


def spoiled_rig_lends_no_name(folder):
    own, other = _pair(folder, ["UPDATE entity SET body = replace(body, 'Ombrel', 'Omxrel') WHERE kind = 'rig'"])
    with Notebook(own) as mine, Other(other) as theirs:
        names = [one.name for one in met(mine, theirs.notebook)]
        assert not any("Omxrel" in name for name in names), names


def cancelled(folder):
    """A merge can be ended within a table, and then nothing came."""
    own, other = _pair(folder, [])
    with Notebook(own) as mine, Other(other) as theirs:
        asked = []

        def wanted(done, total):
            asked.append((done, total))
            return len(asked) < 20

        try:
            merge(mine, theirs.notebook, {}, wanted)
        except HovrikError:
            assert not mine.passes()
            return
    raise AssertionError(f"asked {len(asked)} times only")


def bounded(folder):
    """Millions of rows are refused before they are read."""

    def many(raw):
        raw.execute(
            "INSERT INTO span (id, recording_id, kind, name, start_ns, end_ns, noted_at) "
            "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 2500000) "
            "SELECT 's' || i, (SELECT id FROM recording LIMIT 1), 'x', 'y', 1, 2, 3 FROM n"
        )

    own, other = _pair(folder, [many])
    with within(40):
        try:
            _taken(own, other)
        except HovrikError as fault:
            assert "rows" in str(fault), fault
            return
    raise AssertionError("all of it came in")


def stopped_while_copying(folder):
    """A huge notebook does not hold whoever opened it: the copy can be ended too."""
    _own, other = _pair(
        folder,
        [still_row("zeroblob(400000000)")],
    )
    began = time.monotonic()
    try:
        with Other(other, lambda: time.monotonic() - began < 0.05):
            pass
    except HovrikError as fault:
        assert "stopped" in str(fault), fault
        return
    raise AssertionError("it went on")


def into_itself(folder):
    own, _ = _pair(folder, [])
    with Notebook(own) as mine:
        before = len(mine.passes())
        try:
            with Other(own) as theirs:
                merge(mine, theirs.notebook, {})
        except HovrikError:
            pass
        assert len(mine.passes()) == before


ROWS = [
    ("watts that were changed", changed_watts),
    ("a spoiled rig", spoiled_rig_lends_no_name),
    ("cancelled", cancelled),
    ("millions of rows", bounded),
    ("stopped while it copies", stopped_while_copying),
    ("into itself", into_itself),
    ("a changed plan", _spoiled("UPDATE plan SET body = replace(body, '22.0', '32.0')", "plan")),
    ("a changed step", _spoiled("UPDATE step SET body = replace(body, '9.0', '9.5')", "step")),
    ("a changed batch", _spoiled("UPDATE batch SET why = 'because'", "batch")),
    ("a changed recording", _spoiled("UPDATE recording SET end_ns = end_ns + 1000000000", "recording")),
    ("a changed clock", _spoiled("UPDATE clock SET data = zeroblob(length(data))", "recording")),
    (
        "a changed series",
        _spoiled("UPDATE series SET data = zeroblob(length(data)) WHERE data IS NOT NULL", "recording"),
    ),
    (
        "a changed title",
        _spoiled("UPDATE entity SET body = replace(body, 'causeway', 'causewax') WHERE kind = 'title'", "entity"),
    ),
    ("a key changed", _spoiled("UPDATE pass SET rig_key = 'teasel-11'", "pass")),
    ("a source changed", _spoiled("UPDATE pass SET source = 'adapter'", "pass")),
]
