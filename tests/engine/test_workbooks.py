"""Files as sheets: a file is written as a whole, and never over what somebody saved meanwhile."""

from __future__ import annotations

from io import BytesIO

import openpyxl
import pytest
from openpyxl.drawing.image import Image
from PIL import Image as Picture

from kelvix.connectors.workbooks import FileSheet
from kelvix.core.collection import ConflictError, PermanentError, Write
from support import document, until


def workbook(*rows, picture: bool = False) -> bytes:
    book = openpyxl.Workbook()
    book.active.title = "Parts"
    for row in rows:
        book.active.append(row)
    if picture:
        drawn = BytesIO()
        Picture.new("RGB", (4, 4)).save(drawn, "PNG")
        book.active.add_image(Image(drawn), "J2")
    out = BytesIO()
    book.save(out)
    return out.getvalue()


ROWS = (("Part", "Left"), ("Reed", 12))


class Files:
    def __init__(self, orla, **files: bytes):
        self.orla, self.files = orla, {f"{name}.{name}": content for name, content in files.items()}
        orla.container("files", "Stock")
        orla.put_files("Stock", self.files)
        self.connection = orla.connect("Stock", app="workbooks", send=True)
        self.account = orla.kelvix.engine.account(orla.space, self.connection)

    def place(self, name: str):
        found = next(p for p in self.account.check().places if name in p.full_name)
        return self.orla.api("POST", "/places", json={"connection": self.connection, "place": found.id})

    def save(self, place, content: bytes) -> None:
        with self.orla.practice_page() as page:
            file = place["outside"]["place"].partition("/")[0]
            assert page.post(f"/files/files/{file}/version", files={"file": ("x", content)}).status_code == 303

    def content(self, place) -> bytes:
        return self.account.collection(place["outside"]["place"]).sheet.now().content


def flow_into(orla, place):
    mail = orla.connect("Enquiries")
    when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]
    fill = {"field": place["fields"][0]["id"], "filling": [{"ref": {"line": "w", "value": "subject"}}]}
    add = {"verb": "add", "id": "a", "database": place["id"], "fillings": [fill]}
    return orla.workflow("Into a file", {"lines": [when, add]})


@pytest.mark.parametrize("kind", ["xlsx", "csv"])
def test_a_mail_becomes_a_row_though_somebody_saves_the_file_meanwhile(orla, by_hand, monkeypatch, kind):
    first = {"xlsx": workbook(*ROWS), "csv": b"Part,Left\r\nReed,12\r\n"}
    later = {"xlsx": workbook(*ROWS, ("Wire", 40)), "csv": b"Part,Left\r\nReed,12\r\nWire,40\r\n"}
    files = Files(orla, **{kind: first[kind]})
    place, inner, tries = files.place(kind), FileSheet._edit, []

    def edit(*given):
        tries.append(given)
        if len(tries) == 1:
            files.save(place, later[kind])
        return inner(*given)

    monkeypatch.setattr(FileSheet, "_edit", edit)
    run = by_hand.begin(flow_into(orla, place), {"subject": "Felt", "text": "x"})
    by_hand.carry(run)
    detail = until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] in ("done", "failed") and r)
    assert detail["state"] == "done", detail["problem"]
    content = files.content(place)
    if kind == "csv":
        assert content == later["csv"] + b"Felt\r\n"
    else:
        rows = list(openpyxl.load_workbook(BytesIO(content))["Parts"].iter_rows(values_only=True))
        assert rows == [*ROWS, ("Wire", 40), ("Felt", None)]
    assert tries


def test_a_file_is_never_written_over_what_was_saved_since(orla):
    files = Files(orla, csv=b"Part,Shelf,Left\nReed,A1,12\n")
    place = files.place("csv")
    source = files.account.collection(place["outside"]["place"])
    item = source.one("2")
    source.sheet.now()
    files.save(place, b"Part,Shelf,Left\nReed,A1,11\n")
    with pytest.raises(ConflictError):
        source.sheet._edit({"remove": 1}, "a key")
    with pytest.raises(ConflictError, match=r"row 2 of .* was changed"):
        source.write(Write("delete", "another", item.id, version=item.version))
    assert files.content(place) == b"Part,Shelf,Left\nReed,A1,11\n"


