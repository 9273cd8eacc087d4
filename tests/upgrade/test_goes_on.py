"""A data folder that an earlier version left in the middle of everything: all of it goes on, its runs are looked back at as they
were, and there is not one event too many or too few."""

from __future__ import annotations

import gzip
import json
import re
import shutil
from collections import Counter
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx2 as httpx
import pytest

from kelvix import processes
from kelvix.commands.mariadb import MariaDB
from kelvix.core.upgrading import upgraded
from kelvix.store import people, workflows
from support import Kelvix, Person, until
from upgrade import dumping
from upgrade.ledger import ledger, runs

FOLDER = Path(__file__).parent / "folder"
LATER = 2 * 3600  # seconds after it was left that it is opened: what settled has settled, what waited goes on, checks are due
DATED = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(\.\d+)?(Z|\+00:00)?")


def some_ports() -> int:
    """The first of those that an installation takes, all of them free."""
    while True:
        first = processes.free_port()
        try:
            for more in (1, 25, 26, 40):
                processes.free_port(first + more)
            return first
        except OSError:
            continue


def as_read(told: Any) -> Any:
    """The same with each document as it is read now: what it does not say stands as it is unless it is said."""
    if isinstance(told, list):
        return [as_read(one) for one in told]
    if not isinstance(told, dict):
        return told
    if isinstance(told.get("lines"), list) and any(isinstance(one, dict) and "verb" in one for one in told["lines"]):
        return json.loads(workflows.dump(workflows.parse(json.dumps(told))))
    return {key: as_read(value) for key, value in told.items()}


class Opened:
    """The folder, opened by this version, with everything but the worker running. `was`: the ledger of when it was left."""

    def __init__(self, folder: Path):
        self.was: dict[str, Any] = json.loads(gzip.decompress((FOLDER / "ledger.json.gz").read_bytes()))
        port = some_ports()
        self.ports = dict(zip(self.was["ports"], (port, port + 1), strict=True))
        later = (datetime.now(UTC) - datetime.fromisoformat(self.was["left_at"])).total_seconds() - LATER
        mariadb = MariaDB(folder / "mariadb")
        mariadb.start()
        for schema in ("kelvix", "practice"):
            server = mariadb.server("kelvix" if schema == "kelvix" else "kelvix_practice")
            dumping.load(server, FOLDER / f"{schema}.sql.gz", self.ports, later)
        mariadb.stop()
        shutil.copy(FOLDER / "key", folder / "key")
        self.kelvix = Kelvix(folder, port=port, begins_with=("practice", "web"))
        self.p = self.person("owner", self.was["account"])
        self.flows: dict[str, int] = self.was["flows"]

    def person(self, who: str, account: int) -> Person:
        found = people.by_id(self.kelvix.engine.directory.home, self.was[who])
        assert found
        return Person(self.kelvix, found, account)

    def now(self) -> dict[str, Any]:
        return ledger(self.p, self.flows, self.kelvix.practice.received("left"))

    def here(self, told: Any) -> Any:
        """What the ledger says, with this installation's ports in its links, without times: all were put off; with fields by
        their names, which were numbers then; and with what documents can say since."""
        text = json.dumps(told)
        for before, now in self.ports.items():
            text = text.replace(f":{before}/", f":{now}/")
        return as_read(upgraded(json.loads(DATED.sub("then", text))))

    def notes(self, of: str) -> list[str]:
        """The names of those that a workflow added, the first first."""
        [table] = [d["id"] for d in self.p.api("GET", "/databases") if d["name"] == "Notes"]
        name, flow = (str(f["id"]) for f in self.p.api("GET", f"/databases/{table}")["fields"][:2])
        return [r["values"][name] for r in self.p.records(table)[::-1] if r["values"][flow] == of]

    def titles(self, database: str) -> list[str]:
        [found] = [d["id"] for d in self.p.api("GET", "/databases") if d["name"] == database]
        name = str(self.p.api("GET", f"/databases/{found}")["fields"][0]["id"])
        return sorted(r["values"][name] for r in self.p.records(found))

    def call(self, door: str, name: str, key: str | None = None) -> dict[str, Any]:
        address = self.here(self.was["doors"][door])
        headers = {"idempotency-key": key} if key else {}
        answer = httpx.post(address, json={"name": name}, headers=headers, trust_env=False)
        assert answer.status_code == 202, answer.text
        return answer.json()

    def answer(self, question: str, **said: Any) -> None:
        [need] = until(lambda: [n for n in self.p.api("GET", "/needs") if n["question"] == question])
        self.p.api("POST", f"/needs/{need['id']}", json=said)


