"""How often a flip is wrong where the knob does nothing, and how many pairs it takes where it does.

Usage: .venv/bin/python benchmarks/flips.py [PLAYS]   (1,000; some seconds)

Loads that no model fits: an autoregressive wander, a cycle of its own of just two pairs, jumps between areas, menus.
"""

import math
import sys

import numpy as np

from hovrik.core.stats.flips import DECIDED, evidence

PAIRS = 60
LIVELY, QUIET = 0.06, 0.012


def load(rng, wander, kind):
    """(2 x PAIRS,) log rate of blocks in a play."""
    found = np.zeros(2 * PAIRS)
    for at in range(1, found.size):
        found[at] = 0.8 * found[at - 1] + wander * rng.standard_normal()
    if kind == "cycle":
        found += 0.05 * np.sign(np.sin(np.arange(found.size) * math.pi / 2 + 0.1))
    elif kind == "areas":
        found += np.repeat(rng.normal(0, 0.15, 2 * PAIRS // 8 + 1), 8)[: found.size]
    elif kind == "menus":
        found[rng.random(found.size) < 0.05] += 0.8
    return found


def signed(rng, wander, kind, effect):
    """(PAIRS,) differences of the first state to the second."""
    blocks, coins = load(rng, wander, kind), rng.random(PAIRS) < 0.5
    return np.where(coins, blocks[1::2] - blocks[::2], blocks[::2] - blocks[1::2]) + effect


def main():
    """Print the table."""
    plays, rng = int(sys.argv[1]) if len(sys.argv) > 1 else 1000, np.random.default_rng(1)
    print(f"{'play':8} {'wrong of ' + str(plays):>16}  naive t at every look")
    for kind in ("plain", "cycle", "areas", "menus"):
        wrong = naive = 0
        for _ in range(plays):
            d = signed(rng, LIVELY, kind, 0.0)
            wrong += evidence(d, 0.08).max() >= DECIDED
            n = np.arange(4, PAIRS + 1)
            means, squares = np.cumsum(d)[3:] / n, np.cumsum(d**2)[3:] / n
            t = means / np.sqrt(np.maximum(squares - means**2, 1e-12) / (n - 1))
            naive += bool((np.abs(t) > 2.0).any())
        print(f"{kind:8} {100 * wrong / plays:14.1f} %  {100 * naive / plays:.1f} %")
    print("pairs until it is decided, half and four of five plays")
    for words, wander, effect in (
        ("one sd", None, 1.0), ("half an sd", None, 0.5), ("5 %, lively", LIVELY, 0.05), ("3 %, lively", LIVELY, 0.03),
        ("2 %, quiet", QUIET, 0.02), ("5 %, quiet", QUIET, 0.05),
    ):  # fmt: skip
        needed = []
        for _ in range(max(plays // 4, 50)):
            many = 4 * PAIRS
            d = effect + rng.standard_normal(many) if wander is None else np.concatenate(
                [signed(rng, wander, "plain", effect) for _ in range(4)]
            )  # fmt: skip
            found = evidence(d, 0.08 if wander is not None else 1.0) >= DECIDED
            needed.append(int(np.argmax(found)) + 1 if found.any() else many)
        half, most = np.quantile(needed, (0.5, 0.8))
        print(f"{words:12} {half:.0f} / {most:.0f}")


if __name__ == "__main__":
    main()
