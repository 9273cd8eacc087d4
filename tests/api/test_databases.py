"""Databases and records through the API: checks, versions, idempotency, undo, capture."""

from __future__ import annotations

import pytest

FIELDS = (
    {"name": "Name", "type": "text"}, {"name": "Mail", "type": "email"}, {"name": "Stage", "type": "choice", "choices": ["New", "Old"]},
    {"name": "Hours", "type": "number"}, {"name": "Due", "type": "date"},
)  # fmt: skip


@pytest.fixture
def made(orla):
    database = orla.database("Tasks", *FIELDS)
    return orla, database, {f["name"]: str(f["id"]) for f in database["fields"]}


def test_values_are_taken_as_people_type_them(made):
    orla, database, ids = made
    values = {
        ids["Name"]: " Order  felt ",
        ids["Stage"]: "new",
        ids["Hours"]: "1,200.50",
        ids["Due"]: "3 Dec 2026",
        ids["Text"]: "# Why",
    }
    written = orla.api("POST", f"/databases/{database['id']}/records", json={"values": values})["record"]["values"]
    assert written == {
        ids["Name"]: "Order felt",
        ids["Mail"]: None,
        ids["Stage"]: "1",
        ids["Hours"]: "1200.5",
        ids["Due"]: "2026-12-03",
        ids["Text"]: "# Why",
    }


def test_values_that_do_not_fit_are_said_field_by_field_and_nothing_is_written(made):
    orla, database, ids = made
    problem = orla.api(
        "POST",
        f"/databases/{database['id']}/records",
        expect=422,
        json={"values": {ids["Mail"]: "nobody", ids["Hours"]: "many"}},
    )
    assert set(problem["fields"]) == {ids["Name"], ids["Mail"], ids["Hours"]}
    assert "not an email address" in problem["fields"][ids["Mail"]] and orla.records(database["id"]) == []
    assert (
        "no field with the id 999999"
        in orla.api("POST", f"/databases/{database['id']}/records", expect=422, json={"values": {"999999": "x"}})["title"]
    )


def test_two_edits_of_one_record_at_once_the_second_is_told(made):
    orla, database, ids = made
    record = orla.api("POST", f"/databases/{database['id']}/records", json={"values": {ids["Name"]: "start"}})["record"]
    where = f"/databases/{database['id']}/records/{record['id']}"
    orla.api("PATCH", where, json={"values": {ids["Name"]: "first"}}, headers={"if-match": '"1"'})
    told = orla.api("PATCH", where, expect=412, json={"values": {ids["Name"]: "second"}}, headers={"if-match": "1"})
    assert told["version"] == 2 and told["values"][ids["Name"]] == "first"
    orla.api("PATCH", where, json={"values": {ids["Name"]: "second, knowingly"}}, headers={"if-match": str(told["version"])})
    assert "version is missing" in orla.api("PATCH", where, expect=428, json={"values": {}})["title"]


def test_the_same_key_writes_once(made):
    orla, database, ids = made
    sent = {"json": {"values": {ids["Name"]: "once"}}, "headers": {"idempotency-key": "k1"}}
    first, second = (orla.api("POST", f"/databases/{database['id']}/records", **sent) for _ in range(2))
    assert first == second and len(orla.records(database["id"])) == 1


def test_delete_and_undo(made):
    orla, database, ids = made
    record = orla.api("POST", f"/databases/{database['id']}/records", json={"values": {ids["Name"]: "x"}})["record"]
    change = orla.api("DELETE", f"/databases/{database['id']}/records/{record['id']}")["change"]
    assert orla.records(database["id"]) == []
    orla.api("POST", f"/changes/{change}/undo")
    assert len(orla.records(database["id"])) == 1
    assert "can no longer be undone" in orla.api("POST", f"/changes/{change}/undo", expect=409)["title"]
    history = orla.api("GET", f"/databases/{database['id']}/records/{record['id']}")["history"]
    assert [h["kind"] for h in history] == ["restore", "delete", "add"] and history[0]["by"] == "Orla, undoing"


