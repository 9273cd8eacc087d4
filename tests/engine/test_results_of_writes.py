"""What a line wrote is carried on whole: its identity, its link and all its fields, as the app says they are."""

from __future__ import annotations

from typing import Any

import pytest

from kelvix.core.query import Query
from sides import Issues, Outside, Own, Tables
from support import Person, until


def ref(line: str, value: str) -> list[dict[str, Any]]:
    return [{"ref": {"line": line, "value": value}}]


def fills(**fillings: list[dict[str, Any]]) -> list[dict[str, Any]]:
    return [{"field": field.removeprefix("f"), "filling": filling} for field, filling in fillings.items()]


@pytest.fixture
def noted(orla: Person):
    return orla.database("Noted", *({"name": name, "type": "text"} for name in ("Name", "Identity", "Number", "Creator")))


def flow(orla: Person, own: Own, to: Outside, noted: dict[str, Any]) -> int:
    name, identity, number, creator = (f"f{f['id']}" for f in noted["fields"][:4])
    add = {
        "verb": "add",
        "id": "a",
        "database": to.id,
        "fillings": [{"field": to.title, "filling": ref("w", own.key(own.title))}],
    }
    note = {"verb": "add", "id": "n", "database": noted["id"], "fillings": fills(**{
        name: ref("a", "title"), identity: ref("a", "identity"), number: ref("a", "f_number"),
        creator: ref("a", "f_created_by")})}  # fmt: skip
    return orla.workflow("Noted down", {"lines": [own.whens()[0], add, note]})


@pytest.mark.parametrize("kind", [Issues, Tables])
def test_what_the_app_says_of_an_item_that_was_added_is_carried_on(orla: Person, noted, kind: type[Outside]):
    own, to = Own(orla, "Faults"), kind(orla, "Oxbow")
    made = flow(orla, own, to, noted)
    orla.api("POST", f"/workflows/{made}/on")
    own.create({own.title: "Cipher on the Great"})
    [item] = until(lambda: to.source.query(Query(limit=5)).items)
    [kept] = until(lambda: orla.records(noted["id"]))
    assert [kept["values"][str(f["id"])] for f in noted["fields"][:4]] == [
        "Cipher on the Great",
        item.id,
        str(item.values["number"]),
        "Orla",
    ]


def test_a_rehearsal_says_that_it_is_known_once_the_line_has_run(orla: Person, noted):
    own, to = Own(orla, "Faults"), Issues(orla, "Oxbow")
    made = flow(orla, own, to, noted)
    own.create({own.title: "Cipher on the Great"})
    document = orla.api("GET", f"/workflows/{made}")["document"]
    orla.api("POST", f"/workflows/{made}/samples/fetch", json={"document": document, "count": 1})
    [cells] = orla.api("POST", f"/workflows/{made}/rehearse", json={"document": document})["cells"].values()
    said = [(f["state"], f["sentence"]) for f in cells[-1]["results"]]
    assert said[1:] == [("look", "is known once the line above has run")] * 3
    assert to.source.query(Query(limit=5)).items == ()
