"""Renewing the access of connections before it ends, where their apps let it be renewed without a person."""

from __future__ import annotations

import structlog

from kelvix.core.collection import PermanentError, TransientError
from kelvix.engine.engine import Engine
from kelvix.store import connections
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

log = structlog.stdlib.get_logger(__name__)


def renew_due(engine: Engine, workspace_id: int) -> int:
    """Renew what ends soon: how many connections. What fails in passing is tried again at the next look; what an app refuses is
    refused from now on, and said."""
    space = engine.directory.open(workspace_id)
    renewed = 0
    for connection_id in space.read(lambda t: connections.to_renew(t, space.id)):
        try:
            renewed += renew(engine, space, connection_id)
        except TransientError as failure:
            log.info("access can't be renewed now", connection=connection_id, why=str(failure))
    if renewed:
        engine.dispatch.announce(workspace_id, "connections")
    return renewed


def renew(engine: Engine, space: Space, connection_id: int) -> bool:
    """Renew the access of a connection: whether it was. Raises TransientError."""
    kept = space.read(lambda t: connections.refresh_of(t, engine.vault, space.id, connection_id))
    if kept is None:
        return False
    code, refresh = kept
    try:
        grant = engine.app(code).renew(refresh)
    except PermanentError as refused:
        engine.note_failure(space, connection_id, refused)
        return False

    def work(t: Transaction) -> None:
        args = grant.token, grant.expires_in, grant.refresh
        connections.keep_renewed(t, engine.vault, space.id, connection_id, *args)

    space.transact(work)
    return True
