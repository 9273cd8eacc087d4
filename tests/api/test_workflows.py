"""Building a workflow through the API: drafts, samples, rehearsal, trying; and connections."""

from __future__ import annotations

import threading
import time

import pytest

from support import FIELDS, FILLS, document, until


@pytest.fixture
def built(orla):
    connection = orla.connect("Enquiries", "Empty")
    database = orla.database("Enquiries", *FIELDS)
    for n in range(7):
        orla.deliver(f"Quote {n}")
    body = document(connection, orla.folders["Enquiries"], database, FILLS, ("quote",))
    return orla, connection, database, orla.workflow("From the post", body), body


def test_naming_the_two_ends_gives_a_half_built_workflow(built):
    orla, connection, database, _, _ = built
    made = orla.api("POST", "/workflows", json={"name": "Half", "connection": connection, "database": database["id"]})
    when, add = made["document"]["lines"]
    assert when["connection"] == connection and add["database"] == database["id"]
    assert made["sentence"] == "When a message arrives, add a record to Enquiries" and made["state"] == "off"


def test_a_workflow_saved_from_two_windows(built):
    orla, _, _, workflow, body = built
    first = orla.api("PUT", f"/workflows/{workflow}", json={"name": "First", "document": body}, headers={"if-match": "2"})
    told = orla.api(
        "PUT", f"/workflows/{workflow}", expect=412, json={"name": "Second", "document": body}, headers={"if-match": "2"}
    )
    assert "was edited elsewhere (draft 3)" in told["title"] and first["draft_version"] == 3
    again = orla.api("PUT", f"/workflows/{workflow}", json={"name": "First", "document": body}, headers={"if-match": "2"})
    assert again["draft_version"] == 3, "the same save, whose answer was lost"
    assert orla.api("GET", f"/workflows/{workflow}")["name"] == "First"
    assert (
        "draft version is missing"
        in orla.api("PUT", f"/workflows/{workflow}", expect=428, json={"name": "x", "document": body})["title"]
    )


@pytest.mark.parametrize(
    "lines",
    [
        [],
        [{"verb": "add", "id": "a"}],
        [{"verb": "when", "id": "w"}, {"verb": "dance", "id": "d"}],
        [{"verb": "when", "id": "w"}, {"verb": "when", "id": "v"}],
    ],
)
def test_a_document_that_is_none_is_refused(built, lines):
    orla, _, _, workflow, _ = built
    orla.api(
        "PUT", f"/workflows/{workflow}", expect=422, json={"name": "x", "document": {"lines": lines}}, headers={"if-match": "2"}
    )


def test_the_newest_five_become_samples_and_the_grid_tells_what_each_line_would_do(built):
    orla, _, database, workflow, body = built
    samples = orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})
    assert [s["title"] for s in samples] == [f"Quote {n}" for n in (6, 5, 4, 3, 2)]
    orla.api(
        "PUT",
        f"/workflows/{workflow}/samples/{samples[0]['id']}",
        json={"values": samples[0]["values"] | {"subject": "Newsletter", "date": "1 Dec 2026, 09:00"}},
    )
    made = orla.api(
        "POST",
        f"/workflows/{workflow}/samples",
        json={"values": {"subject": "Quote, made up", "sender.address": "x@y.example"}},
    )
    kinds = {s["title"]: s["kind"] for s in made}
    assert kinds["Newsletter"] == "edited" and kinds["Quote, made up"] == "made_up"
    grid = orla.api("POST", f"/workflows/{workflow}/rehearse", json={"document": body})
    by_title = {s["title"]: [c["state"] for c in grid["cells"][str(s["id"])]] for s in made}
    assert by_title["Newsletter"] == ["in", "passed_by", "not_reached"]
    assert by_title["Quote, made up"] == ["in", "goes_on", "fits"] and by_title["Quote 5"] == ["in", "goes_on", "fits"]
    assert orla.records(database["id"]) == [] and orla.runs(workflow) == []  # nothing was written
    again = orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})
    assert {"Newsletter", "Quote, made up", "Quote 6"} <= {s["title"] for s in again}
    fewer = orla.api("DELETE", f"/workflows/{workflow}/samples/{again[-1]['id']}")
    assert len(fewer) == len(again) - 1


