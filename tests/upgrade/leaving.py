"""Leaves a data folder in the middle of everything, with the demo beside it, and a ledger of what was taken in. Was run once, of the
version whose folders later ones must open; it is kept to show what stands in the folder, and for the next such version."""

from __future__ import annotations

import gzip
import json
import shutil
import signal
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx2 as httpx

from kelvix.demo.load import load
from kelvix.engine import switch
from kelvix.store import people
from support import FIELDS, FILLS, Kelvix, Person, document, until
from upgrade import dumping
from upgrade.ledger import ledger, runs

FOLDER = Path(__file__).parent / "folder"
SECRET = "tremulant-81"  # what a header of a web request says, sealed
QUIET = 600  # seconds; nothing settles before the folder is left
WAITS = 15  # minutes; and no run that waits goes on


class Leaving:
    """A person in whose workspace all of it stands. `flows` are the workflows by the names in which the ledger has them."""

    def __init__(self, kelvix: Kelvix):
        self.kelvix, self.p = kelvix, kelvix.person("Orla")
        self.flows: dict[str, int] = {}
        self.doors: dict[str, str] = {}
        self.mail = self.p.connect("Enquiries", "Suppliers", send=True)
        self.receiver = f"{kelvix.settings.practice_address}/receiver/api/left"
        self.notes = self.p.database("Notes", {"name": "Name", "type": "text"}, {"name": "From", "type": "text"})
        self.name, self.of = (f["id"] for f in self.notes["fields"][:2])

    def flow(self, name: str, lines: list[dict[str, Any]], on: bool = True, **more: Any) -> int:
        self.flows[name] = made = self.p.workflow(name, {"lines": lines} | more)
        if lines[0].get("own", {}).get("kind") == "address":
            self.doors[name] = self.p.api("POST", f"/workflows/{made}/address")["address"]
        if on:
            self.p.api("POST", f"/workflows/{made}/on")
        return made

    def note(self, flow: str, *filling: dict[str, Any]) -> dict[str, Any]:
        """A line that adds a note of what a workflow carried."""
        fillings = [{"field": self.name, "filling": list(filling)}, {"field": self.of, "filling": [{"text": flow}]}]
        return {"verb": "add", "id": "a", "database": self.notes["id"], "fillings": fillings}

    def call(self, door: str, name: str, key: str | None = None) -> httpx.Response:
        headers = {"idempotency-key": key} if key else {}
        answer = httpx.post(self.doors[door], json={"name": name}, headers=headers, trust_env=False)
        assert answer.status_code == 202, answer.text
        return answer

    def ended(self, flow: str, number: int) -> None:
        """So many runs of a workflow are done."""
        until(lambda: len(self.p.runs(self.flows[flow], "done")) == number)


ASKED = {"verb": "when", "id": "w", "own": {"kind": "address", "inputs": [{"key": "name", "name": "Name", "type": "text"}]}}
ITS_NAME = {"ref": {"line": "w", "value": "name"}}


def mails(left: Leaving) -> None:
    """Two workflows that listen to one folder, of which one is behind; a workflow that was on and is off; one that is paused, with its mails held."""
    p = left.p
    for name, folder in (
        ("From the post", "Enquiries"),
        ("Second copy", "Enquiries"),
        ("Off", "Enquiries"),
        ("Held", "Suppliers"),
    ):
        into = p.database(name, *FIELDS)
        lines = document(left.mail, p.folders[folder], into, FILLS)["lines"]
        left.flow(name, lines)
    for n in range(3):
        p.deliver(f"Letter {n}")
    for flow in ("From the post", "Second copy", "Off"):
        left.ended(flow, 3)
    p.api("POST", f"/workflows/{left.flows['Off']}/off")
    p.deliver("While one is off")
    left.ended("From the post", 4), left.ended("Second copy", 4)
    switch.pause(left.kelvix.engine, p.space, left.flows["Held"], "five runs failed")
    p.deliver("Held 0", "Suppliers"), p.deliver("Held 1", "Suppliers")
    until(lambda: (p.api("GET", f"/workflows/{left.flows['Held']}")["held"] or {}).get("count") == 2)


