"""Records that are carried into each app at once, through a network that cuts, loses, holds back and limits, while workers are
killed: what each of them led to, and what a person was asked. The bench uses it too."""

from __future__ import annotations

import contextlib
import random
import threading
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import sides
from kelvix.core.query import Query
from proxy import Asked, Fate, Proxy
from support import Kelvix, until

TARGETS = {kind.app: kind for kind in (sides.Tasks, sides.Issues, sides.Sheets, sides.Tables)}
KILLED_EVERY = (1.0, 4.0)  # seconds between workers that are killed
BETWEEN = 0.1  # seconds from one record to the next
PAGE = 100


@dataclass
class Stock:
    """What there is at the end, by app: how many items of each title. `doubts`: what a person was asked; `lost`: writes of which
    the answer did not come, or the request did not arrive whole."""

    events: int
    states: dict[str, Counter[str]]
    items: dict[str, Counter[str]]
    doubts: Counter[str]
    lost: Counter[str]
    fates: Counter[str] = field(default_factory=Counter)
    kills: int = 0

    def wrong(self) -> dict[str, int]:
        """What is lost, and what is there twice."""
        found: dict[str, int] = {}
        for app, titles in self.items.items():
            if lost := self.events - len(titles):
                found[f"lost in {app}"] = lost
            if twice := sum(n - 1 for n in titles.values()):
                found[f"doubled in {app}"] = twice
        return found


