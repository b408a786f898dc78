"""Verdicts of two to five levels against the truth: plays in which nothing differs, and such in which one is better.

Usage: .venv/bin/python benchmarks/levels.py [--cases 1000]   (about 5 min)

Passes scatter by .7 to 4 % (rate), 1 to 6 % (low), .5 to 2 % (draw) between themselves, launches by 30 % of that
variance or by nothing; a launch goes over one round of all levels, or over one level; its id is known or not. Called
better: a level is stated. Power: the second level is better by twice what the passes resolve, the last of several by .4
of that.
Wrong leader: another one is stated. With a history: 25 passes of five setups of the same machine were seen before.
"""

import argparse
import math
from dataclasses import replace
from functools import partial
from itertools import product

import numpy as np

from hovrik.core.facts.factor import factor_named, of_knob
from hovrik.core.facts.knob import Knob, Order
from hovrik.core.facts.place import Source
from hovrik.core.facts.setup import static
from hovrik.core.facts.terms import Aim
from hovrik.core.kinds import claim as claims
from hovrik.core.kinds import options_cost, plugged, versus
from hovrik.core.kinds.kind import Seen
from hovrik.core.passes.figures import PassFigures
from hovrik.core.passes.point import Point
from hovrik.core.questions.question import Question, Scope
from hovrik.core.read.answer import Context
from hovrik.core.read.contrast import contrasts
from hovrik.core.read.group import Counted
from hovrik.core.stats.ratios import pooled_ratio
from hovrik.service.planning import with_part

NAMES = ("a", "b", "c", "d", "e", "f")
SPREADS = {"low": (0.007, 0.012, 0.005), "middle": (0.02, 0.03, 0.01), "high": (0.04, 0.06, 0.02)}
FIGURES = ("mean_fps", "low_1pct_fps_percentile", "draw_w")
SHARE = 0.3  # of the variance, between launches
KNOB = Knob("mode", "Mode", levels=NAMES)


def plays(levels, n, spread, launched, known, shift, rng):
    """Passes. launched : "round", "level" or "" each by itself; known : whether launches are told; shift : log of rate
    and low of the second level over the first; the last of several has four tenths of it."""
    sds = np.array(SPREADS[spread])
    share = SHARE if launched else 0.0
    own = {}
    found = []
    for number, at in product(range(n), range(levels)):
        launch = {"round": f"r{number}", "level": f"l{at}.{number // max(n // 2, 1)}", "": f"{number}.{at}"}[launched]
        common = own.setdefault(launch, rng.standard_normal(3))
        logs = sds * (math.sqrt(share) * common + math.sqrt(1 - share) * rng.standard_normal(3))
        logs[:2] += {1: shift, levels - 1: 0.4 * shift if levels > 2 else shift}.get(at, 0.0)
        values = dict(zip(FIGURES, np.array([60.0, 50.0, 18.0]) * np.exp(logs)))
        setup = static(12.0, None).with_(mode=NAMES[at])
        point = Point(setup, launch=launch if known else "")
        found.append(
            Counted(f"{number}.{at}", point, setup, PassFigures(values={k: float(v) for k, v in values.items()}))
        )
    return found


def before(spread, launched, known, rng):
    """25 earlier passes of the machine."""
    return plays(5, 5, spread, launched, known, 0.0, rng)


def answered(passes, aim, earlier=()):
    """What is said of them."""
    question = Question("knob", Scope()).with_(figure="none", aim=aim)
    return versus.answer(Seen((), passes, question, Context(), of_knob(KNOB), earlier=earlier))


def stated(answer):
    """The level that is called better, None where none is."""
    return answer.says.values["a"] if answer.says.id in ("versus.better-than", "versus.best-of") else None


def share_of(cases, one):
    """Share of cases of which something is said."""
    return sum(map(one, range(cases))) / cases


def null(cell, case, seen_before=False):
    """Whether anything is called better where nothing differs."""
    levels, n, spread, launched, known, aim = cell
    rng = np.random.default_rng((case, levels, n, len(spread), len(launched), known, len(aim)))
    earlier = before(spread, launched, known, rng) if seen_before else ()
    return stated(answered(plays(levels, n, spread, launched, known, 0.0, rng), Aim(aim), earlier)) is not None


def power(levels, n, spread, case, seen_before=False):
    """(found, wrong) where the second level is better by twice what is resolved."""
    rng = np.random.default_rng((case, levels, n, len(spread), 77))
    shift = 2 * 2.8 * SPREADS[spread][0] * math.sqrt(2 / n)
    earlier = before(spread, "round", True, rng) if seen_before else ()
    said = stated(answered(plays(levels, n, spread, "round", True, shift, rng), Aim.FRAMES, earlier))
    return said is not None and said.endswith("b"), said is not None and not said.endswith("b")


LEVELS_OF_A_CEILING = (1.4, 1.8, 2.2, 2.6, 3.0, 3.4)


