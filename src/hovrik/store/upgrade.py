"""What a migration cannot say in SQL. Frozen with its migration: it leans on no query and no class of today."""

from __future__ import annotations

import json
import sqlite3
import zlib
from typing import Any

import numpy as np

from .packing import checksum, pack_stamps, pack_values


def pack_chunks(connection: sqlite3.Connection) -> None:
    """Format 4: the chunks of each pass become packed series of its recording, channels with the same stamps sharing
    them; one pass in memory at a time."""
    owners = [row[0] for row in connection.execute("SELECT id FROM recording ORDER BY seq")]
    for owner in owners:
        rows = connection.execute(
            "SELECT channel, stamps, samples FROM chunk WHERE pass_id = ? ORDER BY channel, number", (owner,)
        ).fetchall()
        stamps: dict[str, list[bytes]] = {}
        values: dict[str, list[bytes]] = {}
        for channel, one, two in rows:
            stamps.setdefault(channel, []).append(one)
            values.setdefault(channel, []).append(two or b"")
        clocks: dict[bytes, int] = {}
        for channel, parts in stamps.items():
            raw = b"".join(parts)
            if raw not in clocks:
                own = np.frombuffer(raw, "<i8").astype(np.int64)
                data = pack_stamps(own)
                made = connection.execute(
                    "INSERT INTO clock (recording_id, count, data, checksum) VALUES (?, ?, ?, ?)",
                    (owner, own.size, data, checksum(data)),
                )
                clocks[raw] = int(made.lastrowid or 0)
            samples = None
            if channel != "frames":
                samples = pack_values(np.frombuffer(b"".join(values[channel]), "<f8").astype(np.float64))
            connection.execute(
                "INSERT INTO series (recording_id, channel, clock, data, checksum) VALUES (?, ?, ?, ?, ?)",
                (owner, channel, clocks[raw], samples, None if samples is None else checksum(samples)),
            )
    connection.execute("DROP TABLE chunk")


def lay_steps(connection: sqlite3.Connection) -> None:
    """Format 4: a plan held a recipe; here are the steps that it stood for, so that it goes on whatever becomes of the
    code that made them. The step of its nth pass is PLAN/n, which the migration has written beside the passes."""
    for plan_id, text, noted_at in connection.execute("SELECT id, body, noted_at FROM plan ORDER BY seq").fetchall():
        body = json.loads(text)
        if not isinstance(body.get("design"), dict):
            continue
        connection.execute(
            "INSERT INTO batch (plan_id, number, told, why, is_last, noted_at) VALUES (?, 0, '[]', '', 1, ?)",
            (plan_id, noted_at),
        )
        rows = [
            (f"{plan_id}/{index}" if kind == "measure" else f"{plan_id}/{index}/{kind}", kind, step)
            for index, one in enumerate(_passes(body["design"], body.get("setups") or []))
            for kind, step in one.items()
        ]
        connection.executemany(
            "INSERT INTO step (id, plan_id, batch, position, kind, body) VALUES (?, ?, 0, ?, ?, ?)",
            [(made, plan_id, at, kind, json.dumps(step)) for at, (made, kind, step) in enumerate(rows)],
        )


