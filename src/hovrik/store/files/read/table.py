"""Reads a delimited text file of unknown make into columns of numbers, naming every fault by line.

Knows nothing of frames or watts. Detects encoding, delimiter, decimal comma, quotes and header; a line is a row,
so a stray quote can spoil one line and never the rest.
"""

from __future__ import annotations

import codecs
import csv
import math
import re
import zlib
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ....core.errors import ImportRefused, Problem, Problems
from ....core.words import plural
from ....disk.reading import name_of, read_bytes

MOST_BYTES = 2_000_000_000
MOST_UNPACKED = 500_000_000
MOST_COLUMNS = 1000
SUFFIXES, PACKED = (".csv", ".tsv", ".txt"), ".gz"
_GZIP = b"\x1f\x8b"
_DELIMITERS = (",", ";", "\t", "|")
_THOUSANDS = re.compile(r"[-+]?\d{1,3}(\.\d{3})+(,\d*)?")
_REMARK = ("#", "//")
_WHOLE = re.compile(r"[-+]?\d[\d '\u2019\u00a0\u202f]*")
_DOTTED, _MANY_DOTS = re.compile(r"[-+]?\d{1,3}(\.\d{3})+"), re.compile(r"[-+]?\d{1,3}(\.\d{3}){2,}(,\d*)?")
# numbers with signs between their thousands: 16 838.2, 16'838, 16,838.2; a row of nothing else
_GROUPED = re.compile(r"[-+]?\d{1,3}([ ,'\u2019\u00a0\u202f]\d{3})+(\.\d*)?")
_GROUPED_POINTS = re.compile(r"[-+]?\d{1,3}([ '\u2019\u00a0\u202f]\d{3})+(,\d*)?")
_TWO = re.compile(r"[-+]?\d+(\.\d*)? +[-+]?\d+(\.\d*)?")  # two numbers where one is looked for
_SPACED = re.compile(r"[-+]?\d{1,3}([ \u00a0\u202f]\d{3})+([.,]\d*)?")
_NUMBER = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?")
_NOT_FINITE = re.compile(r"[+-]?(nan|inf|infinity)|n/?a|null|none|-+", re.IGNORECASE)
_MARKS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)
_LOOK = 400  # lines the layout is judged by
_CHUNK = 500_000  # letters


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
    lines: NDArray[np.int32]
    text: dict[tuple[int, int], str]
    problems: tuple[Problem, ...]


def read_table(path: Path) -> Table:
    """Read a file. Raises ImportRefused where nothing in it can be read as rows of numbers."""
    return parse(_unpacked(read_bytes(path, MOST_BYTES, "Split it."), name_of(path)), name_of(path))


def is_table(path: Path) -> bool:
    """Whether a file is a table by its name, packed or not."""
    ends = [one.lower() for one in path.suffixes[-2:]]
    return bool(ends) and (ends[-1] in SUFFIXES or (ends[-1] == PACKED and len(ends) > 1 and ends[0] in SUFFIXES))


def _unpacked(data: bytes, name: str) -> bytes:
    """The bytes of a file that may be packed. Raises ImportRefused where it breaks off or is too large."""
    if not data.startswith(_GZIP):
        return data
    machine = zlib.decompressobj(31)
    try:
        found = machine.decompress(data, MOST_UNPACKED)
    except zlib.error as fault:
        raise ImportRefused(f"{name} cannot be unpacked ({fault}). Unpack it, or bring another copy.") from fault
    if machine.unconsumed_tail:
        raise ImportRefused(f"{name} holds over {MOST_UNPACKED / 1e6:,.0f} MB when it is unpacked. Split it.")
    if not machine.eof:
        raise ImportRefused(f"{name} breaks off: it is not packed to its end. Bring another copy.")
    return found


