"""Files: from a folder of practice Files to records that follow their files, through every process."""

from __future__ import annotations

from io import BytesIO
from urllib.parse import unquote

import httpx2 as httpx
import pytest
from PIL import ExifTags, Image

from kelvix.core.collection import PermanentError, Write
from kelvix.core.query import Query
from kelvix.core.values import File
from kelvix.demo.papers import Mark, paper
from kelvix.engine import file_content
from kelvix.store import connections
from sides import Own, Tables
from support import turn_on, until

SURVEY = paper(
    "Condition survey, Holm St Mary",
    "Ada Pell",
    ["The case is sound.", "The bellows leak at the second fold (see sheet 3).", "The trackers are worn."],
    (Mark(1, "ask for a price"), Mark(2)),
    note="Read before the visit",
)


@pytest.fixture
def surveys(orla):
    """A workflow that keeps a record for each file of a folder, by the file's identifier."""
    connection = orla.connect("Surveys", "Drawings", app="files")
    fields = ("Name", "text"), ("Identifier", "text"), ("Opens", "link"), ("Bytes", "number"), ("Kind", "text")
    more = ("Folder", "text"), ("Title", "text"), ("Marked", "long_text"), ("Text", "long_text")
    made = orla.database("Papers", *({"name": n, "type": t} for n, t in (*fields, *more)))
    ids = {f["name"]: f["id"] for f in made["fields"]}
    from_ = {"Name": "name", "Identifier": "identifier", "Opens": "link", "Bytes": "size", "Kind": "kind", "Folder": "folder"}
    from_ |= {"Title": "title", "Marked": "highlight_texts"}
    fillings = [{"field": ids[n], "filling": [{"ref": {"line": "w", "value": v}}]} for n, v in from_.items()]
    fillings.append({"field": "0", "filling": [{"ref": {"line": "w", "value": "text"}}]})
    folder = str(orla.container("files", "Surveys"))
    when = {"verb": "when", "id": "w", "app": "files", "event": "any_change", "connection": connection, "container": folder,
            "container_name": "Surveys"}  # fmt: skip
    keep = {"verb": "add_or_update", "id": "k", "database": made["id"], "by": [ids["Identifier"]], "fillings": fillings}
    workflow = orla.workflow("Papers", {"lines": [when, keep]})
    orla.api("POST", f"/workflows/{workflow}/on")

    class Surveys:
        id, database = workflow, made["id"]

        @staticmethod
        def rows():
            named = {str(i): n for n, i in ids.items()} | {"0": "own text"}
            found = orla.records(made["id"])
            return [{named[k]: v for k, v in r["values"].items() if k in named} for r in found]

        @staticmethod
        def file():
            return orla.space.row("SELECT item_id FROM event WHERE workflow_id=%s ORDER BY id DESC", (workflow,))["item_id"]

    return orla, Surveys


def test_a_new_file_becomes_a_record_with_what_it_says(surveys):
    orla, flow = surveys
    orla.put_files("Surveys", {"Holm survey.pdf": SURVEY})
    [row] = until(flow.rows)
    assert row["Name"] == "Holm survey.pdf" and row["Kind"] == "application/pdf" and row["Folder"] == "Surveys"
    assert row["Bytes"] == str(len(SURVEY)) and row["Title"] == "Condition survey, Holm St Mary"
    assert row["Opens"] == f"{orla.kelvix.settings.practice_address}/files/files/{flow.file()}", "it opens the living file"
    assert row["Marked"].splitlines() == [
        "“The bellows leak at the second fold (see sheet 3).” (ask for a price)",
        "“The trackers are worn.”",
        "Read before the visit",
    ]
    assert "The case is sound." in row["own text"]