def test_a_sample_that_does_not_fit_its_types_is_refused(built):
    orla, _, _, workflow, _ = built
    problem = orla.api(
        "POST",
        f"/workflows/{workflow}/samples",
        expect=422,
        json={"values": {"date": "01/02/2026", "sender.address": "nobody"}},
    )
    assert set(problem["fields"]) == {"date", "sender.address"}


def test_waiting_for_the_next_one(built):
    orla, _, _, workflow, body = built
    start = orla.api("POST", f"/workflows/{workflow}/samples/next", json={"document": body})
    assert start["arrived"] == 0
    orla.deliver("Made just now")
    told = until(
        lambda: [
            t
            for t in [
                orla.api("POST", f"/workflows/{workflow}/samples/next", json={"document": body, "after": start["cursor"]})
            ]
            if t["arrived"]
        ]
    )
    assert told[0]["cursor"] > start["cursor"]
    assert orla.api("GET", f"/workflows/{workflow}/samples")[0]["title"] == "Made just now"


def test_try_all_lines_or_one_and_undo(built):
    orla, _, database, workflow, body = built
    body["lines"].append({"verb": "add", "id": "b", "database": database["id"], "fillings": [
        {"field": database["fields"][0]["id"], "filling": [{"text": "See "}, {"ref": {"line": "a", "value": "title"}}]}]})  # fmt: skip
    orla.api("PUT", f"/workflows/{workflow}", json={"name": "x", "document": body}, headers={"if-match": "2"})
    sample = orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})[0]

    def tried(only):
        run = orla.api("POST", f"/workflows/{workflow}/try", json={"sample": sample["id"], "only_line": only})["run"]
        return until(lambda: [d["run"] for d in [orla.api("GET", f"/runs/{run}")] if d["run"]["finished_at"]])[0]

    def titles():
        return sorted(r["values"][str(database["fields"][0]["id"])] for r in orla.records(database["id"]))

    one = tried("b")
    assert titles() == ["See Quote 6"] and {ln["line"]: ln["outcome"] for ln in one["lines"]}["a"] == "skipped"
    orla.api("POST", f"/runs/{one['id']}/undo")
    assert titles() == []
    every = tried(None)
    assert every["kind"] == "try" and every["state"] == "done" and titles() == ["Quote 6", "See Quote 6"]
    assert orla.api("GET", f"/workflows/{workflow}")["tried_never_on"] is True
    assert orla.api("POST", f"/runs/{every['id']}/undo") == {"undone": 2, "trashed": 2, "kept": []} and titles() == []
    assert (
        "writes nothing"
        in orla.api("POST", f"/workflows/{workflow}/try", expect=422, json={"sample": sample["id"], "only_line": "o"})["title"]
    )


def test_a_workflow_that_is_on_is_not_deleted(built):
    orla, connection, _, workflow, _ = built
    orla.api("POST", f"/workflows/{workflow}/on")
    assert orla.api("DELETE", f"/workflows/{workflow}", expect=409)["detail"] == "Turn it off first."
    assert "used by From the post" in orla.api("DELETE", f"/connections/{connection}", expect=409)["title"]
    orla.api("POST", f"/workflows/{workflow}/off")
    orla.api("DELETE", f"/workflows/{workflow}")
    orla.api("DELETE", f"/connections/{connection}")
    orla.api("GET", f"/workflows/{workflow}", expect=404)


