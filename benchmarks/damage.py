"""Frame logs damaged in named ways by seed, each with what is to be expected, and a slow reference parser.

The reference is told how a file is written (encoding, delimiter, decimal mark); the importer has to find out.
"""

import math
from dataclasses import dataclass, field

import numpy as np

HEADER = ["frame time (ms)", "package power (W)", "die temperature (C)"]
NOTATIONS = ["+16.5", "1.65e1", " 16.5 ", "1650E-2", "016.5"]
STAMP_HEADER = ["time (s)", "package power (W)", "die temperature (C)"]


@dataclass
class File:
    """A file to import. lines : text without line breaks, the header first."""

    lines: list
    stamps: bool = False
    encoding: str = "utf-8"
    mark: bytes = b""
    delimiter: str = ","
    comma: bool = False
    line_break: str = "\n"
    raw: dict = field(default_factory=dict)  # line index -> bytes that stand there instead
    cut: int | None = None

    @property
    def data(self):
        """The bytes on disk."""
        parts = [self.raw.get(n, line.encode(self.encoding, "replace")) for n, line in enumerate(self.lines)]
        body = self.mark + self.line_break.encode(self.encoding).join(parts)
        return body[: self.cut]


def clean(rng, rows=60, stamps=False):
    """An undamaged file."""
    interval = 16.7 * np.exp(rng.normal(0, 0.1, rows))
    first = np.cumsum(interval) / 1000 if stamps else interval
    lines = [",".join(STAMP_HEADER if stamps else HEADER)]
    for value in first:
        lines.append(f"{value:.6f},{rng.normal(12, 0.2):.2f},{rng.normal(65, 1):.1f}")
    return File(lines, stamps)


def number(text):
    """A number by the letter: digits, one point, an exponent; None for all else."""
    body = text.strip()
    mantissa, *exponent = body.replace("E", "e").split("e")
    digits = mantissa[1:] if mantissa[:1] in "+-" else mantissa
    whole = digits.replace(".", "", 1)
    if not (whole.isascii() and whole.isdigit()) or len(exponent) > 1:
        return None
    if exponent and not exponent[0].lstrip("+-").isdigit():
        return None
    value = float(body)
    return value if math.isfinite(value) else None


def reference(file):
    """(line, value) of every row that is to be kept, by the plainest reading of one line after the other."""
    text = file.data[len(file.mark) :].decode(file.encoding, "replace")
    header = STAMP_HEADER if file.stamps else HEADER
    kept, newest = [], -math.inf
    for line_number, line in enumerate(text.split(file.line_break), 1):
        if line.count('"') % 2:
            continue
        fields = line.replace('"', "").split(file.delimiter)
        if len(fields) == 4 and not fields[3].strip():
            fields.pop()
        if len(fields) != 3 or [f.strip() for f in fields] == header:
            continue
        value = number(fields[0].replace(",", ".") if file.comma else fields[0])
        if value is None:
            continue
        if file.stamps:
            if value <= newest:
                continue
            newest = value
        elif value <= 0:
            continue
        kept.append((line_number, value))
    return kept


def _set(file, index, column, text):
    fields = file.lines[index].split(",")
    fields[column] = text
    file.lines[index] = ",".join(fields)


def _some(rng, file, most=4):
    """A few lines that are not the header."""
    return rng.choice(np.arange(2, len(file.lines)), rng.integers(1, most + 1), replace=False).tolist()


def _each(text, most=4):
    """A mutation that writes `text` into the frame field of some lines."""

    def mutate(rng, file):
        for index in _some(rng, file, most):
            _set(file, index, 0, text(rng) if callable(text) else text)

    return mutate


def _lines(change, most=4):
    """A mutation that changes some lines as a whole."""

    def mutate(rng, file):
        for index in _some(rng, file, most):
            file.lines[index] = change(file.lines[index])

    return mutate


def _all(change):
    def mutate(rng, file):
        file.lines = [change(line) for line in file.lines]

    return mutate


def _insert(what):
    """A mutation that puts a line before some lines."""

    def mutate(rng, file):
        for index in sorted(_some(rng, file), reverse=True):
            file.lines.insert(index, what(file, index))

    return mutate