def past(left: Leaving) -> None:
    """A catch-up that was paused half-way."""
    p = left.p
    for n in range(20):
        p.deliver(f"Old {n:02}", "Empty")
    connection = p.connect("Empty")
    into = p.database("Old letters", *FIELDS)
    flow = left.flow("Caught up", document(connection, p.folders["Empty"], into, FILLS)["lines"], on=False)
    items = [i["id"] for i in p.api("POST", f"/workflows/{flow}/past", json={"recognises": {}})["items"]]
    assert len(items) == 20
    p.faults("slow")
    begun = p.api("POST", f"/workflows/{flow}/catch-up", 202, json={"items": items[::-1], "recognises": {}})
    until(lambda: p.api("GET", f"/workflows/{flow}/catch-up")["done"] > 0, 60)
    p.api("POST", f"/workflows/{flow}/catch-up/{begun['id']}/pause")
    until(lambda: p.api("GET", f"/workflows/{flow}/catch-up")["on_the_way"] == 0, 60)
    p.faults()
    assert 0 < p.api("GET", f"/workflows/{flow}/catch-up")["to_come"] < 20


def requests(left: Leaving) -> None:
    """An address in use; requests held; a web request in doubt, one that failed; questions, one behind another."""
    p = left.p
    left.flow("Address", [ASKED, left.note("Address", ITS_NAME)])
    left.call("Address", "first", "one"), left.call("Address", "second", "two")
    left.ended("Address", 2)
    left.flow("Door that is shut", [ASKED, left.note("Door that is shut", ITS_NAME)])
    left.call("Door that is shut", "before")
    left.ended("Door that is shut", 1)
    switch.pause(left.kelvix.engine, p.space, left.flows["Door that is shut"], "five runs failed")
    for n in range(3):
        left.call("Door that is shut", f"held {n}", f"held-{n}")
    body = [{"key": "name", "filling": [ITS_NAME]}]
    sends = {"verb": "web_request", "id": "r", "address": [{"text": left.receiver}], "body": body}
    flow = left.flow("Tells others", [ASKED, sends, left.note("Tells others", ITS_NAME)], on=False)
    number = p.api("POST", f"/workflows/{flow}/secrets", 201, json={"secret": SECRET})["number"]
    kept = p.api("GET", f"/workflows/{flow}")
    kept["document"]["lines"][1]["headers"] = [{"name": "Authorization", "filling": [], "secret": number}]
    saved = {"name": kept["name"], "document": kept["document"]}
    p.api("PUT", f"/workflows/{flow}", json=saved, headers={"if-match": str(kept["draft_version"])})
    p.api("POST", f"/workflows/{flow}/on")
    left.call("Tells others", "answered")
    left.ended("Tells others", 1)
    p.faults("refusing", app="receiver")
    left.call("Tells others", "refused")
    until(lambda: p.runs(flow, "failed"))
    p.faults("unanswered", app="receiver")
    left.call("Tells others", "in doubt")
    until(lambda: [n for n in p.api("GET", "/needs") if n["kind"] == "doubt"])
    p.faults(app="receiver")
    shown = [{"key": "k", "name": "Note", "made": {"kind": "filled", "filling": [ITS_NAME]}}]
    asks = {"verb": "ask", "id": "q", "asking": [{"text": "Keep "}, ITS_NAME, {"text": "?"}], "shown": shown}
    left.flow("Asks", [ASKED, asks, left.note("Asks", {"ref": {"line": "q", "value": "k"}})], order="all")
    left.call("Asks", "answered")
    asked = until(lambda: [n for n in p.api("GET", "/needs") if n["kind"] == "approval"])
    p.api("POST", f"/needs/{asked[0]['id']}", json={"answer": "yes", "values": {"k": "answered, edited"}})
    left.ended("Asks", 1)
    left.call("Asks", "open"), left.call("Asks", "behind it")
    until(lambda: [n for n in p.api("GET", "/needs") if n["kind"] == "approval"])


