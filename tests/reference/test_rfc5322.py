"""Mail messages against the examples of the standards: RFC 5322 appendix A, RFC 2047 section 8, RFC 2231 section 4, RFC 6532.

The texts of the examples are the standards' own, as remembered; where a standard gives the decoded form, it is asserted.
"""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from kelvix.formats.rfc5322 import Address, parse

A_1_1 = b"""From: John Doe <jdoe@machine.example>
To: Mary Smith <mary@example.net>
Subject: Saying Hello
Date: Fri, 21 Nov 1997 09:55:06 -0600
Message-ID: <1234@local.machine.example>

This is a message just to say hello.
So, "Hello".
"""

A_1_2 = b"""From: "Joe Q. Public" <john.q.public@example.com>
To: Mary Smith <mary@x.test>, jdoe@example.org, Who? <one@y.test>
Cc: <boss@nil.test>, "Giant; \\"Big\\" Box" <sysservices@example.net>
Date: Tue, 1 Jul 2003 10:52:37 +0200
Message-ID: <5678.21-Nov-1997@example.com>

Hi everyone.
"""

A_1_3 = b"""From: Pete <pete@silly.example>
To: A Group:Ed Jones <joe@where.test>,John <jdoe@one.test>;
Cc: Undisclosed recipients:;
Date: Thu, 13 Feb 1969 23:32:54 -0330
Message-ID: <testabcd.1234@silly.example>

Testing.
"""

A_2 = b"""From: Mary Smith <mary@example.net>
To: John Doe <jdoe@machine.example>
Reply-To: "Mary Smith: Personal Account" <smith@home.example>
Subject: Re: Saying Hello
Date: Fri, 21 Nov 1997 10:01:10 -0600
Message-ID: <3456@example.net>
In-Reply-To: <1234@local.machine.example>
References: <1234@local.machine.example>

This is a reply to your hello.
"""

A_5 = b"""From: Pete(A nice \\) chap) <pete(his account)@silly.test(his host)>
To:A Group(Some people)
     :Chris Jones <c@(Chris's host.)public.example>,
         joe@example.org,
  John <jdoe@one.test> (my dear friend); (the end of the group)
Cc:(Empty list)(start)Hidden recipients  :(nobody(that I know))  ;
Date: Thu,
      13
        Feb
          1969
      23:32
               -0330 (Newfoundland Time)
Message-ID:              <testabcd.1234@silly.test>

Testing.
"""

A_6_2 = b"""From: Joe Q. Public <john.q.public@example.com>
To: Mary Smith <@node.test:mary@example.net>, , jdoe@test  . example
Date: Tue, 1 Jul 2003 10:52:37 +0200
Message-ID: <5678.21-Nov-1997@example.com>

Hi everyone.
"""


def test_a_1_1_addresses_date_and_text():
    found = parse(A_1_1)
    assert found.sender == Address("John Doe", "jdoe@machine.example")
    assert found.to == (Address("Mary Smith", "mary@example.net"),)
    assert found.subject == "Saying Hello"
    assert found.date == datetime(1997, 11, 21, 15, 55, 6, tzinfo=UTC)
    assert found.message_id == "<1234@local.machine.example>"
    assert found.text == 'This is a message just to say hello.\nSo, "Hello".'
    assert found.problems == ()


def test_a_1_2_different_kinds_of_mailboxes():
    found = parse(A_1_2)
    assert found.sender == Address("Joe Q. Public", "john.q.public@example.com")
    assert found.to == (Address("Mary Smith", "mary@x.test"), Address("", "jdoe@example.org"), Address("Who?", "one@y.test"))
    assert found.cc == (Address("", "boss@nil.test"), Address('Giant; "Big" Box', "sysservices@example.net"))


def test_a_1_3_groups():
    found = parse(A_1_3)
    assert found.to == (Address("Ed Jones", "joe@where.test"), Address("John", "jdoe@one.test"))
    assert found.cc == ()


def test_a_2_replies():
    assert parse(A_2).in_reply_to == "<1234@local.machine.example>"


