"""The trash: what was deleted is listed with who and when, comes back as it was, and goes for good after thirty days."""

from __future__ import annotations

import json

import pytest

from kelvix.engine import upkeep
from kelvix.store import trash
from support import FIELDS, Person, turn_on


@pytest.fixture
def made(orla):
    database = orla.database(
        "Tasks", {"name": "Name", "type": "text"}, {"name": "Tags", "type": "labels", "choices": ["Loft", "Nave"]}
    )
    return orla, database, {f["name"]: str(f["id"]) for f in database["fields"]}


def entries(person: Person, query: str = "") -> list[dict]:
    return person.api("GET", f"/trash{query}")["entries"]


def add(person: Person, database: dict, **values) -> int:
    ids = {f["name"]: str(f["id"]) for f in database["fields"]}
    body = {"values": {ids[k]: v for k, v in values.items()}}
    return person.api("POST", f"/databases/{database['id']}/records", json=body)["record"]["id"]


def test_records_fields_databases_and_workflows_are_listed_with_who_and_when_and_come_back(made):
    orla, database, ids = made
    record = add(orla, database, Name="Order felt", Tags=["1"])
    workflow = orla.api("POST", "/workflows", json={"name": "From the post"})["id"]
    here = f"/databases/{database['id']}"
    orla.api("DELETE", f"{here}/records/{record}")
    orla.api("DELETE", f"{here}/fields/{ids['Tags']}")
    orla.api("DELETE", f"/workflows/{workflow}")
    orla.api("GET", f"/workflows/{workflow}", expect=404)
    assert [w["id"] for w in orla.api("GET", "/workflows")] == []
    orla.api("DELETE", here)
    found = entries(orla)
    assert [(e["kind"], e["name"], e["database"], e["deleted_by"]) for e in found] == [
        ("database", "Tasks", None, "Orla"),
        ("workflow", "From the post", None, "Orla"),
        ("field", "Tags", "Tasks", "Orla"),
        ("record", "Order felt", "Tasks", "Orla"),
    ]
    assert all(e["at"] < e["until"] for e in found)
    assert [e["name"] for e in entries(orla, "?kind=record")] == ["Order felt"]
    page = orla.api("GET", "/trash?limit=3")
    assert [e["kind"] for e in entries(orla, f"?before={page['next']}")] == ["record"]

    alone = orla.api("POST", "/trash/restore", json={"entries": [found[3]["id"]]}, expect=409)
    assert alone["title"] == "Tasks is in the trash too."
    back = orla.api("POST", "/trash/restore", json={"entries": [e["id"] for e in found]})
    assert [b["kind"] for b in back] == ["workflow", "database", "field", "record"] and entries(orla) == []
    [kept] = orla.records(database["id"])
    assert kept["values"][ids["Name"]] == "Order felt" and kept["values"][ids["Tags"]] == ["1"]
    assert orla.api("GET", f"/workflows/{workflow}")["state"] == "off"
    orla.api("POST", "/trash/restore", json={"entries": [found[0]["id"]]}, expect=404)


def test_many_records_go_at_once_or_not_at_all_and_an_undone_deletion_leaves_the_trash(made):
    orla, database, _ = made
    records = [add(orla, database, Name=f"n{n}") for n in range(4)]
    here = f"/databases/{database['id']}/records"
    orla.api("POST", f"{here}/delete", json={"records": [records[0], 10**12]}, expect=404)
    assert len(orla.records(database["id"])) == 4 and entries(orla) == []
    gone = orla.api("POST", f"{here}/delete", json={"records": records[:3]})
    assert len(gone["entries"]) == 3 and [e["name"] for e in entries(orla)] == ["n2", "n1", "n0"]
    orla.api("POST", "/trash/restore", json=gone)
    undone = orla.api("DELETE", f"{here}/{records[3]}")["change"]
    assert len(entries(orla)) == 1
    orla.api("POST", f"/changes/{undone}/undo")
    assert entries(orla) == [] and len(orla.records(database["id"])) == 4


def test_a_field_does_not_come_back_beside_one_of_the_same_name(made):
    orla, database, ids = made
    gone = orla.api("DELETE", f"/databases/{database['id']}/fields/{ids['Tags']}")
    orla.api("POST", f"/databases/{database['id']}/fields", json={"name": "Tags", "type": "text"})
    assert "called Tags already" in orla.api("POST", "/trash/restore", json=gone, expect=422)["title"]
    assert len(entries(orla)) == 1


def test_what_a_running_workflow_or_an_address_uses_says_so_first(orla):
    on = turn_on(orla)
    here = f"/databases/{on.database['id']}"
    ids = {f["name"]: str(f["id"]) for f in on.database["fields"]}
    spare = orla.api("POST", f"{here}/fields", json={"name": "Spare", "type": "text"})["id"]
    orla.api("POST", "/capture/addresses", json={"name": "From the phone", "database": on.database["id"]})
    said = orla.api("DELETE", here, expect=409)
    assert said["title"] == "Enquiries is used by From the post, the address From the phone."
    assert [(u["kind"], u["name"]) for u in said["uses"]] == [("workflow", "From the post"), ("address", "From the phone")]
    assert orla.api("GET", f"{here}/uses") == said["uses"]
    assert "used by From the post" in orla.api("DELETE", f"{here}/fields/{ids['Address']}", expect=409)["title"]
    orla.api("DELETE", f"{here}/fields/{spare}")  # no line fills it
    orla.api("POST", f"/workflows/{on.workflow}/off")
    orla.api("DELETE", f"{here}/fields/{ids['Address']}")  # nothing that runs uses it
    assert orla.api("GET", f"{here}/uses") == [said["uses"][1]]


