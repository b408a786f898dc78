"""The demo scenario, built by the same code a user would run."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import Any

from ..bench.job import Control, RunEvent
from ..bench.protocol import Machine
from ..bench.simulated.machine import SimulatedMachine
from ..bench.simulated.model import load_model
from ..core.choose.journey import CHARGE, FILM, Journey, Leg
from ..core.facts.knob import Level
from ..core.facts.rig import Rig
from ..core.facts.setup import static
from ..core.kinds.best import KIND as BEST
from ..core.kinds.feels import KIND as FEELS
from ..core.plan.design import Design
from ..core.plan.feel import FeelDesign
from ..core.plan.grid import LadderDesign
from ..core.plan.lengths import Lengths
from ..core.plan.rounds import Cell, RoundsDesign
from ..core.questions.question import BEST_SET_UP, Question, lowest_watts
from ..disk.folders import cache_folder
from ..service import library, tonight
from ..service import run as sweep
from ..service.machines import open_machine, simulated, state_of
from ..service.planning import planned_within, with_base
from ..service.points import Places
from ..store.notebook import Notebook, PassQuery
from ..store.stills import keep_stills, stills
from .drawn import cellar, png
from .player import played

RIGS = Path(__file__).with_name("rigs")
SCENARIO = RIGS / "ombrel-8.toml"
ROOM_C = 22.0
OLD_FIRMWARE = "1.08"


NOTED = ("ladder", "search", "set-ups")  # plans of which it is noted what they hold the same


def question() -> Question:
    """The demo's question."""
    return lowest_watts(rig="ombrel-8", slot="sedge", title="saltmarsh-couriers", scene="causeway", target_fps=40.0)


def design(seed: int = 1) -> LadderDesign:
    """The demo's sweep: 7 to 18 W by 1 W, capped at 40, three rounds, and one heat pass of 15 min."""
    return LadderDesign(7.0, 18.0, 1.0, cap_fps=40.0, repeats=3, heat_s=900.0, seed=seed)


def addresses(notebook: Path) -> dict[str, dict[str, Any]]:
    """Addresses of the demo's machines by rig key, as a notebook of it has them."""
    with Notebook(notebook, read_only=True) as opened:
        return machines_of(opened)


def machines_of(notebook: Notebook) -> dict[str, dict[str, Any]]:
    """The same of an open notebook."""
    found = {path.stem: library.address_of(notebook, path.stem) for path in rig_files()}
    return {rig: address for rig, address in found.items() if address is not None}


def rig_files() -> list[Path]:
    """Descriptions of the demo's machines."""
    return sorted(path for path in RIGS.glob("*.toml") if path.name != "titles.toml")


def prepare(notebook: Notebook, seed: int = 1) -> None:
    """Note the demo's rigs and titles, and make their machines where they are not made yet."""
    for path in rig_files():
        address = library.address_of(notebook, path.stem) or simulated(path, seed)
        library.register(notebook, open_machine(address).describe())
        library.keep_address(notebook, path.stem, address)
    notebook.set_state("question", question().as_dict())
    notebook.set_state("design", design(seed).as_dict())
    notebook.set_state("room_c", ROOM_C)


def build(
    path: Path, *, seed: int = 1, pace: float = float("inf"), searched: bool = False,
    announce: Callable[[RunEvent], None] = lambda event: None, control: Control | None = None,
) -> int:  # fmt: skip
    """Make the demo notebook at `path` with its sweep run and stored; passes kept. Continues one cut short. searched :
    with the search for the best setup of a second title, too."""
    with Notebook(path) as notebook:
        prepare(notebook, seed)
        at = machines_of(notebook)
        asked: list[tuple[str, Question, Design]] = [("ladder", question(), design(seed))]
        if searched:
            asked.append(("search", search_question(), _search_design(notebook, seed)))
            asked.append(("waste", waste_question(), _pairs(seed)))
            asked.append(("set-ups", set_ups_question(), _set_ups(seed)))
        control, done = control or Control(), 0
        machine = open_machine(at[question().rig], pace=pace)
        try:
            for name, one, own in asked:
                if not control.stopped.is_set():
                    done += _run(notebook, name, one, own, machine, at, announce, control)
        finally:
            machine.close()
        if searched:
            done += _felt(notebook, at, seed, announce, control)
            done += _before_and_after(notebook, at, seed, announce, control)
            if not stills(notebook):
                _keep_stills(notebook)
            if not tonight.kept(notebook).legs:
                tonight.keep(notebook, EVENING)
        return done