def test_a_file_that_changes_keeps_its_record(surveys):
    """A new version, another name, another folder: the record is the same one, and follows."""
    orla, flow = surveys
    orla.put_files("Surveys", {"Holm.txt": b"sound"})
    until(flow.rows)
    file = flow.file()
    with orla.practice_page() as page:
        assert page.post(f"/files/files/{file}/version", files={"file": ("x.txt", b"no longer sound")}).status_code == 303
        until(lambda: [r for r in flow.rows() if r["own text"] == "no longer sound" and r["Bytes"] == "15"])
        assert page.post(f"/files/files/{file}/rename", data={"name": "../Holm, again.txt"}).status_code == 303
        until(lambda: [r for r in flow.rows() if r["Name"] == "Holm, again.txt"])
        to = orla.container("files", "Drawings")
        assert page.post(f"/files/files/{file}/move", data={"to": to}).status_code == 303
        until(lambda: [r for r in flow.rows() if r["Folder"] == "Drawings"])
        assert page.post(f"/files/files/{file}/move", data={"to": orla.container("files", "Surveys")}).status_code == 303
        until(lambda: [r for r in flow.rows() if r["Folder"] == "Surveys"])
    assert len(flow.rows()) == 1 and len(orla.runs(flow.id)) == 5
    checked_before = orla.api("GET", f"/workflows/{flow.id}")["subscription"]["last_check_at"]
    orla.api("POST", f"/workflows/{flow.id}/check-now")
    until(lambda: orla.api("GET", f"/workflows/{flow.id}")["subscription"]["last_check_at"] != checked_before)
    assert len(orla.runs(flow.id)) == 5, "what was pushed is not run again when the feed is read"


def test_what_changed_while_it_was_off_is_offered_once_for_each_file(surveys):
    orla, flow = surveys
    orla.put_files("Surveys", {"Holm.txt": b"sound", "Marl.txt": b"dry"})
    until(lambda: len(flow.rows()) == 2)
    holm = next(r["Identifier"] for r in flow.rows() if r["Name"] == "Holm.txt")
    orla.api("POST", f"/workflows/{flow.id}/off")
    with orla.practice_page() as page:
        for content in (b"no longer sound", b"mended"):
            assert page.post(f"/files/files/{holm}/version", files={"file": ("x.txt", content)}).status_code == 303
    orla.put_files("Surveys", {"Sedge.txt": b"new"})
    until(lambda: orla.api("GET", f"/workflows/{flow.id}/missed")["count"] == 2)
    orla.api("POST", f"/workflows/{flow.id}/on", json={"carry_missed": True})
    until(lambda: {(r["Name"], r["own text"]) for r in flow.rows()}
          == {("Holm.txt", "mended"), ("Marl.txt", "dry"), ("Sedge.txt", "new")})  # fmt: skip
    assert orla.api("GET", f"/workflows/{flow.id}/missed")["count"] == 0


def test_pictures_and_what_cannot_be_read(orla):
    connection = orla.connect("Surveys", app="files")
    source = orla.source(connection, str(orla.container("files", "Surveys")))
    exif = Image.Exif()
    exif[ExifTags.Base.DateTime] = "2026:05:04 11:22:33"
    picture = BytesIO()
    Image.new("RGB", (64, 48), "teal").save(picture, "JPEG", exif=exif)
    orla.put_files(
        "Surveys", {"Case.jpg": picture.getvalue(), "Torn.pdf": SURVEY[:300], "Odd.png": b"no picture", "Empty": b""}
    )
    items = source.query(Query(limit=10)).items
    found, problems = {i.title: i.values for i in items}, {i.title: i.problems for i in items}
    case = found["Case.jpg"]
    assert (case["picture.width"], case["picture.height"], case["picture.taken"]) == (64, 48, "2026-05-04 11:22")
    assert found["Torn.pdf"]["text"] is None and "damaged" in problems["Torn.pdf"]
    assert "the picture can’t be read" in problems["Odd.png"]
    assert found["Empty"]["size"] == 0 and found["Empty"]["text"] is None and found["Empty"]["extension"] is None


# Saving files


def saves(orla, lines, connection=None, folder="Enquiries"):
    """A workflow that begins with a message, turned on."""
    mail = orla.connect(folder)
    when = {"verb": "when", "id": "w", "connection": mail, "container": str(orla.folders[folder]), "container_name": folder}
    made = orla.workflow("Saves", {"lines": [when, *lines]})
    orla.api("POST", f"/workflows/{made}/on")
    return made