def test_the_trash_of_one_workspace_is_not_anothers(kelvix, made):
    orla, database, _ = made
    orla.api("DELETE", f"/databases/{database['id']}")
    other = kelvix.person("Bran")
    assert entries(other) == []
    other.api("POST", "/trash/restore", json={"entries": [entries(orla)[0]["id"]]}, expect=404)


def test_after_thirty_days_things_go_for_good(made, kelvix):
    orla, database, ids = made
    kept = add(orla, database, Name="Kept")
    add(orla, database, Name="Gone", Tags=["1", "2"])
    gone = orla.records(database["id"])[0]["id"]
    other = orla.database("Old", *FIELDS)
    add(orla, other, Name="Old one")
    orla.api("POST", f"/databases/{other['id']}/views", json={"name": "Mine", "view": {"kind": "table"}})
    workflow = orla.api("POST", "/workflows", json={"name": "Old way"})["id"]
    orla.api("DELETE", f"/databases/{database['id']}/records/{gone}")
    orla.api("DELETE", f"/databases/{database['id']}/fields/{ids['Tags']}")
    orla.api("DELETE", f"/databases/{other['id']}")
    orla.api("DELETE", f"/workflows/{workflow}")
    recent = add(orla, database, Name="Recent")
    orla.space.transact(
        lambda t: t.execute("UPDATE trash SET at=NOW(3) - INTERVAL 31 DAY WHERE workspace_id=%s", (orla.space.id,))
    )
    orla.api("DELETE", f"/databases/{database['id']}/records/{recent}")
    upkeep.prune(kelvix.engine, orla.space.id)
    assert [e["name"] for e in entries(orla)] == ["Recent"]
    assert [r["id"] for r in orla.records(database["id"])] == [kept]

    def there(what: str, *args) -> bool:
        return orla.space.read(lambda t: t.row(what, args)) is not None

    assert not there(f"SELECT 1 FROM record_{database['id']} WHERE id=%s", gone)
    assert not there("SELECT 1 FROM record_label WHERE database_id=%s", database["id"])
    assert not there("SHOW TABLES LIKE %s", f"record_{other['id']}")
    assert not there(f"SHOW COLUMNS FROM record_{database['id']} LIKE %s", f"f_{ids['Tags']}")
    assert not there("SELECT 1 FROM field WHERE id=%s", ids["Tags"]) and not there(
        "SELECT 1 FROM `database` WHERE id=%s", other["id"]
    )
    assert not there("SELECT 1 FROM view WHERE database_id=%s", other["id"])
    assert not there("SELECT 1 FROM workflow WHERE id=%s", workflow)
    log = orla.space.read(
        lambda t: t.rows("SELECT after_values FROM `change` WHERE workspace_id=%s ORDER BY seq", (orla.space.id,))
    )
    said = json.dumps([r["after_values"] for r in log], default=str)
    assert "Gone" not in said and "Old one" not in said and "Kept" in said and len(log) == 6, (
        "the log keeps its numbers, not values"
    )
    assert trash.empty_old(orla.space) == 0


def test_what_is_restored_while_old_things_go_loses_nothing(made):
    """The list of what is old was read before it was restored."""
    orla, database, ids = made
    record = add(orla, database, Name="Order felt", Tags=["1"])
    orla.api("DELETE", f"/databases/{database['id']}/records/{record}")
    orla.api("POST", "/trash/restore", json={"entries": [entries(orla)[0]["id"]]})
    trash._let_go(orla.space, "record", database["id"], record)
    trash._let_go(orla.space, "database", 0, database["id"])
    detail = orla.api("GET", f"/databases/{database['id']}/records/{record}")
    assert detail["record"]["values"][ids["Tags"]] == ["1"] and detail["history"][-1]["after"][ids["Name"]] == "Order felt"


def test_what_refers_to_a_database_or_back_is_said_too(orla):
    """Fields that refer to it go with it, and a field with the one at the other side."""
    organs = orla.database("Organs", {"name": "Name", "type": "text"})
    visits = orla.database(
        "Visits", {"name": "Name", "type": "text"}, {"name": "Organ", "type": "reference", "refers_to": organs["id"]}
    )
    name, organ = (f["id"] for f in visits["fields"][:2])
    back = orla.api("GET", f"/databases/{organs['id']}")["fields"][1]["id"]
    when = {"verb": "when", "id": "w", "connection": orla.connect("Enquiries"), "container": str(orla.folders["Enquiries"])}
    fillings = [
        {"field": name, "filling": [{"text": "Visit"}]},
        {"field": organ, "filling": [{"ref": {"line": "w", "value": "link"}}]},
    ]
    workflow = orla.workflow(
        "Visits", {"lines": [when, {"verb": "add", "id": "a", "database": visits["id"], "fillings": fillings}]}
    )
    orla.api("POST", f"/workflows/{workflow}/on")
    for where in (f"/databases/{organs['id']}", f"/databases/{organs['id']}/fields/{back}"):
        assert [u["name"] for u in orla.api("DELETE", where, 409)["uses"]] == ["Visits"], where
    assert orla.api("GET", f"/databases/{visits['id']}/uses")
