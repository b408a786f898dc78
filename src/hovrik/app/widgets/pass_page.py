"""One pass in full: its frames with telemetry on the same time, how they are spread and shown, its stutters, another
pass laid over it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QSplitter, QVBoxLayout, QWidget

from ...core.facts.knob import REFRESH, is_number
from ...core.facts.setup import describe
from ...core.facts.terms import School
from ...core.passes import heat, pacing
from ...core.passes.frames import FrameFigures, Stutter, stutter_list
from ...core.passes.heat import TimeConstants
from ...core.passes.purpose import PLAY
from ...core.passes.trace import CHANNELS, Trace
from ...core.read.evening import PlayedEvening, read_evening, said_of
from ...core.read.response import group_at
from ...core.words import plural, render, sentence
from ...service.gather import PassView
from ...service.scenes import with_scenes
from ..commands import save_title
from ..plots.pass_plots import ChannelPlot, Line, PercentilePlot, ShownPlot
from ..plots.trace import DistributionPlot, FrameTracePlot
from ..session import Session
from ..worker import Wanted, Worker
from .elided import ElidedLabel
from .fields import Choice, allow, button
from .flow import FlowLayout
from .stack import Stack

Array = NDArray[np.float64]

UNDER: Mapping[str, tuple[str, tuple[str, ...]]] = {
    "W": ("Powers", ("package_w", "battery_w", "cpu_w", "gpu_w", "wall_w", "input_w")),
    "C": ("Temperatures", ("die_c", "shell_c", "room_c")),
    "MHz": ("Clocks", ("cpu_mhz", "gpu_mhz", "memory_mhz")),
    "%": ("Utilisation", ("cpu_share", "gpu_share", "other_share")),
    "rpm": ("Fan", ("fan_rpm",)),
    "MB": ("Memory", ("memory_mb",)),
    "charge": ("Charge", ("charge_share",)),
}
BESIDE = {"spread": "Distribution", "percentiles": "Percentiles", "shown": "On the panel"}
LISTED = {"stretches": "List: what was played", "stutters": "List: stutters"}
MOST_LISTED = 400
CHOICE_PX = 260
LEAST_PX = 240  # of a picture: where there is less room the page scrolls


@dataclass(frozen=True)
class Loaded:
    """What is read of a pass for its page. seconds, interval_ms : (n,) of its frames from `origin_ns`; other : the same
    of the pass laid over it; fits : channel to (seconds, settle fit)."""

    view: PassView
    trace: Trace | None
    seconds: Array
    interval_ms: Array
    other: Line
    origin_ns: int = 0
    stutters: tuple[Stutter, ...] = ()
    fits: Mapping[str, Line] = field(default_factory=dict)
    shown_ms: Array = field(default_factory=lambda: np.empty(0))
    why_not_shown: str = ""
    evening: PlayedEvening | None = None


def frames_of(trace: Trace | None, *, whole: bool = False) -> tuple[int, Array, Array]:
    """(origin ns, seconds, intervals ms) of the frames between the marks, or of all of them."""
    if trace is None or trace.frames_ns.size < 3:
        return 0, np.empty(0), np.empty(0)
    frames = trace.frames_ns
    if not whole:
        frames = frames[(frames >= trace.start_ns) & (frames <= trace.end_ns)]
    if frames.size < 2:
        return 0, np.empty(0), np.empty(0)
    return int(frames[0]), (frames[1:] - frames[0]) / 1e9, np.diff(frames) / 1e6


def read_pass(
    view: PassView,
    trace: Trace | None,
    other: Trace | None,
    constants: TimeConstants | None,
    *,
    whole: bool,
    pool_mb: float | None = None,
) -> Loaded:
    """Everything that the page draws, off the interface thread."""
    origin, seconds, interval_ms = frames_of(trace, whole=whole)
    _, other_s, other_ms = frames_of(other)
    usable = interval_ms[interval_ms > 0]
    fits: dict[str, Line] = {}
    for name in ("die_c", "shell_c"):
        channel = trace.channels.get(name) if trace is not None else None
        if channel is not None and constants is not None and channel.values.size:
            at = (channel.stamps_ns - origin) / 1e9
            fits[name] = at, heat.settle_curve(at, channel.values, constants)
    shown, why = _shown(view, usable)
    stutters = tuple(stutter_list(usable)) if usable.size > 3 else ()
    evening = read_evening(trace, pool_mb) if trace is not None and view.record.purpose == PLAY else None
    return Loaded(view, trace, seconds, interval_ms, (other_s, other_ms), origin, stutters, fits, shown, why, evening)


def _shown(view: PassView, usable: Array) -> tuple[Array, str]:
    setup = view.point.setup
    refresh, sync = setup.get(REFRESH), setup.get("sync")
    if setup.get("frame_generation") not in (None, "off"):
        return np.empty(0), "With generated frames these intervals are not the shown ones."
    if not is_number(refresh) or not refresh or sync not in [one.value for one in pacing.Sync]:
        return np.empty(0), "Refresh or sync of this pass is not known."
    if not usable.size:
        return np.empty(0), "This pass carries no frame times."
    return pacing.shown_ms(usable, pacing.Sync(str(sync)), float(refresh)), ""


class PassPage(QWidget):
    """trace, distribution : its plots; words : what is said of the pass; whole : show all of its recording, so that
    marks can be moved. Signals: marks_moved (start, end ns)."""

    marks_moved = pyqtSignal(object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._loaded: Loaded | None = None
        self.whole = False
        self._loader = Worker("trace", self)
        self._loader.finished.connect(self._on_loaded)
        self._loader.failed.connect(lambda fault: self.words.setText(str(fault)))
        self.words = ElidedLabel("", lines=2)
        self.words.setAccessibleName("The selected pass")
        self.lows = ElidedLabel("", "soft")
        self.lows.setAccessibleName("Lows of the selected pass")
        self.trace, self.under = FrameTracePlot(), ChannelPlot()
        self.distribution, self.percentiles, self.shown = DistributionPlot(), PercentilePlot(), ShownPlot()
        self.stutters = QListWidget()
        self.stutters.setAccessibleName("Stutters")
        self.stutters.setToolTip("Return or a double click shows it in the trace")
        self.listing = Choice("What is listed", list(LISTED.items()))
        self.scenes = button("Keep as scenes", tip="Note what was played as scenes of the title, with their shares")
        self.channels = Choice(
            "What is drawn under the frames", [(key, f"Under: {own[0]}") for key, own in UNDER.items()]
        )
        self.picture = Choice(
            "Which picture of the intervals", [(k, f"Beside: {words}") for k, words in BESIDE.items()]
        )
        self.other = Choice("A pass laid over it")
        self._arrange()
        self.trace.marks_moved.connect(self.marks_moved)
        self.under.getPlotItem().setXLink(self.trace.getPlotItem())
        for one in (self.trace, self.under):
            one.looked_at.connect(self._on_looked)
        self.channels.currentIndexChanged.connect(lambda _at: self._show_under())
        self.picture.currentIndexChanged.connect(lambda at: self.pictures.setCurrentIndex(at))
        self.other.currentIndexChanged.connect(lambda _at: self._ask())
        self.stutters.itemActivated.connect(self._on_listed)
        self.stutters.setWordWrap(True)
        self.listing.currentIndexChanged.connect(lambda _at: self._list())
        self.scenes.clicked.connect(self._on_scenes)

    def _arrange(self) -> None:
        chosen = QWidget()
        row = FlowLayout(chosen)
        row.setContentsMargins(0, 0, 0, 0)
        for one in (self.channels, self.picture, self.other, self.listing):
            one.setMaximumWidth(CHOICE_PX)
            row.addWidget(one)
        row.addWidget(self.scenes)
        self.listing.hide()
        self.scenes.setEnabled(False)
        self.pictures = Stack()
        for plot in (self.distribution, self.percentiles, self.shown):
            self.pictures.addWidget(plot)
        for one in (self.trace, self.under, self.pictures):
            one.setMinimumHeight(LEAST_PX)
        self.stutters.setMinimumHeight(LEAST_PX // 2)
        left, right, both = (QSplitter(way) for way in (Qt.Orientation.Vertical,) * 2 + (Qt.Orientation.Horizontal,))
        for splitter, parts, sizes in (
            (left, (self.trace, self.under), [300, 180]), (right, (self.pictures, self.stutters), [320, 120]),
            (both, (left, right), [600, 340]),
        ):  # fmt: skip
            splitter.setChildrenCollapsible(False)
            for part in parts:
                splitter.addWidget(part)
            splitter.setSizes(sizes)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        for widget in (self.words, self.lows, chosen):
            column.addWidget(widget)
        column.addWidget(both, 1)

    def show_pass(self, view: PassView | None, said: str) -> None:
        """Show a pass; said : what is said of it."""
        self.words.setText(said)
        self.words.setToolTip(said)
        self._view = view
        if view is None:
            self._loaded = None
            self._loader.cancel()
            self.trace.show_trace(np.empty(0), np.empty(0), None)
            self.trace.hint("Select a pass to see its frames.")
            self.distribution.show_intervals(np.empty(0), [])
            self.percentiles.show_intervals(np.empty(0), np.empty(0))
            self.shown.show_shown([], "")
            self.under.show_channels({}, {}, 0.0)
            self.lows.setText("")
            self.stutters.clear()
            return
        found = self._session.evaluation
        others = [one for one in (found.views if found else ()) if one.figures.frames and not one.deleted
                  and one.record.id != view.record.id]  # fmt: skip
        near = sorted(others, key=lambda one: (one.record.setup != view.record.setup, -one.record.started_ns))[:60]
        entries = [(one.record.id, f"Over it: {describe(one.record.setup)} ({one.record.id[:4]})") for one in near]
        self.other.offer([("", "Over it: nothing"), *entries])
        self._ask()

    def _ask(self) -> None:
        view, notebook = self._view, self._session.notebook
        if view is None:
            return
        found, other, whole = self._session.evaluation, self.other.key(), self.whole
        constants = found.constants if found is not None else None
        memory_gb = found.rig.memory_gb if found is not None and found.rig is not None else None

        def work(_wanted: Wanted) -> Loaded:
            with notebook.sibling() as own:
                laid = own.trace(other) if other else None
                pool_mb = 1000.0 * memory_gb if memory_gb else None
                return read_pass(view, own.trace(view.record.id), laid, constants, whole=whole, pool_mb=pool_mb)

        self._loader.ask(work)

    def _on_loaded(self, loaded: Loaded) -> None:
        self._loaded = loaded
        view, trace = loaded.view, loaded.trace
        question = self._session.question
        spans = [
            ((a - loaded.origin_ns) / 1e9, (b - loaded.origin_ns) / 1e9, f.check)
            for f in view.verdict.findings
            for a, b in f.spans_ns
        ]
        self.trace.show_trace(
            loaded.seconds, loaded.interval_ms, question.floor.interval_ms if question else None, spans
        )
        self.trace.show_under(*loaded.other)
        if trace is not None and self.whole and loaded.seconds.size:
            marks = ((trace.start_ns - loaded.origin_ns) / 1e9, (trace.end_ns - loaded.origin_ns) / 1e9)
            self.trace.show_marks(marks, loaded.origin_ns)
        frames = view.figures.frames
        marks_ = [(frames.median_ms, "median"), (frames.p99_ms, "99th percentile")] if frames else []
        self.distribution.show_intervals(loaded.interval_ms, marks_)
        self.percentiles.show_intervals(loaded.interval_ms, loaded.other[1])
        self.shown.show_shown(loaded.shown_ms, loaded.why_not_shown)
        self.lows.setText(_low_words(frames, len(loaded.stutters)))
        if (loaded.evening is not None) != (not self.listing.isHidden()):
            self.listing.show_key("stretches" if loaded.evening is not None else "stutters")
        self.listing.setVisible(loaded.evening is not None)
        allow(self.scenes, loaded.evening is not None, self.channels)
        self._list()
        self._show_under()

    def _list(self) -> None:
        loaded = self._loaded
        self.stutters.clear()
        if loaded is None:
            return
        if loaded.evening is not None and self.listing.key() != "stutters":
            self._list_evening(loaded.evening, loaded.view)
            return
        for one in loaded.stutters[:MOST_LISTED]:
            long = plural(one.frames, "frame")
            text = f"{one.at_s:.1f} s: {one.longest_ms:.0f} ms among {one.around_ms:.0f} ms ({long})"
            item = QListWidgetItem(text)
            item.setData(Qt.ItemDataRole.UserRole, one.at_s)
            self.stutters.addItem(item)
        if not loaded.stutters:
            self.stutters.addItem("No stutters." if loaded.interval_ms.size else "")

    def _list_evening(self, evening: PlayedEvening, view: PassView) -> None:
        """What the evening says, then its stretches."""
        found = self._session.evaluation
        spot = group_at(found.every, view.record.setup) if found is not None else None
        rate = spot[1].rate if spot is not None else None
        for said in said_of(evening, rate.value if rate is not None else None):
            self.stutters.addItem(sentence(render(said)))
        for one in evening.stretches[:MOST_LISTED]:
            draw = f", {one.draw_w:.1f} W" if one.draw_w is not None else ""
            text = f"{one.start_s / 60:.1f} to {one.end_s / 60:.1f} min: {one.rate:.0f} fps{draw} (sort {one.kind + 1})"
            item = QListWidgetItem(text)
            item.setData(Qt.ItemDataRole.UserRole, one.start_s)
            self.stutters.addItem(item)

    def _on_listed(self, item: QListWidgetItem) -> None:
        seconds = item.data(Qt.ItemDataRole.UserRole)
        if seconds is not None:
            self.trace.jump(seconds)

    def _on_scenes(self) -> None:
        """Scenes of the title from the sorts of stretches, each with its share of the time; the heaviest as such."""
        title, loaded = self._session.title, self._loaded
        if title is None or loaded is None or loaded.evening is None:
            return
        save_title(self._session, with_scenes(title, loaded.evening), "what was played")

    def _show_under(self) -> None:
        loaded = self._loaded
        if loaded is None or loaded.trace is None:
            self.under.show_channels({}, {}, 0.0)
            return
        names = UNDER[self.channels.key() or "W"][1]
        lines = {
            name: ((channel.stamps_ns - loaded.origin_ns) / 1e9, channel.values)
            for name in names
            if name in CHANNELS and (channel := loaded.trace.channels.get(name)) is not None and np.any(channel.values)
        }
        fits = {name: fit for name, fit in loaded.fits.items() if name in lines and np.isfinite(fit[1]).any()}
        self.under.show_channels(lines, fits, float(loaded.seconds[-1]) if loaded.seconds.size else 0.0)

    def _on_looked(self, seconds: float) -> None:
        for one in (self.trace, self.under):
            one.show_cursor(seconds)


def _low_words(frames: FrameFigures | None, stutters: int) -> str:
    """The lows of a pass by every school side by side."""
    if frames is None:
        return ""
    parts = []
    for name, lows in (("1 %", frames.low_1pct), ("0.1 %", frames.low_0_1pct)):
        told = [f"{value:.1f}" for school in School if (value := lows.by(school)) is not None]
        parts += [f"{name}: {' / '.join(told)}"] if told else []
    schools = " / ".join(school.words for school in School)
    return "; ".join([f"Lows, {schools}: {', '.join(parts)}"] * bool(parts) + [plural(stutters, "stutter")])
