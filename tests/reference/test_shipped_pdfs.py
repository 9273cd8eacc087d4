"""PDFs that pypdf's source package ships in resources/, against what its own tests expect of them (tests/test_reader.py,
tests/test_page.py) and against its plain extraction of text."""

from __future__ import annotations

from collections import Counter

import pytest
from pypdf import PdfReader

from kelvix.formats.pdf import Highlight, read
from kelvix.formats.pdf_characters import places
from reference.packages import package

RESOURCES = package("pypdf") / "resources"
# Text that stands in forms, or in a font that names no characters, has no place of its own.
NOT_PLACED = {"fontsampler.pdf", "issue-604.pdf"}
# pdfminer, which reads characters for pdfplumber, gives nothing for this one glyph of a drawing.
WITHOUT = {"AutoCad_Diagram.pdf": Counter("/")}
LOCKED = {"crazyones-encrypted-256.pdf", "encrypted-file.pdf", "libreoffice-writer-password.pdf"}
OPEN = sorted(p.name for p in RESOURCES.glob("*.pdf") if p.name not in LOCKED)


def of(name: str):
    with (RESOURCES / name).open("rb") as file:
        return read(file)


def test_title_and_author():
    found = of("metadata.pdf")
    assert (found.title, found.author) == ("The Title", "Martin Thoma")  # test_reader.py, test_read_metadata


def test_text():
    expected = (RESOURCES / "crazyones.txt").read_text("utf-8").split()
    assert of("crazyones.pdf").text.split() == expected


def test_notes_and_a_highlight_of_one_word_in_a_line():
    """commented.pdf: two notes, and a highlight over x 176 to 203 of the line that ends in “crazy.”"""
    found = of("commented.pdf")
    first, marked, last = found.highlights
    assert first == Highlight(1, "", "Note in second paragraph") and marked == Highlight(1, "crazy.")
    assert last.note.startswith("note over “kinds”".replace("“", '"').replace("”", '"')) and last.note.endswith("äöüß")


@pytest.mark.parametrize("name", sorted(LOCKED))
def test_a_locked_one_says_so(name):
    assert of(name).problem == "it is protected by a password"


LOCKS = [
    p.name for p in sorted((RESOURCES / "encryption").glob("*.pdf")) if p.name != "r4-aes-v2-no-key-length.pdf"
]  # of another
FOR_READERS = [
    n for n in LOCKS if n in ("r6-both-passwords.pdf", "r6-cleartext-metadata.pdf") or (n[:2] < "r5" and "user" in n)
]


@pytest.mark.parametrize("name", LOCKS)
def test_one_that_opens_without_a_password_is_read(name):
    """How each was encrypted stands beside its name in tests/test_encryption.py: with an empty password for readers, or (from
    revision 5 on, where it opens the file by itself) for the owner."""
    found = of(f"encryption/{name}")
    if name in FOR_READERS:
        assert found.problem == "it is protected by a password"
    else:
        assert (found.author, found.pages, found.problem) == ("cheng", 1, "")


@pytest.mark.parametrize("name", [n for n in OPEN if n not in NOT_PLACED])
def test_every_character_has_a_place(name):
    page = PdfReader(RESOURCES / name).pages[0]
    with (RESOURCES / name).open("rb") as file:
        placed = Counter(c for one in places(file, 0).characters for c in one.text if not c.isspace())
    assert placed + WITHOUT.get(name, Counter()) == Counter(c for c in page.extract_text() if not c.isspace())


@pytest.mark.parametrize("name", OPEN)
def test_each_is_read_or_says_why_not(name):
    found = of(name)
    assert found.pages or found.problem