def parse(data: bytes, name: str) -> Table:
    """The same for bytes; `name` is for messages."""
    text, encoding, problems = decode(data)
    del data  # a large log is not held twice
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    sample = list(islice((line for line in _lines(text) if line.strip()), _LOOK))
    if not sample:
        raise ImportRefused(f"{name} holds no text. Choose a file with frame times.")
    delimiter, decimal_comma = _sniff(sample)
    split = _splitter(delimiter)
    header, width = _find_header(_lines(text), split, decimal_comma)
    if width > MOST_COLUMNS:
        raise ImportRefused(f"{name} has {width:,} columns; up to {MOST_COLUMNS} are read. Save those that are needed.")
    _refuse_two_readings(delimiter, decimal_comma, sample, split, name)
    columns = _column_names(split(header.text) if header is not None else None, width)
    values, numbers, odd = _read_chunks(text, split, header, width, decimal_comma, problems)
    if not numbers.size:
        raise ImportRefused(f"{name} holds no rows of numbers.", problems.told())
    layout = Layout(encoding, delimiter, decimal_comma, None if header is None else header.index + 1, columns)
    return Table(layout, values, numbers, odd, problems.told())


@dataclass(frozen=True)
class _Header:
    """The line of the headings. index : from 0."""

    index: int
    text: str


def _chunks(text: str) -> Iterator[list[str]]:
    """Lines, some at a time, so that a large file is never held as lines. The last line break ends no further line."""
    start, stop = 0, len(text) - text.endswith("\n")
    while start <= stop:
        end = text.find("\n", start + _CHUNK, stop)
        if end < 0:
            end = stop
        yield text[start:end].split("\n")
        start = end + 1


def _lines(text: str) -> Iterator[str]:
    return (line for chunk in _chunks(text) for line in chunk)


def _read_chunks(
    text: str, split: _splitter, header: _Header | None, width: int, decimal_comma: bool, problems: list[Problem]
) -> tuple[NDArray[np.float64], NDArray[np.int32], dict[tuple[int, int], str]]:
    """All rows, by chunks: those without a fault go through NumPy's own reader, only the others line by line. Columns
    lie one behind another, so that a channel need not be copied."""
    most = text.count("\n") + 1
    values, numbers = np.empty((most, width), order="F"), np.empty(most, np.int32)
    odd: dict[tuple[int, int], str] = {}
    start = kept = 0
    for chunk in _behind(_chunks(text), header):
        if not "".join(chunk).strip():
            words = f"{plural(len(chunk), 'blank line')} left out"
            problems.append(Problem(start + 1, "blank line", words, len(chunk)))
            start += len(chunk)
            continue
        has_header = header is not None and header.index >= start
        plain = None if has_header or decimal_comma else _plain_chunk(chunk, split.delimiter, width)
        if plain is not None:
            found: Sequence[int] | range = range(start + 1, start + len(chunk) + 1)
        else:
            rows, found = _rows(chunk, start, split, header, width, problems)
            plain, strange = _numbers(rows, decimal_comma) if rows else (np.empty((0, width)), {})
            odd.update({(row + kept, column): said for (row, column), said in strange.items()})
        values[kept : kept + len(found)] = plain
        numbers[kept : kept + len(found)] = found
        start, kept = start + len(chunk), kept + len(found)
    return values[:kept], numbers[:kept], odd


def _behind(chunks: Iterator[list[str]], header: _Header | None) -> Iterator[list[str]]:
    """The same lines, with a break behind the header: what follows it is mostly plain."""
    start = 0
    for chunk in chunks:
        cut = header.index + 1 - start if header is not None else 0
        start += len(chunk)
        if 0 < cut < len(chunk):
            yield chunk[:cut]
            yield chunk[cut:]
        else:
            yield chunk


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


def decode(data: bytes) -> tuple[str, str, Problems]:
    """Text, encoding name and what was odd. Marks first, then UTF-8, then UTF-16 by its zero bytes, then Western."""
    problems = Problems()
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


def _sniff(sample: Sequence[str]) -> tuple[str, bool]:
    """Delimiter and whether commas are decimal, from the first lines that hold anything.

    The delimiter is the candidate whose count is the same on most lines. Commas are decimal where another
    delimiter is present and fields look like 16,7, or where the header has one field and every row a comma.
    """
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


