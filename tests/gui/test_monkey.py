"""A seeded monkey acts a while: nothing fails, whatever it does and however busy the computer is (benchmarks/monkey.py
does ten minutes, with times)."""

import json
import os
import subprocess
import sys
from pathlib import Path

MONKEY = Path(__file__).parents[2] / "benchmarks" / "monkey.py"
ACTIONS = 45


def test_nothing_that_a_monkey_does_fails(demo_copy):
    done = subprocess.run(
        [sys.executable, str(MONKEY), "240", "7", str(ACTIONS), str(demo_copy)], capture_output=True, text=True,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}, timeout=300, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    found = json.loads(done.stdout)
    assert found["faults"] == [] and "Traceback" not in done.stderr
    assert found["actions"] == ACTIONS and found["changed"] >= 0.35
