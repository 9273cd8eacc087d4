"""Mirrors at their size: a first plan over 50,000 and 50,000 items, a sweep over 100,000 pairs, and an edit that crosses.

Plan: both sides are databases of ours, of which 90 % are the same. The baseline merely reads both by the same pages. Claims: by keys that
must be the same at most 3 times that, by likeness at most 20 times; and likeness finds at least 0.98 of what comparing all with all
finds, on 2,000. Sweep: 1 % of the pairs was changed; the baseline reads both sides by pages. Claim: finding them at most 1.5 times.
Crossing: from an edit in practice Tasks to the record's commit, beside the push into the journal, the two reads, the write and its
commits, made by hand in the same minutes. Claims: p50 and p99 at most 4 and 8 times.
"""

from __future__ import annotations

import random
import resource
import sys
import threading
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

from _report import keep, kelvix, median, percentile, table, verdict

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests"))
from kelvix.core.collection import Write
from kelvix.core.mirror import proposals
from kelvix.core.mirror.document import Key, MatchRule, Mirror, MirrorSide
from kelvix.core.mirror.matching import Keyed, _Weighing, key_text, match
from kelvix.core.query import Query
from kelvix.engine.mirrors import looking, planning, stages, sweeping
from kelvix.store import crossings, ddl, mirror_looks, mirrors
from sides import Own, Tasks
from support import Kelvix, Person, until

ITEMS, PAIRS, CHANGED, FEW = 50_000, 100_000, 1_000, 2_000
PAGE = 200
EDITS = 60
OTHERS = 30  # items that are edited beside those that are measured: with them, fewer than a person is asked about
WORDS = (
    "loft",
    "visit",
    "reed",
    "trunk",
    "case",
    "swell",
    "great",
    "pedal",
    "wind",
    "blower",
    "felt",
    "slider",
    "tracker",
    "bench",
)
PLACES = (
    "Wend",
    "Hewen",
    "Marl",
    "Oxbow",
    "Wick",
    "Holm",
    "Thorn",
    "Ferry",
    "Low",
    "Sallow",
    "Nether",
    "Saint",
    "Upper",
    "Long",
)


def names(number: int, dice: random.Random) -> list[str]:
    return [
        f"{dice.choice(WORDS)} {dice.choice(WORDS)} {dice.choice(PLACES)}{dice.choice(PLACES).lower()} {n:06d}"
        for n in range(number)
    ]


def fill(person: Person, own: Own, several: Sequence[str]) -> None:
    """Put records into a database at once, as an import would."""
    column = ddl.column(own.title)
    sql = f"INSERT INTO {ddl.table(own.id)} ({column}, created_by, changed_by) VALUES (%s,'Orla','Orla')"
    for at in range(0, len(several), 5_000):
        rows = [(name,) for name in several[at : at + 5_000]]
        person.space.transact(lambda t, rows=rows: t.many(sql, rows))


def typo(name: str, dice: random.Random) -> str:
    at = dice.randrange(1, len(name) - 8)
    return name[:at] + name[at + 1] + name[at] + name[at + 2 :]


def read_through(own: Own) -> float:
    """Seconds that it takes to read a side by pages."""
    began, after = time.perf_counter(), None
    while True:
        page = own.source.query(Query(limit=PAGE, after=after))
        after = page.after
        if after is None:
            return time.perf_counter() - began


def make(person: Person, left, right, rule: MatchRule | None = None) -> int:
    schemas = left.source.schema(), right.source.schema()
    fields = tuple(p for p in proposals.field_pairs(*schemas) if p.left == left.title)
    chosen = Mirror(
        MirrorSide(left.id), MirrorSide(right.id), fields, rule or proposals.match_rule(*schemas, fields), quiet=0.0
    )
    return person.space.transact(lambda t: mirrors.create(t, person.space.id, "bench", chosen, ""))


def drive(running: Kelvix, person: Person, mirror: int, until_state: str) -> float:
    """Do the stages of a mirror here, and nothing else: how long that took."""
    began = time.perf_counter()
    while True:
        stages.work_due(running.engine, person.space.server)
        kept = person.space.read(lambda t: mirrors.get(t, person.space.id, mirror))
        if kept.state == until_state and kept.stage is None:
            return time.perf_counter() - began


def planned(running: Kelvix, person: Person, left, right, rule: MatchRule | None = None) -> tuple[int, float]:
    made = make(person, left, right, rule)
    planning.begin(running.engine, person.space, made)
    return made, drive(running, person, made, "planned")


def recall(dice: random.Random) -> float:
    """What likeness by blocks finds, of what comparing all with all finds."""
    ours = names(FEW, dice)
    theirs = [typo(name, dice) for name in ours]
    lefts, rights = (
        [Keyed(f"{s}{n}", (key_text(name, "near"),)) for n, name in enumerate(of)] for s, of in (("l", ours), ("r", theirs))
    )
    rule = MatchRule((Key("a", "b", "near"),))
    found = {(p.left, p.right) for p in match(rule, lefts, rights).pairs}

    class All(_Weighing):
        def _candidates(self, left: Keyed) -> list[int]:
            return list(range(len(self.rights)))

    brute = {(p.left, p.right) for p in All(rule, [0], lefts, rights).matching().pairs}
    return len(found & brute) / len(brute)


