"""Many logs at once: cut, mapping remembered, stored once only, cancelled, faults told by file."""

import numpy as np
import pytest
from helpers.build import wandering

from hovrik.core.passes.cut import cut_at_idle
from hovrik.core.passes.trace import Channel, Trace
from hovrik.demo import scenario
from hovrik.service.imports import many as batch
from hovrik.service.imports import mappings
from hovrik.store.files.read.frame_log import ColumnMap, FrameUnit
from hovrik.store.files.read.table import read_table
from hovrik.store.notebook import Notebook


def write_log(path, seed=0, fps=40, seconds=40, gaps=(), columns="t;a;b"):
    """A log whose headings say nothing: interval in ms, milliwatts, idle gaps after the given seconds."""
    rng = np.random.default_rng(seed)
    interval = wandering(seconds, fps, wander=0.01, seed=seed)
    for after in gaps:
        interval[int(after * fps)] = 9_000
    lines = [columns] + [f"{value:.4f};{rng.normal(15_000, 50):.0f};{rng.normal(60, 1):.1f}" for value in interval]
    path.write_text("\n".join(lines))
    return path


@pytest.fixture
def notebook(tmp_path):
    with Notebook(tmp_path / "n.hovrik") as opened:
        yield opened


@pytest.fixture
def question(notebook, tmp_path):
    scenario.prepare(notebook)
    return scenario.question()


def test_pieces_hold_every_frame_but_the_gaps_and_their_own_telemetry():
    stamps = np.concatenate([np.arange(0, 20, 0.02), np.arange(30, 60, 0.02), np.arange(70, 73, 0.02)])
    ns = np.round(stamps * 1e9).astype(np.int64)
    trace = Trace(ns, {"die_c": Channel(ns, stamps)}, int(ns[0]), int(ns[-1]))
    first, second = cut_at_idle(trace)  # the third piece is too short
    assert (first.frames_ns.size, second.frames_ns.size) == (1000, 1500)
    assert second.channels["die_c"].values.min() == pytest.approx(30) and second.seconds == pytest.approx(29.98)
    assert cut_at_idle(trace, np.inf) == [trace]


def test_limits_and_caps_are_read_from_file_names_only_where_they_are_plain():
    assert batch.settings_in("ferry 15W cap40") == {"sustained_limit_w": "15", "cap_fps": "40"}
    assert batch.settings_in("7,5 watts cap_none") == {"sustained_limit_w": "7.5", "cap_fps": "none"}
    assert batch.settings_in("15w or 17w") == {} and batch.settings_in("run 2 of windy day") == {}


def test_logs_are_stored_once_with_their_setups_and_the_saved_mapping(notebook, question, tmp_path):
    mapping = ColumnMap(0, FrameUnit.MS, {"package_w": (1, "mW"), "die_c": (2, "C")})
    one = write_log(tmp_path / "a 12W.csv", 1, gaps=(15,))
    two = write_log(tmp_path / "b.csv", 2)
    broken = tmp_path / "c.csv"
    broken.write_text("nothing here")
    mappings.save_mapping(notebook, read_table(one), mapping)
    looked = batch.look(notebook, [one, two, broken, tmp_path / "missing.csv"])
    assert [log.pieces for log in looked] == [2, 1, 0, 0] and looked[0].columns == "saved"
    assert "cannot be read" in looked[3].outcome and looked[1].mean_fps == pytest.approx(40, rel=0.02)
    orders = [batch.LogOrder(log.path, batch.settings_in(log.path.stem)) for log in looked]
    assert [log.stored for log in batch.store(notebook, question, orders, {"room_c": "21"})] == [2, 1, 0, 0]
    records = notebook.passes()
    assert len(records) == 3 and [r.setup["sustained_limit_w"] for r in records[:2]] == [12.0, 12.0]
    loaded = notebook.load(records[0].id)
    assert loaded.trace.measured("package_w").mean() == pytest.approx(15, rel=0.01)
    assert records[1].conditions["log"].value == "a 12W.csv, part 2 of 2"
    again = batch.store(notebook, question, orders[:2], {})
    assert all("already" in log.outcome for log in again) and len(notebook.passes()) == 3
    wrong = batch.store(notebook, question, [batch.LogOrder(two, {"sustained_limit_w": "much"})], {})
    assert "is not a number" in wrong[0].outcome


def test_cancelling_keeps_what_is_stored_and_the_next_call_does_the_rest(notebook, question, tmp_path):
    orders = [batch.LogOrder(write_log(tmp_path / f"{n}.csv", n), {}) for n in range(3)]
    first = batch.store(notebook, question, orders, {}, progress=lambda done, total, log: done < 2)
    assert len(first) == 2 and len(notebook.passes()) == 2
    assert [log.stored for log in batch.store(notebook, question, orders, {})] == [0, 0, 1]
