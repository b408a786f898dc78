"""A sweep in a process of its own, for killing: says on stdout where it is, one word and an id a line.

Usage: sweep_child.py NOTEBOOK. The disk is slow: each commit takes 15 ms longer, so that kills fall inside writes too.
"""

import sys
import time
from contextlib import contextmanager
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from hovrik.bench.job import Control, PassDone, Phase, Progress
from hovrik.core.plan.grid import LadderDesign
from hovrik.demo import scenario
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.machines import open_machine
from hovrik.store.notebook import Notebook

DESIGN = LadderDesign(9, 14, 1, 40.0, repeats=2, pass_s=20, soak_s=10, cool_s=4)
PACE = 500.0
_honest = Notebook.writing


def say(word, what=""):
    """One line, at once."""
    print(word, what, flush=True)


@contextmanager
def slow_writing(self):
    """A transaction on a slow disk."""
    say("write")
    with _honest(self) as connection:
        yield connection
        time.sleep(0.015)
    say("written")


def announce(event):
    """Where the run is."""
    if isinstance(event, PassDone):
        say("stored", event.record.id)
    elif isinstance(event, Progress) and event.phase in (Phase.SETTLE, Phase.SOAK, Phase.MEASURE):
        say("pass")
    elif isinstance(event, Progress) and event.phase is Phase.COOL_DOWN:
        say("cool")


class Nuisance:
    """Plugs the adapter in during the second pass until the guard has paused a while; pauses by hand in the sixth."""

    def __init__(self, machine, control):
        self.machine, self.control, self.looks = machine, control, 0

    def __call__(self, event):
        announce(event)
        if isinstance(event, PassDone) and event.position == 6:
            self.control.paused.set()
        if not isinstance(event, Progress):
            return
        if event.phase is Phase.MEASURE and event.position == 1 and not self.looks:
            self.machine.power.plugged = True
        if event.phase is Phase.PAUSED:
            say("paused")
            self.looks += 1
            if self.looks == 20:
                self.machine.power.plugged = False
            if self.looks > 40:
                self.control.paused.clear()


def main(path, pace=PACE):
    """Plan or continue, and run."""
    with Notebook(path) as notebook:
        address = library.address_of(notebook, "ombrel-8")
        left = sweep.unfinished(notebook)
        plan_id = left[0][0].plan_id if left else sweep.keep_plan(notebook, scenario.question(), DESIGN, room_c=22.0)
        machine = open_machine(address, pace=pace)
        control = Control()
        sweep.run_plan(notebook, plan_id, machine, address, control, Nuisance(machine, control))
        machine.close()


if __name__ == "__main__":
    Notebook.writing = slow_writing
    say("ready")
    main(Path(sys.argv[1]))
    say("end")