def test_the_capture_line(made):
    orla, database, ids = made
    written = orla.api("POST", "/capture", json={"database": database["id"], "text": "Ring the verger\nabout the key"})[
        "record"
    ]["values"]
    assert written[ids["Name"]] == "Ring the verger" and written[ids["Text"]] == "about the key"
    orla.api("PATCH", f"/databases/{database['id']}/fields/{ids['Due']}", json={"required": True})
    assert "also needs Due" in orla.api("POST", "/capture", expect=422, json={"database": database["id"], "text": "x"})["title"]


def test_pages_go_on_from_a_cursor(made):
    orla, database, ids = made
    for n in range(7):
        orla.api("POST", f"/databases/{database['id']}/records", json={"values": {ids["Name"]: str(n)}})
    found, before = [], None
    while True:
        page = orla.api("GET", f"/databases/{database['id']}/records?limit=3" + (f"&before={before}" if before else ""))
        found += [r["values"][ids["Name"]] for r in page["records"]]
        before = page["next"]
        if before is None:
            break
    assert found == ["6", "5", "4", "3", "2", "1", "0"]


@pytest.mark.parametrize(
    ("method", "where", "body", "status", "said"),
    [
        ("POST", "/databases", {"name": " "}, 422, "A database needs a name."),
        ("POST", "/databases/{id}/fields", {"name": "Name", "type": "text"}, 422, "Choose another name"),
        ("POST", "/databases/{id}/fields", {"name": "x", "type": "colour"}, 422, "malformed"),
        ("DELETE", "/databases/{id}/fields/{first}", None, 422, "Rename it instead"),
        ("DELETE", "/databases/{id}/fields/0", None, 404, "Field not found"),
        ("GET", "/databases/{id}/records/99", None, 404, "Record not found."),
        ("GET", "/nothing/here", None, 404, "Not found"),
        ("GET", "/databases/{id}/records?limit=9999", None, 422, "malformed"),
    ],
)
def test_bad_requests_get_a_clear_sentence(made, method, where, body, status, said):
    orla, database, ids = made
    problem = orla.api(method, where.format(id=database["id"], first=ids["Name"]), expect=status, json=body)
    assert said in problem["title"] and problem["status"] == status


def test_a_database_goes_to_the_trash_and_comes_back(made):
    orla, database, ids = made
    orla.api("POST", f"/databases/{database['id']}/records", json={"values": {ids["Name"]: "kept"}})
    gone = orla.api("DELETE", f"/databases/{database['id']}")
    orla.api("GET", f"/databases/{database['id']}", expect=404)
    orla.api("POST", "/trash/restore", json=gone)
    assert orla.api("GET", f"/databases/{database['id']}")["records"] == 1


def test_hostile_keys_numbers_and_versions_get_a_sentence(made):
    orla, database, ids = made
    where = f"/databases/{database['id']}/records"
    for values, said in (({"²": "x"}, "no field with the id"), ({"9" * 40: "x"}, "no field with the id"), ({ids["Name"]: "x", ids["Hours"]: "1e400000000"}, "are not valid"),
                         ({ids["Name"]: "x", ids["Hours"]: "1e70"}, "are not valid"), ({ids["Name"]: "x" * 20_000}, "are not valid")):  # fmt: skip
        assert said in orla.api("POST", where, expect=422, json={"values": values})["title"]
    record = orla.api("POST", where, json={"values": {ids["Name"]: "a\0b \N{MUSICAL SYMBOL G CLEF}"}})["record"]
    for version in ("9" * 5000, "-1", "x"):
        orla.api("PATCH", f"{where}/{record['id']}", expect=428, json={"values": {}}, headers={"if-match": version})
    orla.api("GET", f"{where}/{'9' * 30}", expect=404)


