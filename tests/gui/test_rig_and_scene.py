"""Rig and Scene on the real window: from nothing, edits and undo, tables, files, the list before measuring."""

from itertools import pairwise

import pytest
from helpers.window import at_rest, click, opened, texts
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from hovrik.core.facts.rig import missing_minimum
from hovrik.service import library


def enter(form, name, text):
    """Type into one entry as a person would."""
    field = form.entries[name]
    if field.choice is not None:
        field.choice.setFocus()
        field.choice.setCurrentIndex(field.choice.findData(text))
        return
    field.line.setFocus()
    field.line.selectAll()
    QTest.keyClicks(field.line, text)
    QTest.keyClick(field.line, Qt.Key.Key_Return)


@pytest.mark.parametrize(("low", "high"), [("5", "25"), ("20", "60")])
def test_the_minimum_rig_and_a_title_from_nothing(tmp_path, qtbot, low, high):
    """And a plan that the rig allows, whatever its limits."""
    with opened(tmp_path / "new.hovrik", qtbot) as window:
        click(window.stage_buttons["Rig"])
        rig = window.stage("Rig")
        click(rig.new)
        assert rig.pages.page == "Machine"
        for name, text in (("name", "Hearthside 9"), ("limit_low_w", low), ("limit_high_w", high),
                           ("battery_wh", "50"), ("refresh_hz", "60, 90")):  # fmt: skip
            enter(rig.form, name, text)
        assert missing_minimum(window.session.rig) == () and window.session.rig.name == "Hearthside 9"
        assert rig.minimum_words.text().startswith(f"Yes: limits {low} to {high} W, 50 Wh, panel 60, 90 Hz")
        click(window.stage_buttons["Scene"])
        scene = window.stage("Scene")
        click(scene.new)
        enter(scene.form, "name", "Copper Ferry")
        scene.pages.show_page("Set-ups")
        enter(scene.scene_form, "name", "Ferry deck")
        question = window.session.question
        assert question is not None and window.question_line.scene.currentText() == "Copper Ferry · Ferry deck"
        click(window.stage_buttons["Plan"])
        assert (window.session.design.from_w, window.session.design.to_w) == (float(low), float(high))
        assert window.stage("Plan").start.isEnabled()  # a plan can be made, and run by hand
    with opened(tmp_path / "new.hovrik", qtbot) as window:
        assert window.session.rig.name == "Hearthside 9" and window.session.title.name == "Copper Ferry"


