"""One setup over all scenes of a title: hours over the mix, the floor in the heaviest scene, what was not measured."""

import pytest

from hovrik.bench.job import Control
from hovrik.core.facts.setup import static
from hovrik.core.plan.grid import LadderDesign
from hovrik.core.words import render
from hovrik.demo import scenario
from hovrik.service import library
from hovrik.service import run as sweep
from hovrik.service.gather import evaluate
from hovrik.service.machines import open_machine
from hovrik.service.over_scenes import over_scenes, told
from hovrik.store.notebook import Notebook

AT = static(14.0, 40.0)


@pytest.fixture(scope="module")
def measured(tmp_path_factory):
    """A notebook with two passes of each of two scenes at one setup."""
    path = tmp_path_factory.mktemp("m") / "n.hovrik"
    with Notebook(path) as notebook:
        scenario.prepare(notebook)
        for scene in ("causeway", "market"):
            asked = scenario.question().with_(scene=scene)
            like = LadderDesign(14.0, 14.0, 1.0, 40.0, repeats=2, pass_s=60.0, soak_s=20.0, heat_s=0.0)
            plan = sweep.keep_plan(notebook, asked, like, room_c=22.0)
            machine = open_machine(scenario.addresses(path)[asked.rig])
            address = scenario.addresses(path)[asked.rig]
            sweep.run_plan(notebook, plan, machine, address, Control(), lambda event: None)
            machine.close()
        yield notebook


def test_hours_are_those_of_the_mixed_draw(measured):
    asked, title = scenario.question(), library.titles(measured)["saltmarsh-couriers"]
    found = over_scenes(measured, evaluate(measured, asked), title, AT)
    draws = {row.scene.key: row.group.draw.value for row in found.rows if row.group is not None}
    mixes = {row.scene.key: row.scene.mix for row in found.rows if row.group is not None}
    assert set(draws) == {"causeway", "market"} and found.share == pytest.approx(sum(mixes.values()))
    alone = [
        evaluate(measured, asked.with_(scene=key)).responses[0].groups[0].draw.value for key in ("causeway", "market")
    ]
    assert list(draws.values()) == pytest.approx(alone)
    mixed = sum(mixes[key] * draws[key] for key in draws) / sum(mixes.values())
    assert found.hours.low < found.hours.value < found.hours.high
    by_plain = 46.0 * 0.95 / mixed  # common practice: design energy by the draw
    assert 0.8 * by_plain < found.hours.value < by_plain
    said = " ".join(map(render, told(found, asked)))
    assert "over your mix of scenes a charge lasts" in said and "Tide market, the heaviest, it holds 40 with" in said
    holds = next(row.group.holds for row in found.rows if row.scene.key == "market")
    assert holds is not None and holds < next(row.group.holds for row in found.rows if row.scene.key == "causeway")


def test_what_was_not_measured_is_said(measured):
    asked, title = scenario.question(), library.titles(measured)["saltmarsh-couriers"]
    found = over_scenes(measured, evaluate(measured, asked), title, static(9.0, 40.0))
    assert found.hours is None and all(row.group is None for row in found.rows)
    said = [render(one) for one in told(found, asked)]
    assert any("was not measured: whether it holds 40 there is open" in one for one in said)
    assert any("not measured at it: Causeway at dusk" in one for one in said)
