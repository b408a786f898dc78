"""A few rows of every family of attacks on the program; benchmarks/hostile/run tries them all."""

from pathlib import Path

import pytest
from hostile import attack, families

# shares of the families, by what they cost: some dozens of rows in all
SHARES = {
    "machines": 0.4, "going out": 0.06, "roads": 0.2, "sockets": 0.3, "tables": 0.07, "merges": 0.3, "crafted": 0.08,
    "in the window": 0.03, "flips": 0.01, "mutants": 0.0015, "kills": 0.01,
}  # fmt: skip


def test_every_family_has_a_share():
    assert set(SHARES) == set(families.FAMILIES)


@pytest.mark.parametrize("family", SHARES)
def test_nothing_falls(family, tmp_path):
    home = tmp_path / "home"
    with attack.own_home(home):
        found = attack.tried(family, families.FAMILIES[family](SHARES[family]))
    assert found.rows and not found.fell, found.fell


def test_a_row_that_falls_is_named(tmp_path):
    def attacked(folder: Path) -> None:
        assert not list(folder.iterdir())
        raise KeyError("x")

    found = attack.tried("f", [("one", attacked), ("two", lambda folder: None)])
    assert found.rows == 2 and list(found.fell) == ["one"] and "KeyError" in found.fell["one"]
