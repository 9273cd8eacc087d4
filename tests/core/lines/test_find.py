"""Find lines: what is asked for a sample, what the answer carries on, what is put right."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.backcast import Backcast
from kelvix.core.cells import Answer
from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.documents import check_shape
from kelvix.core.feel import Env, read, write
from kelvix.core.fields import TYPES
from kelvix.core.finding import Question
from kelvix.core.known import scope_of
from kelvix.core.lines.add import Add
from kelvix.core.lines.find import Find
from kelvix.core.naming import remember_names, without_names
from kelvix.core.operators import OPERATORS
from kelvix.core.query import Comparison
from kelvix.core.rehearsal import carried_to, rehearse
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import Choice, as_text
from kelvix.core.workflow import BadDocument, FieldFilling, Part, Reference, Sought, When, Workflow

NOW = datetime(2026, 11, 25, 9, tzinfo=UTC)
SOURCE = (CarriedField("subject", ("Message", "Subject"), "text"), CarriedField("address", ("Message", "Address"), "email"))
PARISHES = Database(
    7,
    "Parishes",
    (
        Field(1, "Name", "text", True),
        Field(2, "Address", "email"),
        Field(3, "Deanery", "choice", False, (Choice("1", "North"), Choice("2", "South"))),
        Field(4, "Kept", "labels", False, (Choice("1", "Reeds"), Choice("2", "Leather"))),
        Field(5, "Last visit", "date"),
        Field(6, "Kind", "choice", False, (Choice("1", "Church"),), grows=True),
    ),
)
TARGET = Database(8, "Enquiries", (Field(11, "Name", "text", True),))
RECORD = {1: "St Bride", 2: "ada@stbride.example", 3: "2", 4: ("1", "2"), 5: date(2026, 5, 1)}
ITEM = {"subject": "Quote, please", "address": "ada@stbride.example"}
WHEN = When("w", connection=1, container="5")
BY_ADDRESS = Sought(2, "is", (Part(ref=Reference("w", "address")),), "Address")
FIND = Find("f", 7, "all", (BY_ADDRESS,))
ADD = Add("a", 8, (FieldFilling(11, (Part(ref=Reference("f", "f_1")),)),))
FLOW = Workflow((WHEN, FIND, ADD))


def context(count: int = 1, record=RECORD, asked: list | None = None) -> Context:
    def find(question: Question) -> Answer:
        if asked is not None:
            asked.append(question)
        return Answer(count, 33 if count else None, record if count else {}, NOW)

    return Context(SOURCE, {7: PARISHES, 8: TARGET}, Env(NOW, ZoneInfo("Europe/London")), find)


def cell(line: Find, item=ITEM, about: Context | None = None):
    return rehearse(Workflow((WHEN, line, ADD)), item, about or context())[1]


def test_what_is_found_is_carried_on():
    asked: list[Question] = []
    cells = rehearse(FLOW, ITEM, context(asked=asked))
    assert asked == [Question(7, "all", (Comparison(2, "is", "ada@stbride.example"),), "newest")]
    assert (cells[1].state, cells[1].note, cells[1].answer.at) == ("found", "1 found: St Bride", NOW)
    assert cells[2].results[0].value == "St Bride"
    carried = carried_to(FLOW, "a", ITEM, context())
    values = {ref.value: v for ref, v in carried.values.items() if ref.line == "f"}
    assert values["found"] is True and values["count"] == Decimal(1) and values["link"].endswith("/databases/7/33")
    assert values["f_3"] == "South" and values["f_4"] == ("Reeds", "Leather") and values["f_5"] == date(2026, 5, 1)


def test_formulas_name_what_is_found():
    scope = scope_of(FLOW, context(), "a")
    node = read('if Is there one then Deanery + " deanery" else "unknown"', scope)
    assert "Is there one" in write(node, scope)


def test_none_is_an_answer():
    none = context(0)
    assert [c.state for c in rehearse(FLOW, ITEM, none)] == ["in", "found_none", "put_right"]  # a name must be filled
    stops = replace(FIND, none="stop")
    assert [c.state for c in rehearse(Workflow((WHEN, stops, ADD)), ITEM, none)] == ["in", "passed_by", "not_reached"]
    assert carried_to(FLOW, "a", ITEM, none).values[Reference("f", "found")] is False


def test_several_are_never_settled_silently():
    assert cell(FIND, about=context(3)).note == "3 found; the newest: St Bride"
    stopped = cell(replace(FIND, several="stop"), about=context(3))
    assert stopped.state == "put_right" and "3 match, one allowed" in stopped.note
    assert cell(FIND, about=context(101)).note.startswith("100 or more found")
    asked: list[Question] = []
    cell(replace(FIND, several="oldest"), about=context(2, asked=asked))
    assert asked[0].take == "oldest"


def test_what_is_empty_finds_nothing_and_asks_nothing():
    asked: list[Question] = []
    found = cell(FIND, {"subject": "Quote"}, context(asked=asked))
    assert (found.state, asked) == ("found_none", []) and "is empty in this item" in found.parts[0].sentence
    either = replace(FIND, mode="any", sought=(BY_ADDRESS, Sought(1, "is", (Part(ref=Reference("w", "subject")),))))
    assert cell(either, {"subject": "Quote"}, context(asked=asked)).state == "found"
    assert asked[0].compared == (Comparison(1, "is", "Quote"),), "what is empty is left out of “any”"


def test_what_is_still_being_read_is_said():
    reading = replace(context(), find=lambda _: None)
    assert [c.state for c in rehearse(FLOW, ITEM, reading)] == ["in", "waiting", "waiting"], "a name is not missing yet"
    assert cell(FIND, about=reading).state == "waiting"
    assert carried_to(FLOW, "a", ITEM, reading).values[Reference("f", "f_1")] is None


COMPARED = [
    (Sought(3, "is", (Part(text="south"),)), Comparison(3, "is", "2")),
    (Sought(4, "has", (Part(text="LEATHER"),)), Comparison(4, "has", "2")),
    (Sought(5, "before", (Part(text="1 Jun 2026"),)), Comparison(5, "before", date(2026, 6, 1))),
    (Sought(5, "empty"), Comparison(5, "empty", None)),
    (Sought(6, "is_not", (Part(text="Unheard of"),)), Comparison(6, "is_not", "")),
    (Sought(1, "begins", (Part(text="St "), Part(text="B"))), Comparison(1, "begins", "St B")),
]


@pytest.mark.parametrize(("sought", "compared"), COMPARED)
def test_values_are_compared_as_the_field_keeps_them(sought, compared):
    asked: list[Question] = []
    cell(Find("f", 7, "all", (sought,)), about=context(asked=asked))
    assert asked[0].compared == (compared,)


WRONG = [
    (Find("f"), "unready", "choose a database"),
    (Find("f", 99), "put_right", "was deleted"),
    (Find("f", 7), "unready", "choose a field to compare"),
    (Find("f", 7, "all", (Sought(3, "is", (Part(text="West"),)),)), "put_right", "“West” is not one of the choices"),
    (Find("f", 7, "all", (Sought(1, "has", (Part(text="x"),)),)), "put_right", "“has” does not go with Name"),
    (Find("f", 7, "all", (Sought(4, "is", (Part(text="Reeds"),)),)), "put_right", "“is” does not go with Kept"),
    (Find("f", 7, "all", (Sought(66, "is", (Part(text="x"),), "Parish"),)), "put_right", "no longer has the field “Parish”"),
]


@pytest.mark.parametrize(("line", "state", "said"), WRONG)
def test_what_is_wrong_is_said_in_the_cell_and_before_turning_on(line, state, said):
    found = cell(line)
    assert found.state == state and said in found.note
    findings = check(Workflow((WHEN, line, Add("a", 8, (FieldFilling(11, (Part(text="x"),)),)))), context())
    assert bool(findings) == ("“West”" not in said), "what a sample gives is not known before"


def test_a_deleted_field_is_said_with_the_nearest_that_remains():
    lost = Find("f", 7, "all", (BY_ADDRESS, Sought(66, "is", (Part(text="St Bride"),), "Parish name")))
    (finding,) = check(Workflow((WHEN, lost, ADD)), context())
    assert finding.key == "1" and "no longer has the field “Parish name”" in finding.sentence
    near, away = finding.remedies
    assert near.label == "Compare Name" and near.sought[1] == Sought(1, "is", (Part(text="St Bride"),), "Name")
    assert away.sought == (BY_ADDRESS,)


def test_unfinished_comparisons_are_found_before_turning_on():
    def sentences(*sought: Sought) -> list[str]:
        return [f.sentence for f in check(Workflow((WHEN, Find("f", 7, "all", sought), ADD)), context())]

    assert sentences(Sought(1, "is")) == ["enter a value to compare Name with"]
    assert sentences(Sought(1, "more", (Part(text="x"),))) == ["“is more than” does not go with Name"]
    gone = Sought(1, "is", (Part(ref=Reference("x", "y")),))
    assert sentences(gone) == ["Name is compared with a value that is not available here"]


def test_names_are_remembered_and_mean_nothing():
    bare = Find("f", 7, "all", (replace(BY_ADDRESS, named=""),))
    first = remember_names(Workflow((WHEN,)), Workflow((WHEN, bare)), {7: PARISHES})
    assert first.lines[1].sought[0].named == "Address"
    renamed = replace(PARISHES, fields=tuple(replace(f, name="E-mail") if f.id == 2 else f for f in PARISHES.fields))
    assert remember_names(first, Workflow((WHEN, bare)), {7: renamed}).lines[1].sought[0].named == "Address"
    assert without_names(first) == without_names(Workflow((WHEN, bare)))


def test_a_line_compares_so_many_fields_and_no_more():
    with pytest.raises(BadDocument, match="at most 20 fields"):
        check_shape(Workflow((WHEN, Find("f", 7, "all", (BY_ADDRESS,) * 21))))
    with pytest.raises(BadDocument, match="a part of a filling"):
        check_shape(Workflow((WHEN, Find("f", 7, "all", (Sought(1, "is", (Part(),)),)))))


def test_every_type_has_its_comparisons():
    assert all(t.operators and set(t.operators) <= set(OPERATORS) for t in TYPES.values())
    assert as_text(cell(FIND).parts[0].value, ZoneInfo("UTC")) == "ada@stbride.example"


def test_a_choice_that_is_new_is_in_no_record():
    asked: list[Question] = []
    found = cell(Find("f", 7, "all", (Sought(6, "is", (Part(text="Unheard of"),)),)), about=context(asked=asked))
    assert (found.state, asked, found.parts[0].sentence) == ("found_none", [], "no record has this choice yet")


def test_a_backcast_counts_several_as_one_kind():
    counts = Backcast(Workflow((WHEN, replace(FIND, several="stop"), ADD)), context(3))
    counts.take("1", "one", ITEM)
    counts.context = context(4)
    counts.take("2", "two", ITEM)
    assert [(o.count, o.sentence) for o in counts.counted()] == [(2, "several match, one allowed")]