def test_refused_shared_nothing_and_shared_but_empty_are_told_apart(orla):
    assert orla.connect("Enquiries", allow=False) == 0
    nothing = orla.connect()
    said = orla.api("GET", f"/connections/{nothing}/sight")
    assert (
        said["finding"] == "nothing_shared"
        and "no folders are shared" in said["sentence"]
        and "Enquiries" in said["not_shared"]
    )
    empty = orla.connect("Empty")
    said = orla.api("GET", f"/connections/{empty}/sight")
    assert said["finding"] == "all_empty" and said["shared"][0]["name"] == "Empty"
    orla.deliver("x", folder="Empty")
    assert orla.api("GET", f"/connections/{empty}/sight")["finding"] == "good"
    orla.faults("refusing")
    try:
        assert orla.api("GET", f"/connections/{empty}/sight")["finding"] == "refused"
        assert orla.api("GET", f"/connections/{empty}")["state"] == "refused"
        orla.faults("failing")
        assert orla.api("GET", f"/connections/{empty}/sight")["finding"] == "no_answer"
    finally:
        orla.faults()
    assert orla.api("GET", f"/connections/{empty}/sight")["finding"] == "good"
    assert orla.api("GET", f"/connections/{empty}")["state"] == "good"


def test_a_pasted_link_to_a_folder_or_to_what_is_in_it_is_understood(built, kelvix):
    orla, connection, _, _, _ = built
    practice = orla.kelvix.settings.practice_address
    found = orla.api(
        "POST", f"/connections/{connection}/container", json={"link": f" {practice}/mail/folders/{orla.folders['Enquiries']} "}
    )
    assert found["container"]["name"] == "Enquiries" and found["container"]["items"] == 7
    not_shared = orla.api(
        "POST",
        f"/connections/{connection}/container",
        expect=409,
        json={"link": f"{practice}/mail/folders/{orla.folders['Suppliers']}"},
    )
    assert "not shared with" in not_shared["title"] and "access and select it" in not_shared["detail"]
    message = orla.kelvix.practice.items(orla.folders["Enquiries"], 1)[0]["id"]
    for part in ("", "/", "?view=source#end", "/parts/1"):
        link = {"link": f"{practice}/mail/messages/{message}{part}"}
        assert orla.api("POST", f"/connections/{connection}/container", json=link)["container"]["name"] == "Enquiries"
    ida = kelvix.person("Ida")
    ida.deliver("Not for Orla")
    theirs = until(lambda: orla.kelvix.practice.items(ida.folders["Enquiries"], 1))[0]["id"]
    for id in (theirs, 10**9):
        link = {"link": f"{practice}/mail/messages/{id}"}
        said = orla.api("POST", f"/connections/{connection}/container", expect=409, json=link)
        assert "no longer there, or its folder is not shared" in said["title"]
    for other in (f"{practice}/mail/attachments/1", "http://evil.example/mail/folders/1", "nonsense"):
        assert (
            "not a link to a folder"
            in orla.api("POST", f"/connections/{connection}/container", expect=422, json={"link": other})["title"]
        )


def test_a_connection_is_named_and_used_again(built):
    orla, connection, _, workflow, _ = built
    kept = orla.api("PATCH", f"/connections/{connection}", json={"name": "Post of the works"})
    assert kept["name"] == "Post of the works" and kept["account"].startswith("orla-") and kept["used_by"] == ["From the post"]
    assert orla.connect("Enquiries", connection=connection) == connection
    assert orla.api("GET", f"/connections/{connection}")["name"] == "Post of the works"
    assert orla.api("GET", f"/workflows/{workflow}")["document"]["lines"][0]["connection"] == connection


def test_live_updates_tell_what_to_read_anew(built):
    orla, _, database, _, _ = built
    heard: list[str] = []

    thread = threading.Thread(target=_listen, args=(orla, heard))
    thread.start()
    time.sleep(0.5)
    made = orla.api("POST", f"/databases/{database['id']}/records", json={"values": {str(database["fields"][0]["id"]): "x"}})
    thread.join(10)
    assert any(f"record:{database['id']}:{made['record']['id']}:added:" in line for line in heard)


def _listen(orla, heard):
    with orla.web.stream("GET", "/api/v1/live", timeout=10) as stream:
        for line in stream.iter_lines():
            heard.append(line)
            if "record" in line:
                return


