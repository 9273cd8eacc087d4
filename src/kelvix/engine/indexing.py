"""Indexes of views: each saved view that is sorted gets one of its own, built in the background.

It holds what the view is sorted by, then what it is filtered by: the records that are shown are found along it, and where few
or none are, it is read through instead of the table.
"""

from __future__ import annotations

from functools import partial

import structlog

from kelvix.core.fields import TYPES
from kelvix.core.query import fields_of
from kelvix.core.schema import Database, Field
from kelvix.core.views import View, fitting
from kelvix.engine.engine import Engine
from kelvix.store import databases, ddl, views
from kelvix.store.database_server import DatabaseServer

log = structlog.stdlib.get_logger(__name__)
MAX_PARTS = 12  # columns of an index; a server takes 16


def index_views(engine: Engine, server: DatabaseServer) -> None:
    """Give each view on a server that was saved since the index that it can have."""
    for workspace_id, kept in server.read(views.unindexed):
        space = engine.directory.open(workspace_id)
        database = space.read(partial(databases.get, workspace_id=workspace_id, database_id=kept.database_id))
        parts = parts_of(fitting(kept.view, database), database) if database is not None else ()
        try:
            if database is not None and parts:
                ddl.view_index(server, database.id, kept.id, parts)
            elif database is not None:
                ddl.drop_view_index(server, database.id, kept.id)
        except Exception:
            log.exception("an index could not be built; its view is read without one", view=kept.id)
            parts = ()
        server.transact(partial(views.note_indexed, kept=kept, is_indexed=bool(parts)))


def parts_of(view: View, database: Database) -> tuple[str, ...]:
    """Return the columns of a view's index, as the server is told them; none where an index would not serve its order."""
    if not view.order or view.group is not None:
        return ()
    there = {f.id: f for f in database.readable}
    parts: dict[str, str] = {}
    for one in view.order:
        field = there[one.field]
        if not _is_held(field) or TYPES[field.type].has_choices:  # choices go by their place in the list
            return ()
        parts[ddl.column(field.id)] = " DESC" if one.descending else ""
    parts["`id`"] = " DESC"
    parts["`deleted_at`"] = ""
    for id in fields_of(view.where):
        if _is_held(there[id]):
            parts |= {column: "" for column in ddl.columns(id, there[id].type).values() if column not in parts}
    return tuple(f"{column}{way}" for column, way in list(parts.items())[:MAX_PARTS])


def _is_held(field: Field) -> bool:
    """Say whether an index holds a field's values whole: texts may be longer than it takes."""
    type_ = TYPES[field.type]
    return (type_.column is not None and not type_.keeps_text) or (type_.has_choices and type_.column is not None)
