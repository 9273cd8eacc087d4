"""Ask lines: what is asked, what is shown, and what an answer carries on."""

from __future__ import annotations

from datetime import UTC, date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.documents import check_shape
from kelvix.core.feel import Env
from kelvix.core.lines import ask
from kelvix.core.lines.add import Add
from kelvix.core.lines.ask import Ask
from kelvix.core.lines.only_if import OnlyIf
from kelvix.core.rehearsal import rehearse, rehearse_whole
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.workflow import BadDocument, Condition, FieldFilling, Filled, Part, Reference, Shaped, When, Workflow

SOURCE = (
    CarriedField("subject", ("Message", "Subject"), "text"),
    CarriedField("sum", ("Message", "Sum"), "number"),
    CarriedField("day", ("Message", "Day"), "date"),
)
ENV = Env(datetime(2026, 11, 25, 9, tzinfo=UTC), ZoneInfo("Europe/London"))
CONTEXT = Context(SOURCE, {7: Database(7, "Tasks", (Field(1, "Name", "text", True),))}, ENV)
WHEN = When("w", connection=1, container="5")


def value(key: str) -> tuple[Part, ...]:
    return (Part(ref=Reference("w", key)),)


ASK = Ask(
    "q",
    (Part(text="Book "), *value("subject"), Part(text="?")),
    (Shaped("k", "Sum", Filled(value("sum"))), Shaped("d", "Day", Filled(value("day")))),
)
ITEM = {"subject": "the loft visit", "sum": "120", "day": "2026-12-01"}


def test_the_question_and_its_values_are_rehearsed():
    cell = rehearse(Workflow((WHEN, ASK)), ITEM, CONTEXT)[-1]
    assert (cell.state, cell.note) == ("asks", "asks: Book the loft visit?")
    assert [(p.key, p.state, p.value) for p in cell.parts] == [("k", "fits", 120), ("d", "fits", date(2026, 12, 1))]
    assert rehearse(Workflow((WHEN, Ask("q"))), ITEM, CONTEXT)[-1].note == "asks: Continue?"


def test_lines_below_are_rehearsed_as_if_it_were_yes():
    below = Add("a", 7, (FieldFilling(1, (Part(ref=Reference("q", "k")),)),))
    only = OnlyIf("o", "all", (Condition(Reference("q", "approved"), "is", ("yes",)),))
    whole = rehearse_whole(Workflow((WHEN, ASK, only, below)), ITEM, CONTEXT)
    assert [c.state for c in whole.cells] == ["in", "asks", "goes_on", "fits"]
    assert whole.cells[-1].results[0].value == "120"


def test_a_value_that_cannot_be_worked_out_is_put_right_first():
    gone = Ask("q", value("subject"), (Shaped("k", "Gone", Filled(value("nothing"))),))
    cell = rehearse(Workflow((WHEN, gone)), ITEM, CONTEXT)[-1]
    assert cell.state == "put_right" and "no longer available" in cell.note


@pytest.mark.parametrize(
    "given, values, wrong",
    [
        ({"k": "130.50"}, {"k": Decimal("130.5")}, {}),
        ({"k": "", "d": "2 Dec 2026"}, {"k": None, "d": date(2026, 12, 2)}, {}),
        ({"k": "much"}, {}, {"k": "“much” is not a number; a number looks like 412.60 or 1,850"}),
        ({"unknown": "1"}, {}, {}),
    ],
)
def test_what_a_person_types_is_read_as_its_type(given, values, wrong):
    assert ask.edited(ASK, given, {"k": "number", "d": "date"}, ENV) == (values, wrong)


def test_what_is_unfinished_is_said():
    def said(line: Ask) -> list[str]:
        return [f.sentence for f in check(Workflow((WHEN, line)), CONTEXT) if f.line == "q"]

    assert said(Ask("q")) == ["enter a question"]
    assert said(Ask("q", value("gone"))) == ["this shows a value that is not available here"]
    assert said(Ask("q", value("subject"), (Shaped("k", " ", Filled(value("sum"))),))) == ["this value needs a name"]
    with pytest.raises(BadDocument):
        check_shape(Workflow((WHEN, Ask("q", shown=(Shaped("k", "A", Filled()), Shaped("k", "B", Filled()))))))