@pytest.mark.parametrize(
    ("where", "body", "status"),
    [
        ("/databases/{id}/records", '{{"values": {{"{name}": "\\ud800"}}}}', 422),
        ("/capture", '{{"database": {id}, "text": "\\ud800"}}', 422),
        ("/workflows", '{{"name": "\\ud800"}}', 422),
        ("/databases", "[1", 422),
        ("/databases", '{{"name": "a\\u0000b"}}', 201),
    ],
)
def test_json_that_is_no_text_is_refused(made, where, body, status):
    orla, database, ids = made
    filled = {"id": database["id"], "name": ids["Name"]}
    answer = orla.web.post(
        "/api/v1" + where.format(**filled), content=body.format(**filled).encode(), headers={"content-type": "application/json"}
    )
    assert answer.status_code == status, answer.text


def test_the_types_of_fields_are_told_and_others_refused(orla):
    told = {t["code"]: t for t in orla.api("GET", "/field-types")}
    assert [*told][:2] == ["text", "long_text"] and told["datetime"]["name"] == "date and time"
    assert told["number"]["has_sum"] and told["date"]["has_order"] and not told["labels"]["is_sorted"]
    assert (
        told["choice"]["has_choices"] and not told["choice"]["in_requests"] and told["yes_no"]["operators"] == ["is", "is_not"]
    )
    refused = orla.api("POST", "/databases", 422, json={"name": "Stops", "fields": [{"name": "Tone", "type": "colour"}]})
    assert "use one of text, long_text" in refused["detail"]


def test_times_and_durations_are_kept_and_given_back(orla):
    made = orla.database("Visits", {"name": "Name", "type": "text"}, {"name": "Begins", "type": "time"}, {"name": "Took", "type": "duration"})  # fmt: skip
    name, begins, took = (str(f["id"]) for f in made["fields"][:3])
    where = f"/databases/{made['id']}/records"
    kept = orla.api("POST", where, json={"values": {name: "Oxbow", begins: "9:05 am", took: "90 min"}})["record"]
    assert kept["values"][begins] == "09:05" and kept["values"][took] == "PT1H30M"
    changed = {"values": {begins: "23:59:59", took: "minus 2 days"}}
    orla.api("PATCH", f"{where}/{kept['id']}", json=changed, headers={"if-match": str(kept["version"])})
    [record] = orla.records(made["id"])
    assert record["values"][begins] == "23:59:59" and record["values"][took] == "-P2D"
    refused = orla.api("POST", where, 422, json={"values": {name: "x", took: "90"}})
    assert "a duration looks like 1:30" in str(refused)
    line = {"text": "Nether Wend Took: 45 min tower Begins: 8.30", "database": made["id"]}
    captured = orla.api("POST", "/capture", 201, json=line)["record"]["values"]
    assert (captured[name], captured[begins], captured[took]) == ("Nether Wend tower", "08:30", "PT45M")


def test_amounts_people_spans_and_files_are_kept_given_back_and_undone(orla):
    fields = [
        {"name": n, "type": t}
        for n, t in (("Name", "text"), ("Fee", "amount"), ("Who", "person"), ("Stay", "span"), ("Papers", "several_files"))
    ]
    made = orla.database("Visits", *fields)
    name, fee, who, stay, papers = (str(f["id"]) for f in made["fields"][:5])
    where = f"/databases/{made['id']}/records"
    files = [
        orla.api("POST", f"/files?name={n}.txt", content=n.encode(), headers={"content-type": "text/plain"})["file"]
        for n in ("one", "two")
    ]
    given = {
        name: "Oxbow",
        fee: "€1,850.5",
        who: "Ada Reed <ada@stbride.example>",
        stay: "2026-11-23T10:00/PT1H30M",
        papers: files,
    }
    kept = orla.api("POST", where, json={"values": given})["record"]
    assert kept["values"][fee] == "1850.50 EUR" and kept["values"][who] == given[who]
    assert kept["values"][stay] == "2026-11-23T10:00:00Z/2026-11-23T11:30:00Z" and [f[0] for f in kept["values"][papers]] == [
        "one.txt",
        "two.txt",
    ]
    for place, content in enumerate(("one", "two")):
        assert orla.web.get(f"/api/v1{where}/{kept['id']}/files/{papers}?place={place}").text == content
    assert orla.web.get(f"/api/v1{where}/{kept['id']}/files/{papers}?place=2").status_code == 404
    changed = {"values": {fee: None, who: "bo@x.example", stay: "1 Dec 2026 – 3 Dec 2026", papers: files[:1]}}
    seq = orla.api("PATCH", f"{where}/{kept['id']}", json=changed, headers={"if-match": str(kept["version"])})["change"]
    [record] = orla.records(made["id"])
    assert (record["values"][fee], record["values"][who]) == (None, "bo@x.example") and record["values"][
        stay
    ] == "2026-12-01/2026-12-03"
    orla.api("POST", f"/changes/{seq}/undo")
    [record] = orla.records(made["id"])
    assert record["values"] == kept["values"]
    refused = orla.api("POST", where, 422, json={"values": {name: "x", fee: "12", papers: [["x", "1", "", "kelvix:9"]]}})
    assert "has no currency" in refused["fields"][fee] and "uploaded to /api/v1/files" in refused["fields"][papers]


