"""Messages as they come in real life: broken, huge, hostile. Reading never fails, and says what it could not read."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from attacks import computing
from kelvix.formats.html_text import safe_html
from kelvix.formats.rfc5322 import MAX_TEXT, parse, parts


def test_multipart_prefers_plain_text_and_lists_attachments():
    source = (
        b"Subject: x\r\nContent-Type: multipart/mixed; boundary=m\r\n\r\n--m\r\nContent-Type: multipart/alternative; boundary=a\r\n\r\n"
        b"--a\r\nContent-Type: text/plain; charset=utf-8\r\n\r\nplain\r\n--a\r\nContent-Type: text/html\r\n\r\n<b>marked</b>\r\n--a--\r\n"
        b'--m\r\nContent-Type: application/pdf; name="a.pdf"\r\nContent-Transfer-Encoding: base64\r\n\r\nYWJj\r\n--m--\r\n'
    )
    found = parse(source)
    assert found.text == "plain"
    assert found.html == "<b>marked</b>"
    [attached] = found.attachments
    assert (attached.name, attached.type, attached.size) == ("a.pdf", "application/pdf", 3)
    assert parts(source, (attached.index,)).get(attached.index) == b"abc"
    assert parts(source, (0,)).get(0) is None and parts(source, (99,)).get(99) is None


def test_html_alone_becomes_text_in_lines():
    found = parse(b"Content-Type: text/html; charset=utf-8\r\n\r\n<p>One &amp; two</p><p>three<br>four</p><script>x()</script>")
    assert [line.strip() for line in found.text.splitlines() if line.strip()] == ["One & two", "three", "four"]
    assert "script" not in found.html and "x()" not in found.html


@pytest.mark.parametrize(
    ("charset", "body", "text", "problem"),
    [
        ("iso-8859-1", "café".encode("latin-1"), "café", ""),
        ("x-unheard-of", "café".encode(), "café", "unknown encoding"),
        ("utf-8", b"caf\xe9", "caf\ufffd", "could not be decoded"),
        ("shift_jis", "見積もり".encode("shift_jis"), "見積もり", ""),
        ("koi8-r", "Орган".encode("koi8-r"), "Орган", ""),
    ],
)
def test_charsets(charset, body, text, problem):
    found = parse(
        f"Date: Fri, 21 Nov 1997 09:55:06 -0600\r\nContent-Type: text/plain; charset={charset}\r\nContent-Transfer-Encoding: 8bit\r\n\r\n".encode()
        + body
    )
    assert found.text == text
    assert problem in "; ".join(found.problems) and bool(problem) == bool(found.problems)


def test_nul_bytes_and_four_byte_characters_in_a_subject():
    found = parse("Subject: a\0b \N{MUSICAL SYMBOL G CLEF} 😀\r\n\r\nx\0y".encode())
    assert found.subject == "a\ufffdb \N{MUSICAL SYMBOL G CLEF} 😀"
    assert "\0" not in found.text


@pytest.mark.parametrize(
    "source",
    [
        b"",
        b"\r\n",
        b"no headers at all",
        b"Subject: cut in the mid",
        b"From: <<<>>>@@\r\nTo: ,,,;:\r\nDate: the day before yesterday\r\n\r\n",
        b"Content-Type: multipart/mixed; boundary=never\r\n\r\nno boundary comes",
        b"Content-Type: multipart/mixed\r\n\r\n--x\r\n\r\n",
        b"Content-Type: text/plain; charset==?x?=\r\nContent-Transfer-Encoding: base64\r\n\r\n%%%not base64%%%",
        b"Content-Type: text/html\r\n\r\n" + b"<div>" * 5000,
        b"Subject: =?utf-8?B?/////?=\r\nFrom: =?x?Q?y?= <a@b.example>\r\n\r\n\xff\xfe\xfd",
        b"\x00\x01\x02\r\n\r\n\x00",
    ],
)
def test_malformed_messages_are_read_as_far_as_they_go(source):
    found = parse(source)
    assert "\0" not in found.subject + found.text
    assert found.date is None and any("no readable date" in p for p in found.problems)


@given(st.binary(max_size=600))
def test_any_bytes_are_read(source):
    found = parse(source)
    found.text.encode("utf-8")
    found.subject.encode("utf-8")


@given(
    st.lists(
        st.sampled_from(
            [
                b"From: ",
                b"Subject: =?utf-8?Q?",
                b"?=",
                b"\r\n",
                b" <a@b>",
                b"Content-Type: multipart/mixed; boundary=",
                b"--x",
                b"\xff",
                b"(",
                b'"',
                b";",
            ]
        ),
        max_size=30,
    )
)
def test_any_pieces_of_headers_are_read(pieces):
    parse(b"".join(pieces))


def test_a_very_long_text_is_cut_and_says_so():
    found = parse(b"Subject: x\r\n\r\n" + b"long " * 200_000)
    assert len(found.text) == MAX_TEXT
    assert any("was shortened" in p for p in found.problems)


@pytest.mark.parametrize(
    ("header", "kept"),
    [
        ('filename="../../etc/passwd"', "passwd"),
        ("filename*=UTF-8''inv%E2%80%AEoice%20fdp.exe", "invoice fdp.exe"),
        ('filename="..."', "attachment-0"),
        ("", "attachment-0"),
    ],
)
def test_names_of_attachments_are_made_safe(header, kept):
    [attached] = parse(
        f"Content-Type: application/pdf\r\nContent-Disposition: attachment; {header}\r\n\r\nx".encode()
    ).attachments
    assert attached.name == kept


@pytest.mark.parametrize(
    "source",
    [
        "<script>alert(1)</script>",
        "<img src=x onerror=alert(1)>",
        '<a href="javascript:alert(1)">x</a>',
        "<svg><script>1</script></svg>",
        '<p onclick="x()" style="position:fixed">a</p>',
        '<iframe src="//evil.example"></iframe>',
        "<form action=//evil.example><input></form>",
    ],
)
def test_html_that_is_shown_cannot_act(source):
    cleaned = safe_html(source).lower()
    assert not any(word in cleaned for word in ("script", "onerror", "onclick", "iframe", "form", "style=", "<img"))


BROKEN = b"""Subject: Survey\r
Content-Type: multipart/mixed; boundary="this-is-nowhere"\r
\r
--real-one\r
Content-Type: text/plain\r
\r
The survey is attached.\r
--real-one\r
Content-Type: application/pdf\r
Content-Disposition: attachment; filename="survey.pdf"\r
Content-Transfer-Encoding: base64\r
\r
JVBERi0xLjQ=\r
--real-one--\r
"""


def test_an_attachment_behind_a_boundary_that_is_wrong_is_not_lost():
    found = parse(BROKEN)
    assert found.text == "The survey is attached."
    [attached] = found.attachments
    assert (attached.name, attached.size) == ("survey.pdf", 8)
    assert parts(BROKEN, (attached.index,)) == {attached.index: b"%PDF-1.4"}
    unclosed = parse(BROKEN.replace(b"this-is-nowhere", b"real-one").replace(b"--real-one--\r\n", b""))
    assert [a.name for a in unclosed.attachments] == ["survey.pdf"]
    plain = parse(b"Content-Type: multipart/mixed; boundary=never\r\n\r\n-- \r\nContent with dashes\r\n")
    assert "Content with dashes" in plain.text and plain.attachments == ()


@pytest.mark.parametrize(
    ("label", "raw", "expected"),
    [  # WHATWG Encoding, 4.2: what a label is taken for, from memory; the bytes by Python's own codecs
        ("iso-8859-1", b"\x93Orgel\x94 \x80 5", "“Orgel” € 5"),
        ("us-ascii", b"caf\xe9", "café"),
        ("gb2312", "镕基".encode("gb18030"), "镕基"),
        ("ks_c_5601-1987", "뷁".encode("cp949"), "뷁"),
        ("Shift_JIS", "①".encode("cp932"), "①"),
        ("iso-8859-9", b"\x99 \xdd", "™ İ"),
    ],
)
def test_character_sets_are_what_browsers_take_them_for(label, raw, expected):
    found = parse(b"Content-Type: text/plain; charset=" + label.encode() + b"\r\n\r\n" + raw)
    assert found.text == expected and not any("charset" in p or "decoded" in p for p in found.problems)


ATTACKS = {
    "one huge header": b"Subject: " + b"=?utf-8?q?a?= " * 40_000 + b"\r\n\r\nx",
    "a From of brackets": b"From: " + b"(" * 200_000 + b"\r\nSubject: s\r\n\r\nx",
    "a To of quotes": b"To: " + b'"' * 100_000 + b"\r\nSubject: s\r\n\r\nx",
    "a Content-Type of parameters": b"Content-Type: text/plain;" + b" a=b;" * 40_000 + b"\r\nSubject: s\r\n\r\nx",
    "parts in parts": b"Subject: s\r\n"
    + b"".join(b"Content-Type: multipart/mixed; boundary=b%d\r\n\r\n--b%d\r\n" % (n, n) for n in range(1_000))
    + b"\r\nx",
}


@pytest.mark.parametrize("name", ATTACKS)
def test_a_mail_that_is_made_to_hurt_is_taken_in(name):
    """It took minutes, or ended in an error that told its sender to come again for days."""
    with computing(5):
        found = parse(ATTACKS[name])
    assert found.subject and len(found.subject) <= 5000
