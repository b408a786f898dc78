"""Kills sweeps (50) and the import of 40 logs (60) at many moments and looks at what each left; the tests do it at ten.

Run: .venv/bin/python benchmarks/kills.py [sweeps | import] [MOMENTS]
"""

import sys
import tempfile
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from helpers import kills


def sweeps(moments):
    """Kill sweeps, look, tell where the kills fell."""
    with tempfile.TemporaryDirectory() as folder:
        places = kills.kill_at(
            kills.prepare(Path(folder)), Path(folder), moments,
            lambda number, place: print(f"{number + 1} of {moments}: killed in {place}, nothing lost", flush=True),
        )  # fmt: skip
    print("kills fell:", dict(Counter(places)))


def imports(moments):
    """Kill an import again and again, going on each time; tell how much was stored at each kill."""
    with tempfile.TemporaryDirectory() as folder:
        stored = kills.kill_imports(kills.prepare(Path(folder)), Path(folder), moments)
    print(f"{moments} kills, each part once; stored at each:", stored)


if __name__ == "__main__":
    wanted = [one for one in sys.argv[1:] if not one.isdigit()] or ["sweeps", "import"]
    numbers = [int(one) for one in sys.argv[1:] if one.isdigit()]
    if "sweeps" in wanted:
        sweeps(numbers[0] if numbers else 50)
    if "import" in wanted:
        imports(numbers[0] if numbers else 60)
