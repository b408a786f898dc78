"""Every test runs offscreen, in folders of its own, in English, without the network."""

import json
import os
import tempfile
import threading
import time
from pathlib import Path

_HOME = Path(tempfile.mkdtemp(prefix="hovrik-test-"))
_SCREEN = _HOME / "screen.json"
_SCREEN.write_text(
    json.dumps(
        {
            "synchronousWindowSystemEvents": False,
            "windowFrameMargins": False,
            "screens": [
                {"name": "s0", "x": 0, "y": 0, "width": 1280, "height": 800, "logicalDpi": 96,
                 "logicalBaseDpi": 96, "dpr": 1.0}
            ],
        }
    )
)  # fmt: skip
os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={_SCREEN}"
for name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_RUNTIME_DIR"):
    os.environ[name] = str(_HOME / name.lower())
os.environ.setdefault("OMP_NUM_THREADS", "1")

import pytest  # noqa: E402
from helpers import build  # noqa: E402


@pytest.fixture(scope="session")
def demo_notebook(tmp_path_factory):
    """A finished demo notebook; read only: tests that write copy it."""
    path = tmp_path_factory.mktemp("demo") / "demo.hovrik"
    from hovrik.demo import scenario
    from hovrik.service.gather import evaluate
    from hovrik.store.notebook import Notebook

    scenario.build(path)
    with Notebook(path) as notebook:  # the figures of its passes are kept, so that each copy need not derive them
        evaluate(notebook, scenario.question())
    return path


@pytest.fixture
def empty_demo(tmp_path):
    """A notebook with the demo's rigs and titles by versions of its own, and no pass; in a folder of its own."""
    from hovrik.demo import scenario
    from hovrik.store.notebook import Notebook

    (tmp_path / "own").mkdir()
    path = tmp_path / "own" / "own.hovrik"
    with Notebook(path) as notebook:
        scenario.prepare(notebook)
    return path


@pytest.fixture
def demo_copy(demo_notebook, tmp_path):
    """A copy of the demo notebook with its machine, for tests that write."""
    return build.copy_notebook(demo_notebook, tmp_path)


@pytest.fixture(autouse=True)
def no_thread_is_left():
    """A test that leaves a thread running fails: an orphan writes into what is gone."""
    before = set(threading.enumerate())
    yield
    deadline = time.monotonic() + 10.0
    while time.monotonic() < deadline:
        left = [one for one in threading.enumerate() if one not in before and one.is_alive()]
        if not left:
            return
        time.sleep(0.01)
    pytest.fail(f"threads are left: {', '.join(one.name for one in left)}")
