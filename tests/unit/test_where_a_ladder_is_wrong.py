"""Seeded cases in which what a plain ladder of short passes says is wrong, and the kind that asks it is right."""

import math
from dataclasses import replace

import numpy as np
from helpers.build import QUESTION, of_figures
from undervolts import HOURS, Chip, walked  # benchmarks are on the path

from hovrik.core.facts.factor import of_knob, static_limit
from hovrik.core.facts.knob import Knob
from hovrik.core.facts.rig import Rig
from hovrik.core.facts.setup import static
from hovrik.core.kinds import claim, use_lasts
from hovrik.core.kinds.kind import Seen
from hovrik.core.kinds.table import KINDS
from hovrik.core.model.cooler import Rise, cooler_of
from hovrik.core.passes.figures import PassFigures
from hovrik.core.plan.design import Told
from hovrik.core.plan.lengths import Lengths
from hovrik.core.plan.rounds import Cell, RoundsDesign
from hovrik.core.questions.question import Question
from hovrik.core.read import response
from hovrik.core.read.answer import Context

RIG = Rig("r", "R", 6.0, 18.0, battery_wh=40.0)
CONTEXT = Context(RIG, 23.0)


def die_c(watts, seconds, room_c=23.0):
    """A die on a sink and a case: half of its rise comes in a minute, the rest in half an hour."""
    part = 0.5 * (1 - math.exp(-seconds / 40.0)) + 0.5 * (1 - math.exp(-seconds / 700.0))
    return room_c + 4.0 * watts**0.9 * part


def test_what_stays_cool_for_a_minute_does_not_for_ever():
    limits = np.arange(6.0, 19.0)
    ladder = max(w for w in limits if die_c(w, 90.0) <= 62.0)
    truth = max(w for w in limits if die_c(w, 1e9) <= 62.0)
    rises = [Rise(w, die_c(w, 1e9) - 23.0, 0.02) for w in (7.0, 11.0, 17.0)]
    said = cooler_of(rises, follows=False).carries(62.0 - 23.0)
    assert ladder >= truth + 3.0
    assert said.low <= (39.0 / 4.0) ** (1 / 0.9) <= said.high < ladder


def test_the_lowest_watts_do_not_cost_a_job_least():
    """What is drawn beside the package is drawn for as long as the job takes: it is cheapest where it is soon done."""
    rng, rows = np.random.default_rng(5), []
    for watts in range(6, 19, 2):
        for k in range(3):
            seconds = 3000.0 / watts**0.75 * math.exp(0.005 * rng.standard_normal())
            figures = {"time_s": seconds, "draw_w": 9.0 + watts * 1.1, "package_w": float(watts)}
            rows.append(of_figures(f"{watts}-{k}", static(watts), PassFigures(values=figures)))
    question = QUESTION.with_(figure="none")
    responses = response.read(rows, question)
    cost = {w: (9.0 + 1.1 * w) * 3000.0 / w**0.75 for w in range(6, 19, 2)}
    found = use_lasts.answer(Seen(responses, rows, question, CONTEXT, static_limit()))
    ladder = KINDS["lowest-watts"].answer(Seen(responses, rows, question, CONTEXT, static_limit()))
    assert ladder.option.level == 6.0 and cost[6] > 1.1 * min(cost.values())
    assert cost[found.option.level] <= 1.03 * min(cost.values()), found.sentence


def test_one_level_after_the_other_takes_a_drift_for_the_knob():
    """A draw that falls by a third of a percent a pass, whatever is set: blocks confirm what mirrored rounds refute."""
    told = {"before": {"boost": "on"}, "after": {"boost": "off"}, "figure": "draw_w", "percent": -3.5}
    cells = [Cell(static(12.0).with_(boost=state)) for state in ("on", "off")]
    like = Lengths(repeats=12)
    mirrored = [one.setup for one in RoundsDesign(tuple(cells), like, mirrored=True).ask(Told()).wanted]
    said = {}
    for words, order in (("blocks", [cells[0].setup] * 12 + [cells[1].setup] * 12), ("mirrored", mirrored)):
        rng, rows = np.random.default_rng(3), []
        for number, setup in enumerate(order):
            watts = 16.0 * math.exp(-0.003 * number + 0.002 * rng.standard_normal())
            figures = PassFigures(values={"draw_w": watts, "mean_fps": 40.0})
            rows.append(replace(of_figures(f"{words}{number}", setup, figures), round=f"run/{number}"))
        factor = of_knob(Knob("boost", "CPU boost", levels=("off", "on")))
        seen = Seen([], rows, Question("claim", parts={"claim": told}), CONTEXT, factor)
        said[words] = claim.answer(seen).sentence
    assert said["blocks"].startswith("Confirmed here") and said["mirrored"].startswith("Not true here")


def test_the_last_step_without_a_fault_is_not_safe():
    """Down until a short pass fails, then one step back, as a ladder does it: a fault in 50 hours of play is expected
    of most; of what the walk keeps on the same chips, of few."""
    unsafe = {"ladder": 0, "walk": 0}
    for seed in range(60):
        chip, kept, *_ = walked(seed)
        again = Chip(np.random.default_rng((52, seed)), chip.law)
        again.margins, step = chip.margins, 0.0
        while step > -150.0 and not again.faults((step - 10.0,) * 2, 60.0):
            step -= 10.0
        for words, offsets in (("ladder", (step, step)), ("walk", kept)):
            unsafe[words] += chip.a_second(offsets, 1e6) * 3600.0 * HOURS >= 1.0
    assert unsafe["ladder"] >= 20 and unsafe["walk"] <= 8, unsafe
