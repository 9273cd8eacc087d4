"""Lines that change a database: what they would write for a sample, beside what is there."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.cells import Answer
from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.documents import check_shape
from kelvix.core.feel import Env
from kelvix.core.finding import Question
from kelvix.core.lines.add import Add
from kelvix.core.lines.add_or_update import AddOrUpdate
from kelvix.core.lines.delete import Delete
from kelvix.core.lines.find import Find
from kelvix.core.lines.update import Update
from kelvix.core.naming import remember_names
from kelvix.core.query import Comparison
from kelvix.core.rehearsal import carried_to, rehearse
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import Choice
from kelvix.core.workflow import BadDocument, FieldFilling, Part, Reference, Sought, When, Workflow
from kelvix.core.writing import changed, written

NOW = datetime(2026, 11, 25, 9, tzinfo=UTC)
SOURCE = tuple(CarriedField(k, ("Message", k.title()), "text") for k in ("subject", "address", "stage"))
STAGES = (Choice("1", "New"), Choice("2", "Closed"))
PARISHES = Database(
    7,
    "Parishes",
    (Field(1, "Name", "text", True), Field(2, "Address", "email"), Field(3, "Stage", "choice", False, STAGES)),
)
RECORD = {1: "St Bride", 2: "ada@stbride.example", 3: "1"}
ITEM = {"subject": "St Bride", "address": "ada@stbride.example", "stage": "closed"}
WHEN = When("w", connection=1, container="5")


def ref(key: str) -> tuple[Part, ...]:
    return (Part(ref=Reference("w", key)),)


FIND = Find("f", 7, "all", (Sought(2, "is", ref("address")),))
NAME, ADDRESS, STAGE = FieldFilling(1, ref("subject")), FieldFilling(2, ref("address")), FieldFilling(3, ref("stage"))
UPDATE = Update("u", "f", (STAGE,))
KEEP = AddOrUpdate("k", 7, (2,), (NAME, ADDRESS, STAGE))


def context(count: int = 1, asked: list | None = None) -> Context:
    def find(question: Question) -> Answer:
        if asked is not None:
            asked.append(question)
        return Answer(count, 33 if count else None, RECORD if count else {}, NOW)

    return Context(SOURCE, {7: PARISHES}, Env(NOW, ZoneInfo("Europe/London")), find)


def last(*lines, item=ITEM, about: Context | None = None):
    return rehearse(Workflow((WHEN, *lines)), item, about or context())[-1]


def said(cell) -> dict[int, tuple[str, str]]:
    return {r.field: (r.state, r.sentence) for r in cell.results}


def test_an_update_says_what_changes_and_what_stays():
    cell = last(FIND, replace(UPDATE, fillings=(NAME, STAGE)))
    assert (cell.state, cell.note) == ("fits", "1 field changes: St Bride")
    assert said(cell) == {1: ("fits", "unchanged"), 3: ("fits", "was New")}
    carried = carried_to(Workflow((WHEN, FIND, UPDATE, Add("a", 7))), "a", ITEM, context())
    held = carried.records["u"]
    assert (held.record, held.values[3], held.values[1]) == (33, "2", "St Bride")
    assert changed(cell.results, carried.records["f"]) == {3: "2"}


def test_each_field_says_what_an_empty_value_does():
    """A rule of the product: unsaid, it leaves what is there."""
    empty = {"subject": "", "address": "ada@stbride.example", "stage": None}
    left = last(FIND, UPDATE, item=empty)
    assert said(left)[3] == ("empty", "is empty in this item; the current value is kept") and written(left.results) == {}
    clears = replace(UPDATE, fillings=(replace(STAGE, empty="clear"),))
    cleared = last(FIND, clears, item=empty)
    assert written(cleared.results) == {3: None} and "the value is cleared" in said(cleared)[3][1]
    must = last(FIND, replace(UPDATE, fillings=(replace(NAME, empty="clear"),)), item=empty)
    assert must.state == "put_right" and "Name is required and can’t be cleared" in must.note
    keeps = last(FIND, replace(UPDATE, fillings=(NAME,)), item=empty)
    assert keeps.state == "fits" and keeps.note == "no changes: St Bride"


def test_nothing_found_is_nothing_to_update_or_delete():
    none = context(0)
    assert (last(FIND, UPDATE, about=none).state, last(FIND, UPDATE, about=none).note) == ("found_none", "no record to update")
    assert last(FIND, Delete("d", "f"), about=none).note == "no record to delete"
    assert last(FIND, Delete("d", "f")).note == "to the trash: St Bride"
    assert last(FIND, Delete("d", "f"), replace(UPDATE)).state == "found_none", "what is in the trash is not updated"


def test_a_record_that_was_just_added_can_be_updated():
    cell = last(Add("a", 7, (NAME, ADDRESS)), Update("u", "a", (STAGE,)))
    assert (cell.note, said(cell)) == ("1 field changes: St Bride", {3: ("fits", "was empty")})


def test_one_record_is_kept_for_each_thing():
    asked: list[Question] = []
    new = last(KEEP, about=context(0, asked))
    assert asked == [Question(7, "all", (Comparison(2, "is", "ada@stbride.example"),), "oldest")]
    assert (new.state, new.note) == ("fits", "adds a record: 3 fields")
    there = last(KEEP)
    assert there.note == "1 field changes: St Bride" and said(there)[2] == ("fits", "unchanged")
    both = replace(KEEP, by=(1, 2))
    last(both, about=context(1, asked))
    assert asked[-1].compared == (Comparison(1, "is", "St Bride"), Comparison(2, "is", "ada@stbride.example"))
    for count, is_new in ((0, True), (1, False)):
        carried = carried_to(Workflow((WHEN, KEEP, Add("a", 7))), "a", ITEM, context(count))
        assert carried.values[Reference("k", "is_new")] is is_new and carried.records["k"].there


def test_several_that_match_are_never_settled_silently():
    stopped = last(KEEP, about=context(3))
    assert stopped.state == "put_right" and "3 records match" in stopped.note
    assert last(replace(KEEP, several="all"), about=context(3)).note == "updates 3 records"


def test_what_must_be_filled_must_be_so_only_in_a_new_record():
    nameless = {"address": "ada@stbride.example", "stage": "closed"}
    assert last(KEEP, item=nameless).state == "fits"
    assert last(KEEP, item=nameless, about=context(0)).state == "put_right"


def test_a_record_is_not_recognised_by_nothing():
    cell = last(KEEP, item={"subject": "St Bride"})
    assert cell.state == "put_right" and "matched by Address, which is empty" in cell.note
    wrong = last(KEEP, item=ITEM | {"address": "nobody"})
    assert wrong.state == "put_right" and "not an email address" in wrong.note
    assert last(KEEP, about=replace(context(), find=lambda _: None)).state == "waiting"


WRONG = [
    (Update("x"), "choose a record to update"),
    (Update("x", "nowhere", (STAGE,)), "was deleted or moved below"),
    (Update("x", "f"), "fill at least one field"),
    (Delete("x"), "choose a record to delete"),
    (AddOrUpdate("x"), "choose a database to add to, or update in"),
    (AddOrUpdate("x", 99), "was deleted. Choose another"),
    (AddOrUpdate("x", 7, (), (NAME,)), "choose a field to match records by"),
    (AddOrUpdate("x", 7, (99,), (NAME,)), "choose a field to match records by"),
    (AddOrUpdate("x", 7, (2,), (NAME,)), "matched by Address: fill it"),
    (Add("x", 7, (NAME, FieldFilling(66, ref("stage"), "Parish"))), "no longer has the field “Parish”"),
    (Update("x", "f", (FieldFilling(66, ref("stage"), "Parish"),)), "no longer has the field “Parish”"),
]


@pytest.mark.parametrize(("line", "sentence"), WRONG)
def test_what_is_unfinished_is_found_before_turning_on(line, sentence):
    found = [f.sentence for f in check(Workflow((WHEN, FIND, line)), context())]
    assert found and sentence in " ".join(found)
    assert rehearse(Workflow((WHEN, FIND, line)), ITEM, context())[-1].state in ("unready", "put_right", "fits")


def test_a_whole_line_is_ready():
    assert check(Workflow((WHEN, FIND, UPDATE, KEEP, Delete("d", "k"))), context()) == []


def test_names_are_remembered_for_all_that_is_filled():
    now = remember_names(Workflow((WHEN,)), Workflow((WHEN, FIND, UPDATE, KEEP)), {7: PARISHES})
    assert now.lines[2].fillings[0].named == "Stage" and now.lines[3].fillings[1].named == "Address"


def test_a_field_is_filled_once():
    with pytest.raises(BadDocument, match="only once"):
        check_shape(Workflow((WHEN, Update("u", "f", (STAGE, STAGE)))))
