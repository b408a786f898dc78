"""Stills side by side: added to a pass, moved and zoomed together, swapped by a key, removed and brought back."""

from dataclasses import replace

import numpy as np
import pytest
from helpers.window import click, opened
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest

from hovrik.app.commands import save_title
from hovrik.core.errors import ImportRefused
from hovrik.core.facts.title import SetUp
from hovrik.demo import drawn
from hovrik.store.stills import keep_stills, read_still, stills

SET_UPS = (SetUp("capped", preset="medium"), SetUp("poor", preset="low"))


@pytest.fixture
def pictures(tmp_path):
    """Two pictures of one colour each."""
    paths = []
    for name, colour in (("high", 0xAA3322), ("low", 0x2233AA)):
        image = QImage(320, 200, QImage.Format.Format_RGB32)
        image.fill(colour)
        paths.append(tmp_path / f"{name}.png")
        assert image.save(str(paths[-1]))
    return paths


def test_two_set_ups_side_by_side(demo_copy, pictures, tmp_path, qtbot):
    with opened(demo_copy, qtbot) as window:
        click(window.stage_buttons["Read"])
        click(window.stage("Read").stills)
        dialog = window.stills_dialog
        assert "No stills yet" in dialog.message.text() and not dialog.remove.isEnabled()
        broken = tmp_path / "broken.png"
        broken.write_bytes(b"\x89PNG\r\n\x1a\n" + bytes(50))
        for view, path in zip(window.session.evaluation.views, [*pictures, broken], strict=False):
            window.session.select_pass(view.record.id)
            before = len(stills(window.session.notebook))
            dialog.add_files([path])
            qtbot.waitUntil(lambda n=before: len(dialog.stills) == n + 1, timeout=60_000)
        assert "broken.png cannot be shown" in dialog.message.text()
        ids = {still.name: still.id for still in dialog.stills}
        for choice, name in zip(dialog.choices, ("high.png", "low.png"), strict=True):
            choice.setCurrentIndex(choice.findData(ids[name]))
        QTest.keyClick(dialog, Qt.Key.Key_Plus)
        QTest.keyClick(dialog, Qt.Key.Key_Plus)
        left, right = dialog.panes
        assert left.factor == right.factor == pytest.approx(1.5625)
        left.horizontalScrollBar().setValue(left.horizontalScrollBar().maximum())
        assert right.place()[0] == 1.0
        QTest.keyClick(dialog, Qt.Key.Key_Space)
        assert [choice.key() for choice in dialog.choices] == [ids["low.png"], ids["high.png"]]
        click(dialog.remove)
        assert "low.png" not in {still.name for still in dialog.stills}
        window.session.undo_stack.undo()
        assert "low.png" in {still.name for still in dialog.stills}


@pytest.mark.parametrize(
    ("data", "words"), [(None, "cannot be read"), (b"RIFF....WAVE", "no PNG"), (b"GIF89a", "no PNG")]
)
def test_what_is_no_picture_is_refused(tmp_path, data, words):
    path = tmp_path / "x.png"
    if data is not None:
        path.write_bytes(data)
    with pytest.raises(ImportRefused, match=words):
        read_still(path)


def test_how_alike_set_ups_look(demo_copy, tmp_path, qtbot):
    """In the dialog for the two that are shown, and beside the title's set-ups; one that moved is named as such."""
    best, moved = drawn.cellar(4, 1.0), np.roll(drawn.cellar(4, 1.0), 9, axis=1)
    with opened(demo_copy, qtbot) as window:
        session = window.session
        save_title(session, replace(session.title, set_ups=SET_UPS), "set-ups")
        owner = session.evaluation.views[0].record
        for name, picture in (("a", best), ("b", drawn.cellar(3, 0.8)), ("c", moved)):
            path = tmp_path / f"{name}.png"
            path.write_bytes(drawn.png(picture))
            keep_stills(session.notebook, owner.id, [path])
        window.open_stills()
        dialog = window.stills_dialog
        assert len(dialog.stills) == 3
        qtbot.waitUntil(lambda: "% like the left one" in dialog.alike.text(), timeout=60_000)
        dialog.choices[1].show_key(dialog.stills[2].id)
        dialog._show(1)
        qtbot.waitUntil(lambda: "not of the same spot" in dialog.alike.text(), timeout=60_000)
        dialog.close()
        window.show_place("Scene", "Set-ups")
        scene = window.stage("Scene")
        qtbot.waitUntil(lambda: "Only capped has stills" in scene.alike.text(), timeout=60_000)
