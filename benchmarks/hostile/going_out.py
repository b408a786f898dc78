"""Whatever the program writes for its user: onto what it was meant to, or not at all."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
from functools import lru_cache
from pathlib import Path

from hovrik.core.errors import HovrikError
from hovrik.demo import scenario
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.service.machines import open_machine
from hovrik.store.notebook import Notebook

DESIGN = scenario.LadderDesign(9, 12, 1, 40.0, repeats=2, pass_s=20, soak_s=2, cool_s=0)


def small(folder):
    """A notebook with a few passes; its path."""
    from hovrik.bench.job import Control

    path = Path(folder) / "n.hovrik"
    with Notebook(path) as notebook:
        scenario.prepare(notebook)
        plan = sweep.keep_plan(notebook, scenario.question(), DESIGN, room_c=22.0)
        address = library.address_of(notebook, "ombrel-8")
        machine = open_machine(address)
        sweep.run_plan(notebook, plan, machine, address, Control(), lambda event: None)
        machine.close()
        evaluate(notebook, scenario.question())
    return path


def _cli(*arguments):
    done = subprocess.run(
        [sys.executable, "-m", "hovrik", *map(str, arguments)],
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
        env={**os.environ, "PYTHONPATH": os.pathsep.join(filter(None, sys.path))},
    )
    assert "Traceback" not in done.stderr, done.stderr[-300:]
    if done.returncode:
        raise HovrikError(done.stderr)


def _report(notebook, out):
    _cli("report", notebook, "--out", out)


@lru_cache
def _window():
    from hovrik.app.start import make_application

    return make_application()


def _with_window(act):
    def write(notebook, out):
        from hovrik.app.main_window import MainWindow
        from hovrik.app.session import Session

        _window()
        window = MainWindow(Session(notebook))
        said = []
        window.banner.show_problem = said.append
        try:
            with Notebook(notebook, read_only=True) as other:
                window.session.set_evaluation(evaluate(other, window.session.question))
            act(window, out)
        finally:
            window.close()
        if said and not any("written" in one or "A copy is" in one for one in said):
            raise HovrikError(said[-1])

    return write


def _rig(notebook, out):
    from hovrik.store.files.write import exchange

    with Notebook(notebook, read_only=True) as opened:
        exchange.write(out, "rig", opened.newest("rig")["ombrel-8"].body)


def _page(notebook, out):
    from hovrik.app.printing import write_page

    _window()
    write_page(out, "<p>Kept.</p>")


def _copy(notebook, out):
    with Notebook(notebook) as opened:
        opened.copy_to(out)


WRITERS = {
    "report": _report,
    "export of passes": _with_window(lambda window, out: window.desktop.export_to(out)),
    "printed page": _with_window(lambda window, out: window.desktop.print_to(out)),
    "rig": _rig,
    "page": _page,
    "copy": _copy,
}


def _target(kind, folder, notebook):
    """A place that must not be written, and what stands there."""
    out = folder / "out"
    if kind == "the open notebook":
        return notebook, notebook.read_bytes()
    if kind == "the notebook by a link":
        out.symlink_to(notebook)
        return out, notebook.read_bytes()
    if kind == "another notebook":
        out = folder / "other.hovrik"
        with Notebook(out):
            pass
        return out, out.read_bytes()
    if kind == "a text of somebody's":
        out = folder / "letter.txt"
        out.write_bytes(b"Dear all,\nthis is a letter.\n")
        return out, out.read_bytes()
    if kind == "a picture":
        out = folder / "dog.png"
        out.write_bytes(b"\x89PNG\r\n\x1a\n" + bytes(200))
        return out, out.read_bytes()
    if kind == "a program":
        out = folder / "tool.csv"
        out.write_bytes(b"#!/bin/sh\necho hello\n")
        return out, out.read_bytes()
    if kind == "a link":
        (folder / "letter.html").write_bytes(b"Dear all,")
        out = folder / "link.html"
        out.symlink_to(folder / "letter.html")
        return out, b"Dear all,"
    if kind == "a device":
        os.mknod(out, 0o20666, os.makedev(1, 7))
        return out, None
    if kind == "a pipe":
        os.mkfifo(out)
        return out, None
    if kind == "a socket":
        own = socket.socket(socket.AF_UNIX)
        own.bind(str(out))
        own.close()
        return out, None
    if kind == "a folder":
        out.mkdir()
        (out / "inside").write_text("x")
        return out, None
    raise ValueError(kind)


KINDS = (
    "the open notebook",
    "the notebook by a link",
    "another notebook",
    "a text of somebody's",
    "a picture",
    "a program",
    "a link",
    "a device",
    "a pipe",
    "a socket",
    "a folder",
)


def _onto(writer, kind):
    def attack(folder):
        if kind == "a device" and os.getuid():
            return
        if (writer, kind) == ("copy", "another notebook"):
            return  # a copy may take the place of a copy
        notebook = small(folder)
        out, was = _target(kind, folder, notebook)
        before = os.lstat(out)
        try:
            WRITERS[writer](notebook, out)
        except HovrikError as fault:
            assert len(str(fault)) > 30, f"without words: {fault}"
        after = os.lstat(out)
        assert (before.st_mode, before.st_ino) == (after.st_mode, after.st_ino), "it was replaced"
        if was is not None:
            assert out.read_bytes() == was or (kind.startswith("the ") and out.read_bytes()[:15] == b"SQLite format 3")
        assert not list(folder.glob("tmp*")), "it left something"

    return attack


def _full(writer):
    """A disk that fills while it writes: what stood there is still whole."""

    def attack(folder):
        import resource

        notebook = small(folder)
        suffix = {"report": ".html", "export of passes": ".csv", "rig": ".toml", "copy": ".hovrik"}.get(writer, ".pdf")
        out = folder / f"out{suffix}"
        WRITERS[writer](notebook, out)
        was = out.read_bytes()
        child = os.fork()
        if not child:
            code = 9
            try:
                import signal

                signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
                resource.setrlimit(resource.RLIMIT_FSIZE, (20, 20))
                from hovrik.disk.writing import FileKind, write_text

                try:
                    write_text(out, "x" * 5000, FileKind.PAGE, force=True)
                except HovrikError:
                    code = 0
            finally:
                os._exit(code)
        assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0
        assert out.read_bytes() == was

    return attack


def state_of_elsewhere(folder):
    """A notebook from elsewhere whose address names a state overwrites no document."""
    letter = folder / "letter.json"
    letter.write_text('{"dear": "all"}')
    path = folder / "n.hovrik"
    with Notebook(path) as notebook:
        scenario.prepare(notebook)
        for address in (
            {"kind": "simulated", "description": str(scenario.SCENARIO), "state": str(letter), "seed": 1},
            {"kind": "simulated", "machine": str(letter)},
            {"kind": "simulated", "machine": f"../../{letter.name}"},
        ):
            library.keep_address(notebook, "ombrel-8", address)
            library.look(library.address_of(notebook, "ombrel-8"))
            try:
                with_machine = open_machine(library.address_of(notebook, "ombrel-8"))
                with_machine.wait(2.0)
                with_machine.close()
            except HovrikError:
                pass
    assert letter.read_text() == '{"dear": "all"}'


def headings_defused(folder):
    """A heading that a spreadsheet would reckon is text, like a cell."""
    from hovrik.core.keep.profile import Profile
    from hovrik.service.levels import LevelRow
    from hovrik.service.levels import csv_of as levels_csv
    from hovrik.service.rows import csv_of
    from hovrik.store.files.write import profile

    odd = {"=cmd|' /C calc'!A0": 1, "+1+1": 2, "@SUM(1)": "=1+1", "plain": "x"}
    conditions = {key: {"value": value} for key, value in odd.items()}
    row = {"id": "i", "verdict": "valid", "origin": "measured", "setup": odd, "metrics": odd, "conditions": conditions}
    text = csv_of([row])
    for cell in text.replace("\r", "").replace("\n", ",").split(","):
        assert not cell.lstrip('"').startswith(("=", "+", "@", "-")), cell
    metric = {"unit": "W", "value": 1.0}
    body = dict.fromkeys(("rig", "slot", "title", "scene", "sentence"), "=1+1")
    body |= {
        "source": "battery",
        "setup": odd,
        "metrics": {"=1+1": metric},
        "target_fps": 40,
        "holds": 0.9,
        "passes": [],
    }
    level = LevelRow("=1+1", "=1+1", "+1", "@SUM(1)", 1, {}, None, (("=cmd|' /C calc'!A0", 1),))
    for cell in levels_csv([level]).replace("\r", "").replace("\n", ",").split(","):
        assert not cell.lstrip('"').startswith(("=", "+", "@", "-")), cell
    for cell in profile.to_csv([Profile(body)]).replace("\r", "").replace("\n", ",").split(","):
        assert not cell.lstrip('"').startswith(("=", "+", "@", "-")), cell


def import_out_of_range(folder):
    """A limit that a known rig cannot have is refused on import as it is on the bench."""
    log = folder / "log.csv"
    log.write_text("frame time (ms)\n" + "16.7\n" * 900)
    path = small(folder)
    for setting in ("sustained_limit_w=999999", "sustained_limit_w=99", "cap_fps=1e6", "limit_w=1"):
        try:
            _cli("import-pass", log, "--notebook", path, "--set", setting)
        except HovrikError:
            continue
        raise AssertionError(f"{setting} was taken")


ROWS = [
    *((f"{writer} onto {kind}", _onto(writer, kind)) for writer in WRITERS for kind in KINDS),
    *((f"{writer}: the disk fills", _full(writer)) for writer in ("report", "rig", "page")),
    ("the state of elsewhere", state_of_elsewhere),
    ("headings", headings_defused),
    ("an import out of range", import_out_of_range),
]
