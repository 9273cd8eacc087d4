"""Filling target fields: what they get, what is wrong, and the one click that puts it right."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.feel import FUNCTIONS, Env, Scope, read
from kelvix.core.feel import tree as t
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried, compute, describe, fill_record, never_fits
from kelvix.core.lines.add import Add
from kelvix.core.naming import remember_names
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import Choice, Unfit
from kelvix.core.workflow import FieldFilling, Formula, Part, Reference, Workflow

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
    assert (found.state, found.sentence) == ("put_right", "Title is required")
    empty = results(line(title=(ref("cc"),)))[11]
    assert "is required, but empty in this item" in empty.sentence


def test_empty_and_absent_are_told_apart():
    assert results(line(title=(ref("subject"),), contact=(ref("cc"),)))[12].sentence == "is empty in this item"
    assert results(line(title=(ref("subject"),), contact=(ref("count"),)))[12].sentence == "is missing in this item"


def test_a_name_in_an_address_field_offers_the_address():
    found = results(line(title=(ref("subject"),), mail=(ref("sender.name"),)))[13]
    assert found.sentence == "“Revd Ada Pell” is not an email address"
    [remedy] = found.remedies
    assert remedy.label == "use Message › Sender › Address"
    assert remedy.fills == (FieldFilling(13, (ref("sender.address"),)),)


def test_two_fields_filled_the_wrong_way_round_are_swapped_by_one_click():
    found = results(line(title=(ref("subject"),), contact=(ref("sender.address"),), mail=(ref("sender.name"),)))
    assert found[12].state == "look" and "looks like a name field" in found[12].sentence
    assert found[13].state == "put_right"
    swapped = (FieldFilling(13, (ref("sender.address"),)), FieldFilling(12, (ref("sender.name"),)))
    assert found[13].remedies[0].label == "Swap Mail and Contact name"
    assert found[13].remedies[0].fills == swapped
    assert set(found[12].remedies[0].fills) == set(swapped)


def test_an_address_alone_in_a_name_field_offers_the_name_beside_it():
    found = results(line(title=(ref("subject"),), contact=(ref("sender.address"),)))[12]
    assert found.remedies[0].label == "use Message › Sender › Name"


def test_what_no_longer_exists_is_said():
    found = results(line(title=(ref("subject"),), gone=(ref("subject"),), contact=(ref("not.there"),)))
    assert "no longer has the field" in found[99].sentence
    assert found[99].remedies[-1].fills == (FieldFilling(99, ()),)
    assert "no longer available" in found[12].sentence
    with pytest.raises(Unfit):
        compute((ref("not.there"),), CARRIED, HERE)


def test_types_alone_can_say_that_nothing_will_fit():
    mail = TARGET.fields[2]
    assert never_fits((ref("date"),), mail, CARRIED) == "Mail takes an email address, and Message › Date gives a date and time"
    assert never_fits((ref("sender.name"),), mail, CARRIED) == ""
    assert never_fits((Part(text="x"), ref("date")), mail, CARRIED) == ""


def test_a_filling_in_words():
    assert describe((ref("sender.name"),), CARRIED) == "Message › Sender › Name"
    assert describe((Part(text="From "), ref("sender.name")), CARRIED) == "From [Message › Sender › Name]"
    assert describe((Part(text="New"),), CARRIED) == "“New”, typed"
    assert describe((ref("x"),), CARRIED) == "a deleted value"


def formula(text: str) -> Part:
    scope = Scope.of_carried([(t.Value("w", f.key), f.name) for f in SOURCE], FUNCTIONS.forms)
    return Part(formula=Formula(t.dump(read(text, scope))))


def test_a_formula_fills_a_field_and_keeps_its_type():
    assert compute((formula('Date + duration("P3D")'),), CARRIED, HERE) == datetime(2026, 11, 26, 17, 2, tzinfo=UTC)
    assert (
        compute((Part(text="in "), formula("string length(Subject)"), Part(text=" letters")), CARRIED, HERE) == "in 21 letters"
    )
    found = results(line(title=(formula("upper case(Subject)"),), received=(formula("Date"),)))
    assert found[11].value == "QUOTE FOR A TREMULANT" and str(found[14].value) == "2026-11-23"


def test_a_formula_that_comes_to_nothing_says_why():
    found = results(line(title=(formula("Subject + 1"),)))[11]
    assert found.state == "put_right" and "can’t be added to a text" in found.sentence
    unread = results(line(title=(Part(formula=Formula(text="Subject +")),)))[11]
    assert unread.state == "put_right" and "has an error" in unread.sentence


def test_a_formula_in_words():
    assert describe((formula('Date + duration("P3D")'),), CARRIED) == "Message › Date + 3 days"
    assert describe((formula('Date - duration("P1M")'),), CARRIED) == "Message › Date − 1 month"
    assert describe((formula("Message.Attachments * 2"),), CARRIED) == "Message › Attachments × 2"
    assert describe((formula("upper case(Subject)"),), CARRIED) == "a formula"


def test_types_of_formulas_can_say_that_nothing_will_fit():
    mail = TARGET.fields[2]
    assert "the formula gives a number" in never_fits((formula("string length(Subject)"),), mail, CARRIED)
    assert never_fits((formula("first email(Subject)"),), mail, CARRIED) == ""


def test_a_date_that_can_be_read_two_ways_asks_for_the_order():
    carried = CARRIED.plus("x", (CarriedField("d", ("Row", "Day"), "text"),), {"d": "01/02/2026"})
    add = line(title=(ref("subject"),), received=(Part(ref=Reference("x", "d")),))
    found = {r.field: r for r in fill_record(add, TARGET, carried, HERE)}[14]
    assert found.state == "put_right" and "two different dates" in found.sentence
    assert [r.label for r in found.remedies] == ["day first: 1 Feb 2026", "month first: 2 Jan 2026"]
    mended = Add("a", 1, (add.fillings[0], found.remedies[1].fills[0]))
    assert str({r.field: r for r in fill_record(mended, TARGET, carried, HERE)}[14].value) == "2026-01-02"
    there = Env(HERE.now, LONDON, "en_GB", "DMY")
    assert str({r.field: r for r in fill_record(add, TARGET, carried, there)}[14].value) == "2026-02-01"


def test_the_filling_of_a_deleted_field_can_move_to_the_nearest_that_remains():
    gone = FieldFilling(99, (ref("sender.name"),), "Contact")
    add = Add("a", 1, (FieldFilling(11, (ref("subject"),)), gone))
    found = {r.field: r for r in fill_record(add, TARGET, CARRIED, HERE)}[99]
    assert found.sentence == "Enquiries no longer has the field “Contact”"
    assert found.remedies[0].label == "fill Contact name with it"
    assert found.remedies[0].fills == (FieldFilling(99, ()), FieldFilling(12, gone.filling))


def test_the_name_that_a_field_had_when_it_was_filled_is_remembered():
    add = Add("a", 1, (FieldFilling(12, (ref("sender.name"),)),))
    first = remember_names(Workflow((add,)), Workflow((add,)), {1: TARGET})
    assert first.lines[0].fillings[0].named == "Contact name"
    renamed = {1: replace(TARGET, fields=(*TARGET.fields[:1], replace(TARGET.fields[1], name="Person"), *TARGET.fields[2:]))}
    assert remember_names(first, Workflow((add,)), renamed).lines[0].fillings[0].named == "Contact name"
    anew = Workflow((Add("a", 1, (FieldFilling(12, (ref("subject"),)),)),))
    assert remember_names(first, anew, renamed).lines[0].fillings[0].named == "Person"
    assert remember_names(first, anew, {}).lines[0].fillings[0].named == "Contact name"


@pytest.mark.parametrize(("adds", "offered"), [(True, ["add “Drawing” to Kind"]), (False, [])])
def test_a_choice_that_is_missing_can_be_added_where_the_field_lets_one(adds, offered):
    kind = Field("k", "Kind", "choice", choices=(Choice("1", "Pitch"),), adds_choices=adds)
    to = Database(7, "Sketches", (Field("n", "Name", "text"), kind))
    add = Add("a", 7, (FieldFilling("n", (Part(text="Swell"),)), FieldFilling("k", (Part(text="Drawing"),))))
    found = fill_record(add, to, Carried({}, {}), Env(datetime(2026, 11, 30, tzinfo=UTC), ZoneInfo("UTC")))[1]
    assert found.state == "put_right" and [r.label for r in found.remedies if r.choice] == offered
    assert [r.choice for r in found.remedies if r.choice] == ["Drawing"] * len(offered)
