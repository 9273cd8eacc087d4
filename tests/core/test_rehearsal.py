"""The trial grid over a whole workflow, and what must be put right before it is turned on."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.checking import check
from kelvix.core.context import Context, SourceWords
from kelvix.core.documents import check_shape
from kelvix.core.feel import Env
from kelvix.core.feel import tree as t
from kelvix.core.lines.add import Add
from kelvix.core.lines.only_if import OnlyIf
from kelvix.core.lines.shape import Shape, fields_of
from kelvix.core.rehearsal import rehearse
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.steps import carried_from_item
from kelvix.core.workflow import BadDocument, Condition, FieldFilling, Filled, Formula, Part, Reference, Shaped, When, Workflow

SOURCE = (
    CarriedField("subject", ("Message", "Subject"), "text"),
    CarriedField("date", ("Message", "Date"), "datetime"),
    CarriedField("attachment_count", ("Message", "Attachments"), "number"),
)
TARGET = Database(1, "Enquiries", (Field(11, "Name", "text", True), Field(12, "Source", "link"), Field(13, "Mail", "email")))
CONTEXT = Context(
    SOURCE,
    {1: TARGET},
    Env(datetime(2026, 11, 25, 9, tzinfo=UTC), ZoneInfo("Europe/London")),
    words=SourceWords("folder", "messages", ("attachment_count", "attachment", "attachments")),
)
WHEN = When("w", connection=1, container="5", container_name="Enquiries")
ONLY = OnlyIf("o", "any", (Condition(Reference("w", "subject"), "mentions", ("quote",)),))
ADD = Add("a", 1, (FieldFilling(11, (Part(ref=Reference("w", "subject")),)),))
WHOLE = Workflow((WHEN, ONLY, ADD))
QUOTE = {"subject": "Quote, please", "date": "2026-11-23T17:02:00Z", "attachment_count": "1"}


def states(workflow, item, context=CONTEXT):
    return [c.state for c in rehearse(workflow, item, context)]


def test_a_sample_goes_through_or_is_passed_by():
    assert states(WHOLE, QUOTE) == ["in", "goes_on", "fits"]
    assert states(WHOLE, {"subject": "Newsletter"}) == ["in", "passed_by", "not_reached"]
    assert rehearse(WHOLE, QUOTE, CONTEXT)[0].note == "1 attachment"


def test_empty_absent_and_unreadable_are_told_apart():
    """What could not be read stops each line that uses it, and is never taken for empty."""
    broken = {"subject": "Quote, please", "date": "yesterday", "attachment_count": None}
    carried = carried_from_item(Workflow((WHEN,)), CONTEXT, broken)
    assert carried.values == {Reference("w", "subject"): "Quote, please", Reference("w", "attachment_count"): None}
    assert list(carried.unreadable) == [Reference("w", "date")]
    late = OnlyIf("o", "all", (Condition(Reference("w", "date"), "empty"),))
    cell = rehearse(Workflow((WHEN, late, ADD)), broken, CONTEXT)[1]
    assert cell.state == "put_right" and "Message › Date can’t be read in this item: “yesterday”" in cell.note
    filled = replace(ADD, fillings=(FieldFilling(11, (Part(ref=Reference("w", "date")),)),))
    assert "can’t be read" in rehearse(Workflow((WHEN, filled)), broken, CONTEXT)[1].results[0].sentence
    assert states(WHOLE, broken) == ["in", "goes_on", "fits"]  # nothing here uses it
    assert states(Workflow((WHEN, late, ADD)), {"subject": "Quote, please"}) == ["in", "goes_on", "fits"]


def test_a_list_becomes_labels():
    target = Database(1, "Articles", (Field(11, "Name", "text", True), Field(14, "Tags", "labels", grows=True)))
    split = t.dump(t.Call(t.Name("split"), (t.Value("w", "subject"), t.String(r",\s*"))))
    shape = Shape("s", (Shaped("k", "Topics", Filled((Part(formula=Formula(split)),))),))
    add = Add("a", 1, (*ADD.fillings, FieldFilling(14, (Part(ref=Reference("s", "k")),))))
    context = replace(CONTEXT, databases={1: target})
    cells = rehearse(Workflow((WHEN, shape, add)), {"subject": "Leather, Reeds, leather"}, context)
    assert cells[1].parts[0].value == ("Leather", "Reeds", "leather")
    assert cells[2].results[1].value == ("Leather", "Reeds")
    assert fields_of(shape, carried_from_item(Workflow((WHEN,)), CONTEXT, {}))[0].type == "labels"


def test_a_line_that_is_not_right_says_what():
    cell = rehearse(WHOLE, {"subject": ""}, CONTEXT)[-1]
    assert cell.state == "not_reached"
    bare = rehearse(Workflow((WHEN, ADD)), {"subject": None}, CONTEXT)[-1]
    assert bare.state == "put_right" and "Name is required" in bare.note


def test_a_later_line_sees_what_a_rehearsed_add_would_yield():
    second = Add(
        "b",
        1,
        (
            FieldFilling(11, (Part(text="See "), Part(ref=Reference("a", "title")))),
            FieldFilling(12, (Part(ref=Reference("a", "link")),)),
        ),
    )
    cell = rehearse(Workflow((WHEN, ADD, second)), QUOTE, CONTEXT)[-1]
    assert {r.field: r.value for r in cell.results} == {11: "See Quote, please", 12: "http://127.0.0.1/databases/1/provisional"}


def test_a_workflow_that_is_ready_has_no_findings():
    assert check(WHOLE, CONTEXT) == []


@pytest.mark.parametrize(
    ("workflow", "context", "said"),
    [
        (Workflow((replace(WHEN, container=None), ADD)), CONTEXT, "choose a connection and a folder"),
        (Workflow((WHEN,)), CONTEXT, "does nothing yet"),
        (Workflow((WHEN, OnlyIf("o"), ADD)), CONTEXT, "has no condition"),
        (Workflow((WHEN, Add("a"))), CONTEXT, "choose a database"),
        (WHOLE, replace(CONTEXT, databases={}), "was deleted"),
        (Workflow((WHEN, Add("a", 1))), CONTEXT, "Name is required"),
        (
            Workflow((WHEN, replace(ADD, fillings=(*ADD.fillings, FieldFilling(77, (Part(text="x"),)))))),
            CONTEXT,
            "no longer has the field",
        ),
        (
            Workflow((WHEN, replace(ADD, fillings=(*ADD.fillings, FieldFilling(13, (Part(ref=Reference("w", "date")),)))))),
            CONTEXT,
            "takes an email address",
        ),
        (
            Workflow((WHEN, replace(ADD, fillings=(FieldFilling(11, (Part(ref=Reference("z", "q")),)),)))),
            CONTEXT,
            "not available",
        ),
        (
            Workflow((WHEN, OnlyIf("o", "all", (Condition(Reference("w", "x"), "is", ("y",)),)), ADD)),
            CONTEXT,
            "no longer available",
        ),
    ],
)
def test_findings(workflow, context, said):
    assert any(said in f.sentence for f in check(workflow, context)), check(workflow, context)


@pytest.mark.parametrize(
    ("workflow", "said"),
    [
        (Workflow(()), "begins with a When line"),
        (Workflow((ADD,)), "begins with a When line"),
        (Workflow((WHEN, replace(WHEN, id="w2"))), "one When line"),
        (Workflow((WHEN, replace(ADD, id="w"))), "a unique id"),
        (Workflow((WHEN, Add("a", 1, (FieldFilling(11, ()), FieldFilling(11, ()))))), "only once"),
        (Workflow((WHEN, Add("a", 1, (FieldFilling(11, (Part(),)),)))), "typed text, a carried value or a formula"),
        (Workflow((WHEN, *(Add(f"a{n}") for n in range(100)))), "at most 100 lines"),
    ],
)
def test_a_document_that_contradicts_itself_is_refused(workflow, said):
    with pytest.raises(BadDocument) as caught:
        check_shape(workflow)
    assert said in str(caught.value)


def test_an_item_is_told_of_in_the_words_of_its_app():
    with_words = replace(CONTEXT, words=SourceWords("shelf", "volumes", ("attachment_count", "plate", "plates")))
    told = [rehearse(WHOLE, QUOTE | {"attachment_count": n}, with_words)[0].note for n in ("1", "2", "0", None)]
    assert told == ["1 plate", "2 plates", "", ""]
    [finding] = check(Workflow((When("w"), *WHOLE.lines[1:])), with_words)
    assert finding.sentence == "choose a connection and a shelf"
