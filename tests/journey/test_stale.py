"""Profiles that know what they were chosen under: stale after a change, checked by a few passes, and what these say."""

from dataclasses import replace

import pytest
from helpers.build import DEMO_QUESTION
from helpers.window import button_named, opened, texts

from hovrik.app import commands
from hovrik.core.keep.profile import Profile
from hovrik.core.keep.staleness import changes
from hovrik.core.plan.grid import LadderDesign
from hovrik.core.words import render
from hovrik.service import library, profiles
from hovrik.service import run as sweep
from hovrik.store.files.write import profile as profile_file

BODY = {"versions": {"rig/firmware": "1", "slot/driver": "7"}, "health": 0.95, "conditions": {"fan_policy": "even"}}


@pytest.mark.parametrize(
    ("now", "words"),
    [
        (({"rig/firmware": "1", "slot/driver": "7"}, 0.95, "even"), []),
        (({"rig/firmware": "2", "slot/driver": "7"}, 0.95, "even"), ["firmware is 2, and was 1"]),
        (({"rig/firmware": None, "slot/driver": "7"}, 0.92, None), []),  # what nobody tells is no change
        (({}, 0.85, "quiet"), ["the battery is at 85 % of its health, and was at 95 %",
                               "the fan is set to quiet, and was to even"]),
    ],
)  # fmt: skip
def test_what_changed_since(now, words):
    assert [render(one) for one in changes(Profile(BODY), *now)] == words
    (old,) = changes(Profile({"firmware": "0.31"}), {"rig/firmware": "0.33"}, None, None)  # a profile of version 1
    assert render(old) == "firmware is 0.33, and was 0.31"


def test_the_order_in_which_a_profile_is_applied():
    knobs = ["frame_generation", "sustained_limit_w", "cap_fps", "memory_split_gb", "upscaler", "power_mode"]
    order = profiles.applied_in(knobs)
    assert order.index("memory_split_gb") < order.index("power_mode") < order.index("sustained_limit_w")
    assert order[-2:] == ["upscaler", "frame_generation"]


def test_an_update_makes_a_profile_stale_and_a_few_passes_say_still_good(demo_copy, qtbot, tmp_path):
    with opened(demo_copy, qtbot) as window:
        window.keep_answer()
        keep = window.stage("Keep")
        window.show_stage("Keep")
        assert "Stale" not in texts(keep)
        (kept,) = profiles.sound_ones(window.session.notebook)
        profile_file.write(tmp_path / "p.json", kept)
        assert profile_file.read(tmp_path / "p.json").body == kept.body and kept.versions["rig/firmware"] == "0.31"
        rig = sweep.rig_of(window.session.notebook, DEMO_QUESTION.rig)
        newer = tuple(replace(v, installed="0.33") if v.what == "firmware" else v for v in rig.versions)
        commands.save_rig(window.session, replace(rig, versions=newer), "firmware")
        qtbot.waitUntil(lambda: "Stale: firmware is 0.33, and was 0.31" in texts(keep), timeout=10_000)
        commands.set_design(window.session, LadderDesign(12, 14, 1, 40.0, repeats=3, pass_s=60, soak_s=20, settle_s=2,
                                                         cool_s=5, heat_s=0), "all")  # fmt: skip
        button_named(keep, "Check again").click()
        passes, _ = window.session.planned_passes()
        assert {one.setup["sustained_limit_w"] for one in passes} == {12.0, 13.0} and 4 <= len(passes) <= 6
        assert window.stage_buttons["Plan"].isChecked()
        with qtbot.waitSignal(window.runner.ended, timeout=120_000):
            window.start_sweep()
        window.show_stage("Keep")
        qtbot.waitUntil(lambda: "Still good: 3 passes since" in texts(keep), timeout=30_000)
        assert library.version_history(window.session.notebook, rig.key)
