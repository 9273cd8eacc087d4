"""PDFs: text, metadata and annotations as pypdf's own writer makes them (ISO 32000-1, 12.5.6.4 and 12.5.6.10), and hostile ones."""

from __future__ import annotations

import os
import resource
import zlib
from io import BytesIO

import pytest
from pypdf import PdfReader, PdfWriter
from pypdf.annotations import FreeText, Highlight
from pypdf.generic import ArrayObject, FloatObject, NameObject, StreamObject

from kelvix.demo.papers import Mark, paper
from kelvix.formats.pdf import MAX_STREAM, Pdf, read

LINES = [f"Line {n}: pallets, pull-downs and a table (of {n})." for n in range(80)]


def test_text_title_and_marks_are_those_that_were_written():
    source = paper("Condition survey – Holm", "Ada Pell", LINES, (Mark(3, "look again"), Mark(50)), "Read first")
    found = read(BytesIO(source))
    assert (found.title, found.author, found.pages, found.problem) == ("Condition survey – Holm", "Ada Pell", 3, "")
    theirs = "\n\n".join(page.extract_text().strip() for page in PdfReader(BytesIO(source)).pages)
    assert found.text == theirs and all(line in found.text for line in LINES)
    marks = {(h.page, h.text, h.note) for h in found.highlights}
    assert marks == {(1, LINES[3], "look again"), (2, LINES[50], ""), (1, "", "Read first")}


def test_a_highlight_of_two_lines_and_a_note_on_the_page():
    """Two quadrilaterals are one highlight; a free text is a note."""
    writer = PdfWriter(clone_from=BytesIO(paper("T", "", ["first line", "second line", "third line"])))
    quads = ArrayObject([FloatObject(n) for n in (64, 784, 300, 784, 64, 767, 300, 767, 64, 766, 300, 766, 64, 749, 300, 749)])
    writer.add_annotation(0, Highlight(rect=(64, 749, 300, 784), quad_points=quads))
    writer.add_annotation(0, FreeText(text="by hand", rect=(300, 300, 400, 330)))
    out = BytesIO()
    writer.write(out)
    assert [(h.text, h.note) for h in read(out).highlights] == [("first line second line", ""), ("", "by hand")]


def test_one_that_is_locked_says_so():
    writer = PdfWriter(clone_from=BytesIO(paper("T", "", ["secret"])))
    writer.encrypt("a password", algorithm="AES-256")
    out = BytesIO()
    writer.write(out)
    assert read(out) == Pdf(problem="it is protected by a password")


def test_a_stream_that_unpacks_without_end_is_not_read():
    """80 MB out of 80 kB: the page is left out, and memory stays as it was."""
    writer = PdfWriter(clone_from=BytesIO(paper("T", "", ["first"])))
    page = writer.add_blank_page(595, 842)
    bomb = StreamObject()
    bomb._data = zlib.compress(b"0 " * (10 * MAX_STREAM // 2), 9)
    bomb[NameObject("/Filter")] = NameObject("/FlateDecode")
    page[NameObject("/Contents")] = writer._add_object(bomb)
    out = BytesIO()
    writer.write(out)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    found = read(BytesIO(out.getvalue()))
    assert found.text.endswith("first") and found.pages == 2
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 80 * 1024


@pytest.mark.parametrize("cut", [0, 1, 7, 60, 400, 900])
def test_one_that_is_torn_is_read_as_far_as_it_goes(cut):
    found = read(BytesIO(paper("T", "A", ["one line"])[:cut]))
    assert isinstance(found, Pdf) and (found.problem or "one line" in found.text)


def test_noise_is_no_pdf():
    for n in range(30):
        assert read(BytesIO(b"%PDF-1.7\n" + os.urandom(200 + n * 37))).text == ""