def each_attachment(connection, **more):
    """Repeat for each attachment: save it, named after the message."""
    name = [{"ref": {"line": "w", "value": "subject"}}, {"text": " – "}, {"ref": {"line": "r", "value": "each.name"}}]
    repeat = {"verb": "repeat", "id": "r", "of": {"line": "w", "value": "attachments"}}
    file = [{"ref": {"line": "r", "value": "each.file"}}]
    return [
        repeat,
        {"verb": "save_file", "id": "s", "within": "r", "connection": connection, "file": file, "name": name} | more,
    ]


def kept(orla, folder):
    """The files of a folder, with what they contain, as their user downloads them."""
    found = {}
    with orla.practice_page() as page:
        for row in orla.kelvix.practice.items(orla.container("files", folder), 100):
            answer = page.get(f"/files/files/{row['id']}/copy")
            found[unquote(answer.headers["content-disposition"].partition("UTF-8''")[2])] = answer.content
    return found


def test_each_attachment_is_saved_under_a_name_made_of_values(orla):
    files = orla.connect("Drawings", app="files", send=True)
    folder = str(orla.container("files", "Drawings"))
    flow = saves(orla, each_attachment(files, container=folder, container_name="Drawings"))
    orla.deliver("Organ", attachments={"case.pdf": SURVEY, "note.txt": b"ask", "../../etc/passwd": b"x"})
    until(lambda: orla.runs(flow, "done"))
    assert kept(orla, "Drawings") == {"Organ – case.pdf": SURVEY, "Organ – note.txt": b"ask", "Organ – passwd": b"x"}
    [run] = orla.runs(flow)
    lines = orla.api("GET", f"/runs/{run['id']}")["run"]["lines"]
    outcomes = {(ln["line"], ln["place"]): ln["output"] for ln in lines if ln["line"] == "s"}
    assert outcomes["s", "1"]["link"].startswith(f"{orla.kelvix.settings.practice_address}/files/files/")
    assert orla.api("GET", "/today/list")["entries"][0]["targets"] == [{"app": "files", "monogram": "Fi", "name": "Drawings"}]
    assert orla.api("GET", "/today")["went_out"] == 3
    fate = orla.api(
        "POST",
        f"/workflows/{flow}/where",
        json={"item": str(orla.kelvix.practice.items(orla.folders["Enquiries"], 1)[0]["id"])},
    )
    assert "“Organ – case.pdf” was saved in Drawings, and 2 more" in fate["sentence"]


@pytest.mark.parametrize(
    ("collision", "names"),
    [
        ("number", {"plan.txt": b"one", "plan (2).txt": b"two"}),
        ("replace", {"plan.txt": b"two"}),
        ("skip", {"plan.txt": b"one"}),
    ],
)
def test_a_name_that_is_taken(orla, collision, names):
    files = orla.connect("Drawings", app="files", send=True)
    folder = str(orla.container("files", "Drawings"))
    lines = each_attachment(files, container=folder, container_name="Drawings", name=[], collision=collision)
    flow = saves(orla, lines)
    for number, content in enumerate((b"one", b"two"), 1):
        orla.deliver("Organ", attachments={"plan.txt": content})
        until(lambda n=number: len(orla.runs(flow, "done")) == n)
    assert kept(orla, "Drawings") == names
    happened = {"number": "added", "replace": "replaced", "skip": "there"}[collision]
    lines = orla.api("GET", f"/runs/{orla.runs(flow)[0]['id']}")["run"]["lines"]
    assert next(ln for ln in lines if ln["line"] == "s")["output"]["happened"] == happened


