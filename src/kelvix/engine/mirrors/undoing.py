"""Undoing what a mirror wrote: the item is set back as it was, unless somebody changed it since, and stays as it is then until
a person lets it be mirrored again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from kelvix.core.collection import Collection, ConflictError, GoneError, Item, UnknownOutcomeError, Unreadable, Write
from kelvix.core.mirror import forms
from kelvix.core.mirror.landing import landing
from kelvix.core.values import Value
from kelvix.engine.engine import Engine
from kelvix.engine.mirrors import kept as keeping
from kelvix.engine.mirrors import looking
from kelvix.engine.mirrors.crossing import Crossing as Looking
from kelvix.engine.mirrors.crossing import Later, Opens
from kelvix.engine.mirrors.keeping import Only, Step
from kelvix.store import crossings, pairs
from kelvix.store.crossings import Crossing
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.mirrors import KeptMirror

CHANGED = "It was changed since then, so it stays as it is. Change it by hand."


class CannotUndo(Exception):
    """The message says why, and what is there now."""


@dataclass(frozen=True)
class Undone:
    """How many writes were undone, and why others were not."""

    undone: int
    kept: tuple[str, ...]


def undo_many(engine: Engine, space: Space, kept: KeptMirror, several: list[Crossing], by: str) -> Undone:
    """Undo writes, the newest first. What was changed since stays. Raises Stop, TransientError, PermanentError."""
    undone, left = 0, []
    for one in several:
        try:
            # Nobody looks meanwhile, so what is set back is not taken for an edit.
            looking.with_item(engine, space, kept, one.side, one.item_id, partial(undo, space, kept, one, by))
            undone += 1
        except Later:
            left.append(f"{one.title or one.item_id}: It is being worked on. Undo it again in a moment.")
        except CannotUndo as why:
            left.append(f"{one.title or one.item_id}: {why}")
    engine.dispatch.announce(space.id, f"mirror:{kept.id}", "mirrors")
    return Undone(undone, tuple(left))


def undo(space: Space, kept: KeptMirror, one: Crossing, by: str, looks: Looking) -> None:
    """Undo one write. Raises CannotUndo, TransientError, PermanentError."""
    if one.undone_by is not None:
        raise CannotUndo("It is already undone.")
    source = looks.sides[one.side]
    before, after = (_values(one.body[key]) for key in ("before", "after"))
    item = source.get((one.item_id,)).get(one.item_id)
    key, version = f"undo-{kept.id}-{one.n}", one.body.get("version")
    try:
        match one.kind:
            case "create":
                _delete(source, item, after, key, version)
                space.transact(partial(_end, space, kept, one, by))
            case "update" | "restore":
                _set_back(source, item, before, after, key, version, looks.running.opens)
                fields = {p.id for p in kept.mirror.fields if p.field(one.side) in after}
                space.transact(partial(_hold, space, kept, one, by, fields))
            case "delete":
                if (back := _bring_back(source, item, before, one.item_id, key, looks.running.opens)) is not None:
                    looks.keeping.commit(Step(alone=[Only(one.side, back, "left_out")]))
                space.transact(lambda t: crossings.set_undone(t, kept.id, one.n, by))
            case _:
                raise CannotUndo("Nothing was written by this, so there is nothing to undo.")
    except ConflictError:
        raise CannotUndo(CHANGED) from None
    except GoneError:
        raise CannotUndo("It is not there any more.") from None
    except UnknownOutcomeError:
        raise CannotUndo("The app did not answer. Check the item, then undo it again.") from None


def _values(kept: Mapping[str, Any]) -> dict[str, Value]:
    return {key: forms.value_of(value) for key, value in kept.items()}


def _is_as_written(item: Item, after: Mapping[str, Value], version: str | None) -> bool:
    """Say whether an item still holds what was written. What its app made of that in its own way counts as long as the item is
    at the version that the write made: then nobody edited it."""

    def holds(of: str, wrote: Value) -> bool:
        value = item.values.get(of)
        if isinstance(value, Unreadable) or value == wrote:
            return value == wrote
        return version is not None and item.version == version and landing(wrote, None, value) == "normalised"

    return all(holds(of, wrote) for of, wrote in after.items())


def _delete(source: Collection, item: Item | None, after: Mapping[str, Value], key: str, version: str | None) -> None:
    if item is None:
        return
    if not _is_as_written(item, after, version):
        raise CannotUndo(CHANGED)
    source.write(Write("delete", key, item.id, version=item.version))


def _set_back(
    source: Collection,
    item: Item | None,
    before: Mapping[str, Value],
    after: Mapping[str, Value],
    key: str,
    version: str | None,
    opens: Opens | None,
) -> None:
    if item is None:
        raise CannotUndo("It is not there any more.")
    if all(item.values.get(f) == before.get(f) for f in after):
        return
    if not _is_as_written(item, after, version):
        raise CannotUndo(CHANGED)
    source.write(Write("update", key, item.id, {f: before.get(f) for f in after}, item.version, opens=opens))


def _bring_back(
    source: Collection, item: Item | None, before: Mapping[str, Value], id: str, key: str, opens: Opens | None
) -> Item | None:
    """Bring a deleted item back: it, if it was brought back now. It stays alone, since its pair has ended."""
    if item is not None:
        return None
    if "restore" in source.capabilities.writes:
        return source.write(Write("restore", key, id)).item
    can = {f.id for f in source.schema().fields if f.can_write}
    values = {f: v for f, v in before.items() if f in can and v is not None}
    return source.write(Write("create", key, values=values, opens=opens)).item


def _end(space: Space, kept: KeptMirror, one: Crossing, by: str, t: Transaction) -> None:
    """End the pair of what was created, so that it is not created again."""
    crossings.set_undone(t, kept.id, one.n, by)
    row = pairs.get(t, kept.id, one.pair_id)
    if row is not None and row.linked != "only":
        keeping.put_pair(t, space, kept, replace(keeping.as_pair(row), linked="closed", state="closed", asks=None))


def _hold(space: Space, kept: KeptMirror, one: Crossing, by: str, fields: set[str], t: Transaction) -> None:
    """Hold the fields that were set back, so that they are not written again."""
    crossings.set_undone(t, kept.id, one.n, by)
    row = pairs.get(t, kept.id, one.pair_id)
    if row is not None and row.linked == "open":
        pair = keeping.as_pair(row)
        keeping.put_pair(t, space, kept, replace(pair, held=pair.held | fields, state="held"))
