"""Shape lines: what they make, of which types, and the patterns that contradict themselves."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.feel import Env, read
from kelvix.core.feel import tree as t
from kelvix.core.known import scope_of, trees_of
from kelvix.core.lines.add import Add
from kelvix.core.lines.shape import Shape
from kelvix.core.rehearsal import rehearse
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.shaping import as_formula, corrected, doubts, shape, type_of
from kelvix.core.steps import carried_from_item as carried_of
from kelvix.core.steps import step
from kelvix.core.values import Unfit
from kelvix.core.workflow import (
    Cite,
    DatePart,
    Default,
    FieldFilling,
    Filled,
    Formula,
    Join,
    LookUp,
    Part,
    Piece,
    Reference,
    Shaped,
    TableRow,
    When,
    Workflow,
)

HERE = Env(datetime(2026, 11, 25, 9, tzinfo=UTC), ZoneInfo("Europe/London"))
SOURCE = (
    CarriedField("subject", ("Message", "Subject"), "text"),
    CarriedField("from", ("Message", "Sender"), "text"),
    CarriedField("date", ("Message", "Date"), "datetime"),
    CarriedField("cc", ("Message", "Cc"), "text"),
    CarriedField("size", ("Message", "Size"), "number"),
)
ITEM = {
    "subject": "Urgent / St Bride / Reeds",
    "from": "Pell, Ada; Root, Bo",
    "date": "2026-07-23T17:02:00Z",
    "cc": None,
    "size": "3",
}
TARGET = Database(1, "Diary", (Field(11, "Name", "text", True), Field(12, "Day", "date"), Field(13, "Time", "text")))
CONTEXT = Context(SOURCE, {1: TARGET}, HERE)
WHEN = When("w", connection=1, container="5")


def ref(key: str, line: str = "w") -> Reference:
    return Reference(line, key)


def made(making) -> object:
    shaped = Shaped("k", "Made", making)
    carried = carried_of(Workflow((WHEN,)), CONTEXT, ITEM)
    return shape(shaped, type_of(shaped, dict(carried.types)), carried, HERE)


def formula(text: str) -> Formula:
    return Formula(t.dump(read(text, scope_of(Workflow((WHEN,)), CONTEXT))))


@pytest.mark.parametrize(
    ("making", "gives", "type_"),
    [
        (DatePart(ref("date"), ""), datetime(2026, 7, 23).date(), "date"),
        (DatePart(ref("date"), "HH:mm"), "18:02", "text"),  # on the workspace's clock, in summer time
        (Piece(ref("subject"), "/", 2), "St Bride", "text"),
        (Piece(ref("subject"), "/", -1), "Reeds", "text"),
        (Piece(ref("subject"), "/", 9), None, "text"),
        (LookUp(ref("cc"), (TableRow("urgent", "1"),), "3"), 3, "number"),
        (LookUp(ref("cc"), (TableRow("urgent", "high"),), ""), None, "text"),
        (Join((ref("subject"), ref("cc"), ref("date")), " | "), "Urgent / St Bride / Reeds | 23 Jul 2026, 18:02", "text"),
        (Default((ref("cc"), ref("subject")), ""), "Urgent / St Bride / Reeds", "text"),
        (Default((ref("cc"),), "nobody"), "nobody", "text"),
        (Default((ref("size"),), ""), 3, "number"),
        (Cite(ref("from"), ref("date"), ref("subject")), "Pell and Root 2026, Urgent / St Bride / Reeds", "text"),
        (Filled((Part(text="To "), Part(ref=ref("subject")))), "To Urgent / St Bride / Reeds", "text"),
        (Filled((Part(formula=formula("Size * 2")),)), 6, "number"),
        (Filled((Part(formula=formula('Date + duration("P3D")')),)), datetime(2026, 7, 26, 17, 2, tzinfo=UTC), "datetime"),
        (Filled((Part(formula=formula("[Size, 1]")),)), "3, 1", "text"),
    ],
    ids=lambda x: type(x).__name__,
)
def test_what_is_made(making, gives, type_):
    assert made(making) == gives
    assert type_of(Shaped("k", "Made", making), dict(carried_of(Workflow((WHEN,)), CONTEXT, ITEM).types)) == type_


@pytest.mark.parametrize(
    ("making", "sentence"),
    [
        (DatePart(None, "HH"), "choose a value"),
        (LookUp(ref("subject"), (), "x"), "add at least one row"),
        (Join((), ","), "choose the values to join"),
        (Default((), ""), "choose a value"),
        (Cite(ref("from"), None), "choose a value"),
        (Filled((Part(formula=Formula(text="Size *")),)), "has an error"),
        (Piece(ref("size"), ",", 1), "text must be a text"),
        (DatePart(ref("size"), "HH"), "value must be"),
    ],
)  # fmt: skip
def test_what_cannot_be_made_says_why(making, sentence):
    with pytest.raises(Unfit, match=sentence):
        made(making)


@pytest.mark.parametrize(
    ("making"),
    [
        Piece(ref("subject"), "/", -1),
        DatePart(ref("date"), "d MMM"),
        Join((ref("subject"), ref("cc")), ", "),
        Default((ref("cc"),), "x"),
    ],
)
def test_a_making_turned_into_a_formula_gives_the_same(making):
    assert made(as_formula(making)) == made(making)


# Unicode Technical Standard 35, part 4, table 8: which letter is which field
@pytest.mark.parametrize(
    ("pattern", "meant", "said"),
    [
        ("HH:mm a", "hh:mm a", "AM and PM"),
        ("h:mm", "H:mm", "without AM and PM"),
        ("HH:MM", "HH:mm", "M is the month"),
        ("d MMM YYYY", "d MMM yyyy", "Y is the week's year"),
        ("dd/mm/yyyy", "dd/MM/yyyy", "m is the minute"),
        ("DD MMMM y", "dd MMMM y", "day of the year"),
        ("HH 'h' MM 'Y' a", None, ""),
    ],
)
def test_contradictory_patterns_are_doubted_and_corrected(pattern, meant, said):
    found = doubts(pattern)
    assert found
    if meant:
        assert found[0].pattern == meant and said in found[0].sentence


SOUND = ["HH:mm", "h:mm a", "d MMM y", "EEEE d MMMM y, HH:mm:ss", "'Year' y", "w 'of' Y", "D", "ss.SSS", "h 'o''clock' a"]


def test_a_pattern_with_several_contradictions_is_corrected_in_one():
    assert corrected("HH:MM a") == "hh:mm a" and corrected("dd/mm/YYYY") == "dd/MM/yyyy"


@pytest.mark.parametrize("pattern", SOUND)
def test_sound_patterns_are_not_doubted(pattern):
    assert doubts(pattern) == ()


def test_a_date_and_a_time_of_one_timestamp_reach_two_fields():
    line = Shape("s", (Shaped("d", "Day", DatePart(ref("date"), "")), Shaped("t", "Time", DatePart(ref("date"), "HH:mm"))))
    add = Add(
        "a",
        1,
        tuple(FieldFilling(f, (Part(ref=r),)) for f, r in ((11, ref("subject")), (12, ref("d", "s")), (13, ref("t", "s")))),
    )
    cells = rehearse(Workflow((WHEN, line, add)), ITEM, CONTEXT)
    assert [c.state for c in cells] == ["in", "fits", "fits"] and cells[1].note == "2 values"
    assert [str(r.value) for r in cells[2].results] == ["Urgent / St Bride / Reeds", "2026-07-23", "18:02"]
    assert check(Workflow((WHEN, line, add)), CONTEXT) == []


def test_a_value_can_use_those_before_it_on_the_same_line():
    first = Shaped("p", "Parish", Piece(ref("subject"), "/", 2))
    second = Shaped("q", "Greeting", Filled((Part(text="Dear "), Part(ref=ref("p", "s")))))
    cell, below = step(Shape("s", (first, second)), carried_of(Workflow((WHEN,)), CONTEXT, ITEM), CONTEXT)
    assert below.values[ref("q", "s")] == "Dear St Bride" and cell.state == "fits"


def test_a_doubtful_pattern_offers_the_corrected_one_with_its_result():
    line = Shape("s", (Shaped("t", "Time", DatePart(ref("date"), "HH:mm a")),))
    cell, _ = step(line, carried_of(Workflow((WHEN,)), CONTEXT, ITEM), CONTEXT)
    (result,) = cell.parts
    assert result.state == "look" and cell.doubts == 1
    assert result.remedies[0].label == "hh:mm a, which gives 06:02 pm"
    better = replace(line, values=(result.remedies[0].shaped,))
    assert step(better, carried_of(Workflow((WHEN,)), CONTEXT, ITEM), CONTEXT)[0].parts[0].state == "fits"


def test_what_is_unfinished_is_found_before_turning_on():
    def sentences(*values):
        return [
            f.sentence
            for f in check(Workflow((WHEN, Shape("s", values), Add("a", 1, (FieldFilling(11, (Part(text="x"),)),)))), CONTEXT)
        ]

    assert sentences() == ["this line has no value. Add one, or remove the line"]
    assert "this value needs a name" in sentences(Shaped("k", " ", Piece(ref("subject"), "/", 1)))
    assert sentences(Shaped("k", "A", Filled())) == ["fill this value"]
    assert sentences(Shaped("k", "A", Piece(ref("gone"), "/", 1))) == ["this uses a value that is not available here"]
    assert sentences(Shaped("k", "A", Filled((Part(formula=Formula(text="1 +")),)))) == ["this formula has an error"]


def test_the_formulas_of_a_workflow_are_found_in_all_its_lines():
    one, two = formula("Size + 1"), formula("Size + 2")
    shape_line = Shape("s", (Shaped("k", "A", Filled((Part(formula=one),))),))
    add = Add("a", 1, (FieldFilling(11, (Part(text="x"), Part(formula=two))),))
    assert trees_of(Workflow((WHEN, shape_line, add))) == [one.tree, two.tree]


def test_names_below_a_line_cannot_be_used_on_it():
    flow = Workflow((WHEN, Add("a", 1), Shape("s", (Shaped("k", "Later", Piece(ref("subject"), "/", 1)),))))
    with pytest.raises(ValueError, match="no value named “Later”"):
        read("Later", scope_of(flow, CONTEXT, "a"))
    assert read("Later", scope_of(flow, CONTEXT)) == t.Value("s", "k")
