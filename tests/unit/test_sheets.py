"""Sheets: what is typed is what is stored; files are refused with every problem; JSON and TOML say the same."""

import json
import subprocess
import sys
from pathlib import Path

import pytest

from hovrik.bench.simulated.model import load_model
from hovrik.core.errors import ImportRefused, InputError
from hovrik.core.facts.rig import Rig, missing_minimum
from hovrik.core.facts.sheet import Field, FieldKind, parse, problems, shown
from hovrik.core.facts.sheets import RIG, key_from, rig_problems, title_problems
from hovrik.demo.scenario import SCENARIO, rig_files
from hovrik.service.library import _plain
from hovrik.store.files.write import exchange

MODEL = load_model(SCENARIO)


@pytest.mark.parametrize(
    ("kind", "text", "value"),
    [
        (FieldKind.TEXT, " even ", "even"), (FieldKind.NUMBER, "12.5", 12.5), (FieldKind.WHOLE, "8", 8),
        (FieldKind.SHARE, "80 %", 0.8),
        (FieldKind.FLAG, "Yes", True), (FieldKind.NUMBERS, "40, 60; 80", (40.0, 60.0, 80.0)),
        (FieldKind.WORDS, "a, b c", ("a", "b c")),
        (FieldKind.PAIR, "1280 x 800", (1280.0, 800.0)), (FieldKind.PAIR, "48 to 120", (48.0, 120.0)),
        (FieldKind.SHARES, "51 to 100", (0.51, 1.0)), (FieldKind.NUMBER, "", None), (FieldKind.NUMBER, "unknown", None),
    ],
)  # fmt: skip
def test_typed_is_stored_and_shown_again(kind, text, value):
    entry = Field("x", "X", kind=kind)
    assert parse(entry, text) == value
    assert parse(entry, shown(entry, value)) == value


@pytest.mark.parametrize(
    ("entry", "text", "words"),
    [
        (Field("x", "Limit", "W", FieldKind.NUMBER, 4, 30), "45", "Choose 4 to 30 W"),
        (Field("x", "Limit", "W", FieldKind.NUMBER, 4, 30), "many", "is not a number"),
        (Field("x", "Cores", kind=FieldKind.WHOLE, low=1, high=64), "2.5", "Choose 1 to 64"),
        (Field("x", "SMT", kind=FieldKind.FLAG), "maybe", "Enter yes, no, or nothing"),
        (Field("x", "Sync", choices=("free", "locked on")), "on", "Choose one of: free, locked on"),
        (Field("x", "Window", kind=FieldKind.SHARES), "90 to 50", "Choose 0 to 100"),
        (Field("x", "Name", required=True), " ", "is needed"),
        (Field("x", "Size", kind=FieldKind.PAIR), "800", "two of them"),
    ],
)
def test_what_cannot_be_used_says_what_can(entry, text, words):
    with pytest.raises(InputError, match=words):
        parse(entry, text)


@pytest.mark.parametrize("path", rig_files(), ids=lambda p: p.stem)
@pytest.mark.parametrize("suffix", [".json", ".toml"])
def test_rigs_survive_the_file(path, suffix, tmp_path):
    rig = load_model(path).rig
    assert rig_problems(_plain(rig.as_dict())) == [] and missing_minimum(rig) == ()
    exchange.write(tmp_path / f"r{suffix}", "rig", rig.as_dict())
    kind, body = exchange.read(tmp_path / f"r{suffix}")
    assert kind == "rig" and Rig.from_dict(body) == rig


def test_titles_survive_the_file():
    for title in MODEL.titles:
        kind, body = exchange.parse(exchange.to_text("title", title.as_dict(), ".toml"), "t.toml")
        assert kind == "title" and type(title).from_dict(body) == title


def test_the_minimum_is_named():
    assert len(missing_minimum(Rig("r", " "))) == 4
    assert missing_minimum(Rig("r", "R", 4, 30, battery_wh=40, variable_range_hz=(48.0, 120.0))) == ()


SOUND = {"key": "r", "name": "R"}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"name": None}, "name is missing"), ({"limit_low_w": "low"}, "limit_low_w must be a number"),
        ({"limit_low_w": True}, "limit_low_w must be a number"), ({"limit_high_w": 1e9}, "choose 0.1 to 1000 W"),
        ({"limit_high_w": float("nan")}, "must be a number"), ({"cpu_cores": 2.5}, "whole number"),
        ({"smt": "yes"}, "true or false"), ({"refresh_hz": 60}, "list of numbers"),
        ({"refresh_hz": list(range(1, 300))}, "list of numbers"),
        ({"valid_charge": [0.9, 0.5]}, "from the lower to the higher"),
        ({"split_where": "moon"}, "choose one of: live"), ({"slots": "many"}, "slots must be a list"),
        ({"slots": [{"key": "a"}]}, "slots[1].name is missing"),
        ({"slots": [{"key": {"a": 1}, "name": "A"}]}, "slots[1].key must be text"),
        ({"slots": [{"key": "a", "name": "A"}, {"key": "a", "name": "B"}]}, "'a' twice"),
        ({"modes": [7]}, "modes[1]. must be a table"), ({"limit_low_w": 30, "limit_high_w": 4}, "swap the two"),
        ({"battery_wh": 40, "full_wh": 80}, "far above the design energy"),
        ({"limit_high_w": 20, "modes": [{"name": "M", "sustained_w": 40}]}, "above the rig's 20 W"),
        ({"reserve": 0.9, "charge_limit": 0.8}, "under the charge limit"),
        ({"variable_range_hz": [120, 48]}, "lower to the higher"), ({"name": "x" * 500}, "up to 400 letters"),
    ],
)  # fmt: skip
def test_each_fault_of_a_rig_is_named(change, words):
    assert any(words in text for text in rig_problems({**SOUND, **change})), rig_problems({**SOUND, **change})


