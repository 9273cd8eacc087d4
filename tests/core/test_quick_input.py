"""Quick input: which fields a typed line fills, what stays of it as the name, and how a word can go on."""

from __future__ import annotations

from datetime import UTC, date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core.feel import Env
from kelvix.core.proposing import database_for
from kelvix.core.quick_input import by_names, complete, lines_of, understand
from kelvix.core.schema import Database, Field
from kelvix.core.values import Choice

ENV = Env(datetime(2026, 11, 25, 15, 30, tzinfo=UTC), ZoneInfo("Europe/London"))
WHO = (Choice("o", "Orla"), Choice("i", "Ivo"))
ABOUT = (Choice("r", "reeds"), Choice("l", "leather"), Choice("w", "wind chest"))
TASKS = Database(
    1,
    "Workshop tasks",
    (
        Field(1, "Name", "text"),
        Field(2, "Due", "date"),
        Field(3, "Who", "choice", choices=WHO),
        Field(4, "Hours", "number"),
        Field(5, "Done", "yes_no"),
        Field(6, "About", "labels", choices=ABOUT, grows=True),
        Field(7, "Received", "datetime"),
        Field(8, "Page", "link"),
        Field(9, "Address", "email"),
        Field(10, "Asked by", "text"),
        Field(11, "Price", "number"),
        Field(0, "Text", "long_text"),
    ),
)
PEOPLE = ("Ruth Amory",)


def read(line):
    quick = understand(line, TASKS, PEOPLE, ENV)
    return {TASKS.field(f).name: v for f, v in quick.values.items()}, quick


FRIDAY = date(2026, 11, 27)


@pytest.mark.parametrize(
    ("line", "expected"),
    [
        ("Order reed leather", {"Name": "Order reed leather", "About": ("l",)}),
        ("Order hair sheep Friday Ivo 4 h", {"Name": "Order hair sheep", "Due": FRIDAY, "Who": "i", "Hours": Decimal(4)}),
        ("Tune Holm, due Friday 3pm, who: ivo", {"Name": "Tune Holm, 3pm", "Due": FRIDAY, "Who": "i"}),
        ("Ask Orla about the pallets", {"Name": "Ask Orla about the pallets", "Who": "o"}),
        ("@orla call the verger", {"Name": "call the verger", "Who": "o"}),
        ("Re-rack it #reeds #new-one", {"Name": "Re-rack it", "About": ("r", "new-one")}),
        ("The wind chest leaks", {"Name": "The wind chest leaks", "About": ("w",)}),
        ("done: yes hours: 2.5 Patch the bellows", {"Name": "Patch the bellows", "Done": True, "Hours": Decimal("2.5")}),
        ("hours 3 tune the Swell", {"Name": "tune the Swell", "Hours": Decimal(3)}),
        ("Read https://w.example/a?b=1.", {"Name": "Read.", "Page": "https://w.example/a?b=1"}),
        (
            "Write to ada@st.example tomorrow",
            {"Name": "Write to ada@st.example", "Address": "ada@st.example", "Due": date(2026, 11, 26)},
        ),
        ("Asked by Ruth: price of zinc", {"Name": "Asked by Ruth: price of zinc", "Asked by": "Ruth Amory"}),
        ("Order leather for Friday", {"Name": "Order leather", "About": ("l",), "Due": FRIDAY}),
        ("Meet Ivo and Orla", {"Name": "Meet Ivo and Orla", "Who": "i"}),
        ("Meet Ivo and @orla", {"Name": "Meet Ivo and orla", "Who": "o"}),
        ("call ivo", {"Name": "call ivo", "Who": "i"}),
        ("Buy 3 hours of wood", {"Name": "Buy 3 hours of wood", "Hours": Decimal(3)}),
        ("Patch it, hours: 2.5h", {"Name": "Patch it", "Hours": Decimal("2.5")}),
        ("Zinc £412.60 from Holm", {"Name": "Zinc from Holm", "Price": Decimal("412.6")}),
        ("Tune it 4 h at Holm", {"Name": "Tune it at Holm", "Hours": Decimal(4)}),
        ("Ivo and the verger meet", {"Name": "Ivo and the verger meet", "Who": "i"}),
        ("Zinc, price €40", {"Name": "Zinc", "Price": Decimal(40)}),
        ("Second look name: Holm", {"Name": "Second look Holm"}),
        ("Friday", {"Name": "Friday", "Due": FRIDAY}),
        ("received: yesterday a letter", {"Name": "a letter", "Received": datetime(2026, 11, 24, tzinfo=UTC)}),
        ("asked by: the dean", {"Name": "asked by: the dean", "Asked by": "the dean"}),
    ],
)
def test_a_line(line, expected):
    values, quick = read(line)
    assert values == expected and not quick.wrong


