"""Articles out of pages. What is expected follows the Open Graph protocol, schema.org's Article in JSON-LD and HTML's own elements;
addresses are cleaned by courlan, whose documentation names utm_ parameters as the trackers to go."""

from __future__ import annotations

from datetime import date

import pytest

from kelvix.formats.article import Article, read, without_tracking

BODY = "".join(f"<p>Leather for bellows is cut across the grain and pared thin at the edges, part {n}.</p>" for n in range(8))
PAGE = f"""<!doctype html><html lang="en-GB"><head><title>Hair sheep | The Wick</title>
<meta property="og:title" content="Hair sheep leather"><meta property="og:site_name" content="The Wick">
<meta property="og:image" content="https://wick.example/a.jpg"><meta name="author" content="Nell Sparrow">
<script type="application/ld+json">{{"@context": "https://schema.org", "@type": "Article", "headline": "Hair sheep leather",
"datePublished": "2026-03-04T10:00:00Z", "author": {{"@type": "Person", "name": "Nell Sparrow"}}}}</script></head>
<body><nav><a href="/">Home</a></nav><article><h1>Hair sheep leather</h1>{BODY}<h2>Glue</h2>
<p onclick="alert(1)">Hide glue, warm, and not too much of it; <a href="javascript:alert(1)">never hot</a>,
<a href="https://glue.example/">as they say</a>.</p><script>alert(2)</script><ul><li>hide glue</li><li>fish glue</li></ul>
</article><footer>Imprint and privacy</footer></body></html>"""


def test_a_page():
    found = read(PAGE.encode(), "https://wick.example/hair?utm_source=letter&id=3#part")
    assert (found.title, found.author, found.site) == ("Hair sheep leather", "Nell Sparrow", "The Wick")
    assert (found.published, found.language, found.picture) == (date(2026, 3, 4), "en-GB", "https://wick.example/a.jpg")
    assert found.address == "https://wick.example/hair?id=3" and found.minutes == 1
    assert "part 7." in found.text and "## Glue" in found.text and "- hide glue" in found.text
    assert "[as they say](https://glue.example/)" in found.text and "Imprint" not in found.text and "Home" not in found.text


def test_what_a_page_asks_to_be_run_is_left_out():
    found = read(PAGE)
    assert "alert" not in found.text and "javascript:" not in found.text and "never hot" in found.text


@pytest.mark.parametrize(
    ("head", "charset", "encoding"),
    [
        ("", "iso-8859-1", "latin-1"),
        ("", "windows-1251", "cp1251"),
        ('<meta charset="windows-1251">', "", "cp1251"),
        ('<meta http-equiv="Content-Type" content="text/html; charset=koi8-r">', "", "koi8-r"),
        ('<meta charset="utf-8">', "windows-1251", "cp1251"),  # what it was sent with comes first
        ("", "no-such-charset", "utf-8"),
        ("", "", "utf-8-sig"),
        ("", "utf-8", "utf-16"),  # a byte order mark comes before all
    ],
)
def test_the_encoding_of_a_page(head, charset, encoding):
    """The order of WHATWG HTML, 13.2.3.1 (from memory): byte order mark, transport, meta element; latin-1 is windows-1252."""
    words = "Leder für Bälge " if encoding in ("latin-1", "utf-8") else "Кожа для мехов "
    page = f"<html><head>{head}<title>{words.strip()}</title></head><body><article><p>{words * 20}</p></article></body></html>"
    found = read(page.encode(encoding), "https://x.example/", charset)
    assert found.title == words.strip() and words.strip() in found.text


@pytest.mark.parametrize(
    "page",
    ["", "<html></html>", "plain words", "<" * 5000, "<div>" * 20_000, "\0\ud800", b"\xff\xfe\x00", "<!DOCTYPE x [<!ENTITY a 'b'>]><p>&a;</p>"],
)  # fmt: skip
def test_any_page_is_read_as_far_as_it_can_be(page):
    found = read(page, "https://x.example/")
    assert (
        isinstance(found, Article)
        and found.address.startswith("https://x.example")
        and found.published in (None, found.published)
    )
    assert len(found.text) < 1000


@pytest.mark.parametrize("piece", ["<p>Leather for bellows.</p>", "<a href='https://x.example/'>link</a> ", "<li>a <b>b</b>"])
def test_a_page_of_very_many_parts_is_read_as_plain_text(piece):
    """Its main text would be looked for during minutes."""
    head = '<html lang="en"><head><title>Complete</title><meta name="author" content="Nell Sparrow"></head>'
    found = read((head + "<body>" + piece * 150_000).encode()[: 7 << 20], "https://x.example/")
    assert (found.title, found.author, found.language) == ("Complete", "Nell Sparrow", "en") and len(found.text) > 100_000


def test_half_a_character_spoils_no_page():
    assert read("<title>Glue \ud83d</title><p>Not too warm</p>", "https://x.example/").text == "Not too warm"


def test_a_page_that_is_too_large_is_not_read():
    assert read(b"<p>" + b"x" * (9 << 20), "https://x.example/a") == Article(address="https://x.example/a")


@pytest.mark.parametrize(
    ("address", "bare"),
    [
        ("https://Wick.example/a?utm_source=x&utm_medium=y&id=3", "https://wick.example/a?id=3"),
        ("https://wick.example/a?id=3#top", "https://wick.example/a?id=3"),
        ("https://wick.example:443/a", "https://wick.example/a"),
        ("not an address", "not an address"),
        ("https://wick.example/a b", "https://wick.example/a%20b"),
        ("https://[::1/a", "https://[::1/a"),
    ],
)
def test_the_same_address_is_recognised(address, bare):
    assert without_tracking(address) == bare
