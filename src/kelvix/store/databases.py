"""Databases and their fields."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace

from kelvix.core.fields import TYPES
from kelvix.core.fields.field_type import one_line
from kelvix.core.not_found import NotFoundError
from kelvix.core.schema import TEXT_FIELD, Database, Field
from kelvix.core.values import Choice, FieldId, NewChoice, Type, Value, fold
from kelvix.store import ddl, trash
from kelvix.store.database_server import Row, Transaction
from kelvix.store.directory import Space

MAX_FIELDS = 200
MAX_COUNTED = 10_000  # records of a database: beyond, that there are more is said
TEXT = Field(TEXT_FIELD, "Text", "long_text")


# Of a field f: the field by which the records are called to which it refers; whether their database is there.
THEIR_TITLE = (
    "IF(f.refers_to IS NULL, NULL, "
    "(SELECT i.id FROM field i WHERE i.database_id = f.refers_to ORDER BY i.position, i.id LIMIT 1)) AS their_title"
)
LEADS_SOMEWHERE = (
    "(f.refers_to IS NULL OR EXISTS "
    "(SELECT 1 FROM `database` o WHERE o.id = f.refers_to AND o.state = 'ready' AND o.deleted_at IS NULL))"
)


class Refused(ValueError):
    """A change of a database that cannot be made. The message says why and what to do."""


@dataclass(frozen=True)
class NewField:
    name: str
    type: Type
    required: bool = False
    choices: tuple[str, ...] = ()
    grows: bool = False
    refers_to: int | None = None
    back_name: str = ""  # of the field that is made on the other side


def _choices(names: tuple[str, ...], kept: tuple[Choice, ...] = ()) -> tuple[Choice, ...]:
    """Choices by name; one that was there before keeps its id."""
    ids = {c.name: c.id for c in kept}
    taken = [int(c.id) for c in kept if c.id.isdigit()]
    following = max(taken, default=0) + 1
    result: list[Choice] = []
    for name in dict.fromkeys(n.strip() for n in names if n.strip()):
        if name in ids:
            result.append(Choice(ids[name], name))
        else:
            result.append(Choice(str(following), name))
            following += 1
    return tuple(result)


def _dump(choices: tuple[Choice, ...]) -> str:
    return json.dumps([asdict(c) for c in choices], ensure_ascii=False)


def _name(number: int | None) -> FieldId | None:
    return None if number is None else str(number)


def _field(row: Row) -> Field:
    return Field(
        str(row["id"]),
        row["name"],
        row["type"],
        bool(row["required"]),
        tuple(Choice(**c) for c in json.loads(row["choices"])),
        bool(row["grows"]),
        row["refers_to"],
        _name(row["back"]),
        bool(row["leads"]),
        _name(row["their_title"]),
        adds_choices=(kind := TYPES.get(row["type"])) is not None and kind.has_choices,
    )


def _databases(t: Transaction, workspace_id: int, only: int | None = None) -> list[Database]:
    """In order of their names, each with its fields, in one journey."""
    rows = t.rows(
        f"SELECT d.id AS database_id, d.name AS database_name, f.*, {THEIR_TITLE} FROM `database` d LEFT JOIN field f "
        f"ON f.workspace_id = d.workspace_id AND f.database_id = d.id AND f.state = 'ready' AND {LEADS_SOMEWHERE} "
        "WHERE d.workspace_id=%s "
        f"AND d.state='ready' AND d.deleted_at IS NULL {'AND d.id=%s' if only is not None else ''}",
        (workspace_id, only) if only is not None else (workspace_id,),
    )
    # Sorted here: the server would sort rows with long texts on disk.
    rows.sort(key=lambda r: (r["database_name"].casefold(), r["database_id"], r["position"] or 0, r["id"] or 0))
    found: dict[int, tuple[str, list[Field]]] = {}
    for row in rows:
        _, fields = found.setdefault(row["database_id"], (row["database_name"], []))
        if row["id"] is not None:
            fields.append(_field(row))
    return [Database(d, name, (*fields, TEXT)) for d, (name, fields) in found.items()]


def changed(t: Transaction, workspace_id: int) -> None:
    """Say that a workspace's databases are not what they were; to be called with each change of one or of its fields."""
    t.later("INSERT INTO counter (workspace_id, name, n) VALUES (%s,'schema',1) ON DUPLICATE KEY UPDATE n=n+1", (workspace_id,))


