"""Feeds that feedparser's source package ships in tests/wellformed: each says in a comment what must be read out of it (RFC 4287 for
atom10, RSS 0.9 to 2.0 for rss). What is expected of an entry's title, link, time, tags or author is held here against ours."""

from __future__ import annotations

import json
import re
from ast import literal_eval
from datetime import UTC, datetime

import pytest

from kelvix.formats.lists_of_links import read
from reference.packages import package

SHIPPED = package("feedparser") / "tests" / "wellformed"
KEYS = (
    r"entries\[0\]\['(title|link|published_parsed|updated_parsed|author|tags'\]\[0\]\['term|summary|content'\]\[0\]\['value)'\]"
)
CONTENT_COMES_FIRST = {"entry_content_and_summary", "item_summary_and_description"}  # of these, ours is the other text
EXPECTED = re.compile(rb"Expect:\s*(.*?)\s*(?:-->|\n)")


def cases():
    for kind in ("atom10", "rss", "rdf"):
        for path in sorted((SHIPPED / kind).glob("*.xml")):
            said = EXPECTED.search(path.read_bytes())
            words = said[1].decode("utf-8", "replace") if said else ""
            asked = re.fullmatch(rf"not bozo and {KEYS} == (u?['\"].*['\"]|\(.*\))", words)
            if asked and " and " not in asked[2] and path.stem not in CONTENT_COMES_FIRST:
                yield pytest.param(path, asked[1], literal_eval(asked[2]), id=f"{kind}/{path.stem}")


def with_link(content: bytes) -> bytes:
    """An entry that has no link gets one: without, it is none of a list of links."""
    if re.search(rb"<(entry|item)\b(?:(?!</(?:entry|item)>).)*<(?:link|guid)\b", content, re.S):
        return content
    rss = b"<link>https://w.example/</link>"
    content = re.sub(rb"(<entry\b[^>]*>)", rb"\1<link href='https://w.example/'/>", content, count=1)
    return re.sub(rb"(<item\b[^>]*>)", rb"\1" + rss, content, count=1)


@pytest.mark.parametrize(("path", "key", "expected"), list(cases()))
def test_entry(path, key, expected):
    found = read(with_link(path.read_bytes()))
    assert found, "it has an entry"
    [entry] = found[:1]
    if key == "title":
        assert entry.title == " ".join(expected.split())
    elif key == "link":
        assert entry.address == expected
    elif key == "author":
        assert entry.author == " ".join(expected.split())
    elif key.startswith("tags"):
        assert entry.tags[0] == expected
    elif key.startswith(("summary", "content")):
        assert entry.text == expected
    else:
        assert entry.at == datetime(*expected[:6], tzinfo=UTC)


def test_there_are_many_of_them():
    assert len(list(cases())) > 40


def test_the_feeds_of_trafilatura():
    """tests/resources/feed1.atom (one entry, and one that has no page but itself), feed2.rss and feed.json."""
    resources = package("trafilatura") / "tests" / "resources"
    shipped = json.loads((resources / "feed.json").read_bytes())
    items = read((resources / "feed.json").read_bytes())
    assert [(i.address, i.title) for i in items] == [(i["url"], " ".join(i["title"].split())) for i in shipped["items"]]
    assert [i.at for i in items] == [datetime.fromisoformat(i["date_published"]) for i in shipped["items"]]
    for name in ("feed1.atom", "feed2.rss"):
        [entry] = read((resources / name).read_bytes())
        assert entry.title and entry.at and entry.address.startswith("http")
