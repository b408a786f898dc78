"""Kills sweeps at many moments (50 unless told) and looks at what each left; the tests do it at ten.

Run: .venv/bin/python benchmarks/kills.py [MOMENTS]
"""

import sys
import tempfile
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from helpers import kills


def main(moments):
    """Kill, look, tell where the kills fell."""
    with tempfile.TemporaryDirectory() as folder:
        places = kills.kill_at(
            kills.prepare(Path(folder)), Path(folder), moments,
            lambda number, place: print(f"{number + 1} of {moments}: killed in {place}, nothing lost", flush=True),
        )  # fmt: skip
    print("kills fell:", dict(Counter(places)))


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 50)
