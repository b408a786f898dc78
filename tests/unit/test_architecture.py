"""Imports run one way, and the core knows no interface, file, clock or thread."""

import ast
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[2] / "src" / "hovrik"
ALLOWED = {
    "core": {"core"},
    "disk": {"core", "disk"},
    "bench": {"core", "disk", "bench"},
    "store": {"core", "disk", "store"},
    "service": {"core", "disk", "bench", "store", "service"},
    "demo": {"core", "disk", "bench", "store", "service", "demo"},
    "app": {"core", "disk", "bench", "store", "service", "demo", "app"},
}
CORE_MAY_NOT = {
    "PyQt6",
    "pyqtgraph",
    "time",
    "threading",
    "os",
    "pathlib",
    "io",
    "sqlite3",
    "socket",
    "subprocess",
    "datetime",
}


def imported(path):
    """Absolute names that a module imports, at any depth."""
    package = ["hovrik", *path.relative_to(SOURCE).parent.parts]
    names = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = package[: len(package) - node.level + 1] if node.level else []
            origin = ".".join([*base, *([node.module] if node.module else [])])
            names |= {origin, *(f"{origin}.{alias.name}" for alias in node.names)}
    return names


@pytest.mark.parametrize("room", sorted(ALLOWED))
def test_imports_run_one_way(room):
    modules = list((SOURCE / room).rglob("*.py"))
    assert modules
    for path in modules:
        for name in imported(path):
            parts = name.split(".")
            if parts[0] == "hovrik" and len(parts) > 1 and parts[1] in ALLOWED:
                assert parts[1] in ALLOWED[room], f"{path.name} imports {name}"


# of the core each room may import those before it; keep is what reading and choosing know of a profile
CORE = ("facts", "stats", "passes", "model", "questions", "read", "keep", "choose", "plan", "kinds")


@pytest.mark.parametrize("room", CORE)
def test_the_core_has_an_order_of_its_own(room):
    before = CORE[: CORE.index(room) + 1]
    for path in (SOURCE / "core" / room).rglob("*.py"):
        for name in imported(path):
            parts = name.split(".")
            if parts[:2] == ["hovrik", "core"] and len(parts) > 2 and parts[2] in CORE:
                assert parts[2] in before, f"{path.name} imports {name}"


def test_every_room_is_named_here():
    assert {p.name for p in SOURCE.iterdir() if (p / "__init__.py").exists()} == set(ALLOWED)


def test_the_core_knows_no_interface_file_clock_or_thread():
    for path in (SOURCE / "core").rglob("*.py"):
        assert not {name.split(".")[0] for name in imported(path)} & CORE_MAY_NOT, path.name


@pytest.mark.parametrize("room", ["disk", "bench", "store", "service", "demo"])
def test_only_the_window_knows_the_toolkit(room):
    for path in (SOURCE / room).rglob("*.py"):
        assert not {name.split(".")[0] for name in imported(path)} & {"PyQt6", "pyqtgraph"}, path.name


def test_runner_never_sleeps_or_reads_a_clock():
    names = imported(SOURCE / "bench" / "runner.py")
    assert not {name.split(".")[0] for name in names} & {"time", "datetime"}


def test_the_stand_in_has_physics_of_its_own():
    """What is reckoned from its passes would else be checked against itself: it knows no computation of the core."""
    taken = {"energy", "heat", "figures", "frames", "guards", "checks", "verdict", "tail", "inside", "pacing"}
    for path in (SOURCE / "bench" / "simulated").rglob("*.py"):
        names = imported(path)
        assert not {n for n in names if n.startswith(("hovrik.core.stats", "hovrik.core.read", "hovrik.core.plan"))}
        assert not {n for n in names if n.startswith("hovrik.core.passes.") and n.split(".")[3] in taken}, path.name