# a journey: two titles, a film, a stop with a charger between them
EVENING = Journey(
    (Leg("saltmarsh-couriers", 40.0), Leg(FILM, 30.0, must=False), Leg(CHARGE, 30.0, charger_w=45.0),
     Leg("tin-orchard", 45.0), Leg("saltmarsh-couriers", 25.0)), 0.9, 0.1,
)  # fmt: skip


def search_question() -> Question:
    """The second title's: most hours that hold 35, over limits, boost, GPU ceiling and cap."""
    asked = lowest_watts(rig="ombrel-8", slot="sedge", title="ironwood-vale", scene="ridge", target_fps=35.0)
    gpu = [1100.0, 1400.0, 1700.0, 2100.0, 2700.0]
    levels = {"boost": ["off", "on"], "gpu_ceiling_mhz": gpu, "cap_fps": [36.0, 45.0, "none"]}
    return replace(asked, kind=BEST.id, parts={"levels": levels})


def waste_question() -> Question:
    """About a light title that spins while it waits: what limits it, and where its watts go."""
    asked = lowest_watts(rig="ombrel-8", slot="sedge", title="tin-orchard", scene="grove", target_fps=60.0)
    return replace(asked, kind="knob", parts={"over": "boost"})


def _pairs(seed: int) -> Design:
    """Boost and cap of the light title, each both ways."""
    base = static(15.0, 80.0).with_(boost="on")
    changes: tuple[dict[str, Level], ...] = (
        {}, {"boost": "off"}, {"cap_fps": 60.0}, {"cap_fps": 60.0, "boost": "off"}, {"cap_fps": "none"},
    )  # fmt: skip
    cells = tuple(Cell(base.with_(**change)) for change in changes)
    return RoundsDesign(cells, Lengths(repeats=2, heat_s=0.0, seed=seed))


def set_ups_question() -> Question:
    """About a title with three set-ups, of which stills are kept."""
    asked = lowest_watts(rig="ombrel-8", slot="sedge", title="mole-at-the-mill", scene="cellar", target_fps=30.0)
    return replace(asked, kind=BEST_SET_UP, parts={"over": "render_scale", "levels": {"render_scale": list(LOOKS)}})


def _set_ups(seed: int) -> Design:
    """A pass of each set-up, two rounds."""
    base = static(15.0, 30.0)
    cells = tuple(Cell(base.with_(render_scale=scale)) for scale in LOOKS)
    return RoundsDesign(cells, Lengths(repeats=2, heat_s=0.0, seed=seed))


def feel_question() -> Question:
    """From when on it feels bad, in the first title."""
    return replace(question(), kind=FEELS.id, parts={})


def _felt(
    notebook: Notebook, at: dict[str, dict[str, Any]], seed: int, announce: Callable[[RunEvent], None], control: Control
) -> int:  # fmt: skip
    """A blind test of two dozen looks, by a player who wants some 37 frames."""
    asked = feel_question()
    rig, places = sweep.rig_of(notebook, asked.rig), Places(notebook)
    own = planned_within(asked, rig, places.knobs(asked), design(seed)).design
    assert isinstance(own, FeelDesign)  # what that kind is designed as
    with closing(open_machine(at[asked.rig])) as machine:
        if control.stopped.is_set():
            return 0
        hear = played(machine, control, announce, seed)
        return _run(notebook, "feel", asked, replace(own, most=MOST_LOOKS), machine, at, hear, control)


MOST_LOOKS = 28
LOOKS = {1.0: (4, True), 0.8: (3, True), 0.6: (2, False)}  # render scale to stones and shadows that are drawn there


