"""What rounds have in common, and what a fuller ladder lends to a thinner one, against truths that are drawn."""

import math
from dataclasses import replace

import numpy as np
import pytest
from helpers.build import QUESTION
from helpers.scattered import passes_of, true_low

from hovrik.core.facts.factor import static_limit
from hovrik.core.facts.place import Place
from hovrik.core.read import lend, response
from hovrik.core.stats import process

X = np.log(np.arange(8.0, 16.0))


def test_a_round_that_went_badly_is_no_eight_independent_passes():
    """Rounds that differ by as much as passes: intervals of levels cover with the rounds told, and not without."""
    rng = np.random.default_rng(1)
    rounds = (*[[f"{n}" for n in range(3)]] * 8,)
    hits = {True: 0, False: 0}
    for _ in range(120):
        truth = -1.5 - 2.0 * (X - X.mean())
        groups = list(truth[:, None] + 0.15 * rng.standard_normal(3) + 0.15 * rng.standard_normal((8, 3)))
        for told in hits:
            blocks = ([[""] * 3] * 8, rounds) if told else ()
            post = process.along(X, process.levels_of(groups, 0.2, blocks=blocks))
            low, high = post.quantiles(4, (0.025, 0.975))
            hits[told] += bool(low <= truth[4] <= high)
    assert hits[True] >= 104 and hits[False] <= 96, hits


def test_rounds_of_a_pass_say_nothing_where_each_has_launches_of_its_own():
    passes = passes_of(dict.fromkeys(range(8, 12), math.log(22.0)), np.random.default_rng(2))
    of = [replace(p, round=f"plan/{p.id[-1]}", point=replace(p.point, launch="one")) for p in passes]
    ladder = response.read(of, QUESTION)[0].ladder
    assert ladder.blocks[1][0] == ("plan/0", "plan/1", "plan/2")
    nested = [replace(p, point=replace(p.point, launch=p.round)) for p in of]
    assert set().union(*response.read(nested, QUESTION)[0].ladder.blocks[1]) == {""}
    assert len(response.read(passes, QUESTION)[0].ladder.blocks) == 1


def _two(rng, apart):
    """A full ladder with boost on, and a thin one with boost off that is slower by `apart` (log)."""
    level = {w: math.log(1000.0 / (60 * (1 - math.exp(-0.16 * (w - 2))))) for w in range(8, 16)}
    thin = {w: level[w] + apart for w in (8, 11, 14)}
    full = [_boosted(p, "on") for p in passes_of(level, rng)]
    return full, [_boosted(p, "off") for p in passes_of(thin, rng, repeats=1)], thin


def _boosted(one, boost):
    return replace(one, id=f"{one.id}/{boost}", point=replace(one.point, setup=one.point.setup.with_(boost=boost)))


@pytest.mark.parametrize("apart", [0.0, -0.15])
def test_a_thin_ladder_leans_on_the_shape_of_a_full_one_and_not_on_its_height(apart):
    rng = np.random.default_rng(4)
    hits, width = 0, {}
    for turn in range(8):
        full, thin, level = _two(rng, apart)
        for words, passes in (("lent", [*full, *thin]), ("alone", thin)):
            found = next(one for one in response.read(passes, QUESTION) if one.groups[0].passes[0].endswith("off"))
            for group in found.groups:
                low = group.judged.estimate()
                width[words] = width.get(words, 0.0) + math.log(low.high / low.low)
                hits += words == "lent" and low.low <= true_low(level[int(group.level)]) <= low.high
        assert turn or found.ladder.lender is None
    assert hits >= 21 and width["lent"] < 0.88 * width["alone"], (hits, width)


def test_only_what_moves_a_curve_may_differ_between_lender_and_borrower():
    full, thin, _ = _two(np.random.default_rng(6), 0.05)
    points = [full[0].point, thin[0].point]

    def lender(point):
        return lend.lenders([points[0], point], [24, 3], [8, 3], over=static_limit())[1]

    assert lender(points[1]) == 0
    assert lender(replace(points[1], place=Place(slot="other"))) == 0  # the first does not know its own
    for knob in ("preset", "render_scale", "frame_generation", "gpu_mode"):
        assert lender(replace(points[1], setup=points[1].setup.with_(**{knob: "other"}))) is None
    assert lend.lenders(points, [3, 3], [8, 3], over=static_limit()) == [None, None]
    assert lend.lenders(points, [24, 3], [30, 3], over=static_limit()) == [None, None]