def writes(left: Leaving) -> None:
    """A run that added, changed and handed over, and waits; then it deletes what it added."""
    adds = left.note("Waits", ITS_NAME)
    changed = {"field": left.name, "filling": [ITS_NAME, {"text": ", waiting"}]}
    update = {"verb": "update", "id": "u", "of": "a", "fillings": [changed]}
    given = [{"key": "name", "filling": [{"text": "handed over by "}, ITS_NAME]}]
    hands = {"verb": "run_another", "id": "h", "workflow": left.flows["Address"], "given": given}
    waits = {"verb": "wait", "id": "z", "amount": WAITS, "unit": "minutes"}
    left.flow("Waits", [ASKED, adds, update, hands, waits, {"verb": "delete", "id": "d", "of": "a"}])
    left.call("Waits", "a passing note")
    left.ended("Address", 3)


def own(left: Leaving) -> None:
    """Records that settle, one of them not filled yet; some that were deleted."""
    p = left.p
    stage = {"name": "Stage", "type": "choice", "choices": ["Open", "Done"]}
    tags = {"name": "Tags", "type": "labels", "choices": ["reeds", "leather"]}
    tasks = p.database("Tasks", {"name": "Name", "type": "text"}, {"name": "Who", "type": "text"}, stage, tags,
                       {"name": "Due", "type": "date"}, {"name": "Hours", "type": "number"}, {"name": "Paid", "type": "yes_no"})  # fmt: skip
    ids = {f["name"]: f["id"] for f in tasks["fields"]}
    its = {"ref": {"line": "w", "value": f"f_{ids['Name']}"}}

    def when(event: str, **more: Any) -> dict[str, Any]:
        return {"verb": "when", "id": "w", "own": {"kind": "record", "database": tasks["id"], "event": event} | more}

    def add(**values: Any) -> dict[str, Any]:
        sent = {"values": {str(ids[k]): v for k, v in values.items()}}
        return p.api("POST", f"/databases/{tasks['id']}/records", json=sent)["record"]

    left.flow("Settling", [when("added", quiet=QUIET, filled=[ids["Who"]]), left.note("Settling", its)])
    left.flow("Reached", [when("reached", field=ids["Stage"], becomes="Done"), left.note("Reached", its)])
    choices = {f["name"]: {c["name"]: c["id"] for c in f["choices"]} for f in tasks["fields"] if f.get("choices")}
    add(
        Name="Reeds",
        Who="Ivo",
        Stage=choices["Stage"]["Open"],
        Tags=list(choices["Tags"].values()),
        Due="2026-12-01",
        Hours="2.5",
        Paid=True,
    )
    add(Name="Leather")
    done = add(Name="Bellows", Who="Ada")
    values = {str(ids["Stage"]): choices["Stage"]["Done"]}
    p.api("PATCH", f"/databases/{tasks['id']}/records/{done['id']}", json={"values": values}, headers={"if-match": "1"})
    left.ended("Reached", 1)
    until(lambda: len(p.space.rows("SELECT 1 FROM settling WHERE workflow_id=%s", (left.flows["Settling"],))) == 3)
    gone = add(Name="A mistake", Who="Ada")
    until(lambda: len(p.space.rows("SELECT 1 FROM settling WHERE workflow_id=%s", (left.flows["Settling"],))) == 4)
    p.api("DELETE", f"/databases/{tasks['id']}/records/{gone['id']}", headers={"if-match": "1"})
    old = p.database("Given up", {"name": "Name", "type": "text"})
    p.api("DELETE", f"/databases/{old['id']}")


