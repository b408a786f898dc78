"""Messages and their words: every place of a template is filled wherever it is said; units of temperature."""

import ast
import re
import sys
from pathlib import Path

import pytest

import hovrik
from hovrik.core.finding import Finding, State
from hovrik.core.message import Count, Message, Value, say
from hovrik.core.passes.verdict import Verdict
from hovrik.core.sentences import TEMPLATES
from hovrik.core.words import render

ROOT = Path(hovrik.__file__).parent
SCRIPTS = Path(__file__).parents[2] / "scripts"
PLACE = re.compile(r"\{(\w+)(?::[^}]*)?\}")


def said():
    """(file, line, id, names) of each message with a fixed id; a finding of a check says what to do as well."""
    for file in sorted(ROOT.rglob("*.py")):
        for node in ast.walk(ast.parse(file.read_text())):
            if not isinstance(node, ast.Call) or not node.args or not isinstance(node.func, ast.Name):
                continue
            first, names = node.args[0], {k.arg for k in node.keywords}
            if node.func.id not in ("say", "found") or not isinstance(first, ast.Constant) or None in names:
                continue
            told = [k.value.value for k in node.keywords if k.arg == "message" and isinstance(k.value, ast.Constant)]
            key = told[0] if told else first.value
            yield file.name, node.lineno, key, names - {"message"}
            if node.func.id == "found":
                yield file.name, node.lineno, f"{key}.do", names - {"message"}


def test_every_place_of_a_template_is_filled_where_it_is_said():
    calls = list(said())
    assert len(calls) > 60
    for file, line, key, names in calls:
        assert key in TEMPLATES, (file, line, key)
        assert set(PLACE.findall(TEMPLATES[key])) <= names, (file, line, key)


def test_every_template_is_said_somewhere():
    source = "".join(
        file.read_text() for file in ROOT.rglob("*.py") if file.name not in ("sentences.py", "rule_sentences.py")
    )
    unsaid = [
        key for key in TEMPLATES
        if f'"{key}"' not in source and f'"{key.removesuffix(".do")}"' not in source
        and not any(key.startswith(stem) and f'f"{stem}' in source for stem in ("low-", "figure.", "missing.",
                                                                               "less-untried.", "versus.", "rule."))
    ]  # fmt: skip
    assert unsaid == []


def test_a_temperature_is_said_in_the_users_unit():
    message = say("hot-room", room=Value(32.0, "C", digits=0), die=Value(76.0, "C", digits=0))
    assert render(message) == "in a room of 32 C the die would settle near 76 C"
    assert render(message, fahrenheit=True) == "in a room of 90 F the die would settle near 169 F"
    apart = say("rooms-differ", by=Value(5.0, "degrees", digits=0))
    assert "differ by 9 degrees" in render(apart, fahrenheit=True)


def test_a_template_is_rendered_through_translation():
    words = {TEMPLATES["void-left-out"]: "{passes:x|y} fehlen", "x|y": "Lauf|Läufe"}
    assert render(say("void-left-out", passes=2), lambda text: words.get(text, text)) == "2 Läufe fehlen"


@pytest.mark.parametrize(("frames", "words"), [(0, "no frame in"), (1, "one frame in"), (7, "7 frames in")])
def test_counts_are_words_where_there_are_few(frames, words):
    assert words in render(say("empty-pass", frames=frames, seconds=Value(0.2, "s", digits=1)))


def test_values_join_and_nest():
    inner = (say("reads-otherwise", knob="Boost", read="on", asked="off"), say("said", text="more"))
    assert render(say("read-back-otherwise", knobs=inner)) == "Boost reads on, off was asked; more"
    assert (
        render(say("missing.settle", passes=1, levels="10 and 11 W"))
        == "about 1 more pass at 10 and 11 W would settle it"
    )


def test_messages_findings_and_verdicts_survive_the_round_trip():
    message = Message("holds", {"a": Value(1.5, "W", 1.0, 2.0), "n": Count(3), "t": ("x", say("above")), "s": "word"})
    assert Message.from_dict(message.as_dict()) == message
    found = Finding("throttled", State.VOID, message, say("throttled.do"), ((1, 2),))
    assert Finding.from_dict(found.as_dict()) == found
    verdict = Verdict(State.VOID, (found,), (say("summary-only"),), "because")
    assert Verdict.from_dict(verdict.as_dict()) == verdict
    assert found.check == "throttled"


def test_steps_are_one_sentence():
    steps = (say("less-drops", step=say("said", text="1 W less"), low=Value(37.0)), say("less-untried.limit"))
    says = say("stated", parts=(say("said", text="a"), say("said", text="b")), steps=steps)
    assert render(says) == "a, b. 1 W less falls short (37); it is the lowest limit tried, so less may hold as well."


def test_the_page_of_sentences_is_current_and_shows_each_twice_once_at_a_bound():
    sys.path.insert(0, str(SCRIPTS))
    try:
        import make_sentences as page
    finally:
        sys.path.remove(str(SCRIPTS))
    assert (SCRIPTS.parent / "docs" / "sentences.md").read_text() == page.page()
    for key in TEMPLATES:
        shown = page.examples(key)
        assert len(shown) == len(set(shown)) == (2 if page.places(key) else 1), key
    assert set(page.CASES) <= set(TEMPLATES)


def test_long_times_are_said_in_hours():
    assert render(say("suspended", seconds=Value(36000.0, "s", digits=0))).startswith("nothing was recorded for 10 h")
    assert "for 599 s" in render(say("suspended", seconds=Value(599.0, "s", digits=0)))
