"""What this program's own load costs a title on the machine it runs on: an A/A test, then A/B in the same order.

Usage: python benchmarks/own_load.py [--cycles 100] [--seconds 0.5] [--quiet]

The title here is a stand-in of the worst kind: uncapped, a piece of work on every core in each frame, so that whatever
anybody else takes is taken from it. The program draws a real-time run in a window beside it (benchmarks/live_load.py,
with --quiet as without the focus) and is held and let go with SIGSTOP and SIGCONT. A cycle is off, on, on, off for B
and off, off, off, off for A; each gives one paired difference of log mean rates, so drift cancels. Blocks are short and
many, since a shared machine wanders over seconds. Given: the mean without the outer fifths and its 95 % interval (Yuen
1974: trimmed mean, winsorised spread), since others on the machine make rare large hits. A, where nothing differs, must
hold 0; its interval says what this machine can tell at all.
"""

from __future__ import annotations

import argparse
import math
import multiprocessing
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
from scipy import stats

SETTLE_S = 0.1


def work(state):
    """One core's share of a frame: about 4 ms."""
    for _ in range(12):
        state = np.sort(np.sin(state * 1.01 + 0.1))
    return state


def helper(pipe):
    """The share of another core: one piece of work a message."""
    state = np.linspace(0, 1, 12_000)
    while pipe.recv():
        state = work(state)
        pipe.send(True)


def mean_fps(pipes, seconds):
    """Mean rate of the title over a block."""
    state, frames = np.linspace(0, 1, 12_000), 0
    began = time.perf_counter()
    while time.perf_counter() - began < seconds:
        for pipe in pipes:
            pipe.send(True)
        state = work(state)
        for pipe in pipes:
            pipe.recv()
        frames += 1
    return frames / (time.perf_counter() - began)


def cycle(pipes, seconds, child, is_on):
    """Log ratio of the two middle blocks over the two outer ones; the program runs in the middle where is_on."""
    logs = []
    for place in range(4):
        on = is_on and place in (1, 2)
        os.kill(child, signal.SIGCONT if on else signal.SIGSTOP)
        time.sleep(SETTLE_S)
        logs.append(math.log(mean_fps(pipes, seconds)))
    os.kill(child, signal.SIGSTOP)
    return (logs[1] + logs[2] - logs[0] - logs[3]) / 2


def told(name, ratios):
    """A line: what the middle blocks cost, percent, with its interval."""
    share = 0.2
    count, cut = len(ratios), int(share * len(ratios))
    mean = float(stats.trim_mean(ratios, share))
    spread = float(np.std(stats.mstats.winsorize(np.array(ratios), (share, share)), ddof=1))
    half = float(stats.t.ppf(0.975, count - 2 * cut - 1)) * spread / ((1 - 2 * share) * math.sqrt(count))
    low, high = (100 * math.expm1(mean + sign * half) for sign in (-1, 1))
    print(f"{name:28}{100 * math.expm1(mean):+6.2f} %  ({low:+.2f} to {high:+.2f}), {count} cycles", flush=True)


def main():
    """Measure and print."""
    ask = argparse.ArgumentParser()
    ask.add_argument("--cycles", type=int, default=100)
    ask.add_argument("--seconds", type=float, default=0.5)
    ask.add_argument("--quiet", action="store_true")
    given = ask.parse_args()
    command = [sys.executable, str(Path(__file__).with_name("live_load.py")), "--seconds", "100000"]
    program = subprocess.Popen(command + (["--hidden"] if given.quiet else []))
    time.sleep(25)  # the demo notebook is made and its run begun
    pipes, helpers = [], []
    for _ in range((os.cpu_count() or 1) - 1):
        ours, theirs = multiprocessing.Pipe()
        helpers.append(multiprocessing.Process(target=helper, args=(theirs,), daemon=True))
        helpers[-1].start()
        pipes.append(ours)
    found = {True: [], False: []}
    try:
        mean_fps(pipes, 3.0)
        for number in range(given.cycles):
            for is_on in (True, False) if number % 2 else (False, True):
                found[is_on].append(cycle(pipes, given.seconds, program.pid, is_on))
        if program.poll() is not None:
            raise SystemExit("the program ended before the test did")
    finally:
        os.kill(program.pid, signal.SIGCONT)
        program.kill()
    told("A/A: held in every block", found[False])
    told("A/B: drawing a run" + (", no focus" if given.quiet else ""), found[True])


if __name__ == "__main__":
    main()
