"""What a charge gives: packs unlike the model, drawn at random, and what passes teach of them."""

import math
from dataclasses import replace

import numpy as np
import pytest

from hovrik.core.facts.rig import Rig
from hovrik.core.model import battery
from hovrik.core.model.battery import Used
from hovrik.core.passes.figures import PassFigures
from hovrik.core.stats.estimate import Estimate, Mean
from hovrik.core.words import render
from hovrik.service import battery_life
from hovrik.service.run import rig_of
from hovrik.store import sealed
from hovrik.store.notebook import Notebook

RIG = Rig("r", "Rig", battery_wh=40.0)
EXACT = 1e-6


@pytest.mark.parametrize(("wh", "cells"), [(99.0, 4), (99.0, None), (70.0, 3), (20.0, 1)])
def test_packs_of_any_size_give_the_same_share_at_the_same_load_by_their_size(wh, cells):
    """A cell of twice the charge has half the resistance, and cells in series add theirs: so the share that is lost
    goes by watts over Wh alone."""
    small, other = battery.gives(RIG, 32.0), battery.gives(Rig("o", "O", battery_wh=wh, pack_cells=cells), 0.8 * wh)
    assert [getattr(other, end) / wh for end in ("low", "wh", "high")] == pytest.approx(
        [getattr(small, end) / 40.0 for end in ("low", "wh", "high")], rel=1e-6
    )


def other_pack(rng, label_wh=40.0):
    """(delivered Wh by (draw, start, end)) of a pack of another shape: a straight voltage with a knee and a steep top,
    its energy 3 % off, its resistance by a log sd of a half."""
    low, slope, knee = rng.uniform(2.9, 3.1), rng.uniform(0.35, 0.75), rng.uniform(0.3, 0.55)
    ohm, cut = 0.125 * math.exp(0.5 * rng.standard_normal()), 2 * rng.uniform(2.85, 3.1)
    true = label_wh * math.exp(0.03 * rng.standard_normal())
    q = np.linspace(1.0, 0.0, 1501)
    volts = 2 * (low + slope * q + knee * (1 - np.exp(-q / 0.06)) + rng.uniform(0.0, 0.2) * q**4)

    def given(draw, start=1.0, end=0.05):
        inside = volts**2 - 4 * ohm * draw
        v = np.where(inside > 0, 0.5 * (volts + np.sqrt(np.maximum(inside, 0))), 0.0)
        v[np.cumsum(v <= cut) > 0] = 0.0  # it cuts off, and stays off
        summed = np.concatenate(([0.0], np.cumsum(0.5 * (v[1:] + v[:-1]) * -np.diff(q))))
        return float(np.interp(1 - end, 1 - q, summed) - np.interp(1 - start, 1 - q, summed))

    charge = true / given(true / 5 if rng.random() < 0.5 else 0.1, 1.0, 0.0)
    return lambda *way: charge * given(*way)


def used_by(pack, rng, passes):
    """What a gauge of half percents says of passes from full on."""
    wh = share = 0.0
    at, start = 1.0, 1.0
    for _ in range(passes):
        if at < 0.6:
            at = 1.0
        draw = rng.uniform(10, 25)
        end = at - draw / 60 / 40.0
        wh += pack(draw, at, end) * (1 + 0.008 * rng.standard_normal())
        share += round(at / 0.005) * 0.005 - round(end / 0.005) * 0.005
        at = end - 0.01
    return Used(wh, share, 17.0, start, 0.6, passes, 0.005) if share > 0 else None


def width(gives):
    """Log width of what is said."""
    return math.log(gives.high / gives.low)


@pytest.mark.parametrize(("passes", "least"), [(0, 0.9), (24, 0.9), (60, 0.9)])
def test_hours_hold_the_truth_of_packs_unlike_the_model(passes, least):
    rng = np.random.default_rng(17)
    hits, widths = [], []
    for _ in range(120):
        pack = other_pack(rng)
        used = used_by(pack, rng, passes) if passes else None
        draw = rng.uniform(8, 28)
        found = battery.hours(RIG, Mean(math.log(draw), EXACT, 1e6, 3), used)
        hits.append(found.low <= pack(draw) / draw <= found.high)
        widths.append(math.log(found.high / found.low) / 2)
    assert np.mean(hits) >= least, np.mean(hits)
    assert np.mean(widths) < (0.16 if not passes else 0.13)


def test_passes_narrow_what_is_stated():
    used = Used(20.0, 0.5, 15.0, 1.0, 0.5, 30, 0.001)
    stated, learned = (battery.gives(RIG, 15.0, one) for one in (None, used))
    assert width(learned) < width(stated) and learned.learned and not stated.learned
    assert learned.wh == pytest.approx(38.0, rel=0.05)


