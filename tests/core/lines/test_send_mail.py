"""Send a mail lines: who gets which mail, and how its table reads."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime
from email import message_from_bytes, policy
from xml.etree import ElementTree as ET
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.cells import Answer
from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.documents import check_shape
from kelvix.core.feel import Env
from kelvix.core.lines.find import Find
from kelvix.core.lines.send_mail import SendMail, recipients
from kelvix.core.rehearsal import rehearse, rehearse_whole
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import Unfit
from kelvix.core.workflow import BadDocument, Part, Reference, Sought, When, Workflow
from kelvix.formats import mail_text
from kelvix.practice.apps.mail import compose

SOURCE = (CarriedField("subject", ("Message", "Subject"), "text"), CarriedField("from", ("Message", "From"), "text"))
TASKS = Database(7, "Tasks", (Field(1, "Name", "text", True), Field(2, "Due", "date"), Field(3, "Address", "email")))
RECORDS = (
    (31, {1: "Reeds", 2: date(2026, 12, 1), 3: "ivo@works.example"}),
    (32, {1: "Leather", 2: None, 3: "tamsin@works.example"}),
    (33, {1: "Bellows", 2: date(2026, 11, 28), 3: "Ivo@works.example"}),
    (34, {1: "Nobody’s", 2: None, 3: None}),
)
NOW = datetime(2026, 11, 25, 9, tzinfo=UTC)
CONTEXT = Context(
    SOURCE,
    {7: TASKS},
    Env(NOW, ZoneInfo("Europe/London")),
    lambda _: Answer(len(RECORDS), 31, RECORDS[0][1], NOW, RECORDS),
)
WHEN = When("w", connection=1, container="5")
FIND = Find("f", 7, "all", (Sought(1, "filled"),), several="all")


def text(words: str) -> tuple[Part, ...]:
    return (Part(text=words),)


MAIL = SendMail(
    "m", 1, text("ada@stbride.example"), (Part(ref=Reference("w", "subject")),), (text("Good morning."), text("Yours"))
)
TABLE = replace(MAIL, rows=Reference("f", "records"), columns=("f_1", "f_2"))
ITEM = {"subject": "This week"}


def cell(*lines, item=ITEM):
    return rehearse(Workflow((WHEN, *lines)), item, CONTEXT)[-1]


@pytest.mark.parametrize(
    "given, found",
    [
        ("ada@x.example", ("ada@x.example",)),
        ("Ada Pell <ada@x.example>; bo@x.example", ("ada@x.example", "bo@x.example")),
        ("ada@x.example,\nADA@X.EXAMPLE , ,bo@x.example", ("ada@x.example", "bo@x.example")),
    ],
)
def test_recipients_are_read_from_a_text(given, found):
    assert recipients(given) == found


@pytest.mark.parametrize(
    "given, said", [("", "no recipients in this item"), ("Ada Pell", "not an email"), ("a@x.example, bo", "“bo”")]
)
def test_what_is_no_address_is_said(given, said):
    with pytest.raises(Unfit, match=said):
        recipients(given)
    with pytest.raises(Unfit, match="51 recipients"):
        recipients(",".join(f"a{n}@x.example" for n in range(51)))


def test_a_mail_is_previewed_and_carries_on_what_was_sent():
    whole = rehearse_whole(Workflow((WHEN, MAIL)), ITEM, CONTEXT)
    found = whole.cells[-1]
    assert (found.state, found.note) == ("fits", "1 email: to ada@stbride.example")
    [mail] = found.would.mails
    assert (mail.subject, mail.text, mail.rows) == ("This week", "Good morning.\n\nYours", ())
    assert whole.values[Reference("m", "count")] == 1 and whole.values[Reference("m", "to")] == "ada@stbride.example"


def test_records_are_laid_out_as_a_table():
    [mail] = cell(FIND, TABLE).would.mails
    assert mail.heads == ("Name", "Due")
    assert mail.rows[:2] == (("Reeds", "1 Dec 2026"), ("Leather", "")) and len(mail.rows) == 4


def test_each_recipient_gets_a_mail_of_their_own_with_their_own_rows():
    found = cell(FIND, replace(TABLE, split="f_3", to=()))
    assert [(m.to, [r[0] for r in m.rows]) for m in found.would.mails] == [
        (("ivo@works.example",), ["Reeds", "Bellows"]),
        (("tamsin@works.example",), ["Leather"]),
    ]
    assert found.note == "2 emails: This week; one row has no address" and found.doubts == 1


def test_what_cannot_be_sent_is_said():
    assert cell(replace(MAIL, connection=None)).state == "unready"
    assert cell(MAIL, item={}).note == "the subject is empty in this item"
    assert "not an email" in cell(replace(MAIL, to=text("Ada"))).note
    assert "no longer available" in cell(TABLE).note


def test_what_is_unfinished_is_said():
    def said(line: SendMail) -> set[str | None]:
        return {f.key for f in check(Workflow((WHEN, FIND, line)), CONTEXT) if f.line == "m"}

    assert not said(MAIL) and not said(TABLE) and not said(replace(TABLE, to=(), split="f_3"))
    assert said(SendMail("m")) == {None, "to", "subject"}
    assert said(replace(TABLE, split="f_9")) == {"rows"} and said(replace(TABLE, rows=Reference("x", "records"))) == {"rows"}
    gone = (Part(ref=Reference("w", "gone")),)
    assert said(replace(MAIL, paragraphs=(text("a"), gone))) == {"p1"}
    with pytest.raises(BadDocument):
        check_shape(Workflow((WHEN, replace(MAIL, paragraphs=(text("x"),) * 51))))


# How it goes out


def test_a_table_stands_in_columns_in_plain_text():
    assert mail_text.plain("Due:", ("Name", "Due"), (("Reeds", "1 Dec"), ("A very long name " * 4, ""))) == (
        "Due:\n\n"
        "Name                                      Due\n"
        "----------------------------------------  -----\n"
        "Reeds                                     1 Dec\n"
        "A very long name A very long name A ver…"
    )
    assert mail_text.plain("Only text", ("Name",), ()) == "Only text"


def test_what_is_carried_never_becomes_markup():
    html = mail_text.html("a <b>bold</b> & line\nnext\n\nsecond", ("<i>",), (("<script>alert(1)</script>",),))
    assert "<b>" not in html and "<script>" not in html and "&lt;script&gt;" in html
    root = ET.fromstring(html.replace("<br>", "<br/>"))
    assert [p.text for p in root.findall("p")] == ["a <b>bold</b> & line", "second"]


def test_both_forms_travel_in_one_message():
    """RFC 2046, 5.1.4: alternatives in one multipart, the plainest first; read by the standard library."""
    source = compose("Orla <o@works.example>", "ada@x.example", "Hello", "plain", html="<p>rich</p>")
    message = message_from_bytes(source, policy=policy.default)
    assert message.get_content_type() == "multipart/alternative"
    assert [p.get_content_type() for p in message.iter_parts()] == ["text/plain", "text/html"]
    with pytest.raises(ValueError):
        compose("Orla <o@works.example>", "ada@x.example", "Hello\nBcc: all@x.example", "plain")
