"""Lists of links, against the examples of their standards. All of these are given from memory, word for word as far as that goes:
Atom, RFC 4287 section 1.1 (both examples, shortened); RSS 2.0, its specification's terms; JSON Feed 1.1, the specification's
simple example; OPML 2.0, its subscription list and category examples; the Netscape bookmark file, as browsers write it."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from kelvix.formats.lists_of_links import Link, Unreadable, read

BRIEF = b"""<?xml version="1.0" encoding="utf-8"?>
<feed xmlns="http://www.w3.org/2005/Atom">
  <title>Example Feed</title><link href="http://example.org/"/><updated>2003-12-13T18:30:02Z</updated>
  <author><name>John Doe</name></author><id>urn:uuid:60a76c80-d399-11d9-b93C-0003939e0af6</id>
  <entry>
    <title>Atom-Powered Robots Run Amok</title><link href="http://example.org/2003/12/13/atom03"/>
    <id>urn:uuid:1225c695-cfb8-4ebb-aaaa-80da344efa6a</id><updated>2003-12-13T18:30:02Z</updated><summary>Some text.</summary>
  </entry>
</feed>"""
EXTENSIVE = b"""<?xml version="1.0" encoding="utf-8"?>
<feed xmlns="http://www.w3.org/2005/Atom"><title type="text">dive into mark</title><updated>2005-07-31T12:29:29Z</updated>
  <id>tag:example.org,2003:3</id>
  <entry>
    <title>Atom draft-07 snapshot</title>
    <link rel="alternate" type="text/html" href="http://example.org/2005/04/02/atom"/>
    <link rel="enclosure" type="audio/mpeg" length="1337" href="http://example.org/audio/ph34r_my_podcast.mp3"/>
    <id>tag:example.org,2003:3.2397</id><updated>2005-07-31T12:29:29Z</updated><published>2003-12-13T08:29:29-04:00</published>
    <author><name>Mark Pilgrim</name></author>
    <content type="xhtml" xml:lang="en"><div xmlns="http://www.w3.org/1999/xhtml"><p><i>[Update: The Atom draft is finished.]</i></p></div></content>
  </entry>
</feed>"""
RSS = b"""<rss version="2.0"><channel><title>Organs</title><item><title>Leather</title><link>https://w.example/leather</link>
  <pubDate>Sat, 07 Sep 2002 00:00:01 GMT</pubDate><category>bellows</category><description>&lt;p&gt;Thin.&lt;/p&gt;&lt;script&gt;x()&lt;/script&gt;</description></item></channel></rss>"""
JSON_FEED = b"""{"version": "https://jsonfeed.org/version/1.1", "title": "My Example Feed", "home_page_url": "https://example.org/",
 "feed_url": "https://example.org/feed.json", "items": [
 {"id": "2", "content_text": "This is a second item.", "url": "https://example.org/second-item"},
 {"id": "1", "content_html": "<p>Hello, world!</p>", "url": "https://example.org/initial-post", "tags": ["a"], "date_published": "2010-02-07T14:04:00-05:00"}]}"""
OPML = b"""<?xml version="1.0" encoding="ISO-8859-1"?><opml version="2.0"><head><title>mySubscriptions.opml</title></head><body>
 <outline text="News"><outline text="Site One" type="rss" htmlUrl="http://one.example/" xmlUrl="http://one.example/rss.xml" category="/Tech/Web,Own"/>
 <outline text="Deep"><outline text="Site Two" type="link" url="http://two.example/"/></outline></outline>
 <outline text="no address"/></body></opml>"""
BOOKMARKS = b"""<!DOCTYPE NETSCAPE-Bookmark-file-1>
<META HTTP-EQUIV="Content-Type" CONTENT="text/html; charset=UTF-8"><TITLE>Bookmarks</TITLE><H1>Bookmarks</H1>
<DL><p>
    <DT><H3 ADD_DATE="1134000000">Workshop</H3>
    <DL><p>
        <DT><A HREF="https://w.example/glue" ADD_DATE="1134000000" TAGS="glue,hide">Glue &amp; size</A>
        <DD>Warm, and not too much.
        <DT><A HREF="javascript:alert(1)">no page</A>
    </DL><p>
    <DT><A HREF="https://w.example/top">At the top</A>