def test_a_5_white_space_and_comments():
    found = parse(A_5)
    assert found.sender == Address("Pete", "pete@silly.test")
    assert [a.address for a in found.to] == ["c@public.example", "joe@example.org", "jdoe@one.test"]
    assert found.cc == ()
    assert found.message_id == "<testabcd.1234@silly.test>"


def test_a_6_2_obsolete_routes_and_white_space():
    found = parse(A_6_2)
    assert found.to[0] == Address("Mary Smith", "mary@example.net")
    assert found.sender.address == "john.q.public@example.com"


# RFC 2047, section 8: the encoded form and what is displayed.
ENCODED = [
    ("=?ISO-8859-1?Q?a?=", "a"),
    ("=?ISO-8859-1?Q?a?= b", "a b"),
    ("=?ISO-8859-1?Q?a?= =?ISO-8859-1?Q?b?=", "ab"),
    ("=?ISO-8859-1?Q?a?=  =?ISO-8859-1?Q?b?=", "ab"),
    ("=?ISO-8859-1?Q?a?=\r\n =?ISO-8859-1?Q?b?=", "ab"),
    ("=?ISO-8859-1?Q?a_b?=", "a b"),
    ("=?ISO-8859-1?Q?a?= =?ISO-8859-2?Q?_b?=", "a b"),
    (
        "=?ISO-8859-1?B?SWYgeW91IGNhbiByZWFkIHRoaXMgeW8=?=\r\n =?ISO-8859-2?B?dSB1bmRlcnN0YW5kIHRoZSBleGFtcGxlLg==?=",
        "If you can read this you understand the example.",
    ),
]


@pytest.mark.parametrize(("encoded", "shown"), ENCODED)
def test_rfc_2047_encoded_words(encoded, shown):
    assert parse(f"Subject: {encoded}\r\n\r\n".encode()).subject == shown


@pytest.mark.parametrize(
    ("header", "name", "address"),
    [
        ("=?US-ASCII?Q?Keith_Moore?= <moore@cs.utk.edu>", "Keith Moore", "moore@cs.utk.edu"),
        ("=?ISO-8859-1?Q?Keld_J=F8rn_Simonsen?= <keld@dkuug.dk>", "Keld Jørn Simonsen", "keld@dkuug.dk"),
        ("=?ISO-8859-1?Q?Andr=E9?= Pirard <PIRARD@vm1.ulg.ac.be>", "André Pirard", "PIRARD@vm1.ulg.ac.be"),
        ("=?ISO-8859-1?Q?Olle_J=E4rnefors?= <ojarnef@admin.kth.se>", "Olle Järnefors", "ojarnef@admin.kth.se"),
        ("=?ISO-8859-1?Q?Patrik_F=E4ltstr=F6m?= <paf@nada.kth.se>", "Patrik Fältström", "paf@nada.kth.se"),
    ],
)
def test_rfc_2047_names(header, name, address):
    assert parse(f"From: {header}\r\n\r\n".encode()).sender == Address(name, address)


def test_rfc_2231_file_names_in_pieces_and_charsets():
    source = (
        b"MIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=x\r\n\r\n--x\r\nContent-Type: text/plain\r\n\r\nhello\r\n--x\r\n"
        b"Content-Type: application/x-stuff\r\nContent-Disposition: attachment;\r\n filename*0*=us-ascii'en'This%20is%20even%20more%20;\r\n"
        b' filename*1*=%2A%2A%2Afun%2A%2A%2A%20;\r\n filename*2="isn\'t it!"\r\n\r\nabc\r\n--x--\r\n'
    )
    [attachment] = parse(source).attachments
    assert attachment.name == "This is even more ***fun*** isn't it!"
    assert attachment.size == 3


def test_rfc_6532_utf_8_headers_as_they_stand():
    assert parse("Subject: Εκτίμηση\r\nFrom: Ελένη <eleni@ionio.example>\r\n\r\nκαλημέρα".encode()).subject == "Εκτίμηση"
