"""From a message in a folder to a record in a database, through every process."""

from __future__ import annotations

import pytest

from support import Person, document, until

FIELDS = ({"name": "Name", "type": "text"}, {"name": "Address", "type": "email"}, {"name": "Received", "type": "datetime"})
FILLS = {"Name": "subject", "Address": "sender.address", "Received": "date", "Text": "text"}


@pytest.fixture
def on(orla: Person) -> tuple[Person, dict, int]:
    """A workflow that is on: person, database, workflow."""
    connection = orla.connect("Enquiries")
    database = orla.database("Enquiries", *FIELDS)
    workflow = orla.workflow("From the post", document(connection, orla.folders["Enquiries"], database, FILLS))
    orla.api("POST", f"/workflows/{workflow}/on")
    return orla, database, workflow


def test_a_message_becomes_a_record(on):
    orla, database, workflow = on
    orla.deliver("Quote for a tremulant", text="It has grown restless.")
    [record] = until(lambda: orla.records(database["id"]))
    name, address, _received, text = (str(f["id"]) for f in database["fields"])
    assert record["values"][name] == "Quote for a tremulant"
    assert record["values"][address] == "ada.pell@stbride.example"
    assert record["values"][text] == "It has grown restless."
    [run] = orla.runs(workflow)
    assert run["state"] == "done" and [ln["outcome"] for ln in run["lines"]] in (["in", "added"], ["added", "in"])
    detail = orla.api("GET", f"/databases/{database['id']}/records/{record['id']}")
    assert detail["origins"][address]["words"] == "Message › Sender › Address"
    assert detail["source_link"].startswith(orla.kelvix.settings.practice_address)


def test_pushed_twice_and_polled_makes_one_record(on):
    orla, database, workflow = on
    orla.faults(push="twice")
    try:
        orla.deliver("Loft visit")
        until(lambda: orla.records(database["id"]))
        orla.api("POST", f"/workflows/{workflow}/check-now")
        until(lambda: orla.api("GET", f"/workflows/{workflow}")["watch"]["last_check_at"])
    finally:
        orla.faults()
    orla.deliver("A second one")
    until(lambda: len(orla.records(database["id"])) == 2)
    assert len(orla.runs(workflow)) == 2
