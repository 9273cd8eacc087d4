"""Where is my item? Every fate, also when that is nothing."""

from __future__ import annotations

from datetime import timedelta

from kelvix.core.values import as_text
from support import turn_on, until


def link(on, message):
    return f"{on.person.kelvix.settings.practice_address}/mail/messages/{message}"


def test_every_fate(orla):
    orla.deliver("Old")
    orla.deliver("Old at the suppliers", folder="Suppliers")
    on = turn_on(orla, words=("quote",))
    assert on.where(link(on, on.newest_message()))["fate"] == "before_on"
    elsewhere = on.where(link(on, on.newest_message("Suppliers")))
    assert elsewhere["fate"] == "elsewhere" and "“Suppliers”" in elsewhere["sentence"]

    orla.deliver("Quote, please")
    until(on.titles)
    through = on.where(link(on, on.newest_message()))
    assert through["fate"] == "came_through" and "“Quote, please” in Enquiries" in through["sentence"]
    assert through["link"].endswith(f"/databases/{on.database['id']}/{orla.records(on.database['id'])[0]['id']}")

    orla.deliver("Newsletter")
    until(lambda: orla.runs(on.workflow, "passed_by"))
    passed = on.where(str(on.newest_message()))
    assert passed["fate"] == "passed_by" and "at line 2" in passed["sentence"]

    orla.deliver("", raw=b"From: a@b.example\r\n\r\nQuote?")
    until(lambda: len(orla.runs(on.workflow, "passed_by")) == 2)
    assert on.where(str(on.newest_message()))["fate"] == "passed_by"

    orla.faults(push="never")
    try:
        orla.deliver("Quote, unheard")
        unseen = on.where(str(on.newest_message()))
        assert unseen["fate"] == "next_check" and "Next check at" in unseen["sentence"]
    finally:
        orla.faults()
    on.check_now()
    until(lambda: on.where(str(on.newest_message()))["fate"] == "came_through")
    assert "at a check" in on.where(str(on.newest_message()))["sentence"]

    orla.api("POST", f"/workflows/{on.workflow}/off")
    orla.deliver("Quote, too late")
    assert on.where(str(on.newest_message()))["fate"] == "off"
    assert on.where("https://elsewhere.example/mail/messages/1")["fate"] == "not_understood"
    assert on.where("99999999")["fate"] == "not_there"


def test_a_failed_one_says_why(on):
    on.person.deliver("", raw=b"From: a@b.example\r\n\r\nhm")
    until(lambda: on.person.runs(on.workflow, "failed"))
    failed = on.where(str(on.newest_message()))
    assert failed["fate"] == "failed" and "Name is required" in failed["sentence"] and failed["run"]


def test_an_undone_one_says_so(on):
    orla = on.person
    orla.deliver("Unwanted")
    until(on.titles)
    [run] = orla.runs(on.workflow)
    assert orla.api("POST", f"/runs/{run['id']}/undo") == {"undone": 1, "trashed": 1, "kept": []}
    assert on.titles() == []
    assert "It was undone" in on.where(str(on.newest_message()))["sentence"]
    orla.api("POST", f"/runs/{run['id']}/undo", expect=404)


def test_a_record_edited_since_is_not_undone(on):
    orla = on.person
    orla.deliver("Edited")
    [record] = until(lambda: orla.records(on.database["id"]))
    orla.api(
        "PATCH",
        f"/databases/{on.database['id']}/records/{record['id']}",
        json={"values": {on.name_field: "By hand"}},
        headers={"if-match": "1"},
    )
    [run] = orla.runs(on.workflow)
    undone = orla.api("POST", f"/runs/{run['id']}/undo")
    assert undone["undone"] == 0 and "changed since" in undone["kept"][0]
    assert on.titles() == ["By hand"]


def test_a_workflow_never_turned_on(orla):
    on = turn_on(orla)
    other = orla.workflow("Never on", on.detail()["document"])
    orla.deliver("Hello")
    said = orla.api("POST", f"/workflows/{other}/where", json={"item": str(on.newest_message())})
    assert said["fate"] == "off" and "never been turned on" in said["sentence"]


def test_the_day_from_which_items_are_taken_is_not_that_of_the_second_version(orla):
    """Turned on anew while it is on, as after an edit, a workflow goes on from where it was."""
    orla.deliver("Before")
    on = turn_on(orla)
    orla.space.transact(
        lambda t: t.execute("UPDATE consumer SET since=since - INTERVAL 1 DAY WHERE workflow_id=%s", (on.workflow,))
    )
    orla.api("POST", f"/workflows/{on.workflow}/on")
    said = on.where(str(on.newest_message()))
    since = orla.space.row("SELECT since FROM consumer WHERE workflow_id=%s", (on.workflow,))["since"]
    turned = orla.space.row("SELECT turned_on_at FROM workflow WHERE id=%s", (on.workflow,))["turned_on_at"]
    assert said["fate"] == "before_on" and turned - since > timedelta(hours=1)
    assert f"before the workflow was turned on ({as_text(since, orla.space.zone)})" in said["sentence"]


def test_a_workflow_of_an_app_that_is_not_installed_says_so(orla):
    workflow = orla.workflow("Letters", {"lines": [{"verb": "when", "id": "w", "app": "letters", "container": "1"}]})
    said = orla.api("POST", f"/workflows/{workflow}/where", 409, json={"item": "1"})
    assert said["title"] == "The app “letters” is not installed. Choose another."
