"""Readings of sheets: where headers are, of which types columns are, and rows that stay themselves."""

from __future__ import annotations

from datetime import UTC, date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import openpyxl.utils
import openpyxl.utils.datetime as reference
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core.sheets import kept, layout
from kelvix.core.sheets.grid import Cell, Grid, letters, of_serial, to_cell, to_serial, to_value
from kelvix.core.sheets.layout import Rule
from kelvix.core.sheets.reading import changes_between, read_on
from kelvix.core.values import Unfit

NOW, NOON = datetime(2026, 11, 29, 9, tzinfo=UTC), datetime(2026, 11, 29, 12, tzinfo=UTC)
VIENNA = ZoneInfo("Europe/Vienna")
HEADER = ("Part", "Bin", "Left")
PARTS = (("Reed 8ʹ", "A1", 12), ("Leather strip", "B4", 3), ("Tracker wire", "C2", 40))


def grid(*rows, formats=()) -> Grid:
    def cell(value) -> Cell:
        if isinstance(value, str) and value.startswith("="):
            return Cell(Decimal(0), True)
        return Cell(Decimal(value) if isinstance(value, int) and not isinstance(value, bool) else value)

    return Grid(tuple(tuple(map(cell, row)) for row in rows), formats)


def first(*rows, rule: Rule = Rule()):
    return read_on(None, grid(*rows), rule, NOW)


def told(old, new) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for change in changes_between(old, new):
        found.setdefault(change.told, []).append(change.id)
    return found


# Dates and columns, beside openpyxl, which reads and writes ECMA-376


@given(st.dates(date(1900, 3, 1), date(9999, 12, 30)))
def test_a_day_is_the_number_that_ecma_376_says(day):
    assert to_serial(day) == reference.to_excel(day)
    assert of_serial(to_serial(day)) == day == reference.from_excel(float(to_serial(day))).date()


@given(st.datetimes(datetime(1901, 1, 1), datetime(2199, 1, 1)).map(lambda d: d.replace(microsecond=0)))
def test_a_moment_is_read_as_it_was_written_to_the_second(moment):
    back = of_serial(to_serial(moment))
    assert (back if isinstance(back, datetime) else datetime(back.year, back.month, back.day)) == moment
    assert abs(float(to_serial(moment)) - reference.to_excel(moment)) < 1e-6


def test_what_no_sheet_has_as_a_date_is_said():
    for number in (0, 60, 3_000_000):
        with pytest.raises(Unfit):
            of_serial(Decimal(number))
    with pytest.raises(Unfit, match="no dates before March 1900"):
        to_serial(date(1899, 1, 1))


@given(st.integers(0, 16_383))
def test_columns_are_called_as_ecma_376_calls_them(column):
    assert letters(column) == openpyxl.utils.get_column_letter(column + 1)


@pytest.mark.parametrize("of", ["text", "long_text", "number", "date", "datetime", "yes_no"])
def test_a_value_that_is_written_is_read_as_it_was(of):
    values = {
        "text": "Reed 8ʹ",
        "long_text": "One\n\nTwo",
        "number": Decimal("12.5"),
        "date": date(2026, 11, 29),
        "datetime": datetime(2026, 11, 29, 8, 30, tzinfo=UTC),
        "yes_no": False,
    }
    assert to_value(to_cell(values[of], VIENNA), of, VIENNA) == values[of]


# Headers and types


@pytest.mark.parametrize(
    ("rows", "header"),
    [
        ((HEADER, *PARTS), 0),
        ((("Ledger of parts",), (), HEADER, *PARTS), 2),
        (PARTS, None),
        ((HEADER,), 0),
        ((), None),
        ((("Part", "Part", "Left"), *PARTS), None),
    ],
    ids=["first", "third", "none", "only", "empty", "twice the same name"],
)
def test_a_header_is_found_where_it_is(rows, header):
    assert layout.find_header(grid(*rows)) == header


def test_a_header_is_where_a_person_says():
    reading = first(("a", "b"), ("c", "d"), ("e", "f"), rule=Rule(header=0))
    assert [c.name for c in reading.columns] == ["Column A", "Column B"] and len(reading.rows) == 3
    reading = first(("a", "b"), ("c", "d"), ("e", "f"), rule=Rule(header=2))
    assert [c.name for c in reading.columns] == ["c", "d"] and len(reading.rows) == 1


def test_a_person_may_say_otherwise_than_what_was_found():
    rows = (HEADER, ("Name", "Place", "Count"), *PARTS)
    found = first(*rows)
    said = read_on(found, grid(*rows), Rule(header=2), NOW)
    assert (found.header, said.header, [c.name for c in said.columns]) == (0, 1, ["Name", "Place", "Count"])
    moved = read_on(said, grid(("Ledger",), *rows), Rule(header=2), NOW)
    assert moved.header == 2, "it is followed by its names from then on"
    assert read_on(moved, grid(*rows), Rule(), NOW).header == 0


def test_columns_have_the_type_of_most_of_their_cells():
    rows = [("Reed", 12, date(2026, 11, 29), True, "x"), ("Wire", 3, datetime(2026, 11, 30, 9), False, "a\nb"),
            ("Pipe", 4, date(2026, 12, 1), True, "y"), ("Felt", "many", None, None, "=B2")]  # fmt: skip
    reading = first(("Part", "Left", "Seen", "Good", "Text"), *rows)
    assert [c.type for c in reading.columns] == ["text", "number", "datetime", "yes_no", "long_text"]
    assert not any(c.is_formula for c in reading.columns)


