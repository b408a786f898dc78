"""Reads a delimited text file of unknown make into columns of numbers, naming every fault by line.

Knows nothing of frames or watts. Detects encoding, delimiter, decimal comma, quotes and header; a line is a row,
so a stray quote can spoil one line and never the rest.
"""

from __future__ import annotations

import codecs
import csv
import math
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ....core.errors import ImportRefused, Problem
from ..write.text_files import read_bytes

MOST_BYTES = 2_000_000_000
_DELIMITERS = (",", ";", "\t", "|")
_NUMBER = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?")
_NOT_FINITE = re.compile(r"[+-]?(nan|inf|infinity)|n/?a|null|none|-+", re.IGNORECASE)
_MARKS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)
_LOOK = 400  # lines the layout is judged by
_CHUNK = 20_000  # lines


@dataclass(frozen=True)
class Layout:
    """How a file is written. delimiter "" for a single column; columns : names, made up where there is no header."""

    encoding: str
    delimiter: str
    decimal_comma: bool
    header_line: int | None
    columns: tuple[str, ...]


@dataclass(frozen=True)
class Table:
    """Rows that could be read.

    values (rows, columns) float64: NaN for an empty field or one that is not a number; lines (rows,) : line of
    each row in the file, from 1; text : (row, column) to what stood there, where it was no number;
    problems : everything left out or odd, by line.
    """

    layout: Layout
    values: NDArray[np.float64]
    lines: NDArray[np.int64]
    text: dict[tuple[int, int], str]
    problems: tuple[Problem, ...]


def read_table(path: Path) -> Table:
    """Read a file. Raises ImportRefused where nothing in it can be read as rows of numbers."""
    return parse(read_bytes(path, MOST_BYTES, "Split it."), path.name)


def parse(data: bytes, name: str) -> Table:
    """The same for bytes; `name` is for messages."""
    text, encoding, problems = decode(data)
    lines = _split_lines(text)
    if not any(line.strip() for line in lines):
        raise ImportRefused(f"{name} holds no text. Choose a file with frame times.")
    delimiter, decimal_comma = _sniff(lines)
    split = _splitter(delimiter)
    header_line, width = _find_header(lines, split, decimal_comma)
    columns = _column_names(split(lines[header_line]) if header_line is not None else None, width)
    values, numbers, odd = _read_chunks(lines, split, header_line, width, decimal_comma, problems)
    if not numbers.size:
        raise ImportRefused(f"{name} holds no rows of numbers.", tuple(problems))
    layout = Layout(encoding, delimiter, decimal_comma, None if header_line is None else header_line + 1, columns)
    return Table(layout, values, numbers, odd, tuple(problems))


def _read_chunks(
    lines: Sequence[str], split: _splitter, header_line: int | None, width: int, decimal_comma: bool,
    problems: list[Problem],
) -> tuple[NDArray[np.float64], NDArray[np.int64], dict[tuple[int, int], str]]:  # fmt: skip
    """All rows, by chunks: those without a fault go through NumPy's own reader, only the others line by line."""
    parts, numbers, odd, kept = [], [], {}, 0
    for start in range(0, len(lines), _CHUNK):
        chunk = lines[start : start + _CHUNK]
        has_header = header_line is not None and header_line >= start
        values = None if has_header or decimal_comma else _plain_chunk(chunk, split.delimiter, width)
        if values is not None:
            at = np.arange(start + 1, start + len(chunk) + 1, dtype=np.int64)
        else:
            rows, found = _rows(chunk, start, lines, split, header_line, width, problems)
            values, strange = _numbers(rows, decimal_comma) if rows else (np.empty((0, width)), {})
            odd.update({(row + kept, column): text for (row, column), text in strange.items()})
            at = np.array(found, np.int64)
        parts.append(values)
        numbers.append(at)
        kept += at.size
    return np.concatenate(parts), np.concatenate(numbers), odd


