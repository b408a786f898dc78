"""Frame logs of every make there is, from a grammar: each is read right, or refused or asked, none read wrong; and
a log that is a part of another one is told as that."""

from __future__ import annotations

import gzip
import itertools
import random
from pathlib import Path

import numpy as np

from hovrik.core.errors import HovrikError, ImportRefused
from hovrik.demo import scenario
from hovrik.store.files.read.frame_log import convert, guess
from hovrik.store.files.read.table import read_table
from hovrik.store.notebook import Notebook

MS = np.random.default_rng(1).normal(16.7, 0.4, 240).clip(14)
CUM = np.cumsum(MS)
DELIMITERS = {"commas": ",", "semicolons": ";", "tabs": "\t", "bars": "|", "spaces": " ", "one column": ""}
DECIMALS = {"points": ".", "commas": ","}
THOUSANDS = {"none": "", "points": ".", "commas": ",", "spaces": " ", "apostrophes": "'"}
HEADINGS = {"named": "frame time ({})", "bare": "frametime", "none": None, "remark": "# made by hand\nframe time ({})"}
UNITS = {"ms": (1.0, "ms", 3), "s": (1e-3, "s", 6), "us": (1e3, "us", 1), "ns": (1e6, "ns", 0)}
STAMPS = {"intervals": False, "stamps": True}
ENCODINGS = {"utf-8": "utf-8", "byte mark": "utf-8-sig", "utf-16": "utf-16", "western": "cp1252"}
PACKING = {"plain": lambda data: data, "gz": lambda data: gzip.compress(data, mtime=0)}
WIDTHS = {"one": 0, "with watts": 1}


def _number(value, digits, decimal, thousands):
    whole, _, rest = f"{value:,.{digits}f}".partition(".")
    whole = whole.replace(",", thousands)
    return f"{whole}{decimal}{rest}" if rest else whole


def made(delimiter, decimal, thousands, heading, unit, stamps, encoding, packing, width):
    """The bytes of a log of this make; None where there is none like it."""
    sign, mark, group, head = DELIMITERS[delimiter], DECIMALS[decimal], THOUSANDS[thousands], HEADINGS[heading]
    factor, name, digits = UNITS[unit]
    wide = WIDTHS[width]
    if (sign == "") == bool(wide) or (group and group == mark) or (group == " " and sign == " "):
        return None
    if unit in ("us", "ns") and STAMPS[stamps]:
        return None
    values = (CUM if STAMPS[stamps] else MS) * factor
    if group and values.max() < 1000:
        return None
    words = head.format(name) if head is not None else None
    if words is not None and STAMPS[stamps]:
        words = words.replace("frame time", "time").replace("frametime", "time")
    lines = []
    if words is not None:
        first = words.replace(" ", "_") if sign == " " and "\n" not in words else words
        lines.append(f"{first}{sign}power{'_' if sign == ' ' else ' '}(W)" if wide else first)
    for value in values:
        cell = _number(value, digits, mark, group)
        lines.append(f"{cell}{sign}{_number(12.5, 2, mark, '')}" if wide else cell)
    return PACKING[packing]("\n".join(lines).encode(ENCODINGS[encoding]))


def _read_right(data, suffix):
    def attack(folder):
        path = folder / f"log.csv{suffix}"
        path.write_bytes(data)
        try:
            table = read_table(path)
            found = convert(table, guess(table))
        except ImportRefused as fault:
            assert len(str(fault)) > 20, fault
            return
        rate, right = 1000.0 / found.trace.interval_ms().mean(), 1000.0 / MS[1:].mean()
        assert abs(rate / right - 1) < 0.01, f"read as {rate:.2f} of {right:.2f} fps: {data[:60]!r}"

    return attack


def _must_be_read(data, suffix):
    def attack(folder):
        path = folder / f"log.csv{suffix}"
        path.write_bytes(data)
        table = read_table(path)
        found = convert(table, guess(table))
        assert abs(1000.0 / found.trace.interval_ms().mean() / (1000.0 / MS[1:].mean()) - 1) < 0.01

    return attack


def _lines(*cells):
    return "\n".join(cells).encode()


def comma(value, digits=1):
    return f"{value:.{digits}f}".replace(".", ",")


ODD = {
    "16,1 without a heading": _lines(*(comma(v) for v in MS)),
    "16,12 without a heading": _lines(*(comma(v, 2) for v in MS)),
    "16,1 under one heading": _lines("frame time (ms)", *(comma(v) for v in MS)),
    "two headings over three cells": _lines("frame time (ms),power (W)", *(f"{comma(v)},12" for v in MS)),
    "two headings over four cells": _lines("frame time (ms),power (W)", *(f"{comma(v)},{comma(12.5)}" for v in MS)),
    "commas as both, fractions of one digit": _lines("ms,W", *(f"{comma(v)},{comma(12.5)}" for v in MS)),
    "commas as both, no heading": _lines(*(f"{comma(v)},{comma(12.5)}" for v in MS)),
    "commas as both, whole watts": _lines("ms,W,C", *(f"{comma(v)},12,61" for v in MS)),
    "three headings over two cells": _lines("ms,W,C", *(f"{v:.2f},12.5" for v in MS)),
    "an index and a decimal comma": _lines("n,ms", *(f"{n},{comma(v)}" for n, v in enumerate(MS))),
    "rates of one digit, commas": _lines(*(comma(1000 / v) for v in MS)),
    "seconds, decimal commas, no heading": _lines(*(comma(v / 1000, 4) for v in MS)),
    "widths that change": _lines(
        "frame time (ms)", *(f"{comma(v)}" if n % 2 else f"{v:.1f}" for n, v in enumerate(MS))
    ),
    "a heading on a column further": _lines("power (W),frame time (ms)", *(f"{v:.2f},12.5,1" for v in MS)),
    "intervals beside stamps that disagree": _lines(
        "time (s),frame time (ms)", *(f"{t / 1000:.4f},{v / 2:.3f}" for t, v in zip(CUM, MS))
    ),
    "intervals beside stamps in ms that disagree": _lines(
        "time (ms),frame time (ms)", *(f"{t:.2f},{v * 2:.3f}" for t, v in zip(CUM, MS))
    ),
    "rates called times": _lines("frame time (ms)", *(f"{1000 / v:.2f}" for v in MS * 0 + 60.0)),
}


