"""Files of messages, against the standard library's own writer and reader of mbox (mailbox.mbox), and RFC 4155's separator line."""

from __future__ import annotations

import mailbox
from email.message import EmailMessage
from io import BytesIO

import pytest

from kelvix.formats import rfc5322
from kelvix.formats.mailbox_files import Unreadable, messages


def message(subject, text):
    made = EmailMessage()
    made["From"], made["To"], made["Subject"] = "Ada Pell <ada@st.example>", "works@works.example", subject
    made.set_content(text)
    return made


MESSAGES = [
    message("First", "Good morning.\n"),
    message("Zweite – ü", "From here on, it leaks.\nFrom there too.\n"),
    message("Last", "\n\nBye\n"),
]


def test_an_mbox_as_the_standard_library_writes_it(tmp_path):
    box = mailbox.mbox(tmp_path / "box")
    for one in MESSAGES:
        box.add(one)
    box.close()
    found = [rfc5322.parse(source) for source in messages((tmp_path / "box").open("rb"))]
    assert [m.subject for m in found] == ["First", "Zweite – ü", "Last"]
    assert found[1].text == "From here on, it leaks.\nFrom there too.", "a line that begins like a separator is none"
    assert [m["Subject"] for m in mailbox.mbox(tmp_path / "box")] == [
        m["Subject"] for m in map(_again, messages((tmp_path / "box").open("rb")))
    ]


def _again(source):
    return mailbox.mboxMessage(source)


def test_one_message():
    [source] = messages(BytesIO(MESSAGES[0].as_bytes()))
    assert source == MESSAGES[0].as_bytes()


@pytest.mark.parametrize("content", [b"", b"\n\n", b"plain words", b"\x00\x01\x02", b"PK\x03\x04zip"])
def test_what_is_neither_is_said(content):
    with pytest.raises(Unreadable):
        list(messages(BytesIO(content)))


def test_a_message_that_is_too_large_ends_it():
    large = b"From a@b.example Sat Jan  3 01:05:34 2026\n" + b"Subject: x\n\n" + b"x" * 1000 + b"\n"
    found = messages(BytesIO(large + b"y" * (81 << 20)))  # one line: it is not read to its end
    with pytest.raises(Unreadable, match="larger than 40 MB"):
        list(found)