def _plain_chunk(chunk: Sequence[str], delimiter: str, width: int) -> NDArray[np.float64] | None:
    """Rows of nothing but plain finite numbers; None where there is anything else in it."""
    if delimiter == " " or not chunk:
        return None
    try:
        values = np.loadtxt(chunk, delimiter=delimiter or None, comments=None, ndmin=2)
    except ValueError:
        return None
    fine = values.shape == (len(chunk), width) and bool(np.isfinite(values).all())
    return values if fine else None


def decode(data: bytes) -> tuple[str, str, list[Problem]]:
    """Text, encoding name and what was odd. Marks first, then UTF-8, then UTF-16 by its zero bytes, then Western."""
    problems: list[Problem] = []
    for mark, encoding in _MARKS:
        if data.startswith(mark):
            return data[len(mark) :].decode(encoding, "replace"), encoding, problems
    zeros = data[:4000].count(0)
    if zeros > len(data[:4000]) / 4:
        encoding = "utf-16-le" if data[1:4000:2].count(0) > zeros / 2 else "utf-16-be"
        return data.decode(encoding, "replace"), encoding, problems
    try:
        text, encoding = data.decode("utf-8"), "utf-8"
    except UnicodeDecodeError:
        text, encoding = data.decode("cp1252", "replace"), "cp1252"
        problems.append(Problem(None, "encoding", "not UTF-8; read as Western text"))
    return text, encoding, problems


