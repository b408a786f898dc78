"""A notebook with spoiled rows opens in the window, which says what it left out."""

import json

from helpers.window import at_rest, click, opened, texts

from hovrik.store import sealed
from hovrik.store.notebook import Notebook

PROFILES = (
    {}, {"title": 4},
    {"rig": "r", "title": "t", "scene": "s", "slot": "x", "source": "battery", "sentence": "y" * 3_000_000},
    {"setup": [], "metrics": 3}, {"kept_at": 1e300, "passes": 5}, {"names": []},
)  # fmt: skip


def test_crafted_profiles_do_not_stop_the_window(demo_copy, qtbot):
    with Notebook(demo_copy) as notebook, notebook.writing() as connection:
        for number, body in enumerate(PROFILES):
            row = {"id": f"p{number}", "rig_key": "r", "slot_key": "s", "title_key": "t", "source": "battery"}
            sealed.insert(connection, "profile", {**row, "body": json.dumps(body), "noted_at": 1})
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Keep"])
        keep = window.stage("Keep")
        said = texts(keep) + window.banner.text.text()
        assert "cannot be read" in said and len(said) < 5000 * len(PROFILES)
        told = texts(keep).count("profile that cannot be read")
        assert told and notebook_profiles(window) >= told


def notebook_profiles(window):
    """How many there are; one that cannot be shown is kept until it is taken off."""
    return len(window.session.notebook.profiles())


def test_spoiled_rows_are_told_and_the_rest_is_answered(demo_copy, qtbot):
    with Notebook(demo_copy) as notebook:
        ids = [record.id for record in notebook.passes()]
        with notebook.writing() as connection:
            connection.execute("DROP TRIGGER pass_no_update")
            connection.execute("UPDATE pass SET asked = '{' WHERE id = ?", (ids[5],))
            connection.execute("UPDATE pass SET conditions = '[1, 2]' WHERE id = ?", (ids[6],))
        notebook.set_state("design", {"from_w": []})
    with opened(demo_copy, qtbot) as window:
        at_rest(window, qtbot)
        qtbot.waitUntil(lambda: "2 rows cannot be read" in window.banner.text.text(), timeout=60_000)
        assert "the plan it remembers cannot be read" in window.banner.text.text()
        assert len(window.session.evaluation.views) == 35 and window.session.evaluation.answer.option is not None
    with Notebook(demo_copy) as notebook:
        assert notebook.read_rows("SELECT count(*) FROM pass")[0][0] == 37
