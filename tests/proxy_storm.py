"""Messages through a proxy that cuts, loses and holds back: what each of them led to, and what a person was asked. The bench uses
it too."""

from __future__ import annotations

import contextlib
import threading
import time
from collections import Counter
from dataclasses import dataclass

from proxy import Proxy
from storming import deliver_surely
from support import Kelvix, document, until


@dataclass
class Stock:
    """What there is at the end, by run: `told` are requests whose receiver knows no keys. `doubts`: what a person was asked."""

    messages: int
    states: Counter[str]
    records: Counter[str]
    mails: Counter[str]
    known: Counter[str]
    told: Counter[str]
    doubts: Counter[str]  # by the line that asked
    lost: int  # answers to what knows no keys that did not come, or whose request did not arrive whole

    def wrong(self) -> dict[str, int]:
        """What is lost, and what is there twice."""
        found: dict[str, int] = {}
        for name, kind in (("records", self.records), ("mails", self.mails), ("known", self.known), ("told", self.told)):
            if lost := self.messages - len(kind):
                found[f"lost {name}"] = lost
            if twice := sum(n - 1 for n in kind.values()):
                found[f"doubled {name}"] = twice
        return found


class Through:
    """A workflow that adds a record, sends a mail, and sends two web requests: to a receiver that knows keys, and to one that does
    not. A person answers what is in doubt by looking there."""

    def __init__(self, running: Kelvix, proxy: Proxy):
        self.running, self.proxy = running, proxy
        self.orla = orla = running.person("Orla")
        connection = orla.connect("Enquiries", send=True)
        self.table = orla.database("Letters", {"name": "Name", "type": "text"})
        when, add = document(connection, orla.folders["Enquiries"], self.table, {"Name": "subject"})["lines"]
        subject = [{"ref": {"line": "w", "value": "subject"}}]
        mail = {"verb": "send_mail", "id": "m", "connection": connection, "to": [{"text": "ada@stbride.example"}],
                "subject": subject, "paragraphs": [[{"text": "Received."}]]}  # fmt: skip
        api = f"{running.settings.practice_address}/receiver/api"
        self.paths = {"known": f"known/{orla.owner.id}", "told": f"told/{orla.owner.id}"}
        tells = [
            {"verb": "web_request", "id": name, "address": [{"text": f"{api}/{path}"}], "recognises": name == "known",
             "body": [{"key": "subject", "filling": subject}]}
            for name, path in self.paths.items()
        ]  # fmt: skip
        self.workflow = orla.workflow("Through the proxy", {"lines": [when, add, mail, *tells]})
        orla.api("POST", f"/workflows/{self.workflow}/on")
        self._over = threading.Event()
        self.doubts: Counter[str] = Counter()

    def carry(self, messages: int, patience: float) -> Stock:
        person = threading.Thread(target=self._answer, daemon=True)
        person.start()
        for n in range(messages):
            deliver_surely(self.orla, f"letter {n:05}")
        with contextlib.suppress(AssertionError):  # what is not done is told by the stock
            until(lambda: self._states()["done"] == messages, patience, 0.5)
        self._over.set()
        person.join()
        return self._stock(messages)

    def _answer(self) -> None:
        while not self._over.is_set():
            for need in self.orla.api("GET", "/needs"):
                if need["kind"] != "doubt":
                    continue
                line = self.orla.space.row("SELECT line_id, run_id FROM question WHERE id=%s", (need["id"],))
                assert line
                self.doubts[line["line_id"]] += 1
                path = self.paths.get(line["line_id"], "")
                came = {r["headers"]["kelvix-source"].split("; ")[1] for r in self.running.practice.received(path, 100_000)}
                said = "arrived" if f"run={line['run_id']}" in came else "again"
                self.orla.api("POST", f"/needs/{need['id']}", json={"answer": said})
            time.sleep(0.2)

    def _states(self) -> Counter[str]:
        rows = self.orla.space.rows(
            "SELECT state, COUNT(*) AS n FROM run WHERE workflow_id=%s GROUP BY state", (self.workflow,)
        )
        return Counter({r["state"]: r["n"] for r in rows})

    def _stock(self, messages: int) -> Stock:
        space, practice = self.orla.space, self.running.practice
        added = space.rows("SELECT run_id FROM `change` WHERE workspace_id=%s AND kind='add'", (space.id,))
        sent = practice.server.read(lambda t: t.rows(
            "SELECT JSON_VALUE(i.body, '$.subject') AS subject FROM item i JOIN container c ON c.id=i.container_id "
            "WHERE c.account_id=%s AND c.name='Sent'", (self.orla.account,)))  # fmt: skip
        came = {
            name: Counter({r["headers"]["kelvix-source"]: 1 + r["repeats"] * (name == "told")
                           for r in practice.received(path, 100_000)})
            for name, path in self.paths.items()
        }  # fmt: skip
        lost = sum(
            n for (path, fate), n in self.proxy.met.items() if path.endswith(self.paths["told"]) and fate in ("cut", "lost")
        )
        return Stock(
            messages, self._states(), Counter(str(r["run_id"]) for r in added), Counter(r["subject"] for r in sent),
            came["known"], came["told"], self.doubts, lost,
        )  # fmt: skip
