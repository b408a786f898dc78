"""Reports: everything behind an answer in one file, as a web page, a PDF and a card."""

import xml.etree.ElementTree as ElementTree
from html.parser import HTMLParser

import pytest
from click.testing import CliRunner
from helpers.window import at_rest, opened
from PyQt6.QtPdf import QPdfDocument

from hovrik.cli import commands
from hovrik.store.files.write.picture import Picture, Series, svg
from hovrik.store.files.write.report import Part, Report, html


class Links(HTMLParser):
    """Everything that a page would fetch, and its open tags."""

    def __init__(self):
        super().__init__()
        self.fetched, self.open, self.text = [], [], []

    def handle_starttag(self, tag, attrs):
        self.fetched += [value for key, value in attrs if key in ("src", "href", "srcset", "data", "poster")]
        if tag not in ("meta", "img", "br", "hr"):
            self.open.append(tag)

    def handle_endtag(self, tag):
        while self.open and self.open.pop() != tag:
            pass

    def handle_data(self, data):
        self.text.append(data)


def parsed(text):
    found = Links()
    found.feed(text)
    assert not found.open and all(one.startswith("data:") for one in found.fetched)
    return "".join(found.text)


def test_from_the_command_line(demo_copy, tmp_path):
    out = tmp_path / "r.html"
    told = CliRunner().invoke(commands, ["report", str(demo_copy), "--out", str(out)])
    assert told.exit_code == 0, told.output
    text = out.read_text()
    words = parsed(text)
    for part in ("13 W, cap 40: holds 40", "36 passes of 60 s", "Along power limit", "Cautions", "firmware", "seed 1"):
        assert part in words, part
    assert text.count("<svg") == 2 and "over 99 %" in words
    missing = CliRunner().invoke(commands, ["report", str(tmp_path / "none.hovrik"), "--out", str(out)])
    assert missing.exit_code == 1 and "does not exist" in missing.output


def test_seen_and_written_in_the_window(demo_copy, qtbot, tmp_path):
    with opened(demo_copy, qtbot) as window:
        window.keep_answer()
        window.show_place("Keep", "Reports")
        page = window.stage("Keep").reports
        at_rest(page, qtbot)
        assert "Along power limit" in page.view.toPlainText()
        assert not page.view.horizontalScrollBar().isVisible()
        page.write_to(tmp_path / "r.pdf")
        page.write_to(tmp_path / "r.html")
        document = QPdfDocument(None)
        assert document.load(str(tmp_path / "r.pdf")) is QPdfDocument.Error.None_ and document.pageCount() >= 2
        image = document.render(0, document.pagePointSize(0).toSize())
        dark = sum(image.pixelColor(x, y).lightness() < 128 for x in range(0, 800, 5) for y in range(0, 500, 5))
        assert dark > 50  # words are on it
        page.what.setCurrentIndex(1)
        text = page.view.toPlainText()
        assert "Set, in this order" in text and "1. 13 W" in text and "Hours on a charge" in text
        page.write_to(tmp_path / "none" / "r.pdf")
        assert "cannot be written" in page.words.text() or "does not exist" in page.words.text()


HOSTILE = "<script>alert(1)</script> & \"'"


def test_hostile_words_stay_words():
    picture = Picture(HOSTILE, HOSTILE, HOSTILE, (Series(HOSTILE, [1, 2], [3, 4]),), (3.0, HOSTILE))
    made = Report(
        HOSTILE, HOSTILE, HOSTILE, HOSTILE, (Part(HOSTILE, (HOSTILE,), (HOSTILE,), ((HOSTILE,),), (picture,)),)
    )
    text = html(made)
    assert "<script" not in text and HOSTILE in parsed(text)


@pytest.mark.parametrize(
    ("x", "y"),
    [([1.0], [2.0]), ([1.0, 1.0], [5.0, 5.0]), ([1e-9, 1e9], [-1e12, 1e12]), ([float("nan"), 2.0], [1.0, float("inf")]),
     ([0.0, 0.0], [0.0, 0.0]), ([], [])],
)  # fmt: skip
def test_any_numbers_make_a_sound_picture_or_none(x, y):
    text = svg(Picture("p", "x", "y", (Series("s", x, y, [None] * len(x), [v + 1 for v in y]),)))
    if text:
        ElementTree.fromstring(text)
        assert "nan" not in text and "inf" not in text
    else:
        assert not [1 for a, b in zip(x, y) if a == a and abs(b) < 1e300]