def load(t: Transaction, workspace_id: int) -> dict[int, Database]:
    """All databases of a workspace by id, in order of their names."""
    return {d.id: d for d in _databases(t, workspace_id)}


def names(t: Transaction, workspace_id: int) -> dict[int, str]:
    """By database, those in the trash included."""
    return {r["id"]: r["name"] for r in t.rows("SELECT id, name FROM `database` WHERE workspace_id=%s", (workspace_id,))}


def get(t: Transaction, workspace_id: int, database_id: int) -> Database | None:
    return next(iter(_databases(t, workspace_id, database_id)), None)


def count(t: Transaction, database_id: int, most: int = MAX_COUNTED + 1) -> int:
    """How many records a database holds, counted no further than `most`."""
    found = t.row(
        f"SELECT COUNT(*) AS n FROM (SELECT 1 FROM {ddl.table(database_id)} WHERE deleted_at IS NULL LIMIT {int(most)}) AS some"
    )
    return int(found["n"]) if found else 0


def create(space: Space, name: str, fields: tuple[NewField, ...]) -> Database:
    """Make a database. Raises Refused. The first field is the title of its records: a required text field."""
    if not name.strip():
        raise Refused("a database needs a name")
    first = fields[0] if fields and fields[0].type == "text" else None
    wanted = [replace(first or NewField("Name", "text"), required=True), *(fields[1:] if first else fields)]
    _check_new(wanted, ())

    def work(t: Transaction) -> int:
        made = t.insert("INSERT INTO `database` (workspace_id, name) VALUES (%s,%s)", (space.id, name.strip()[:200]))
        for position, field in enumerate(wanted):
            _insert_field(t, space.id, made, name.strip(), field, position)
        return made

    database_id = space.transact(work)
    _reconcile(space, database_id, *(f.refers_to for f in wanted if f.refers_to is not None))
    found = space.read(lambda t: get(t, space.id, database_id))
    assert found
    return found


def _reconcile(space: Space, *database_ids: int) -> None:
    for database_id in dict.fromkeys(database_ids):
        ddl.reconcile(space.server, database_id)
    space.transact(lambda t: changed(t, space.id))


def _check_new(new: list[NewField], have: tuple[Field, ...]) -> None:
    if len(new) + len(have) > MAX_FIELDS:
        raise Refused(f"a database has at most {MAX_FIELDS} fields")
    names = [f.name.strip().casefold() for f in new]
    taken = {f.name.casefold() for f in have}
    for field, folded in zip(new, names, strict=True):
        if not folded:
            raise Refused("a field needs a name")
        if names.count(folded) > 1 or folded in taken:
            raise Refused(f"a field called {field.name} already exists. Choose another name")


def _insert_field(
    t: Transaction, workspace_id: int, database_id: int, database_name: str, field: NewField, position: int
) -> int:
    """Return a field, and where it refers to records the one that refers back. Raises Refused."""
    if TYPES[field.type].refers is not (field.refers_to is not None):
        raise Refused(
            "choose a database for this reference" if field.refers_to is None else "only reference fields have a database"
        )
    made = _insert_one(t, workspace_id, database_id, field, position)
    if field.refers_to is not None:
        there = get(t, workspace_id, field.refers_to)
        if there is None:
            raise Refused("the database to which this field refers no longer exists")
        taken = {f.name.casefold() for f in there.fields} | ({field.name.casefold()} if there.id == database_id else set())
        wanted = field.back_name.strip() or database_name
        named = next(n for n in (wanted, *(f"{wanted} {x}" for x in range(2, 999))) if n.casefold() not in taken)
        last = t.row("SELECT COALESCE(MAX(position), 0) + 1 AS n FROM field WHERE database_id=%s", (there.id,))
        back = NewField(named, field.type, refers_to=database_id)
        other = _insert_one(t, workspace_id, there.id, back, last["n"] if last else 1, of=made)
        t.execute("UPDATE field SET back=%s WHERE workspace_id=%s AND id=%s", (other, workspace_id, made))
    return made


