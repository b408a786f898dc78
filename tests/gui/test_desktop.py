"""What a desktop expects: menu and keys, files that go where they belong, preferences, one window, closing."""

import shutil
import stat
import subprocess
import xml.etree.ElementTree as ElementTree
from configparser import ConfigParser
from pathlib import Path

import pytest
from helpers.window import click, knocked, opened
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from hovrik.app import start
from hovrik.app.arrivals import Arrival, kind_of
from hovrik.app.desktop import scale_wanted
from hovrik.app.file_names import ask_save, clean_name, folder_of
from hovrik.app.knock import SHOW, knock
from hovrik.app.menu import recent
from hovrik.app.settings import remember
from hovrik.app.single import Doorbell
from hovrik.app.theme import tokens
from hovrik.core.facts.rig import Rig
from hovrik.store.database import APPLICATION_ID
from hovrik.store.files.write import exchange
from hovrik.store.notebook import Notebook

SHARE = Path(__file__).parents[2] / "share"


@pytest.fixture
def window(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as made:
        yield made


@pytest.fixture
def things(tmp_path):
    """A file of every kind."""
    log = tmp_path / "a log.csv"
    log.write_text("frame time (ms)\n" + "\n".join(f"{20 + n % 5}" for n in range(900)))
    rig = tmp_path / "rig.toml"
    exchange.write(rig, "rig", Rig("brought-1", "Brought 1", 5.0, 20.0).as_dict())
    (tmp_path / "odd.json").write_text('{"schema": "something else"}')
    (tmp_path / "notes.doc").write_text("no")
    return tmp_path


def test_every_entry_of_the_menu_has_words_and_no_key_is_given_twice(window):
    actions, menus = [], [window.menu]
    while menus:
        for action in menus.pop().actions():
            menus += [action.menu()] if action.menu() is not None else []
            actions += [] if action.menu() is not None or action.isSeparator() else [action]
    assert len(actions) > 25 and all(action.text() for action in actions)
    keys = [one.toString() for action in actions for one in action.shortcuts()]
    keys += [one.shortcut().toString() for one in window.actions() if one.text() == "Menu"]
    assert len(keys) == len(set(keys)), sorted(keys)
    for wanted in ("Ctrl+N", "Ctrl+O", "Ctrl+W", "Ctrl+Q", "F11", "F1", "F5", "F6", "F8", "F9", "Ctrl+1", "Ctrl+Tab"):
        assert QKeySequence(wanted).toString() in keys
    for size in ((1280, 800), (853, 533), (640, 400)):
        window.resize(*size)
        assert window.frame.menu.isVisible() and window.frame.menu.menu() is window.menu


def test_undo_is_named_after_what_it_undoes(window):
    window.show_stage("Plan")
    window.stage("Plan").knobs.to_w.setValue(15)
    assert any("Undo" in a.text() and len(a.text()) > len("Undo ") for a in window.undo_actions)


def test_the_sheet_of_keys_and_the_other_words(window):
    QTest.keyClick(window, Qt.Key.Key_F1)
    words = window.desktop.shown.words.toPlainText()
    assert "F8" in words and "Stop the sweep" in words and "Ctrl+Z" in words
    window.desktop.shown.close()
    for show, part in ((window.desktop.show_meaning, "96 % sure"), (window.desktop.show_about, "GPL-3.0-or-later"),
                       (window.desktop.show_licence, "WITHOUT ANY WARRANTY")):  # fmt: skip
        show()
        assert part in window.desktop.shown.words.toPlainText()
        window.desktop.shown.close()


def test_what_a_file_is_by_what_it_holds(things, demo_copy):
    renamed = things / "a notebook.bin"
    shutil.copy(demo_copy, renamed)
    expected = {
        "a log.csv": Arrival.LOG, "rig.toml": Arrival.RIG, "odd.json": Arrival.NOTHING, "notes.doc": Arrival.NOTHING,
        "a notebook.bin": Arrival.NOTEBOOK, "gone.csv": Arrival.NOTHING, "gone.hovrik": Arrival.NOTEBOOK,
    }  # fmt: skip
    assert {name: kind_of(things / name) for name in expected} == expected
    assert kind_of(things) is Arrival.FOLDER and kind_of(Path("/dev/zero")) is Arrival.NOTHING


def drop(window, *paths):
    """Let files fall onto the window."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    window.dropEvent(
        QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton,
                   Qt.KeyboardModifier.NoModifier)
    )  # fmt: skip


def test_whatever_is_dropped_goes_where_it_belongs(window, things, qtbot, monkeypatch):
    drop(window, things / "rig.toml")
    assert window.stack.currentWidget() is window.stage("Rig") and window.session.rig.name == "Brought 1"
    drop(window, things / "a log.csv")
    dialog = window.import_dialog
    qtbot.waitUntil(lambda: dialog.imported is not None, timeout=60_000)
    dialog.close()
    shutil.copy(things / "a log.csv", things / "b.csv")
    drop(window, things / "a log.csv", things / "b.csv")
    page = window.import_dialog.batch
    qtbot.waitUntil(lambda: page.table.rowCount() == 2 and not page.is_busy, timeout=60_000)
    window.import_dialog.close()
    drop(window, things / "notes.doc")
    assert "nothing that Hovrik reads" in window.banner.text.text()
    started = []
    monkeypatch.setattr(window.desktop, "started", started.append)
    other = things / "other.hovrik"
    Notebook(other).close()
    drop(window, other)
    assert started == [other]


def test_dialogs_remember_folders_and_add_the_suffix(window, tmp_path, monkeypatch):
    asked = []

    def save(_parent, _title, where, _kinds):
        asked.append(where)
        return str(tmp_path / "named"), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", staticmethod(save))
    assert ask_save(window, "try", "Save", "Moss: 4/5\x00", "Tables (*.csv)", ".csv") == tmp_path / "named.csv"
    assert asked[0].endswith("/Moss 4 5.csv") and folder_of("try") == tmp_path
    ask_save(window, "try", "Save", "again", "Tables (*.csv)", ".csv")
    assert asked[1] == str(tmp_path / "again.csv")
    assert clean_name("../=cmd\n", ".csv") == "cmd.csv" and clean_name("", ".csv") == "unnamed.csv"
    assert len(clean_name("x" * 900, ".csv")) < 130


def test_copies_exports_and_pages_are_whole_and_follow_the_mask(window, tmp_path):
    copy, table, page = tmp_path / "copy.hovrik", tmp_path / "passes.csv", tmp_path / "page.pdf"
    window.desktop.save_copy_to(copy)
    window.desktop.export_to(table)
    window.desktop.print_to(page)
    with Notebook(copy) as other:
        assert len(other.passes()) == len(window.session.notebook.passes())
    assert len(table.read_text().splitlines()) == 38 and page.read_bytes().startswith(b"%PDF")
    assert {stat.S_IMODE(path.stat().st_mode) for path in (copy, table, page)} == {0o666 & ~0o022}
    window.desktop.save_copy_to(window.session.notebook.path)
    assert "this notebook itself" in window.banner.text.text()
    window.desktop.export_to(tmp_path / "none" / "x.csv")
    assert "cannot be written" in window.banner.text.text()


def test_appearance_and_defaults_are_preferences(window, tmp_path, qtbot):
    window.desktop.open_preferences()
    dialog = window.preferences_dialog
    dialog.appearance.setCurrentIndex(dialog.appearance.findData("dark"))
    assert tokens.current() is tokens.DARK
    dialog.appearance.setCurrentIndex(dialog.appearance.findData("light"))
    assert tokens.current() is tokens.LIGHT
    dialog.scale.setCurrentIndex(dialog.scale.findData("1.5"))
    assert scale_wanted() == 1.5
    dialog.target.setValue(60)
    dialog.close()
    with opened(tmp_path / "new.hovrik", qtbot) as other:
        other.stage("Rig").new_rig()
        other.stage("Scene").new_title()
        assert other.session.question.target_fps == 60
    for name in ("appearance", "scale", "default/target_fps"):
        remember(name, None)
    assert scale_wanted() == 1.0 and tokens.appearance() == "follow"


def test_the_title_says_notebook_reading_and_running(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        assert window.windowTitle() == f"{demo_copy.stem} – Hovrik" and recent()[0] == demo_copy
        window.bench.pace.show_key("10")
        window.start_sweep()
        assert window.windowTitle() == f"{demo_copy.stem}, running – Hovrik"
        with opened(demo_copy, qtbot) as other:
            assert "read-only" in other.windowTitle()


def test_page_and_sizes_come_back(demo_copy, qtbot):
    with opened(demo_copy, qtbot) as window:
        window.show_place("Read", "Pass")
        window.resize(1111, 777)
    with opened(demo_copy, qtbot) as window:
        assert window.stack.currentWidget() is window.stage("Read") and window.stage("Read").pages.page == "Pass"


def test_one_window_a_notebook(window, demo_copy, qtbot):
    doorbell = Doorbell(demo_copy, window)
    window.ask_when_running(doorbell)
    window.hide()
    link = demo_copy.with_name("link.hovrik")
    link.symlink_to(demo_copy)
    assert knocked(qtbot, link, SHOW) and not knock(demo_copy.with_name("other.hovrik"), SHOW)
    qtbot.waitUntil(window.isVisible, timeout=10_000)


@pytest.mark.parametrize("choice", ["stay", "stop", "background"])
def test_closing_while_running_asks(demo_copy, qtbot, choice):
    with opened(demo_copy, qtbot) as window:
        window.ask_when_running(Doorbell(demo_copy, window))
        window.bench.pace.show_key("10")
        window.start_sweep()
        qtbot.waitUntil(lambda: window.bench.last_progress is not None, timeout=60_000)
        assert not window.close() and window.isVisible() and window.runner.is_running
        click(getattr(window.close_dialog, choice))
        QApplication.processEvents()
        if choice == "stop":
            assert not window.isVisible() and not window.runner.is_running
            return
        assert window.runner.is_running and window.isVisible() is (choice == "stay")
        if choice == "background":
            assert knocked(qtbot, demo_copy, SHOW)
            qtbot.waitUntil(window.isVisible, timeout=10_000)
            window.close()
            click(window.close_dialog.background)
        window.stop_sweep()
        qtbot.waitUntil(lambda: not window.runner.is_running, timeout=60_000)
        qtbot.waitUntil(lambda: window.isVisible() is (choice == "stay"), timeout=10_000)


def test_a_mistyped_notebook_is_asked_about_before_it_is_made(tmp_path, monkeypatch):
    asked = []
    monkeypatch.setattr(start, "ask_to_make", lambda path: asked.append(path))
    path = tmp_path / "mistyped.hovrik"
    assert start.run_window(path) == 1 and asked == [path] and not path.exists()


def test_desktop_entry_file_type_and_metadata(tmp_path):
    entry = ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read(SHARE / "applications" / "hovrik.desktop")
    found = entry["Desktop Entry"]
    assert found["Exec"] == "hovrik open %f" and found["StartupWMClass"] == start.DESKTOP_NAME == found["Icon"]
    mime = ElementTree.parse(SHARE / "mime" / "packages" / "hovrik.xml").getroot()
    kind = mime.find("{*}mime-type")
    assert found["MimeType"] == f"{kind.get('type')};"
    assert int(kind.find(".//{*}match[@offset='68']").get("value"), 16) == APPLICATION_ID
    about = ElementTree.parse(SHARE / "metainfo" / "hovrik.metainfo.xml").getroot()
    assert about.findtext("launchable") == "hovrik.desktop" and about.findtext("project_license") == "GPL-3.0-or-later"
    assert {p.parent.parent.name for p in SHARE.glob("icons/hicolor/*/apps/hovrik.*")} >= {
        "48x48",
        "128x128",
        "scalable",
    }
    checks = {
        "desktop-file-validate": [SHARE / "applications" / "hovrik.desktop"],
        "appstreamcli": ["validate", "--no-net", SHARE / "metainfo" / "hovrik.metainfo.xml"],
    }
    for tool, arguments in checks.items():
        if shutil.which(tool):
            done = subprocess.run([tool, *map(str, arguments)], capture_output=True, text=True)
            assert done.returncode == 0, done.stdout + done.stderr
    script = SHARE.parent / "scripts" / "install-desktop"
    subprocess.run([script], check=True, env={"XDG_DATA_HOME": str(tmp_path), "PATH": "/usr/bin:/bin"})
    assert (tmp_path / "applications" / "hovrik.desktop").is_file()
    subprocess.run([script, "--remove"], check=True, env={"XDG_DATA_HOME": str(tmp_path), "PATH": "/usr/bin:/bin"})
    assert not (tmp_path / "applications" / "hovrik.desktop").exists()