class IntoEach:
    """A workflow for each app that adds an item for each record of ours. A person answers what is in doubt by looking there."""

    def __init__(self, running: Kelvix, proxy: Proxy, seed: int):
        self.running, self.proxy, self.dice = running, proxy, random.Random(seed)
        self.orla = orla = running.person("Orla")
        quiet, proxy.fate = proxy.fate, lambda asked: "through"
        self.own = sides.Own(orla, "Faults")
        self.sides = {app: kind(orla, f"Faults in {app}") for app, kind in TARGETS.items()}
        self.flows = {app: self._flow(app, side) for app, side in self.sides.items()}
        proxy.fate = quiet
        self.doubts: Counter[str] = Counter()
        self.kills = 0
        self._over = threading.Event()

    def _flow(self, app: str, side: sides.Outside) -> int:
        filling = [{"ref": {"line": "w", "value": self.own.key(self.own.title)}}]
        add = {"verb": "add", "id": "a", "database": side.id, "fillings": [{"field": side.title, "filling": filling}]}
        flow = self.orla.workflow(f"Into {app}", {"lines": [self.own.whens()[0], add]})
        self.orla.api("POST", f"/workflows/{flow}/on")
        return flow

    def carry(self, events: int, patience: float) -> Stock:
        """Add records, and kill workers, until all were carried; or `patience`, seconds, is over. In the main thread: processes
        that are started end with the thread that started them."""
        person = threading.Thread(target=self._answer, daemon=True)
        adding = threading.Thread(target=self._add, args=(events,), daemon=True)
        person.start()
        adding.start()
        end = time.monotonic() + patience
        while time.monotonic() < end and not self._are_done(events):
            time.sleep(self.dice.uniform(*KILLED_EVERY))
            if adding.is_alive():
                self._kill_the_worker()
        self._over.set()
        adding.join()
        person.join()
        self.proxy.fate = lambda asked: "through"
        return self._stock(events)

    def carry_together(self, runs: int, rows: int, fate: Callable[[Asked], Fate], patience: float) -> Counter[str]:
        """Let runs repeat over lists whose rows go into Tables, several by one call, while workers are killed: how many rows of
        each title there are then."""
        side = self.sides["lists"] = TARGETS["tables"](self.orla, "Lists")
        when = {"verb": "when", "id": "w", "own": {"kind": "address", "lists": [{"key": "rows", "fields": [{"key": "name"}]}]}}
        title = [{"ref": {"line": "r", "value": "each.name"}}]
        add = {
            "verb": "add",
            "id": "a",
            "within": "r",
            "database": side.id,
            "fillings": [{"field": side.title, "filling": title}],
        }
        repeat = {"verb": "repeat", "id": "r", "of": {"line": "w", "value": "rows"}}
        flow = self.orla.workflow("Lists", {"lines": [when, repeat, add]})
        address = self.orla.api("POST", f"/workflows/{flow}/address")["address"]
        self.orla.api("POST", f"/workflows/{flow}/on")
        self.proxy.fate = fate
        for run in range(runs):
            body = {"rows": [{"name": f"row {run} {n:03}"} for n in range(rows)]}
            assert self.orla.web.post(address, json=body).status_code < 300

        def done() -> bool:
            states = [row["state"] for row in self.orla.space.rows("SELECT state FROM run WHERE workflow_id=%s", (flow,))]
            return states == ["done"] * runs

        for _ in range(runs):
            time.sleep(self.dice.uniform(*KILLED_EVERY))
            self._kill_the_worker()
        until(done, patience)
        self.proxy.fate = lambda asked: "through"
        return self._titles("lists")

    def _add(self, events: int) -> None:
        for n in range(events):
            self.own.create({self.own.title: f"fault {n:05}"})
            time.sleep(BETWEEN)

    def _kill_the_worker(self) -> None:
        child = self.running.installation.child("worker")
        child.kill()
        child.wait()
        self.running.installation.start("worker")
        self.kills += 1

    def _answer(self) -> None:
        """As somebody would who looks in the app: once nothing is under way there any more."""
        apps = {flow: app for app, flow in self.flows.items()}
        while not self._over.is_set():
            for need in self.orla.api("GET", "/needs"):
                if need["kind"] != "doubt":
                    continue
                asked = self.orla.space.row(
                    "SELECT r.workflow_id, r.title FROM question q JOIN run r ON r.id=q.run_id WHERE q.id=%s", (need["id"],)
                )
                assert asked
                app = apps[asked["workflow_id"]]
                self.doubts[app] += 1
                said = "arrived" if self._titles(app)[asked["title"]] else "again"
                self.orla.api("POST", f"/needs/{need['id']}", json={"answer": said})
            time.sleep(0.2)

    def _titles(self, app: str) -> Counter[str]:
        """How many items of each title lie in an app: as its own pages would show, past the proxy."""
        side = self.sides[app]
        found: Counter[str] = Counter()
        after: str | None = None
        while True:
            page = self._patiently(side, after)
            found.update(item.title for item in page.items)
            if (after := page.after) is None:
                return found

    def _patiently(self, side: sides.Outside, after: str | None) -> Any:
        found: list[Any] = []

        def ask() -> bool:
            with contextlib.suppress(Exception):
                found.append(side.source.query(Query(limit=PAGE, after=after)))
            return bool(found)

        until(ask, 60)
        return found[0]

    def _are_done(self, events: int) -> bool:
        return all(states["done"] == events for states in self._states().values())

    def _states(self) -> dict[str, Counter[str]]:
        found = {app: Counter[str]() for app in self.flows}
        for app, flow in self.flows.items():
            for row in self.orla.space.rows(
                "SELECT state, COUNT(*) AS n FROM run WHERE workflow_id=%s GROUP BY state", (flow,)
            ):
                found[app][row["state"]] = row["n"]
        return found

    def _stock(self, events: int) -> Stock:
        lost: Counter[str] = Counter()
        fates: Counter[str] = Counter()
        for (path, fate), n in self.proxy.met.items():
            fates[fate] += n
            if fate in ("cut", "lost"):
                lost[_app_of(path)] += n
        items = {app: self._titles(app) for app in self.sides}
        return Stock(events, self._states(), items, self.doubts, lost, fates, self.kills)


def _app_of(path: str) -> str:
    return next((part for part in path.split("/") if part in TARGETS), "")


def limiting(fate: Any, seed: int, often: float) -> Any:
    """Return the same, but that requests are also refused for being too many, `often`."""
    dice, lock = random.Random(seed), threading.Lock()

    def limited(asked: Asked) -> Fate:
        with lock:
            refused = "/api" in asked.path and dice.random() < often
        return "limited" if refused else fate(asked)

    return limited