def test_fields_are_put_into_an_order_in_which_the_title_stays_first(orla):
    made = orla.database("Notes", *({"name": n, "type": "text"} for n in ("Name", "Who", "Due")))
    name, who, due = (f["id"] for f in made["fields"] if f["id"] != "0")
    where = f"/databases/{made['id']}/fields"
    after = orla.api("PUT", where, json={"fields": [name, due, who]})
    assert [f["name"] for f in after["fields"]][:3] == ["Name", "Due", "Who"]
    assert [f["name"] for f in orla.api("GET", f"/databases/{made['id']}")["fields"]][:3] == ["Name", "Due", "Who"]
    assert "stays first" in orla.api("PUT", where, 422, json={"fields": [who, name, due]})["title"]
    for wrong in ([name, who], [name, who, who], [name, who, due, "0"]):
        assert "each field" in orla.api("PUT", where, 422, json={"fields": wrong})["title"]


def test_how_many_records_lack_a_field(orla):
    made = orla.database("Notes", {"name": "Name", "type": "text"}, {"name": "Care", "type": "labels", "choices": ["Reeds"]})
    name, care = (f["id"] for f in made["fields"] if f["id"] != "0")
    for values in ({name: "x", care: ["Reeds"]}, {name: "y"}, {name: "z"}):
        orla.api("POST", f"/databases/{made['id']}/records", 201, json={"values": values})
    found = {f: orla.api("GET", f"/databases/{made['id']}/fields/{f}/lacking") for f in (name, care)}
    assert found == {name: {"records": 0, "more": False}, care: {"records": 2, "more": False}}
    orla.api("GET", f"/databases/{made['id']}/fields/999/lacking", 404)


def test_a_field_is_given_another_choice_once(orla):
    kept = orla.database("Sketches", {"name": "Name", "type": "text"}, {"name": "Kind", "type": "choice", "choices": ["Pitch"]})
    name, kind = (f["id"] for f in kept["fields"][:2])
    where = f"/databases/{kept['id']}/fields/{kind}/choices"
    for written in ("Drawing", " drawing "):
        now = orla.api("POST", where, 201, json={"name": written})
    assert [c["name"] for c in now["fields"][1]["choices"]] == ["Pitch", "Drawing"]
    orla.api("POST", f"/databases/{kept['id']}/fields/{name}/choices", 422, json={"name": "Drawing"})
    orla.api("POST", where, 422, json={"name": " \n "})
    orla.api("POST", f"/databases/{kept['id']}/fields/999999/choices", 404, json={"name": "Drawing"})


def test_a_place_says_whose_fields_take_no_more_choices(orla):
    project = orla.container("issues", "Oxbow")
    connection = orla.connect("Oxbow", app="issues", send=True)
    place = orla.api("POST", "/places", json={"connection": connection, "place": str(project)})
    assert (
        orla.api("POST", f"/places/{place['id']}/fields/status/choices", 422, json={"name": "  "})["title"]
        == "A choice needs a name."
    )
    said = orla.api("POST", f"/places/{place['id']}/fields/status/choices", 422, json={"name": "Resting"})
    assert said["title"] == "Issues lets nobody add choices to Status from outside."
