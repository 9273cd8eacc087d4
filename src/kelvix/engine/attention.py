"""What needs a person, besides the questions of runs: runs that failed, workflows that are paused or silent, connections that
are refused. Each cause has a name of its own, so that it is told of once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import partial
from typing import Any, Literal

from kelvix.core import silence
from kelvix.core.collection import PermanentError, TransientError
from kelvix.core.lines import connections_of
from kelvix.core.query import Query
from kelvix.core.values import as_text
from kelvix.engine import costing, holding
from kelvix.engine.engine import Engine
from kelvix.store import (
    connections,
    consumers,
    events,
    mirror_consumers,
    mirror_intents,
    mirrors,
    pairs,
    places,
    questions,
    runs,
    subscriptions,
    workflows,
)
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

Kind = Literal[
    "question",
    "failed",
    "paused",
    "refused",
    "expiring",
    "unreachable",
    "running_out",
    "silent",
    "never_on",
    "conflict",
    "stopped",
]
WAITS = 3  # checks that failed in a row, before a source is said to be out of reach
FAILS_FOR = timedelta(minutes=1)  # after which failing calls are told of
SOON = timedelta(days=7)  # within which calls that run out are told of
DAYS = 30  # for which failed runs are named


@dataclass(frozen=True)
class Cause:
    """`sentence` says what happened, `advice` what to do. `count` is of how many things."""

    kind: Kind
    key: str
    sentence: str
    advice: str
    at: datetime
    workflow: int | None = None
    workflow_name: str = ""
    connection: int | None = None
    run: int | None = None
    count: int = 1
    mirror: int | None = None


def causes(engine: Engine, space: Space, with_questions: bool = False) -> list[Cause]:
    """All causes of a workspace, the gravest first."""

    def work(t: Transaction) -> list[Cause]:
        kept = workflows.list_all(t, space.id)
        names = {w.id: w.name for w in kept}
        listen, held = consumers.by_workflow(t, space.id), holding.by_workflow(t, space.id)
        listened = {c.connection_id for c in listen.values() if c.connection_id and c.state != "off"}
        read = subscriptions.by_workflow(t, space.id)
        reached = places.connections(t, space.id)
        listened |= mirror_consumers.connections(t, space.id)
        used = listened.union(*(connections_of(w.draft, reached) for w in kept if w.state != "off"))
        found = _connections(t, space, used)
        failing = {c.connection for c in found}
        found += [
            Cause("paused", f"paused/{w.id}/{w.turned_off_at}", f"Paused: {w.reason or 'unknown reason'}"
                  + (f". {_items(held[w.id].count)} held" if w.id in held else ""),
                  "Fix the problem, then resume. Items that arrived meanwhile will run.", w.turned_off_at or w.created_at,
                  w.id, w.name)
            for w in kept if w.state == "paused"
        ]  # fmt: skip
        found += _failed(t, space, names)
        found += [
            Cause("unreachable", f"unreachable/{workflow}",
                  f"The last {one.failures} checks failed: {one.problem}",
                  "Kelvix retries automatically.", one.last_check_at or one.next_check_at, workflow,
                  names.get(workflow, ""))
            for workflow, one in read.items()
            if listen[workflow].state == "on" and one.problem and one.failures >= WAITS and one.connection_id not in failing
        ]  # fmt: skip
        found += _mirrors(t, space)
        found += _running_out(t, engine, space, kept)
        found += _silent(t, space, names)
        if with_questions:
            found += _questions(t, space)
        return found

    return space.read(work)


ASKS = ("conflict", "asked", "doubt")  # states of a mirror's items in which a person is asked


def _mirrors(t: Transaction, space: Space) -> list[Cause]:
    """List mirrors that stopped, and those of which items wait for a person."""
    found = []
    for one in mirrors.list_all(t, space.id):
        if one.state == "stopped":
            advice = "Nothing is written until you turn it on again."
            sentence = f"Stopped: {one.reason or 'unknown reason'}"
            found.append(Cause("stopped", f"stopped/{one.id}", sentence, advice, one.created_at, None, one.name, mirror=one.id))
        if one.state not in ("on", "paused", "stopped"):
            continue
        if unconfirmed := mirror_intents.in_doubt(t, space.id, one.id):
            sentence = "1 item is unconfirmed" if len(unconfirmed) == 1 else f"{len(unconfirmed)} items are unconfirmed"
            advice = "An app did not answer. Say whether the item is there."
            began = unconfirmed[0]["began"]
            found.append(Cause("conflict", f"unconfirmed/{one.id}", sentence, advice, began, None, one.name, mirror=one.id))
        waiting = pairs.waiting(t, one.id, ASKS)
        if waiting is not None:
            number, since = waiting
            sentence = "1 item needs a decision" if number == 1 else f"{number} items need a decision"
            advice = "Both edits are kept until you decide. Everything else crosses."
            key = f"conflict/{one.id}/{number}"
            found.append(Cause("conflict", key, sentence, advice, since, None, one.name, count=number, mirror=one.id))
    return found


def _items(count: int) -> str:
    return "1 item is" if count == 1 else f"{count:,} items are"


def never_on(space: Space) -> list[Cause]:
    """Workflows that were built and tried, and never turned on."""
    kept = space.read(lambda t: workflows.list_all(t, space.id))
    return [
        Cause("never_on", f"never_on/{w.id}", "Tried, but never turned on.",
              "Turn it on to process new items.", w.tried_ok_at, w.id, w.name)
        for w in kept if w.tried_ok_at and w.turned_on_at is None
    ]  # fmt: skip


def _connections(t: Transaction, space: Space, in_use: set[int]) -> list[Cause]:
    """List connections that workflows use and that do not serve: refused, without anything shared, or not answered for a
    while."""
    found = []
    for one in connections.list_all(t, space.id):
        if one.id in in_use and (said := _trouble(one, space)):
            kind, sentence, advice, at = said
            hour = f"{at:%Y%m%d%H}"  # an app that comes and goes is one cause
            found.append(Cause(kind, f"{one.state}/{one.id}/{hour}", sentence, advice, at, connection=one.id))
    return found


def _trouble(one: connections.Connection, space: Space) -> tuple[Kind, str, str, datetime] | None:
    since = one.state_at or one.created_at
    if one.state in ("refused", "lost"):
        why = one.reason or ("its access has expired" if one.state == "lost" else "the app refuses it")
        ended = one.expires_at if one.state == "lost" and one.expires_at else since
        said = f"The connection {one.name} is not accepted: {why}"
        return "refused", said, "Reconnect it. Items that arrive meanwhile are held and run afterwards.", ended
    if one.state == "expiring" and one.expires_at:
        said = f"Access of {one.name} ends on {as_text(one.expires_at.astimezone(space.zone).date(), space.zone)}"
        return "expiring", said, "Renew it before then, so that its workflows continue.", one.expires_at
    if one.state == "empty":
        said = f"{one.name} is connected, but nothing is shared"
        return "refused", said, "Change its access, and select what its workflows use.", since
    if one.failing_since and datetime.now(UTC) - one.failing_since > FAILS_FOR:
        said = f"{one.name} has been unreachable since {as_text(one.failing_since, space.zone)}: {one.reason}"
        return "unreachable", said, "Kelvix retries automatically. Nothing is lost.", one.failing_since
    return None


def _failed(t: Transaction, space: Space, names: dict[int, str]) -> list[Cause]:
    found = []
    for workflow, last, number in runs.failed_lately(t, space.id, DAYS):
        newest = runs.get(t, space.id, last)
        if newest is None or workflow not in names:
            continue
        said = (newest.problem or {}).get("sentence", "")
        head = f"A run failed: {said}" if number == 1 else f"{number} runs failed. Last error: {said}"
        found.append(
            Cause("failed", f"failed/{workflow}/{last}", head,
                  "Open the run, fix the problem, then retry.", newest.finished_at or newest.created_at, workflow,
                  names[workflow], run=last, count=number)
        )  # fmt: skip
    return found


def _running_out(t: Transaction, engine: Engine, space: Space, kept: Sequence[workflows.Kept]) -> list[Cause]:
    """List connections whose calls will have run out within a week."""
    now, found = datetime.now(UTC), []
    for costs in costing.of_connections(t, engine, space, kept, now).values():
        if costs.shares and (said := costing.running_out(engine, space, costs, now)) and said.at - now < SOON:
            key = f"running_out/{costs.connection}/{max(one.resets for one in costs.limits):%Y%m%d}"  # once in each window
            found.append(Cause("running_out", key, said.sentence, said.advice, now, connection=costs.connection))
    return found


def _silent(t: Transaction, space: Space, names: dict[int, str]) -> list[Cause]:
    found = []
    for id, kept in workflows.silent(t, space.id).items():
        since = datetime.fromisoformat(kept["since"])
        found.append(
            Cause("silent", f"silent/{id}/{kept['since']}", kept["said"], kept["advice"], since, id, names.get(id, ""))
        )  # fmt: skip
    return found


def _questions(t: Transaction, space: Space) -> list[Cause]:
    return [
        Cause("question", f"question/{q.id}", q.asked["question"], "Answer it in Needs you.", q.asked_at, q.workflow_id,
              q.workflow, run=q.run_id)
        for q in questions.open_ones(t, space.id)
    ]  # fmt: skip


# Silence


def watch_silence(engine: Engine, space: Space) -> None:
    """Look at each workflow that is on: whether its source has fallen silent, and why that may be."""
    now = datetime.now(UTC)
    for kept in space.read(lambda t: workflows.list_all(t, space.id)):
        if kept.state != "on":
            continue
        times = space.read(partial(events.times, workspace_id=space.id, workflow_id=kept.id, limit=silence.MAX_GAPS + 1))
        found = silence.measure(times, now)
        said: dict[str, Any] | None = None
        if found and (kept.turned_on_at is None or now - kept.turned_on_at > silence.SHORTEST):
            cause, advice = _likely(engine, space, kept, found)
            said = {
                "since": found.since.isoformat(),
                "said": f"No items since {as_text(found.since, space.zone)}. Usually one arrives every "
                f"{silence.words(found.usual)}; the longest gap so far was {silence.words(found.longest)}. {cause}",
                "advice": advice,
            }
        space.transact(partial(workflows.set_silence, workspace_id=space.id, workflow_id=kept.id, said=said))


def _likely(engine: Engine, space: Space, kept: workflows.Kept, found: silence.Silence) -> tuple[str, str]:
    """Return the likely cause of a silence, and what to do."""
    when = kept.draft.when
    if when.own is not None:
        return (
            "None of its events have happened here.",
            "Check whether its records still change, or its requests are still sent.",
        )
    try:
        account = engine.account(space, when.connection)
        word = account.app.container_word
        if when.container not in {c.id for c in account.check().places}:
            return f"The {word} “{when.container_name}” is no longer shared, or was deleted.", "Change the connection’s access."
        newest = account.collection(when.container or "").query(Query(limit=1)).items
    except PermanentError as failure:
        return f"Likely cause: {failure}.", "Reconnect it."
    except TransientError as failure:
        return f"Likely cause: {failure}.", "Kelvix retries automatically."
    if newest and newest[0].created > found.since + timedelta(minutes=1):
        return f"“{when.container_name}” has newer items Kelvix wasn’t notified about.", "Check now."
    return (
        f"“{when.container_name}” has no new items either: they may go elsewhere, or are no longer sent.",
        f"Check whether they arrive in another {word}.",
    )