@pytest.mark.parametrize("line", ["- glue it", "* glue it", "[ ] glue it", "- [x] glue it", "• glue it"])
def test_the_mark_of_a_list_is_not_of_the_line(line):
    assert lines_of(line, False) == lines_of(line, True) == [("glue it", "")]


def test_each_piece_says_where_it_stands_and_what_it_means():
    line = "Order hair sheep next friday @ivo"
    _, quick = read(line)
    assert [(line[p.start : p.end], TASKS.field(p.field).name, p.said) for p in quick.pieces] == [
        ("next friday", "Due", "4 Dec 2026"),
        ("@ivo", "Who", "Ivo"),
    ]


def test_what_is_named_and_does_not_fit_is_said_and_stays():
    values, quick = read("due: never hours: many x")
    assert "Due" not in values and values["Name"] == "due: never hours: many x"
    assert [w.split(":")[0] for w in quick.wrong] == ["Due", "Hours"]


def test_a_line_that_is_no_line_is_named_by_its_beginning_and_stands_whole_in_the_text():
    line = "word " * 1000
    [(name, text)] = lines_of(line + "\nbelow", each=False)
    assert len(name) <= 200 and name.endswith("…") and text == f"{line.rstrip()}\nbelow"


@pytest.mark.parametrize(
    ("text", "each", "expected"),
    [
        ("one\ntwo\n  three", False, [("one", "two\n  three")]),
        ("- one\n  more\n* two\n\n[ ] three", True, [("one", "more"), ("two", ""), ("three", "")]),
        ("one\r\ntwo\r", True, [("one", ""), ("two", "")]),
        ("\n\n", True, []),
    ],
)
def test_lines(text, each, expected):
    assert lines_of(text, each) == expected


def test_completions():
    assert [w for _, w in complete("ring iv", 7, TASKS, PEOPLE)] == ["Ivo"]
    assert [w for _, w in complete("#", 1, TASKS, ())] == ["#Orla", "#Ivo", "#reeds", "#leather", "#wind chest"]
    assert [w for _, w in complete("re", 2, TASKS, ())] == ["reeds", "Received: "]
    assert complete("ring r", 6, TASKS, PEOPLE) == [] and complete("ask ruth", 8, TASKS, PEOPLE) == [(4, "Ruth Amory")]


@given(st.text(max_size=80))
def test_any_line_is_understood_as_something(line):
    """Whatever is typed: no error, pieces lie within it without overlapping, and nothing that was typed is lost unseen."""
    quick = understand(line, TASKS, PEOPLE, ENV)
    assert all(0 <= p.start < p.end <= len(line) for p in quick.pieces)
    assert all(a.end <= b.start for a, b in zip(quick.pieces, quick.pieces[1:], strict=False))
    assert not line.strip() or quick.values.get(1) or not line.strip(" ,;-–\0")


