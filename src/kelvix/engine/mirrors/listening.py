"""What is told of the sides of mirrors: each item that was added, changed or deleted is to be looked at."""

from __future__ import annotations

from functools import partial

import structlog

from kelvix.core.collection import Collection
from kelvix.core.mirror.lens import Side
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors.sides import Opened
from kelvix.engine.subscriptions import polling, pushes
from kelvix.store import changes, mirror_consumers, mirror_looks, subscriptions
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.directory import Space
from kelvix.store.mirror_consumers import SideReader
from kelvix.store.mirrors import KeptMirror

BATCH_SIZE = 500  # changes in one transaction
GONE = frozenset(("delete", "deleted", "removed", "gone"))  # how a deletion is told of
DELETED_WAIT = 3.0  # seconds for which a deletion waits, so that many are seen together
log = structlog.stdlib.get_logger(__name__)


def begin(engine: Engine, space: Space, mirror: KeptMirror, side: Side, opened: Opened) -> None:
    """Let a side listen from now on. What is there by now is read in full after that. Raises TransientError, PermanentError."""
    source = opened.collection
    if opened.is_ours:
        space.transact(
            lambda t: mirror_consumers.listen(
                t, space.id, mirror.id, side, None, None, opened.database.id, changes.last(t, space.id), source.ref.account
            )
        )
        return
    assert opened.connection is not None
    one = _subscribed(space, source, opened.connection)

    def work(t: Transaction) -> bool:
        held = subscriptions.get(t, space.id, one, lock=True)
        assert held
        mirror_consumers.listen(t, space.id, mirror.id, side, one, opened.connection, None, held.n, source.ref.account)
        return subscriptions.listen(t, space.id, one, polling.EVERY)

    is_first = space.transact(work)
    of = space.read(lambda t: subscriptions.get(t, space.id, one))
    if of is not None and (is_first or of.push_id is None):
        pushes.ask(engine, space, of, engine.account(space, opened.connection))


def _subscribed(space: Space, source: Collection, connection: int) -> int:
    """Return the subscription of a place; one that nobody listened to goes on from now."""
    found = space.read(lambda t: subscriptions.find(t, space.id, source.ref.account, source.ref.place))
    if found is not None and (found.state == "on" or space.read(lambda t: subscriptions.is_wanted(t, found, None))):
        return found.id
    cursor = source.head()

    def work(t: Transaction) -> int:
        made = subscriptions.create(t, space.id, source.ref.account, source.ref.place, connection, cursor, polling.EVERY)
        subscriptions.begin_at(t, space.id, made, connection, cursor)
        return made

    return space.transact(work)


def follow(server: DatabaseServer, engine: Engine) -> int:
    """Let the sides that are behind read on: how many changes they read. One holds up no other."""
    total = 0
    for one in server.read(mirror_consumers.behind):
        try:
            total += engine.directory.open(one.workspace_id).transact(partial(_read_on, one))
        except Exception:
            log.exception("a mirror's side could not read on", mirror=one.mirror_id, side=one.side)
    return total


def _read_on(one: SideReader, t: Transaction) -> int:
    if not mirror_consumers.locked(t, one):
        return 0
    found = (mirror_consumers.told if one.subscription_id else mirror_consumers.logged)(t, one, BATCH_SIZE)
    if not found:
        return 0
    gone = {str(r["item"]) for r in found if r["item"] is not None and r["told"] in GONE}
    rest = {str(r["item"]) for r in found if r["item"] is not None} - gone
    mirror_looks.stir(t, one.workspace_id, one.mirror_id, one.side, sorted(rest))
    mirror_looks.stir(t, one.workspace_id, one.mirror_id, one.side, sorted(gone), DELETED_WAIT, "deleted")
    mirror_consumers.read_on(t, one, found[-1]["n"])
    return len(found)