def test_edits_are_checked_kept_and_undone(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Rig"])
        rig, session = window.stage("Rig"), window.session
        rig.pages.show_page("Machine")
        enter(rig.form, "battery_wh", "lots")
        field = rig.form.entries["battery_wh"]
        assert field.problem.isVisible() and "is not a number" in field.problem.text() and session.rig.battery_wh == 46
        enter(rig.form, "battery_wh", "44")
        assert not field.problem.isVisible() and session.rig.battery_wh == 44
        enter(rig.form, "limit_high_w", "3")  # each entry is fine, together they are not
        assert "swap the two" in window.banner.text.text()
        assert session.rig.limit_high_w == 28 and field.line.text() == "44"
        session.undo_stack.undo()
        assert session.rig.battery_wh == 46 and field.line.text() == "46"
        enter(rig.form, "smt", "no")
        assert session.rig.smt is False
        enter(rig.form, "smt", "")
        assert session.rig.smt is None


def test_tables_of_modes_slots_and_versions(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Rig")
        rig, session = window.stage("Rig"), window.session
        rig.pages.show_page("Machine")
        click(rig.modes.add)
        assert [m.name for m in session.rig.modes][-1] == "new mode"
        rig.modes.table.item(3, 1).setText("22")
        assert session.rig.modes[-1].sustained_w == 22
        rig.modes.table.item(3, 1).setText("heavy")
        assert "is not a number" in rig.message.text() and session.rig.modes[-1].sustained_w == 22
        rig.modes.table.setCurrentCell(3, 0)
        click(rig.modes.remove)
        assert len(session.rig.modes) == 3
        rig.pages.show_page("OS slots")
        last = rig.slots.rowCount() - 1
        rig.slots.item(last, 0).setText("mole-at-the-mill: needs an older layer (2.1)")
        (stopped,) = session.rig.slots[0].does_not_run
        assert (stopped.title, stopped.version) == ("mole-at-the-mill", "2.1")
        rig.slots.item(last - 1, 0).setText("boost: sometimes")
        assert "place one of live" in rig.message.text() and session.rig.slots[0].knobs == ()
        click(rig.add_slot)
        assert len(session.rig.slots) == 3 and rig.slots.columnCount() == 3
        rig.pages.show_page("OS slots")
        rig.versions.table.item(0, 2).setText("0.33")
        assert session.rig.firmware == "0.33" and "firmware 0.33 (was 0.31)" in rig.history.text()
        rig.versions.table.item(0, 0).setText("nobody")
        assert "Choose one of" in rig.message.text() or session.rig.firmware == "0.33"


def test_the_list_before_measuring(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Rig")
        rig, session = window.stage("Rig"), window.session
        rig.pages.show_page("Preflight")
        qtbot.waitUntil(lambda: "(read)" in texts(rig.preflight), timeout=60_000)
        fields = rig.preflight.fields
        assert "Charge between 51 and 100 %" in texts(rig.preflight)
        fields["lighting"].setCurrentIndex(fields["lighting"].findData("on"))
        qtbot.waitUntil(lambda: "Off, or the same in every pass" in texts(rig.preflight), timeout=60_000)
        line = rig.preflight.fields["brightness_percent"]
        line.setText("50")
        QTest.keyClick(line, Qt.Key.Key_Return)
        answers = library.answers_of(session.notebook, "ombrel-8")
        assert answers["brightness_percent"]["value"] == 50.0 and answers["lighting"]["provenance"] == "asked"
        session.undo_stack.undo()
        assert "brightness_percent" not in library.answers_of(session.notebook, "ombrel-8")


def test_files_of_rigs(demo_copy, tmp_path, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Rig")
        rig = window.stage("Rig")
        for name in ("rig.toml", "rig.json"):
            rig.export_to(tmp_path / name)
            assert f"Written to {tmp_path / name}" in rig.message.text()
        text = (
            (tmp_path / "rig.toml").read_text().replace('"ombrel-8"', '"ombrel-9"').replace('"Ombrel 8"', '"Ombrel 9"')
        )
        (tmp_path / "other.toml").write_text(text)
        rig.import_from(tmp_path / "other.toml")
        assert window.session.question.rig == "ombrel-9" and "Imported the rig" in rig.message.text()
        (tmp_path / "bad.toml").write_text(
            text.replace("limit_low_w = 4.0", 'limit_low_w = "low"').replace("46.0", "-4")
        )
        before = len(window.session.notebook.entities())
        rig.import_from(tmp_path / "bad.toml")
        assert "limit_low_w must be a number" in rig.message.text() and "battery_wh" in rig.message.text()
        assert len(window.session.notebook.entities()) == before


def test_scenes_mix_and_what_can_be_told_apart(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Scene"])
        scene, session = window.stage("Scene"), window.session
        scene.pages.show_page("Repeatability")
        at_rest(scene, qtbot)
        assert "one pass varies by" in scene.spread_words.text() and "of 60 s" in scene.advice.text()
        assert len(scene.plot.data) == 8
        scene.difference.setValue(1.0)
        assert "To tell 1 % apart" in scene.advice.text()
        scene.figure.setCurrentIndex(3)
        assert scene.plot.read_out(30, 0).startswith("30 min")
        scene.pages.show_page("Scenes")
        enter(scene.scene_form, "mix", "90")
        assert "add up to 120 %" in window.banner.text.text()
        enter(scene.scene_form, "mix", "60")
        assert session.title.scene("causeway").mix == 0.6
        click(scene.add_scene)
        assert len(session.title.scenes) == 3 and session.question.scene == session.title.scenes[-1].key
        click(scene.drop_scene)
        assert len(session.title.scenes) == 2
        scene.pages.show_page("Title")
        scene.versions.show_rows([])
        click(scene.versions.add)
        assert session.title.versions[0].what == "game patch"


def test_the_picture_of_watts(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_stage("Rig")
        picture = window.stage("Rig").picture
        rows = picture.levels()
        assert [part.id for part, _, _ in rows[0]] == ["draw"] and {p.id for p, _, _ in rows[2]} == {
            "cpu",
            "gpu",
            "uncore",
        }
        for row in rows:
            for (_, _, right), (_, left, _) in pairwise(row):
                assert abs(right - left) < 1e-9
        assert "Package" in picture.accessibleDescription()


def test_rigs_titles_and_slots_are_set_aside_and_come_back(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        session, line = window.session, window.question_line
        before = session.question
        click(window.stage_buttons["Rig"])
        rig = window.stage("Rig")
        click(rig.archive)
        assert rig.archive.text() == "Bring back" and line.rig.key() == before.rig, "it is still what is asked about"
        line.rig.setCurrentIndex(line.rig.findData("hollin-17"))
        assert line.rig.findData(before.rig) < 0
        session.undo_stack.undo()
        session.undo_stack.undo()
        assert session.question == before and rig.archive.text() == "Archive"
        rig.pages.show_page("OS slots")
        slots = [one.key for one in session.rig.slots]
        gone = next(at for at, key in enumerate(slots) if key != before.slot)
        rig.slots.setCurrentCell(0, gone)
        click(rig.drop_slot)
        assert [one.key for one in session.rig.slots] == [key for key in slots if key != slots[gone]]
        assert line.slot.findData(slots[gone]) < 0
        session.undo_stack.undo()
        assert line.slot.findData(slots[gone]) >= 0 and len(session.rig.slots) == len(slots)
        click(window.stage_buttons["Scene"])
        click(window.stage("Scene").archive)
        assert session.archived == {f"title/{before.title}"} and line.scene.key() == before.keys["scene"]
        session.undo_stack.undo()
        assert session.archived == frozenset()
