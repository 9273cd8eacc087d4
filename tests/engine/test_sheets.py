"""Rows of sheets as sources and targets, while somebody edits the sheet by hand."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime
from decimal import Decimal
from threading import Barrier

import pytest

from kelvix.connectors.sheet import SheetCollection
from kelvix.connectors.sheets import OnlineSheet
from kelvix.core.collection import ConflictError, GoneError, PermanentError, Write
from kelvix.core.query import Query
from support import document, until

HEADER = "Part;Shelf;Left;Seen;Twice"
ROWS = ("Reed;A1;12;2026-11-02;=C*2", "Leather strip;B4;3;2026-11-09;=C*2", "Tracker wire;C2;40;2026-11-20;=C*2")


class Cut(BaseException):
    """The process ends here."""


class Sheet:
    """A sheet of practice Sheets: as its user edits it, as it is seen here, and the lines that work on it."""

    def __init__(self, orla, *rows):
        self.orla, self.number = orla, orla.container("sheets", "Parts")
        if rows:
            self.by_hand("rows", rows="\n".join(rows))
        self.connection = orla.connect("Parts", app="sheets", send=True)
        self.place = orla.api("POST", "/places", json={"connection": self.connection, "place": str(self.number)})
        self.id, self.source = self.place["id"], orla.source(self.connection, str(self.number))

    def by_hand(self, what, **told):
        with self.orla.practice_page() as page:
            assert page.post(f"/sheets/sheets/{self.number}/{what}", data=told).status_code == 303

    def rows(self):
        """All cells as the app keeps them."""
        return self.orla.kelvix.practice.settings(self.number)["rows"]

    def field(self, name):
        return next(f.id for f in self.source.schema().fields if f.name == name)

    def item(self, title):
        return next(i for i in self.source.query(Query(limit=100)).items if i.title == title)

    def update(self, title, **values):
        item = self.item(title)
        told = {self.field(name): value for name, value in values.items()}
        return self.source.write(Write("update", "a key", item.id, told, item.version))

    def meanwhile(self, verb, what, **told):
        """Let somebody edit the sheet by hand after it was read, right before it is written to."""
        inner = getattr(self.source.sheet, verb)

        def late(*given):
            self.by_hand(what, **told)
            return inner(*given)

        setattr(self.source.sheet, verb, late)

    def fill(self, name, *, text=None, value=None, line="w"):
        part = {"text": text} if value is None else {"ref": {"line": line, "value": value}}
        return {"field": self.field(name), "filling": [part]}


@pytest.fixture
def sheet(orla):
    return Sheet(orla, HEADER, *ROWS)


# What changed before the last read


def test_a_row_is_written_where_it_belongs_after_rows_and_columns_moved(sheet):
    reed = sheet.item("Reed")
    sheet.by_hand("insert", row="2")
    sheet.by_hand("cell", row="2", column="A", text="Bone glue")
    sheet.by_hand("insert", column="B")
    sheet.by_hand("sort", column="D", first="2")
    before = sheet.rows()
    left = sheet.field("Left")
    written = sheet.source.write(Write("update", "a key", reed.id, {left: Decimal(11)}, reed.version)).item
    after = sheet.rows()
    [at] = [n for n, row in enumerate(before) if row and row[0] == "Reed"]
    assert after[at] == [*before[at][:3], 11, *before[at][4:]]
    assert [row for n, row in enumerate(after) if n != at] == [row for n, row in enumerate(before) if n != at]
    assert (written.id, written.values[left], written.values["row"]) == (reed.id, 11, at + 1)


def test_a_row_that_was_edited_since_it_was_read_is_not_written(sheet):
    reed = sheet.item("Reed")
    sheet.by_hand("cell", row="2", column="B", text="A9")
    with pytest.raises(ConflictError, match="row 2 of “Parts” was changed"):
        sheet.source.write(Write("update", "a key", reed.id, {sheet.field("Left"): Decimal(1)}, reed.version))
    assert sheet.rows()[1][1:3] == ["A9", 12]


def test_calculated_cells_are_never_written(sheet):
    schema = {f.name: f for f in sheet.source.schema().fields}
    assert not schema["Twice"].can_write and schema["Left"].can_write
    sheet.by_hand("cell", row="2", column="C", text="=10")
    before = sheet.rows()
    with pytest.raises(PermanentError, match="“Left” is calculated in row 2"):
        sheet.update("Reed", Left=Decimal(5))
    assert sheet.rows() == before


def test_a_row_left_with_nothing_in_it_is_refused(orla):
    sheet = Sheet(orla, "Part;Left", "Reed;1", "Wire;2")
    sheet.update("Reed", Left=None)
    with pytest.raises(PermanentError, match="would be left empty"):
        sheet.update("Reed", Part=None)


# What changed after it


def test_a_row_inserted_between_reading_and_writing_is_said(sheet):
    sheet.meanwhile("put", "insert", row="2")
    with pytest.raises(PermanentError, match="somebody changed “Parts” at the same moment: what was meant for row 2"):
        sheet.update("Reed", Left=Decimal(11))
    assert sheet.item("Reed").values[sheet.field("Left")] == 12


def test_a_column_inserted_between_reading_and_writing_is_said(sheet):
    sheet.meanwhile("put", "insert", column="A")
    with pytest.raises(PermanentError, match="may stand in another row"):
        sheet.update("Reed", Left=Decimal(11))


def test_a_row_that_was_deleted_instead_of_another_is_said_with_what_it_held(sheet):
    reed = sheet.item("Reed")
    sheet.meanwhile("remove", "sort", column="C", first="2")
    with pytest.raises(PermanentError, match="another row was deleted instead of row 2: Leather strip, B4, 3, 2026-11-09"):
        sheet.source.write(Write("delete", "a key", reed.id, version=reed.version))
    assert sheet.item("Reed")


def test_a_row_we_rewrite_as_a_whole_keeps_its_identity_for_whoever_reads_next(sheet):
    leather, cursor = sheet.item("Leather strip"), sheet.source.head()
    told = {"Part": "Goat leather", "Shelf": "D1", "Left": Decimal(9), "Seen": date(2026, 11, 29)}
    inner, seen = sheet.source.sheet.put, []

    def put(*given):
        inner(*given)
        seen.append(sheet.orla.source(sheet.connection, str(sheet.number)).changes(cursor))  # the intake reads first

    sheet.source.sheet.put = put
    written = sheet.source.write(
        Write("update", "a key", leather.id, {sheet.field(name): value for name, value in told.items()}, leather.version)
    )
    assert written.item.id == leather.id
    assert [(c.id, c.kind) for c in seen[0].changes] == [(leather.id, "changed")]


def test_of_rows_that_are_alike_the_one_that_is_meant_is_deleted(orla):
    sheet = Sheet(orla, "Part;Left", "Reed;1", "Reed;1", "Wire;2")
    first, second = sorted(i.id for i in sheet.source.query(Query(limit=9)).items if i.title == "Reed")
    sheet.source.write(Write("delete", "a key", first, version="1"))
    assert sheet.source.one(second).values["row"] == 2
    with pytest.raises(GoneError):
        sheet.source.one(first)


def test_rows_added_by_two_at_once_are_two(sheet):
    gate = Barrier(2)

    def add(name):
        source = sheet.orla.source(sheet.connection, str(sheet.number))
        gate.wait()
        return source.write(Write("create", name, values={sheet.field("Part"): name, sheet.field("Left"): Decimal(1)})).item

    with ThreadPoolExecutor(2) as pool:
        made = list(pool.map(add, ("Felt", "Baize")))
    assert [item.title for item in made] == ["Felt", "Baize"] and len({item.id for item in made}) == 2
    assert len(sheet.rows()) == 6


# In workflows


def test_rows_start_runs_once_through_sorting_and_inserting_and_edits_are_carried(sheet, orla):
    kept = orla.database("Stock", {"name": "Name", "type": "text"}, {"name": "Left", "type": "number"})
    name, left = (f["id"] for f in kept["fields"][:2])
    when = {"app": "sheets", "connection": sheet.connection, "container": str(sheet.number), "event": "any_change"}
    refs = {name: sheet.field("Part"), left: sheet.field("Left")}
    fills = [{"field": f, "filling": [{"ref": {"line": "w", "value": of}}]} for f, of in refs.items()]
    keep = {"verb": "add_or_update", "id": "k", "database": kept["id"], "by": [name], "fillings": fills}
    flow = orla.workflow("Stock", {"lines": [{"verb": "when", "id": "w", **when}, keep]})
    orla.api("POST", f"/workflows/{flow}/on")

    def stock():
        orla.api("POST", f"/workflows/{flow}/check-now")
        return {r["values"][name]: r["values"][left] for r in orla.records(kept["id"])}

    sheet.by_hand("rows", rows="Bone glue;D1;5;2026-11-28")
    until(lambda: stock() == {"Bone glue": "5"})
    sheet.by_hand("sort", column="C", first="2")
    sheet.by_hand("insert", row="2")
    sheet.by_hand("cell", row="2", column="A", text="Felt")
    sheet.by_hand("cell", row="2", column="C", text="2")
    at = 1 + next(n for n, row in enumerate(sheet.rows()) if row[0] == "Bone glue")
    sheet.by_hand("cell", row=str(at), column="C", text="4")
    until(lambda: stock() == {"Bone glue": "4", "Felt": "2"})
    until(lambda: all(run["state"] == "done" for run in orla.runs(flow)))
    assert len(orla.runs(flow)) == 3


def test_an_unanswered_row_is_looked_for_and_there_once(sheet, orla, by_hand, monkeypatch):
    mail = orla.connect("Enquiries")
    when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]
    add = {"verb": "add", "id": "a", "database": sheet.id, "fillings": [sheet.fill("Part", value="subject")]}
    flow = orla.workflow("Once", {"lines": [when, add]})
    inner, went_out = OnlineSheet.append, []

    def append(*given):
        went_out.append(given)
        orla.faults("unanswered", app="sheets")
        try:
            return inner(*given)
        finally:
            orla.faults(app="sheets")

    monkeypatch.setattr(OnlineSheet, "append", append)
    run = by_hand.begin(flow, {"subject": "Felt", "text": "x"})
    assert by_hand.carry(run)["state"] != "done"
    until(lambda: orla.api("GET", f"/runs/{run}")["run"]["state"] == "done")
    assert len(went_out) == 1 and [row[0] for row in sheet.rows()].count("Felt") == 1


@pytest.mark.parametrize("kind", ["add", "add_or_update"])
def test_a_worker_that_is_killed_between_a_rows_writing_and_its_reading_leaves_one(sheet, orla, by_hand, monkeypatch, kind):
    mail = orla.connect("Enquiries")
    when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]
    add = {"verb": kind, "id": "a", "database": sheet.id, "fillings": [sheet.fill("Part", value="subject")]}
    add |= {"by": [sheet.field("Part")]} if kind == "add_or_update" else {}
    run = by_hand.begin(orla.workflow("Cut", {"lines": [when, add]}), {"subject": "Felt", "text": "x"})

    def cut(*_):
        raise Cut

    with monkeypatch.context() as patch:
        patch.setattr(SheetCollection, "_after", cut)
        with pytest.raises(Cut):
            by_hand.carry(run)
    assert [row[0] for row in sheet.rows()].count("Felt") == 1
    orla.space.transact(lambda t: t.execute("UPDATE run SET lease_until=NOW(3) - INTERVAL 1 SECOND WHERE id=%s", (run,)))
    until(lambda: orla.api("GET", f"/runs/{run}")["run"]["state"] in ("done", "failed"))
    assert orla.api("GET", f"/runs/{run}")["run"]["state"] == "done"
    assert [row[0] for row in sheet.rows()].count("Felt") == 1


def test_a_row_is_got_by_its_link_and_by_its_number(sheet, orla, by_hand):
    mail = orla.connect("Enquiries")
    when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]
    log = orla.database("Log", {"name": "Name", "type": "text"})
    field = log["fields"][0]["id"]
    for told, name in ((sheet.item("Tracker wire").link, "Tracker wire"), ("3", "Leather strip")):
        get = {"verb": "get", "id": "g", "database": sheet.id, "what": [{"text": told}], "none": "stop"}
        noted = [{"field": field, "filling": [{"ref": {"line": "g", "value": f"f_{sheet.field('Part')}"}}]}]
        add = {"verb": "add", "id": "a", "database": log["id"], "fillings": noted}
        flow = orla.workflow("Get", {"lines": [when, get, add]})
        run = by_hand.carry(by_hand.begin(flow, {"subject": "x", "text": "x"}))
        assert run["state"] == "done", run["problem"]
        assert orla.records(log["id"])[0]["values"][field] == name


def test_undoing_a_run_deletes_the_row_it_added_wherever_that_stands_by_then(sheet, orla, by_hand):
    mail = orla.connect("Enquiries")
    when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]
    add = {"verb": "add", "id": "a", "database": sheet.id, "fillings": [sheet.fill("Part", value="subject")]}
    run = by_hand.carry(by_hand.begin(orla.workflow("Undone", {"lines": [when, add]}), {"subject": "Felt", "text": "x"}))
    sheet.by_hand("sort", column="A", first="2")
    assert orla.api("POST", f"/runs/{run['id']}/undo")["undone"] == 1
    assert sorted(row[0] for row in sheet.rows()) == ["Leather strip", "Part", "Reed", "Tracker wire"]


# What a sheet lacks


def test_a_sheet_without_a_header_gets_one_with_the_columns_that_are_made(orla):
    sheet = Sheet(orla)
    assert sheet.place["outside"]["makes"] and sheet.place["outside"]["is_sheet"]
    for name in ("Part", "Left"):
        place = orla.api("POST", f"/places/{sheet.id}/fields", json={"name": name, "type": "text"})
    assert sheet.rows() == [["Part", "Left"]]
    assert [f["name"] for f in place["fields"]][:2] == ["Part", "Left"]
    said = orla.api("POST", f"/places/{sheet.id}/fields", json={"name": "left", "type": "text"}, expect=422)
    assert "already" in str(said)


def test_a_column_is_made_above_rows_that_have_no_header(orla):
    sheet = Sheet(orla, "Reed;12", "Wire;40")
    assert [f["name"] for f in sheet.place["fields"]][:2] == ["Column A", "Column B"]
    orla.api("POST", f"/places/{sheet.id}/fields", json={"name": "Shelf", "type": "text"})
    assert sheet.rows() == [["Column A", "Column B", "Shelf"], ["Reed", 12], ["Wire", 40]]
    assert len(sheet.source.query(Query(limit=9)).items) == 2


def test_a_person_says_where_the_header_is_and_which_column_is_the_key(orla):
    sheet = Sheet(orla, "No;Part", "7;Reed", "8;Wire")
    layout = orla.api("GET", f"/places/{sheet.id}/sheet")
    assert (layout["header"], layout["said"]) == (1, {"header": None, "key": None})
    key = layout["columns"][0]["id"]
    orla.api("PUT", f"/places/{sheet.id}/sheet", json={"header": 1, "key": key})
    wire = sheet.item("8")
    sheet.by_hand("cell", row="3", column="B", text="Pipe")
    sheet.by_hand("sort", column="B", first="2")
    assert sheet.source.one(wire.id).values[sheet.field("Part")] == "Pipe"
    said = orla.api("PUT", f"/places/{sheet.id}/sheet", json={"header": 1, "key": "c99"}, expect=422)
    assert "no such column" in str(said)
    place = orla.api("PUT", f"/places/{sheet.id}/sheet", json={"header": 0, "key": None})
    assert [f["name"] for f in place["fields"]][:2] == ["Column A", "Column B"]


def test_a_date_that_is_typed_as_text_is_said_to_be_unreadable(orla):
    sheet = Sheet(orla, "Part;Seen", *(f"Part {n};2026-11-0{n}" for n in range(1, 6)), "Wire;soon")
    item = sheet.item("Wire")
    assert "Seen: “soon” is not a date" in item.problems
    assert sheet.item("Part 1").values[sheet.field("Seen")] == date(2026, 11, 1)
    assert sheet.item("Part 1").created <= datetime.now(UTC)
