"""Rigs and titles as files, JSON or TOML. Schema: docs/rig-format.md. A file is checked as a whole before anything of
it is used, and every problem is listed."""

from __future__ import annotations

import json
import re
import tomllib
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import tomli_w

from ....core.errors import ImportRefused, Problem
from ....core.facts.sheets import rig_problems, title_problems
from ....disk.reading import name_of, read_text
from ....disk.writing import FileKind, write_text
from ...sound import check, json_of

VERSION = 1
_CHECKS: dict[str, Callable[[Any], list[str]]] = {"rig": rig_problems, "title": title_problems}


def to_text(kind: str, body: Mapping[str, Any], suffix: str) -> str:
    """The document of a rig or title body as JSON (".json") or TOML (".toml"); what is unknown is left out."""
    document = {"schema": f"hovrik-{kind}", "version": VERSION, kind: _known(body)}
    if suffix == ".toml":
        return tomli_w.dumps(document)
    return json.dumps(document, indent=2, ensure_ascii=False, allow_nan=False) + "\n"


def write(path: Path, kind: str, body: Mapping[str, Any], *, force: bool = False) -> None:
    """Write a rig or title atomically, TOML where the name ends in .toml. Raises StoreError, NotOurs."""
    write_text(path, to_text(kind, body, path.suffix.lower()), FileKind.DOCUMENT, force=force)


def read(path: Path) -> tuple[str, dict[str, Any]]:
    """Kind ("rig" or "title") and checked body of a file. Raises ImportRefused with every problem."""
    return parse(read_text(path, "a rig or title"), name_of(path))


def schema_of(path: Path) -> str:
    """What a document says that it is, "" where it says nothing. Raises ImportRefused where it cannot be read."""
    document = document_of(read_text(path, "a document"), name_of(path))
    return str(document.get("schema") or "") if isinstance(document, dict) else ""


def document_of(text: str, name: str) -> Any:
    """Plain values of a text; TOML where `name` ends in .toml, else JSON. Raises ImportRefused."""
    is_toml = name.lower().endswith(".toml")
    try:
        document = tomllib.loads(text) if is_toml else json_of(text)
        check(document)
    except tomllib.TOMLDecodeError as fault:
        where = re.search(r"\(at (.*)\)", str(fault))
        raise ImportRefused(
            f"{name} is not TOML: it breaks off or is mistyped at "
            f"{where.group(1).replace('end of document', 'its end') if where else 'its end'}."
        ) from fault
    except (ValueError, RecursionError) as fault:
        raise ImportRefused(f"{name} is not {'TOML' if is_toml else 'JSON'}: {fault}.") from fault
    return document


def parse(text: str, name: str) -> tuple[str, dict[str, Any]]:
    """The same for text; TOML where `name` ends in .toml, else JSON."""
    document = document_of(text, name)
    schema = document.get("schema") if isinstance(document, dict) else None
    kind = str(schema).removeprefix("hovrik-")
    if kind not in _CHECKS:
        raise ImportRefused(f'{name} is no rig or title: its "schema" must be "hovrik-rig" or "hovrik-title".')
    check_version(document.get("version"), name, VERSION)
    found = _CHECKS[kind](document.get(kind))
    if found:
        raise ImportRefused(f"{name} is not a sound {kind}.", tuple(Problem(None, "field", text) for text in found))
    return kind, dict(document[kind])


def check_version(version: object, name: str, newest: int, what: str = "version") -> None:
    """Raises ImportRefused where a document's version is no whole number from 1 to the newest one known."""
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise ImportRefused(f'{name}: "version" must be a whole number from 1.')
    if version > newest:
        raise ImportRefused(f"{name} has {what} {version}; this Hovrik reads up to {newest}. Update Hovrik.")


def _known(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {k: _known(v) for k, v in value.items() if v is not None and v != () and v != [] and v != ""}
    if isinstance(value, list | tuple):
        return [_known(v) for v in value]
    return value