@pytest.fixture(scope="module")
def opened(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Opened]:
    found = Opened(tmp_path_factory.mktemp("left"))
    yield found
    found.kelvix.stop()


def test_what_was_is_looked_back_at_as_it_was(opened):
    was, now = opened.here(opened.was), opened.here(opened.now())
    for part in now:
        assert now[part] == was[part], part
    shown = opened.kelvix.practice.accounts()[0]["id"]
    assert opened.here(runs(opened.person("demo_owner", shown))) == was["demo"]


def test_all_of_it_goes_on(opened):
    p, flows, before = opened.p, opened.flows, opened.now()
    opened.kelvix.installation.start("worker")

    # By themselves: what one had read and the other had not, what was cut, what settled, waited, and had not begun.
    until(lambda: "Read by none" in opened.titles("From the post"))
    until(lambda: {"Read by one", "Read by none"} <= set(opened.titles("Second copy")))
    until(lambda: opened.notes("Cut") == ["cut in its middle"], 60)
    until(lambda: opened.notes("Settling") == ["Bellows"])  # the other was changed since, and settles anew
    until(lambda: opened.notes("Reached") == ["Bellows", "Reeds"])
    until(lambda: "not begun" in opened.notes("Address"))
    until(lambda: p.runs(flows["Waits"], "done"))
    assert opened.notes("Waits") == []

    # A connection with the token that was sealed; a secret in a header; an address; what was recognised is recognised.
    [first, *_], where = before["events"]["From the post"], f"/workflows/{flows['From the post']}/where"
    assert p.api("POST", where, json={"item": first[0]})["fate"] == "came_through"
    elsewhere = opened.kelvix.practice.items(p.folders["Suppliers"], 1)[0]["id"]
    assert p.api("POST", where, json={"item": str(elsewhere)})["fate"] == "elsewhere"
    sent = {"one": "first", "two": "second", "three": "not begun", "four": "new"}
    assert [opened.call("Address", name, key)["new"] for key, name in sent.items()] == [False, False, False, True]
    until(lambda: opened.notes("Address")[-1] == "new")
    assert not opened.call("Door that is shut", "held 1", "held-1")["new"]

    # By a person: what was paused, off, half-way, failed, in doubt, asked.
    assert p.api("GET", f"/workflows/{flows['Off']}/missed")["count"] == 3
    p.api("POST", f"/workflows/{flows['Off']}/on", json={"carry_missed": True})
    assert p.api("GET", f"/workflows/{flows['Door that is shut']}")["held"]["count"] == 3
    assert p.api("GET", f"/workflows/{flows['Held']}")["held"]["count"] == 2
    for name in ("Door that is shut", "Held"):
        p.api("POST", f"/workflows/{flows[name]}/on")
    caught = p.api("GET", f"/workflows/{flows['Caught up']}/catch-up")
    assert caught["state"] == "paused" and caught["done"] + caught["to_come"] == 20
    p.api("POST", f"/workflows/{flows['Caught up']}/catch-up/{caught['id']}/resume")
    [failed] = p.runs(flows["Tells others"], "failed")
    p.api("POST", f"/runs/{failed['id']}/again", 202, json={"start": "failed"})
    opened.answer("It is not known whether a web request arrived. Look there: did it?", answer="arrived")
    opened.answer("Keep open?", answer="yes", values={"k": "open, edited"})
    opened.answer("Keep behind it?", answer="no")
    leather = next(r for r in before["records"]["Tasks"] if "Leather" in r["values"].values())
    tasks = next(d for d in p.api("GET", "/databases") if d["name"] == "Tasks")
    who = next(f["id"] for f in p.api("GET", f"/databases/{tasks['id']}")["fields"] if f["name"] == "Who")
    filled = {"values": {str(who): "Ivo"}}
    p.api(
        "PATCH", f"/databases/{tasks['id']}/records/{leather['id']}", json=filled, headers={"if-match": str(leather["version"])}
    )
    until(lambda: len(p.space.rows("SELECT 1 FROM settling WHERE due_at IS NOT NULL")) == 2)
    p.space.transact(lambda t: t.execute("UPDATE settling SET due_at=NOW(3) WHERE due_at IS NOT NULL"))  # ten minutes pass

    until(lambda: opened.titles("Off")[3:] == ["Read by none", "Read by one", "While one is off"])
    # They begin in order, side by side: this workflow takes any order, so that none waits for another and they may end in any.
    until(lambda: sorted(opened.notes("Door that is shut")[1:]) == ["held 0", "held 1", "held 2"])
    begun = sorted(p.runs(flows["Door that is shut"]), key=lambda run: run["id"])
    assert [run["title"] for run in begun][-3:] == ["held 0", "held 1", "held 2"]
    until(lambda: opened.titles("Held") == ["Held 0", "Held 1"])
    until(lambda: opened.titles("Old letters") == [f"Old {n:02}" for n in range(20)], 60)
    until(lambda: sorted(opened.notes("Tells others")) == ["answered", "in doubt", "refused"])
    until(lambda: p.runs(flows["Asks"], "passed_by") and opened.notes("Asks")[1:] == ["open, edited"])
    until(lambda: sorted(opened.notes("Settling")) == ["Bellows", "Leather", "Reeds"])

    # Everything is looked at once more, and nothing more comes of it.
    p.space.transact(lambda t: t.execute("UPDATE subscription SET next_check_at=NOW(3) WHERE state='on'"))
    until(lambda: not p.space.rows("SELECT 1 FROM subscription WHERE state='on' AND next_check_at <= NOW(3)"))
    p.deliver("The last"), p.deliver("The last of all", "Suppliers")
    until(lambda: "The last" in opened.titles("Off") and "The last of all" in opened.titles("Held"))
    until(lambda: not p.space.rows("SELECT 1 FROM ready WHERE workspace_id=%s", (p.space.id,)))
    now = opened.now()
    new = {name: len(now["events"][name]) - len(before["events"][name]) for name in flows}
    assert new == {
        "From the post": 2, "Second copy": 3, "Off": 4, "Held": 3, "Caught up": caught["to_come"], "Address": 1,
        "Door that is shut": 3, "Tells others": 0, "Asks": 0, "Waits": 0, "Settling": 3, "Reached": 1, "Cut": 0,
    }  # fmt: skip
    for name, events in before["events"].items():
        assert now["events"][name][: len(events)] == events
        assert len({json.dumps(e) for e in now["events"][name]}) == len(now["events"][name])
        assert len(now["runs"][name]) == len(now["events"][name]), "each event was carried once"
    assert Counter(json.loads(body)["name"] for _, body, _ in now["received"]) == dict.fromkeys(
        ("answered", "in doubt", "refused", "cut in its middle"), 1
    )
    secrets = [r["headers"].get("authorization") for r in opened.kelvix.practice.received("left") if r["method"] == "POST"]
    assert secrets == [opened.was["secret"]] * 3

    # What is over can still be undone, and what was deleted comes back.
    [second] = [r for r in now["runs"]["Second copy"] if r["run"]["title"] == "Letter 1"]
    assert p.api("POST", f"/runs/{second['run']['id']}/undo")["kept"] == []
    assert "Letter 1" not in opened.titles("Second copy") and "Letter 1" in opened.titles("From the post")
    entry = next(t["id"] for t in p.api("GET", "/trash")["entries"] if t["name"] == "Given up")
    p.api("POST", "/trash/restore", json={"entries": [entry]})
    assert opened.titles("Given up") == []
