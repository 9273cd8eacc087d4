"""XLSX and CSV files as sheets: what is read, and that a change of one row leaves all else as it is."""

from __future__ import annotations

import csv
import zipfile
from datetime import date, datetime, time
from decimal import Decimal
from io import BytesIO, StringIO

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl.chart import BarChart, Reference
from openpyxl.drawing.image import Image
from openpyxl.styles import Font
from openpyxl.worksheet.table import Table
from PIL import Image as Picture

from kelvix.core.sheets.grid import Cell, cell_from_json, cell_to_json
from kelvix.formats import csv_rows, workbook

ROWS = (
    ("Part", "Left", "Seen", "At", "Good", "Twice", "Open"),
    ("Reed", 12, date(2026, 11, 29), datetime(2026, 11, 29, 9, 30), True, "=B2*2", time(8, 14)),
    ("Wire", 1.5, None, datetime(2026, 11, 30), False, "=B3*2", None),
)


def book(*rows) -> openpyxl.Workbook:
    made = openpyxl.Workbook()
    made.active.title = "Parts"
    for row in rows or ROWS:
        made.active.append(row)
    return made


def saved(of: openpyxl.Workbook) -> BytesIO:
    out = BytesIO()
    of.save(out)
    out.seek(0)
    return out


def put(file, row, **cells):
    told = {name.removeprefix("c"): cell_to_json(Cell(value)) for name, value in cells.items()}
    return workbook.edit(file, "Parts", {"put": row, "cells": told})


def values(content) -> list[tuple]:
    return list(openpyxl.load_workbook(BytesIO(content))["Parts"].iter_rows(values_only=True))


def test_cells_are_read_with_their_types_and_which_are_calculated():
    [sheet] = workbook.read(saved(book())).sheets
    rows = [[cell_from_json(raw) for raw in row] for row in sheet.rows]
    assert rows[1][:5] == [
        Cell("Reed"), Cell(Decimal(12)), Cell(date(2026, 11, 29)), Cell(datetime(2026, 11, 29, 9, 30)), Cell(True),
    ]  # fmt: skip
    assert rows[1][5].is_formula and rows[1][6] == Cell("08:14")
    assert rows[2][1] == Cell(Decimal("1.5")) and not sheet.can_delete


def test_formats_of_whole_columns_are_types():
    made = book(("Part", "Left", "Seen", "At"))
    for column, pattern in (("B", "0.00"), ("C", "yyyy-mm-dd"), ("D", "yyyy-mm-dd hh:mm")):
        made["Parts"].column_dimensions[column].number_format = pattern
    [sheet] = workbook.read(saved(made)).sheets
    assert sheet.formats == [None, "number", "date", "datetime"]


def test_one_cell_is_written_and_all_else_stays_as_it_was():
    made = book()
    made["Parts"]["A2"].font = Font(bold=True)
    made["Parts"].column_dimensions["A"].width = 33
    was = saved(made)
    content = put(was, 1, c1=Decimal("7.25"), c2=date(2026, 12, 1))
    assert values(content)[1] == ("Reed", 7.25, datetime(2026, 12, 1), *ROWS[1][3:])
    assert values(content)[::2] == values(was.getvalue())[::2]
    page = openpyxl.load_workbook(BytesIO(content))["Parts"]
    assert page["A2"].font.bold and page.column_dimensions["A"].width == 33


def test_a_row_below_the_last_has_the_looks_of_that_and_belongs_to_its_table():
    made = book(("Part", "Seen"), ("Reed", date(2026, 11, 29)))
    made["Parts"]["B2"].number_format = "dd/mm/yyyy"
    made["Parts"].add_table(Table(displayName="Stock", ref="A1:B2"))
    content = put(saved(made), 2, c0="Wire", c1=date(2026, 12, 1))
    page = openpyxl.load_workbook(BytesIO(content))["Parts"]
    assert page["B3"].value == datetime(2026, 12, 1) and page["B3"].number_format == "dd/mm/yyyy"
    assert page.tables["Stock"].ref == "A1:B3"


def test_a_text_that_begins_like_a_formula_is_none():
    content = put(saved(book()), 1, c0="=1+1")
    assert openpyxl.load_workbook(BytesIO(content))["Parts"]["A2"].data_type == "s"
    [sheet] = workbook.read(BytesIO(content)).sheets
    assert cell_from_json(sheet.rows[1][0]) == Cell("=1+1")


