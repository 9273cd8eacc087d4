"""Beginning and ending to listen to a place of an account. However many workflows listen to it, the app is asked once."""

from __future__ import annotations

from collections.abc import Sequence

from kelvix.core.collection import Collection, PermanentError
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions import polling, pushes
from kelvix.store import consumers, inbox, journal, subscriptions
from kelvix.store.arrivals import Arrival
from kelvix.store.consumers import Consumer
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.subscriptions import Subscription

MAX_READS = (
    200  # of an app's changes, to reach the present for those who may want to know what came; then the rest is passed over
)


def present(
    engine: Engine, space: Space, source: Collection, connection_id: int, workflow_id: int, kinds: Sequence[str]
) -> tuple[Consumer | None, bool]:
    """Return a workflow's consumer, and whether it listens to just this already, so that it goes on from where it is."""
    one = know_first_account(engine, space, workflow_id)
    of = space.read(lambda t: subscriptions.of_workflow(t, space.id, workflow_id))
    if one is None or of is None:
        return one, False
    account = of.account
    if account is None and of.connection_id == connection_id:  # from before that was noted
        account = source.ref.account
        space.transact(lambda t: subscriptions.name_account(t, of, source.ref.account))
    is_same = (
        one.state in ("on", "paused")
        and (account, of.place) == (source.ref.account, source.ref.place)
        and one.kinds == ",".join(kinds)
    )
    return one, is_same


def know_first_account(engine: Engine, space: Space, workflow_id: int) -> Consumer | None:
    """Return a workflow's consumer; note which account it listened to first, of one that was there before that was noted."""
    one = space.read(lambda t: consumers.of_workflow(t, space.id, workflow_id))
    if one is None or one.account is not None or one.connection_id is None:
        return one
    try:
        account = engine.account(space, one.connection_id).collection("").ref.account
    except PermanentError:  # its connection was removed; what it reached cannot be known any more
        return one
    return space.transact(lambda t: consumers.know(t, space.id, workflow_id, account))


def reach(
    engine: Engine, space: Space, source: Collection, connection_id: int, workflow_id: int, from_where_it_was: bool
) -> Subscription:
    """Return the subscription of a place, read up to the present, so that what came until now stands in its journal; but where
    nobody wants to know what came since it was read last, it goes on from now. Raises TransientError, PermanentError."""
    account, place = source.ref.account, source.ref.place
    found = space.read(lambda t: subscriptions.find(t, space.id, account, place))
    besides = None if from_where_it_was else workflow_id
    if found is None or (found.state == "off" and not space.read(lambda t: subscriptions.is_wanted(t, found, besides))):
        cursor = source.head()

        def work(t: Transaction) -> int:
            made = subscriptions.create(t, space.id, account, place, connection_id, cursor, polling.EVERY)
            subscriptions.begin_at(t, space.id, made, connection_id, cursor)
            return made

        return _get(space, space.transact(work))
    for _ in range(MAX_READS):
        more, _ = polling.read(engine, space, _get(space, found.id), source, has_turn=True)
        if not more:
            return _get(space, found.id)
    head = source.head()
    space.transact(lambda t: subscriptions.begin_at(t, space.id, found.id, connection_id, head))
    return _get(space, found.id)


def join(
    t: Transaction,
    space: Space,
    of: Subscription,
    workflow_id: int,
    account: str,
    version_id: int,
    connection_id: int,
    kinds: Sequence[str],
    looks: bool,
    every: int,
) -> bool:
    """Within the caller's transaction, let a workflow listen to what a subscription takes in from now on: whether it is the
    first that does."""
    one = consumers.of_workflow(t, space.id, workflow_id)
    leave(t, space, one)
    known = consumers.know(t, space.id, workflow_id, account)
    held = subscriptions.get(t, space.id, of.id, lock=True)
    assert held
    consumers.listen_to_place(t, known, version_id, of.id, connection_id, kinds, held.cursor_at, looks, every)
    return subscriptions.listen(t, space.id, of.id, polling.EVERY)


def _get(space: Space, subscription_id: int) -> Subscription:
    found = space.read(lambda t: subscriptions.get(t, space.id, subscription_id))
    assert found
    return found


def leave(t: Transaction, space: Space, one: Consumer | None) -> None:
    """Within the caller's transaction, hold what was taken in for a consumer that has not read it and listens to something else
    from now on: it runs all the same."""
    of = subscriptions.get(t, space.id, one.subscription_id) if one and one.subscription_id else None
    if one is None or of is None or one.state == "off" or one.looks:  # what was looked at was read before
        return
    kinds, place = one.kinds.split(","), one.read_to
    while found := journal.after(t, of.id, place, 500):
        told = [(c, a) for c in found if (a := Arrival.of(c.item, c.told, c.revision, kinds))]
        arrived = [inbox.Arrived(a.digest(one.scope(of.account), of.place), a.item, c.came_by) for c, a in told]
        inbox.hold(t, space.id, one.workflow_id, f"journal/{of.id}", arrived, 2**62)
        place = found[-1].n


def end_unused(engine: Engine, space: Space) -> None:
    """Let the subscriptions rest that nobody listens to any more."""
    for one in space.transact(lambda t: subscriptions.rest(t, space.id)):
        pushes.end(engine, space, one)
