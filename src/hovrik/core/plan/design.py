"""What a design is: asked what it wants next, told what was measured. It proposes; it never measures or stores."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from ..facts.setup import Setup
from ..read.group import Counted
from ..read.response import Response
from .steps import Asked


@dataclass(frozen=True)
class Told:
    """What is known when a design is asked. batches : how often it was asked before; passes : that count; responses :
    what they say along the factor of the question; failed : setups at which the title did not start or ended, or of
    which pass after pass was void: they are no measurement, and are not proposed again; barred : what was measured and
    may not be stated (`read/generated.py`)."""

    batches: int = 0
    passes: Sequence[Counted] = ()
    responses: Sequence[Response] = ()
    failed: Sequence[Setup] = ()
    barred: Sequence[Setup] = ()


class Design(Protocol):
    """Which passes answer a question."""

    def ask(self, told: Told) -> Asked:
        """The passes wanted next and why, in their order; done where no more are wanted after them."""
