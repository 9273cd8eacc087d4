"""Agreeing with an app on being told of what happens, and ending that."""

from __future__ import annotations

import structlog

from kelvix.connectors.contract import Account
from kelvix.core.collection import PermanentError, TransientError
from kelvix.engine.engine import Engine
from kelvix.store import subscriptions
from kelvix.store.directory import Space
from kelvix.store.subscriptions import Subscription

log = structlog.stdlib.get_logger(__name__)


def ask(engine: Engine, space: Space, one: Subscription, account: Account | None = None) -> None:
    """Ask to be told of what happens. Where the app will not push, its changes are read more often instead."""
    try:
        account = account or engine.account(space, one.connection_id)
        if not account.app.capabilities.push:
            return
        push_id, secret = account.subscribe(one.place, f"{engine.settings.address}/hooks/{space.id}/{one.id}")
    except (TransientError, PermanentError) as failure:
        log.warning("no pushes", subscription=one.id, why=str(failure))
        return
    space.transact(lambda t: subscriptions.set_push(t, engine.vault, space.id, one.id, push_id, secret))


def end(engine: Engine, space: Space, one: Subscription) -> None:
    if one.push_id:
        try:
            engine.account(space, one.connection_id).unsubscribe(one.push_id)
        except (TransientError, PermanentError) as failure:
            log.info("pushes could not be ended; they will be answered with 410", subscription=one.id, why=str(failure))
        space.transact(lambda t: subscriptions.forget_push(t, one))
