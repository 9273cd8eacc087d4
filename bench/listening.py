"""One folder to which 50 workflows listen: what that asks of the app, and whether one that is held up holds up others.

Counted are the calls that the app gets for one message, runs included, and for one check: of 50 workflows beside those of one. Claim:
as many. Then messages arrive, and each of the others must have its event: with one consumer locked beside with none, in turns.
Claim: the others' p99 at most 1.25 times.
"""

from __future__ import annotations

import tempfile
import time
from collections import Counter
from contextlib import nullcontext
from pathlib import Path

from _report import keep, median, percentile, table, verdict

from kelvix.store import consumers
from proxy import Asked, Fate, behind_proxy
from support import FIELDS, FILLS, Person, document, locked, until

WORKFLOWS, ROUNDS, EACH, CLAIM = 50, 8, 25, 1.25


class Folder:
    """A folder, and workflows that are on and keep what arrives there in one database."""

    def __init__(self, person: Person, number: int):
        self.person = person
        connection, into = person.connect("Enquiries"), person.database("Enquiries", *FIELDS)
        lines = document(connection, person.folders["Enquiries"], into, FILLS)
        self.flows = [person.workflow(f"From the post {n}", lines) for n in range(number)]
        for flow in self.flows:
            person.api("POST", f"/workflows/{flow}/on")

    def arrive(self, subject: str, besides: int | None = None) -> float:
        """Seconds from a message's way in until all these workflows have its event, but one."""
        space, waits = self.person.space, [f for f in self.flows if f != besides]
        marks = ",".join(["%s"] * len(waits))
        sql = f"SELECT COUNT(*) AS n FROM event WHERE workspace_id=%s AND item_id=%s AND workflow_id IN ({marks})"
        began = time.perf_counter()
        self.person.deliver(subject)
        item = str(self.person.kelvix.practice.items(self.person.folders["Enquiries"], 1)[0]["id"])
        until(lambda: space.row(sql, (space.id, item, *waits))["n"] == len(waits), 30, 0.002)
        return time.perf_counter() - began

    def rest(self) -> None:
        """Until all runs have ended."""
        space = self.person.space
        until(lambda: not space.rows("SELECT 1 FROM ready WHERE workspace_id=%s", (space.id,)), 60)
        until(lambda: not space.rows("SELECT 1 FROM run WHERE workspace_id=%s AND finished_at IS NULL", (space.id,)), 60)

    def check(self) -> None:
        before = self.person.api("GET", f"/workflows/{self.flows[0]}")["subscription"]["last_check_at"]
        for flow in self.flows:
            self.person.api("POST", f"/workflows/{flow}/check-now")
        until(lambda: self.person.api("GET", f"/workflows/{self.flows[0]}")["subscription"]["last_check_at"] != before)


def main() -> None:
    asked: Counter[str] = Counter()

    def fate(request: Asked) -> Fate:
        if "/mail/api/" in request.path:
            asked[request.path.split("/mail/api/")[1].split("/")[0].split("?")[0]] += 1
        return "through"

    with tempfile.TemporaryDirectory() as folder, behind_proxy(Path(folder) / "k", fate) as (running, _):
        few, many = Folder(running.person("Orla"), 1), Folder(running.person("Ivo"), WORKFLOWS)
        counts: dict[str, dict[str, int]] = {}
        for name, one in (("1", few), (str(WORKFLOWS), many)):
            one.arrive("First"), one.rest()
            asked.clear()
            one.arrive("Counted"), one.rest()
            arriving = sum(asked.values())
            asked.clear()
            one.check()
            counts[name] = {"a message": arriving, "a check": sum(asked.values())}
        space, held = many.person.space, many.flows[WORKFLOWS // 2]
        consumer = space.read(lambda t: consumers.of_workflow(t, space.id, held))
        assert consumer
        rounds: list[dict[str, list[float]]] = []
        for number in range(ROUNDS):
            took: dict[str, list[float]] = {}
            for name, hold in (("none locked", nullcontext()), ("one locked", locked(running, consumer))):
                with hold:
                    took[name] = [many.arrive(f"{name} {number} {n}", held) for n in range(EACH)]
                many.rest()
            rounds.append(took)
    p = {n: [percentile([x for r in rounds for x in r[n]], share) * 1000 for share in (0.5, 0.99)] for n in rounds[0]}
    ratio = p["one locked"][1] / p["none locked"][1]
    rows = [[f"{n} workflow(s)", str(c["a message"]), str(c["a check"])] for n, c in counts.items()]
    table("listening: calls to the app", ["", "a message", "a check"], rows)
    verdict(len({tuple(c.values()) for c in counts.values()}) == 1, f"as many for {WORKFLOWS} workflows as for one")
    rows = [[n, f"{a:.0f} ms", f"{b:.0f} ms"] for n, (a, b) in p.items()]
    title = f"listening: until the other {WORKFLOWS - 1} have their events ({ROUNDS} rounds of {EACH} messages)"
    table(title, ["", "p50", "p99"], rows)
    medians = median([percentile(r["one locked"], 0.99) / percentile(r["none locked"], 0.99) for r in rounds])
    verdict(ratio <= CLAIM, f"p99 at most {CLAIM} times with one locked ({ratio:.2f}; median of rounds {medians:.2f})")
    keep("listening", {"calls": counts, "p": p, "ratio": ratio})


if __name__ == "__main__":
    main()
