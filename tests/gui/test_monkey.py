"""A seeded monkey for 12 s: nothing fails, most of the window is reached (benchmarks/monkey.py does ten minutes, with
times)."""

import json
import os
import subprocess
import sys
from pathlib import Path

MONKEY = Path(__file__).parents[2] / "benchmarks" / "monkey.py"


def test_twelve_seconds_of_anything_fail_nowhere(tmp_path):
    env = {**os.environ, "XDG_CONFIG_HOME": str(tmp_path), "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, str(MONKEY), "12", "7"], capture_output=True, text=True, env=env, timeout=300
    )
    assert done.returncode == 0, done.stderr[-2000:]
    found = json.loads(done.stdout)
    assert found["faults"] == [] and "Traceback" not in done.stderr
    assert found["actions"] > 25 and found["changed"] >= 0.35
    assert len({place.split("/")[0] for place in found["reached"] if "/" in place}) >= 6
