"""Spoils rows of a notebook and documents in files at random, or flips bits of whole notebooks: nothing but a told
problem may come of it, and no other answer without a word.

Run: .venv/bin/python benchmarks/fuzz.py [MUTATIONS]  or  benchmarks/fuzz.py flips [FILES]; the tests do a few.
"""

import gzip
import json
import random
import shutil
import sqlite3
import sys
import tempfile
from pathlib import Path

from hovrik.core.errors import HovrikError
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.service.remembered import remembered
from hovrik.store.files.write import exchange
from hovrik.store.files.write import profile as profile_file
from hovrik.store.notebook import Notebook
from hovrik.store.stills import stills

DATA = Path(__file__).parents[1] / "tests" / "data"
ROWS = {
    "entity": ("body",), "plan": ("body",), "step": ("body",), "batch": ("told",), "journal": ("machine", "snapshot"),
    "pass": ("asked", "read", "conditions", "summary"), "annotation": ("body",), "incident": ("setup", "body"),
    "profile": ("body",), "state": ("body",), "recording": ("readback",), "derived": ("body",),
    "clock": ("data",), "series": ("data",),
}  # fmt: skip
TOLD = "told: "
JUNK = (None, True, -1, 0, 1e308, -1e308, 2**70, "", "x", "\ud800", "y" * 5000, [], [[]], {}, {"a": None}, "NaN")


def base(folder):
    """A notebook as the last program of format 3 left it, brought up to date, with its figures cached."""
    path = Path(folder) / "base.hovrik"
    path.write_bytes(gzip.decompress((DATA / "format-3.hovrik.gz").read_bytes()))
    with Notebook(path) as notebook:
        evaluate(notebook, remembered(notebook).question)
        notebook.read_rows("PRAGMA wal_checkpoint(TRUNCATE)")
    return path


def spoiled_text(text, rng):
    """A JSON text with one thing wrong in it."""
    how = rng.random()
    if how < 0.25 and text:
        at = rng.randrange(len(text))
        return text[:at] + rng.choice(["", "}", '"', "\x00", "9" * 30]) + text[at + 1 :]
    if how < 0.3:
        return text[: rng.randrange(len(text) + 1)]
    if how < 0.35:
        return text.replace("1", rng.choice(["NaN", "Infinity", "1e999"]), 1)
    body = json.loads(text)
    holder, key, at = None, None, body
    while isinstance(at, dict | list) and at and rng.random() < 0.8:
        holder, key = at, rng.choice(list(at) if isinstance(at, dict) else range(len(at)))
        at = holder[key]
    junk = rng.choice(JUNK)
    if holder is None:
        return json.dumps(junk)
    if isinstance(holder, dict) and rng.random() < 0.2:
        del holder[key]
    else:
        holder[key] = junk
    return json.dumps(body)


def spoil(path, rng):
    """Spoil one value of one row; what was done."""
    raw = sqlite3.connect(path)
    for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall():
        raw.execute(f"DROP TRIGGER {name}")
    table = rng.choice(list(ROWS))
    column = rng.choice(ROWS[table])
    rows = raw.execute(f"SELECT rowid, {column} FROM {table} WHERE {column} IS NOT NULL").fetchall() if (
        table != "state") else raw.execute("SELECT key, body FROM state").fetchall()  # fmt: skip
    if not rows:
        raw.close()
        return "nothing"
    row, value = rng.choice(rows)
    if isinstance(value, bytes):
        body = bytearray(value)
        if body:
            for _ in range(rng.randint(1, 8)):
                body[rng.randrange(len(body))] ^= 1 << rng.randrange(8)
        value = bytes(body)
    else:
        try:
            value = spoiled_text(value, rng)
            value.encode()
        except (ValueError, UnicodeEncodeError):
            value = "\x00"
    name = "key" if table == "state" else "rowid"
    raw.execute(f"UPDATE {table} SET {column} = ? WHERE {name} = ?", (value, row))
    raw.commit()
    raw.close()
    return f"{table}.{column} {row}: {value[:200]!r}"


