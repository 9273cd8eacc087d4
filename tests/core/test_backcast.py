"""Counting what a workflow would have done with past events."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from kelvix.core.backcast import EXAMPLES, Backcast
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.lines.add import Add
from kelvix.core.lines.only_if import OnlyIf
from kelvix.core.lines.shape import Shape
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.workflow import Condition, DatePart, FieldFilling, Part, Reference, Shaped, When, Workflow

SOURCE = (
    CarriedField("subject", ("Message", "Subject"), "text"),
    CarriedField("from", ("Message", "From"), "text"),
    CarriedField("date", ("Message", "Date"), "datetime"),
)
TARGET = Database(
    1, "Enquiries", (Field(11, "Name", "text", True), Field(12, "Mail", "email"), Field(13, "Contact name", "text"))
)
CONTEXT = Context(SOURCE, {1: TARGET}, Env(datetime(2026, 11, 25, tzinfo=UTC), ZoneInfo("Europe/London")))
WHEN = When("w", connection=1, container="5")
ONLY = OnlyIf("o", "all", (Condition(Reference("w", "subject"), "mentions", ("quote",)),))


def fills(*pairs: tuple[int, str]) -> Add:
    return Add("a", 1, tuple(FieldFilling(f, (Part(ref=Reference("w", key)),)) for f, key in pairs))


def cast(workflow: Workflow, *items: dict[str, str]) -> Backcast:
    counts = Backcast(workflow, CONTEXT)
    for n, item in enumerate(items):
        counts.take(str(n), item.get("subject", ""), item)
    return counts


def test_outcomes_are_counted_with_their_newest_items():
    items = [{"subject": f"quote {n}", "from": "a@b.example"} for n in range(8)] + [{"subject": "newsletter"}] * 3
    items += [{"subject": "quote x", "from": "Ada"}, {"subject": "quote y", "from": "Bo"}]
    counts = cast(Workflow((WHEN, ONLY, fills((11, "subject"), (12, "from")))), *items)
    assert [(o.kind, o.line, o.count) for o in counts.counted()] == [
        ("carried", "a", 8),
        ("passed_by", "o", 3),
        ("put_right", "a", 2),
    ]
    assert counts.counted()[2].sentence == "Mail: does not fit"  # one outcome, not one for each value
    assert counts.counted()[0].examples == [(str(n), f"quote {n}") for n in range(EXAMPLES)]
    assert counts.seen == 13


def test_what_is_only_to_look_at_is_an_outcome_of_its_own():
    (found,) = cast(Workflow((WHEN, fills((11, "subject"), (13, "from")))), {"subject": "s", "from": "a@b.example"}).counted()
    assert (found.kind, found.line) == ("look", "a")


def test_a_shape_line_that_cannot_be_carried_out_is_named():
    shape = Shape("s", (Shaped("k", "Time", DatePart(Reference("w", "subject"), "HH")),))
    (found,) = cast(Workflow((WHEN, shape, fills((11, "subject")))), {"subject": "x"}).counted()
    assert (found.kind, found.line) == ("put_right", "s") and "format date" in found.sentence


def test_outcomes_are_bounded():
    counts = Backcast(Workflow((WHEN, fills((11, "subject")))), CONTEXT)
    for n in range(100):
        counts._outcome = lambda _, n=n: ("put_right", "a", f"sentence {n}")  # type: ignore[method-assign]
        counts.take(str(n), "t", {"subject": "x"})
    assert len(counts.outcomes) == 61 and counts.counted()[0].sentence == "other problems" and counts.seen == 100
