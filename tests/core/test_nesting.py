"""Decisions and repeats: where lines can stand, what they can use, what a sample does there."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime
from decimal import Decimal
from itertools import count
from zoneinfo import ZoneInfo

import pytest

from kelvix.core import known, nesting
from kelvix.core.backcast import Backcast
from kelvix.core.cells import Answer
from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.documents import check_shape
from kelvix.core.duplicating import duplicated
from kelvix.core.feel import Env, FeelError, read, write
from kelvix.core.feel import tree as t
from kelvix.core.figures import Figure
from kelvix.core.finding import MAX_TAKEN, Question
from kelvix.core.lines.add import Add
from kelvix.core.lines.decide import Decide
from kelvix.core.lines.find import Find
from kelvix.core.lines.only_if import OnlyIf
from kelvix.core.lines.otherwise import Otherwise
from kelvix.core.lines.repeat import MAX_ROUNDS, Repeat
from kelvix.core.lines.stop import Stop
from kelvix.core.lines.update import Update
from kelvix.core.lines.way import Way
from kelvix.core.rehearsal import SHOWN_ROUNDS, carried_to, rehearse_whole
from kelvix.core.schema import CarriedField, CarriedList, Database, Field
from kelvix.core.values import Choice
from kelvix.core.workflow import BadDocument, Condition, FieldFilling, Formula, Part, Reference, Sought, When, Workflow

NOW = datetime(2026, 11, 25, 9, tzinfo=UTC)
SOURCE = (CarriedField("subject", ("Message", "Subject"), "text"), CarriedField("tags", ("Message", "Tags"), "labels"))
FILES = CarriedList("files", ("Message", "Files"), (CarriedField("name", ("File", "Name"), "text"),))
TASKS = Database(
    7,
    "Tasks",
    (
        Field(1, "Name", "text", True),
        Field(2, "Hours", "number"),
        Field(3, "Due", "date"),
        Field(4, "Stage", "choice", False, (Choice("1", "Open"),)),
    ),
)
RECORDS = (
    (31, {1: "Reeds", 2: Decimal("2.5"), 3: date(2026, 12, 1), 4: "1"}),
    (32, {1: "Leather", 2: Decimal("4"), 3: date(2026, 11, 28), 4: None}),
    (33, {1: "Bellows", 2: None, 3: None, 4: "1"}),
)
WHEN = When("w", connection=1, container="5")
ALL = Find("f", 7, "all", (Sought(4, "filled"),), several="all")


def about(records=RECORDS, asked: list | None = None) -> Context:
    def find(question: Question) -> Answer:
        if asked is not None:
            asked.append(question)
        first = records[0] if records else (None, {})
        return Answer(len(records), first[0], first[1], NOW, records)

    return Context(SOURCE, {7: TASKS}, Env(NOW, ZoneInfo("Europe/London")), find, lists=(FILES,))


def ref(line: str, key: str) -> tuple[Part, ...]:
    return (Part(ref=Reference(line, key)),)


def mentions(word: str) -> tuple[Condition, ...]:
    return (Condition(Reference("w", "subject"), "mentions", (word,)),)


def add(id: str, filling: tuple[Part, ...], within: str = "") -> Add:
    return Add(id, 7, (FieldFilling(1, filling),), within)


DECIDE = (
    Decide("d"),
    Way("y", "all", mentions("quote"), "Quote", "d"),
    add("a", ref("w", "subject"), "y"),
    Way("z", "all", mentions("invoice"), "", "d"),
    Otherwise("o", "d"),
    Stop("s", "passed_by", (Part(text="neither"),), "o"),
)
EACH = (Repeat("r", Reference("w", "files"), ref("r", "each.name")), add("a", ref("r", "each.name"), "r"))


def states(item, *lines, context: Context | None = None) -> dict[str, str]:
    return {c.line: c.state for c in rehearse_whole(Workflow((WHEN, *lines)), item, context or about()).cells}


# Where lines can stand


@pytest.mark.parametrize(
    "lines, said",
    [
        ((Way("y"),), "belongs to a Decide line"),
        ((Decide("d"), Otherwise("o", "d"), Way("y", within="d")), "last of a decision"),
        ((Decide("d"), Way("y", within="d")), "ends with an Otherwise line"),
        ((Decide("d"), add("a", (), "d"), Otherwise("o", "d")), "in one of its branches"),
        ((add("a", (), "r"), Repeat("r")), "must follow it"),
        ((Repeat("r"), add("a", ()), add("b", (), "r")), "must follow it"),
        ((add("x", ()), add("a", (), "x")), "must follow it"),
        (tuple(Repeat(f"r{n}", within=f"r{n - 1}" if n else "") for n in range(20)), "levels deep"),
    ],
)
def test_lines_that_stand_where_they_cannot_are_refused(lines, said):
    with pytest.raises(BadDocument, match=said):
        check_shape(Workflow((WHEN, *lines)))


def test_what_stands_above_a_line_is_what_was_carried_out_before_it():
    flow = Workflow((WHEN, *DECIDE, *EACH[:1], replace(EACH[1], id="e"), add("last", ())))
    check_shape(flow)

    def above(line: str) -> str:
        return " ".join(ln.id for ln in nesting.above(flow, line))

    assert above("a") == "w d y" and above("s") == "w d o", "another way's lines are not"
    assert above("e") == "w d r" and above("last") == "w d r"
    assert [ln.id for ln in nesting.descendants(flow, flow.lines[1])] == ["y", "a", "z", "o", "s"]


# Deciding


def test_the_first_way_that_holds_is_taken():
    quote = states({"subject": "A quote and an invoice"}, *DECIDE)
    assert quote == {
        "w": "in",
        "d": "goes_on",
        "y": "taken",
        "a": "fits",
        "z": "not_taken",
        "o": "not_taken",
        "s": "not_reached",
    }
    whole = rehearse_whole(Workflow((WHEN, *DECIDE)), {"subject": "Invoice"}, about())
    assert [c.state for c in whole.cells[2:]] == ["not_taken", "not_reached", "taken", "not_taken", "not_reached"]
    assert whole.values[Reference("d", "way")] == "branch 2" and whole.cells[1].note == "branch 2" and whole.end == "done"


def test_what_stops_the_run_in_a_way_stops_the_whole():
    flow = Workflow((WHEN, *DECIDE, add("last", ref("w", "subject"))))
    whole = rehearse_whole(flow, {"subject": "Hello"}, about())
    assert whole.end == "passed_by" and whole.cells[-1].state == "not_reached"
    assert (whole.cells[-2].state, whole.cells[-2].note) == ("stops", "skipped: neither")
    counts = Backcast(flow, about())
    for n, subject in enumerate(("Hello", "Hello", "Quote")):
        counts.take(str(n), subject, {"subject": subject})
    assert [(o.kind, o.line, o.count) for o in counts.counted()] == [("passed_by", "s", 2), ("carried", "last", 1)]


def test_a_condition_within_a_way_leaves_only_that_way():
    lines = (*DECIDE[:2], OnlyIf("i", "all", mentions("loft"), "y"), *DECIDE[2:], add("last", ref("w", "subject")))
    got = states({"subject": "Quote"}, *lines)
    assert got["i"] == "left" and got["a"] == "not_reached" and got["last"] == "fits"
    assert states({"subject": "Quote for a loft"}, *lines)["a"] == "fits"


def test_a_way_that_cannot_be_decided_keeps_those_below_it_undecided():
    wrong = Way("y", "all", (Condition(Reference("w", "gone"), "filled"),), "", "d")
    got = states({"subject": "Invoice"}, DECIDE[0], wrong, *DECIDE[3:])
    assert got["d"] == got["y"] == "put_right" and got["z"] == "not_taken"
    first = (DECIDE[0], DECIDE[3], wrong, *DECIDE[4:])
    assert states({"subject": "Invoice"}, *first)["z"] == "taken", "above it they are decided all the same"


def test_which_way_was_taken_is_a_value():
    flow = Workflow((WHEN, *DECIDE[:2], *DECIDE[3:5], add("last", ref("d", "way"))))
    assert not check(flow, about())
    [cell] = [c for c in rehearse_whole(flow, {"subject": "quote"}, about()).cells if c.line == "last"]
    assert cell.results[0].value == "Quote"


# Repeating


def test_each_row_is_gone_through_and_what_is_collected_is_carried_on():
    item = {"subject": "x", "files": [{"name": "a.pdf"}, {"name": "b.png"}]}
    whole = rehearse_whole(Workflow((WHEN, *EACH, add("last", ref("r", "collected")))), item, about())
    _, each, inner, last = whole.cells
    assert (each.state, each.note) == ("rounds", "2 times")
    assert (inner.state, inner.round, inner.rounds, inner.results[0].value) == ("fits", 1, 2, "a.pdf")
    assert last.results[0].value == "a.pdf, b.png" and whole.values[Reference("r", "count")] == 2


def test_the_round_that_is_not_right_is_the_one_that_is_shown():
    item = {"subject": "x", "files": [{"name": "a.pdf"}, {"name": None}, {"name": None}]}
    _, each, inner = rehearse_whole(Workflow((WHEN, *EACH)), item, about()).cells
    assert each.note == "3 times, 2 with problems"
    assert (inner.state, inner.round, inner.wrong_rounds) == ("put_right", 2, 2)


def test_of_a_long_list_some_rounds_are_shown_and_all_are_counted():
    item = {"files": [{"name": f"{n}.pdf"} for n in range(100)]}
    whole = rehearse_whole(Workflow((WHEN, *EACH)), item, about())
    assert whole.cells[1].note == "100 times" and whole.values[Reference("r", "count")] == 100
    assert whole.cells[2].rounds == SHOWN_ROUNDS
    too_many = {"files": [{"name": "x"}] * (MAX_ROUNDS + 1)}
    assert "more than the 500" in rehearse_whole(Workflow((WHEN, *EACH)), too_many, about()).cells[1].note


@pytest.mark.parametrize("item, said", [({"files": []}, "empty list"), ({}, "empty list")])
def test_nothing_to_go_through_is_no_fault(item, said):
    _, each, inner = rehearse_whole(Workflow((WHEN, *EACH)), item, about()).cells
    assert (each.state, each.note, inner.state) == ("rounds", said, "not_reached")


def test_rows_that_cannot_be_read_stop_what_goes_through_them():
    _, each, _ = rehearse_whole(Workflow((WHEN, *EACH)), {"files": ["a.pdf"]}, about()).cells
    assert each.state == "put_right" and "can’t be read" in each.note


def test_labels_are_a_list_too_and_repeats_stand_within_repeats():
    outer = Repeat("r", Reference("w", "tags"))
    inner = Repeat("q", Reference("w", "files"), (*ref("r", "each.label"), Part(text="/"), *ref("q", "each.name")), "r")
    deep = add("a", ref("q", "each.name"), "q")
    item = {"tags": ["x", "y"], "files": [{"name": "a"}, {"name": "b"}]}
    flow = Workflow((WHEN, outer, inner, deep))
    assert not check(flow, about())
    whole = rehearse_whole(flow, item, about())
    assert whole.values[Reference("q", "collected")] == ("x/a", "x/b") and whole.cells[-1].state == "fits"


def test_values_of_a_round_are_for_the_lines_within_only():
    flow = Workflow((WHEN, *EACH, add("last", ref("r", "each.name"))))
    assert [f.line for f in check(flow, about())] == ["last"]
    carried = carried_to(flow, "a", {"files": [{"name": "a.pdf"}]}, about())
    assert carried.values[Reference("r", "each.name")] == "a.pdf"
    assert Reference("r", "each.name") not in carried_to(flow, "last", {"files": [{"name": "a.pdf"}]}, about()).fields


def test_formulas_name_only_what_their_line_can_use():
    flow = Workflow((WHEN, *EACH, add("last", ())))
    inside, outside = (known.scope_of(flow, about(), line) for line in ("a", "last"))
    for key, usable, elsewhere in (("each.name", inside, outside), ("collected", outside, inside)):
        text = write(t.Value("r", key), usable)
        assert read(text, usable) == t.Value("r", key)
        with pytest.raises(FeelError):
            read(text, elsewhere)


# All that was found


def test_all_that_is_found_is_asked_for_in_order_and_made_into_figures():
    asked: list[Question] = []
    kinds = ("sum", "average", "least", "greatest", "first", "last")
    figures = (*(Figure(k, k, 2) for k in kinds), Figure("due", "least", 3), Figure("n", "first", 4))
    find = replace(ALL, order=3, descending=True, figures=figures, listed=(1, 2, 3))
    whole = rehearse_whole(Workflow((WHEN, find)), {}, about(asked=asked))
    assert (asked[-1].take, asked[-1].order, asked[-1].descending) == ("all", 3, True)
    got = {r.value: v for r, v in whole.values.items() if r.line == "f"}
    assert [got[k] for k in kinds] == [Decimal(x) for x in ("6.5", "3.25", "2.5", "4", "2.5", "4")]
    assert got["due"] == date(2026, 11, 28) and got["n"] == "Open" and got["count"] == 3
    assert got["text"] == "- Reeds, 2.5, 1 Dec 2026\n- Leather, 4, 28 Nov 2026\n- Bellows"
    assert whole.cells[1].note == "3 found"


def test_of_nothing_found_a_sum_is_nought_and_all_else_is_empty():
    find = replace(ALL, figures=(Figure("s", "sum", 2), Figure("a", "average", 2), Figure("l", "last", 1)))
    whole = rehearse_whole(Workflow((WHEN, find)), {}, about(()))
    got = {r.value: v for r, v in whole.values.items() if r.line == "f"}
    assert (got["s"], got["a"], got["l"], got["text"], got["found"]) == (0, None, None, None, False)


def test_each_record_that_was_found_can_be_changed():
    each = Repeat("r", Reference("f", "records"), ref("r", "each.f_1"))
    update = Update("u", "r", (FieldFilling(2, (Part(text="1"),)),), "r")
    flow = Workflow((WHEN, ALL, each, update))
    assert not check(flow, about())
    cell = rehearse_whole(flow, {}, about()).cells[-1]
    assert (cell.state, cell.note, cell.rounds) == ("fits", "1 field changes: Reeds", 3)


def test_more_than_a_line_takes_is_said():
    many = tuple((n, {1: "x"}) for n in range(MAX_TAKEN + 1))
    assert states({}, ALL, context=about(many))["f"] == "put_right"


def test_a_figure_that_does_not_go_with_its_field_is_said():
    find = replace(ALL, order=99, figures=(Figure("a", "sum", 1), Figure("b", "sum", None), Figure("c", "first", 99)))
    said = [(f.key, f.sentence) for f in check(Workflow((WHEN, find, add("a", ref("w", "subject")))), about())]
    assert said == [
        (None, "Tasks no longer has the field to sort by. Choose another"),
        ("a", "“Sum of” does not go with Name"),
        ("b", "choose a field for this figure"),
        ("c", "the field of this figure was deleted"),
    ]


# What must be put right, and copies


def test_what_is_unfinished_is_said():
    flow = Workflow((WHEN, Decide("d"), Way("y", within="d"), Otherwise("o", "d"), Repeat("r"), Stop("s", "failed")))
    said = {f.line: f.sentence for f in check(flow, about())}
    assert "no condition" in said["y"] and "choose a list" in said["r"] and "enter a reason" in said["s"]
    gone = Repeat("r", Reference("w", "nothing"))
    assert "no longer available" in check(Workflow((WHEN, gone)), about())[0].sentence
    assert "nothing is repeated" in check(Workflow((WHEN, EACH[0])), about())[0].sentence


def test_a_copy_refers_to_itself_where_the_original_does():
    formula = Part(formula=Formula(t.dump(t.Value("r", "each.name"))))
    lines = (EACH[0], Add("a", 7, (FieldFilling(1, (formula,)), FieldFilling(2, ref("w", "subject"))), "r"), add("last", ()))
    ids = count()
    copy, line = duplicated(Workflow((WHEN, *lines)), "r", lambda: f"c{next(ids)}")
    check_shape(copy)
    assert [ln.id for ln in copy.lines] == ["w", "r", "a", "c0", "c1", "last"] and line == "c0"
    _, _, _, each, inner, _ = copy.lines
    assert each.collects == ref("c0", "each.name") and inner.within == "c0"
    assert t.values_in(t.load(inner.fillings[0].filling[0].formula.tree)) == (t.Value("c0", "each.name"),)
    assert inner.fillings[1].filling == ref("w", "subject"), "what stands outside is the same"
    for only in ("w", "nothing"):
        with pytest.raises(BadDocument):
            duplicated(copy, only, lambda: "x")
