"""List lines: the options of a field, or the places of an app, as values that lines below go through."""

from __future__ import annotations

import pytest

from sides import Issues, Own, Tasks
from support import until


@pytest.fixture
def told(orla):
    return orla.database("Told", {"name": "Name", "type": "text"}, {"name": "Link", "type": "text"})


def flow(orla, told, line: dict) -> int:
    """Whatever happens, what the line lists is written down, a record for each."""
    faults = orla.database("Faults", {"name": "Name", "type": "text"})
    name, link = (f["id"] for f in told["fields"][:2])
    when = {"verb": "when", "id": "w", "own": {"kind": "record", "database": faults["id"], "event": "added"}}
    each = {"verb": "repeat", "id": "r", "of": {"line": "l", "value": "rows"}}
    filled = [
        {"field": f, "filling": [{"ref": {"line": "r", "value": f"each.{key}"}}]} for f, key in ((name, "name"), (link, "link"))
    ]
    add = {"verb": "add", "id": "a", "database": told["id"], "within": "r", "fillings": filled}
    made = orla.workflow("Lists", {"lines": [when, {"verb": "list", "id": "l", **line}, each, add]})
    orla.faults_of = faults
    return made


def start(orla) -> None:
    title = orla.faults_of["fields"][0]["id"]
    orla.api("POST", f"/databases/{orla.faults_of['id']}/records", json={"values": {title: "Cipher"}})


def written(orla, told) -> list[str]:
    name = told["fields"][0]["id"]
    return sorted(r["values"][name] for r in orla.records(told["id"]))


def test_the_options_of_a_field_are_gone_through(orla, told):
    own = Own(orla, "Stock")
    field = own.fields()["choice"]
    made = flow(orla, told, {"database": own.id, "field": field.id})
    orla.api("POST", f"/workflows/{made}/on")
    start(orla)
    until(lambda: orla.runs(made, "done"))
    assert written(orla, told) == ["Fault", "Wish"]


def test_the_places_of_an_app_are_gone_through_with_their_links(orla, told):
    for name in ("Here", "There"):
        orla.container("tasks", name)
    connection = orla.connect("Here", "There", app="tasks", send=True)
    here = str(orla.container("tasks", "Here"))
    place = orla.api("POST", "/places", json={"connection": connection, "place": here})
    made = flow(orla, told, {"database": place["id"], "field": None})
    orla.api("POST", f"/workflows/{made}/on")
    start(orla)
    until(lambda: orla.runs(made, "done"))
    assert written(orla, told) == ["Here", "There"]
    link = told["fields"][1]["id"]
    assert all("/tasks/lists/" in r["values"][link] for r in orla.records(told["id"]))


def test_options_of_a_project_are_listed_and_a_field_without_options_is_said(orla, told):
    issues = Issues(orla, "Works")
    status = next(f for f in issues.source.schema().fields if f.name == "Status")
    made = flow(orla, told, {"database": issues.id, "field": status.id})
    orla.api("POST", f"/workflows/{made}/on")
    start(orla)
    until(lambda: orla.runs(made, "done"))
    assert written(orla, told) == sorted(c.name for c in status.choices)


@pytest.mark.parametrize(
    "line, says",
    [
        ({}, "choose a database"),
        ({"database": 99}, "was deleted"),
        ({"database": "own"}, "choose a field whose options are listed"),
        ({"database": "own", "field": "f99"}, "no longer has the field"),
        ({"database": "own", "field": "title"}, "this field has no options"),
    ],
)
def test_what_is_unfinished_is_said(orla, told, line, says):
    own = Own(orla, "Stock")
    named = {"own": own.id, "title": own.title}
    made = flow(orla, told, {key: named.get(value, value) for key, value in line.items()})
    refused = orla.api("POST", f"/workflows/{made}/on", expect=409)
    assert any(says in f["sentence"] for f in refused["findings"]), refused["findings"]


def test_a_run_that_was_cut_goes_on_with_what_it_listed(orla, told, by_hand):
    tasks = Tasks(orla, "Here")
    orla.connect("Here", "There", connection=tasks.connection, app="tasks", send=True)
    made = flow(orla, told, {"database": tasks.id, "field": None})
    run = by_hand.begin(made, {})
    by_hand.cut(run, 2)
    orla.connect("Here", "There", "Later", connection=tasks.connection, app="tasks", send=True)
    assert by_hand.carry(run)["state"] == "done"
    assert written(orla, told) == ["Here", "There"]