def _cut(rng, file):
    file.cut = len(file.data) - int(rng.integers(1, 40))


def _bom(rng, file):
    marks = (("utf-8", b"\xef\xbb\xbf"), ("utf-16-le", b"\xff\xfe"), ("utf-16-be", b"\xfe\xff"))
    file.encoding, file.mark = marks[int(rng.integers(3))]


def _breaks(rng, file):
    file.line_break = ["\r\n", "\r"][int(rng.integers(2))]


def _comma(rng, file):
    file.delimiter, file.comma = ";", True
    file.lines = [line.replace(",", ";").replace(".", ",") for line in file.lines]


def _delimiter(rng, file):
    file.delimiter = ["\t", "|", ";"][int(rng.integers(3))]
    file.lines = [line.replace(",", file.delimiter) for line in file.lines]


def _swap(rng, file):
    a, b = _some(rng, file, 1)[0], len(file.lines) - 1
    file.lines[a], file.lines[b] = file.lines[b], file.lines[a]


def _garbage(rng, file):
    file.encoding = "cp1252"
    for index in _some(rng, file, 2):
        file.raw[index] = bytes(rng.choice(np.arange(0xC0, 0xFF), 12).astype(np.uint8))


def _earlier(line):
    value, rest = line.split(",", 1)
    return f"{float(value) - 0.2:.6f},{rest}"


# class -> (mutation, whether the file holds time stamps, kinds of problem that must be named; "" : nothing to name)
CLASSES = {
    "clean": (lambda rng, file: None, False, ""),
    "blank lines": (_insert(lambda f, n: " "), False, "blank line"),
    "header repeated": (_insert(lambda f, n: f.lines[0]), False, "repeated header"),
    "negative interval": (_each(lambda rng: f"-{rng.uniform(1, 30):.3f}"), False, "not positive"),
    "zero interval": (_each("0.000"), False, "not positive"),
    "not a number": (_each(lambda rng: str(rng.choice(["nan", "NaN", "inf", "-inf"]))), False, "not a number"),
    "empty field": (_each(""), False, "empty"),
    "text": (_each(lambda rng: ["abc", "16.7.1", "0x10", "1_6", "16,"[:2] + "a", "--3"][int(rng.integers(6))]), False,
             "not a number"),
    "fields lost": (_lines(lambda line: line.rsplit(",", 1)[0]), False, "short line"),
    "fields added": (_lines(lambda line: line + ",7"), False, "long line"),
    "cut off": (_cut, False, None),  # what is named depends on where the cut falls
    "stray quote": (_lines(lambda line: '"' + line), False, None),
    "quoted": (_all(lambda line: ",".join(f'"{f}"' for f in line.split(","))), False, ""),
    "byte order mark": (_bom, False, ""),
    "line breaks": (_breaks, False, ""),
    "decimal comma": (_comma, False, ""),
    "other delimiter": (_delimiter, False, ""),
    "gap": (_each("4200.5", 1), False, "gap"),
    "other notation": (_each(lambda rng: str(rng.choice(NOTATIONS))), False, ""),
    "empty last column": (_all(lambda line: line + ","), False, ""),
    "bytes of no encoding": (_garbage, False, None),
    "zero bytes": (_lines(lambda line: "\0" + line, 2), False, "not a number"),
    "time going back": (_lines(_earlier), True, "time not advancing"),
    "time standing still": (_insert(lambda f, n: f.lines[n]), True, "time not advancing"),
    # cannot be detected, and is not claimed to be:
    "lines swapped (undetectable)": (_swap, False, ""),
    "lines repeated (undetectable)": (_insert(lambda f, n: f.lines[n]), False, ""),
    "digit changed (undetectable)": (_lines(lambda line: str((int(line[0]) % 9) + 1) + line[1:], 1), False, ""),
}  # fmt: skip


def damaged(name, seed, stamps=None):
    """A file of one class; stamps : whether it holds time stamps, None as the class says."""
    mutate, usual, _ = CLASSES[name]
    rng = np.random.default_rng((seed, len(name)))
    file = clean(rng, stamps=usual if stamps is None else stamps)
    mutate(rng, file)
    return file
