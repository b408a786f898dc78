"""Title and scenes as they are known, how repeatable the scene proved, and how long a pass must be for what matters."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from ...core.errors import HovrikError
from ...core.facts.rig import Version
from ...core.facts.sheets import OWN_KNOB, SCENE, SECTION, SET_UP, TITLE, VERSION
from ...core.facts.title import Scene, Section, Title
from ...core.words import render, sentence, span
from ...service import library, pictures
from ...service.scenes import MATTERS, SceneStudy, study
from ...service.sizes import sizes_of
from ...service.sizes import told as how_shown
from ..commands import save_title, set_question
from ..pixels import luma_of
from ..plots.resolution_plot import ResolutionPlot
from ..session import Session
from ..widgets.elided import ElidedLabel
from ..widgets.fields import Card, Choice, NumberField, button, label
from ..widgets.flow import FlowLayout
from ..widgets.plain_table import plain_table
from ..widgets.room import PICTURE_PX
from ..widgets.sheet_form import RowsTable, SheetForm
from ..worker import Wanted, Worker
from .base import Stage, set_aside, show_aside
from .made_rows import FIRST_KNOB, own_knobs_of, set_ups_of

SET_UPS = "Set-ups"
SIZE_HEADINGS = ("Size", "On", "Pixels", "Shown", "Frames expected")
ROWS_PX, SIZES_PX = 200, 190  # of tables
_FIGURES = (("low", "1 % low"), ("rate", "mean rate"), ("draw", "draw"), ("gauge", "energy by the gauge"))


class SceneStage(Stage):
    """Pages: the title, its set-ups and options, its scenes, repeatability."""

    title = "Scene"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._study: SceneStudy | None = None
        self._student = Worker("study", self)
        self._student.finished.connect(self._on_studied)
        self._student.failed.connect(lambda fault: self.message.setText(str(fault)))
        self.message = ElidedLabel("", "warn", lines=2)
        self.message.setAccessibleName("Message")
        self.new = button("New title", tip="A title of which only the name is known, with one scene")
        self.archive = button("Archive", tip="Offer this title no longer; its passes and its history stay")
        self.archive.clicked.connect(lambda: set_aside(self.session, "title", self.session.title))
        self.form = SheetForm(TITLE, heading="The title")
        self.versions = RowsTable(VERSION, "Versions of the title", {"what": "game patch"})
        self.set_ups = RowsTable(SET_UP, "Set-ups of the title", {"name": "another", "accepted": True})
        self.own_knobs = RowsTable(OWN_KNOB, "Options of the title", FIRST_KNOB)
        self.sections = RowsTable(
            SECTION, "Sections of the scene", {"name": "first half", "start_s": 0.0, "end_s": 30.0}
        )
        self.scene_form = SheetForm(SCENE, heading="The scene in the question")
        for words, page in (
            ("Title", self._title_page()),
            (SET_UPS, self._set_ups_page()),
            ("Scenes", self._scenes_page()),
            ("Repeatability", self._repeat_page()),
        ):
            self.pages.add(words, page)
        self.foot(self.message, self.archive, self.new)
        self._connect()
        self.refresh()

    def _title_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.addWidget(self.form)
        column.addWidget(label("Options of the title that you want to plan and compare", "heading", wrap=True))
        self.own_knobs.setFixedHeight(200)
        column.addWidget(self.own_knobs)
        versions = Card("Versions: build, translation layer, patch")
        self.versions.setFixedHeight(220)
        versions.body.addWidget(self.versions)
        column.addWidget(versions)
        column.addStretch()
        return page

    def _set_ups_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.addWidget(
            label(
                "Ways to set it up, the best picture first; say no to what you no longer accept", "heading", wrap=True
            )
        )
        self.set_ups.setFixedHeight(ROWS_PX)
        column.addWidget(self.set_ups)
        alike = Card("How alike they look")
        self.alike = label("", "soft", wrap=True)
        self.alike.setAccessibleName("How alike they look")
        alike.body.addWidget(self.alike)
        column.addWidget(alike)
        sizes = Card("Sizes that its panels show")
        self.sizes = plain_table("Sizes of a render", SIZE_HEADINGS, 3)
        self.sizes.setFixedHeight(SIZES_PX)
        sizes.body.addWidget(self.sizes)
        column.addWidget(sizes)
        column.addStretch()
        self._looker = Worker("stills", self)
        self._looker.finished.connect(lambda lines: self.alike.setText("\n".join(lines)))
        self._looker.failed.connect(lambda fault: self.alike.setText(str(fault)))
        return page

    def _scenes_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        self.others = label("", "soft", wrap=True)
        self.add_scene = button("Add a scene")
        self.drop_scene = button("Take out this scene", tip="Its passes stay; undo brings it back")
        column.addWidget(self.scene_form)
        row = QHBoxLayout()
        row.addWidget(self.others, 1)
        row.addWidget(self.add_scene)
        row.addWidget(self.drop_scene)
        column.addLayout(row)
        card = Card("Sections: named stretches in seconds from the start mark, read apart in Read")
        self.sections.setFixedHeight(200)
        card.body.addWidget(self.sections)
        column.addWidget(card)
        column.addStretch()
        return page

    def _repeat_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        self.spread = Card("From repeats")
        self.spread_words = label("", wrap=True)
        self.spread.body.addWidget(self.spread_words)
        column.addWidget(self.spread)
        row = FlowLayout()
        row.setContentsMargins(0, 0, 0, 0)
        self.figure = Choice("Which figure", _FIGURES)
        self.difference = NumberField("Difference that matters", "%", 0.1, 50, 0.5, 1)
        self.difference.show_value(100 * MATTERS["low"])
        self.advice = label("", wrap=True)
        for made in (label("A difference in", "soft"), self.figure, label("of", "soft"), self.difference):
            row.addWidget(made)
        column.addLayout(row)
        column.addWidget(self.advice)
        self.plot = ResolutionPlot()
        self.plot.setMinimumHeight(PICTURE_PX)
        column.addWidget(self.plot, 1)
        return page

    def _connect(self) -> None:
        session = self.session
        self.follow(self.refresh, session.question_changed, session.library_changed)
        self.follow(self._look, session.evaluation_changed)
        self.follow(self._show_sizes, session.evaluation_changed, session.library_changed)
        self.follow(self._compare_stills, session.question_changed, session.library_changed, session.stills_changed)
        self.pages.changed.connect(lambda _name: self._compare_stills())
        self.form.edited.connect(self._on_title_field)
        self.scene_form.edited.connect(self._on_scene_field)
        self.versions.edited.connect(self._on_versions)
        self.set_ups.edited.connect(lambda rows: self._on_rows("set_ups", set_ups_of(rows)))
        self.own_knobs.edited.connect(lambda rows: self._on_rows("own_knobs", own_knobs_of(rows)))
        self.sections.edited.connect(self._on_sections)
        for table in (self.versions, self.set_ups, self.own_knobs, self.sections):
            table.failed.connect(self.message.setText)
        self.new.clicked.connect(self.new_title)
        self.add_scene.clicked.connect(self._on_add_scene)
        self.drop_scene.clicked.connect(self._on_drop_scene)
        self.figure.currentIndexChanged.connect(self._show_resolution)
        self.difference.valueChanged.connect(self._show_resolution)

    # -- showing

    def _compare_stills(self) -> None:
        """How alike the set-ups look, where that is in sight; read and reckoned off the interface thread."""
        title, notebook = self.session.title, self.session.notebook
        if title is None or self.pages.page != SET_UPS:
            return

        def work(wanted: Wanted) -> list[str]:
            with notebook.sibling() as own:
                best, found = pictures.compared(own, title, luma_of, wanted)
            return [sentence(render(one)) for one in pictures.told(best, found)]

        self.alike.setText("Being looked at …")
        self._looker.ask(work)

    def _show_sizes(self) -> None:
        """What the panels show well, with the rate that each size would give at the stated setup."""
        rig, question = self.session.rig, self.session.question
        found = self.session.evaluation
        rows = sizes_of(rig, found if found is not None and found.question == question else None) if rig else []
        self.sizes.setRowCount(len(rows))
        for at, row in enumerate(rows):
            size = row.size
            texts = (
                f"{size.width} x {size.height}",
                row.display or "its own panel",
                f"{100 * row.share:.0f} %",
                sentence(render(how_shown(row))).rstrip("."),
                span(row.rate) if row.rate is not None else "–",
            )
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if column in (2, 4):
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.sizes.setItem(at, column, item)

    def scene(self) -> Scene | None:
        """The scene of the question."""
        title, question = self.session.title, self.session.question
        if title is None or not title.scenes:
            return None
        wanted = question.scene if question else title.scenes[0].key
        return next((s for s in title.scenes if s.key == wanted), title.scenes[0])

    def refresh(self) -> None:
        """Show the title and scene of the question."""
        title, scene = self.session.title, self.scene()
        writable = not self.session.notebook.read_only
        self.pages.setEnabled(title is not None)
        self.new.setEnabled(writable)
        for made in (
            self.form,
            self.scene_form,
            self.versions,
            self.add_scene,
            self.set_ups,
            self.own_knobs,
            self.sections,
        ):
            made.setEnabled(writable)
        show_aside(self.session, "title", title, self.archive)
        self.message.setText("")
        if title is None:
            self.message.setText("This notebook knows no title yet. Make a new one.")
            return
        self._show_sizes()
        self.form.show_body(title)
        self.versions.show_rows([asdict(v) for v in title.versions])
        self.set_ups.show_rows([asdict(one) for one in title.set_ups])
        self.own_knobs.show_rows([asdict(one) for one in title.own_knobs])
        if scene is not None:
            self.scene_form.show_body(scene)
            self.sections.show_rows([asdict(one) for one in scene.sections])
        self.drop_scene.setEnabled(writable and len(title.scenes) > 1)
        words = []
        for one in title.scenes:
            share = f", {100 * one.mix:g} % of your time" if one.mix is not None else ""
            words.append(f"{one.name} ({one.role or 'role unknown'}{share})")
        self.others.setText("Scenes: " + "; ".join(words) + ". The question line chooses between them.")
        self._look()

    def _look(self) -> None:
        evaluation = self.session.evaluation
        if evaluation is not None and evaluation.views:
            notebook = self.session.notebook

            def work(_wanted: Wanted) -> SceneStudy | None:
                with notebook.sibling() as own:
                    return study(own, evaluation)

            self._student.ask(work)
        else:
            self._student.cancel()
            self._on_studied(None)

    def _on_studied(self, found: SceneStudy | None) -> None:
        self._study = found
        self.spread_words.setText(self._spread_text())
        self._show_resolution()

    def _spread_text(self) -> str:
        found = self._study
        if found is None or not found.spread:
            return "No setup was repeated yet. Plan at least two passes at one limit; three say more."
        lines = []
        for name, words in _FIGURES[:3]:
            spread = found.spread.get(name)
            if spread is not None:
                drift = (
                    f"drifts by {100 * spread.drift:+.1f} % over the passes" if spread.drifts else "no drift to tell"
                )
                lines.append(f"{words}: one pass varies by {100 * spread.sd:.1f} % ({spread.passes} passes); {drift}.")
        warm = found.warm_up_frames
        if warm:
            lines.append(f"The first pass settled after {warm} frames: let shaders compile before the start mark.")
        elif warm == 0:
            lines.append("No warm-up was found inside the first pass.")
        return "\n".join(lines)

    def _show_resolution(self) -> None:
        key, wanted = self.figure.key(), self.difference.value() / 100.0
        figure = "draw" if key == "gauge" else key
        if self._study is None:
            self.advice.setText("")
            self.plot.show_curves((), None)
            return
        self.advice.setText(self._study.advice(figure, wanted))
        self.plot.show_curves(self._study.curves(figure, by_gauge=key == "gauge"), wanted)

    # -- editing

    def _push(self, after: Title, what: str) -> None:
        before = self.session.title
        if before is not None and after != before:
            save_title(self.session, after, what)

    def _on_title_field(self, field: str, value: Any) -> None:
        title = self.session.title
        if title is not None:
            kept = getattr(title, field)
            self._push(replace(title, **{field: () if value is None and isinstance(kept, tuple) else value}), field)

    def _on_scene_field(self, field: str, value: Any) -> None:
        title, scene = self.session.title, self.scene()
        if title is None or scene is None:
            return
        kept = getattr(scene, field)
        changed = replace(scene, **{field: () if value is None and isinstance(kept, tuple) else value})
        self._push(replace(title, scenes=tuple(changed if s.key == scene.key else s for s in title.scenes)), field)

    def _on_versions(self, rows: list[dict[str, Any]]) -> None:
        title = self.session.title
        if title is not None:
            self._push(replace(title, versions=tuple(Version(**row) for row in rows)), "versions")

    def _on_rows(self, field: str, value: tuple[Any, ...]) -> None:
        title = self.session.title
        if title is not None:
            self._push(replace(title, **{field: value}), field.replace("_", " "))

    def _on_sections(self, rows: list[dict[str, Any]]) -> None:
        self._on_scene_field("sections", tuple(Section(**row) for row in rows))

    def _on_add_scene(self) -> None:
        title = self.session.title
        if title is not None:
            after = library.with_new_scene(title)
            self._push(after, "scenes")
            self._ask_about(after, after.scenes[-1])

    def _on_drop_scene(self) -> None:
        title, scene = self.session.title, self.scene()
        if title is None or scene is None or len(title.scenes) < 2:
            return
        left = tuple(s for s in title.scenes if s.key != scene.key)
        self._ask_about(title, left[0])
        self._push(replace(title, scenes=left), "scenes")

    def _ask_about(self, title: Title, scene: Scene) -> None:
        question = self.session.question
        if question is not None:
            asked = question.with_(title=title.key, scene=scene.key)
            if asked != question:
                set_question(self.session, asked)

    def new_title(self) -> None:
        """Make a title of which only the name is known and show it."""
        try:
            title = library.new_title(self.session.notebook)
        except HovrikError as fault:
            self.message.setText(str(fault))
            return
        if self.session.question is not None:
            self._ask_about(title, title.scenes[0])
        else:
            found = self.session.first_question()
            if found is not None:
                self.session.set_question(found)
        self.session.library_changed.emit()
        self.pages.show_page("Title")
        line = self.form.entries["name"].line
        if line is not None:
            line.setFocus()
            line.selectAll()
