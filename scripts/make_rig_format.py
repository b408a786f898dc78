"""Writes docs/rig-format.md from the sheets, so that file, form and checks never disagree.

Usage: .venv/bin/python scripts/make_rig_format.py [--print]
"""

import sys
from pathlib import Path

from hovrik.core.facts.sheet import Kind, Sheet
from hovrik.core.facts.sheets import RIG, TITLE

OUT = Path(__file__).parents[1] / "docs" / "rig-format.md"
HEAD = """# Rig and title files, version 1

JSON or TOML, UTF-8: `schema` ("hovrik-rig" or "hovrik-title"), `version` (1) and a table `rig` or `title`. Every
entry but those marked may be left out: left out is unknown. Unknown entries are ignored. A file is checked as a whole
before anything of it is used, and every problem is listed. This page is made from the program's own sheets by
`scripts/make_rig_format.py`.
"""


def allowed(entry):
    """What an entry may hold, in words."""
    if entry.choices:
        return ", ".join(entry.choices)
    if entry.kind in (Kind.NUMBER, Kind.WHOLE, Kind.NUMBERS, Kind.PAIR):
        return f"{entry.low:g} to {entry.high:g} {entry.unit}".strip()
    return "0 to 1" if entry.kind in (Kind.SHARE, Kind.SHARES) else ""


def section(sheet: Sheet, name: str, level: int) -> str:
    """A heading and table for a sheet, then its tables."""
    lines = [f"{'#' * level} `{name}`", "", "| entry | kind | allowed | meaning |", "|---|---|---|---|"]
    for entry in sheet.fields:
        must = " (needed)" if entry.required else ""
        words = entry.label if not entry.section else f"{entry.section}: {entry.label}"
        lines.append(f"| `{entry.name}`{must} | {entry.kind.value} | {allowed(entry)} | {words} |")
    parts = ["\n".join(lines)]
    parts += [section(rows, f"{name}.{key}[]", level + 1) for key, rows in sheet.tables.items()]
    return "\n\n".join(parts)


def text() -> str:
    """The whole page."""
    return "\n".join([HEAD, section(RIG, "rig", 2), "", section(TITLE, "title", 2), ""])


if __name__ == "__main__":
    if "--print" in sys.argv:
        print(text())
    else:
        OUT.write_text(text(), encoding="utf-8")