def _keep_stills(notebook: Notebook) -> None:
    """A screenshot of each set-up with its first pass."""
    asked = set_ups_question()
    made = {one.asked.get("render_scale"): one.id for one in reversed(notebook.passes(PassQuery(title=asked.title)))}
    with tempfile.TemporaryDirectory() as folder:
        for scale, (stones, shadows) in LOOKS.items():
            if scale in made:
                path = Path(folder) / f"cellar-{100 * scale:.0f}.png"
                path.write_bytes(png(cellar(stones, scale, shadows=shadows)))
                keep_stills(notebook, made[scale], [path])


def update_question() -> Question:
    """About the second handheld: what its newest firmware did, and what each watt buys."""
    return lowest_watts(rig="teasel-11", slot="sedge", title="saltmarsh-couriers", scene="causeway", target_fps=45.0)


def _before_and_after(
    notebook: Notebook, at: dict[str, dict[str, Any]], seed: int, announce: Callable[[RunEvent], None], control: Control
) -> int:  # fmt: skip
    """Passes of the second handheld before its newest firmware and after, with its fan as set and full; then a ladder.
    The firmware before asked its fan for all that the policy says."""
    asked = update_question()
    model = load_model(RIGS / f"{asked.rig}.toml")
    old = tuple(replace(v, installed=OLD_FIRMWARE, noted="2026-10-05") if v.what == "firmware" else v
                for v in model.rig.versions)  # fmt: skip
    heat = replace(model.physics.heat, firmware_speed=1.0)
    before = replace(model, rig=replace(model.rig, versions=old), physics=replace(model.physics, heat=heat))
    own = at[asked.rig]
    fans = RoundsDesign(
        tuple(Cell(static(18.0, None).with_(fan_policy=fan)) for fan in ("even", "full")),
        Lengths(repeats=5, pass_s=120.0, soak_s=600.0, heat_s=0.0, seed=seed),
    )
    done = 0
    steps: tuple[tuple[str, Rig, Callable[[], Machine], Design], ...] = (
        ("before", before.rig, lambda: SimulatedMachine(before, state_of(own), seed=seed), fans),
        ("after", model.rig, lambda: open_machine(own), fans),
        ("edges", model.rig, lambda: open_machine(own),
         LadderDesign(9.0, 18.0, 1.0, repeats=4, pass_s=120.0, heat_s=0.0, seed=seed)),
    )  # fmt: skip
    for name, rig, reach, design_ in steps:
        with closing(reach()) as machine:
            if not control.stopped.is_set():
                library.save_rig(notebook, rig)
                done += _run(notebook, name, asked, design_, machine, at, announce, control)
    return done


def _search_design(notebook: Notebook, seed: int) -> Design:
    asked = search_question()
    rig, places = sweep.rig_of(notebook, asked.rig), Places(notebook)
    lengths = LadderDesign(8.0, 24.0, 1.0, None, pass_s=60.0, seed=seed)
    made = planned_within(asked, rig, places.knobs(asked), lengths, None, sweep.title_of(notebook, asked.title))
    return made.design


def _run(
    notebook: Notebook, name: str, asked: Question, own: Design, machine: Machine, at: dict[str, dict[str, Any]],
    announce: Callable[[RunEvent], None], control: Control,
) -> int:  # fmt: skip
    """Run one of the demo's plans, or what is left of it."""
    plan_id = notebook.get_state(f"demo/{name}")
    if not isinstance(plan_id, str):
        if name in NOTED:
            rig, title = sweep.rig_of(notebook, asked.rig), sweep.title_of(notebook, asked.title)
            now = machine.snapshot().restorable()
            asked = with_base(asked, rig, Places(notebook).knobs(asked), own, now, title)
        plan_id = sweep.keep_design(notebook, asked, own, ROOM_C)
        if name == NOTED[0]:  # what the window opens with
            notebook.set_state("question", asked.as_dict())
        notebook.set_state(f"demo/{name}", plan_id)
    return sweep.run_plan(notebook, plan_id, machine, at[asked.rig], control, announce).done


def default_path() -> Path:
    """Where `hovrik demo` keeps its notebook, by the XDG base directories."""
    return cache_folder() / "demo.hovrik"
