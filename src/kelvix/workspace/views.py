"""Views of databases, by people and scripts: kept, and answered."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from kelvix.core import query as conditions
from kelvix.core.not_found import NotFoundError
from kelvix.core.schema import Database
from kelvix.core.views import Mark, View, fitting
from kelvix.store import arranging, ddl, records, upkeep, views
from kelvix.store.arranging import Group, Place
from kelvix.store.records import Record
from kelvix.store.views import KeptView
from kelvix.workspace import Space
from kelvix.workspace.people import Person
from kelvix.workspace.refusals import NotNow, NotValid

__all__ = ["Group", "KeptView", "Place"]

MAX_VIEWS = 100  # of a database
FIRST_PAGE, PAGE = 500, 20_000  # places that are told at once: the first few sooner
ALL_RECORDS = "All records"


@dataclass(frozen=True)
class Shown:
    """A record as a view shows it: `mark` says which of its marks holds, if any."""

    record: Record
    mark: int | None


def list_all(space: Space, database: Database) -> list[KeptView]:
    """Return the views of a database, in their order, without what the database has no more."""
    return [_fitted(one, database) for one in space.read(lambda t: views.list_all(t, space.id, database.id))]


def _fitted(kept: KeptView, database: Database) -> KeptView:
    return KeptView(kept.id, kept.database_id, kept.name, fitting(kept.view, database), kept.version, kept.is_indexed)


def get(space: Space, database: Database, view_id: int) -> KeptView:
    """Return a view. Raises NotFoundError."""
    found = space.read(lambda t: views.get(t, space.id, database.id, view_id))
    if found is None:
        raise NotFoundError("view not found")
    return _fitted(found, database)


def create(space: Space, database: Database, name: str, view: View, person: Person) -> KeptView:
    """Keep a new view, after the others. Raises NotValid, NotNow."""
    called = _name(space, database, name, None)
    if len(space.read(lambda t: views.list_all(t, space.id, database.id))) >= MAX_VIEWS:
        raise NotNow(f"{database.name} has {MAX_VIEWS} views, the most it can have.", "Delete a view first.")
    made = space.transact(lambda t: views.create(t, space.id, database.id, called, view, person.name))
    _index_soon(space)
    return get(space, database, made)


def save(space: Space, database: Database, view_id: int, saw: int, name: str, view: View) -> KeptView:
    """Keep an edit of a view that was seen at a version. Raises NotFoundError, NotValid, NotNow."""
    get(space, database, view_id)
    called = _name(space, database, name, view_id)
    if not space.transact(lambda t: views.save(t, space.id, view_id, saw, called, view)):
        raise NotNow("This view was changed meanwhile.", "Reload it, then make your change again.")
    _index_soon(space)
    return get(space, database, view_id)


def _name(space: Space, database: Database, name: str, of: int | None) -> str:
    called = " ".join(name.split())[:200]
    if not called:
        raise NotValid("A view needs a name.", "Enter one.", {"name": "enter a name"})
    others = [v.name for v in space.read(lambda t: views.list_all(t, space.id, database.id)) if v.id != of]
    if called.casefold() in (one.casefold() for one in (*others, ALL_RECORDS)):
        raise NotValid(f"There is already a view called {called}.", "Choose another name.", {"name": "already used"})
    return called


def _index_soon(space: Space) -> None:
    space.transact(lambda t: upkeep.bring_forward(t, "views"))


def delete(space: Space, database: Database, view_id: int) -> None:
    """Delete a view; the records stay. Raises NotFoundError."""
    if not space.transact(lambda t: views.remove(t, space.id, database.id, view_id)):
        raise NotFoundError("view not found")
    ddl.drop_view_index(space.server, database.id, view_id)


def put_in_order(space: Space, database: Database, ids: Sequence[int]) -> None:
    """Put the views of a database into an order."""
    space.transact(lambda t: views.put_in_order(t, space.id, database.id, ids))


def places(
    space: Space, database: Database, view: View, after: str | None, kept: KeptView | None
) -> tuple[list[Place], str | None]:
    """Return where the records of a view stand, page by page. `kept`: the view as it is kept, where that is asked for. Raises
    NotFoundError, Unfit."""
    has_index = kept is not None and kept.is_indexed and (kept.view.where, kept.view.order) == (view.where, view.order)
    index = ddl.view_index_name(kept.id) if kept is not None and has_index and view.group is None else None
    return space.read(
        lambda t: arranging.places(
            t, database, view.where, view.order, view.group, space.zone, PAGE if after else FIRST_PAGE, after=after, index=index
        )
    )


def figures(space: Space, database: Database, view: View) -> tuple[Group, list[Group]]:
    """Return the figures of all records of a view, and of each of its groups. Raises NotFoundError, Unfit."""

    def work_on(group: str | None) -> list[Group]:
        return space.read(lambda t: arranging.figures(t, database, view.where, group, view.totals, space.zone))

    (whole,) = work_on(None)
    return whole, work_on(view.group) if view.group is not None else []


def shown(space: Space, database: Database, marks: Sequence[Mark], ids: Sequence[int]) -> list[Shown]:
    """Return those of these records that are there, in this order, as a view shows them."""
    found = space.read(lambda t: records.many(t, database, ids))
    env = space.env(datetime.now(UTC))

    def mark(record: Record) -> int | None:
        values = record.readable
        holding = (n for n, m in enumerate(marks) if conditions.holds(m.where, database.readable, values, env))
        return next(holding, None)

    return [Shown(record, mark(record)) for record in found]