def test_a_folder_that_is_not_there_is_said_at_turning_on_and_made_where_the_line_may(orla):
    files = orla.connect("Drawings", app="files", send=True)
    lines = each_attachment(files, folder=[{"text": "Holm"}])
    mail = orla.connect("Enquiries")
    when = {"verb": "when", "id": "w", "connection": mail, "container": str(orla.folders["Enquiries"])}
    flow = orla.workflow("Saves", {"lines": [when, *lines]})
    said = orla.api("POST", f"/workflows/{flow}/on", 409)
    assert "there is no folder “Holm” among those shared" in str(said)
    lines[1]["makes"] = True
    draft = orla.api("GET", f"/workflows/{flow}")["draft_version"]
    body = {"name": "Saves", "document": {"lines": [when, *lines]}}
    orla.api("PUT", f"/workflows/{flow}", json=body, headers={"if-match": str(draft)})
    orla.api("POST", f"/workflows/{flow}/on")
    orla.deliver("Organ", attachments={"a.txt": b"1"})
    until(lambda: orla.runs(flow, "done"))
    assert list(kept(orla, "Holm").values()) == [b"1"]


def test_a_connection_that_may_not_add_files_is_said_at_turning_on(orla):
    files = orla.connect("Drawings", app="files")
    folder = str(orla.container("files", "Drawings"))
    mail = orla.connect("Enquiries")
    when = {"verb": "when", "id": "w", "connection": mail, "container": str(orla.folders["Enquiries"])}
    lines = each_attachment(files, container=folder, container_name="Drawings")
    flow = orla.workflow("Saves", {"lines": [when, *lines]})
    assert "allow it to add files" in str(orla.api("POST", f"/workflows/{flow}/on", 409))


def test_a_link_that_expires_is_fetched_late(orla):
    """A link to the content that was good at the event is not any more after the wait; the file is saved all the same."""
    files = orla.connect("Surveys", "Drawings", app="files", send=True)
    when = {
        "verb": "when",
        "id": "w",
        "app": "files",
        "connection": files,
        "container": str(orla.container("files", "Surveys")),
    }
    wait = {"verb": "wait", "id": "p", "kind": "moment"}
    save = {"verb": "save_file", "id": "s", "connection": files, "container": str(orla.container("files", "Drawings")),
            "container_name": "Drawings", "file": [{"ref": {"line": "w", "value": "file"}}]}  # fmt: skip
    flow = orla.workflow("Late", {"lines": [when, wait, save]})
    asked = {"document": {"lines": [when, wait, save]}, "line": "p", "text": 'now() + duration("PT4S")'}
    wait["filling"] = [
        {"formula": {"kind": "formula", "text": "", "tree": orla.api("POST", f"/workflows/{flow}/formula", json=asked)["tree"]}}
    ]
    flow = orla.workflow("Late", {"lines": [when, wait, save]})
    orla.api("POST", f"/workflows/{flow}/on")
    orla.put_files("Surveys", {"Holm.pdf": SURVEY})
    [row] = until(lambda: orla.kelvix.practice.items(orla.container("files", "Surveys"), 5))
    asked = f"{orla.kelvix.settings.practice_address}/files/api/files/{row['id']}"
    with httpx.Client(trust_env=False) as outside:
        link = outside.get(asked, headers={"authorization": f"Bearer {orla.token(files)}"}).json()["content_link"]
        assert outside.get(link).content == SURVEY and outside.get(link + "0").status_code == 404
        assert outside.get(link.replace("until=", "until=9")).status_code == 404, "nobody makes it last longer"
        until(lambda: orla.runs(flow, "done"))
        assert outside.get(link).status_code == 410
    assert kept(orla, "Drawings") == {"Holm.pdf": SURVEY}