def _insert_one(
    t: Transaction, workspace_id: int, database_id: int, field: NewField, position: int, of: int | None = None
) -> int:
    """`of`: the field that this one answers to from the other side."""
    return t.insert(
        "INSERT INTO field (workspace_id, database_id, name, type, required, choices, grows, position, refers_to, back, leads) "
        "VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s,%s,%s)",
        (
            workspace_id,
            database_id,
            field.name.strip()[:200],
            field.type,
            field.required,
            _dump(_choices(field.choices)),
            field.grows,
            position,
            field.refers_to,
            of,
            of is None,
        ),
    )


def add_field(space: Space, database: Database, field: NewField) -> Field:
    """Add a field. Raises Refused."""
    _check_new([field], database.fields)

    def work(t: Transaction) -> int:
        last = t.row("SELECT COALESCE(MAX(position), 0) + 1 AS n FROM field WHERE database_id=%s", (database.id,))
        return _insert_field(t, space.id, database.id, database.name, field, last["n"] if last else 1)

    field_id = space.transact(work)
    _reconcile(space, database.id, *([field.refers_to] if field.refers_to is not None else []))
    one = f"SELECT f.*, {THEIR_TITLE} FROM field f WHERE f.workspace_id=%s AND f.id=%s"
    made = space.read(lambda t: t.row(one, (space.id, field_id)))
    assert made
    return _field(made)


def change_field(
    space: Space,
    database: Database,
    field_id: FieldId,
    name: str | None,
    required: bool | None,
    choices: tuple[str, ...] | None,
    grows: bool | None = None,
) -> None:
    """Rename, require, or set the choices of a field, and whether they may grow. Raises Refused, NotFoundError."""
    field = database.field(field_id)
    if field is None or field_id == TEXT_FIELD:
        raise NotFoundError("field not found")
    if name is not None:
        _check_new([NewField(name, field.type)], tuple(f for f in database.fields if f.id != field_id))
    if database.fields[0].id == field_id and required is False:
        raise Refused(f"{field.name} is the title of the records, which is required")

    def work(t: Transaction) -> None:
        changed(t, space.id)
        t.execute(
            "UPDATE field SET name=%s, required=%s, choices=%s, grows=%s WHERE workspace_id=%s AND id=%s",
            (
                (name or field.name).strip()[:200],
                field.required if required is None else required,
                _dump(field.choices if choices is None else _choices(choices, field.choices)),
                field.grows if grows is None else grows,
                space.id,
                field_id,
            ),
        )

    space.transact(work)


def order_fields(space: Space, database: Database, order: Sequence[FieldId]) -> None:
    """Put the fields into an order. Raises Refused where these are not the database's, or its title is not the first."""
    own = [f.id for f in database.fields if f.id != TEXT_FIELD]
    if sorted(order) != sorted(own):
        raise Refused("the order must name each field of this database once")
    if order[0] != own[0]:
        raise Refused(f"{database.fields[0].name} is the title of the records and stays first")

    def work(t: Transaction) -> None:
        changed(t, space.id)
        for position, field_id in enumerate(order):
            t.execute("UPDATE field SET position=%s WHERE workspace_id=%s AND id=%s", (position, space.id, field_id))

    space.transact(work)


def add_choice(space: Space, database: Database, field_id: FieldId, name: str) -> None:
    """Give a field another choice; one of that name stays as it is. Raises Refused, NotFoundError."""
    field = database.field(field_id)
    if field is None:
        raise NotFoundError("field not found")
    if not field.adds_choices:
        raise Refused(f"{field.name} has no choices")
    if not one_line(name):
        raise Refused("a choice needs a name")
    space.transact(lambda t: with_new_choices(t, space.id, {field_id: NewChoice(one_line(name))}))