def plan_at_size() -> dict[str, float]:
    dice = random.Random(7)
    with kelvix() as running:
        running.installation.stop_child("worker")
        person = running.person("Orla")
        ours = names(ITEMS, dice)
        left, right = Own(person, "Left"), Own(person, "Right")
        fill(person, left, ours)
        fill(person, right, [name if n % 10 else f"{name} other" for n, name in enumerate(ours)])
        reading = median([read_through(left) + read_through(right) for _ in range(3)])
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        made, exact = planned(running, person, left, right)
        grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024 - before
        person.space.transact(lambda t: mirrors.delete(t, person.space.id, made))
        rule = MatchRule((Key(left.title, right.title, "near"),))
        _, near = planned(running, person, left, right, rule)
    table(
        f"A first plan over {ITEMS:,} and {ITEMS:,} items",
        ["", "seconds", "times reading"],
        [
            ["reading both sides", f"{reading:.1f}", "1"],
            ["plan, exact keys", f"{exact:.1f}", f"{exact / reading:.2f}"],
            ["plan, near keys", f"{near:.1f}", f"{near / reading:.2f}"],
        ],
    )
    print(f"  memory that the plan by exact keys added: {grown:.0f} MB")
    verdict(exact <= 3 * reading, f"a plan by exact keys at most 3 times reading: {exact / reading:.2f}")
    verdict(near <= 20 * reading, f"by near keys at most 20 times: {near / reading:.2f}")
    return {"reading": reading, "exact": exact, "near": near, "MB": grown}


def sweep_at_size() -> dict[str, float]:
    with kelvix() as running:
        running.installation.stop_child("worker")
        person = running.person("Orla")
        several = names(PAIRS, random.Random(8))
        a, b = Own(person, "A"), Own(person, "B")
        fill(person, a, several)
        fill(person, b, several)
        swept, _ = planned(running, person, a, b)
        planning.carry_out(running.engine, person.space, swept)
        drive(running, person, swept, "on")
        column, table_ = ddl.column(a.title), ddl.table(a.id)
        person.space.transact(
            lambda t: t.execute(
                f"UPDATE {table_} SET {column}=CONCAT({column},' changed'), version=version+1 WHERE MOD(id, 100)=7"
            )
        )
        feeds = median([read_through(a) + read_through(b) for _ in range(3)])
        kept = person.space.read(lambda t: mirrors.get(t, person.space.id, swept))
        person.space.transact(lambda t: sweeping.begin(t, person.space, kept))
        sweep = drive_sweep(running, person, swept)
        found = person.space.read(lambda t: mirror_looks.waiting(t, swept))
    table(
        f"A sweep over {PAIRS:,} pairs",
        ["", "seconds", "times reading"],
        [["reading both sides", f"{feeds:.1f}", "1"], ["sweep", f"{sweep:.1f}", f"{sweep / feeds:.2f}"]],
    )
    verdict(sweep <= 1.5 * feeds, f"a sweep at most 1.5 times reading: {sweep / feeds:.2f}")
    verdict(found == CHANGED, f"and finds the {CHANGED:,} that were changed: {found:.0f}")
    return {"feeds": feeds, "sweep": sweep, "found": found}


def drive_sweep(running: Kelvix, person: Person, mirror: int) -> float:
    """Sweep both sides, without comparing the pairs after that: how long that took."""
    kept = person.space.read(lambda t: mirrors.get(t, person.space.id, mirror))
    opened = looking.open_mirror(running.engine, person.space, kept)
    stage = kept.stage
    began = time.perf_counter()
    while stage["does"] == "sweep":
        stage = sweeping.sweep(person.space, kept, opened, stage, "")
    return time.perf_counter() - began


def crossing() -> dict[str, list[float]]:
    """Seconds of an edit's crossing, and of its parts by hand: idle, and while half as much crosses as can."""
    with kelvix() as running:
        person = running.person("Orla")
        left, right = Own(person, "Workshop"), Tasks(person, "Bench")
        ids = [right.create({right.title: f"Task {n}"}) for n in range(10 + OTHERS)]
        made = make(person, left, right)
        planning.begin(running.engine, person.space, made)
        until(lambda: person.space.read(lambda t: mirrors.get(t, person.space.id, made)).state == "planned", 60)
        planning.carry_out(running.engine, person.space, made)
        until(lambda: len(left.items()) == min(50, len(ids)) and not waiting(person, made), 60)
        idle = measured(person, left, right, made, ids[:10], "idle")
        rate = most(person, right, made, ids[10:])
        print(f"  edits that cross in a second, at most: {rate:.0f}")
        with loaded(right, ids[10:], rate / 2):
            half = measured(person, left, right, made, ids[:10], "at half load")
        assert person.space.read(lambda t: crossings.delays(t, made))
    return {"crossed": idle[0], "bare": idle[1], "crossed_half": half[0], "bare_half": half[1]}