def test_a_workbook_that_holds_pictures_can_only_be_read_and_says_so(orla):
    files = Files(orla, xlsx=workbook(*ROWS, picture=True))
    place = files.place("xlsx")
    assert place["outside"]["writes"] == []
    flow = flow_into(orla, place)
    draft = {"document": orla.api("GET", f"/workflows/{flow}")["document"]}
    found = orla.api("POST", f"/workflows/{flow}/rehearse", json=draft)["findings"]
    [said] = [f["sentence"] for f in found if f["line"] == "a"]
    assert "xlsx.xlsx › Parts can only be read, since writing to it would lose its" in said and "pictures" in said


def test_rows_are_not_deleted_below_formulas(orla):
    files = Files(orla, xlsx=workbook(("Part", "Left", "Twice"), ("Reed", 12, "=B2*2")))
    place = files.place("xlsx")
    assert place["outside"]["writes"] == ["create", "update"]


def test_a_sheet_that_is_not_there_any_more_is_said(orla):
    files = Files(orla, xlsx=workbook(*ROWS))
    place = files.place("xlsx")
    files.save(place, b"no workbook")
    with pytest.raises(PermanentError, match="can’t be read: it is no workbook"):
        files.account.collection(place["outside"]["place"]).schema()


def test_a_file_that_was_renamed_meanwhile_gets_no_second_one_beside_it(orla):
    files = Files(orla, csv=b"Part,Shelf,Left\nReed,A1,12\n")
    place = files.place("csv")
    source = files.account.collection(place["outside"]["place"])
    item = source.one("2")
    source.sheet.now()
    with orla.practice_page() as page:
        page.post(f"/files/files/{place['outside']['place']}/rename", data={"name": "Stock.csv"})
    with pytest.raises(ConflictError):
        source.sheet._edit({"remove": 1}, "a key")
    assert len(orla.kelvix.practice.items(orla.container("files", "Stock"), 9)) == 1
    source.write(Write("delete", "another", item.id, version=item.version))
    assert files.content(place) == b"Part,Shelf,Left\n"


def test_a_row_with_nothing_in_it_is_refused(orla):
    files = Files(orla, csv=b"Part,Left\nReed,12\n")
    place = files.place("csv")
    with pytest.raises(PermanentError, match="nothing is filled"):
        files.account.collection(place["outside"]["place"]).write(Write("create", "a key"))
    assert files.content(place) == b"Part,Left\nReed,12\n"


def test_a_link_to_a_workbook_leads_to_its_only_sheet_or_to_all_that_it_has(orla):
    one = Files(orla, xlsx=workbook(*ROWS))
    place = one.place("xlsx")
    where, file = f"/connections/{one.connection}/container", place["outside"]["place"].partition("/")[0]
    practice = orla.kelvix.settings.practice_address
    folder = next(c for c in orla.kelvix.practice.containers("files", orla.account) if c["name"] == "Stock")
    for link in (
        f"{practice}/files/files/{file}",
        f"{practice}/files/files/{file}?row=2",
        f"{practice}/files/folders/{folder['id']}",
    ):
        assert orla.api("POST", where, json={"link": link})["container"]["id"] == place["outside"]["place"]
    book = openpyxl.Workbook()
    book.active.title = "Parts"
    book.create_sheet("Shelves")
    content = BytesIO()
    book.save(content)
    one.save(place, content.getvalue())
    said = orla.api("POST", where, json={"link": f"{practice}/files/files/{file}"})
    assert said == {"container": None, "within": [folder["name"], "xlsx.xlsx"]}
    shared = orla.api("GET", f"/connections/{one.connection}/sight")["shared"]
    assert [(c["path"], c["name"]) for c in shared] == [(said["within"], "Parts"), (said["within"], "Shelves")]