def _find_header(lines: Iterable[str], split: _splitter, decimal_comma: bool) -> tuple[_Header | None, int]:
    """The header line (None where the numbers have none) and the number of fields of a row.

    The width is the most common one among lines with a number; the header is the last line without any number
    before the first such line of that width.
    """
    numeric: list[tuple[int, int]] = []
    before: list[_Header] = []  # what may be it
    for index, line in enumerate(lines):
        if not line:
            continue
        fields = split(line)
        before.append(_Header(index, line))
        if any(_is_number(f, decimal_comma) for f in fields):
            numeric.append((index, len(fields)))
            if len(numeric) >= _LOOK:
                break
    if not numeric:
        return None, len(split(before[0].text))
    width = Counter(w for _, w in numeric).most_common(1)[0][0]
    first = next(index for index, w in numeric if w == width)
    for one in reversed([one for one in before if one.index < first]):
        fields = split(one.text)
        named = sum(bool(f.strip()) and not _is_number(f, decimal_comma) for f in fields)
        if len(fields) == width and named and named >= (width + 1) // 2:
            return one, width
    return None, width


def _refuse_two_readings(
    delimiter: str, decimal_comma: bool, sample: Sequence[str], split: _splitter, name: str
) -> None:  # fmt: skip
    """Raises ImportRefused where a file can be read in two ways: commas that part columns and decimals alike (16,7,12,5
    under two headings, 16,7 under none), or signs between the thousands that part columns as well."""
    remarks = [line for line in sample if not line.lstrip().startswith(_REMARK)]
    rows = [[field.strip().strip('"') for field in split(line)] for line in remarks]
    plain = [row for row in rows if row and all(_WHOLE.fullmatch(field) for field in row)]
    numeric = [row for row in rows if row and all(_WHOLE.fullmatch(f) or _DOTTED.fullmatch(f) for f in row)]
    heads = [row for row in rows if not any(field[:1].isdigit() or field[1:2].isdigit() for field in row)]
    widths, most = {len(row) for row in plain}, max(len(rows) - len(heads), 1)
    whole = len(numeric) > 0.8 * most and len(plain) > 0.1 * most
    if delimiter == "," and whole and max(widths, default=1) > 1 and not any(len(row) in widths for row in heads):
        raise ImportRefused(
            f"{name} has commas between its columns or as decimal marks; it could be read in two ways. "
            "Save it with semicolons or tabs between the columns, or with decimal points."
        )
    grouped = _GROUPED_POINTS if decimal_comma else _GROUPED
    lines = [line.strip() for line in remarks] if delimiter in ("", " ") else []
    fields = [field for row in rows for field in row[:1]] if delimiter not in ("", " ") else []
    apart = sum(bool(_SPACED.fullmatch(line)) for line in lines)
    if delimiter == ",":
        apart = sum(any(_TWO.fullmatch(field) for field in row) for row in rows)
    some = [field for field in fields or [row[0] for row in rows if row] if grouped.fullmatch(field)]
    many = [row for row in rows if any(_MANY_DOTS.fullmatch(field) for field in row)]
    if apart > 0.5 * most or len(some) > 0.5 * most or len(many) > 0.5 * most:
        raise ImportRefused(
            f"{name} has signs between the thousands of its numbers; they could be read in two ways. "
            "Save it without them."
        )


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
    chunk: Sequence[str], start: int, split: _splitter, heading: _Header | None, width: int, problems: list[Problem]
) -> tuple[list[list[str]], list[int]]:
    header = [f.strip() for f in split(heading.text)] if heading is not None else None
    header_line = heading.index if heading is not None else None
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
        fields = [_with_decimal_dot(field) for field in fields] if "." in joined else [
            field.replace(",", ".") for field in fields
        ]  # fmt: skip
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


def _with_decimal_dot(field: str) -> str:
    """A number with a decimal comma, its thousands apart by dots; 1.234 alone may be either and stays no number."""
    field = field.strip()
    if _THOUSANDS.fullmatch(field):
        return field.replace(".", "").replace(",", ".") if "," in field else f"{field} (either)"
    return field.replace(",", ".")


def is_missing_word(text: str) -> bool:
    """Whether a field says "no value" in one of the usual ways rather than being spoiled."""
    return bool(_NOT_FINITE.fullmatch(text))
