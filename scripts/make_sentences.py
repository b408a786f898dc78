"""Writes docs/sentences.md: every sentence the program can write, with a usual case and one at a bound.

Usage: .venv/bin/python scripts/make_sentences.py
"""

import re
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

import ask_cases
import rule_cases
from sentence_cases import CASES as USUAL

from hovrik.core.message import say
from hovrik.core.sentences import TEMPLATES
from hovrik.core.words import render

OUT = Path(__file__).parents[1] / "docs" / "sentences.md"
HEAD = """# Sentences

Every sentence that the program can write about what was measured, with a usual case and one at a bound: read this page
as a whole after a change. Made by `scripts/make_sentences.py` from `scripts/sentence_cases.py`; a test fails where the
page is old or a sentence has no case.
"""


def places(key: str) -> set[str]:
    """Names that a template has places for."""
    return set(re.findall(r"\{(\w+)(?::[^}]*)?\}", TEMPLATES[key]))


CASES = {**USUAL, **ask_cases.CASES, **rule_cases.cases(places)}


def examples(key: str) -> list[str]:
    """A sentence as it is said: once where it has no place, else usual and at a bound."""
    if not places(key):
        return [render(say(key))]
    return [render(say(key, **case)) for case in CASES[key.removesuffix(".do") if key not in CASES else key]]


def sections() -> list[tuple[str, list[str]]]:
    """(heading, ids) as sentences.py orders them."""
    core = Path(__file__).parents[1] / "src" / "hovrik" / "core"
    source = "".join((core / name).read_text() for name in ("sentences.py", "rule_sentences.py", "ask_sentences.py"))
    found: list[tuple[str, list[str]]] = []
    for line in source.splitlines():
        if match := re.match(r"    # -- (.*)", line):
            found.append((match[1], []))
        elif (match := re.match(r'    "([\w.-]+)":', line)) and match[1] in TEMPLATES:
            found[-1][1].append(match[1])
    return found


def page() -> str:
    """The whole page."""
    lines = [HEAD]
    for heading, keys in sections():
        lines += [f"## {heading[:1].upper()}{heading[1:]}", "", "| id | usual | at a bound |", "|---|---|---|"]
        for key in keys:
            usual, *bound = (text.replace("|", "\\|") for text in examples(key))
            lines.append(f"| {key} | {usual} | {bound[0] if bound else ''} |")
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


if __name__ == "__main__":
    OUT.write_text(page())