def unread(left: Leaving) -> None:
    """What arrives and changes while nobody looks: two mails, of which one workflow has read the first; a run that is cut in its
    middle; a request that no run was begun for; a change that was not read."""
    p = left.p
    p.faults("none", "never")
    p.deliver("Read by one")
    first = left.flows["From the post"]
    before = p.api("GET", f"/workflows/{first}")["subscription"]["last_check_at"]
    stays = "UPDATE consumer SET state=%s WHERE workspace_id=%s AND workflow_id=%s"
    p.space.transact(lambda t: t.execute(stays, ("paused", p.space.id, left.flows["Second copy"])))
    p.api("POST", f"/workflows/{first}/check-now")
    until(lambda: p.api("GET", f"/workflows/{first}")["subscription"]["last_check_at"] != before)
    left.ended("From the post", 5)
    p.deliver("Read by none")
    p.faults("slow", app="receiver")
    body = [{"key": "name", "filling": [ITS_NAME]}]
    puts = {"verb": "web_request", "id": "r", "method": "PUT", "address": [{"text": left.receiver}], "body": body}
    left.flow("Cut", [ASKED, puts, left.note("Cut", ITS_NAME)])
    left.call("Cut", "cut in its middle")
    until(lambda: p.space.rows("SELECT 1 FROM run_line WHERE outcome='sending'"))
    left.kelvix.installation.child("worker").send_signal(signal.SIGKILL)
    time.sleep(0.5)
    p.space.transact(lambda t: t.execute(stays, ("on", p.space.id, left.flows["Second copy"])))
    left.call("Address", "not begun", "three")
    tasks = next(d for d in p.api("GET", "/databases") if d["name"] == "Tasks")
    reeds = next(r for r in p.records(tasks["id"]) if "Reeds" in r["values"].values())
    fields = p.api("GET", f"/databases/{tasks['id']}")["fields"]
    stage = next(f for f in fields if f["name"] == "Stage")
    values = {str(stage["id"]): next(c["id"] for c in stage["choices"] if c["name"] == "Done")}
    p.api(
        "PATCH",
        f"/databases/{tasks['id']}/records/{reeds['id']}",
        json={"values": values},
        headers={"if-match": str(reeds["version"])},
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        kelvix = Kelvix(Path(folder))
        try:
            kelvix.installation.stop_child("worker")
            load(kelvix.settings)
            kelvix.installation.start("worker")
            left = Leaving(kelvix)
            for step in (mails, past, requests, writes, own, unread):
                step(left)
                print(step.__name__, flush=True)
            shutil.rmtree(FOLDER, ignore_errors=True)
            FOLDER.mkdir()
            places = {r["workflow_id"]: r["read_to"] for r in left.p.space.rows("SELECT workflow_id, read_to FROM consumer")}
            assert places[left.flows["From the post"]] > places[left.flows["Second copy"]]
            told = ledger(left.p, left.flows, kelvix.practice.received("left"))
            shown = people.first_owner(kelvix.engine.directory.home)
            assert shown
            told["demo"] = runs(Person(kelvix, shown, kelvix.practice.accounts()[0]["id"]))
            for name in ("web", "practice"):
                kelvix.installation.stop_child(name)
            settings = kelvix.settings
            dumping.dump(settings.servers["home"], FOLDER / "kelvix.sql.gz")
            dumping.dump(settings.practice, FOLDER / "practice.sql.gz")
            shutil.copy(Path(folder) / "key", FOLDER / "key")
            told |= {"left_at": datetime.now(UTC).isoformat(), "ports": [settings.port, settings.practice_port]}
            told |= {"account": left.p.account, "owner": left.p.owner.id, "demo_owner": shown.id}
            told |= {"doors": left.doors, "secret": SECRET}
            (FOLDER / "ledger.json.gz").write_bytes(gzip.compress(json.dumps(told, ensure_ascii=False).encode(), mtime=0))
        finally:
            kelvix.installation.stop()
    print(sum(f.stat().st_size for f in FOLDER.iterdir()), "bytes")


if __name__ == "__main__":
    main()
