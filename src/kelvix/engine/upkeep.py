"""What is done from time to time: silence watched, the owner told, what is old let go. Whoever finds it due does it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import structlog

from kelvix.engine import attention, holding, indexing, notifying, recovering, renewing
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions import subscribing
from kelvix.store import (
    adding,
    calls,
    clock,
    crossings,
    journal,
    kept_files,
    mirrored_items,
    own_writes,
    pairs,
    readings,
    retention,
    subscriptions,
    trash,
)
from kelvix.store.database_server import DatabaseServer
from kelvix.store.upkeep import due

log = structlog.stdlib.get_logger(__name__)
SILENCE_EVERY, PRUNE_EVERY, RENEW_EVERY, INDEX_EVERY = 300.0, 3600.0, 60.0, 60.0  # seconds
HISTORY_DAYS = 400  # for which it is kept what crossed in mirrors
MANY = 5000  # rows of mirrors that are let go of in one transaction
CHANGES = 1000  # of journals that are let go of in one transaction


def look_after(engine: Engine, server: DatabaseServer) -> None:
    """Do what is due on a server."""
    if back := server.transact(clock.follow):
        log.warning("the clock was set back; due work is moved forward by the same amount", seconds=round(back))
    for name, every, work in (
        ("silence", SILENCE_EVERY, lambda space: attention.watch_silence(engine, engine.directory.open(space))),
        ("tell", engine.settings.tell_every, lambda space: notifying.tell(engine, engine.directory.open(space))),
        ("renew", RENEW_EVERY, lambda space: renewing.renew_due(engine, space)),
        ("recover", engine.settings.recover_every, lambda space: recovering.recover(engine, space)),
        ("count", engine.settings.count_every, lambda space: holding.count_runs(engine, space)),
        ("prune", PRUNE_EVERY, lambda space: prune(engine, space)),
    ):
        if server.transact(partial(due, name=name, every=every)):
            _for_each_workspace(engine, server, name, work)
    if server.transact(lambda t: due(t, "views", INDEX_EVERY)):
        indexing.index_views(engine, server)
    if server.transact(lambda t: due(t, "passing", PRUNE_EVERY)):
        server.transact(retention.forget_passing)
        server.transact(kept_files.forget_broken_off)
        if server is engine.directory.home:
            server.transact(retention.forget_sign_ins)


def _for_each_workspace(engine: Engine, server: DatabaseServer, name: str, work: Callable[[int], object]) -> None:
    for workspace_id in engine.directory.workspaces(server):
        try:
            work(workspace_id)
        except Exception:
            log.exception("maintenance failed; it will be retried at its next time", what=name, workspace=workspace_id)


def prune(engine: Engine, workspace_id: int) -> int:
    """Let go of what a workspace does not keep any longer: of how many runs."""
    space = engine.directory.open(workspace_id)
    content, whole = engine.directory.home.read(lambda t: retention.days(t, workspace_id))
    total = 0
    trash.empty_old(space)
    subscribing.end_unused(engine, space)
    space.transact(lambda t: adding.forget(t, workspace_id))
    space.transact(lambda t: calls.forget(t, workspace_id))
    space.transact(lambda t: own_writes.forget(t, workspace_id))
    space.transact(lambda t: subscriptions.forget_left(t, workspace_id))
    space.transact(lambda t: mirrored_items.forget_left(t, workspace_id, pairs.KEPT_DAYS))
    for forget in (pairs.forget_ended, partial(crossings.forget, days=HISTORY_DAYS)):
        while space.transact(partial(forget, workspace_id=workspace_id)) == MANY:
            continue
    while space.transact(lambda t: journal.prune(t, workspace_id, CHANGES)) == CHANGES:
        continue
    while space.transact(lambda t: readings.prune(t, workspace_id, CHANGES)) == CHANGES:
        continue
    for work in (
        lambda t: retention.prune_content(t, workspace_id, content),
        lambda t: retention.forget_runs(t, workspace_id, whole),
    ):
        while number := space.transact(work):
            total += number
    return total
