"""Undoing what a run wrote: in our own databases, and in apps where these let it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from kelvix.collections import undo
from kelvix.collections.write import Actor
from kelvix.core.collection import ConflictError, GoneError, PermanentError, TransientError, UnknownOutcomeError, Write
from kelvix.core.fields import from_wire
from kelvix.core.not_found import NotFoundError
from kelvix.engine import file_content
from kelvix.engine.effects import batches, items
from kelvix.engine.engine import Engine
from kelvix.store import changes, places, runs
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.records import Origin


@dataclass(frozen=True)
class Undone:
    """How many changes were undone, how many of these put a record into the trash, and why others were not."""

    undone: int
    trashed: int
    kept: tuple[str, ...]


def undo_run(engine: Engine, space: Space, run_id: int, person: str) -> Undone:
    """Undo a run's changes, the last first; those in apps before those of ours, so that it can be begun again where an app does
    not answer. What was changed again since stays, and is said. Raises NotFoundError, TransientError."""
    lines = space.read(lambda t: runs.lines(t, space.id, [run_id]))[run_id]
    found = space.read(lambda t: runs.get(t, space.id, run_id))
    if found is None or found.undone_at is not None or found.state not in ("done", "failed"):
        raise NotFoundError("run not found, or it is already undone")
    said = [line.outcome.stays for line in lines.values() if line.outcome.stays]
    in_apps = InApps(engine, space, f"kelvix-undo-{space.id}-{run_id}")
    for ahead in space.read(lambda t: batches.left_ahead(t, space.id, run_id, lines)):
        why = in_apps.undo(ahead.where, ahead.undo, f"{ahead.line}-{ahead.place}-0")
        said += [why] if why else []
    for (line, place), one in reversed(lines.items()):
        for number, back in enumerate(reversed(one.outcome.more.get("undo") or ())):
            why = in_apps.undo(int(getattr(one.outcome, "database", 0)), back, f"{line}-{place}-{number}")
            said += [why] if why else []

    def work(t: Transaction) -> Undone:
        made = changes.of_run(t, space.id, run_id)
        if not runs.mark_undone(t, space.id, run_id):
            raise NotFoundError("run not found, or it is already undone")
        undone, trashed, kept = in_apps.undone, 0, []
        for change in reversed(made):
            try:
                undo.undo(t, space.id, change.seq, Actor(Origin(person=person, undoes=change.seq)), run_id)
                undone += 1
                trashed += change.kind == "add"
            except (undo.CannotUndo, NotFoundError) as why:
                kept.append(str(why))
        return Undone(undone, trashed, (*kept, *said))

    result = space.transact(work)
    engine.dispatch.announce(space.id, "runs", "records")
    return result


class InApps:
    """Undoes what a run wrote in apps, the last first. `key` begins the keys of its writes, which are the same each time."""

    def __init__(self, engine: Engine, space: Space, key: str):
        self.engine, self.space, self.key = engine, space, key
        self.undone = 0
        self._versions: dict[tuple[int, str], tuple[str | None, str | None]] = {}

    def undo(self, place: int, back: Mapping[str, Any], which: str) -> str:
        """Undo one write: why it stays, or nothing where it was undone. Raises TransientError."""
        database = self.space.read(lambda t: places.get(t, self.space.id, place))
        if database is None:
            return "its place was removed from Kelvix"
        values = {f.id: from_wire(back["values"][f.id], f.type) for f in database.fields if f.id in back["values"]}
        # What the run wrote later to the same item, upon this write, has been undone: the item has another version by that.
        saw, now = self._versions.get((place, back["id"]), (None, None))
        version = now if now is not None and back["version"] == saw else back["version"]
        opens = partial(file_content.content, self.engine, self.space)
        write = Write(back["kind"], f"{self.key}-{which}", back["id"], values, version, opens=opens)
        try:
            source = items.source(self.engine, self.space, database)
            with items.calls(self.engine, self.space, database):
                if version is not None and not source.capabilities.versions and source.one(write.id).version != version:
                    raise ConflictError("it was changed")  # the app would not say so
                item = source.write(write).item
        except ConflictError:
            return f"{database.a_record} in {database.name} was changed since then; change it by hand"
        except GoneError:
            return f"{database.a_record} in {database.name} is no longer there"
        except UnknownOutcomeError as unanswered:  # asked again, it is known by its key or by what it comes to
            raise TransientError(str(unanswered), unanswered.after) from None
        except PermanentError as failure:
            return str(failure)
        self._versions[(place, back["id"])] = (back.get("saw"), item.version if item else None)
        self.undone += 1
        return ""
