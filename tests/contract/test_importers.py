"""What every importer promises, on 500 damaged files each beside a slow reference parser. Later ones join IMPORTERS."""

from dataclasses import dataclass

import numpy as np
import pytest
from damage import CLASSES, damaged, reference

from hovrik.core.errors import ImportRefused
from hovrik.core.passes.trace import CHANNELS
from hovrik.store.files.read import frame_log, telemetry
from hovrik.store.files.read.table import parse, read_table

SEEDS = range(19)


@dataclass
class Importer:
    """guess, convert : of the importer; values : what of a result is compared with the reference's numbers, made from
    them by `expected`; stamps : whether its files hold time stamps, None as the class of damage says."""

    guess: object
    convert: object
    values: object
    expected: object
    stamps: bool | None

    def read(self, data):
        """Table and result of some bytes."""
        table = parse(data, "file.csv")
        return table, self.convert(table, self.guess(table))


IMPORTERS = {
    "frame log": Importer(
        frame_log.guess, frame_log.convert, lambda found: found.trace.interval_ms(),
        lambda file, values: np.diff(values) * 1000 if file.stamps else values, None,
    ),
    "telemetry": Importer(
        telemetry.guess, telemetry.convert, lambda found: np.diff(found.channels["die_c"].stamps_ns) / 1e6,
        lambda file, values: np.diff(values) * 1000, True,
    ),
}  # fmt: skip


@pytest.fixture(params=sorted(IMPORTERS))
def importer(request):
    """Each importer in turn."""
    return IMPORTERS[request.param]


def test_there_are_at_least_500_files():
    assert len(CLASSES) * len(SEEDS) >= 500


@pytest.mark.parametrize("name", CLASSES)
def test_damaged_files_keep_what_the_reference_keeps_and_name_the_rest(importer, name):
    kind = CLASSES[name][2]
    for seed in SEEDS:
        file = damaged(name, seed, importer.stamps)
        _, found = importer.read(file.data)
        wanted = reference(file)
        assert found.kept_lines.tolist() == [line for line, _ in wanted], seed
        expected = importer.expected(file, np.array([value for _, value in wanted]))
        assert importer.values(found) == pytest.approx(expected, abs=2e-6), seed
        kinds = {p.kind for p in found.problems}
        if importer.stamps is None and kind is not None:
            assert kind in kinds if kind else not kinds, (seed, kinds)
        left_out = {p.line for p in found.problems if "left out" in p.text}
        assert not left_out & set(found.kept_lines.tolist())
        lines = file.data[len(file.mark) :].decode(file.encoding, "replace").count(file.line_break)
        assert left_out | set(found.kept_lines.tolist()) >= set(range(2, lines + 1)), "a line vanished unnamed"
        assert [p.line or 0 for p in found.problems] == sorted(p.line or 0 for p in found.problems)


def test_random_bytes_never_end_in_a_traceback(importer):
    for seed in range(40):
        rng = np.random.default_rng(seed)
        some = rng.integers(0, 256, 3000) if seed % 2 else rng.choice(list(b'0123456789.,;\n"-e \t:'), 3000)
        try:
            importer.read(bytes(some.astype(np.uint8)))
        except ImportRefused as refused:
            assert str(refused)


@pytest.mark.parametrize(
    ("data", "words"),
    [(b"", "holds no text"), (b"\n \n", "holds no text"), (b"a,b\nc,d\n", "No column looks like"),
     (b"frame time ms,package power W,time s\n16.7,12,0\n", "Fewer than two")],
)  # fmt: skip
def test_nothing_usable_is_refused_with_what_to_do(importer, data, words):
    with pytest.raises(ImportRefused, match=words):
        importer.read(data)


def test_missing_file_and_folder(tmp_path):
    for path in (tmp_path / "none.csv", tmp_path):
        with pytest.raises(ImportRefused, match=r"cannot be read|is no file"):
            read_table(path)


def test_units_come_out_as_the_channel_says_and_holes_stay_holes(importer):
    rows = [f"{0.02 * n:.2f};{20 + n % 2};{14_000 + n}" + (";341.15" if n % 3 else ";") for n in range(40)]
    _, found = importer.read("\n".join(["time (s);load (x);package power (mW);die temp (K)", *rows]).encode())
    channels = found.trace.channels if hasattr(found, "trace") else found.channels
    assert set(channels) == {"package_w", "die_c"} <= set(CHANNELS)
    assert channels["package_w"].values[[0, -1]] == pytest.approx([14.0, 14.039])
    assert channels["die_c"].values == pytest.approx(np.full(26, 68.0)) and channels["die_c"].stamps_ns.size == 26


def test_impossible_mappings_are_refused(importer):
    table, _ = importer.read(b"time (s),package power (W)\n0,12\n0.02,12\n0.04,12\n0.06,13\n" + b"0.08,12\n" * 3)
    mapping = importer.guess(table)
    for channels, words in (
        ({"package_w": (9, "W")}, "does not exist"),
        ({"no_such": (1, "W")}, "no known channel"),
        ({"package_w": (1, "V")}, "Choose one of: W, mW"),
    ):
        with pytest.raises(ImportRefused, match=words):
            importer.convert(table, type(mapping)(**{**vars(mapping), "channels": channels}))