def test_a_file_that_a_record_holds_is_saved_named_after_the_record(orla):
    """The record keeps where the file lies; it is fetched when it is saved, and has its extension whatever it is called."""
    files = orla.connect("Surveys", "Drawings", app="files", send=True)
    made = orla.database("Papers", {"name": "Name", "type": "text"}, {"name": "Paper", "type": "file"})
    name, paper_field = (f["id"] for f in made["fields"][:2])
    when = {
        "verb": "when",
        "id": "w",
        "app": "files",
        "connection": files,
        "container": str(orla.container("files", "Surveys")),
    }

    def ref(line, key):
        return [{"ref": {"line": line, "value": key}}]

    add = {"verb": "add", "id": "a", "database": made["id"], "fillings": [
        {"field": name, "filling": [{"text": "Survey of "}, *ref("w", "stem")]}, {"field": paper_field, "filling": ref("w", "file")}]}  # fmt: skip
    orla.api("POST", f"/workflows/{orla.workflow('Papers', {'lines': [when, add]})}/on")
    pressed = {
        "verb": "when",
        "id": "w",
        "own": {"kind": "record", "event": "button", "database": made["id"], "button": "Save it"},
    }
    save = {"verb": "save_file", "id": "s", "connection": files, "container": str(orla.container("files", "Drawings")),
            "container_name": "Drawings", "file": ref("w", f"f_{paper_field}"), "name": ref("w", f"f_{name}")}  # fmt: skip
    flow = orla.workflow("Save it", {"lines": [pressed, save]})
    orla.api("POST", f"/workflows/{flow}/on")
    orla.put_files("Surveys", {"Holm.pdf": SURVEY})
    [record] = until(lambda: orla.records(made["id"]))
    assert record["values"][str(paper_field)][:3] == ["Holm.pdf", str(len(SURVEY)), "application/pdf"]
    copy = orla.web.get(f"/api/v1/databases/{made['id']}/records/{record['id']}/files/{paper_field}")
    assert copy.content == SURVEY and "attachment" in copy.headers["content-disposition"]
    orla.api("POST", f"/workflows/{flow}/press", json={"records": [record["id"]]}, headers={"idempotency-key": "one"})
    until(lambda: orla.runs(flow, "done"))
    assert kept(orla, "Drawings") == {"Survey of Holm.pdf": SURVEY}

    by_hand = orla.web.post("/api/v1/files?name=plan.txt", content=b"by hand").json()["file"]
    values = {"values": {str(name): "Marl", str(paper_field): by_hand}}
    added = orla.api("POST", f"/databases/{made['id']}/records", json=values)["record"]
    orla.api("POST", f"/workflows/{flow}/press", json={"records": [added["id"]]}, headers={"idempotency-key": "two"})
    until(lambda: len(orla.runs(flow, "done")) == 2)
    assert kept(orla, "Drawings") == {"Survey of Holm.pdf": SURVEY, "Marl.txt": b"by hand"}


def test_a_file_is_read_through_its_own_account_only(orla, monkeypatch):
    """Another account of the same app has a file of the same identity: that is another file."""
    engine, space = orla.kelvix.engine, orla.space
    for account in ("ada@works.example", "bo@works.example"):
        connections.save(space, engine.vault, None, "files", account, account, f"token of {account}", None)
    asked = []

    def opened(account, locator):
        asked.append((account.identity, locator))
        if account.identity == "ada@works.example":
            raise PermanentError("this file is gone", "item")
        return iter([b"content"])

    monkeypatch.setattr(engine.apps["files"].accounts, "open", opened)
    plain = File("Survey in full.pdf", 7, "application/pdf", "files:in 5 in all")
    assert b"".join(file_content.content(engine, space, plain.within("bo@works.example"))) == b"content"
    assert asked == [("bo@works.example", "in 5 in all")]
    with pytest.raises(PermanentError, match="is gone"):
        list(file_content.content(engine, space, plain.within("ada@works.example")))
    with pytest.raises(PermanentError, match=r"is in the account cy@works\.example, which is no longer connected"):
        list(file_content.content(engine, space, plain.within("cy@works.example")))
    assert len(asked) == 2 and plain.within("bo@works.example").within("ada@works.example").place == (
        "files",
        "in 5 in all",
        "ada@works.example",
    )
    assert b"".join(file_content.content(engine, space, plain)) == b"content", (
        "one that was kept before accounts were is looked for"
    )


def test_what_runs_keep_of_files_says_in_which_account_they_lie(orla):
    on = turn_on(orla)
    orla.deliver("With a plan", attachments={"Plan.txt": b"plan"})
    [run] = until(lambda: orla.runs(on.workflow, "done"))
    values = orla.api("GET", f"/runs/{run['id']}")["item"]["values"]
    [attachment] = values["attachments"]
    account = orla.api("GET", f"/connections/{on.connection}")["account"]
    assert account and attachment["file"][3].endswith(f"\x1f{account}")