def ceiling(shape, n, spread, case):
    """(stated, wrong, within a step) of the lowest ceiling that loses under 2 %. shape : how the rate rises: "knee"
    straight up to some level, "late" with the last step alone, "none" nowhere."""
    rng = np.random.default_rng((case, n, len(spread), len(shape), 78))
    knee = rng.uniform(1.0, 4.0)
    at = np.arange(len(LEVELS_OF_A_CEILING))
    loss = {"knee": 0.05 * np.maximum(knee - at, 0.0), "late": 0.05 * (at < 5), "none": 0.0 * at}[shape]
    truth = next(place for place in at if (loss[place:] <= 0.02).all())
    passes = []
    knob = Knob("cpu_ceiling_ghz", "CPU clock ceiling", "GHz", step=0.1, order=Order.NUMBER, phrase="CPU up to {value}")
    for one in plays(len(at), n, spread, "round", True, 0.0, rng):
        place = NAMES.index(str(one.point.setup["mode"]))
        setup = static(12.0, None).with_(cpu_ceiling_ghz=LEVELS_OF_A_CEILING[place])
        values = {key: value * math.exp(-loss[place] * (key != "draw_w")) for key, value in one.figures.values.items()}
        figures = PassFigures(values=values)
        passes.append(replace(one, point=replace(one.point, setup=setup), asked=setup, figures=figures))
    question = Question("knob", Scope()).with_(figure="none", aim=Aim.FRAMES)
    answer = versus.answer(Seen((), passes, question, Context(), of_knob(knob)))
    if answer.says.id != "versus.enough":
        return False, False, False
    said = next(place for place, level in enumerate(LEVELS_OF_A_CEILING) if f"{level:g}" in answer.says.values["level"])
    return True, said < truth, truth <= said <= truth + 1


RUNGS_W = (9.0, 13.0, 19.0)


def turn(size, n, spread, case):
    """(said, wrong) of two levels at three limits. size : log of rate by which the second is ahead at most watts and
    behind at fewest; 0 of levels that differ by 5 % everywhere."""
    rng = np.random.default_rng((case, n, len(spread), round(1000 * size), 79))
    passes = []
    for rung, watts in enumerate(RUNGS_W):
        for one in plays(2, n, spread, "round", True, 0.0, rng):
            ahead = size * (1 - rung) * -1.0 if size else 0.05
            second = one.point.setup["mode"] == NAMES[1]
            setup = static(watts + 2, None).with_(mode=one.point.setup["mode"])
            values = {**one.figures.values, "package_w": watts}
            values |= {key: values[key] * math.exp(ahead * second) for key in FIGURES[:2]}
            point = replace(one.point, setup=setup, launch=f"{one.point.launch}.{rung}")
            figures = PassFigures(values=values)
            passes.append(replace(one, id=f"{rung}.{one.id}", point=point, asked=setup, figures=figures))
    question = Question("knob", Scope()).with_(figure="none", aim=Aim.FRAMES)
    answer = versus.answer(Seen((), passes, question, Context(), of_knob(KNOB)))
    said = answer.says.id.startswith("versus.turns")
    right = size and said and answer.says.values["high"].endswith(NAMES[1])
    between = not said or answer.says.id == "versus.turns" or (
        answer.says.values["last"].number < RUNGS_W[1] * 1.01 and answer.says.values["first"].number > RUNGS_W[1] * 0.99
    )  # fmt: skip
    return said, said and not (right and between)


SOURCES = {NAMES[0]: Source.ADAPTER, NAMES[1]: Source.BATTERY}
OTHERS = ("plugged", "claim", "claim is true", "options", "titles")


def other_null(kind, cell, case):
    """Whether another kind that compares says what is not: that the battery loses or gains, that a claim of 4 % is true
    where nothing differs or untrue where it is, that an option costs, that one slot is better over six titles."""
    n, spread, launched, known = cell
    rng = np.random.default_rng((case, n, len(spread), len(launched), known, OTHERS.index(kind)))
    if kind == "titles":
        rows = [contrasts(plays(2, n, spread, launched, known, 0.0, rng), of_knob(KNOB), *NAMES[:2], FIGURES)
                for _ in range(6)]  # fmt: skip
        by = [{one.figure: one for one in row} for row in rows]
        made = [pooled_ratio([row[name].delta for row in by], [row[name].se for row in by]) for name in FIGURES[:1]]
        return any(one.estimate.low > 0.0 or one.estimate.high < 0.0 for one in made)
    if kind == "options":
        return _options_null(n, spread, launched, known, rng)
    shift = math.log(1.04) if kind == "claim is true" else 0.0
    passes = [_at_source(one) if kind == "plugged" else one for one in plays(2, n, spread, launched, known, shift, rng)]
    question = Question("plugged" if kind == "plugged" else "claim", Scope()).with_(figure="none")
    if kind == "plugged":
        said = plugged.answer(Seen((), passes, question, Context(), factor_named("source"))).says.id
        return said in ("plugged.loses", "plugged.gains")
    claim = {"before": {"mode": "a"}, "after": {"mode": "b"}, "figure": "mean_fps", "percent": 4.0}
    said = claims.answer(Seen((), passes, with_part(question, claim=claim), Context(), of_knob(KNOB))).says.id
    return said in (("claim.refuted", "claim.larger") if shift else ("claim.confirmed", "claim.larger"))


