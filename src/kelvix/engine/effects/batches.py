"""Adding several items by one call, where a line adds one in each round of what is repeated, and its app takes several at once.

Once the first of them is due, those of the rounds after it are computed too, as far as nothing between them acts or asks
anybody. All their intents are kept together, under one key; then comes the call; then all their outcomes are kept. Each
round finds its own when its turn comes, and records it. So what is interrupted goes on like any other write: what may have
gone out is sent again as it went out, the same items under the same key.
"""

from __future__ import annotations

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from kelvix.core.cells import Cell
from kelvix.core.collection import Collection, PermanentError, TransientError, UnknownOutcomeError
from kelvix.core.intents import Intent, not_carried_out
from kelvix.core.values import File
from kelvix.core.walking import Place
from kelvix.core.workflow import Writes
from kelvix.engine.outside import Outside
from kelvix.engine.pacing import Paced
from kelvix.engine.recording import place_text
from kelvix.store import intents
from kelvix.store.database_server import Transaction

if TYPE_CHECKING:
    from kelvix.engine.effects.items import At

NTH, WHERE = "nth", "where"  # in the payload of one of a batch: its number there, and the place of the app that it is for


@dataclass(frozen=True)
class Member:
    """One of a batch: the round that it is of, and its intent."""

    place: str
    intent: Intent


@dataclass(frozen=True)
class Ahead:
    """An item that was added for a round to which its run did not come: by which line, at which place of the walk, in which
    place of an app, and what undoes it."""

    line: str
    place: str
    where: int
    undo: Mapping[str, Any]


def add_ahead(at: At, slot: str, payload: Mapping[str, Any]) -> Mapping[str, Any]:
    """Add the item of this round with those of the rounds after it, where they can go together: what of this round is to be
    written, which is done then. Raises TransientError, PermanentError."""
    begun = at.begun.get(slot)
    if begun is not None and (begun.state != "open" or NTH not in begun.payload):
        return begun.payload
    found = at.source()
    if begun is not None:
        members = _of_key(at, slot, begun.key)
        _send(at, found, slot, [replace(m, intent=replace(m.intent, repeated=True)) for m in members])
        at.look_anew()
        return begun.payload
    can, run = found.capabilities, at.run
    has_files = any(isinstance(value, File) for value in at.cell.writes.values())
    if can.batch < 2 or not can.keys or run.adds_alone or has_files:
        return payload
    first = (place_text(at.place), payload)
    payloads = [first, *_upcoming(at, slot, run.upcoming(at.line, at.place, can.batch - 1))]
    if len(payloads) < 2:
        return payload
    members = _begin(at, slot, payloads)
    try:
        _send(at, found, slot, members)
    except PermanentError as refused:
        if refused.about == "access":
            raise
        run.adds_alone = True  # one of them is not taken: which one is seen by sending each alone
        at.look_anew()
        return payload
    at.look_anew()
    return members[0].intent.payload


def _upcoming(at: At, slot: str, rounds: Sequence[tuple[Place, Cell]]) -> list[tuple[str, Mapping[str, Any]]]:
    """Return what the rounds to come would add, but for those of which something may have gone out."""
    run = at.run
    known = run.space.read(lambda t: intents.begun_places(t, run.claim, at.line.id, slot))
    return [(where, at.payload_of(cell)) for place, cell in rounds if (where := place_text(place)) not in known]


def _of_key(at: At, slot: str, key: str) -> list[Member]:
    run = at.run
    kept = run.space.read(lambda t: intents.of_key(t, run.claim, at.line.id, slot, key))
    return [Member(place, one) for place, one in sorted(kept.items(), key=lambda pair: pair[1].payload[NTH])]


def _begin(at: At, slot: str, payloads: Sequence[tuple[str, Mapping[str, Any]]]) -> list[Member]:
    """Commit their intents, before anything goes out."""
    run = at.run
    run.before_effect(run.claim)

    def work(t: Transaction) -> list[Member]:
        run.progress.hold(t, run.claim, None)
        key = intents.new_key(t, run.claim, at.line.id, payloads[0][0], 0)
        made = [
            Member(place, Intent(key, {**payload, NTH: n, WHERE: at.database.id}))
            for n, (place, payload) in enumerate(payloads)
        ]
        _keep(t, run, at.line, slot, made)
        return made

    return run.space.transact(work)


def _send(at: At, found: Collection, slot: str, members: Sequence[Member]) -> None:
    """Make the call, and commit what became of each. Raises TransientError, PermanentError, where it was certainly not carried
    out or where that is not known, so that it is sent again."""
    run, writes = at.run, [at.write_of(m.intent) for m in members]
    try:
        with run.leases.outside(run.space, run.claim), at.calls():
            written = found.write_many(writes, members[0].intent.key)
    except UnknownOutcomeError as unanswered:
        later = TransientError(str(unanswered), unanswered.after)
        later.connection = unanswered.connection
        raise later from None
    except (TransientError, PermanentError, Paced):
        _commit(at, found, slot, [replace(m, intent=not_carried_out(m.intent)) for m in members])
        raise
    done = [
        replace(m, intent=replace(m.intent, state="done", outcome=at.made(m.intent, one, found)))
        for m, one in zip(members, written, strict=True)
    ]
    _commit(at, found, slot, done)
    run.sent.update({(at.line.id, member.place): member.intent for member in done})


def _commit(at: At, found: Collection, slot: str, members: Sequence[Member]) -> None:
    run = at.run

    def work(t: Transaction) -> None:
        run.progress.hold(t, run.claim, None)
        _keep(t, run, at.line, slot, members)
        at.settle(t, found, [m.intent for m in members if m.intent.state == "done"])

    run.space.transact(work)


def _keep(t: Transaction, run: Outside, line: Writes, slot: str, members: Sequence[Member]) -> None:
    intents.keep_many(t, run.claim, line.id, slot, [(m.place, m.intent) for m in members])


def left_ahead(t: Transaction, workspace_id: int, run_id: int, recorded: Container[tuple[str, str]]) -> list[Ahead]:
    """Return what a run added ahead, and did not come to: it is nowhere recorded, and to be undone all the same."""
    kept = intents.done_of_run(t, workspace_id, run_id)
    return [
        Ahead(line, place, intent.payload[WHERE], intent.outcome["undo"])
        for (line, place), intent in kept.items()
        if WHERE in intent.payload and (line, place) not in recorded and intent.outcome["undo"]
    ]