def test_a_file_of_a_row_is_carried_and_saved_elsewhere(orla):
    table = orla.container("tables", "Drawings")
    with orla.practice_page() as page:
        assert page.post(f"/tables/tables/{table}/fields", data={"name": "Plan", "type": "file"}).status_code == 303
    tables, files = orla.connect("Drawings", app="tables"), orla.connect("Drawings", app="files", send=True)
    when = {"verb": "when", "id": "w", "app": "tables", "event": "any_change", "connection": tables, "container": str(table)}
    save = {"verb": "save_file", "id": "s", "connection": files, "container": str(orla.container("files", "Drawings")),
            "file": [{"ref": {"line": "w", "value": "f2"}}], "collision": "skip"}  # fmt: skip
    place = orla.api("POST", "/places", json={"connection": tables, "place": str(table)})
    assert {f["name"]: (f["type"], f["can_write"]) for f in place["fields"]}["Plan"] == ("file", True)
    flow = orla.workflow("Plans", {"lines": [when, save]})
    orla.api("POST", f"/workflows/{flow}/on")
    with orla.practice_page() as page:
        page.post(f"/tables/tables/{table}", data={"field-1": "Case"})
        row = orla.kelvix.practice.items(table, 1)[0]["id"]
        page.post(f"/tables/rows/{row}/files/2", files={"file": ("Case.txt", b"2.4 by 1.1 metres")})
    orla.api("POST", f"/workflows/{flow}/check-now")
    until(lambda: kept(orla, "Drawings"))
    assert kept(orla, "Drawings") == {"Case.txt": b"2.4 by 1.1 metres"}


def test_a_file_of_a_row_is_put_back_as_it_was_when_its_change_is_undone(orla):
    """Where a row has another file by now, what it had is still what it had: for undo, and for who carries it since before."""
    own, to = Own(orla, "Plans"), Tables(orla, "Plans")
    mine, theirs = own.fields()["file"], to.fields()["file"]
    old, new = (File.of(orla.api("POST", f"/files?name={name}", content=content)["file"])
                for name, content in (("Plan.txt", b"2.4 metres"), ("Plan.txt", b"2.5 metres")))  # fmt: skip
    item = to.source.write(Write("create", "by hand", values={to.title: "Case", theirs.id: old}, opens=to._opens)).item
    keep = {"verb": "add_or_update", "id": "k", "database": to.id, "by": [to.title], "fillings": [
        {"field": to.title, "filling": [{"ref": {"line": "w", "value": own.key(own.title)}}]},
        {"field": theirs.id, "filling": [{"ref": {"line": "w", "value": own.key(mine.id)}}]}]}  # fmt: skip
    flow = orla.workflow("Plans", {"lines": [own.whens()[0], keep]})
    orla.api("POST", f"/workflows/{flow}/on")
    record = {"values": {own.title: "Case", mine.id: new.wire()}}
    orla.api("POST", f"/databases/{own.id}/records", json=record)

    def content() -> bytes:
        return b"".join(to._opens(to.source.one(item.id).values[theirs.id]))

    until(lambda: content() == b"2.5 metres")
    run = until(lambda: [r for r in orla.runs(flow) if r["state"] == "done"])[0]
    version = to.source.one(item.id).version
    again = File.of(orla.api("POST", "/files?name=Plan.txt", content=b"2.5 metres")["file"])  # another copy of the same
    orla.api("POST", f"/databases/{own.id}/records", json={"values": {own.title: "Case", mine.id: again.wire()}})
    until(lambda: len([r for r in orla.runs(flow) if r["state"] == "done"]) == 2)
    assert to.source.one(item.id).version == version, "what is the same to the last byte is not written again"
    orla.api("POST", f"/runs/{run['id']}/undo")
    until(lambda: content() == b"2.4 metres")