def test_a_worn_pack_shows_in_its_passes():
    """The gauge goes down by half on 14 Wh: 28 Wh in all, whatever the label says."""
    worn = Used(14.0, 0.5, 15.0, 1.0, 0.5, 30, 0.001)
    found = battery.gives(RIG, 15.0, worn)
    assert 25.0 < found.wh < 31.0


def test_how_the_energy_is_rated_counts_once():
    draw = 20.0
    slow, fifth, unknown = (
        battery.gives(replace(RIG, battery_rated=how), draw) for how in ("slow", "fifth_an_hour", None)
    )
    assert slow.wh < unknown.wh < fifth.wh < 1.03 * slow.wh


def test_own_figures_are_better_than_the_label():
    label, gauge = battery.gives(RIG, 15.0), battery.gives(replace(RIG, full_wh=40.0), 15.0)
    measured = battery.gives(replace(RIG, full_wh=40.0, pack_ohm=0.125), 15.0)
    assert width(measured) < width(gauge) < width(label)
    assert battery.gives(Rig("r", "Rig"), 15.0) is None


def test_what_passes_used_is_added_up():
    rows = [
        PassFigures(values={"draw_w": draw, "charge_used_share": used, "charge_start_share": start})
        for draw, used, start in ((10.0, 0.01, 1.0), (20.0, 0.02, 0.9), (20.0, -0.1, 0.8))
    ]
    assert battery.used_of(rows) is None  # no length is known of them
    assert battery.used_of([]) is None


def test_what_a_full_charge_gave_month_by_month(demo_copy):
    """The demo's pack gives what its rig says; most of its passes in an earlier month that used a tenth less."""
    with Notebook(demo_copy) as notebook:
        (now,) = battery_life.months(notebook, "ombrel-8")
        full = rig_of(notebook, "ombrel-8").full_charge_wh
        assert now.full.low < full < now.full.high and now.passes == 37
        ids = [record.id for record in notebook.passes()][1:28]
        marks = ", ".join("?" * len(ids))
        with notebook.writing() as connection:
            connection.execute("DROP TRIGGER pass_no_update")
            connection.execute(f"UPDATE pass SET noted_at = 1700000000000000000 WHERE id IN ({marks})", ids)
            sealed.seal_again(connection, "pass")
        first, second = battery_life.months(notebook, "ombrel-8")
        assert (first.name, first.passes, second.passes) == ("2023-11", 27, 10)
        before = notebook.cached(battery_life.ALGORITHM, battery_life.VERSION, ids)
        less = {name: {**body, "used": body["used"] / 1.1} for name, body in before.items()}
        notebook.cache(battery_life.ALGORITHM, battery_life.VERSION, less)
        again, _ = battery_life.months(notebook, "ombrel-8")
        assert again.full.value == pytest.approx(1.1 * first.full.value)
    assert "no change can be told" in render(battery_life.told([first, second])[0])
    old, new = (replace(first, full=Estimate(wh, 0.98 * wh, 1.02 * wh, "Wh")) for wh in (50.0, 40.0))
    assert render(battery_life.told([old, new])[0]).endswith("that changed by -22 to -18 %.")
    assert "none used enough" in render(battery_life.told([])[0])


@pytest.mark.parametrize("step", [0.05, 0.02, 0.01, 0.005, 0.4 / 46.0, 0.9 / 46.0, 0.0])
@pytest.mark.parametrize("passes", [1, 2, 6])
def test_what_a_full_charge_gives_by_gauges_of_any_step(step, passes):
    """The step is told by the readings, which stand on its multiples, however few they are: the gap between the two
    readings of one pass is none (which once said 44 to 224 Wh). 46 Wh are true; the gauge knows its charge to a step,
    the meter watts to a hundredth."""
    rng = np.random.default_rng(round(1e4 * step) + passes)
    hits, widths = 0, []
    for _ in range(300):
        meter, at, rows = math.exp(0.01 * rng.standard_normal()), rng.uniform(0.9, 1.0), []
        for _ in range(passes):
            draw, end = rng.uniform(10.0, 25.0), at - rng.uniform(0.09, 0.13)
            read = [math.floor(one / step) * step if step else one for one in (at, end)]
            rows.append((draw * meter, read[0] - read[1], read[0], (at - end) * 46.0 / draw * 3600.0))
            at = end - rng.uniform(0.002, 0.03)
        used = battery.used_in(rows)
        if used is None:
            continue
        found = battery.full_of(used)
        hits += found.low <= 46.0 <= found.high
        widths.append(math.log(found.high / found.low))
    share = 0.11 * passes
    assert hits >= 0.93 * len(widths), hits / len(widths)
    assert np.median(widths) < 4.0 * math.hypot(2.5 * max(step, 0.01) / share / math.sqrt(passes), 0.04), np.median(
        widths
    )