</DL><p>"""


def test_atom():
    [entry] = read(BRIEF)
    at = datetime(2003, 12, 13, 18, 30, 2, tzinfo=UTC)
    assert entry == Link("http://example.org/2003/12/13/atom03", "Atom-Powered Robots Run Amok", at, (), "Some text.", "")
    [entry] = read(EXTENSIVE)
    assert (entry.address, entry.author) == ("http://example.org/2005/04/02/atom", "Mark Pilgrim")
    assert (
        entry.at == datetime(2003, 12, 13, 12, 29, 29, tzinfo=UTC)
        and "<i>[Update: The Atom draft is finished.]</i>" in entry.text
    )


def test_rss_without_what_is_to_be_run():
    [item] = read(RSS)
    assert (item.title, item.tags, item.at) == ("Leather", ("bellows",), datetime(2002, 9, 7, 0, 0, 1, tzinfo=UTC))
    assert item.text.startswith("<p>Thin.</p>") and "<script" not in item.text


def test_json_feed():
    second, first = read(JSON_FEED)
    assert second == Link("https://example.org/second-item", "", None, (), "This is a second item.")
    assert first.at == datetime(2010, 2, 7, 19, 4, tzinfo=UTC) and first.tags == ("a",) and first.text == "<p>Hello, world!</p>"


def test_a_json_feed_with_parts_of_another_kind_keeps_what_can_be_read():
    wrong = b'{"version": "https://jsonfeed.org/version/1.1", "items": [{"url": "https://x.example/a", "tags": 5, "authors": ["Ada"]}, 7]}'
    assert read(wrong) == [Link("https://x.example/a")]


def test_opml():
    one, two = read(OPML)
    assert one == Link("http://one.example/", "Site One", None, ("News", "Tech/Web", "Own"))
    assert two == Link("http://two.example/", "Site Two", None, ("News", "Deep"))


def test_what_is_no_address_is_left_out():
    assert [link.title for link in read(OPML.replace(b"http://one.example/", b"http://[one.example/"))] == ["Site Two"]


def test_bookmarks():
    glue, top = read(BOOKMARKS)
    assert glue == Link("https://w.example/glue", "Glue & size", datetime(2005, 12, 8, tzinfo=UTC), ("Workshop", "glue", "hide"),
                        "Warm, and not too much.")  # fmt: skip
    assert top.tags == () and top.title == "At the top"


def test_what_is_never_closed_or_nested_without_end_is_read_as_far_as_it_goes():
    half = BOOKMARKS + b"<a href=" * 100_000
    assert read(half)[0].title == "Glue & size"
    assert read(b"<!DOCTYPE NETSCAPE-Bookmark-file-1>" + b"<DL>" * 100_000) == []
    deep = b"<opml version='2.0'><body>" + b"<outline text='a'>" * 3000 + b"</outline>" * 3000 + b"</body></opml>"
    with pytest.raises(Unreadable, match="more than 100 levels deep"):
        read(deep)


BOMB = b"""<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]>"""


@pytest.mark.parametrize(
    "content",
    [b"", b"plain words", b"{}", b'{"version": "9", "items": []}', b"[" * 100_000, b'{"a":' * 100_000, b"<html><p>x</p></html>",
     b"<opml><body>", b"<opml version='2.0'><head/></opml>", BOMB + b"<rss version='2.0'><channel><title>&b;</title></channel></rss>",
     BOMB.replace(b"x [", b"opml [") + b"<opml version='2.0'><body><outline text='&b;' url='http://x.example'/></body></opml>"],
)  # fmt: skip
def test_what_cannot_be_read_is_said(content):
    with pytest.raises(Unreadable) as said:
        read(content)
    assert len(str(said.value)) > 10
