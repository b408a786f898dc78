"""Work off the interface thread: in turn, newest only, cancelled, closed while busy; no run is told twice."""

import threading

from helpers.window import make_application

from hovrik.app.run_worker import MOST_WAITING, LiveBox
from hovrik.app.worker import Worker
from hovrik.bench.job import PassDone, Phase, Progress
from hovrik.core.errors import StoreError

make_application()


def told(worker):
    """What a worker says, in order."""
    said = []
    worker.finished.connect(lambda result: said.append(("finished", result)))
    worker.failed.connect(lambda fault: said.append(("failed", str(fault))))
    worker.idle.connect(lambda: said.append(("idle",)))
    return said


def test_a_newer_piece_makes_an_older_one_stale(qtbot):
    worker, begun, go_on = Worker("w"), threading.Event(), threading.Event()
    said = told(worker)

    def long(wanted):
        begun.set()
        go_on.wait(10)
        return f"old, wanted: {wanted()}"

    worker.ask(long)
    assert begun.wait(10)
    worker.ask(lambda wanted: "dropped")
    worker.ask(lambda wanted: "newest")
    assert worker.is_busy
    go_on.set()
    qtbot.waitUntil(lambda: ("idle",) in said, timeout=10_000)
    assert said == [("finished", "newest"), ("idle",)] and not worker.is_busy


def test_one_thread_at_a_time_and_none_between(qtbot):
    worker, names = Worker("w"), []
    for _ in range(3):
        with qtbot.waitSignal(worker.idle, timeout=10_000):
            worker.ask(lambda wanted: names.append(threading.current_thread().name))
    assert names == ["w"] * 3
    qtbot.waitUntil(lambda: not [t for t in threading.enumerate() if t.name == "w"], timeout=10_000)


def test_every_piece_is_done_where_each_keeps_something(qtbot):
    worker = Worker("w", every=True)
    said = told(worker)
    for number in range(5):
        worker.ask(lambda wanted, number=number: number)
    qtbot.waitUntil(lambda: ("idle",) in said, timeout=10_000)
    assert [one[1] for one in said if one[0] == "finished"] == [0, 1, 2, 3, 4]


def test_a_told_fault_and_a_fault_of_the_program(qtbot, monkeypatch):
    worker, hooked = Worker("w"), []
    monkeypatch.setattr("sys.excepthook", lambda *fault: hooked.append(fault[0]))
    said = told(worker)

    def fails(wanted):
        raise StoreError("The disk is full.")

    def breaks(wanted):
        raise ZeroDivisionError

    for work in (fails, breaks, lambda wanted: "goes on"):
        with qtbot.waitSignal(worker.idle, timeout=10_000):
            worker.ask(work)
    assert ("failed", "The disk is full.") in said and ("finished", "goes on") in said
    assert hooked == [ZeroDivisionError]
    assert any(words.startswith("A fault of the program (ZeroDivisionError") for _, *rest in said for words in rest)


def test_closing_while_busy_waits_and_tells_nothing(qtbot):
    worker, begun, left = Worker("w"), threading.Event(), []
    said = told(worker)

    def work(wanted):
        begun.set()
        while wanted():
            threading.Event().wait(0.005)
        left.append("left")
        return "late"

    worker.ask(work)
    assert begun.wait(10)
    worker.close()
    assert left == ["left"] and not worker.is_busy
    qtbot.waitUntil(lambda: ("idle",) in said, timeout=10_000)
    assert ("finished", "late") not in said
    worker.ask(lambda wanted: left.append("more"))  # whatever is asked for by what is committed last
    assert not worker.is_busy and left == ["left"]


def test_what_a_thread_made_is_used_and_left_on_it(qtbot):
    where = []
    worker = Worker("w", enter=lambda: where.append(threading.get_ident()) or "notebook",
                    leave=lambda made: where.append(threading.get_ident()))  # fmt: skip
    said = told(worker)
    for _ in range(2):
        with qtbot.waitSignal(worker.idle, timeout=10_000):
            worker.ask(lambda wanted, made: (made, where.append(threading.get_ident())))
    worker.close()
    assert len(where) == 4 and len(set(where)) == 1 and where[0] != threading.get_ident()
    assert said[0][1][0] == "notebook"


def test_one_that_asked_and_is_gone_is_not_told():
    worker, go_on = Worker("w"), threading.Event()
    worker.ask(lambda wanted: go_on.wait(10))
    worker.deleteLater()
    from PyQt6 import sip

    sip.delete(worker)
    go_on.set()


def test_a_full_box_drops_samples_never_what_was_done():
    box = LiveBox()
    box.put(PassDone(None, 1, 9, True))
    for _ in range(MOST_WAITING + 5):
        box.put(Progress(Phase.MEASURE, 0, 9))
    events = box.take()
    assert len(events) < MOST_WAITING and sum(isinstance(e, PassDone) for e in events) == 1