def _passes(design: dict[str, Any], setups: list[dict[str, Any]]) -> list[dict[str, dict[str, Any]]]:
    """Each pass of a recipe of format 3 and before: kind of step to its body."""
    rng = np.random.default_rng(design["seed"])
    if setups:
        return [_steps(design, setups[at]) for at in rng.permutation(len(setups)).tolist()]
    count = int(np.floor((design["to_w"] - design["from_w"]) / design["step_w"] + 1e-9)) + 1
    levels = [round(design["from_w"] + i * design["step_w"], 6) for i in range(count)]
    cap = "none" if design["cap_fps"] is None else design["cap_fps"]
    found = []
    if design.get("heat_s", 0.0) > 0:
        found.append(_steps(design, _static(levels[count // 2], cap), heat_s=design["heat_s"]))
    for _ in range(design["repeats"]):
        found += [_steps(design, _static(limit, cap)) for limit in rng.permutation(levels).tolist()]
    return found


def _static(limit_w: float, cap: float | str) -> dict[str, Any]:
    limits = ("sustained_limit_w", "short_limit_w", "peak_limit_w")
    return {**dict.fromkeys(limits, float(limit_w)), "cap_fps": cap}


def _steps(design: dict[str, Any], setup: dict[str, Any], heat_s: float = 0.0) -> dict[str, dict[str, Any]]:
    more: dict[str, Any] = {"setup": setup, **({"purpose": "heat"} if heat_s else {})}
    until_settled = bool(design.get("until_settled")) and not heat_s
    soak_s = 0.0 if heat_s else design["soak_s"]
    found = {"apply": {"seconds": design["settle_s"], **more}}
    if soak_s or until_settled:
        found["soak"] = {"seconds": soak_s, **more, **({"until_settled": True} if until_settled else {})}
    found["measure"] = {"seconds": heat_s or design["pass_s"], **more}
    if design["cool_s"]:
        found["rest"] = {"seconds": design["cool_s"], **more}
    return found


def _to_format_4(connection: sqlite3.Connection) -> None:
    pack_chunks(connection)
    lay_steps(connection)


def seal(*values: Any) -> int:
    """The checksum of a row in format 5."""
    return checksum("\x1f".join("" if value is None else str(value) for value in values).encode("utf-8", "replace"))


_SEALED = {
    "pass": "id, plan_id, plan_index, step_id, recording_id, from_ns, to_ns, start_ns, end_ns, rig, slot, title, "
    "scene, origin, purpose, outcome, reason, asked, read, conditions, summary, started_ns",
    "entity": "id, kind, key, parent, body, noted_at",
    "annotation": "uid, pass_id, kind, body, noted_at",
    "journal": "id, plan_id, machine, snapshot",
    "profile": "id, body",
    "state": "key, body",
}


def seal_rows(connection: sqlite3.Connection) -> None:
    """Format 5: the checksum of every row as it stands; what may not be changed is changed once."""
    triggers = connection.execute("SELECT name, sql FROM sqlite_master WHERE type = 'trigger'").fetchall()
    for name, _ in triggers:
        connection.execute(f"DROP TRIGGER {name}")
    for table, columns in _SEALED.items():
        own = columns.split(",", 1)[0]
        rows = connection.execute(f"SELECT {columns} FROM {table}").fetchall()
        connection.executemany(f"UPDATE {table} SET checksum = ? WHERE {own} = ?", [(seal(*r), r[0]) for r in rows])
    for _, text in triggers:
        connection.execute(text)


def seal_all_rows(connection: sqlite3.Connection) -> None:
    """Format 6: the checksum of every row over all of its columns. A row that does not agree with that of format 5 was
    changed by something else: its new one does not agree either."""
    spoiled = {
        table: {
            row[0] for row in connection.execute(f"SELECT {columns}, checksum FROM {table}").fetchall()
            if row[-1] is None or seal(*row[:-1]) != row[-1]
        }
        for table, columns in _SEALED.items()
    }  # fmt: skip
    connection.create_function("seal_6", -1, seal_6, deterministic=True)
    triggers = connection.execute("SELECT name, sql FROM sqlite_master WHERE type = 'trigger'").fetchall()
    for name, _ in triggers:
        connection.execute(f"DROP TRIGGER {name}")
    for owner, data in connection.execute("SELECT seq, data FROM still").fetchall():
        connection.execute("UPDATE still SET size = ?, crc = ? WHERE seq = ?", (len(data), checksum(data), owner))
    for (owner,) in connection.execute("SELECT id FROM recording").fetchall():
        rows = connection.execute(
            "SELECT series.channel, clock.count, clock.checksum, series.checksum FROM series LEFT JOIN clock "
            "ON clock.seq = series.clock AND clock.recording_id = series.recording_id WHERE series.recording_id = ? "
            "ORDER BY series.seq", (owner,),
        ).fetchall()  # fmt: skip
        connection.execute(
            "UPDATE recording SET parts = ? WHERE id = ?", (seal_6(*(v for r in rows for v in r)), owner)
        )
    for table, columns in _SEALED_6.items():
        own = _SEALED.get(table, columns).split(",", 1)[0]
        given = ", ".join(f"CAST({one} AS BLOB)" for one in columns.split(", "))
        connection.execute(f"UPDATE {table} SET checksum = seal_6({given})")
        connection.executemany(
            f"UPDATE {table} SET checksum = checksum + 1 WHERE {own} IS ?", [(one,) for one in spoiled.get(table, ())]
        )
    for _, text in triggers:
        connection.execute(text)


def seal_6(*values: Any) -> int:
    """The checksum of a row in format 6."""
    found = 0
    for value in values:
        if value is None:
            found = zlib.crc32(b"\x00", found)
            continue
        own = value if isinstance(value, bytes) else str(value).encode("utf-8", "surrogateescape")
        found = zlib.crc32(b"\x1f", zlib.crc32(own, zlib.crc32(b"\x02", found)))
    return found


_SEALED_6 = {
    "entity": "seq, id, kind, key, parent, body, noted_at, frozen_at",
    "plan": "seq, id, body, noted_at",
    "batch": "seq, plan_id, number, told, why, is_last, noted_at",
    "step": "seq, id, plan_id, batch, position, kind, body, begun_at",
    "recording": "seq, id, start_ns, end_ns, launch, boot, readback, noted_at, parts",
    "span": "seq, id, recording_id, kind, name, start_ns, end_ns, noted_at",
    "pass": "seq, id, plan_id, plan_index, step_id, recording_id, from_ns, to_ns, start_ns, end_ns, rig, slot, title, "
    "scene, rig_key, slot_key, title_key, scene_key, source, log_part, origin, purpose, outcome, reason, asked, read, "
    "conditions, summary, started_ns, noted_at",
    "annotation": "seq, uid, pass_id, kind, body, noted_at",
    "dismissal": "seq, id, finding, about, reason, undoes, noted_at",
    "incident": "seq, id, kind, rig, slot, title, scene, setup, body, noted_at",
    "still": "seq, id, pass_id, name, media, size, crc, noted_at, removed_at",
    "profile": "seq, id, rig_key, slot_key, title_key, source, body, noted_at, removed_at",
    "journal": "seq, id, plan_id, machine, snapshot, found, position, began_at, restored_at",
    "state": "key, schema, version, body",
}

AFTER = {4: _to_format_4, 5: seal_rows, 6: seal_all_rows}