def _split_lines(text: str) -> list[str]:
    """Lines by LF, CR LF or CR only; other separators are data. The last line break ends no further line."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    if lines and lines[-1] == "":
        lines.pop()
    return lines


def _sniff(lines: Sequence[str]) -> tuple[str, bool]:
    """Delimiter and whether commas are decimal.

    The delimiter is the candidate whose count is the same on most lines. Commas are decimal where another
    delimiter is present and fields look like 16,7, or where the header has one field and every row a comma.
    """
    sample = [line for line in lines if line.strip()][:_LOOK]
    best, best_score = "", 0.0
    for candidate in _DELIMITERS:
        counts = Counter(_count_outside_quotes(line, candidate) for line in sample)
        counts.pop(0, None)
        if counts:
            score = counts.most_common(1)[0][1] / len(sample)
            if candidate == ",":
                score -= 1e-6  # a rarer mark in the same numbers is the delimiter, the comma then decimal
            if score > best_score:
                best, best_score = candidate, score
    if best_score < 0.5:
        best = " " if sum(len(line.split()) > 1 for line in sample) > 0.8 * len(sample) else ""
    comma_number = re.compile(r"[+-]?\d+,\d+([eE][+-]?\d+)?")
    if best == ",":
        rows = [line.strip().strip('"') for line in sample[1:]]
        one_field_header = "," not in sample[0] and not _NUMBER.fullmatch(sample[0].strip())
        if one_field_header and rows and sum(bool(comma_number.fullmatch(r)) for r in rows) > 0.8 * len(rows):
            return "", True
        return ",", False
    split = _splitter(best)
    fields = [field.strip() for line in sample for field in split(line)]
    return best, sum(bool(comma_number.fullmatch(f)) for f in fields) > 0.3 * max(len(sample) - 1, 1)


def _count_outside_quotes(line: str, mark: str) -> int:
    if '"' not in line:
        return line.count(mark)
    return sum(part.count(mark) for part in line.split('"')[::2])


class _splitter:  # noqa: N801 - used like a function
    """Splits one line into fields; quotes are honoured within the line only."""

    def __init__(self, delimiter: str) -> None:
        self.delimiter = delimiter

    def __call__(self, line: str) -> list[str]:
        if self.delimiter == "":
            return [line.strip().strip('"')]
        if self.delimiter == " ":
            return line.split()
        if '"' not in line:
            return line.split(self.delimiter)
        try:
            return next(csv.reader([line], delimiter=self.delimiter, skipinitialspace=True), [""])
        except csv.Error:
            return line.split(self.delimiter)


def _is_number(field: str, decimal_comma: bool) -> bool:
    field = field.strip()
    return bool(_NUMBER.fullmatch(field.replace(",", ".") if decimal_comma else field))


def _find_header(lines: Sequence[str], split: _splitter, decimal_comma: bool) -> tuple[int | None, int]:
    """Index of the header line (None where the numbers have none) and the number of fields of a row.

    The width is the most common one among lines with a number; the header is the last line without any number
    before the first such line of that width.
    """
    numeric: list[tuple[int, int]] = []
    for index, line in enumerate(lines):
        fields = split(line)
        if any(_is_number(f, decimal_comma) for f in fields):
            numeric.append((index, len(fields)))
            if len(numeric) >= _LOOK:
                break
    if not numeric:
        return None, len(split(lines[0]))
    width = Counter(w for _, w in numeric).most_common(1)[0][0]
    first = next(index for index, w in numeric if w == width)
    for index in range(first - 1, -1, -1):
        fields = split(lines[index])
        named = sum(bool(f.strip()) and not _is_number(f, decimal_comma) for f in fields)
        if len(fields) == width and named and named >= (width + 1) // 2:
            return index, width
    return None, width


def _column_names(header: Sequence[str] | None, width: int) -> tuple[str, ...]:
    names = [field.strip() for field in header] if header else [""] * width
    seen: Counter[str] = Counter()
    found = []
    for number, name in enumerate(names, 1):
        name = name or f"column {number}"
        seen[name] += 1
        found.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
    return tuple(found)


def _rows(
    chunk: Sequence[str], start: int, lines: Sequence[str], split: _splitter, header_line: int | None, width: int,
    problems: list[Problem],
) -> tuple[list[list[str]], list[int]]:  # fmt: skip
    header = [f.strip() for f in split(lines[header_line])] if header_line is not None else None
    rows, numbers = [], []
    for index, line in enumerate(chunk, start):
        if index == header_line:
            continue
        number = index + 1
        if not line.strip():
            problems.append(Problem(number, "blank line", "blank line left out"))
            continue
        fields = split(line)
        if header_line is not None and index < header_line:
            problems.append(Problem(number, "before header", "line before the header left out"))
            continue
        if header is not None and [f.strip() for f in fields] == header:
            problems.append(Problem(number, "repeated header", "repeated header line left out"))
            continue
        if len(fields) == width + 1 and not fields[-1].strip():
            fields = fields[:width]
        if len(fields) != width:
            kind = "short line" if len(fields) < width else "long line"
            problems.append(Problem(number, kind, f"{len(fields)} fields instead of {width}: line left out"))
            continue
        rows.append(fields)
        numbers.append(number)
    return rows, numbers


def _numbers(rows: list[list[str]], decimal_comma: bool) -> tuple[NDArray[np.float64], dict[tuple[int, int], str]]:
    width = len(rows[0])
    values = np.empty((len(rows), width))
    odd: dict[tuple[int, int], str] = {}
    for column, fields in enumerate(zip(*rows)):
        values[:, column] = _column(fields, column, decimal_comma, odd)
    return values, odd


def _column(
    fields: Sequence[str], column: int, decimal_comma: bool, odd: dict[tuple[int, int], str]
) -> NDArray[np.float64]:
    joined = "".join(fields)
    if decimal_comma:
        fields = [field.replace(",", ".") for field in fields]
    if not re.search(r"[^0-9eE+\-., ]", joined) and (decimal_comma or "," not in joined):
        try:
            return np.array(fields, dtype=np.float64)
        except ValueError:
            pass
    out = np.empty(len(fields))
    for row, field in enumerate(fields):
        field = field.strip()
        if _NUMBER.fullmatch(field) and math.isfinite(value := float(field)):
            out[row] = value
        else:
            out[row] = math.nan
            if field:
                odd[row, column] = field
    return out


def is_missing_word(text: str) -> bool:
    """Whether a field says "no value" in one of the usual ways rather than being spoiled."""
    return bool(_NOT_FINITE.fullmatch(text))
