"""The person at a hand-run machine, seen from the run's thread: asks across to the window and waits for the answer."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field

from PyQt6.QtCore import QObject, pyqtSignal

from ..bench.by_hand.guided import GuidedMachine, Readings
from ..bench.clock import RealClock
from ..bench.protocol import Instruction, Need
from ..core.facts.place import Source
from ..core.facts.rig import Rig
from ..core.facts.title import Title


@dataclass
class Request:
    """One thing asked of the person. wants_readings : the answer is Readings; answer : None until given; ticks_ns :
    moments the gauge stepped in the scene that has just ended."""

    instruction: Instruction
    wants_readings: bool
    answered: threading.Event = field(default_factory=threading.Event)
    answer: bool | Readings | None = None
    ticks_ns: tuple[int, ...] = ()

    def give(self, answer: bool | Readings | None) -> None:
        """Answer, once."""
        self.answer = answer
        self.answered.set()


class Guide(QObject):
    """Person and clock of a GuidedMachine. Signals: asked (Request), withdrawn.

    speed : 1 but in tests.
    """

    asked = pyqtSignal(object)
    withdrawn = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._stopped = threading.Event()
        self._gone = threading.Event()
        self._open: Request | None = None
        self._last: GuidedMachine | None = None
        self._clock = RealClock(ended=self._stopped)
        self._ticks: list[int] = []
        self._ended = threading.Event()

    @property
    def speed(self) -> float:
        """Seconds of the timers a real second."""
        return self._clock.speed

    @speed.setter
    def speed(self, speed: float) -> None:
        self._clock.speed = speed

    def machine(self, rig: Rig, titles: list[Title], source: Source) -> GuidedMachine:
        """A machine run through this guide; time is real. Its OS slot is that of the run before, if any."""
        self._stopped.clear()
        self._gone.clear()
        self._clock.forget_stop()
        before = self._last.slot if self._last is not None and self._last.rig.key == rig.key else ""
        slot = rig.slots[0].key if len(rig.slots) == 1 else before
        self._last = GuidedMachine(rig, titles, slot, self, self._clock, source)
        return self._last

    def do(self, instruction: Instruction) -> bool:
        """Ask and wait; False when stopped."""
        done = bool(self._ask(Request(instruction, wants_readings=False)))
        if instruction.need is Need.START:
            self._ticks = []
            self._ended.clear()
        return done

    def has_ended(self) -> bool:
        """Whether the end of the scene was marked since it was started."""
        return self._ended.is_set()

    def end(self) -> None:
        """The scene has ended. From the interface thread."""
        self._ended.set()

    def tick(self) -> int:
        """The gauge has just stepped; how often in this scene. From the interface thread."""
        self._ticks.append(self._clock.now_ns())
        return len(self._ticks)

    def bring(self, instruction: Instruction) -> Readings | None:
        """Ask for readings and wait; None when stopped."""
        answer = self._ask(Request(instruction, wants_readings=True, ticks_ns=tuple(self._ticks)))
        return answer if isinstance(answer, Readings) else None

    def _ask(self, request: Request) -> bool | Readings | None:
        puts_back = request.instruction.need is Need.PUT_BACK  # asked whatever was stopped: nobody else can say it
        if self._gone.is_set() or (self._stopped.is_set() and not puts_back):
            return None
        self._open = request
        self.asked.emit(request)
        request.answered.wait()
        self._open = None
        self._clock.forget_stop()
        return request.answer

    def cut(self) -> None:
        """An open request is withdrawn. What is asked next is asked again."""
        request = self._open
        kept = request is not None and request.instruction.need is Need.PUT_BACK and not self._gone.is_set()
        if request is not None and not kept:
            request.give(None)
            self.withdrawn.emit()

    def stop(self) -> None:
        """End every wait from now on; nothing is asked any more but whether the machine was put back."""
        self._stopped.set()
        self._clock.stop()
        self.cut()

    def leave(self) -> None:
        """Nobody is there to be asked any more."""
        self._gone.set()
        self.stop()
