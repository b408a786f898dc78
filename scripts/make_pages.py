"""Writes the pages of docs/ that stand in the program's own tables, so that they never disagree with it.

Usage: .venv/bin/python scripts/make_pages.py [--check]     (--check: exit 1 where a page is not what it would be)
"""

import sys
from pathlib import Path

from hovrik.core.facts.knob import Order
from hovrik.core.facts.known_knobs import KNOWN
from hovrik.core.facts.sheet import FieldKind, Sheet
from hovrik.core.facts.sheets import RIG, TITLE
from hovrik.core.passes.figure import FIGURES

DOCS = Path(__file__).parents[1] / "docs"
HEAD = """# Rig and title files, version 1

JSON or TOML, UTF-8: `schema` ("hovrik-rig" or "hovrik-title"), `version` (1) and a table `rig` or `title`. Every
entry but those marked may be left out: left out is unknown. Unknown entries are ignored. A file is checked as a whole
before anything of it is used, and every problem is listed. This page is made from the program's own sheets by
`scripts/make_pages.py`.
"""


def allowed(entry):
    """What an entry may hold, in words."""
    if entry.choices:
        return ", ".join(entry.choices)
    if entry.kind in (FieldKind.NUMBER, FieldKind.WHOLE, FieldKind.NUMBERS, FieldKind.PAIR):
        return f"{entry.low:g} to {entry.high:g} {entry.unit}".strip()
    return "0 to 1" if entry.kind in (FieldKind.SHARE, FieldKind.SHARES) else ""


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


def rig_format() -> str:
    """docs/rig-format.md."""
    return "\n".join([HEAD, section(RIG, "rig", 2), "", section(TITLE, "title", 2), ""])


KNOBS_HEAD = """# Knobs

Every knob the program knows by name. Ids are final: notebooks, profiles and exports hold them. Levels come from rig, OS
slot and title (`core/facts/knobs.py`); a machine narrows them and may add its own; an owner adds some to a
rig, a slot or a title (`own_knobs` in [rig and title files](rig-format.md)).

On the command line a level is written `12`, `none`, `on`, `off` or a word; several `a,b`; a range `a..b:step`.
`limit_w` there is the static limit: all of the three limits that the machine has, which `setup` in JSON always holds
singly.

| id | name | unit | levels stand as | changed | in a sentence |
|---|---|---|---|---|---|
"""


def knobs() -> str:
    """docs/knobs.md."""
    lines = []
    for knob in KNOWN:
        example = 1.0 if knob.order is Order.NUMBER else knob.levels[0] if knob.levels else "…"
        cells = (f"`{knob.id}`", knob.label, knob.unit, knob.order.value, knob.where.value, knob.words(example))
        lines.append(f"| {' | '.join(cells)} |")
    return KNOBS_HEAD + "\n".join(lines) + "\n"


FIGURES_HEAD = """# Figures

Every figure of a pass, a group or an answer. Ids are final: notebooks, JSON documents and exports hold them. In a JSON
document a figure of a group is `{value, low, high, unit}` with its 95 % interval; `metrics` holds those that the
passes carry. A floor names its figure as in the last column.

| id | name | unit | less is better | averaged on | named by a floor |
|---|---|---|---|---|---|
"""
DERIVED = (
    ("hours", "Hours from the charge limit to the reserve", "h", "", "draw and battery", ""),
    ("joules_per_frame", "Energy a frame", "J", "yes", "draw and rate", ""),
)


def figures() -> str:
    """docs/figures.md."""
    lines = []
    for one in FIGURES:
        scale = "logs" if one.log else "values"
        cells = (f"`{one.id}`", one.label, one.unit, "yes" if one.less_is_better else "", scale, one.floor)
        lines.append(f"| {' | '.join(cells)} |")
    lines += [f"| `{row[0]}` | {' | '.join(row[1:])} |" for row in DERIVED]
    return FIGURES_HEAD + "\n".join(lines) + "\n"


PAGES = {"rig-format.md": rig_format, "knobs.md": knobs, "figures.md": figures}


def main() -> int:
    """Write every page, or say which is not current."""
    stale = [name for name, make in PAGES.items() if not (DOCS / name).exists() or (DOCS / name).read_text() != make()]
    if "--check" in sys.argv:
        print("\n".join(stale))
        return bool(stale)
    for name in stale:
        (DOCS / name).write_text(PAGES[name](), encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