def _at_source(one):
    point = replace(one.point, setup=one.point.setup.without("mode"),
                    place=replace(one.point.place, source=SOURCES[str(one.asked["mode"])]))  # fmt: skip
    return replace(one, point=point, asked=point.setup)


def _options_null(n, spread, launched, known, rng):
    names = ("shadows", "fog", "grass")
    passes = []
    for number in range(n // 2):
        for at, (row, one) in enumerate(zip(options_cost.screening(3), plays(5, 3, spread, launched, known, 0.0, rng))):
            setup = static(12.0, None).with_(**{key: "high" if sign > 0 else "low" for key, sign in zip(names, row)})
            point = replace(one.point, setup=setup, launch=one.point.launch and f"{number}.{one.point.launch}")
            passes.append(replace(one, id=f"{number}.{at}", point=point, asked=setup))
    question = with_part(
        Question("options-cost", Scope()).with_(figure="none"), levels=dict.fromkeys(names, ("low", "high"))
    )
    return options_cost.answer(Seen((), passes, question, Context(), of_knob(KNOB))).says.id == "option.dearest"


def _others(each):
    print("| kind | launches | ids | n | says what is not | worst cell |\n|---|---|---|---|---|---|")
    for kind, launched, known in product(OTHERS, ("round", "level", ""), (True, False)):
        if kind == "options" and launched == "level":
            continue
        own = [share_of(each, partial(other_null, kind, (n, spread, launched, known)))
               for n, spread in product((4, 6), SPREADS)]  # fmt: skip
        print(f"| {kind} | {launched or 'each pass'} | {'known' if known else 'not known'} | {each * len(own)} | "
              f"{100 * np.mean(own):.1f} % | {100 * max(own):.1f} % |", flush=True)  # fmt: skip


CELLS = tuple(product((2, 3, 5), (4, 6), SPREADS, ("round", "level", ""), (True, False), ("hours", "frames")))


def main():
    """Print the tables."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n", maxsplit=1)[0])
    parser.add_argument("--cases", type=int, default=1000)
    cases = parser.parse_args().cases
    each = max(cases // 12, 40)
    print("| ceiling | passes | spread | stated | wrong: it loses more | of the stated within a step |")
    print("|---|---|---|---|---|---|")
    for shape, n, spread in product(("knee", "late", "none"), (4, 6), SPREADS):
        rows = np.array([ceiling(shape, n, spread, case) for case in range(max(cases // 8, 40))])
        said, wrong, near = rows.mean(axis=0)
        print(f"| {shape} | {n} | {spread} | {100 * said:.0f} % | {100 * wrong:.1f} % | "
              f"{f'{100 * near / said:.0f} %' if said else '-'} |", flush=True)  # fmt: skip
    print("| turns with watts by | passes a rung | spread | said | wrong |\n|---|---|---|---|---|")
    for size, n, spread in product((0.0, 0.04, 0.08), (2, 4), SPREADS):
        said, wrong = np.mean([turn(size, n, spread, case) for case in range(max(cases // 8, 40))], axis=0)
        print(f"| {100 * size:.0f} % | {n} | {spread} | {100 * said:.0f} % | {100 * wrong:.1f} % |", flush=True)
    _others(max(cases // 6, 40))
    for seen_before, words in ((False, "of an unknown machine"), (True, "with a history")):
        _tables(cases, each, seen_before, words)


def _tables(cases, each, seen_before, words):
    rows = {cell: share_of(each, partial(null, cell, seen_before=seen_before)) for cell in CELLS}
    print(
        f"| levels | launches | ids | n | called better where nothing differs, {words} | worst cell |\n"
        "|---|---|---|---|---|---|"
    )
    for levels, launched, known in product((2, 3, 5), ("round", "level", ""), (True, False)):
        own = [v for c, v in rows.items() if (c[0], c[3], c[4]) == (levels, launched, known)]
        print(f"| {levels} | {launched or 'each pass'} | {'known' if known else 'not known'} | {each * len(own)} | "
              f"{100 * np.mean(own):.1f} % | {100 * max(own):.1f} % |", flush=True)  # fmt: skip
    print(
        f"| levels | passes | spread | found of twice what is resolved, {words} | wrong leader |\n|---|---|---|---|---|"
    )
    for levels, n, spread in product((2, 3, 5), (4, 6), SPREADS):
        found = [power(levels, n, spread, case, seen_before) for case in range(cases // 4)]
        right, wrong = np.mean(found, axis=0)
        print(f"| {levels} | {n} | {spread} | {100 * right:.0f} % | {100 * wrong:.1f} % |", flush=True)


if __name__ == "__main__":
    main()
