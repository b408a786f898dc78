"""The notebook: what is kept comes back, nothing measured can be changed, faults are told apart."""

import os
import resource
import sqlite3
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from helpers.build import left, record_of, trace_of, wandering

from hovrik.core.errors import Damaged, StoreError, TooNew
from hovrik.core.facts.condition import Condition, Provenance
from hovrik.core.facts.incident import IncidentKind
from hovrik.core.facts.setup import Reading, Setup, Snapshot
from hovrik.core.passes.purpose import purpose
from hovrik.core.passes.record import Origin
from hovrik.core.passes.recording import Recording, Span
from hovrik.core.plan.steps import Batch, Wanted, laid_out, passes_in
from hovrik.store import database, sealed
from hovrik.store.database import APPLICATION_ID, migrations
from hovrik.store.notebook import Notebook, default_path
from hovrik.store.packing import pack_stamps, pack_values, unpack_stamps, unpack_values

MACHINE = {"kind": "simulated", "state": "s"}
SNAPSHOT = Snapshot({"sustained_limit_w": Reading(15.0, True)}, 1)


@pytest.fixture
def notebook(tmp_path):
    with Notebook(tmp_path / "n.hovrik") as opened:
        yield opened


def context(notebook):
    """Ids of a rig, slot, title and scene."""
    return {kind: notebook.note(kind, kind, {"key": kind, "name": kind}) for kind in ("rig", "slot", "title", "scene")}


def kept(notebook, **changes):
    """A stored pass."""
    trace = trace_of(wandering(5), package_w=12.0, die_c=np.nan)
    record = record_of(trace, **{"context": context(notebook), "id": "one", **changes})
    notebook.keep(record)
    return record


def same(a, b):
    """Whether two traces hold the same numbers."""
    assert np.array_equal(a.frames_ns, b.frames_ns) and a.frames_ns.dtype == b.frames_ns.dtype
    assert set(a.channels) == set(b.channels)
    for name, channel in a.channels.items():
        assert np.array_equal(channel.stamps_ns, b.channels[name].stamps_ns)
        assert np.array_equal(channel.values, b.channels[name].values, equal_nan=True)
    assert (a.start_ns, a.end_ns) == (b.start_ns, b.end_ns)


def test_a_pass_comes_back_as_it_was(notebook):
    conditions = {"room_c": Condition(22.5, Provenance.ASKED, 9), "fan": Condition("even", Provenance.ASSUMED)}
    record = kept(notebook, conditions=conditions, read=Setup(refresh_hz=60), plan_index=4, origin=Origin.IMPORTED)
    with Notebook(notebook.path, read_only=True) as other:
        found = other.load("one")
    same(found.trace, record.trace)
    for field in ("id", "context", "asked", "read", "conditions", "origin", "outcome", "plan_index", "started_ns"):
        assert getattr(found, field) == getattr(record, field), field
    assert notebook.passes()[0].trace is None and notebook.has_passes()


def test_series_share_their_stamps(notebook):
    kept(notebook)
    counts = notebook.read_rows("SELECT count FROM clock ORDER BY seq")
    assert (
        len(counts) == 2 and len(notebook.read_rows("SELECT 1 FROM series")) == 3
    )  # frames; two channels on one clock


@pytest.mark.parametrize("count", [0, 1, 2])
def test_series_of_hardly_any_samples_come_back(count):
    stamps, values = np.arange(count, dtype=np.int64) + 7, np.linspace(60.5, 61.0, count)
    assert unpack_stamps(pack_stamps(stamps)).tolist() == stamps.tolist()
    assert unpack_values(pack_values(values)).tolist() == values.tolist()


