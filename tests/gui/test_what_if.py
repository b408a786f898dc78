"""What if: a heavier scene, a hotter room: another pick, and in how many drawn places it does."""

from helpers.window import opened, type_number


def test_a_heavier_scene_changes_the_pick(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_place("Choose", "What if")
        page = window.stage("Choose").what_if
        qtbot.waitUntil(lambda: bool(page.rows), timeout=20_000)
        assert page.words.text().startswith("The answer stays: 13 W, cap 40")
        before = page.pick.of_100
        type_number(page.heavier, "4")
        assert page.pick.setup["sustained_limit_w"] == 14 and page.words.text().startswith("There it is 14 W")
        assert "of 100 drawn rooms, batteries and scenes" in page.words.text()
        die = page.table.item(0, 4).text()
        type_number(page.room, "32")
        assert page.table.item(0, 4).text() != die
        type_number(page.heavier, "0")
        type_number(page.scene_sd, "0")
        assert page.pick.of_100 > before
        type_number(page.heavier, "60")
        assert page.pick is None and "nothing that was measured is sure enough" in page.words.text()
