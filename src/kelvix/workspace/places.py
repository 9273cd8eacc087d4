"""Places of apps that lines work on, seen as databases: which there are, and what their items have."""

from __future__ import annotations

from secrets import token_hex

from kelvix.core.collection import PermanentError
from kelvix.core.fields.field_type import one_line
from kelvix.core.schema import Database, Outside
from kelvix.core.values import Type
from kelvix.engine.engine import Engine
from kelvix.store import places
from kelvix.workspace import Space, connections
from kelvix.workspace.refusals import NotFoundError, NotNow, Refused


def list_all(space: Space) -> list[Database]:
    """Return the places that were chosen in this workspace, as they were last read, in the order of their names."""
    return list(space.read(lambda t: places.load(t, space.id)).values())


def look(engine: Engine, space: Space, connection_id: int, place_id: str) -> Database:
    """Read what a place's items have, now, and keep that: the place, seen as a database. Raises NotFoundError, NotNow where it
    is not shared, TransientError, PermanentError."""
    kept = connections.get(space, connection_id)
    try:
        return engine.see_place(space, kept.id, place_id)
    except PermanentError as failure:
        engine.note_failure(space, kept.id, failure)
        if failure.about != "container":
            raise
        said = f"This {engine.app(kept.app).container_word} is not shared with “{kept.name}”."
        raise NotNow(said, "Change the connection’s access and select it.", about="container") from None


def get(space: Space, place_id: int) -> Database:
    """Return a place as it was last read. Raises NotFoundError."""
    found = space.read(lambda t: places.get(t, space.id, place_id))
    if found is None:
        raise NotFoundError("place")
    return found


def make_field(engine: Engine, space: Space, place_id: int, name: str, type: Type) -> Database:
    """Make a field that the items of a place can have: the place as it is then. Raises NotFoundError, Refused, TransientError,
    PermanentError."""
    of = outside(space, place_id)
    called = " ".join(name.split())
    if not called:
        raise Refused("A field needs a name.")
    if any(f.name.casefold() == called.casefold() for f in get(space, place_id).fields):
        raise Refused(f"There is a field “{called}” already.")
    source = engine.account(space, of.connection).collection(of.place)
    with engine.pacer.calls(space, of.connection):
        source.make_field(called, type, token_hex(16))
    return look(engine, space, of.connection, of.place)


def make_choice(engine: Engine, space: Space, place_id: int, field_id: str, name: str) -> Database:
    """Make a choice of a field of a place: the place as it is then. Raises NotFoundError, Refused, TransientError,
    PermanentError."""
    of, field = outside(space, place_id), get(space, place_id).field(field_id)
    if field is None:
        raise NotFoundError("field")
    if not one_line(name):
        raise Refused("A choice needs a name.")
    if not field.adds_choices:
        raise Refused(f"{of.app_name} lets nobody add choices to {field.name} from outside.")
    source = engine.account(space, of.connection).collection(of.place)
    with engine.pacer.calls(space, of.connection):
        source.make_choice(field_id, one_line(name), token_hex(16))
    return look(engine, space, of.connection, of.place)


def outside(space: Space, place_id: int) -> Outside:
    """Return how a place is reached. Raises NotFoundError."""
    of = get(space, place_id).outside
    assert of
    return of


def connections_of_places(space: Space) -> dict[int, int]:
    """Return by which connection each place is reached, by its number."""
    return space.read(lambda t: places.connections(t, space.id))
