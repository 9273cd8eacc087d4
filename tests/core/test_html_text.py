"""HTML from outside as text, and as HTML that may be shown: hostile input takes no minutes."""

from __future__ import annotations

import pytest

from kelvix.formats.html_text import all_text, html_to_text, is_laborious, safe_html

HOSTILE = {
    "nested": "<div>" * 80_000 + "x",
    "formatting": "".join(f"<b a={n}>" for n in range(400)) + "<p>x" * 50_000,  # each paragraph would open all of them anew
    "code": "<script" * 60_000 + "x",
    "tags": "<" * 400_000,
    "half": "<a b=" * 80_000,
}


@pytest.mark.parametrize("name", HOSTILE)
def test_what_would_take_minutes_is_plain_text(name):
    text, shown = html_to_text(HOSTILE[name]), safe_html(HOSTILE[name])
    assert len(shown) < 5_000_000 and len(text) < 500_000


def test_what_is_laborious():
    assert is_laborious(HOSTILE["nested"]) and is_laborious(HOSTILE["formatting"])
    letter = "<div>" * 40 + "<p>a line<br>" * 8000 + "</div>" * 40
    assert not is_laborious(letter), "a long letter is none, whose paragraphs are not closed"


def test_all_text():
    page = "<html><head><title>T &amp; U</title><style>p {}</style></head><body><p>One <b>two</b></p><script>var a = '<p>no</p>';</script>"
    assert all_text(page + "three<br>four &lt;b&gt;") == "T & U\nOne two\nthree\nfour <b>"
    assert all_text("<script>never closed <p>x</p>") == ""
    assert safe_html("<div>" * 600 + "<script>alert(1)</script>a &lt;img onerror=x&gt;") == "a &lt;img onerror=x&gt;"