def test_rows_are_deleted_where_nothing_else_would_go_wrong():
    was = saved(book(("Part", "Left"), ("Reed", 12), ("Wire", 40)))
    assert workbook.read(was).sheets[0].can_delete
    was.seek(0)
    assert values(workbook.edit(was, "Parts", {"remove": 1})) == [("Part", "Left"), ("Wire", 40)]


@pytest.mark.parametrize("what", ["pictures", "charts", "newer formatting rules"])
def test_what_writing_would_lose_is_named(what):
    made = book()
    if what == "pictures":
        picture = BytesIO()
        Picture.new("RGB", (4, 4)).save(picture, "PNG")
        made["Parts"].add_image(Image(picture), "J2")
    elif what == "charts":
        chart = BarChart()
        chart.add_data(Reference(made["Parts"], min_col=2, min_row=1, max_row=3))
        made["Parts"].add_chart(chart, "J2")
    content = saved(made)
    if what == "newer formatting rules":
        content = with_extension(content)
    assert what in workbook.read(content).lost
    assert not workbook.read(saved(book())).lost


def with_extension(content: BytesIO) -> BytesIO:
    """The same with an extension list in its sheet (ECMA-376 part 1, 18.2.10)."""
    out = BytesIO()
    with zipfile.ZipFile(content) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            part = old.read(name)
            if name == "xl/worksheets/sheet1.xml":
                part = part.replace(b"</worksheet>", b'<extLst><ext uri="{x}"/></extLst></worksheet>')
            new.writestr(name, part)
    out.seek(0)
    return out


def test_what_is_no_workbook_is_said(monkeypatch):
    assert workbook.read(BytesIO(b"PK\x03\x04 nothing")).problem == "it is no workbook that can be read"
    assert workbook.read(BytesIO(b"Part,Left")).problem
    monkeypatch.setattr(workbook, "MAX_UNPACKED", 100)
    assert "too large" in workbook.read(saved(book())).problem


# CSV


@pytest.mark.parametrize("mark", [",", ";", "\t"])
@pytest.mark.parametrize("end", ["\r\n", "\n"])
def test_a_row_is_written_and_all_others_stay_byte_by_byte(mark, end):
    lines = [f'Part{mark}Left{mark}"Said"', f'Reed{mark}12{mark}"a ""b""{mark} c{end}next line"', f"007{mark}1.50{mark}"]
    content = end.join(lines).encode("utf-8-sig")
    table = csv_rows.read(content)
    assert (table.mark, table.end, len(table.rows)) == (mark, end, 3)
    changed = csv_rows.put(table, 2, {1: Decimal(3)})
    assert changed == end.join([*lines[:2], f"007{mark}3{mark}"]).encode("utf-8-sig")
    added = csv_rows.put(table, 3, {0: f"x{mark}y", 1: date(2026, 11, 29)})
    assert added == content + f'{end}"x{mark}y"{mark}2026-11-29{end}'.encode()
    assert csv_rows.remove(table, 1) == (lines[0] + end + lines[2]).encode("utf-8-sig")


def test_values_of_a_csv_file_are_what_they_seem():
    [row] = csv_rows.cells(csv_rows.read("007,12,1.50,2026-11-29,2026-11-29 09:30,2026-13-01,,é".encode("cp1252")))
    assert [cell.value for cell in row] == [
        "007", Decimal(12), Decimal("1.50"), date(2026, 11, 29), datetime(2026, 11, 29, 9, 30), "2026-13-01", None, "é",
    ]  # fmt: skip


@given(st.lists(st.lists(st.text('ab,;"\n\r é', max_size=6), min_size=2, max_size=4), min_size=1, max_size=6))
def test_rows_are_those_that_the_standard_library_reads(rows):
    out = StringIO(newline="")
    csv.writer(out).writerows(rows)
    table = csv_rows.read(out.getvalue().encode())
    assert "".join(raw for raw, _ in table.rows) == out.getvalue()
    assert [list(row) for _, row in table.rows] == list(csv.reader(StringIO(out.getvalue(), newline=""), delimiter=table.mark))
