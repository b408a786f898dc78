"""A seeded monkey at the window while a sweep runs: clicks, keys, edits, storms of undo, every stage, page and dialog.

Run: .venv/bin/python benchmarks/monkey.py [SECONDS] [SEED] [ACTIONS] [NOTEBOOK]; it ends with whichever comes first.
The tests do some actions, however long they take. It tells how long turns of the event
loop took, what share of the actions changed something, what was reached, exceptions, memory from the third minute on.
"""

import json
import os
import random
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QTableView,
)

from hovrik.app.dialogs.close_dialog import CloseDialog
from hovrik.app.main_window import STAGES, MainWindow
from hovrik.app.session import Session
from hovrik.app.start import make_application
from hovrik.demo import scenario

APPEARANCE = "Appearance"  # light or dark dresses every widget anew, 2 s: spared
SIZES = [(1280, 800), (853, 533), (640, 400), (1600, 900)]
LONG_S, NEVER_S = 0.05, 0.2
KEYS = [Qt.Key.Key_F6, Qt.Key.Key_Home, Qt.Key.Key_Escape, Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_Tab]
SPARED = ("Menu", "Quit", "Stop it", "Let it run")  # what would end it, or wait for a person


class Monkey:
    """One monkey. turns : seconds of each turn of the event loop; faults : exceptions, as text."""

    def __init__(self, path, seed):
        self.rng = random.Random(seed)
        self.application = make_application()
        self.turns, self.faults, self.slow = [], [], []
        self.done, self.changed = Counter(), Counter()
        self.reached, self.memory = set(), []
        self._last = ""
        self._hook, sys.excepthook = sys.excepthook, self._on_fault
        for name, value in (
            ("getOpenFileName", ("", "")),
            ("getOpenFileNames", ([], "")),
            ("getSaveFileName", ("", "")),
        ):
            setattr(QFileDialog, name, staticmethod(lambda *_a, found=value, **_k: found))
        QFileDialog.getExistingDirectory = staticmethod(lambda *_a, **_k: "")
        QInputDialog.getText = staticmethod(lambda *_a, **_k: ("because", True))
        self.window = MainWindow(Session(path))
        self.window.resize(1280, 800)
        self.window.show()
        while self.window.session.evaluation is None:
            self.application.processEvents()
        for name in STAGES:  # what is made on first sight is made
            self.window.show_stage(name)
            self.application.processEvents()

    def _on_fault(self, kind, fault, trace):
        self.faults.append(f"{kind.__name__}: {fault}")
        self._hook(kind, fault, trace)

    # -- what it sees

    def _top(self):
        """Where it is: a dialog that is open, else the window."""
        dialogs = [d for d in self.window.findChildren(QDialog) if d.isVisible()]
        return dialogs[-1] if dialogs else self.window

    def _visible(self, kind):
        return [w for w in self._top().findChildren(kind) if w.isVisible() and w.isEnabled()]

    def _state(self):
        session = self.window.session
        stage = self.window.stack.currentWidget()
        return (
            session.undo_stack.index(), session.undo_stack.count(), id(session.question), id(session.design),
            stage.title, stage.pages.page, session.selected_pass, self._top(), self.window.size(), session.over,
            self.window.runner.is_running, self.window.frame.answer_sheet.isVisible(),
            self.window.frame.question_sheet.isVisible(),
        )  # fmt: skip

    # -- what it does: each looks for something to act on, and gives back the act, which alone is timed

    def click(self):
        found = [
            b for b in self._visible(QAbstractButton) if not any(s in (b.accessibleName() or b.text()) for s in SPARED)
        ]
        one = self.rng.choice(found) if found else None
        return (lambda: QTest.mouseClick(one, Qt.MouseButton.LeftButton)) if one else None

    def choose(self):
        found = [c for c in self._visible(QComboBox) if c.count() > 1 and c.accessibleName() != APPEARANCE]
        one = self.rng.choice(found) if found else None
        at = self.rng.randrange(one.count()) if one else 0
        return (lambda: one.setCurrentIndex(at)) if one else None

    def step(self):
        found = self._visible(QAbstractSpinBox)
        key, one = self.rng.choice([Qt.Key.Key_Up, Qt.Key.Key_Down]), self.rng.choice(found) if found else None
        return (lambda: (one.setFocus(), QTest.keyClick(one, key))) if one else None

    def type(self):
        found = [f for f in self._visible(QLineEdit) if not isinstance(f.parentWidget(), QAbstractSpinBox)]
        text = self.rng.choice(["7", "12,5", "x", "1e9", "-3", "Copper", ""])
        one = self.rng.choice(found) if found else None

        def act():
            one.setFocus()
            one.selectAll()
            QTest.keyClicks(one, text)
            QTest.keyClick(one, Qt.Key.Key_Return)

        return act if one else None

    def row(self):
        found = [t for t in self._visible(QTableView) if t.model() is not None and t.model().rowCount()]
        table = self.rng.choice(found) if found else None
        at = self.rng.randrange(table.model().rowCount()) if table else 0
        return (lambda: table.selectRow(at)) if table else None

    def stage(self):
        key = getattr(Qt.Key, f"Key_{self.rng.randint(1, 7)}")
        return lambda: QTest.keyClick(self.window, key, Qt.KeyboardModifier.ControlModifier)

    def page(self):
        return lambda: QTest.keyClick(self.window, Qt.Key.Key_Tab, Qt.KeyboardModifier.ControlModifier)

    def key(self):
        key = self.rng.choice(KEYS)
        return lambda: QTest.keyClick(self.window.focusWidget() or self.window, key)

    def edit(self):
        """An edit of the question or the plan, each on its own."""
        line, plan = self.window.question_line, self.window.stage("Plan")
        field = self.rng.choice(
            [line.target, plan.knobs.to_w, plan.knobs.repeats, plan.knobs.pass_s, plan.knobs.room_c]
        )
        wanted = field.value() + self.rng.choice([-1, 1]) * field.singleStep()
        return lambda: field.setValue(wanted)

    def undo(self):
        stack = self.window.session.undo_stack
        for _ in range(self.rng.choice([1, 1, 20])):
            began = time.perf_counter()
            (stack.undo if self.rng.random() < 0.7 else stack.redo)()
            self._took(time.perf_counter() - began, "undo")
            self._turn()

    def size(self):
        size = self.rng.choice(SIZES)
        return lambda: self.window.resize(*size)

    def dialog(self):
        window = self.window
        found = [
            window.open_import, window.open_checks, window.open_stills, window.note_incident,
            window.desktop.open_preferences, window.desktop.show_keys,
        ]  # fmt: skip
        if window.runner.is_running:
            found.append(lambda: window.show_dialog(CloseDialog(window)))  # as closing it would
        return self.rng.choice(found)

    def close_dialog(self):
        for one in self.window.findChildren(QDialog):
            one.close()
        self.window.activateWindow()

    def run(self):
        if not self.window.runner.is_running:
            self.window.bench.pace.show_key("10")
            return self.window.start_sweep
        return self.window.bench_line.stop.click if self.rng.random() < 0.1 else None

    ACTIONS = (
        (click, 8), (choose, 6), (step, 6), (type, 5), (row, 5), (stage, 8), (page, 8), (key, 3), (edit, 10), (undo, 6),
        (size, 1), (dialog, 1), (close_dialog, 4), (run, 2),
    )  # fmt: skip

    def _turn(self):
        began = time.perf_counter()
        self.application.processEvents()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)  # a running loop does it by itself
        self._took(time.perf_counter() - began, f"after {self._last}")

    def _took(self, seconds, what):
        self.turns.append(seconds)
        if seconds > LONG_S:
            self.slow.append((round(1000 * seconds), what))

    def live(self, seconds, most):
        """Act for so long, or so often."""
        began, next_memory = time.monotonic(), 0.0
        acts, weights = [a for a, _ in self.ACTIONS], [w for _, w in self.ACTIONS]
        while (age := time.monotonic() - began) < seconds and sum(self.done.values()) < most:
            if age >= next_memory:
                self.memory.append((age, resident_mb()))
                next_memory += max(seconds / 60, 1.0)
            act = self.rng.choices(acts, weights)[0]
            before = self._state()
            self._last = act.__name__
            do = act(self)
            if do is not None:
                start = time.perf_counter()
                do()
                self._took(time.perf_counter() - start, act.__name__)
            self._turn()
            self.done[act.__name__] += 1
            if sum(self.done.values()) % 25 == 0:
                self.close_dialog()
            self.changed[act.__name__] += before != self._state()
            stage = self.window.stack.currentWidget()
            self.reached |= {f"{stage.title}/{stage.pages.page}", type(self._top()).__name__}
            pause = time.monotonic() + self.rng.choice([0.0, 0.02, 0.05])
            while time.monotonic() < pause:
                self._turn()
                time.sleep(0.002)
        self.memory.append((seconds, resident_mb()))
        for dialog in self.window.findChildren(QDialog):
            dialog.close()
        self.window.close()
        self.application.processEvents()
        sys.excepthook = self._hook

    def report(self):
        """What it was like."""
        turns = sorted(self.turns)
        at = lambda share: 1000 * turns[min(int(share * len(turns)), len(turns) - 1)]  # noqa: E731
        late = [mb for age, mb in self.memory if age >= 180] or [mb for _, mb in self.memory[len(self.memory) // 3 :]]
        return {
            "turns": len(turns), "under_50_ms": round(sum(t < LONG_S for t in turns) / len(turns), 5),
            "median_ms": round(at(0.5), 2), "p99_ms": round(at(0.99), 1), "p999_ms": round(at(0.999), 1),
            "longest_ms": round(1000 * turns[-1]), "over_200_ms": sum(t > NEVER_S for t in turns),
            "slowest": Counter(what for ms, what in self.slow).most_common(6), "actions": sum(self.done.values()),
            "changed": round(sum(self.changed.values()) / max(sum(self.done.values()), 1), 2),
            "reached": sorted(self.reached), "faults": self.faults[:5],
            "growth_mb": round(late[-1] - late[0], 1),
        }  # fmt: skip


def resident_mb():
    """Memory of this process."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmRSS"):
            return int(line.split()[1]) / 1024
    return 0.0


def main(seconds, seed=1, most=10**9, path=None):
    """One monkey on a notebook, a new demo where none is given; its report."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CONFIG_HOME"] = folder
        if path is None:
            os.environ["XDG_DATA_HOME"] = folder
            path = Path(folder) / "demo.hovrik"
            scenario.build(path)
        monkey = Monkey(path, seed)
        monkey.live(seconds, most)
        return monkey.report()


if __name__ == "__main__":
    given = sys.argv[1:]
    numbers = [float(given[0]) if given else 600.0, *map(int, given[1:3])]
    print(json.dumps(main(*numbers, **({"path": Path(given[3])} if len(given) > 3 else {})), indent=1))