def test_a_column_of_formulas_is_known_as_one():
    reading = first(("Part", "Left", "Twice"), ("Reed", 12, "=B2*2"), ("Wire", 3, "=B3*2"))
    assert [c.is_formula for c in reading.columns] == [False, False, True]


# Rows that stay themselves


def test_rows_are_the_same_after_sorting_inserting_and_editing():
    old = first(HEADER, *PARTS)
    reed, leather, wire = old.rows
    new = read_on(old, grid(HEADER, PARTS[2], ("Bone glue", "D1", 1), ("Reed 8ʹ", "A1", 11), PARTS[1]), Rule(), NOW)
    at = {row.at: row.id for row in new.rows}
    assert (at[1], at[3], at[4]) == (wire.id, reed.id, leather.id)
    assert told(old, new) == {"new": [at[2]], "changed": [reed.id]}
    assert new.by_id[reed.id].revision == 2 and new.by_id[leather.id].revision == 1


def test_columns_are_the_same_after_one_is_inserted_and_one_renamed():
    old = first(HEADER, *PARTS)
    rows = [(p[0], None, *p[1:]) for p in PARTS]
    new = read_on(old, grid(("Part", "Note", "Shelf", "Left"), *rows), Rule(), NOW)
    part, bin_, left = (c.id for c in old.columns)
    assert [c.id for c in new.columns] == [part, "c4", bin_, left]
    assert told(old, new) == {}


def test_two_rows_that_are_alike_are_two():
    old = first(HEADER, PARTS[0], PARTS[1])
    new = read_on(old, grid(HEADER, PARTS[0], PARTS[1], PARTS[0]), Rule(), NOW)
    assert len(new.rows) == 3 and len(told(old, new)["new"]) == 1
    assert not new.doubtful


def test_rows_that_nobody_can_tell_apart_lose_their_identities():
    old = first(("Part", "Bin"), ("Reed", "A"), ("Reed", "B"))
    new = read_on(old, grid(("Part", "Bin"), ("Reed", "C"), ("Reed", "D")), Rule(), NOW)
    change = told(old, new)
    assert new.doubtful == 2 and len(change["unsure"]) == 2 and set(change["gone"]) == {"r1", "r2"}


def test_by_a_key_column_rows_are_the_same_whatever_else_changed():
    old = first(("No", "Part", "Bin"), ("7", "Reed", "A"), ("8", "Wire", "B"))
    key = old.columns[0].id
    new = read_on(old, grid(("No", "Part", "Bin"), ("8", "Pipe", "Z"), ("7", "Felt", "Y")), Rule(key=key), NOW)
    assert told(old, new) == {"changed": ["r2", "r1"]}


def test_a_row_that_we_rewrote_in_most_of_its_cells_is_the_same():
    old = first(HEADER, *PARTS)
    written = dict(zip((c.id for c in old.columns), (Cell("Goat leather"), Cell("B4"), Cell(Decimal(9))), strict=True))
    now = grid(HEADER, PARTS[0], ("Goat leather", "B4", 9), PARTS[2])
    assert "new" in told(old, read_on(old, now, Rule(), NOW))
    assert told(old, read_on(old, now, Rule(), NOW, {"r2": written})) == {"changed": ["r2"]}


def test_of_alike_rows_the_one_that_we_deleted_is_gone():
    old = first(HEADER, PARTS[0], PARTS[0], PARTS[1])
    new = read_on(old, grid(HEADER, PARTS[0], PARTS[1]), Rule(), NOW, {"r1": None})
    assert told(old, new) == {"gone": ["r1"]}


CELLS = st.one_of(
    st.text(min_size=1, max_size=5), st.integers(-9, 9).map(Decimal), st.booleans(),
    st.dates(date(1950, 1, 1)), st.datetimes(datetime(1950, 1, 1)),
)  # fmt: skip


@given(st.lists(st.lists(CELLS, min_size=1, max_size=4), max_size=6))
def test_a_reading_is_kept_as_it_is(rows):
    reading = read_on(None, Grid(tuple(tuple(map(Cell, row)) for row in rows)), Rule(header=0), NOW)
    assert kept.from_json(1, kept.to_json(reading)) == reading


CELLS = st.sampled_from(("", "Reed", "Pipe", "A1", "1", Decimal(1), Decimal(2), True, date(2026, 11, 30)))
LINES = st.lists(st.lists(CELLS, min_size=1, max_size=3), max_size=6)
NAMES = (("Part", "Left"), ("Part", "Part"), ("Part", "Left", "Shelf"))


@given(
    names=st.sampled_from(NAMES), before=LINES, below=LINES, header=st.sampled_from((None, 0, 1)),
    key=st.sampled_from((None, "c1", "c2")),
)  # fmt: skip
def test_rows_that_are_added_below_are_read_the_same_with_and_without_the_grid_before(names, before, below, header, key):
    """What is read quickly, since only the end is new, is what would be read otherwise."""
    first, then = (Grid(tuple(tuple(map(Cell, row)) for row in [names, *rows])) for rows in (before, before + below))
    rule = Rule(header, key)
    old = read_on(None, first, rule, NOW)
    quick = read_on(old, then, rule, NOON, was=first)
    if not below:
        assert quick is old
    else:
        assert quick == read_on(old, then, rule, NOON)
