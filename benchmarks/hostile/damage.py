"""One value of one row, or some bits of the file, changed by something else: another answer is never given without a
word, whatever was cached."""

from __future__ import annotations

import json
import random
import shutil
import sqlite3
import tempfile
from functools import lru_cache
from pathlib import Path

import fuzz

from hovrik.core.errors import HovrikError
from hovrik.service.gather import evaluate
from hovrik.service.remembered import remembered
from hovrik.store.notebook import Notebook

CACHES = ("all", "verdicts only", "figures only", "none")


@lru_cache
def _base(caches):
    """A notebook with these caches, and its answer."""
    folder = Path(tempfile.mkdtemp(prefix="hovrik-damage-"))
    path = fuzz.base(folder)
    raw = sqlite3.connect(path)
    if caches != "all":
        raw.execute(
            "DELETE FROM derived"
            + {
                "verdicts only": " WHERE algorithm NOT LIKE 'verdict%'",
                "figures only": " WHERE algorithm LIKE 'verdict%'",
                "none": "",
            }[caches]
        )
    raw.commit()
    raw.close()
    copy = folder / "asked.hovrik"
    shutil.copy(path, copy)
    right, spoiled = fuzz.look(copy)
    assert not spoiled and right, (right, spoiled)
    return path, right


def _other(value, rng):
    """A value that is not this one, as near to it as can be."""
    if value is None:
        return rng.choice([1, "x"])
    if isinstance(value, int):
        moved = value + rng.choice([-1, 1]) * rng.choice([1, 1000, 10**9])
        return moved if abs(moved) < 2**63 else value - value // 7
    if isinstance(value, float):
        return value * 1.5 + 1.0
    if isinstance(value, bytes):
        body = bytearray(value or b"\0")
        body[rng.randrange(len(body))] ^= 1 << rng.randrange(8)
        return bytes(body)
    digits = [at for at, sign in enumerate(value) if sign.isdigit()]
    at = rng.choice(digits) if digits and rng.random() < 0.7 else rng.randrange(max(len(value), 1))
    if not value:
        return "x"
    sign = value[at]
    new = str((int(sign) + rng.randint(1, 8)) % 10) if sign.isdigit() else "q" if sign != "q" else "z"
    return value[:at] + new + value[at + 1 :]


def _spoil(path, table, column, rng):
    """Change one value; the triggers are back afterwards. False where there is none."""
    raw = sqlite3.connect(path)
    triggers = raw.execute("SELECT name, sql FROM sqlite_master WHERE type = 'trigger'").fetchall()
    for name, _ in triggers:
        raw.execute(f"DROP TRIGGER {name}")
    raw.execute("PRAGMA ignore_check_constraints = ON")
    keys = [row[1] for row in raw.execute(f"PRAGMA table_info({table})") if row[5]]
    names = ", ".join(keys)
    rows = raw.execute(f"SELECT {names}, {column} FROM {table}").fetchall()
    done = False
    if rows:
        *own, value = rng.choice(rows)
        where = " AND ".join(f"{one} IS ?" for one in keys)
        try:
            raw.execute(f"UPDATE {table} SET {column} = ? WHERE {where}", (_other(value, rng), *own))
            done = True
        except sqlite3.IntegrityError:
            pass
    for _, sql in triggers:
        raw.execute(sql)
    raw.commit()
    raw.close()
    return done


def _value(table, column, caches, seed):
    def attack(folder):
        origin, right = _base(caches)
        path = folder / "spoiled.hovrik"
        shutil.copy(origin, path)
        if not _spoil(path, table, column, random.Random(seed)):
            return
        _judge(path, right)

    return attack


def _judge(path, right):
    """Another answer is said; a void pass says so in the answer's own counts."""
    try:
        with Notebook(path) as notebook:
            found = remembered(notebook)
            spoiled, sentence, told = notebook.spoiled, None, ()
            if found.question is not None:
                made = evaluate(notebook, found.question)
                sentence, spoiled, told = made.answer.sentence, notebook.spoiled or made.spoiled, found.faults
    except HovrikError as fault:
        assert str(fault), "a problem without words"
        return
    assert sentence == right or spoiled or told, f"without a word: {sentence}"


def _columns():
    path, _ = _base("all")
    raw = sqlite3.connect(path)
    tables = [
        row[0]
        for row in raw.execute(
            "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' ORDER BY name"
        )
    ]
    found = [(table, row[1]) for table in tables for row in raw.execute(f"PRAGMA table_info({table})")]
    raw.close()
    return found


def _null_metric(folder):
    """A cached figure that became nothing is no measurement."""
    origin, right = _base("all")
    path = folder / "spoiled.hovrik"
    shutil.copy(origin, path)
    from hovrik.store.packing import pack_body, unpack_body

    raw = sqlite3.connect(path)
    for owner, algorithm, body in raw.execute("SELECT pass_id, algorithm, body FROM derived").fetchall():
        found = unpack_body(body)
        if isinstance(found.get("values"), dict):
            found["values"] = dict.fromkeys(found["values"])
            raw.execute(
                "UPDATE derived SET body = ? WHERE pass_id = ? AND algorithm = ?",
                (
                    pack_body(json.loads(json.dumps({k: v for k, v in found.items() if k == "values"}))),
                    owner,
                    algorithm,
                ),
            )
    raw.commit()
    raw.close()
    _judge(path, right)


def _bits(seed):
    def attack(folder):
        origin, right = _base(CACHES[seed % 4])
        rng, data = random.Random(seed), bytearray(origin.read_bytes())
        for _ in range(rng.randint(1, 8)):
            data[rng.randrange(len(data))] ^= 1 << rng.randrange(8)
        path = folder / "flipped.hovrik"
        path.write_bytes(data)
        _judge(path, right)

    return attack


def rows(share):
    """Every column of every table with each state of the caches, then bits anywhere."""
    columns, rng = _columns(), random.Random(7)
    many = [(t, c, k, s) for s in range(2) for t, c in columns for k in CACHES]
    rng.shuffle(many)
    found = [
        (f"{t}.{c}, caches: {k}, {s}", _value(t, c, k, f"{t}{c}{k}{s}"))
        for t, c, k, s in many[: max(int(len(many) * share), 1)]
    ]
    found.append(("a null metric", _null_metric))
    return [*found, *((f"bits {seed}", _bits(seed)) for seed in range(max(int(200 * share), 1)))]


def mutants(share):
    """Rows and documents spoiled at random: nothing but a told problem comes of it."""
    block = 25

    def some(seed):
        def attack(folder):
            silent = fuzz.main(block, seed)
            assert not silent, silent

        return attack

    return [(f"{block} mutants, seed {seed}", some(seed)) for seed in range(max(int(400 * share), 1))]
