"""A profile as JSON or TOML, all profiles as a table: the setup chosen for title x OS slot x source with its evidence.

Schema: docs/profile-format.md.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import tomli_w

from ....core.errors import ImportRefused, Problem
from ....core.keep.profile import Profile
from ....disk.reading import name_of, read_text
from ....disk.writing import FileKind, write_text
from ...sound import check
from .exchange import check_version, document_of
from .table import csv_text

SCHEMA = "hovrik-profile"
VERSION = 2

_TEXT = ("rig", "slot", "title", "scene", "source", "sentence")
_NUMBER = ("target_fps", "holds")


def to_json(profile: Profile) -> str:
    """The document of a profile."""
    document = {"schema": SCHEMA, "version": VERSION, **profile.body}
    return json.dumps(document, indent=2, ensure_ascii=False, sort_keys=True, allow_nan=False) + "\n"


def to_toml(profile: Profile) -> str:
    """The same as TOML, which knows no null: what is unknown is left out, lists and the message with it in them whole,
    for they would say something else."""
    whole = {key: own for key, own in profile.body.items() if key != "message" or not _has_null(own)}
    return tomli_w.dumps({"schema": SCHEMA, "version": VERSION, **_without_null(whole)})


def _has_null(value: Any) -> bool:
    if isinstance(value, Mapping | list | tuple):
        return any(_has_null(own) for own in (value.values() if isinstance(value, Mapping) else value))
    return value is None


def _without_null(value: Any) -> Any:
    if isinstance(value, Mapping):
        kept = {key: own for key, own in value.items() if own is not None}
        lists = {key for key, own in kept.items() if isinstance(own, list | tuple) and _has_null(own)}
        return {key: _without_null(own) for key, own in kept.items() if key not in lists}
    return [_without_null(own) for own in value] if isinstance(value, list | tuple) else value


def write(path: Path, profile: Profile, *, force: bool = False) -> None:
    """Write a profile atomically, TOML where the name ends in .toml. Raises StoreError, NotOurs; an older file is then
    still whole."""
    text = to_toml(profile) if path.suffix.lower() == ".toml" else to_json(profile)
    write_text(path, text, FileKind.DOCUMENT, force=force)


def write_table(path: Path, profiles: Iterable[Profile], *, force: bool = False) -> None:
    """Write profiles as a table, one row for each. Raises StoreError, NotOurs; an older file is then still whole."""
    write_text(path, to_csv(profiles), FileKind.TABLE, force=force)


def to_csv(profiles: Iterable[Profile]) -> str:
    """A table of profiles (RFC 4180): names, every knob as "setup.x", every figure as "x", "x.low" and "x.high" with
    its unit in the heading, the sentence. Text that a spreadsheet would take for a formula gets an apostrophe."""
    rows = [_row_of(one) for one in profiles]
    columns = [*dict.fromkeys(key for place in range(3) for row in rows for key in row[place])]
    cells = [{**row[0], **row[1], **row[2]} for row in rows]
    return csv_text([columns, *([one.get(column) for column in columns] for one in cells)])


def _row_of(profile: Profile) -> tuple[dict[str, Any], dict[str, Any], dict[str, Any]]:
    """Cells of a profile: whose it is and its setup, its figures, its sentence."""
    kept_at = profile.kept_at
    place = {kind: profile.named(kind) for kind in ("title", "scene", "rig", "slot")}
    setup = {f"setup.{knob}": value for knob, value in sorted(profile.setup.items())}
    figures: dict[str, Any] = {"floor, fps": profile.target_fps, "floor holds, share": profile.body["holds"]}
    for name, metric in sorted(profile.metrics.items()):
        for heading, end in ((name, metric.value), (f"{name}.low", metric.low), (f"{name}.high", metric.high)):
            figures[f"{heading}, {metric.unit}" if metric.unit else heading] = end
    when = f"{datetime.fromtimestamp(kept_at / 1e9, UTC):%Y-%m-%dT%H:%M:%SZ}" if kept_at else ""
    last = {"passes": len(profile.passes), "kept": when, "sentence": profile.sentence}
    return {**place, "source": profile.source.value, **setup}, figures, last


def read(path: Path) -> Profile:
    """A profile from a file. Raises ImportRefused with every problem found."""
    return parse(read_text(path, "a profile"), name_of(path))


def parse(text: str, name: str) -> Profile:
    """The same for text, TOML where `name` ends in .toml; all problems are reported together."""
    document = document_of(text, name)
    if not isinstance(document, dict) or document.get("schema") != SCHEMA:
        raise ImportRefused(f'{name} is not a profile: its "schema" is not "{SCHEMA}".')
    check_version(document.get("version"), name, VERSION, "profile version")
    problems = problems_of(document)
    if problems:
        raise ImportRefused(f"{name} is not a sound profile.", tuple(Problem(None, "field", p) for p in problems))
    return Profile({k: v for k, v in document.items() if k not in ("schema", "version")})


def problems_of(body: Any) -> list[str]:
    """Everything wrong with the body of a profile, as it comes from a file or a notebook."""
    if not isinstance(body, Mapping):
        return ["a profile must be a table"]
    try:
        check(body)
    except ValueError as fault:
        return [str(fault)]
    return [
        *_missing(body), *_setup_problems(body.get("setup")), *_metric_problems(body), *_optional_problems(body)
    ]  # fmt: skip


def _optional_problems(body: Mapping[str, Any]) -> list[str]:
    found = []
    names = body.get("names")
    if names is not None and not (isinstance(names, Mapping) and all(isinstance(v, str) for v in names.values())):
        found.append('"names" must map kinds to text')
    for key in ("firmware", "low_school"):
        if body.get(key) is not None and not isinstance(body[key], str):
            found.append(f'"{key}" must be text')
    kept_at = body.get("kept_at")
    if kept_at is not None and not (isinstance(kept_at, int) and not isinstance(kept_at, bool) and 0 <= kept_at < 4e18):
        found.append('"kept_at" must be a time in ns')
    versions = body.get("versions")
    if versions is not None and not (isinstance(versions, Mapping) and all(_is_word(v) for v in versions.values())):
        found.append('"versions" must map what is installed to text')
    for key in ("terms", "conditions", "message"):
        if body.get(key) is not None and not isinstance(body[key], Mapping):
            found.append(f'"{key}" must be a table')
    if body.get("state") not in (None, "chosen", "kept", "stale"):
        found.append('"state" must be "chosen", "kept" or "stale"')
    if body.get("health") is not None and not (_is_number(body["health"]) and 0 < body["health"] <= 2):
        found.append('"health" must be a share of the battery')
    order = body.get("order")
    if order is not None and not (isinstance(order, list) and all(isinstance(one, str) for one in order)):
        found.append('"order" must be a list of knobs')
    reasons = body.get("reasons")
    if reasons is not None and not (isinstance(reasons, list) and all(isinstance(one, str) for one in reasons)):
        found.append('"reasons" must be a list of text')
    return found


def _is_word(value: Any) -> bool:
    return value is None or isinstance(value, str)


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < 1e12


def _missing(document: Mapping[str, Any]) -> list[str]:
    found = [f'"{k}" must be text' for k in _TEXT if not isinstance(document.get(k), str)]
    found += [f'"{k}" must be a number' for k in _NUMBER if not _is_number(document.get(k))]
    holds = document.get("holds")
    if _is_number(holds) and not 0 <= float(holds) <= 1:  # type: ignore[arg-type]
        found.append(f'"holds" must lie between 0 and 1, got {holds}')
    if document.get("source") not in ("battery", "adapter"):
        found.append('"source" must be "battery" or "adapter"')
    passes = document.get("passes")
    if not isinstance(passes, list) or not all(isinstance(p, str) for p in passes):
        found.append('"passes" must be a list of pass ids')
    return found


def _setup_problems(setup: Any) -> list[str]:
    if not isinstance(setup, dict) or not setup:
        return ['"setup" must map knobs to values and not be empty']
    found = []
    for key, value in setup.items():
        if not isinstance(value, str | bool) and not _is_number(value):
            found.append(f'"setup.{key}" must be a number, text or truth value')
        elif key.endswith("_w") and not (_is_number(value) and 0 < value <= 1000):
            found.append(f'"setup.{key}" must lie over 0 and up to 1000 W, got {value}')
    return found


def _metric_problems(document: Mapping[str, Any]) -> list[str]:
    metrics = document.get("metrics")
    if not isinstance(metrics, dict):
        return ['"metrics" must map names to value, low, high and unit']
    found = []
    for name, metric in metrics.items():
        sound = isinstance(metric, dict) and _is_number(metric.get("value")) and isinstance(metric.get("unit"), str)
        ends = [metric.get(end) for end in ("low", "high")] if isinstance(metric, dict) else []
        if not sound or not all(end is None or _is_number(end) for end in ends):
            found.append(f'"metrics.{name}" needs a number "value", numbers "low" and "high", and a text "unit"')
    return found