@pytest.mark.parametrize(
    ("app", "words", "values", "title"),
    [
        ("files", "a folder", {"name": "Survey.pdf"}, "Survey.pdf"),
        ("reading", "a list", {"title": "Wind in the loft"}, "Wind in the loft"),
    ],
)
def test_each_app_speaks_its_own_words(orla, app, words, values, title):
    lines = [{"verb": "when", "id": "w", "app": app}]
    workflow = orla.workflow("Half built", {"lines": lines})
    refused = orla.api("POST", f"/workflows/{workflow}/on", 409)
    assert f"choose a connection and {words}" in [f["sentence"] for f in refused["findings"]]
    [sample] = orla.api("POST", f"/workflows/{workflow}/samples", json={"values": values})
    assert sample["title"] == title


def test_a_workflow_begins_with_what_starts_it_and_says_what_is_unfinished(orla):
    connection, database = orla.connect("Enquiries"), orla.database("Notes", {"name": "Name", "type": "text"})
    own = {"kind": "record", "database": database["id"], "event": "changed"}
    made = orla.api("POST", "/workflows", 201, json={"name": "Changes", "own": own})
    when, add = made["document"]["lines"]
    assert when["own"]["event"] == "changed" and when["own"]["database"] == database["id"]
    assert made["unfinished"] == add["id"], "what is still to be said is on the Add line"
    made = orla.api("POST", "/workflows", 201, json={"name": "Mail", "connection": connection})
    assert made["unfinished"] == made["document"]["lines"][0]["id"], "no folder is chosen yet"


def test_a_workflow_is_duplicated_with_its_draft(orla):
    made = orla.api("POST", "/workflows", 201, json={"name": "First"})
    copy = orla.api("POST", f"/workflows/{made['id']}/duplicate", 201)
    again = orla.api("POST", f"/workflows/{made['id']}/duplicate", 201)
    assert [copy["name"], again["name"]] == ["First, copy", "First, copy 2"]
    assert copy["document"] == made["document"] and copy["state"] == "off" and copy["id"] != made["id"]
    orla.api("POST", "/workflows/999999/duplicate", 404)


def test_formulas_are_said_in_words(orla):
    connection, database = orla.connect("Enquiries"), orla.database("Notes", {"name": "Name", "type": "text"})
    name = database["fields"][0]["id"]
    body = document(connection, orla.folders["Enquiries"], database, {"Name": "subject"})
    flow = orla.workflow("From the post", body)
    when, *_, add = (line["id"] for line in body["lines"])

    def read(**words):
        return orla.api("POST", f"/workflows/{flow}/formula", json={"document": body, "line": add, **words})

    stands_in = {"line": when, "key": "sender.name", "text": "friend"}
    found = read(fallback=stands_in)
    assert found["text"] == 'first filled(Sender.Name, "friend")'
    clock = read(part={"line": when, "key": "date", "part": "time"})
    assert clock["text"] == "time(Date)" and clock["type"] == "time"
    ref = {"ref": {"line": when, "value": "subject"}}
    assert read(filling=[ref])["text"] == "Subject"
    assert read(filling=[{"text": "Re: "}, ref])["text"] == '"Re: " + as words(Subject)'
    body["lines"][-1]["fillings"] = [{"field": name, "filling": [{"formula": {"kind": "formula", "tree": found["tree"]}}]}]
    kept = orla.api("POST", f"/workflows/{flow}/rehearse", json={"document": body})["formulas"][found["tree"]]
    assert kept["fallback"] == stands_in and kept["part"] is None and kept["calculation"] is None


def test_a_schedule_that_is_half_typed_is_kept_in_the_draft(orla):
    made = orla.api("POST", "/workflows", 201, json={"name": "At times", "own": {"kind": "schedule", "cron": "99 8 * * MON"}})
    assert made["a_month"] is None and made["unfinished"] == made["document"]["lines"][0]["id"]
    made["document"]["lines"][0]["own"]["cron"] = "98 8 * * MON"
    sent = {"json": {"name": "At times", "document": made["document"]}, "headers": {"if-match": "1"}}
    assert orla.api("PUT", f"/workflows/{made['id']}", **sent)["draft_version"] == 2