def test_the_database_is_learned_from_the_words():
    counts = {"": {1: 9, 2: 9}, "ring": {1: 4}, "tune": {2: 5}, "the": {1: 5, 2: 5}}
    assert database_for(["ring", "the"], counts, "", [1, 2], 2) == 1
    assert database_for(["tune"], counts, "", [1, 2], 1) == 2
    assert database_for(["unheard"], counts, "", [1, 2], 2) == 2, "nothing is known of it: the one used last"
    assert database_for(["ring"], {}, "", [3, 4], None) == 3 and database_for([], {}, "", [], None) is None
    assert database_for(["ring"], counts, "", [2], 1) == 2, "one that is gone is not proposed"


DUE = Database(2, "Chores", (Field(1, "Name", "text"), Field(2, "Due", "date"), Field(0, "Text", "long_text")))


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("Ring the verger by 31 Feb", "“31 Feb” is not a valid date"),
        ("Feast on the 31st of April", "“the 31st of April” is not a valid date"),
        ("Survey 30/02/2026", "“30/02/2026” is not a valid date"),
        ("Survey 2026-02-30", "“2026-02-30” is not a valid date"),
        ("Ring the verger 5/6", "“5/6” could be 5 June or 6 May; write the month as a word"),
        ("Ring the verger on 5.6.2026", "“5.6.2026” could be 5 June or 6 May; write the month as a word"),
        ("Ring the verger 3pm", "“3pm” has no day; for Due, write for example “today 3pm”"),
        ("Ring the verger 13pm", "“13pm” is not a valid time"),
    ],
)
def test_what_reads_as_a_date_and_is_none_is_said_and_stays_in_the_name(line, said):
    quick = understand(line, DUE, (), ENV)
    assert quick.unclear == (said,) and quick.values == {1: line}


@pytest.mark.parametrize(
    "line", ["Order 3/4 inch screws", "24/7 helpline", "Tuning every Friday 31 Feb", "Play the 2.5 stop", "Ring Ada on 5 June"]
)
def test_what_is_no_date_or_is_one_is_not_doubted(line):
    assert understand(line, DUE, (), ENV).unclear == ()


def test_an_order_of_day_and_month_settles_it_and_so_does_a_field_with_room_for_a_time():
    ordered = Env(ENV.now, ENV.zone, order="DMY")
    assert understand("Ring the verger 5/6", DUE, (), ordered).values == {1: "Ring the verger", 2: date(2027, 6, 5)}
    timed = Database(3, "Calls", (Field(1, "Name", "text"), Field(2, "Due", "datetime"), Field(0, "Text", "long_text")))
    quick = understand("Ring the verger 3pm", timed, (), ENV)
    assert quick.unclear == () and quick.values[2] == datetime(2026, 11, 26, 15, tzinfo=UTC)
    none = Database(4, "Notes", (Field(1, "Name", "text"), Field(0, "Text", "long_text")))
    assert understand("Ring the verger 31 Feb", none, (), ENV).unclear == (), "where no date is asked for, none is missed"


def test_fields_are_filled_by_their_names_and_nothing_that_does_not_fit_is_lost():
    sent = {"name": "Order felt", "Due": "next Friday", "WHO": "ivo", "Hours": 1.5, "Done": True, "About": ["reeds", "felt"],
            "Price": "many", "Colour": "red", "Page": None, "Address": ""}  # fmt: skip
    quick, left = by_names(sent, TASKS, ENV)
    assert quick.values == {1: "Order felt", 2: date(2026, 12, 4), 3: "i", 4: Decimal("1.5"), 5: True, 6: ("r", "felt")}
    assert quick.wrong == ("Price: “many” is not a number; a number looks like 412.60 or 1,850",)
    assert quick.unclear == ("Workshop tasks has no field “Colour”; its value was added to the text",)
    assert left == ("Price: many", "Colour: red")


@given(st.dictionaries(st.sampled_from([f.name for f in TASKS.fields]) | st.text(max_size=9), st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=30) | st.lists(st.text(max_size=9), max_size=3), max_size=6))  # fmt: skip
def test_any_names_and_values_are_taken(sent):
    quick, left = by_names(sent, TASKS, ENV)
    assert len(left) == len(quick.wrong) + len(quick.unclear)
