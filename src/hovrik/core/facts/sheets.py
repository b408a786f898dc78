"""The sheets of a rig and a title, and what their entries must be to each other."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from .knob import Order, Where
from .known_knobs import ACTS_AT, KNOWN
from .rig import OsSlot, OwnKnob, Rig
from .sheet import Field, FieldKind, Sheet, problems
from .title import Title

RATED = ("slow", "fifth_an_hour", "unknown")
N, W, T, F = FieldKind.NUMBER, FieldKind.WHOLE, FieldKind.TEXT, FieldKind.FLAG

VERSION = Sheet(
    "version",
    (
        Field("what", "What", required=True, hint="firmware, graphics driver, OS build, game patch …"),
        Field("installed", "Installed"),
        Field("offered", "Offered by its channel"),
        Field("noted", "Noted on", hint="2026-10-02"),
        Field("read_from", "Read from", hint="set-up screen, driver page …"),
    ),
)
MODE = Sheet(
    "power mode",
    (
        Field("name", "Name", required=True),
        Field("sustained_w", "Sustained", "W", N, 0.1, 1000),
        Field("short_w", "Short", "W", N, 0.1, 1000),
        Field("peak_w", "Peak", "W", N, 0.1, 1000),
        Field("adapter_w", "Wants an adapter of", "W", N, 1, 1000),
        Field("for_battery", "Meant for battery", kind=F),
    ),
)
PANEL = Sheet(
    "display",
    (
        Field("name", "Name", required=True),
        Field("width", "Width", "px", W, 100, 20_000),
        Field("height", "Height", "px", W, 100, 20_000),
        Field("refresh_hz", "Fixed rates", "Hz", FieldKind.NUMBERS, 1, 1000),
        Field("lowest_hz", "Variable from", "Hz", N, 1, 1000),
        Field("highest_hz", "to", "Hz", N, 1, 1000),
    ),
)
PLACE = Sheet(
    "knob of a slot",
    (
        Field("knob", "Knob", required=True, hint="boost, smt, gpu_ceiling_mhz …"),
        Field("where", "Changed", required=True, choices=tuple(w.value for w in Where)),
    ),
)
OWN_KNOB = Sheet(
    "knob of one's own",
    (
        Field("id", "Id", required=True, hint="window_mode"),
        Field("label", "Name", required=True, hint="Window mode"),
        Field("order", "Its levels are", choices=tuple(o.value for o in Order)),
        Field("levels", "Levels, least first", kind=FieldKind.WORDS, hint="borderless, exclusive"),
        Field("unit", "Unit"),
        Field("low", "or from", kind=N),
        Field("high", "to", kind=N),
        Field("step", "in steps of", kind=N, low=1e-6),
        Field("where", "Changed", choices=tuple(w.value for w in Where)),
        Field("place", "Found in", hint="the title's video page"),
        Field("minutes", "Minutes a change", "min", N, 0, 600),
        Field("depends", "Set first", kind=FieldKind.WORDS),
    ),
)
EXCLUSION = Sheet(
    "pair that excludes each other",
    (
        Field("knob", "Knob", required=True, hint="frame_generation"),
        Field("level", "at", required=True, hint="on"),
        Field("other", "excludes knob", required=True, hint="overlay"),
        Field("other_level", "at", required=True, hint="on"),
        Field("why", "Why", required=True),
        Field("version", "Seen with version"),
    ),
)
NOISE = Sheet(
    "sound level",
    (
        Field("rpm", "At a fan speed of", "rpm", N, 100, 20_000, required=True),
        Field("db", "the meter reads", "dB", N, 10, 90, required=True),
    ),
)
DELAY = Sheet(
    "delay on slow motion",
    (
        Field("generation", "Frame generation", choices=("off", "on"), required=True),
        Field("rendered_fps", "Rendered", "fps", N, 1, 1000, required=True),
        Field("camera_fps", "Camera", "fps", N, 60, 10_000, required=True),
        Field("frames", "Frames from press to picture", kind=N, low=1, high=10_000, required=True),
        Field("refresh_hz", "Refresh", "Hz", N, 1, 1000),
    ),
)
SET_UP = Sheet(
    "set-up of a title",
    (
        Field("name", "Name", required=True),
        Field("preset", "Preset"),
        Field("textures", "Textures"),
        Field("scale", "Render scale", "%", FieldKind.SHARE),
        Field("upscaler", "Upscaler"),
        Field("frame_generation", "Frame generation", choices=("off", "on")),
        Field("acts_at", "Both act in", choices=tuple(map(str, ACTS_AT)), hint="where scaler and generator act"),
        Field("accepted", "Accepted", kind=F),
    ),
)
SECTION = Sheet(
    "section of a scene",
    (
        Field("name", "Section", required=True),
        Field("start_s", "From", "s", N, 0, 7200, required=True),
        Field("end_s", "to", "s", N, 0, 7200, required=True),
    ),
)
STOPPED = Sheet(
    "title that does not run",
    (
        Field("title", "Title", required=True),
        Field("why", "Why", required=True),
        Field("version", "Seen with version"),
    ),
)
SLOT = Sheet(
    "OS slot",
    (
        Field("key", "Key", required=True),
        Field("name", "Name", required=True),
        Field("session", "Session", hint="full-screen, desktop …"),
        Field("sync", "Vertical sync", choices=("free", "locked on")),
        Field("threads", "Threads for a title", kind=W, low=1, high=1024),
        Field("overlay", "Overlay in use"),
        Field("overlay_stops", "It switches off", hint="variable refresh"),
        Field("background", "Background load"),
        Field("lacks", "Functions missing", kind=FieldKind.WORDS),
    ),
    {"versions": VERSION, "knobs": PLACE, "does_not_run": STOPPED, "own_knobs": OWN_KNOB, "exclusions": EXCLUSION},
)

_CHIP, _CLOCKS, _BATTERY, _PANEL, _MEMORY = "Chip limits", "Clocks and cores", "Battery and adapter", "Panel", "Memory"

RIG = Sheet(
    "rig",
    (
        Field("key", "Key", required=True, section="Name"),
        Field("name", "Name", required=True, section="Name"),
        Field("limit_low_w", "Sustained limit from", "W", N, 0.1, 1000, section=_CHIP, hint="needed for a first sweep"),
        Field("limit_high_w", "to", "W", N, 0.1, 1000, section=_CHIP, hint="needed for a first sweep"),
        Field("limit_step_w", "in steps of", "W", N, 0.05, 100, section=_CHIP),
        Field("short_low_w", "Short limit from", "W", N, 0.1, 1000, section=_CHIP),
        Field("short_high_w", "to", "W", N, 0.1, 1000, section=_CHIP),
        Field("peak_low_w", "Peak limit from", "W", N, 0.1, 1000, section=_CHIP),
        Field("peak_high_w", "to", "W", N, 0.1, 1000, section=_CHIP),
        Field("window_s", "Window of the sustained limit", "s", N, 0.1, 3600, section=_CHIP),
        Field("die_limit_c", "Throttles at a die of", "C", N, 40, 130, section=_CHIP),
        Field("fan_policy", "Fan policy in use", section=_CHIP),
        Field("fan_policies", "Fan policies", kind=FieldKind.WORDS, section=_CHIP),
        Field("noise_db", "Sound level", "dB", N, 10, 90, section=_CHIP, hint="known to 3 dB, at the speed beside it"),
        Field("noise_rpm", "at a fan speed of", "rpm", N, 100, 20_000, section=_CHIP),
        Field("cpu_cores", "CPU cores", kind=W, low=1, high=512, section=_CLOCKS),
        Field("cpu_threads", "CPU threads", kind=W, low=1, high=1024, section=_CLOCKS),
        Field("cpu_low_ghz", "CPU clock from", "GHz", N, 0.05, 12, section=_CLOCKS),
        Field("cpu_high_ghz", "to", "GHz", N, 0.05, 12, section=_CLOCKS),
        Field("boost_levels", "Boost levels", kind=FieldKind.WORDS, section=_CLOCKS, hint="on, off"),
        Field("smt", "SMT", kind=F, section=_CLOCKS),
        Field("schedulers", "Schedulers", kind=FieldKind.WORDS, section=_CLOCKS),
        Field("biases", "CPU / GPU bias", kind=FieldKind.WORDS, section=_CLOCKS),
        Field("energy_preferences", "Energy preferences", kind=FieldKind.WORDS, section=_CLOCKS),
        Field("governors", "Governors", kind=FieldKind.WORDS, section=_CLOCKS),
        Field("gpu_low_mhz", "GPU clock from", "MHz", N, 10, 10_000, section=_CLOCKS),
        Field("gpu_high_mhz", "to", "MHz", N, 10, 10_000, section=_CLOCKS),
        Field(
            "gpu_modes",
            "GPU modes",
            kind=FieldKind.WORDS,
            section=_CLOCKS,
            hint="built-in, hybrid, discrete-only, external",
        ),
        Field("link_gbit_s", "Link to an external GPU", "Gbit/s", N, 1, 1000, section=_CLOCKS),
        Field(
            "cpu_offset_low_mv", "CPU voltage offset down to", "mV", N, -300, 0, section=_CLOCKS, hint="by the maker"
        ),
        Field(
            "gpu_offset_low_mv", "GPU voltage offset down to", "mV", N, -300, 0, section=_CLOCKS, hint="by the maker"
        ),
        Field("battery_wh", "Design energy", "Wh", N, 1, 1000, section=_BATTERY, hint="needed for a first sweep"),
        Field(
            "battery_rated", "Energy rated at", choices=RATED, section=_BATTERY, hint="a slow drain, or a fifth an hour"
        ),
        Field("full_wh", "Full charge now", "Wh", N, 1, 1000, section=_BATTERY),
        Field("health", "or health", "%", FieldKind.SHARE, section=_BATTERY),
        Field("cycles", "Cycles", kind=W, low=0, high=100_000, section=_BATTERY),
        Field("gauge_step_wh", "Gauge step", "Wh", N, 0.0001, 10, section=_BATTERY),
        Field("charge_limit", "Charge limit", "%", FieldKind.SHARE, section=_BATTERY),
        Field("reserve", "Kept in reserve", "%", FieldKind.SHARE, section=_BATTERY),
        Field("valid_charge", "Passes count between", "%", FieldKind.SHARES, section=_BATTERY, hint="10 to 100"),
        Field("pack_cells", "Cells in series", kind=W, low=1, high=20, section=_BATTERY),
        Field("pack_ohm", "Pack resistance", "ohm", N, 0.001, 5, section=_BATTERY),
        Field("adapter_w", "Adapter", "W", N, 1, 1000, section=_BATTERY),
        Field("recharge_w", "Charges idle with", "W", N, 1, 1000, section=_BATTERY),
        Field("resolution", "Resolution", "px", FieldKind.PAIR, 100, 20_000, section=_PANEL, hint="1280 x 800"),
        Field(
            "refresh_hz",
            "Fixed refresh rates",
            "Hz",
            FieldKind.NUMBERS,
            1,
            1000,
            section=_PANEL,
            hint="needed: or the range",
        ),
        Field("variable_range_hz", "Variable range", "Hz", FieldKind.PAIR, 1, 1000, section=_PANEL, hint="48 to 120"),
        Field("memory_gb", "Memory", "GB", N, 0.5, 4096, section=_MEMORY),
        Field("split_gb", "Graphics memory can be", "GB", FieldKind.NUMBERS, 0, 4096, section=_MEMORY),
        Field("split_where", "Changing it needs", choices=tuple(w.value for w in Where), section=_MEMORY),
    ),
    {
        "modes": MODE,
        "displays": PANEL,
        "versions": VERSION,
        "slots": SLOT,
        "own_knobs": OWN_KNOB,
        "noise_readings": NOISE,
        "delays": DELAY,
    },
)

_RUN = "How it is run"
SCENE = Sheet(
    "scene",
    (
        Field("key", "Key", required=True),
        Field("name", "Name", required=True),
        Field("role", "Role", choices=("typical", "heaviest", "menu", "idle")),
        Field("mix", "Share of your time", "%", FieldKind.SHARE),
        Field("yields", "Yields", choices=("frames", "score", "time", "draw")),
        Field("counts", "Its rate counts", choices=("rendered", "shown")),
        Field("length_s", "Length", "s", N, 1, 86_400),
        Field("load", "Load", choices=("training", "match", "benchmark"), section=_RUN),
        Field("start_mark", "Start mark", section=_RUN),
        Field("end_mark", "End mark", section=_RUN),
        Field("load_time_constant_s", "Load wanders over", "s", N, 0.1, 600, section=_RUN),
    ),
    {"sections": SECTION},
)
TITLE = Sheet(
    "title",
    (
        Field("key", "Key", required=True),
        Field("name", "Name", required=True),
        Field("nature", "Nature"),
        Field("api", "Graphics interface"),
        Field("preset", "Preset in use"),
        Field("targets_fps", "Rates its engine knows", "fps", FieldKind.NUMBERS, 1, 1000),
        Field("own_scaler", "Lowers its own resolution", kind=F),
        Field("frame_generation", "Frame generation", kind=F),
        Field("live_opponents", "Live opponents", kind=F),
        Field("dislikes_changes", "Hangs on changes", kind=F, hint="when settings change while it runs"),
        Field(
            "lock_out_min",
            "Locks out after a crash",
            "min",
            N,
            0.1,
            100_000,
            hint="for how long it keeps you out when it crashed while others played along",
        ),
        Field("memory_gb", "Wants graphics memory", "GB", N, 0.01, 512),
        Field("slots", "Runs in OS slots", kind=FieldKind.WORDS),
    ),
    {"versions": VERSION, "scenes": SCENE, "set_ups": SET_UP, "own_knobs": OWN_KNOB},
)

_ORDERED = (
    ("limit_low_w", "limit_high_w"), ("short_low_w", "short_high_w"), ("peak_low_w", "peak_high_w"),
    ("cpu_low_ghz", "cpu_high_ghz"), ("gpu_low_mhz", "gpu_high_mhz"), ("cpu_cores", "cpu_threads"),
)  # fmt: skip


def rig_problems(body: Any) -> list[str]:
    """Everything wrong with the plain body of a rig, entries and what they are to each other."""
    found = problems(RIG, body)
    if found:
        return found
    rig = Rig.from_dict(body)
    for low_name, high_name in _ORDERED:
        low, top = getattr(rig, low_name), getattr(rig, high_name)
        if low is not None and top is not None and low > top:
            found.append(f"{low_name} {low:g} is above {high_name} {top:g}; swap the two")
    if rig.full_wh is not None and rig.battery_wh is not None and rig.full_wh > 1.1 * rig.battery_wh:
        found.append(f"full_wh {rig.full_wh:g} is far above the design energy {rig.battery_wh:g} Wh")
    if rig.variable_range_hz is not None and rig.variable_range_hz[0] >= rig.variable_range_hz[1]:
        found.append("variable_range_hz must run from the lower to the higher")
    if rig.reserve >= rig.charge_limit:
        found.append("reserve must lie under the charge limit")
    for mode in rig.modes:
        high = rig.limit_high_w
        if mode.sustained_w is not None and high is not None and mode.sustained_w > high + 1e-9:
            found.append(f"mode {mode.name} has a sustained limit of {mode.sustained_w:g} W above the rig's {high:g} W")
    slots: tuple[OsSlot, ...] = rig.slots
    return found + own_knob_problems([*rig.own_knobs, *(row for slot in slots for row in slot.own_knobs)])


def title_problems(body: Any) -> list[str]:
    """Everything wrong with the plain body of a title."""
    found = problems(TITLE, body)
    if found:
        return found
    title = Title.from_dict(body)
    mix = sum(scene.mix or 0.0 for scene in title.scenes)
    if mix > 1.0 + 1e-6:
        found.append(f"the scenes' shares of your time add up to {100 * mix:.0f} %; they may reach 100 %")
    for scene in title.scenes:
        found += [
            f"section {one.name} of {scene.name} must end after it begins"
            for one in scene.sections if one.end_s <= one.start_s
        ]  # fmt: skip
    names = [one.name for one in title.set_ups]
    found += [f"set_ups has the name {name!r} twice" for name in dict.fromkeys(names) if names.count(name) > 1]
    return found + own_knob_problems(title.own_knobs)


def own_knob_problems(rows: Iterable[OwnKnob]) -> list[str]:
    """What is wrong with the knobs that an owner adds: ids that are taken, levels that are none."""
    found, taken = [], {knob.id for knob in KNOWN}
    for row in rows:
        if not re.fullmatch(r"[a-z][a-z0-9_]{0,39}", row.id):
            found.append(f"own knob {row.id!r} needs an id of small letters, digits and underscores")
        if row.id in taken:
            found.append(f"own knob {row.id!r} has the id of another knob; choose another")
        taken.add(row.id)
        ranged = row.order == Order.NUMBER and row.low is not None and row.high is not None and row.low < row.high
        if len(row.levels) < 2 and not ranged:
            found.append(f"own knob {row.label} needs two levels at least, or a range of numbers")
    return found


def key_from(name: str, taken: Iterable[str]) -> str:
    """A stable word for a name that is not taken yet."""
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "unnamed"
    known, key, number = set(taken), base, 2
    while key in known:
        key, number = f"{base}-{number}", number + 1
    return key


_LIMIT, _TIME, _REST = "Limit and heat", "Time and settling", "Everything else"
THRESHOLDS = Sheet(
    "thresholds of the checks",
    (
        Field(
            "over_share",
            "Over the limit by",
            "%",
            FieldKind.SHARE,
            section=_LIMIT,
            hint="firmware regulates within a few %",
        ),
        Field("over_w", "and at least", "W", N, 0, 20, section=_LIMIT, hint="or half a watt"),
        Field(
            "throttle_margin_c", "Die near its limit by", "degrees", N, 0, 20, section=_LIMIT, hint="sensors step by 1"
        ),
        Field(
            "throttle_share",
            "for this share of a pass",
            "%",
            FieldKind.SHARE,
            section=_LIMIT,
            hint="a spike is no throttling",
        ),
        Field(
            "clamp_share", "Step of power down by", "%", FieldKind.SHARE, section=_LIMIT, hint="less is no charge clamp"
        ),
        Field("drain_w", "Drains while plugged by", "W", N, 0, 20, section=_LIMIT, hint="less is the gauge's noise"),
        Field(
            "idle_share", "Battery gives under", "%", FieldKind.SHARE, section=_LIMIT, hint="of its usual: plugged in"
        ),
        Field("idle_s", "for", "s", N, 0.5, 60, section=_LIMIT),
        Field("drift_share", "Rate drifts by", "%", FieldKind.SHARE, section=_TIME, hint="the step worth finding"),
        Field("drift_z", "and standard errors", "", N, 1, 20, section=_TIME, hint="more than chance"),
        Field(
            "slow_share",
            "Frames suddenly longer by",
            "%",
            FieldKind.SHARE,
            section=_TIME,
            hint="no wandering does that",
        ),
        Field("slow_s", "for", "s", N, 0.5, 60, section=_TIME),
        Field("gap_ms", "Gap without a frame", "ms", N, 50, 60_000, section=_TIME, hint="far longer than a stutter"),
        Field("lost_share", "Time that does not add up", "%", FieldKind.SHARE, section=_TIME),
        Field("length_share", "Length off by", "%", FieldKind.SHARE, section=_TIME, hint="compares with nothing"),
        Field("asleep_s", "Nothing recorded for", "s", N, 1, 600, section=_TIME, hint="the machine slept"),
        Field("pool_share", "Graphics memory within", "%", FieldKind.SHARE, section=_REST, hint="the pool is full"),
        Field("other_share", "CPU taken by others", "%", N, 0, 100, section=_REST),
        Field("other_time", "for this share of a pass", "%", FieldKind.SHARE, section=_REST),
        Field(
            "collapse_share", "GPU clock under its usual", "%", FieldKind.SHARE, section=_REST, hint="no load does that"
        ),
        Field("collapse_s", "for", "s", N, 1, 60, section=_REST),
        Field("collapse_frames", "with under", "%", FieldKind.SHARE, section=_REST, hint="of the usual frames"),
        Field("tick_share", "Frames on fixed ticks", "%", FieldKind.SHARE, section=_REST, hint="no variable refresh"),
        Field(
            "lost_rows", "Frames of just twice the length", "%", FieldKind.SHARE, section=_REST, hint="rows left out"
        ),
        Field("held_part", "Frames within", "%", FieldKind.SHARE, section=_REST, hint="of their usual interval"),
        Field("held_share", "Frames held without a cap", "%", FieldKind.SHARE, section=_REST, hint="free frames vary"),
    ),
)


def _guard(name: str, heading: str, trip: Field, clear: Field) -> tuple[Field, ...]:
    """Where a guard trips and clears, and for how long it must last."""
    times = ((f"{name}_hold_s", "Trips after"), (f"{name}_clear_s", "Clears after"))
    return tuple(
        replace(field, section=heading)
        for field in (trip, clear, *(Field(key, words, "s", N, 0, 600) for key, words in times))
    )


GUARDS = Sheet(
    "thresholds of the guards",
    (
        *_guard(
            "heat", "Heat",
            Field("heat_over_c", "Die over its limit by", "degrees", N, -60, 5, hint="the throttle holds it no more"),
            Field("heat_under_c", "Clears under it by", "degrees", N, 0, 80, hint="cool enough to begin anew"),
        ),
        *_guard(
            "room", "Room",
            Field("room_trip_c", "Off by", "degrees", N, 0.5, 20, hint="over 3 no comparison is fair"),
            Field("room_clear_c", "Clears within", "degrees", N, 0, 20),
        ),
        *_guard(
            "charge", "Charge",
            Field("charge_under", "Under the rig's window by", "%", FieldKind.SHARE, hint="clocks may be clamped"),
            Field("charge_over", "Clears over its lower end by", "%", FieldKind.SHARE),
        ),
        *_guard(
            "drain", "Drain while plugged in",
            Field("drain_trip_w", "The battery gives", "W", N, 0.1, 50, hint="it empties unseen"),
            Field("drain_clear_w", "Clears under", "W", N, 0, 50),
        ),
        Field("source_hold_s", "Trips after", "s", N, 0, 600, section="Another power source", hint="another machine"),
        Field("source_clear_s", "Clears after", "s", N, 0, 600, section="Another power source"),
    ),
)  # fmt: skip
