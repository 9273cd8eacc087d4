"""Names of files that come from outside: paths, hidden and turning characters, names that systems do not take, and long ones."""

from __future__ import annotations

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core.file_name import MAX_LENGTH, clean, free, split, with_extension


@pytest.mark.parametrize(
    ("name", "expected"),
    [
        ("../../etc/passwd", "passwd"),
        ("C:\\Users\\x\\plan.pdf", "plan.pdf"),
        ("plan\u202efdp.exe", "planfdp.exe"),  # a direction mark makes exe.pdf of it on screen
        ("a\0b\x1f.txt", "ab.txt"),
        ("\u200bplan\u200b.pdf", "plan.pdf"),
        ("CON", "CON_"),  # a device's name, which one system keeps for itself
        ("what? <now>.txt", "what- -now-.txt"),
        (" .. ", "unnamed"),
        ("", "unnamed"),
        ("/", "unnamed"),
        ("half\ud83d.txt", "half.txt"),  # JSON can say half of a character, which no database takes
        ("e\u0301tude.pdf", "étude.pdf"),
        ("organ.tar.gz", "organ.tar.gz"),
    ],
)
def test_a_name(name, expected):
    assert clean(name) == expected


@given(st.text(max_size=400))
def test_any_name_is_one_that_can_be_kept(name):
    kept = clean(name)
    assert kept and len(kept) <= MAX_LENGTH + 1 and not {"/", "\\", "\0"} & set(kept) and kept not in (".", "..")
    assert all(unicodedata.category(c) not in ("Cc", "Cf") for c in kept)
    assert clean(kept) == kept


@pytest.mark.parametrize(
    ("name", "like", "expected"),
    [
        ("Holm, organ", "survey.PDF", "Holm, organ.PDF"),
        ("Holm.pdf", "survey.PDF", "Holm.pdf"),
        ("Holm v1.2", "a.pdf", "Holm v1.2.pdf"),
        ("Holm", "README", "Holm"),
        ("x", "a.tar.gz", "x.tar.gz"),
        ("../up", "a.txt", "up.txt"),
    ],
)
def test_the_extension_is_kept(name, like, expected):
    assert with_extension(name, like) == expected


def test_a_name_that_is_taken_gets_a_number():
    taken = {"plan.pdf", "plan (2).pdf", "notes"}
    assert (
        free("Plan.pdf", taken) == "Plan (3).pdf"
        and free("other.pdf", taken) == "other.pdf"
        and free("notes", taken) == "notes (2)"
    )


def test_where_a_name_ends_and_its_extension_begins():
    assert [split(n) for n in ("a.pdf", ".hidden", "a.tar.gz", "a. b", "v1.2 of it")] == [
        ("a", ".pdf"), (".hidden", ""), ("a", ".tar.gz"), ("a. b", ""), ("v1.2 of it", ""),
    ]  # fmt: skip
