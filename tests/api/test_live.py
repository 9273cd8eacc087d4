"""The stream of what should be read anew."""

from __future__ import annotations

import json
from contextlib import contextmanager

from kelvix.api.live import MAX_NAMED
from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.store import changes, databases
from kelvix.store.records import Origin


def first_topics(person) -> set[str]:
    """What a stream that is opened now tells first."""
    with person.web.stream("GET", "/api/v1/live") as stream:
        for line in stream.iter_lines():
            if line.startswith("data: "):
                return set(json.loads(line.removeprefix("data: ")))
    raise AssertionError("the stream ended")


@contextmanager
def stream(person):
    """A stream as it is open: its topics, as they come."""
    with person.web.stream("GET", "/api/v1/live", timeout=60) as opened:
        lines = opened.iter_lines()
        yield (topic for line in lines if line.startswith("data: ") for topic in json.loads(line.removeprefix("data: ")))


def test_a_change_says_which_record_and_how(orla):
    """Also of records that refer back, and of what nobody announced."""
    makers = orla.database("Makers", {"name": "Name", "type": "text"})
    works = orla.database(
        "Works", {"name": "Name", "type": "text"}, {"name": "Maker", "type": "reference", "refers_to": makers["id"]}
    )
    name, maker = (str(f["id"]) for f in works["fields"][:2])

    def made(database, **values):
        return orla.api("POST", f"/databases/{database['id']}/records", json={"values": values})["record"]["id"]

    ada = made(makers, **{str(makers["fields"][0]["id"]): "Ada"})
    with stream(orla) as topics:
        organ = made(works, **{name: "Organ", maker: [str(ada)]})
        orla.api("DELETE", f"/databases/{works['id']}/records/{organ}")
        wanted = [("added", works, organ), ("changed", makers, ada), ("deleted", works, organ)]
        found = []
        for topic in topics:
            assert not topic.startswith("records"), "each is named"
            if topic.startswith("record:"):
                _, database, record, kind, _ = topic.split(":")
                found.append((kind, int(database), int(record)))
            if all((kind, of["id"], record) in found for kind, of, record in wanted):
                break
        orla.space.transact(
            lambda t: write.add(
                t, orla.space.id, databases.get(t, orla.space.id, works["id"]), {name: "Silent"}, Actor(Origin())
            )
        )
        assert next(t for t in topics if t.startswith("record:") and ":added:" in t)


def test_of_very_many_changes_their_database_is_named(orla):
    table = orla.database("Tasks", {"name": "Name", "type": "text"})
    name = str(table["fields"][0]["id"])

    def add_many(t):
        database = databases.get(t, orla.space.id, table["id"])
        for n in range(MAX_NAMED + 100):
            write.add(t, orla.space.id, database, {name: f"Task {n}"}, Actor(Origin(person="Orla")))

    with stream(orla) as topics:
        orla.space.transact(add_many)
        orla.kelvix.engine.dispatch.announce(orla.space.id, "records")
        assert next(t for t in topics if t.startswith("record")) == f"records:{table['id']}"
        orla.api("POST", f"/databases/{table['id']}/records", json={"values": {name: "One more"}})
        assert next(t for t in topics if t.startswith("record:")).split(":")[3] == "added"


def test_records_are_read_by_their_ids(orla):
    table = orla.database("Tasks", {"name": "Name", "type": "text"})
    name = str(table["fields"][0]["id"])
    ids = [
        orla.api("POST", f"/databases/{table['id']}/records", json={"values": {name: f"{n}"}})["record"]["id"] for n in range(4)
    ]
    read = orla.api("GET", f"/databases/{table['id']}/records", params={"ids": [ids[0], ids[2], 999_999]})
    assert [r["id"] for r in read["records"]] == [ids[2], ids[0]] and read["next"] is None
    counted = orla.api("GET", f"/databases/{table['id']}")
    assert counted["records"] == 4 and counted["counted_to"] == orla.space.read(lambda t: changes.last(t, orla.space.id))


def test_what_changed_between_reading_a_page_and_opening_its_stream_is_told(kelvix, orla):
    """On a slow machine seconds lie between; what came meanwhile would never be shown."""
    other = kelvix.person("Bran")
    other.api("POST", "/workflows", json={"name": "Not theirs"})
    orla.database("Tasks", {"name": "Name", "type": "text"})
    assert first_topics(orla) == {"databases"}
    assert "databases" not in first_topics(other)
