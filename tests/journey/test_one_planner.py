"""Window and command line lay out one experiment for one question; what is special of a kind, it alone knows."""

import ast
import re
from pathlib import Path

import pytest
from click.testing import CliRunner

from hovrik.app.session import Session
from hovrik.cli import commands
from hovrik.core.errors import PlanError
from hovrik.core.kinds.table import KINDS
from hovrik.core.plan.grid import first_design
from hovrik.demo import scenario
from hovrik.service import library, sweeps
from hovrik.service.machines import open_machine
from hovrik.service.planning import of_kind, with_part
from hovrik.store.notebook import Notebook

ROOT = Path(__file__).parents[2]
SOURCE = ROOT / "src" / "hovrik"
ASKED = ("question", "asked", "campaign")
NAMED = {"knob": {"boost": "on,off"}, "options-cost": {"boost": "on,off", "fan_policy": "even,full"}}


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    made = tmp_path_factory.mktemp("own")
    (code,) = re.findall(r"```python\n(.*?)```", (ROOT / "docs" / "own-machine.md").read_text(), re.DOTALL)
    (made / "toy.py").write_text(code)
    (made / "more.py").write_text((ROOT / "share" / "machines" / "more.py").read_text())
    return made


def reached(folder, tmp_path, name):
    """A machine, and the notebook of a window that it stands in."""
    path = tmp_path / "n.hovrik"
    if name == "stand-in":
        with Notebook(path) as notebook:
            scenario.prepare(notebook)
        return open_machine(scenario.addresses(path)["ombrel-8"]), path
    machine = sweeps.load_machine(f"{folder}/{name}")
    with Notebook(path) as notebook:
        library.register(notebook, sweeps.described(machine))
    return machine, path


@pytest.mark.parametrize("name", ["toy.py:Toy", "more.py:TwoSlots", "stand-in"])
def test_both_lay_out_equal_steps(folder, tmp_path, qtbot, name):
    machine, path = reached(folder, tmp_path, name)
    found = sweeps.described(machine)
    title = found.titles[0]
    session, compared = Session(path), []
    session.machine_seen = library.seen_on(machine)
    asked = library.lowest_watts(found.rig.key, found.slot, title.key, title.scenes[0].key)
    for kind in (one for one in KINDS.values() if not one.in_window):
        knobs = NAMED.get(kind.id, {})
        request = sweeps.Request(kind.id, knobs=knobs, floor=40.0, title=title.key, scene=title.scenes[0].key)
        levels = {key: own.split(",") for key, own in knobs.items()}
        session.set_question(with_part(of_kind(asked, kind.id), levels=levels or None))
        session.set_design(first_design(session.rig, session.scene))
        try:
            typed = sweeps.planned(machine, request)[0].passes
        except PlanError as refused:
            with pytest.raises(PlanError, match=re.escape(str(refused)[:40])):
                session.planned_passes()
            continue
        drawn = session.planned_passes()[0]
        assert [one.steps for one in drawn] == [one.steps for one in typed], kind.id
        assert session.planned_question().parts == sweeps.prepared(machine, request).question.parts, kind.id
        compared.append(kind.id)
    assert len(compared) >= 8, compared
    machine.close()


@pytest.mark.parametrize("kind", [one.id for one in KINDS.values() if one.in_window])
def test_what_only_the_window_asks_says_why(folder, kind):
    made = CliRunner().invoke(commands, ["plan", "--machine", f"{folder}/toy.py:Toy", "--question", kind])
    assert made.exit_code == 1 and KINDS[kind].in_window in made.stderr and "ask it in the window" in made.stderr


def test_nothing_but_a_kind_asks_which_kind_it_is():
    """No comparison of a question's kind, no import of one kind, outside their room; the demo is made of some."""
    for path in SOURCE.rglob("*.py"):
        room = path.relative_to(SOURCE).parts
        if room[:2] == ("core", "kinds") or room[0] == "demo":
            continue
        tree = ast.parse(path.read_text(encoding="utf-8"))
        for node in ast.walk(tree):
            if isinstance(node, ast.ImportFrom) and node.module and ".kinds" in f".{node.module}":
                own = node.module.rpartition("kinds")[2].lstrip(".")
                assert own in ("table", "kind", "ask"), f"{path.name} imports {node.module}"
            if isinstance(node, ast.Compare):
                sides = [node.left, *node.comparators]
                kinds = [one for one in sides if isinstance(one, ast.Attribute) and one.attr == "kind"]
                of_kind_ = [one for one in kinds if ast.unparse(one.value).rpartition(".")[2] in ASKED]
                words = any(isinstance(one, ast.Constant | ast.Tuple) for one in sides)
                assert not (of_kind_ and words), f"{path.name}: {ast.unparse(node)}"


def test_a_voltage_is_moved_by_its_own_kind_alone(folder, tmp_path, qtbot):
    """Neither as what is asked about, nor as a recipe, a level or a display of any other."""
    machine, path = reached(folder, tmp_path, "stand-in")
    session = Session(path)
    session.machine_seen = library.seen_on(machine)
    for kind in (one for one in KINDS.values() if not one.voltage):
        for parts in (
            {"recipe": {"cpu_offset_mv": -10.0}}, {"levels": {"cpu_offset_mv": [-10.0, 0.0]}, "over": "cpu_offset_mv"},
        ):  # fmt: skip
            session.set_question(with_part(of_kind(scenario.question(), kind.id), **parts))
            try:
                passes = session.planned_passes()[0]
            except PlanError:
                continue
            assert not any("offset" in key for one in passes for key in one.setup), kind.id
    machine.close()
