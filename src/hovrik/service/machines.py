"""How a machine is found again: an address that a notebook can hold, what it is the identity of, and what opens it.

A notebook names a machine and nothing else: no path that is written, no program that is run. The state of a stand-in
lies in our own data folder, under a UUID made with it. A machine of one's own is opened by its owner's command only,
and is known by its file's real path, its name and the rig that it describes.
"""

from __future__ import annotations

import inspect
import json
import uuid
from collections.abc import Mapping
from importlib import resources
from pathlib import Path
from typing import Any

from ..bench.protocol import Machine
from ..bench.simulated.machine import AS_FAST, SimulatedMachine
from ..bench.simulated.model import load_model
from ..bench.simulated.state import MOST_BYTES, PlainState, StateFile, checked
from ..core.errors import HovrikError, Unavailable
from ..core.facts.rig import Rig
from ..disk.folders import data_folder
from ..disk.reading import read_bytes
from ..disk.writing import FileKind, write_text

Address = Mapping[str, Any]
SIMULATED, OWN, BY_HAND = "simulated", "file", "by hand"
VERSION = 1
_OLD = uuid.UUID("9d1c6f2e-5b1f-4c57-9a55-6a3c1f0e8b10")  # of stand-ins that were known by the path of their state


def stand_ins() -> Path:
    """Where the states of stand-ins lie."""
    return data_folder() / "stand-ins"


def simulated(description: Path, seed: int = 1) -> dict[str, Any]:
    """Make a stand-in of a description, with a state of its own; its address. Raises StoreError."""
    made = str(uuid.uuid4())
    _keep(made, {"description": _name_of(description), "seed": seed, "state": None})
    return {"kind": SIMULATED, "machine": made}


def like(address: Address) -> dict[str, Any]:
    """A second stand-in of the same description, in the state that the first is in now; its address. Raises
    Unavailable, StoreError."""
    made = str(uuid.uuid4())
    _keep(made, _kept(_id_of(address)))
    return {"kind": SIMULATED, "machine": made}


def by_hand(rig: str) -> dict[str, Any]:
    """Address of a rig that a person runs."""
    return {"kind": BY_HAND, "rig": rig}


def of_ones_own(machine: Machine, rig: Rig, where: str = "") -> dict[str, Any]:
    """Address of a machine of one's own. where : FILE.py:NAME by which it was named, "" by what it is made of."""
    file, _, name = where.rpartition(":")
    if not file:
        kind = type(machine)
        try:
            file, name = inspect.getfile(kind), kind.__qualname__
        except (TypeError, OSError):  # typed in, or made on the way
            file, name = f"{kind.__module__}", kind.__qualname__
    return {"kind": OWN, "file": str(Path(file).resolve()), "name": name, "rig": rig.key, "rig_name": rig.name}


def identity_of(address: Address | None) -> str:
    """What tells a machine from every other one, "" where an address does not tell it: two that are not told apart are
    never taken for one."""
    if not isinstance(address, Mapping):
        return ""
    kind = address.get("kind")
    if kind == SIMULATED:
        own = _id_of(address)
        return f"{SIMULATED} {own}" if own else ""
    if kind == OWN:
        parts = [address.get(key) for key in ("file", "name", "rig", "rig_name")]
        return " ".join((OWN, *map(str, parts))) if all(isinstance(one, str) and one for one in parts) else ""
    return json.dumps(dict(address), sort_keys=True, default=str)


def is_same(one: Address | None, other: Address | None) -> bool:
    """Whether two addresses are known to be of one machine."""
    return bool(identity_of(one)) and identity_of(one) == identity_of(other)


