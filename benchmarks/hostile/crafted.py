"""Notebooks that were made to hurt: each is answered or refused with words, in the window too; and every read of a path
ends."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import signal
import socket
import sqlite3
import sys
import tempfile
import zlib
from functools import lru_cache
from pathlib import Path

import fuzz

from hovrik.core.errors import HovrikError
from hovrik.store.notebook import Notebook
from hovrik.store.packing import pack_body

from .going_out import _window, small

MOST_S = 25


@contextlib.contextmanager
def within(seconds):
    """What takes longer has fallen."""

    def late(_signal, _frame):
        raise TimeoutError(f"over {seconds} s")

    before = signal.signal(signal.SIGALRM, late)
    signal.alarm(seconds)
    try:
        yield
    finally:
        signal.alarm(0)
        signal.signal(signal.SIGALRM, before)


@lru_cache
def _base():
    return small(Path(tempfile.mkdtemp(prefix="hovrik-crafted-")))


def _reseal(raw, table):
    """Checksums as a program would write them that knows how: a notebook that was made on purpose is whole."""
    try:
        from hovrik.store import sealed
    except ImportError:
        from hovrik.store.packing import seal
        from hovrik.store.upgrade import _SEALED

        if table in _SEALED:
            columns = _SEALED[table]
            own = columns.split(",", 1)[0]
            for row in raw.execute(f"SELECT {columns} FROM {table}").fetchall():
                raw.execute(f"UPDATE {table} SET checksum = ? WHERE {own} = ?", (seal(*row), row[0]))
        if table in ("clock", "series"):
            for seq, data in raw.execute(f"SELECT seq, data FROM {table}").fetchall():
                if data is not None:
                    raw.execute(f"UPDATE {table} SET checksum = ? WHERE seq = ?", (zlib.crc32(data), seq))
        return
    for name in sealed.order_of_sealing(table):
        sealed.seal_again(raw, name)


def crafted(path, statements, table=""):
    """Change a notebook by SQL as its maker might, checksums and all."""
    raw = sqlite3.connect(path)
    triggers = raw.execute("SELECT name, sql FROM sqlite_master WHERE type = 'trigger'").fetchall()
    for name, _ in triggers:
        raw.execute(f"DROP TRIGGER {name}")
    raw.execute("PRAGMA foreign_keys = OFF")
    for statement in statements:
        if callable(statement):
            statement(raw)
        elif isinstance(statement, str):
            raw.execute(statement)
        else:
            raw.execute(*statement)
    if table:
        _reseal(raw, table)
    for _, sql in triggers:
        with contextlib.suppress(sqlite3.Error):
            raw.execute(sql)
    raw.commit()
    raw.close()


def _body(table, where, change):
    """A change of the JSON body of some rows."""

    def act(raw):
        key = "key" if table == "state" else "rowid"
        column = {"pass": "conditions", "recording": "readback"}.get(table, "body")
        for own, text in raw.execute(f"SELECT {key}, {column} FROM {table} WHERE {where}").fetchall():
            made = change(json.loads(text))
            raw.execute(f"UPDATE {table} SET {column} = ? WHERE {key} = ?", (json.dumps(made), own))

    return act


def _state(key, body):
    return lambda raw: raw.execute(
        "INSERT OR REPLACE INTO state (key, body) VALUES (?, ?)",
        (key, body if isinstance(body, str) else json.dumps(body)),
    )


def _blob(data):
    return lambda raw: raw.execute("UPDATE series SET data = ? WHERE data IS NOT NULL", (data,))


def _clock(data):
    return lambda raw: raw.execute("UPDATE clock SET data = ?", (data,))


def _figures(change):
    def act(raw):
        from hovrik.store.packing import unpack_body

        for owner, name, body in raw.execute("SELECT pass_id, algorithm, body FROM derived").fetchall():
            with contextlib.suppress(Exception):
                raw.execute(
                    "UPDATE derived SET body = ? WHERE pass_id = ? AND algorithm = ?",
                    (pack_body(change(dict(unpack_body(body)))), owner, name),
                )

    return act


def _row(table, values, like=""):
    """One more row: columns to SQL values, some taken from a pass."""
    names, given = ", ".join(values), ", ".join(values.values())
    return f"INSERT INTO {table} ({names}) SELECT {given}{like}"


ONE_PASS = " FROM pass LIMIT 1"


def still_row(data):
    """A still of the first pass. data : SQL of what stands for its picture."""
    given = {"id": "'s'", "pass_id": "id", "name": "'x'", "media": "'image/png'", "data": data, "noted_at": "1"}
    return _row("still", given, ONE_PASS)


PLACE = {kind: kind for kind in ("rig", "slot", "title", "scene")}


BOMB = zlib.compress(bytes(300_000_000), 9)
FOREVER = (
    "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT i AS seq, 'x' AS id, '{}' AS body FROM n"
)
QUESTION = ("rigs", "slots", "titles", "scenes")


def _scope(value):
    def change(body):
        place = body.setdefault("place", {})
        place.update(dict.fromkeys(QUESTION, value))
        return body

    return change


def _with(**more):
    return lambda body: {**body, **more}


JUNK = {
    "null": None,
    "true": True,
    "minus": -1,
    "huge": 1e308,
    "text": "x",
    "long": "y" * 3000,
    "list": [],
    "nested": [[[]]],
    "table": {},
    "of null": {"a": None},
    "big whole": 2**62,
    "NaN": "NaN",
}
# name -> (statements, table that is sealed again)
CRAFTS = {
    "series: a bomb": ([_blob(b"\x03" + BOMB)], "series"),
    "clock: a bomb": ([_clock(b"\x01" + bytes(8) + BOMB)], "clock"),
    "series: nothing": ([_blob(b"")], "series"),
    "series: a byte": ([_blob(b"\x03")], "series"),
    "series: another layout": ([_blob(b"\x09abc")], "series"),
    "clock: another layout": ([_clock(b"\x07" + bytes(20))], "clock"),
    "clock: short": ([_clock(b"\x01abc")], "clock"),
    "clock: empty": ([_clock(b"")], "clock"),
    "clock: text": (["UPDATE clock SET data = 'text'"], "clock"),
    "clock: a number": (["UPDATE clock SET data = 7"], "clock"),
    "series: text": (["UPDATE series SET data = 'text' WHERE data IS NOT NULL"], "series"),
    "series: longer than its clock": ([_blob(b"\x03" + zlib.compress(bytes(8 * 5)))], "series"),
    "series: not finite": ([_blob(b"\x03" + zlib.compress(b"\xff" * 8 * 40))], "series"),
    "series: a channel of no name": (["UPDATE series SET channel = '' WHERE channel = 'die_c'"], "series"),
    "series: a channel unknown": (["UPDATE series SET channel = 'warp' WHERE channel = 'die_c'"], "series"),
    "series: a clock that is not there": (["UPDATE series SET clock = 99999"], "series"),
    "series: none": (["DELETE FROM series"], "recording"),
    "clock: none": (["DELETE FROM clock"], "recording"),
    "clock: backwards": ([_clock(b"\x02" + (10**9).to_bytes(8, "little") + zlib.compress(b"\xff" * 80))], "clock"),
    "clock: beyond time": ([_clock(b"\x02" + (2**62).to_bytes(8, "little") + zlib.compress(b"\x7f" * 160))], "clock"),
    "recording: marks reversed": (["UPDATE recording SET start_ns = end_ns + 5, end_ns = 3"], "recording"),
    "recording: text for a time": (["UPDATE recording SET start_ns = 'noon'"], "recording"),
    "pass: span of words": (["UPDATE pass SET from_ns = 'a', to_ns = 'b'"], "pass"),
    "pass: span reversed": (["UPDATE pass SET start_ns = 9000000000000, end_ns = 1"], "pass"),
    "pass: a recording that is not there": (["UPDATE pass SET recording_id = 'none'"], "pass"),
    "pass: a plan index of words": (["UPDATE pass SET plan_index = 'first'"], "pass"),
    "pass: an outcome unknown": (["UPDATE pass SET outcome = 'glorious'"], "pass"),
    "pass: a purpose unknown": (["UPDATE pass SET purpose = 'glory'"], "pass"),
    "pass: an origin unknown": (["UPDATE pass SET origin = 'heaven'"], "pass"),
    "pass: a summary of tables": (["UPDATE pass SET summary = '{\"mean_fps\": {}}'"], "pass"),
    "pass: asked a list": (["UPDATE pass SET asked = '[]'"], "pass"),
    "pass: a rig that is a scene": (["UPDATE pass SET rig = scene"], "pass"),
    "pass: started a word": (["UPDATE pass SET started_ns = 'x'"], "pass"),
    "pass: half a letter": ([("UPDATE pass SET reason = CAST(? AS TEXT)", (b"\xff\xfe",))], "pass"),
    "conditions: room of words": (
        [_body("pass", "1", _with(room_c={"value": "warm", "provenance": "asked", "at_ns": 1}))],
        "pass",
    ),
    "conditions: a round of words": (
        [_body("pass", "1", _with(round={"value": "two", "provenance": "read", "at_ns": 1}))],
        "pass",
    ),
    "conditions: a list": ([_body("pass", "1", lambda _: [])], "pass"),
    "readback: a word": ([_body("recording", "1", lambda _: "x")], "recording"),
    "readback: rows of three": ([_body("recording", "1", lambda _: [[1, {}, 3]])], "recording"),
    "readback: times of words": ([_body("recording", "1", lambda _: [["noon", {}]])], "recording"),
    "figures: a metric hours": ([_figures(lambda b: {**b, "values": {"hours": 3.0}})], "derived"),
    "figures: words": ([_figures(lambda b: {**b, "values": {"mean_fps": "fast"}})], "derived"),
    "figures: a list": ([_figures(lambda b: {"values": []})], "derived"),
    "figures: huge": ([_figures(lambda b: {**b, "values": {"mean_fps": 1e308, "draw_w": 1e308}})], "derived"),
    "figures: nothing": ([_figures(lambda b: {})], "derived"),
    "verdict: a state unknown": ([_figures(lambda b: {**b, "state": "superb", "findings": [1, 2]})], "derived"),
    "verdict: findings of words": ([_figures(lambda b: {**b, "findings": "none"})], "derived"),
    "cache: a bomb": (
        [lambda raw: raw.execute("UPDATE derived SET body = ?", ((2).to_bytes(4, "little") + BOMB,))],
        "derived",
    ),
    "cache: an array of anything": (
        [
            lambda raw: raw.execute(
                "UPDATE derived SET body = ?",
                (
                    (40).to_bytes(4, "little")
                    + zlib.compress(b'{"values": {"$": [0, "|O8", 4]}}'.ljust(40) + bytes(64)),
                ),
            )
        ],
        "derived",
    ),
    "question: keys of lists": ([_body("state", "key = 'question'", _scope([["a"]]))], "state"),
    "question: keys of numbers": ([_body("state", "key = 'question'", _scope([7]))], "state"),
    "question: no place": ([_body("state", "key = 'question'", _with(place=None))], "state"),
    "question: a kind unknown": ([_body("state", "key = 'question'", _with(kind="of-tomorrow"))], "state"),
    "question: a kind of lists": ([_body("state", "key = 'question'", _with(kind=["x"]))], "state"),
    "question: parts of words": ([_body("state", "key = 'question'", _with(parts="x"))], "state"),
    "question: over a list": ([_body("state", "key = 'question'", _with(parts={"over": ["x"], "levels": 7}))], "state"),
    "question: levels of tables": (
        [_body("state", "key = 'question'", _with(kind="knob", parts={"over": "boost", "levels": {"boost": {}}}))],
        "state",
    ),
    "question: knobs of words": ([_body("state", "key = 'question'", _with(parts={"knobs": "x"}))], "state"),
    "question: slots of numbers": (
        [_body("state", "key = 'question'", _with(kind="best", parts={"slots": [1]}))],
        "state",
    ),
    "question: limits of words": ([_body("state", "key = 'question'", _with(terms={"limits": "x"}))], "state"),
    "question: terms of lists": ([_body("state", "key = 'question'", _with(terms=[]))], "state"),
    "design: of words": ([_state("design", {"from_w": "a", "to_w": [], "step_w": None})], "state"),
    "design: a step of nothing": ([_state("design", {"from_w": 7.0, "to_w": 1e9, "step_w": 0.0})], "state"),
    "design: endless": ([_state("design", {"from_w": 0.0, "to_w": 1e8, "step_w": 1e-6, "repeats": 10**9})], "state"),
    "words: a message unknown": ([_body("profile", "1", _with(message={"id": "no.such", "values": {}}))], "profile"),
    "pages: of words": ([_state("pages", '"x"')], "state"),
    "pages: a list": ([_state("pages", {"Read": ["x"], "Plan": 7})], "state"),
    "splitter: huge": (
        [
            _state(
                "splitters",
                {
                    s: [[99999999999, 99999999999]] * 4
                    for s in ("Rig", "Scene", "Plan", "Bench", "Read", "Choose", "Keep")
                },
            )
        ],
        "state",
    ),
    "splitter: minus": ([_state("splitters", {s: [[-5, -5, -5], [-1, -1]] for s in ("Rig", "Read", "Plan")})], "state"),
    "stage: a list": ([_state("stage", ["Read"])], "state"),
    "stage: a table": ([_state("stage", {})], "state"),
    "machines: of words": ([_state("machines", '"x"')], "state"),
    "machines: lists": ([_state("machines", {"ombrel-8": ["x"]})], "state"),
    "machines: a kind of lists": ([_state("machines", {"ombrel-8": {"kind": ["simulated"]}})], "state"),
    "preflight: of words": ([_state("preflight", '"x"')], "state"),
    "preflight: deep": ([_state("preflight", {"ombrel-8": {"brightness": {"value": [], "provenance": 7}}})], "state"),
    "asked once: numbers": ([_state("asked_once", {"ombrel-8": 7})], "state"),
    "thresholds: of words": ([_state("thresholds", {"gap_ms": "many"})], "state"),
    "guards: absurd": ([_state("guards", {"heat_over_c": 1e308, "heat_under_c": -1e308})], "state"),
    "campaign: cells of words": (
        [_state("campaign", {"kind": "triage", "rig": "x", "cells": ["x"], "question": {}})],
        "state",
    ),
    "campaign: a kind of lists": (
        [
            _state(
                "campaign",
                {
                    "kind": [],
                    "rig": [],
                    "cells": [
                        {
                            "title": [],
                            "scene": 1,
                            "slot": 2,
                            "state": "open",
                            "said": 1,
                            "gain": None,
                            "plan_id": 3,
                            "setup": 4,
                        }
                    ],
                    "question": 7,
                },
            )
        ],
        "state",
    ),
    "campaign: a gain of words": (
        [
            _state(
                "campaign",
                {
                    "kind": "triage",
                    "rig": "ombrel-8",
                    "cells": [
                        {
                            "title": "t",
                            "scene": "s",
                            "slot": "sedge",
                            "state": "done",
                            "said": "x",
                            "gain": "NaN",
                            "plan_id": "",
                            "setup": "",
                        }
                    ],
                    "question": {},
                },
            )
        ],
        "state",
    ),
    "tonight: legs of words": ([_state("tonight", {"legs": "x"})], "state"),
    "tonight: hours": ([_state("tonight", {"legs": [{"what": [], "minutes": "x"}], "charge": "full"})], "state"),
    "notes: of numbers": ([_state("notes", [1, {"at_ns": 2**62, "text": "x"}, {"at_ns": -5, "text": "#"}])], "state"),
    "applied: of words": ([_state("applied/ombrel-8", {"rig": 1})], "state"),
    "applied log: dates": ([_state("applied log", [{"at_ns": 2**62, "text": "x", "place": ["a"] * 5}])], "state"),
    "steering: of words": ([_state("steering", {"x": "y"})], "state"),
    "mappings: of words": ([_state("mappings", {"x": ["y"]})], "state"),
    "archived: a table": ([_state("archived", {"a": 1})], "state"),
    "asides: a list": ([_state("findings put aside", [1])], "state"),
    "room: hot": ([_state("room_c", 1e30)], "state"),
    "room: words": ([_state("room_c", '"warm"')], "state"),
    "rig: its key a list": ([_body("entity", "kind = 'rig'", _with(key=["x"]))], "entity"),
    "rig: its name a table": ([_body("entity", "kind = 'rig'", _with(name={}))], "entity"),
    "rig: no slots": ([_body("entity", "kind = 'rig'", _with(slots=[]))], "entity"),
    "rig: slots of words": ([_body("entity", "kind = 'rig'", _with(slots="x"))], "entity"),
    "title: its key a list": ([_body("entity", "kind = 'title'", _with(key=["x"], scenes=[{"key": ["y"]}]))], "entity"),
    "rig: the row's key a blob": (["UPDATE entity SET key = x'00ff' WHERE kind = 'rig'"], "entity"),
    "entity: a kind unknown": (["UPDATE entity SET kind = 'moon' WHERE kind = 'scene'"], "entity"),
    "entity: its own parent": (["UPDATE entity SET parent = id"], "entity"),
    "entity: noted beyond time": (["UPDATE entity SET noted_at = 9223372036854775807"], "entity"),
    "pass: noted beyond time": (["UPDATE pass SET noted_at = 9223372036854775807"], "pass"),
    "profile: of words": (
        [
            _state("x", {}),
            _row(
                "profile",
                {
                    "id": "'p'",
                    "rig_key": "'ombrel-8'",
                    "slot_key": "'sedge'",
                    "title_key": "'saltmarsh-couriers'",
                    "source": "'battery'",
                    "body": """'{"metrics": 7, "setup": []}'""",
                    "noted_at": "5",
                },
            ),
        ],
        "profile",
    ),
    "incident: of words": (
        [
            _row(
                "incident",
                {
                    "id": "'i'",
                    "kind": "'moonfall'",
                    **PLACE,
                    "setup": "'[]'",
                    "body": """'{"phase": 7}'""",
                    "noted_at": "'noon'",
                },
                ONE_PASS,
            )
        ],
        "incident",
    ),
    "annotation: a mark of words": (
        [
            _row(
                "annotation",
                {
                    "uid": "'a'",
                    "pass_id": "id",
                    "kind": "'mark'",
                    "body": """'{"start_ns": 5, "end_ns": 1}'""",
                    "noted_at": "1",
                },
                ONE_PASS,
            )
        ],
        "annotation",
    ),
    "annotation: undoes itself": (
        [
            _row(
                "annotation",
                {"uid": "'b'", "pass_id": "id", "kind": "'undo'", "body": """'{"uid": "b"}'""", "noted_at": "1"},
                ONE_PASS,
            )
        ],
        "annotation",
    ),
    "still: no picture": (
        [still_row("'text'")],
        "still",
    ),
    "step: of words": (['UPDATE step SET body = \'{"seconds": "x"}\''], "step"),
    "step: a kind unknown": (["UPDATE step SET kind = 'dance'"], "step"),
    "batch: told a word": (["UPDATE batch SET told = '\"x\"'"], "batch"),
    "plan: a design unknown": ([_body("plan", "1", _with(design={"kind": "x"}))], "plan"),
    "plan: a list": ([_body("plan", "1", lambda _: [])], "plan"),
    "journal: open on nothing": (
        [
            lambda raw: raw.execute(
                "UPDATE journal SET restored_at = NULL, machine = '[]', snapshot = '{\"readings\": 7}'"
            )
        ],
        "journal",
    ),
    "an endless view": (["DROP TABLE still", f"CREATE VIEW still AS {FOREVER}"], ""),
    "a view for the passes": (["ALTER TABLE pass RENAME TO kept", f"CREATE VIEW pass AS {FOREVER}"], ""),
    "a trigger of its own": (["CREATE TRIGGER t AFTER INSERT ON state BEGIN DELETE FROM annotation; END"], ""),
    "a column that is reckoned": (
        ["ALTER TABLE profile ADD COLUMN x INTEGER GENERATED ALWAYS AS (zeroblob(900000000)) VIRTUAL"],
        "",
    ),
    "no table": (["DROP TABLE derived"], ""),
    "another application": (["PRAGMA application_id = 7"], ""),
    "a version of tomorrow": (["PRAGMA user_version = 9999"], ""),
}
CRAFTS.update(
    {
        f"state of {key}: {name}": ([_state(key, json.dumps(value))], "state")
        for key in ("question", "machines", "pages")
        for name, value in JUNK.items()
    }
)


def _answered(name):
    statements, table = CRAFTS[name]

    def attack(folder):
        path = folder / "crafted.hovrik"
        shutil.copy(_base(), path)
        crafted(path, statements, table)
        from hovrik.service import campaigns, library, tonight
        from hovrik.service import notes as notes_
        from hovrik.service.logbook import read_logbook

        with within(MOST_S):
            fuzz.told(lambda: fuzz.look(path))

            def more():
                with Notebook(path) as notebook:
                    for own in (campaigns.kept, tonight.kept, notes_.kept, library.rigs, library.titles):
                        fuzz.told(lambda own=own: own(notebook))
                    for key in list(notebook.newest("rig")):
                        fuzz.told(lambda key=key: library.look(library.address_of(notebook, key)))
                    for record in notebook.passes():
                        fuzz.told(lambda record=record: notebook.load(record.id))
                    fuzz.told(lambda: read_logbook(notebook))

            fuzz.told(more)

    return attack


def _shown(name):
    statements, table = CRAFTS[name]

    def attack(folder):
        path = folder / "crafted.hovrik"
        shutil.copy(_base(), path)
        crafted(path, statements, table)
        open_in_window(path)

    return attack


def open_in_window(path):
    """Open the window, walk all its pages; what is raised on the way has fallen."""
    application = _window()
    from PyQt6.QtCore import QEvent

    from hovrik.app.main_window import STAGES, MainWindow
    from hovrik.app.session import Session

    raised, before = [], sys.excepthook
    sys.excepthook = lambda kind, fault, where: raised.append(f"{kind.__name__}: {fault}")
    try:
        with within(MOST_S * 2):
            try:
                window = MainWindow(Session(path))
            except HovrikError as fault:
                assert str(fault), "a problem without words"
                return
            try:
                window.show()
                for stage in STAGES:
                    window.show_stage(stage)
                    pages = window.stage(stage).pages
                    for at in range(max(pages.bar.count(), 1)):
                        pages.bar.setCurrentIndex(at)
                        application.processEvents()
                for _ in range(40):
                    application.processEvents()
                    if window.session.evaluation is not None and not window.evaluator.is_busy:
                        break
                    import time

                    time.sleep(0.05)
                for stage in ("Read", "Choose", "Keep"):
                    window.show_stage(stage)
                    application.processEvents()
            finally:
                window.close()
                application.processEvents()
                window.deleteLater()  # else some hundred of them fill the memory
                application.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    finally:
        sys.excepthook = before
    assert not raised, raised[0]


# -- every read of a path ends


def _place(kind, folder, suffix):
    path = folder / f"x{suffix}"
    if kind == "a pipe":
        os.mkfifo(path)
    elif kind == "a device without end":
        if os.getuid():
            path.write_bytes(b"")
        else:
            os.mknod(path, 0o20666, os.makedev(1, 5))
    elif kind == "a link to one":
        path.symlink_to("/dev/zero")
    elif kind == "a folder":
        path.mkdir()
    elif kind == "a socket":
        own = socket.socket(socket.AF_UNIX)
        own.bind(str(path))
        own.close()
    elif kind == "a link to nothing":
        path.symlink_to(folder / "none")
    elif kind == "a link to itself":
        path.symlink_to(path)
    elif kind == "terabytes":
        with path.open("wb") as file:
            file.truncate(2**41)
    elif kind == "a name of no letters":
        path = Path(os.fsdecode(os.fsencode(folder) + b"/\xff\xfe" + suffix.encode()))
        path.write_bytes(b"x")
    elif kind == "nothing in it":
        path.write_bytes(b"")
    elif kind == "zeros":
        path.write_bytes(bytes(100_000))
    return path


PLACES = (
    "a pipe",
    "a device without end",
    "a link to one",
    "a folder",
    "a socket",
    "a link to nothing",
    "a link to itself",
    "terabytes",
    "a name of no letters",
    "nothing in it",
    "zeros",
)


def _reader(name, path, folder):
    if name == "notebook":
        with Notebook(path, read_only=True) as notebook:
            fuzz.look(notebook.path)
    elif name == "notebook to write":
        with Notebook(path) as notebook:
            notebook.get_state("question")
    elif name == "merge":
        from hovrik.store.merge import Other

        with Other(path) as other:
            other.notebook.passes()
    elif name == "log":
        from hovrik.store.files.read.table import read_table

        read_table(path)
    elif name == "still":
        from hovrik.store.stills import read_still

        read_still(path)
    elif name == "rig":
        from hovrik.store.files.write import exchange

        exchange.read(path)
    elif name == "profile":
        from hovrik.store.files.write import profile

        profile.read(path)
    elif name == "description":
        from hovrik.bench.simulated.model import load_model

        load_model(path)
    elif name == "twins":
        from hovrik.store.twin_files import TwinFiles

        class Made(Exception):
            pass

        def make():
            raise Made

        with contextlib.suppress(Made):
            TwinFiles(path.parent)(path.stem, make)
    elif name == "what it is":
        from hovrik.app.arrivals import kind_of

        kind_of(path)
    elif name == "machine":
        from hovrik.service.sweeps import load_machine

        load_machine(f"{path}:Machine")
    elif name == "window":
        open_in_window(path)


READERS = {
    "notebook": ".hovrik",
    "notebook to write": ".hovrik",
    "merge": ".hovrik",
    "log": ".csv",
    "still": ".png",
    "rig": ".json",
    "profile": ".toml",
    "description": ".toml",
    "twins": ".npz",
    "what it is": ".csv",
    "machine": ".py",
    "window": ".hovrik",
}


def _read(name, kind):
    def attack(folder):
        path = _place(kind, folder, READERS[name])
        with within(MOST_S):
            fuzz.told(lambda: _reader(name, path, folder))

    return attack


def _twin(change):
    """A file of twins that is not what it should be is made anew, never believed."""

    def attack(folder):
        import numpy as np

        from hovrik.core.model.twins import Rigs, Twins
        from hovrik.store.twin_files import TwinFiles

        def good(n=4, s=3):
            from dataclasses import fields

            column = np.ones((n, 1))
            rigs = Rigs(*(column.copy() for _ in fields(Rigs)))
            known = {
                "free": np.full((n, s), 0.1),
                "package": np.full((n, s), -0.2),
                "caps": np.full(s, 3.6),
                "tail": -0.1 * column,
                "slack": -0.01 * column,
                "about": 3.7,
                "about_w": 3.0,
                "rigs": rigs,
            }
            return Twins(**known)

        made = []

        def make():
            made.append(True)
            return good()

        TwinFiles(folder)("abcd", make)
        path = folder / "abcd.npz"
        with np.load(path) as found:
            columns = dict(found)
        changed = change(columns)
        if isinstance(changed, bytes):
            path.write_bytes(changed)
        else:
            with path.open("wb") as file:
                np.savez(file, **changed)
        got = TwinFiles(folder)("abcd", make)
        assert len(made) == 2, f"it was believed: {got.free.ravel()[:2]}"

    return attack


def _np():
    import numpy

    return numpy


TWINS = {
    "rates of words": lambda c: {**c, "free": _np().full(c["free"].shape, "fast")},
    "rates under nothing": lambda c: {**c, "free": c["free"] - 50},
    "rates huge": lambda c: {**c, "free": c["free"] * 1e300},
    "watts under nothing": lambda c: {**c, "package": c["package"] - 50},
    "watts huge": lambda c: {**c, "package": c["package"] + 50},
    "caps not finite": lambda c: {**c, "caps": c["caps"] * float("nan")},
    "caps under nothing": lambda c: {**c, "caps": c["caps"] - 50},
    "about not finite": lambda c: {**c, "about": float("nan")},
    "about of two": lambda c: {**c, "about": _np().ones(2)},
    "tails not finite": lambda c: {**c, "tail": c["tail"] * float("inf")},
    "tails under nothing": lambda c: {**c, "tail": c["tail"] + 5},
    "one column less": lambda c: {k: v for k, v in c.items() if k != "slack"},
    "a wide rig": lambda c: {**c, next(k for k in c if k.startswith("rigs_")): _np().ones((4, 2))},
    "rigs not finite": lambda c: {**c, next(k for k in c if k.startswith("rigs_")): _np().full((4, 1), float("nan"))},
    "complex rates": lambda c: {**c, "free": c["free"] * 1j},
    "no zip": lambda c: b"x" * 500,
    "an empty file": lambda c: b"",
    "whole numbers": lambda c: {**c, "free": c["free"].astype(bool)},
}

ROWS = [
    *((f"answered: {name}", _answered(name)) for name in CRAFTS),
    *((f"{reader} of {kind}", _read(reader, kind)) for reader in READERS for kind in PLACES),
    *((f"twins: {name}", _twin(change)) for name, change in TWINS.items()),
]
IN_WINDOW = [(f"in the window: {name}", _shown(name)) for name in CRAFTS]