def waiting(person: Person, mirror: int) -> int:
    return person.space.read(lambda t: mirror_looks.waiting(t, mirror))


def measured(
    person: Person, left: Own, right: Tasks, mirror: int, ids: Sequence[str], when: str
) -> tuple[list[float], list[float]]:
    crossed, bare = [], []
    for n in range(EDITS):
        item = ids[n % len(ids)]
        crossed.append(edit_and_wait(person, left, right, item, f"Task {item} edited {when} {n}"))
        time.sleep(0.4)
        bare.append(by_hand(person, left, right, item, n, when))
        time.sleep(0.4)
    return crossed, bare


def most(person: Person, right: Tasks, mirror: int, ids: Sequence[str]) -> float:
    """Return how many edits cross in a second, where as many are waiting as can be."""
    began = time.perf_counter()
    with ThreadPoolExecutor(4) as pool:
        list(pool.map(lambda item: right.edit(item, {right.title: f"Task {item} at once"}), ids))
    done = ("at once",)
    until(lambda: person.space.row("SELECT COUNT(*) AS n FROM mirrored_item WHERE title LIKE CONCAT('%%', %s)", done)["n"]
          >= 2 * len(ids), 60, 0.01)  # fmt: skip
    return len(ids) / (time.perf_counter() - began)


@contextmanager
def loaded(right: Tasks, ids: Sequence[str], rate: float) -> Iterator[None]:
    """While this lasts, so many edits are made in a second."""
    over = threading.Event()

    def edit() -> None:
        n = 0
        while not over.wait(1 / rate):
            right.edit(ids[n % len(ids)], {right.title: f"Task {n} under way"})
            n += 1

    hand = threading.Thread(target=edit, daemon=True)
    hand.start()
    yield
    over.set()
    hand.join()


def edit_and_wait(person: Person, left: Own, right: Tasks, item: str, title: str) -> float:
    sql = f"SELECT 1 FROM {ddl.table(left.id)} WHERE {ddl.column(left.title)}=%s"
    right.edit(item, {right.title: title})
    began = time.perf_counter()
    until(lambda: person.space.row(sql, (title,)), 30, 0.001)
    return time.perf_counter() - began


def by_hand(person: Person, left: Own, right: Tasks, item: str, n: int, when: str) -> float:
    """Seconds of a push into the journal, the reads of both items, a write of the record, and four commits."""
    row = person.space.row("SELECT id, n FROM subscription WHERE workspace_id=%s AND place=%s", (person.space.id, right.place))
    right.source.write(Write("update", f"bare {when} {n}", item, {"notes": f"note {n}"}, right.source.one(item).version))
    began = time.perf_counter()
    until(lambda: person.space.row("SELECT n FROM subscription WHERE id=%s", (row["id"],))["n"] > row["n"], 30, 0.001)
    right.source.one(item)
    records = left.items()
    mine = records[-1]
    person.api("PATCH", f"/databases/{left.id}/records/{mine.id}", json={"values": {left.fields()["link"].id: f"https://a.example/{n}"}},
               headers={"if-match": str(mine.version)})  # fmt: skip
    for _ in range(3):
        person.space.transact(lambda t: t.execute("UPDATE upkeep SET due_at=due_at WHERE name='bench'"))
    return time.perf_counter() - began


def likeness() -> dict[str, float]:
    share = recall(random.Random(3))
    verdict(share >= 0.98, f"likeness finds at least 0.98 of what comparing all with all finds: {share:.4f}")
    return {"recall": share}


def crossing_beside_its_parts() -> dict[str, float]:
    found = crossing()
    figures = {f"{of}{at}": percentile(times, at / 100) * 1000 for of, times in found.items() for at in (50, 99)}
    rows = [("by hand", "bare"), ("crossing", "crossed"), ("by hand, at half load", "bare_half"), ("crossing", "crossed_half")]
    table(
        "An edit's crossing, ms",
        ["", "p50", "p99"],
        [[words, f"{figures[f'{of}50']:.0f}", f"{figures[f'{of}99']:.0f}"] for words, of in rows],
    )
    for when, of in (("idle", ""), ("at half load", "_half")):
        times = [figures[f"crossed{of}{at}"] / figures[f"bare{of}{at}"] for at in (50, 99)]
        verdict(
            times[0] <= 4 and times[1] <= 8, f"{when}, an edit crosses within 4 and 8 times: {times[0]:.2f} and {times[1]:.2f}"
        )
    return figures


def main() -> None:
    """Each part says what it found as it ends."""
    kept: dict[str, float] = {}
    for part in (crossing_beside_its_parts, plan_at_size, sweep_at_size, likeness):
        kept |= part()
        sys.stdout.flush()
    keep("mirror", kept)


if __name__ == "__main__":
    main()