def with_new_choices(t: Transaction, workspace_id: int, values: Mapping[FieldId, Value]) -> dict[FieldId, Value]:
    """Values whose new choices were made, and are now named by their ids. The field is locked until the transaction ends, so
    that two writers who bring the same choice make it once."""
    kept = dict(values)
    for field_id, value in values.items():
        new = [v for v in (value if isinstance(value, tuple) else (value,)) if isinstance(v, NewChoice)]
        if not new:
            continue
        row = t.row("SELECT choices FROM field WHERE workspace_id=%s AND id=%s FOR UPDATE", (workspace_id, field_id))
        if row is None:
            raise NotFoundError("field not found")
        have = tuple(Choice(**c) for c in json.loads(row["choices"]))
        missing = [str(n) for n in new if all(fold(c.name) != fold(n) for c in have)]
        if missing:
            have = _choices((*(c.name for c in have), *missing), have)
            t.execute("UPDATE field SET choices=%s WHERE workspace_id=%s AND id=%s", (_dump(have), workspace_id, field_id))
            changed(t, workspace_id)
        ids = {fold(c.name): c.id for c in have}
        if isinstance(value, tuple):
            kept[field_id] = tuple(ids[fold(v)] if isinstance(v, NewChoice) else v for v in value)
        else:
            kept[field_id] = ids[fold(str(value))]
    return kept


def take_field_away(space: Space, database: Database, field_id: FieldId, by: str) -> None:
    """Move a field into the trash; its values are kept. Raises Refused, NotFoundError."""
    if database.fields[0].id == field_id:
        raise Refused("the title field can’t be removed. Rename it instead")
    field = database.field(field_id)
    if field is None or field_id == TEXT_FIELD:
        raise NotFoundError("field not found")

    def work(t: Transaction) -> None:
        _set_field_state(t, space.id, database.id, field_id, "ready", "dropping")
        trash.put(t, space.id, "field", int(field_id), field.name, by, database.id)

    space.transact(work)
    _reconcile(space, database.id, *([field.refers_to] if field.refers_to is not None else []))


def bring_field_back(space: Space, database: Database, field_id: FieldId) -> None:
    """Take a field out of the trash, with its values. Raises Refused, NotFoundError."""

    def work(t: Transaction) -> int | None:
        row = t.row("SELECT * FROM field WHERE workspace_id=%s AND id=%s AND state='gone'", (space.id, field_id))
        if row is not None:
            _check_new([NewField(row["name"], row["type"])], database.fields)
        _set_field_state(t, space.id, database.id, field_id, "gone", "adding")
        trash.forget(t, space.id, "field", int(field_id), database.id)
        return row["refers_to"] if row else None

    there = space.transact(work)
    _reconcile(space, database.id, *([there] if there is not None else []))


def _set_field_state(t: Transaction, workspace_id: int, database_id: int, field_id: FieldId, before: str, after: str) -> None:
    """Of a field, and of the one that refers back."""
    t.execute(
        "UPDATE field SET state=%s WHERE workspace_id=%s AND back=%s AND state=%s", (after, workspace_id, field_id, before)
    )
    if not t.execute(
        "UPDATE field SET state=%s WHERE workspace_id=%s AND database_id=%s AND id=%s AND state=%s",
        (after, workspace_id, database_id, field_id, before),
    ):
        raise NotFoundError("field not found")


def rename(space: Space, database_id: int, name: str) -> bool:
    if not name.strip():
        raise Refused("a database needs a name")

    def work(t: Transaction) -> bool:
        changed(t, space.id)
        return bool(
            t.execute(
                "UPDATE `database` SET name=%s WHERE workspace_id=%s AND id=%s AND deleted_at IS NULL",
                (name.strip()[:200], space.id, database_id),
            )
        )

    return space.transact(work)


def delete(space: Space, database: Database, by: str) -> None:
    """Move a database into the trash; its records are kept. Raises NotFoundError."""

    def work(t: Transaction) -> None:
        _set_deleted(t, space.id, database.id, "NOW(3)", "IS NULL")
        trash.put(t, space.id, "database", database.id, database.name, by)

    space.transact(work)


def bring_back(space: Space, database_id: int) -> None:
    """Take a database out of the trash, with its records. Raises NotFoundError."""

    def work(t: Transaction) -> None:
        _set_deleted(t, space.id, database_id, "NULL", "IS NOT NULL")
        trash.forget(t, space.id, "database", database_id)

    space.transact(work)


def _set_deleted(t: Transaction, workspace_id: int, database_id: int, set_to: str, was: str) -> None:
    changed(t, workspace_id)
    if not t.execute(
        f"UPDATE `database` SET deleted_at={set_to} WHERE workspace_id=%s AND id=%s AND deleted_at {was}",
        (workspace_id, database_id),
    ):
        raise NotFoundError("database not found")