@pytest.mark.parametrize("table", ["clock", "series"])
def test_a_flipped_bit_is_found_and_named(notebook, table):
    kept(notebook)
    notebook.close()
    with sqlite3.connect(notebook.path) as raw:
        raw.execute(f"DROP TRIGGER {table}_no_update")
        ((seq, data),) = raw.execute(f"SELECT seq, data FROM {table} WHERE data IS NOT NULL LIMIT 1").fetchall()
        spoiled = bytearray(data)
        spoiled[len(data) // 2] ^= 4
        raw.execute(f"UPDATE {table} SET data = ? WHERE seq = ?", (bytes(spoiled), seq))
    with Notebook(notebook.path) as again:
        found = again.load("one")
        assert found.trace is None and "are damaged" in found.damage
        with pytest.raises(Damaged, match="Restore a copy"):
            again.recording("one")


def test_passes_are_spans_of_one_recording(notebook):
    whole = trace_of(wandering(20), package_w=12.0)
    recording = Recording("evening", whole, ((5, Setup(boost="on")),), launch="first", boot="b")
    for number, (start, end) in enumerate(((0, 5), (6, 12), (12, 20))):
        within = (start * 10**9, end * 10**9)
        record = record_of(recording.cut(*within), context=context(notebook), id=str(number))
        notebook.keep(replace(record, recording=recording, within=within))
    notebook.keep_spans("evening", [Span("state", "on", 0, 9), Span("state", "off", 9, 20)])
    assert notebook.read_rows("SELECT count(*) FROM series")[0][0] == 2
    same(notebook.load("1").trace, recording.cut(6 * 10**9, 12 * 10**9))
    assert np.shares_memory(recording.cut(0, 10**9).frames_ns, whole.frames_ns)
    found = notebook.recording("evening")
    same(found.series, whole)
    assert (found.readback, found.launch, found.boot) == (recording.readback, "first", "b")
    assert [span.name for span in notebook.spans("evening")] == ["on", "off"]


def test_header_pragmas_and_checks(notebook):
    assert notebook.read_rows("PRAGMA application_id")[0][0] == APPLICATION_ID
    assert notebook.read_rows("PRAGMA user_version")[0][0] == migrations()[-1][0]
    assert notebook.read_rows("PRAGMA journal_mode")[0][0] == "wal"
    assert notebook.read_rows("PRAGMA foreign_keys")[0][0] == 1
    assert [number for number, _ in migrations()] == list(range(1, len(migrations()) + 1))


@pytest.mark.parametrize("table", ["pass", "recording", "clock", "series", "entity", "annotation"])
@pytest.mark.parametrize("statement", ["UPDATE {} SET rowid = 99", "DELETE FROM {}"])
def test_what_was_measured_cannot_be_changed(notebook, table, statement):
    kept(notebook)
    notebook.annotate("one", "verdict", {})
    with pytest.raises(StoreError, match=r"append-only|immutable"), notebook.writing() as connection:
        connection.execute(statement.format(table))


def test_a_pass_must_point_at_versions_that_exist(notebook):
    record = record_of(trace_of([20.0, 20.0]), context=dict.fromkeys(("rig", "slot", "title", "scene"), "none"))
    with pytest.raises(StoreError, match="FOREIGN KEY"):
        notebook.keep(record)
    assert notebook.passes() == [] and notebook.read_rows("SELECT count(*) FROM recording")[0][0] == 0


def test_versions_are_new_rows_only_where_something_changed(notebook):
    first = notebook.note("rig", "r", {"key": "r", "name": "R", "firmware": "0"})
    assert (
        notebook.note("rig", "r", {"key": "r", "name": "R", "firmware": "1"}) == first
    )  # nothing was made under it yet
    others = {kind: notebook.note(kind, kind, {"key": kind, "name": kind}) for kind in ("slot", "title", "scene")}
    notebook.keep(record_of(None, context={"rig": first, **others}))
    assert notebook.note("rig", "r", {"firmware": "1", "name": "R", "key": "r"}) == first
    second = notebook.note("rig", "r", {"key": "r", "name": "R", "firmware": "2"})
    assert second != first and notebook.newest("rig")["r"].id == second
    assert [e.body["firmware"] for e in notebook.entities("rig")] == ["1", "2"] and notebook.history(
        "rig", "r*"
    ) == notebook.entities("rig")


def test_annotations_are_undone_and_redone_by_rows(notebook):
    kept(notebook)
    uid = notebook.annotate("one", "deletion", {})
    undo = notebook.undo_annotation("one", uid)
    assert notebook.annotations() == {}
    redo = notebook.undo_annotation("one", undo)
    assert [a.uid for a in notebook.annotations("one")["one"]] == [uid]
    notebook.undo_annotation("one", redo)
    assert notebook.annotations() == {}
    assert notebook.read_rows("SELECT count(*) FROM annotation")[0][0] == 4


def test_marks_move_and_raw_data_stay(notebook):
    record = kept(notebook)
    uid = notebook.annotate("one", "mark", {"start_ns": 1_000_000_000, "end_ns": 3_000_000_000})
    moved = notebook.load("one").trace
    assert (moved.start_ns, moved.end_ns) == (1_000_000_000, 3_000_000_000)
    assert np.array_equal(moved.frames_ns, record.trace.frames_ns)
    notebook.undo_annotation("one", uid)
    same(notebook.load("one").trace, record.trace)


def test_cache_belongs_to_algorithm_version_and_revision(notebook):
    kept(notebook)
    notebook.cache("a", 1, {"one": {"x": 1}})
    assert notebook.cached("a", 1) == {"one": {"x": 1}} and notebook.cached("a", 2) == {} == notebook.cached("b", 1)
    notebook.annotate("one", "verdict", {})  # does not change figures
    assert notebook.cached("a", 1)
    notebook.annotate("one", "mark", {"start_ns": 0, "end_ns": 9})
    assert notebook.cached("a", 1) == {}


def test_journal_keeps_the_oldest_snapshot_of_a_machine(notebook):
    plan, other = notebook.keep_plan({"n": 1}), notebook.keep_plan({"n": 2})
    found = left(SNAPSHOT)
    run = notebook.begin_run(plan, MACHINE, found)
    notebook.run_at(run, 3)
    (open_,) = notebook.open_runs()
    assert notebook.begin_run(plan, MACHINE, open_.left, open_) == run
    taken_over = notebook.begin_run(other, MACHINE, open_.left, open_)
    (entry,) = notebook.open_runs()
    assert entry.id == taken_over and entry.snapshot == SNAPSHOT and entry.plan_id == other and entry.left == found
    notebook.run_touches(taken_over, entry.left.touching("sedge", ["boost"]))
    assert notebook.open_runs()[0].left.touched["sedge"] >= {"boost"}
    later = Snapshot({"sustained_limit_w": Reading(4.0, True)}, 2)
    assert notebook.begin_run(plan, {"kind": "another"}, left(later)) and len(notebook.open_runs()) == 2
    for one in notebook.open_runs():
        notebook.end_run(one.id)
    assert notebook.open_runs() == []


def test_plan_that_is_not_there(notebook):
    with pytest.raises(StoreError, match=r"is not in n\.hovrik"):
        notebook.plan("none")
    with pytest.raises(StoreError, match=r"is not in n\.hovrik"):
        notebook.load("none")


def test_profiles_replace_and_come_back(notebook):
    keys = ("r", "s", "t", "battery")
    first = notebook.keep_profile(keys, {"n": 1})
    second = notebook.keep_profile(keys, {"n": 2})
    notebook.keep_profile(("r", "s", "t", "adapter"), {"n": 3})
    assert {b["n"] for _, b in notebook.profiles()} == {2, 3}
    notebook.remove_profile(second)
    notebook.remove_profile(first, removed=False)
    assert {b["n"] for _, b in notebook.profiles()} == {1, 3}


def test_done_steps_leave_out_what_was_taken_out(notebook):
    plan = notebook.keep_plan({})
    for n in range(3):
        kept(notebook, id=str(n), plan_id=plan, plan_index=n, step_id=f"step {n}")
    notebook.annotate("1", "deletion", {})
    assert notebook.done_steps(plan) == {"step 0", "step 2"}


def test_the_newest_version_is_the_last_one_noted_whatever_the_clock_says(notebook, monkeypatch):
    first = context(notebook)
    kept(notebook, context=first)
    monkeypatch.setattr(time, "time_ns", lambda: 1)
    later = notebook.note("rig", "rig", {"key": "rig", "name": "later"})
    assert notebook.newest_of("rig", "rig").id == later == notebook.newest("rig")["rig"].id != first["rig"]


def test_findings_are_dismissed_and_come_back(notebook):
    both = {"one-slot/slot/moss": "known", "dent/group/13": "a preset"}
    for wanted in (both, {"dent/group/13": "a preset"}, {"dent/group/13": "another reason"}, both, {}):
        notebook.put_aside(wanted)
        assert notebook.aside() == wanted


def test_kinds_of_a_newer_version_are_kept(notebook):
    record = kept(notebook, purpose="marathon")
    with notebook.writing() as connection:
        row = {"id": "i", "kind": "melted", **record.context, "setup": "{}", "body": "{}", "noted_at": 1}
        sealed.insert(connection, "incident", row)
    assert notebook.passes()[0].purpose == "marathon" and not purpose("marathon").counts
    assert [one.kind for one in notebook.incidents()] == [IncidentKind.OTHER]


def test_steps_are_edited_until_they_are_begun(notebook):
    wanted = [Wanted(Setup(cap_fps=cap), 20.0, 1.0, 2.0, 3.0) for cap in (30.0, 40.0, 60.0)]
    plan = notebook.keep_plan({}, Batch(0, laid_out(wanted)))
    run = notebook.begin_run(plan, MACHINE, left(SNAPSHOT))
    first, second, third = passes_in(notebook.batches(plan)[0].steps)
    notebook.run_at(run, 0, [step.id for step in first.steps])
    added = [replace(step, id="", seq=12 + step.seq) for step in first.steps]
    notebook.edit_steps(plan, 0, [*first.steps, *third.steps, *added])
    found = passes_in(notebook.batches(plan)[0].steps)
    assert [one.setup["cap_fps"] for one in found] == [30.0, 60.0, 30.0] and second.step_id not in {
        one.step_id for one in found
    }
    with pytest.raises(StoreError, match="is begun"):
        notebook.edit_steps(plan, 0, third.steps)
    with pytest.raises(StoreError, match="append-only"), notebook.writing() as connection:
        connection.execute("DELETE FROM step WHERE id = ?", (first.step_id,))
    assert len(notebook.batches(plan)[0].steps) == 12


def test_second_instance_reads_only_and_says_so(notebook):
    kept(notebook)
    with Notebook(notebook.path) as other:
        assert other.read_only and "Another Hovrik window" in other.why_read_only
        assert len(other.passes()) == 1
        with pytest.raises(StoreError, match="reading only"):
            other.annotate("one", "deletion", {})
        other.set_state("stage", "Read")  # silently not
        other.cache("a", 1, {"one": {}})
    assert notebook.get_state("stage") is None
    notebook.close()
    with Notebook(notebook.path) as third:
        assert not third.read_only


@pytest.mark.parametrize("replaced", [False, True])
def test_a_notebook_that_is_gone_or_replaced_is_noticed_at_the_next_write(notebook, replaced):
    kept(notebook)
    notebook.path.rename(notebook.path.with_name("elsewhere.hovrik"))
    if replaced:
        notebook.path.write_bytes(b"")
    with pytest.raises(StoreError, match="was moved, deleted or replaced"):
        notebook.annotate("one", "deletion", {})
    notebook.path.unlink(missing_ok=True)
    notebook.path.with_name("elsewhere.hovrik").rename(notebook.path)
    notebook.annotate("one", "deletion", {})
    assert notebook.taken_out() == {"one"}


def test_a_log_that_cannot_be_read_is_not_ignored(notebook, monkeypatch):
    """For root every folder can be written, so SQLite's answer to one that cannot is given here."""
    kept(notebook)
    assert notebook.path.with_name("n.hovrik-wal").stat().st_size > 0
    honest = sqlite3.connect

    class Refused(sqlite3.Connection):
        def execute(self, *_):
            raise sqlite3.OperationalError("unable to open database file")

    monkeypatch.setattr(database.sqlite3, "connect", lambda address, **more: honest(
        address, factory=Refused if "mode=ro" in str(address) else sqlite3.Connection, **more))  # fmt: skip
    with pytest.raises(StoreError, match="not in it yet"):
        Notebook(notebook.path, read_only=True)


def test_one_writer_by_whatever_link(notebook):
    link = notebook.path.with_name("link.hovrik")
    link.symlink_to(notebook.path)
    with Notebook(link) as other:
        assert other.read_only


def test_a_file_with_two_names_is_read_only_and_says_so(notebook):
    notebook.close()
    second = notebook.path.with_name("second.hovrik")
    second.hardlink_to(notebook.path)
    for path in (second, notebook.path):
        with Notebook(path) as other:
            assert other.read_only and "second name" in other.why_read_only
    second.unlink()
    with Notebook(notebook.path) as other:
        assert not other.read_only


def test_sibling_writes_beside_its_notebook(notebook):
    with notebook.sibling() as other:
        assert not other.read_only
        kept(other)
    assert len(notebook.passes()) == 1
    with Notebook(notebook.path) as third:  # the sibling's end did not let go of the lock
        assert third.read_only


def test_a_folder_that_cannot_be_written(tmp_path):
    path = tmp_path / "n.hovrik"
    Notebook(path).close()
    with pytest.raises(StoreError, match="cannot be made"):
        Notebook(path / "below" / "x.hovrik")


@pytest.mark.parametrize(
    ("content", "error"), [(b"not a database at all, but long enough to look at" * 90, Damaged), (b"", None)]
)
def test_files_that_are_not_notebooks(tmp_path, content, error):
    path = tmp_path / "n.hovrik"
    path.write_bytes(content)
    if error is None:  # an empty file is an empty notebook
        Notebook(path).close()
        return
    with pytest.raises(error, match="Nothing was changed"):
        Notebook(path)
    assert path.read_bytes() == content


def test_a_database_of_another_kind_is_left_alone(tmp_path):
    path = tmp_path / "n.hovrik"
    with sqlite3.connect(path) as other:
        other.execute("CREATE TABLE other (x)")
    with pytest.raises(Damaged, match="another kind"):
        Notebook(path)


def test_a_later_format_is_told(tmp_path):
    path = tmp_path / "n.hovrik"
    Notebook(path).close()
    with sqlite3.connect(path) as raw:
        raw.execute("PRAGMA user_version = 99")
    with pytest.raises(TooNew, match="Update Hovrik"):
        Notebook(path)


def test_a_damaged_page_is_found_on_open(tmp_path):
    path = tmp_path / "n.hovrik"
    with Notebook(path) as notebook:
        for n in range(20):
            kept(notebook, id=str(n))
        notebook.read_rows("PRAGMA wal_checkpoint(TRUNCATE)")
    body = bytearray(path.read_bytes())
    for page in range(4, len(body) // 4096):
        body[page * 4096 : page * 4096 + 200] = os.urandom(200)
    path.write_bytes(bytes(body))
    with pytest.raises((Damaged, StoreError)) as caught:
        Notebook(path)
    assert "Traceback" not in str(caught.value)


_FILL = """
import resource, sys
from pathlib import Path
sys.path.insert(0, sys.argv[2])
from helpers.build import record_of, trace_of, wandering
from hovrik.core.errors import StoreError
from hovrik.store.notebook import Notebook
import signal
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
notebook = Notebook(Path(sys.argv[1]))
context = {k: notebook.note(k, k, {"key": k, "name": k}) for k in ("rig", "slot", "title", "scene")}
resource.setrlimit(resource.RLIMIT_FSIZE, (700_000, 700_000))
kept = 0
try:
    for n in range(100):
        notebook.keep(record_of(trace_of(wandering(60)), context=context, id=str(n)))
        kept += 1
except StoreError as fault:
    print(kept, str(fault).replace(chr(10), " "))
"""


def test_a_full_disk_keeps_everything_so_far(tmp_path):
    """The file size limit of the process stands in for a full disk."""
    path = tmp_path / "n.hovrik"
    tests = Path(__file__).parents[1]
    done = subprocess.run(
        [sys.executable, "-c", _FILL, str(path), str(tests)], capture_output=True, text=True, check=True
    )
    count, _, message = done.stdout.partition(" ")
    assert "Everything stored before is safe" in message and 0 < int(count) < 100
    with Notebook(path) as notebook:
        assert [r.id for r in notebook.passes()] == [str(n) for n in range(int(count))]
        assert notebook.load(str(int(count) - 1)).trace.frames_ns.size > 2000
    assert resource.getrlimit(resource.RLIMIT_FSIZE)[0] == resource.RLIM_INFINITY


def test_default_place_by_xdg(monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", "/data")
    assert str(default_path()) == "/data/hovrik/notebook.hovrik"
