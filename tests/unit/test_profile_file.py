"""Profiles as JSON, TOML and table: what is written is read back; what is not sound is refused with every problem."""

import csv
import json
from pathlib import Path

import fastjsonschema
import pytest

from hovrik.core.errors import ImportRefused, StoreError
from hovrik.core.keep.profile import Profile
from hovrik.store.files.write import profile

BODY = {
    "rig": "r", "slot": "s", "title": "t", "scene": "c", "source": "battery", "sentence": "12 W holds.",
    "target_fps": 40.0, "holds": 0.97, "passes": ["a"], "setup": {"sustained_limit_w": 12.0, "cap_fps": "none"},
    "metrics": {"hours": {"value": 2.1, "low": 2.0, "high": 2.2, "unit": "h"}},
}  # fmt: skip

SCHEMA = Path(profile.__file__).parents[1] / "profile.schema.json"
CHECK = fastjsonschema.compile(json.loads(SCHEMA.read_text()))


def test_round_trip(tmp_path):
    path = tmp_path / "p.json"
    profile.write(path, Profile(BODY))
    assert profile.read(path).body == BODY
    document = json.loads(path.read_text())
    assert document["schema"] == "hovrik-profile" and document["version"] == 2
    assert CHECK(document) == document
    assert [p.name for p in tmp_path.iterdir()] == ["p.json"]


def test_round_trip_as_toml(tmp_path):
    path = tmp_path / "p.toml"
    bare = {**BODY, "firmware": None, "message": {"id": "x", "values": {"a": None}}, "reasons": []}
    profile.write(path, Profile(bare))
    assert profile.read(path).body == {**BODY, "reasons": []}
    whole = {**BODY, "message": {"id": "x", "values": {"a": [1, "b"]}}, "terms": {"aim": "hours"}}
    profile.write(path, Profile({**whole, "terms": {"aim": "hours", "limits": [None]}}))
    assert profile.read(path).body == whole


def test_a_table_of_profiles_is_read_by_others(tmp_path):
    path, bare = tmp_path / "p.csv", {"value": 61.0, "unit": "C"}
    hostile = {**BODY, "names": {"title": '=1+1,"\n'}, "setup": {"preset": "-low"}, "metrics": {"die_c": bare}}
    profile.write_table(path, [Profile(BODY), Profile(hostile)])
    with path.open(newline="") as handle:
        first, second = csv.DictReader(handle)
    assert first["title"] == "t" and first["hours.low, h"] == "2.0" and first["setup.sustained_limit_w"] == "12.0"
    assert first["die_c, C"] == second["hours, h"] == second["die_c.low, C"] == ""
    assert second["title"] == "'=1+1,\"\n" and second["setup.preset"] == "'-low" and second["die_c, C"] == "61.0"
    assert first["sentence"] == BODY["sentence"] and first["passes"] == "1"


def test_a_folder_that_cannot_be_written_keeps_the_older_file(tmp_path):
    with pytest.raises(StoreError, match="Choose another folder"):
        profile.write(tmp_path / "none" / "p.json", Profile(BODY))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "is not JSON"), ("[]", "is not a profile"), ("{}", "is not a profile"), ("[" * 100_000, "is not JSON"),
        ('{"schema": "hovrik-profile"}', "whole number"),
        ('{"schema": "hovrik-profile", "version": true}', "whole number"),
        ('{"schema": "hovrik-profile", "version": 9}', "Update Hovrik"),
    ],
)  # fmt: skip
def test_not_a_profile(text, words):
    with pytest.raises(ImportRefused, match=words):
        profile.parse(text, "p.json")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"rig": 3}, '"rig" must be text'), ({"holds": "yes"}, '"holds" must be a number'),
        ({"holds": 1.4}, "between 0 and 1"), ({"source": "sun"}, '"source" must be'),
        ({"passes": "a"}, '"passes" must be a list'), ({"setup": {}}, "not be empty"),
        ({"setup": {"sustained_limit_w": 90_000}}, "up to 1000 W"),
        ({"setup": {"sustained_limit_w": -15}}, "up to 1000 W"), ({"setup": {"x": [1]}}, '"setup.x"'),
        ({"metrics": {"hours": {"value": "long"}}}, '"metrics.hours"'), ({"metrics": 3}, '"metrics" must map'),
        ({"versions": {"rig/firmware": 3}}, '"versions" must map'), ({"state": "new"}, '"state" must be'),
        ({"health": 40}, '"health" must be'), ({"order": "cap"}, '"order" must be'), ({"terms": []}, '"terms" must be'),
    ],
)  # fmt: skip
def test_each_problem_is_named(change, words):
    text = json.dumps({"schema": "hovrik-profile", "version": 1, **BODY, **change})
    with pytest.raises(ImportRefused) as caught:
        profile.parse(text, "p.json")
    assert any(words in p.text for p in caught.value.problems)
    if "kept_at" not in change:  # the schema refuses the same
        with pytest.raises(fastjsonschema.JsonSchemaValueException):
            CHECK({"schema": profile.SCHEMA, "version": 2, **BODY, **change})


def test_all_problems_are_listed_at_once():
    text = json.dumps({"schema": "hovrik-profile", "version": 1, "source": "sun"})
    with pytest.raises(ImportRefused) as caught:
        profile.parse(text, "p.json")
    assert len(caught.value.problems) >= 9


def test_a_file_that_is_too_large_or_no_text(tmp_path):
    path = tmp_path / "p.json"
    path.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(ImportRefused, match="cannot be read"):
        profile.read(path)
    path.write_bytes(b" " * 4_000_001)
    with pytest.raises(ImportRefused, match="too large"):
        profile.read(path)


def test_a_profile_without_names_is_called_by_its_key():
    for names in (None, {}, {"title": ""}):
        assert Profile({"names": names, "title": "a"}).title_name == "a"
    assert Profile({"names": {"title": "A"}, "title": "a"}).title_name == "A"
