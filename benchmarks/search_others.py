"""Two samplers of a general optimisation library on the cases of search.py: passes until one within 2 % was visited.

Run: .venv/bin/pip install .[benchmark]; .venv/bin/python benchmarks/search_others.py [CASES]; 60 take some minutes.
They are told the draw of each pass, and floor and die as constraints; each knob is a choice among its levels.
"""

import math
import sys
import warnings
from concurrent.futures import ProcessPoolExecutor

import numpy as np
import optuna
from search import NOISE, REPORTING, case_of, visited

from hovrik.core.plan.search.design import SearchDesign

BUDGETS = {"tree-structured estimator": 150, "genetic algorithm": 150}


def played(case, name, seed):
    """Setups in the order in which a sampler measured them."""
    optuna.logging.set_verbosity(optuna.logging.ERROR)
    warnings.simplefilter("ignore", FutureWarning)
    design: SearchDesign = case.design
    places = {setup: at for at, setup in enumerate(design.setups)}
    rng, order = np.random.default_rng((seed, 41)), []
    made = {
        "tree-structured estimator": optuna.samplers.TPESampler, "genetic algorithm": optuna.samplers.NSGAIISampler,
    }  # fmt: skip
    sampler = made[name](seed=seed, constraints_func=lambda trial: trial.user_attrs["over"])
    levels = {key: list(own) for key, own in design.levels.items()}

    def measure(trial):
        index = [trial.suggest_int(key, 0, len(own) - 1) for key, own in levels.items()]
        at = 0
        for place, own in zip(index, levels.values()):
            at = at * len(own) + place
        assert design.setups[at] in places
        order.append(at)
        low, draw, rise = (
            getattr(case, key)[at] + NOISE[key] * rng.standard_normal() for key in ("low", "draw", "rise")
        )
        die = design.goal.room_c + math.exp(rise) - design.goal.die_limit_c
        trial.set_user_attr("over", (math.log(design.goal.edge_fps) - low, die if math.isfinite(die) else -1.0))
        return draw

    optuna.create_study(sampler=sampler).optimize(measure, n_trials=BUDGETS[name])
    return order


def one(number):
    """Passes until each visited one; None for a number without a case."""
    case = case_of(number, REPORTING)
    return case and {name: visited(case, played(case, name, number + 1)) for name in BUDGETS}


def main(cases):
    """Print the table."""
    with ProcessPoolExecutor(2) as pool:
        rows = [row for row in pool.map(one, range(cases)) if row]
    print("| sampler (budget) | n | median | solved |\n|---|---|---|---|")
    for name, budget in BUDGETS.items():
        took = sorted(row[name] for row in rows)
        solved = np.mean([math.isfinite(t) for t in took])
        print(f"| {name} ({budget}) | {len(took)} | {took[len(took) // 2]} | {100 * solved:.0f} % |")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 60)
