"""Filling target fields: what they get, what is wrong, and the one click that puts it right."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.feel import Env
from kelvix.core.filling import Carried, compute, describe, fill_record, never_fits
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import Choice, Unfit, from_wire
from kelvix.core.workflow import Add, FieldFilling, Part, Reference

LONDON = ZoneInfo("Europe/London")
HERE = Env(datetime(2026, 11, 25, 9, tzinfo=UTC), LONDON)
SOURCE = (
    CarriedField("subject", ("Message", "Subject"), "text"),
    CarriedField("sender.name", ("Message", "Sender", "Name"), "text"),
    CarriedField("sender.address", ("Message", "Sender", "Address"), "email"),
    CarriedField("date", ("Message", "Date"), "datetime"),
    CarriedField("cc", ("Message", "Cc"), "text"),
    CarriedField("count", ("Message", "Attachments"), "number"),
)
ITEM = {
    "subject": "Quote for a tremulant",
    "sender.name": "Revd Ada Pell",
    "sender.address": "ada.pell@stbride.example",
    "date": "2026-11-23T17:02:00Z",
    "cc": None,
}
TARGET = Database(
    1,
    "Enquiries",
    (
        Field(11, "Title", "text", required=True),
        Field(12, "Contact name", "text"),
        Field(13, "Mail", "email"),
        Field(14, "Received", "date"),
        Field(15, "Stage", "choice", choices=(Choice("1", "New"),)),
        Field(0, "Text", "long_text"),
    ),
)
CARRIED = Carried({}, {}).plus(
    "w", SOURCE, {k: from_wire(v, next(f.type for f in SOURCE if f.key == k)) for k, v in ITEM.items()}
)


def ref(key: str) -> Part:
    return Part(ref=Reference("w", key))


def line(**fills: tuple[Part, ...]) -> Add:
    names = {"title": 11, "contact": 12, "mail": 13, "received": 14, "stage": 15, "text": 0, "gone": 99}
    return Add("a", 1, tuple(FieldFilling(names[n], parts) for n, parts in fills.items()))


def results(add: Add):
    return {r.field: r for r in fill_record(add, TARGET, CARRIED, HERE)}


def test_a_value_keeps_its_type_and_a_mixture_is_text():
    assert compute((ref("date"),), CARRIED, HERE) == CARRIED.values[Reference("w", "date")]
    assert compute((Part(text="on "), ref("date")), CARRIED, HERE) == "on 23 Nov 2026, 17:02"
    assert compute((ref("cc"), Part(text="  ")), CARRIED, HERE) is None


def test_each_field_gets_what_fills_it():
    found = results(
        line(title=(ref("subject"),), mail=(ref("sender.address"),), received=(ref("date"),), stage=(Part(text="new"),))
    )
    assert {f: r.state for f, r in found.items()} == {11: "fits", 13: "fits", 14: "fits", 15: "fits"}
    assert str(found[14].value) == "2026-11-23" and found[15].value == "1"


def test_a_required_field_that_is_not_filled_is_said_with_an_offer():
    found = results(line(mail=(ref("sender.address"),)))[11]
    assert (found.state, found.sentence) == ("put_right", "Title must be filled")
    empty = results(line(title=(ref("cc"),)))[11]
    assert "is empty in this sample" in empty.sentence


def test_empty_and_absent_are_told_apart():
    assert results(line(title=(ref("subject"),), contact=(ref("cc"),)))[12].sentence == "is empty in this sample"
    assert results(line(title=(ref("subject"),), contact=(ref("count"),)))[12].sentence == "is not in this sample"


def test_a_name_in_an_address_field_offers_the_address():
    found = results(line(title=(ref("subject"),), mail=(ref("sender.name"),)))[13]
    assert found.sentence == "“Revd Ada Pell” is not an e-mail address"
    [remedy] = found.remedies
    assert remedy.label == "use Message › Sender › Address"
    assert remedy.fills == (FieldFilling(13, (ref("sender.address"),)),)


def test_two_fields_filled_the_wrong_way_round_are_swapped_by_one_click():
    found = results(line(title=(ref("subject"),), contact=(ref("sender.address"),), mail=(ref("sender.name"),)))
    assert found[12].state == "look" and "looks like a field for a name" in found[12].sentence
    assert found[13].state == "put_right"
    swapped = (FieldFilling(13, (ref("sender.address"),)), FieldFilling(12, (ref("sender.name"),)))
    assert found[13].remedies[0].label == "swap Mail and Contact name"
    assert found[13].remedies[0].fills == swapped
    assert set(found[12].remedies[0].fills) == set(swapped)


def test_an_address_alone_in_a_name_field_offers_the_name_beside_it():
    found = results(line(title=(ref("subject"),), contact=(ref("sender.address"),)))[12]
    assert found.remedies[0].label == "use Message › Sender › Name"


def test_what_no_longer_exists_is_said():
    found = results(line(title=(ref("subject"),), gone=(ref("subject"),), contact=(ref("not.there"),)))
    assert "no longer has this field" in found[99].sentence
    assert found[99].remedies[0].fills == (FieldFilling(99, ()),)
    assert "no longer carry" in found[12].sentence
    with pytest.raises(Unfit):
        compute((ref("not.there"),), CARRIED, HERE)


def test_types_alone_can_say_that_nothing_will_fit():
    mail = TARGET.fields[2]
    assert never_fits((ref("date"),), mail, CARRIED) == "Mail takes an e-mail address, and Message › Date gives a date and time"
    assert never_fits((ref("sender.name"),), mail, CARRIED) == ""
    assert never_fits((Part(text="x"), ref("date")), mail, CARRIED) == ""


def test_a_filling_in_words():
    assert describe((ref("sender.name"),), CARRIED) == "Message › Sender › Name"
    assert describe((Part(text="From "), ref("sender.name")), CARRIED) == "From [Message › Sender › Name]"
    assert describe((Part(text="New"),), CARRIED) == "“New”, typed"
    assert describe((ref("x"),), CARRIED) == "a value that no longer exists"
