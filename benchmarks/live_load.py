"""What the window costs while it draws a run in real time: share of a core, and how long input waits.

Usage: python benchmarks/live_load.py [--seconds 30] [--hidden]

The run is the stand-in's in real time, in the same process; the interface thread is counted by itself. Input is an
event posted every 37 ms from another thread to the real event loop; its delay is from posting to handling.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import threading
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import QApplication

from hovrik.app.main_window import MainWindow
from hovrik.app.session import Session
from hovrik.app.start import make_application
from hovrik.demo import scenario

STEP_S = 0.037
_KIND = QEvent.Type(QEvent.registerEventType())


class Press(QEvent):
    """An input event that knows when it was posted."""

    def __init__(self):
        super().__init__(_KIND)
        self.at = time.perf_counter()


class Taker(QObject):
    """Takes presses on the interface thread."""

    def __init__(self):
        super().__init__()
        self.delays_ms = []

    def event(self, event):
        if event.type() == _KIND:
            self.delays_ms.append((time.perf_counter() - event.at) * 1e3)
            return True
        return super().event(event)


def thread_cpu_s():
    """CPU seconds of each thread by its kernel number."""
    tick, found = os.sysconf("SC_CLK_TCK"), {}
    for task in Path("/proc/self/task").iterdir():
        fields = (task / "stat").read_text().rsplit(")", 1)[1].split()
        found[int(task.name)] = (int(fields[11]) + int(fields[12])) / tick
    return found


def main():
    """Measure and print."""
    ask = argparse.ArgumentParser()
    ask.add_argument("--seconds", type=float, default=30.0)
    ask.add_argument("--hidden", action="store_true", help="another window has the focus")
    given = ask.parse_args()
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "demo.hovrik"
        scenario.build(path)
        application = make_application()
        window = MainWindow(Session(path))
        window.resize(1280, 800)
        window.show()
        wait(application, 6.0)
        window.session.set_design(replace(window.session.design, heat_s=0.0))
        window.show_stage("Bench")
        window.bench.pace.show_key("1")
        window.start_sweep()
        if given.hidden:
            window.bench.show_focus(Qt.ApplicationState.ApplicationInactive)
        wait(application, 8.0)
        delays_ms, main_share, all_share = measure(application, given.seconds)
        window.close()
    at = np.percentile(delays_ms, (50, 95, 99))
    print(f"interface thread {100 * main_share:.1f} % of a core, whole process with stand-in {100 * all_share:.1f} %")
    print(f"input waits: median {at[0]:.1f}, 95 % {at[1]:.1f}, 99 % {at[2]:.1f}, most {max(delays_ms):.1f} ms"
          f" ({len(delays_ms)} presses)")  # fmt: skip


def wait(application, seconds):
    """Let the window live."""
    until = time.perf_counter() + seconds
    while time.perf_counter() < until:
        application.processEvents()
        time.sleep(0.01)


def measure(application, seconds):
    """Run the real event loop for a while: delays in ms, share of a core of the interface thread and of all."""
    taker, over = Taker(), threading.Event()

    def post():
        until = time.perf_counter() + seconds
        while time.perf_counter() < until:
            QApplication.postEvent(taker, Press())
            time.sleep(STEP_S)
        over.set()
        application.exit()

    before, began = thread_cpu_s(), time.perf_counter()
    threading.Thread(target=post, daemon=True).start()
    application.exec()
    after, took = thread_cpu_s(), time.perf_counter() - began
    main_share = (after[os.getpid()] - before[os.getpid()]) / took
    all_share = sum(cpu - before.get(task, 0.0) for task, cpu in after.items()) / took
    return taker.delays_ms, main_share, all_share


if __name__ == "__main__":
    main()
