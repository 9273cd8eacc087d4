"""Runs: claimed under a lease with a fencing token, their lines recorded one by one."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any

from kelvix.core import outcome
from kelvix.core.outcome import Outcome
from kelvix.store import lanes, ready
from kelvix.store.database_server import Row, Transaction

LineRow = tuple[str, str, Outcome, Any]  # line, place, outcome, input
Problem = dict[str, Any]
CLAIMED = "workspace_id, id AS run_id, workflow_id, version_id, item_id, item, kind, only_line, attempts, token, "
CLAIMED += "event_id, lane, endings, turn, catch_up_id, created_at"


ENDED = ("done", "passed_by", "failed")
MAX_PAUSE_ALONE = 60.0  # seconds between attempts of a run that ended its worker


class Fenced(Exception):
    """The lease ran out or another worker took the run over: nothing may be written for it any more."""


@dataclass(frozen=True)
class Claim:
    """A run that this worker holds until its lease ends. `token` must be shown with each effect. `endings`: how often it ended
    its worker; `turn`: its call of an app has its turn; `created_at`: when what it is about came."""

    workspace_id: int
    run_id: int
    workflow_id: int
    version_id: int
    item_id: str
    item: dict[str, Any] | None
    kind: str
    only_line: str | None
    attempts: int
    token: int
    event_id: int | None = None
    lane: bytes | None = None
    endings: int = 0
    turn: int = 0
    catch_up_id: int | None = None
    created_at: datetime | None = None


@dataclass(frozen=True)
class RunLine:
    """`place` has the numbers of the rounds that it stands in, as 3 or 3.1."""

    line: str
    place: str
    outcome: Outcome
    input: Any
    at: datetime


@dataclass(frozen=True)
class Run:
    """`again_of` is the run that this one repeats; `pruned`: what it carried is kept no longer."""

    id: int
    workflow_id: int
    workflow: str
    version_id: int
    number: int
    kind: str
    only_line: str | None
    state: str
    item_id: str
    title: str | None
    problem: dict[str, Any] | None
    attempts: int
    created_at: datetime
    finished_at: datetime | None
    undone_at: datetime | None
    again_of: int | None
    pruned: int
    left_at: datetime | None


@dataclass(frozen=True)
class Attempt:
    """An attempt that failed; `again_in` how many seconds later the next one was to be, none for the last."""

    number: int
    at: datetime
    sentence: str
    again_in: float | None


@dataclass(frozen=True)
class Sought:
    """Which runs are looked for: `words` in what they carried."""

    workflow: int | None = None
    state: str | None = None
    since: datetime | None = None
    until: datetime | None = None
    words: str = ""


def new_try(
    t: Transaction,
    workspace_id: int,
    workflow_id: int,
    version_id: int,
    item_id: str,
    title: str,
    item: dict[str, Any],
    only_line: str | None,
) -> int:
    """Begin a run that a person asked for, with a sample in hand."""
    run_id = t.insert(
        "INSERT INTO run (workspace_id, workflow_id, version_id, kind, only_line, state, item_id, title, item) "
        "VALUES (%s,%s,%s,'try',%s,'waiting',%s,%s,%s)",
        (workspace_id, workflow_id, version_id, only_line, item_id, title[:300], json.dumps(item, ensure_ascii=False)),
    )
    ready.run(t, workspace_id, run_id)
    return run_id


def renew(t: Transaction, claim: Claim, lease: float) -> bool:
    """Begin the lease of a run anew, if this claim still holds it: also one that is over, until the run is put back."""
    renewed = t.execute(
        "UPDATE run SET lease_until=NOW(3) + INTERVAL %s SECOND WHERE workspace_id=%s AND id=%s AND token=%s "
        "AND state='running' AND lease_until IS NOT NULL",
        (lease, claim.workspace_id, claim.run_id, claim.token),
    )
    return renewed > 0


def release_expired(t: Transaction) -> list[int]:
    """Put back what a worker held and let go of by dying: the runs. Any of them may have been what ended the worker, so
    that each is carried alone from now on, the first time at once."""
    rows = t.rows("SELECT id, workspace_id, endings FROM run WHERE lease_until < NOW(3) LIMIT 100 FOR UPDATE SKIP LOCKED")
    for row in rows:
        t.execute(
            "UPDATE run SET lease_until=NULL, token=token+1, state='waiting', endings=endings+1 WHERE id=%s", (row["id"],)
        )
        after = min(MAX_PAUSE_ALONE, 0.5 * 2 ** row["endings"]) if row["endings"] else 0
        ready.run(t, row["workspace_id"], row["id"], after, suspect=True)
    return [row["id"] for row in rows]


def claim(
    t: Transaction,
    limit: int,
    lease: float,
    suspect_of: int | None = None,
    several: Callable[[tuple[int, int]], int] = lambda _: 1,
    room: Callable[[int], int] = lambda _: 2**31,
    due: Sequence[tuple[int, int]] | None = None,
) -> list[Claim]:
    """Take up work that is due, the queues taking turns; or one suspect run of the workspace `suspect_of`. Its rows leave
    `ready`; the runs carry the lease from here on. Attempts are counted now. `several`: how many of a queue count as one,
    since they are carried together; `room`: how many more a workspace may have under way; `due`: the queues, where they are
    known."""
    if suspect_of is not None:
        rows = ready.take_suspect(t, suspect_of)
    else:
        shares = ready.shares(ready.queues(t) if due is None else due, limit, room)
        rows = [r for queue, n in shares.items() for r in ready.take_due(t, queue, n * several(queue))]
    claimed: list[Row] = []
    fresh = [row for row in rows if row["run_id"] is None]
    if fresh:
        of = " OR ".join(["(workspace_id=%s AND id=%s)"] * len(fresh))
        claimed += t.rows(
            "INSERT INTO run (workspace_id, workflow_id, version_id, event_id, kind, state, item_id, title, item, "
            "created_at, attempts, token, lease_until, lane, catch_up_id) SELECT workspace_id, workflow_id, version_id, id, "
            "'event', 'running', item_id, title, item, at, 1, 1, NOW(3) + INTERVAL %s SECOND, lane, catch_up_id "
            f"FROM event WHERE {of} ORDER BY id RETURNING {CLAIMED}",
            (lease, *(value for row in fresh for value in (row["workspace_id"], row["event_id"]))),
        )
    for row in rows:
        if row["run_id"] is not None:
            t.later(
                "UPDATE run SET state='running', attempts=attempts+1, token=token+1, "
                "lease_until=NOW(3) + INTERVAL %s SECOND WHERE workspace_id=%s AND id=%s AND finished_at IS NULL",
                (lease, row["workspace_id"], row["run_id"]),
            )
            claimed += t.rows(
                f"SELECT {CLAIMED} FROM run WHERE workspace_id=%s AND id=%s AND state='running'",
                (row["workspace_id"], row["run_id"]),
            )
    return [Claim(**(r | {"item": json.loads(r["item"]) if r["item"] else None})) for r in claimed]


def hold(
    t: Transaction,
    claim: Claim,
    lease: float,
    item: dict[str, Any] | None = None,
    end: str | None = None,
    problem: Problem | None = None,
) -> None:
    """To be called first within the transaction of each effect. Raises Fenced where the lease is over or another worker
    claimed the run. In the same statement the lease begins anew, the item that was fetched is kept, and the run ends where
    this is its end."""
    sets: list[str] = ["lease_until=IF(%s, NULL, NOW(3) + INTERVAL %s SECOND)"]
    args: list[Any] = [end is not None, lease]
    if item is not None:
        sets, args = [*sets, "title=%s", "item=%s"], [*args, item["title"][:300], json.dumps(item, ensure_ascii=False)]
    if end is not None:
        said = json.dumps(problem, ensure_ascii=False) if problem else None
        sets, args = [*sets, "state=%s", "problem=%s", "finished_at=NOW(3)"], [*args, end, said]
    where = (*args, claim.workspace_id, claim.run_id, claim.token)
    held = (claim.run_id, claim.token)
    if held not in t.held:
        if not t.execute(
            f"UPDATE run SET {', '.join(sets)} WHERE workspace_id=%s AND id=%s AND token=%s AND state='running' "
            "AND lease_until > NOW(3)",
            where,
        ):
            raise Fenced
        t.held.add(held)
    elif end is not None and item is None and problem is None:
        t.gather(_ended(end), "%s,%s", (claim.workspace_id, claim.run_id))
    elif end is not None or item is not None:  # locked by this transaction before: nobody can have taken it over since
        t.later(f"UPDATE run SET {', '.join(sets)} WHERE workspace_id=%s AND id=%s AND token=%s", where)
    if end is not None and claim.lane and claim.event_id:
        lanes.leave(t, claim.workspace_id, claim.lane, claim.event_id)
    if claim.kind == "try" and end == "done":
        t.execute(
            "UPDATE workflow SET tried_ok_at=NOW(3) WHERE workspace_id=%s AND id=%s", (claim.workspace_id, claim.workflow_id)
        )


def hold_all(t: Transaction, claims: Sequence[Claim]) -> None:
    """Hold runs of one workspace that are carried in one transaction. Raises Fenced where any of them is no longer ours."""
    held = t.rows(
        "SELECT id, token FROM run FORCE INDEX (PRIMARY) "  # by another, it would wait for runs that others carry
        "WHERE workspace_id=%s AND state='running' AND lease_until > NOW(3) "
        f"AND id IN ({','.join(['%s'] * len(claims))}) ORDER BY id FOR UPDATE",
        (claims[0].workspace_id, *(claim.run_id for claim in claims)),
    )
    t.held |= {(row["id"], row["token"]) for row in held}
    if not all((claim.run_id, claim.token) in t.held for claim in claims):
        raise Fenced


@cache
def _ended(state: str) -> Callable[[list[str]], list[str]]:
    """Return what writes the end of all runs of a transaction that ended so. A row is a workspace and a run."""

    def write(rows: list[str]) -> list[str]:
        workspace, ids = rows[0].partition(",")[0], (row.partition(",")[2] for row in rows)
        return [
            f"UPDATE run FORCE INDEX (PRIMARY) SET lease_until=NULL, state='{state}', problem=NULL, finished_at=NOW(3) "
            f"WHERE workspace_id={workspace} AND id IN ({','.join(ids)})"
        ]

    return write


_written = json.JSONEncoder(ensure_ascii=False).encode  # made once: json.dumps makes one at each call


def keep_lines(t: Transaction, claim: Claim, lines: list[LineRow]) -> None:
    """Keep what lines were given and what came out of them."""

    for line, place, done, given in lines:
        row = (claim.workspace_id, claim.run_id, line, place, done.code, _written(given), _written(done.kept()))
        t.gather(_run_lines, "(%s,%s,%s,%s,%s,%s,%s)", row)


def _run_lines(rows: list[str]) -> list[str]:
    return [
        f"INSERT INTO run_line (workspace_id, run_id, line_id, place, outcome, input, output) VALUES {','.join(rows)} "
        "ON DUPLICATE KEY UPDATE outcome=VALUES(outcome), input=VALUES(input), output=VALUES(output), at=NOW(3)"
    ]


def wait(
    t: Transaction, claim: Claim, seconds: float, problem: dict[str, Any], counts: bool = True, has_turn: bool = False
) -> None:
    """Put a run back, to be taken up again after some seconds, saying why. `counts`: as an attempt; `has_turn`: it may call its
    app then."""
    t.execute(
        "UPDATE run SET state='waiting', problem=%s, lease_until=NULL, attempts=attempts-%s, turn=%s "
        "WHERE workspace_id=%s AND id=%s",
        (json.dumps(problem, ensure_ascii=False), 0 if counts else 1, has_turn, claim.workspace_id, claim.run_id),
    )
    if counts:
        note_attempt(t, claim, problem["sentence"], seconds)
    ready.run(t, claim.workspace_id, claim.run_id, seconds)


def note_attempt(t: Transaction, claim: Claim, sentence: str, again_in: float | None) -> None:
    """Note what went wrong with an attempt, and in how many seconds there is another."""
    t.execute(
        "INSERT INTO run_attempt (run_id, number, workspace_id, sentence, again_in) VALUES (%s,%s,%s,%s,%s)",
        (claim.run_id, claim.attempts, claim.workspace_id, sentence[:1000], again_in),
    )


def attempts(t: Transaction, workspace_id: int, run_id: int) -> list[Attempt]:
    rows = t.rows(
        "SELECT number, at, sentence, again_in FROM run_attempt WHERE workspace_id=%s AND run_id=%s ORDER BY at, number",
        (workspace_id, run_id),
    )
    return [Attempt(**r) for r in rows]


def rest(t: Transaction, claim: Claim, due: datetime) -> None:
    """Put a run back as it is, to be taken up again at a time. Its attempts begin anew: resting is none."""
    t.execute(
        "UPDATE run SET state='waiting', problem=NULL, attempts=0, endings=0, lease_until=NULL WHERE workspace_id=%s AND id=%s",
        (claim.workspace_id, claim.run_id),
    )
    ready.run(t, claim.workspace_id, claim.run_id, due=due)


def again(t: Transaction, workspace_id: int, run_id: int, version_id: int) -> bool:
    """Take a failed run up again after its last finished line, as a version."""
    if not t.execute(
        "UPDATE run SET state='waiting', problem=NULL, finished_at=NULL, attempts=0, endings=0, version_id=%s "
        "WHERE workspace_id=%s AND id=%s AND state='failed'",
        (version_id, workspace_id, run_id),
    ):
        return False
    ready.run(t, workspace_id, run_id)
    return True


def repeat(t: Transaction, workspace_id: int, run_id: int, version_id: int) -> int:
    """Begin a new run with the item of one that ended."""
    made = t.insert(
        "INSERT INTO run (workspace_id, workflow_id, version_id, event_id, kind, state, item_id, title, item, again_of) "
        "SELECT workspace_id, workflow_id, %s, event_id, kind, 'waiting', item_id, title, item, id FROM run "
        "WHERE workspace_id=%s AND id=%s",
        (version_id, workspace_id, run_id),
    )
    ready.run(t, workspace_id, made)
    return made


def failed_in_a_row(t: Transaction, claim: Claim, number: int) -> bool:
    """Whether the last so many runs that ended have all failed: of the same catch-up, else of those since the workflow was
    turned on."""
    of = ("r.catch_up_id=%s", claim.catch_up_id) if claim.catch_up_id else ("r.workflow_id=%s", claim.workflow_id)
    since = "" if claim.catch_up_id else "AND r.kind='event' AND r.catch_up_id IS NULL AND r.finished_at > w.turned_on_at "
    rows = t.rows(
        f"SELECT r.state FROM run r JOIN workflow w ON w.id = r.workflow_id WHERE r.workspace_id=%s AND {of[0]} "
        f"AND r.finished_at IS NOT NULL {since}ORDER BY r.id DESC LIMIT %s",
        (claim.workspace_id, of[1], number),
    )
    return len(rows) == number and all(r["state"] == "failed" for r in rows)


def failed_by_connection(t: Transaction, workspace_id: int) -> dict[int, list[int]]:
    """Return runs that failed because of a connection and that nobody dismissed, the oldest first, by connection."""
    rows = t.rows(
        "SELECT id, JSON_VALUE(problem, '$.connection') AS connection FROM run WHERE workspace_id=%s AND state='failed' "
        "AND left_at IS NULL AND kind='event' AND pruned=0 AND JSON_VALUE(problem, '$.connection') IS NOT NULL ORDER BY id "
        "LIMIT 2000",
        (workspace_id,),
    )
    found: dict[int, list[int]] = {}
    for row in rows:
        found.setdefault(int(row["connection"]), []).append(row["id"])
    return found


def failed_of(t: Transaction, workspace_id: int, workflow_id: int, limit: int) -> list[int]:
    """Failed runs of a workflow that nobody dismissed, the oldest first."""
    rows = t.rows(
        "SELECT id FROM run WHERE workspace_id=%s AND workflow_id=%s AND state='failed' AND left_at IS NULL AND kind='event' "
        "AND pruned=0 ORDER BY id LIMIT %s",
        (workspace_id, workflow_id, limit),
    )
    return [row["id"] for row in rows]


def lines(t: Transaction, workspace_id: int, run_ids: list[int]) -> dict[int, dict[tuple[str, str], RunLine]]:
    """Return what was recorded of the lines, by run, line and place."""
    found: dict[int, dict[tuple[str, str], RunLine]] = {run: {} for run in run_ids}
    if run_ids:
        for r in t.rows(
            f"SELECT * FROM run_line WHERE workspace_id=%s AND run_id IN ({','.join(['%s'] * len(run_ids))})",
            (workspace_id, *run_ids),
        ):
            found[r["run_id"]][r["line_id"], r["place"]] = RunLine(
                r["line_id"],
                r["place"],
                outcome.read(r["outcome"], json.loads(r["output"] or "null")),
                json.loads(r["input"] or "null"),
                r["at"],
            )
    return found


RUN = (
    "SELECT r.id, r.workflow_id, COALESCE(w.name, 'a workflow since deleted') AS workflow, r.version_id, "
    "COALESCE(v.number, 0) AS number, r.kind, r.only_line, r.state, r.item_id, r.title, r.problem, r.attempts, "
    "r.created_at, r.finished_at, r.undone_at, r.again_of, r.pruned, r.left_at FROM run r "
    "LEFT JOIN workflow w ON w.id = r.workflow_id LEFT JOIN workflow_version v ON v.id = r.version_id "
    "WHERE r.workspace_id=%s "
)


def _run(row: Row) -> Run:
    return Run(**(row | {"problem": json.loads(row["problem"]) if row["problem"] else None}))


AT_A_LOOK = 3_000  # runs whose content is looked through for words, at a time
CONTAINS = (
    "AND (r.title LIKE %s OR r.item LIKE %s OR r.problem LIKE %s OR EXISTS (SELECT 1 FROM run_line l WHERE l.run_id = r.id "
    "AND (l.input LIKE %s OR l.output LIKE %s))) "
)


def page(t: Transaction, workspace_id: int, sought: Sought, before: int | None, limit: int) -> tuple[list[Run], int | None]:
    """Return the newest first, by keyset; and where to go on. Content is looked through a part at a time, so that a page may
    hold fewer than there is room for, or none, and there may still be more further back."""
    start = before or 2**62
    where, args = "AND r.id < %s ", [workspace_id, start]
    more: list[tuple[str, object]] = []
    if sought.workflow:
        more.append(("AND r.workflow_id=%s ", sought.workflow))
    if sought.state:
        more.append(("AND r.state=%s ", sought.state))
    if sought.since:
        more.append(("AND r.created_at >= %s ", sought.since))
    if sought.until:
        more.append(("AND r.created_at < %s ", sought.until))
    where, values = where + "".join(sql for sql, _ in more), [*args, *(value for _, value in more)]
    onward = None
    if sought.words.strip():
        row = t.row(
            "SELECT id FROM run WHERE workspace_id=%s AND id < %s ORDER BY id DESC LIMIT 1 OFFSET %s",
            (workspace_id, start, AT_A_LOOK),
        )
        onward = row["id"] if row else None
        where, values = where + CONTAINS + "AND r.id >= %s ", [*values, *[_like(sought.words)] * 5, onward or 0]
    found = [_run(r) for r in t.rows(f"{RUN}{where}ORDER BY r.id DESC LIMIT %s", (*values, limit))]
    return found, found[-1].id if len(found) == limit else onward


def _like(words: str) -> str:
    """Return a pattern for text as it stands within JSON."""
    text = json.dumps(words.strip(), ensure_ascii=False)[1:-1]
    return "%" + text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"


def get(t: Transaction, workspace_id: int, run_id: int) -> Run | None:
    row = t.row(RUN + "AND r.id=%s", (workspace_id, run_id))
    return _run(row) if row else None


def item(t: Transaction, workspace_id: int, run_id: int) -> dict[str, Any] | None:
    row = t.row("SELECT item FROM run WHERE workspace_id=%s AND id=%s", (workspace_id, run_id))
    return json.loads(row["item"]) if row and row["item"] else None


def of_event(t: Transaction, workspace_id: int, event_id: int) -> Run | None:
    row = t.row(RUN + "AND r.event_id=%s ORDER BY r.id DESC LIMIT 1", (workspace_id, event_id))
    return _run(row) if row else None


def leave(t: Transaction, workspace_id: int, workflow_id: int, run_id: int | None) -> int:
    """Leave a failed run as it is, or all that a workflow has: how many there were."""
    only, args = ("AND id=%s", (run_id,)) if run_id is not None else ("", ())
    return t.execute(
        "UPDATE run SET left_at=NOW(3) WHERE workspace_id=%s AND workflow_id=%s AND state='failed' AND left_at IS NULL " + only,
        (workspace_id, workflow_id, *args),
    )


def mark_undone(t: Transaction, workspace_id: int, run_id: int) -> bool:
    return bool(
        t.execute(
            "UPDATE run SET undone_at=NOW(3) WHERE workspace_id=%s AND id=%s AND undone_at IS NULL "
            "AND state IN ('done','failed')",
            (workspace_id, run_id),
        )
    )


def not_ended(t: Transaction) -> dict[str, int]:
    """Count runs that are held by a worker, and that are put back, wait or rest; by state."""
    held = t.row("SELECT COUNT(*) AS n FROM run WHERE lease_until IS NOT NULL")
    put_back = t.row("SELECT COUNT(*) AS n FROM ready WHERE run_id IS NOT NULL")
    asked = t.row("SELECT COUNT(*) AS n FROM question WHERE answered_at IS NULL")
    return {name: row["n"] if row else 0 for name, row in (("held", held), ("put_back", put_back), ("asking", asked))}


BATCH_SIZE = 200  # workflows that are asked for in one statement


def recent_states(t: Transaction, workspace_id: int, workflow_ids: Sequence[int], count: int) -> dict[int, list[str]]:
    """Return the states of the newest runs of workflows, the newest first; in one journey, each by its index."""
    one = f"(SELECT workflow_id, state FROM run WHERE workspace_id=%s AND workflow_id=%s ORDER BY id DESC LIMIT {int(count)})"
    found: dict[int, list[str]] = {}
    for at in range(0, len(workflow_ids), BATCH_SIZE):
        some = workflow_ids[at : at + BATCH_SIZE]
        for row in t.rows(" UNION ALL ".join([one] * len(some)), [a for w in some for a in (workspace_id, w)]):
            found.setdefault(row["workflow_id"], []).append(row["state"])
    return found


def failed_lately(t: Transaction, workspace_id: int, days: int) -> list[tuple[int, int, int]]:
    """Return the workflows of which runs failed and were not dismissed: with the run that failed last, whichever began last,
    and how many there are."""
    rows = t.rows(
        "SELECT workflow_id, COUNT(*) AS n, MAX(CONCAT(DATE_FORMAT(finished_at, '%%Y%%m%%d%%H%%i%%s%%f'), '/', id)) AS last "
        "FROM run WHERE workspace_id=%s AND pruned=0 AND created_at > NOW(3) - INTERVAL %s DAY AND state='failed' "
        "AND left_at IS NULL AND kind='event' GROUP BY workflow_id ORDER BY last DESC",
        (workspace_id, days),
    )
    return [(r["workflow_id"], int(r["last"].partition("/")[2]), r["n"]) for r in rows]