def open_machine(address: Address, *, pace: float = AS_FAST) -> Machine:
    """The machine at an address. Raises Unavailable where it cannot be opened from here, with why and what to do."""
    kind = address.get("kind") if isinstance(address, Mapping) else None
    if kind == BY_HAND:
        raise Unavailable(f"{address.get('rig') or 'The rig'} is run by hand: no program sets or reads it.")
    if kind == OWN:
        raise Unavailable(
            f"This is a machine of your own ({address.get('file') or 'its file was not noted'}): only your own command "
            "opens it. Use hovrik put-back or hovrik sweep with --machine."
        )
    if kind is None:
        raise Unavailable("The notebook names no machine there. Choose one in Rig, or run it by hand.")
    if kind != SIMULATED:
        raise Unavailable(f"A machine of the kind {kind!r} cannot be reached by this version. Set it by hand.")
    own = _id_of(address)
    if not own:
        raise Unavailable("The address of this stand-in names none. Choose its machine anew in Rig.")
    if not _path_of(own).exists():
        _adopt(address, own)
    body = _kept(own)
    seed = body.get("seed", 1)
    return SimulatedMachine(
        load_model(_description(str(body.get("description", "")))), _State(own, body), pace=pace,
        seed=seed if isinstance(seed, int) and not isinstance(seed, bool) and 0 <= seed < 2**32 else 1,
    )  # fmt: skip


def state_of(address: Address) -> StateFile:
    """Where the state of a stand-in is kept. Raises Unavailable."""
    own = _id_of(address)
    return _State(own, _kept(own))


def _id_of(address: Address) -> str:
    """The UUID of a stand-in; "" where its address holds none. One of before is known by the real path of its state."""
    try:
        return str(uuid.UUID(str(address["machine"])))
    except KeyError:
        state = address.get("state")
        if not isinstance(state, str) or not Path(state).is_absolute():
            return ""
        return str(uuid.uuid5(_OLD, str(Path(state).resolve())))
    except ValueError:
        return ""


class _State:
    """The state of a stand-in in the data folder."""

    def __init__(self, own: str, body: Mapping[str, Any]) -> None:
        self._own, self._body = own, body

    def read(self) -> dict[str, Any] | None:
        state = self._body.get("state")
        return None if state is None else checked(state, self._own)

    def write(self, state: Mapping[str, Any]) -> None:
        _keep(self._own, {**self._body, "state": dict(state)})


def _path_of(own: str) -> Path:
    return stand_ins() / f"{own}.json"


def _kept(own: str) -> dict[str, Any]:
    """What is kept of a stand-in. Raises Unavailable."""
    path = _path_of(own)
    if not own or not path.exists():
        raise Unavailable(f"The stand-in {own[:8]} is not on this computer. Make one anew with hovrik demo.")
    try:
        body = json.loads(read_bytes(path, MOST_BYTES, "Delete it."))
        if not isinstance(body, dict) or body.get("schema") != "hovrik-stand-in" or body.get("version") != VERSION:
            raise ValueError("it is no stand-in of this version")
    except (HovrikError, ValueError, RecursionError) as fault:
        raise Unavailable(f"The stand-in's state {path} cannot be read: {fault}. Delete it.") from fault
    return body


def _keep(own: str, body: Mapping[str, Any]) -> None:
    path = _path_of(own)
    path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    text = json.dumps({**body, "schema": "hovrik-stand-in", "version": VERSION})
    write_text(path, text, FileKind.OWN, durable=False)


def _shipped() -> Path:
    return Path(str(resources.files("hovrik"))) / "demo" / "rigs"


def _name_of(description: Path) -> str:
    """How a description is found again: by its name where it ships with the program, which may be moved."""
    own = description.resolve()
    return own.stem if own.parent == _shipped().resolve() else str(own)


def _description(name: str) -> Path:
    return Path(name) if Path(name).is_absolute() else _shipped() / f"{Path(name).name}.toml"


def _adopt(address: Address, own: str) -> None:
    """Take over a stand-in of before, which was known by paths: its state is read once, and never written there."""
    old, description = address.get("state"), address.get("description")
    if not isinstance(old, str) or not isinstance(description, str):
        raise Unavailable(f"The stand-in {own[:8]} is not on this computer. Make one anew with hovrik demo.")
    shipped = _shipped() / f"{Path(description).stem}.toml"
    if not shipped.exists():
        raise Unavailable(f"The stand-in {Path(description).stem} does not ship with this version. Make one anew.")
    seed = address.get("seed", 1)
    _keep(own, {
        "description": shipped.stem, "seed": seed if isinstance(seed, int) else 1, "state": PlainState(Path(old)).read()
    })  # fmt: skip