def test_titles_are_checked():
    scene = {"key": "s", "name": "S"}
    both = [{**scene, "mix": 0.6}, {"key": "b", "name": "B", "mix": 0.6}]
    assert any("add up to 120 %" in text for text in title_problems({**SOUND, "scenes": both}))
    section = {"name": "bridge", "start_s": 20.0, "end_s": 10.0}
    assert any(
        "must end after it begins" in text
        for text in title_problems({**SOUND, "scenes": [{**scene, "sections": [section]}]})
    )
    assert any(
        "'low' twice" in text for text in title_problems({**SOUND, "set_ups": [{"name": "low"}, {"name": "low"}]})
    )
    assert title_problems({**SOUND, "scenes": [{**scene, "role": "boss"}]}) != []


def test_a_hostile_file_is_refused_with_all_problems():
    bad = {**SOUND, "limit_low_w": "x", "smt": 3, "slots": [{}], "refresh_hz": ["fast"]}
    with pytest.raises(ImportRefused) as caught:
        exchange.parse(json.dumps({"schema": "hovrik-rig", "version": 1, "rig": bad}), "r.json")
    assert len(caught.value.problems) == 5


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("r.json", "", "is not JSON"), ("r.toml", "= 3", "is not TOML"), ("r.json", "[" * 90_000, "is not JSON"),
        ("r.json", "{}", "no rig or title"), ("r.json", '{"schema": "hovrik-rig"}', "whole number"),
        ("r.json", '{"schema": "hovrik-rig", "version": 7}', "Update Hovrik"),
        ("r.json", '{"schema": "hovrik-rig", "version": 1}', "not a sound rig"),
        ("r.json", '{"schema": "hovrik-rig", "version": 1, "rig": []}', "not a sound rig"),
    ],
)  # fmt: skip
def test_files_that_are_no_rigs(name, text, words):
    with pytest.raises(ImportRefused, match=words):
        exchange.parse(text, name)


def test_unknown_keys_are_left_for_later_versions():
    assert rig_problems({**SOUND, "added_later": object()}) == []
    assert problems(RIG, []) == ["rig must be a table of entries"]


def test_keys_are_stable_words():
    assert key_from("Ombrel 8 (new)", []) == "ombrel-8-new"
    assert key_from("Ombrel", ["ombrel", "ombrel-2"]) == "ombrel-3" and key_from("§", []) == "unnamed"


def test_the_documented_formats_are_those_of_the_program():
    """docs/rig-format.md and its like are made by scripts/make_pages.py; run it after changing a table."""
    script = Path(__file__).parents[2] / "scripts" / "make_pages.py"
    made = subprocess.run([sys.executable, str(script), "--check"], capture_output=True, text=True)
    assert made.stdout.strip() == "" and made.returncode == 0, made.stdout + made.stderr


@pytest.mark.parametrize("name", [f.name for f in RIG.fields if not f.required])
@pytest.mark.parametrize("nothing", [None, []])
def test_nothing_is_as_good_as_not_there(name, nothing):
    known = Rig("r", "R", 5.0, 20.0).as_dict()
    if nothing == [] and RIG.field(name).kind not in (
        FieldKind.NUMBERS,
        FieldKind.WORDS,
        FieldKind.PAIR,
        FieldKind.SHARES,
    ):
        nothing = None
    body = {"schema": "hovrik-rig", "version": 1, "rig": {**known, name: nothing}}
    kind, found = exchange.parse(json.dumps(body), "x.json")
    without = {k: v for k, v in known.items() if k != name}
    assert kind == "rig" and Rig.from_dict(found) == Rig.from_dict(without)


def test_an_empty_list_is_no_number():
    assert rig_problems({"key": "r", "name": "R", "limit_low_w": [], "limit_high_w": 20}) != []
    assert rig_problems({"key": "r", "name": "R", "limit_low_w": "", "limit_high_w": 20}) != []
    assert rig_problems({"key": "r", "name": "R", "refresh_hz": [], "fan_policy": ""}) == []
