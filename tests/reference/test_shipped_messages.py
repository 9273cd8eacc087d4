"""The messages of CPython's own e-mail test data (Debian's libpython3.11-testsuite), against what CPython's test_email.py expects of
them, and against the standard library's own reading of each."""

from __future__ import annotations

from email import message_from_bytes, policy
from pathlib import Path

import pytest

from kelvix.formats.rfc5322 import parse, parts

DATA = Path("/usr/lib/python3.11/test/test_email/data")
NAMES = sorted(p.name for p in DATA.glob("msg_*.txt"))


def of(name: str):
    return parse((DATA / f"msg_{name}.txt").read_bytes())


def test_names_of_attachments():
    """test_get_filename, test_get_filename_with_name_parameter; test_double_boundary: three parts, not four."""
    assert [a.name for a in of("04").attachments] == ["msg.txt", "msg.txt"] == [a.name for a in of("44").attachments]
    assert [a.name for a in of("07").attachments] == ["dingusfish.gif"]
    assert [a.type for a in of("37").attachments] == ["text/x-one", "text/x-two", "text/x-two"]


def test_parts_of_parts():
    """test_nested_inner_contains_outer_boundary: four texts, none of them lost; test_mime_attachments_in_constructor's mail."""
    text = of("38").text
    assert "Unlike the test test_nested-multiples" in text and not of("38").attachments
    assert (
        "a simple kind of mirror"
        in parts((DATA / "msg_04.txt").read_bytes(), (of("04").attachments[0].index,)).popitem()[1].decode()
    )


@pytest.mark.parametrize(
    ("name", "text", "attached"),
    [
        ("15", "Some removed test.", []),  # test_invalid_content_type's neighbour: a message whose boundary is missing
        ("17", "This is the dingus fish.", []),
        # its boundary stands nowhere in it; what it names by another is there all the same
        ("25", "This is a MIME-encapsulated message", ["text/rfc822-headers"]),
        ("31", "message 1", []),  # test_no_start_boundary: the payload is its text
        ("35", "counter to RFC 2822, there's no separating newline here", []),  # test_missing_header_body_separator
        ("41", "Blah blah blah", []),  # test_missing_start_boundary's sibling
    ],
)
def test_what_is_not_well_formed_loses_no_text_and_says_so(name, text, attached):
    found = of(name)
    assert text in found.text and [a.type for a in found.attachments] == attached
    assert "doesn’t quite follow" in found.problems[0]


def test_the_null_sender_has_no_address():
    """msg_43.txt comes from “MAILER DAEMON <>” (RFC 5321, 4.5.5: notifications have a null return path)."""
    assert (of("43").sender.name, of("43").sender.address) == ("MAILER DAEMON", "")


@pytest.mark.parametrize("name", NAMES)
def test_each_reads_as_the_standard_library_reads_it(name):
    source = (DATA / name).read_bytes()
    theirs, ours = message_from_bytes(source, policy=policy.default), parse(source)
    assert ours.subject == " ".join(str(theirs["subject"] or "").split())
    assert ours.message_id == " ".join(str(theirs["message-id"] or "").split())
    if getattr(theirs["from"], "addresses", ()):
        sender = theirs["from"].addresses[0]
        assert (ours.sender.name, ours.sender.address) == (sender.display_name, sender.addr_spec.removeprefix("<>"))
    if theirs["date"] and getattr(theirs["date"], "datetime", None):
        at = theirs["date"].datetime
        assert ours.date and ours.date.replace(tzinfo=None) == (at - (at.utcoffset() or at - at)).replace(tzinfo=None)
    named = [p.get_filename() for p in theirs.walk() if not p.is_multipart() and p.get_filename()]
    assert [a.name for a in ours.attachments if not a.name.startswith("attachment-")] == named