def look(path):
    """Everything that reads a notebook; what is told is allowed, anything else is raised. The answer, None withheld."""
    with Notebook(path) as notebook:
        found = remembered(notebook)
        for kind in ("rig", "slot", "title", "scene"):
            notebook.newest(kind)
            notebook.entities(kind)
        notebook.profiles(), notebook.incidents(), stills(notebook), notebook.dismissals(), notebook.setups()
        for plan_id, _, _ in notebook.plans():
            told(lambda plan_id=plan_id: sweep.load_plan(notebook, plan_id))
        sweep.unfinished(notebook)
        if found.question is None:
            return None, notebook.spoiled
        try:
            return evaluate(notebook, found.question).answer.sentence, notebook.spoiled
        except HovrikError as fault:
            assert str(fault), "a problem without words"
            return f"{TOLD}{fault}", notebook.spoiled


def is_said(answer, right, spoiled):
    """Whether the answer is the right one, or something was said."""
    return bool(spoiled) or answer == right or (answer or "").startswith(TOLD)


def told(act):
    """What comes of something, None where it is refused with words."""
    try:
        return act()
    except HovrikError as fault:
        assert str(fault), "a problem without words"
        return None


def documents(rng, path):
    """A spoiled profile, rig or title file is refused with words or read."""
    with Notebook(path, read_only=True) as notebook:
        rig = notebook.newest("rig")["ombrel-8"].body
    document = {"schema": "hovrik-rig", "version": 1, "rig": rig}
    text = spoiled_text(json.dumps(document), rng)
    told(lambda: exchange.parse(text, "x.json"))
    profile = {
        "schema": "hovrik-profile", "version": 1, "rig": "r", "slot": "s", "title": "t", "scene": "c",
        "source": "battery", "sentence": "x", "target_fps": 40, "holds": 0.9, "passes": ["a"], "setup": {"cap_fps": 40},
        "metrics": {"hours": {"value": 2.0, "low": 1.0, "high": 3.0, "unit": "h"}}, "names": {"rig": "R"},
        "kept_at": 1, "firmware": "1",
    }  # fmt: skip
    told(lambda: profile_file.parse(spoiled_text(json.dumps(profile), rng), "p.json"))


def main(count, seed=1):
    """Spoil and look, so many times."""
    rng = random.Random(seed)
    with tempfile.TemporaryDirectory() as folder:
        origin = base(folder)
        right, _ = look(origin)
        silent = []
        for number in range(count):
            path = Path(folder) / "spoiled.hovrik"
            shutil.copy(origin, path)
            did = spoil(path, rng)
            try:
                answer, spoiled = look(path)
            except Exception:
                print("after", did, file=sys.stderr)
                raise
            if not is_said(answer, right, spoiled) and did.startswith(("clock", "series", "derived")):
                silent.append(did[:80])
            documents(rng, origin)
            if number % 200 == 199:
                print(f"{number + 1} of {count}", flush=True)
    return silent


def flips(count, seed=1):
    """Flip one to eight bits anywhere in a notebook, so many times: (told, no difference, other answers unsaid)."""
    rng, told, same, silent = random.Random(seed), 0, 0, []
    with tempfile.TemporaryDirectory() as folder:
        origin = base(folder)
        right, _ = look(origin)
        whole = origin.read_bytes()
        for number in range(count):
            path = Path(folder) / f"flipped-{number}.hovrik"
            data, places = bytearray(whole), []
            for _ in range(rng.randint(1, 8)):
                places.append((rng.randrange(len(data)), rng.randrange(8)))
                data[places[-1][0]] ^= 1 << places[-1][1]
            path.write_bytes(data)
            try:
                answer, spoiled = look(path)
            except HovrikError as fault:
                assert str(fault), "a problem without words"
                told += 1
            else:
                if not is_said(answer, right, spoiled):
                    silent.append((places, answer))
                elif answer == right and not spoiled:
                    same += 1
                else:
                    told += 1
            for one in Path(folder).glob("flipped-*"):
                one.unlink()
    return told, same, silent


if __name__ == "__main__":
    if sys.argv[1:2] == ["flips"]:
        print("told, same, silent:", flips(int(sys.argv[2]) if len(sys.argv) > 2 else 500))
    else:
        print("silent:", main(int(sys.argv[1]) if len(sys.argv) > 1 else 10_000))