def _grammar(count):
    names = ("delimiter", "decimal", "thousands", "heading", "unit", "stamps", "encoding", "packing", "width")
    tables = (DELIMITERS, DECIMALS, THOUSANDS, HEADINGS, UNITS, STAMPS, ENCODINGS, PACKING, WIDTHS)
    many = [(one, data) for one in itertools.product(*tables) if (data := made(**dict(zip(names, one)))) is not None]
    rng = random.Random(3)
    rng.shuffle(many)
    return many[:count]


# -- logs that are parts of others


def _logs(folder, cut):
    """A log, and another one made of it."""
    rng = np.random.default_rng(4)
    interval = rng.normal(20.0, 1.0, 2400).round(4)
    stamps = np.cumsum(interval).round(4)
    rows = [f"{t:.4f},{v:.4f}" for t, v in zip(stamps, interval)]
    whole, part = folder / "12 W.csv", folder / "12 W again.csv"
    whole.write_text("\n".join(["time (ms),frame time (ms)", *rows]))
    part.write_text("\n".join(["time (ms),frame time (ms)", *cut(rows)]))
    return whole, part


CUTS = {
    "the first half": lambda rows: rows[: len(rows) // 2],
    "the last row missing": lambda rows: rows[:-1],
    "the first 15 s": lambda rows: rows[:750],
    "the last half": lambda rows: rows[len(rows) // 2 :],
    "a stretch in the middle": lambda rows: rows[300:1500],
    "the first row missing": lambda rows: rows[1:],
    "a hole of 20 s": lambda rows: [*rows[:600], *rows[1600:]],
    "the same": lambda rows: rows,
}


def _part(cut, first_the_part):
    def attack(folder):
        from hovrik.service.imports import many

        path = folder / "n.hovrik"
        with Notebook(path) as notebook:
            scenario.prepare(notebook)
            logs = _logs(folder, cut)
            logs = logs[::-1] if first_the_part else logs
            told = []
            for log in logs:
                told += many.store(notebook, scenario.question(), [many.LogOrder(log, {"sustained_limit_w": "12"})], {})
            from hovrik.service.gather import evaluate

            found = evaluate(notebook, scenario.question())
            counted = [v.record.id for v in found.views if v.counts]
            assert len(counted) <= 1, f"{len(counted)} passes count"
            assert any(word in told[-1].outcome for word in ("part of", "already", "longer")), told[-1].outcome

    return attack


def _command(*arguments):
    def attack(folder):
        from .going_out import _cli, small

        log = folder / "log.csv"
        log.write_bytes(_lines("frame time (ms)", *(f"{v:.3f}" for v in MS)))
        path = small(folder)
        try:
            _cli(*(str(one).format(log=log, n=path, folder=folder) for one in arguments))
        except HovrikError as fault:
            assert str(fault).strip()
            return
        raise AssertionError("it was taken")

    return attack


COMMANDS = {
    "a target of nothing": ("frames", "{log}", "--target", "0"),
    "a target that is no number": ("frames", "{log}", "--target", "nan"),
    "a column that is not there": ("frames", "{log}", "--column", "no"),
    "column 0": ("frames", "{log}", "--column", "0"),
    "a unit unknown": ("frames", "{log}", "--unit", "fortnights"),
    "a knob unknown": ("import-pass", "{log}", "--notebook", "{n}", "--set", "warp=9"),
    "a limit of nothing": ("import-pass", "{log}", "--notebook", "{n}", "--set", "limit_w=0"),
    "a limit of words": ("import-pass", "{log}", "--notebook", "{n}", "--set", "limit_w=much"),
    "a room on the sun": ("import-pass", "{log}", "--notebook", "{n}", "--condition", "room_c=6000"),
    "a condition that is no number": ("import-pass", "{log}", "--notebook", "{n}", "--condition", "room_c=nan"),
    "a rig unknown": ("answer", "{n}", "--rig", "none"),
    "a section unknown": ("answer", "{n}", "--section", "none"),
    "a factor unknown": ("answer", "{n}", "--over", "warp"),
}


def rows(share):
    """The grammar, the odd ones, the parts, the commands."""
    odd = list(ODD.items())
    count = max(round((120 - len(odd)) * share), 1)
    found = [
        (f"grammar: {', '.join(one)}", _read_right(data, ".gz" if one[7] == "gz" else ""))
        for one, data in _grammar(count)
    ]
    found += [(f"odd: {name}", _read_right(data, "")) for name, data in odd]
    plain = made("semicolons", "commas", "none", "named", "ms", "intervals", "utf-8", "gz", "with watts")
    found.append(("gz is read", _must_be_read(plain, ".gz")))
    found += [
        (f"a part: {name}{', the part first' if first else ''}", _part(cut, first))
        for name, cut in CUTS.items()
        for first in (False, True)
    ]
    found += [(f"command: {name}", _command(*words)) for name, words in COMMANDS.items()]
    return found


assert Path
