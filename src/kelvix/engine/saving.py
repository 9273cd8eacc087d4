"""Saving files into folders of apps, each once. A file is fetched when it is saved, however long ago it was told of, and goes
from app to app a piece at a time."""

from __future__ import annotations

from collections.abc import Iterator

from kelvix.connectors.contract import Account
from kelvix.core import saving
from kelvix.core.collection import PermanentError
from kelvix.core.filling import Carried
from kelvix.core.not_found import NotFoundError
from kelvix.core.outcome import FileSaved, Saving
from kelvix.core.values import File, fold
from kelvix.core.workflow import SaveFile
from kelvix.engine.engine import Engine
from kelvix.store import connections, kept_files
from kelvix.store.directory import Space


def save(engine: Engine, space: Space, line: SaveFile, what: Saving, prefer: int | None, key: str) -> FileSaved:
    """Save a file: what is recorded of it. `prefer` is the connection that it most likely came by. Raises TransientError,
    PermanentError."""
    account = engine.account(space, line.connection)
    try:
        with engine.pacer.calls(space, line.connection or 0):
            folder = line.container or _folder(account, what.folder, line.makes)
            saved = account.save(folder, what.name, content(engine, space, what.file, prefer), line.collision, key)
    except PermanentError as failure:
        if failure.about == "access":
            engine.note_failure(space, line.connection, failure)
        if failure.about == "container":
            said = (
                f"{account.app.name} does not let this connection add files to “{what.folder}”: widen it, and tick that it may"
            )
            raise PermanentError(said, "save") from None
        raise
    return FileSaved("saved", saved.name, saved.link, saved.id, saved.happened, what.folder, account.app.code)


def as_recorded(line: SaveFile, saved: FileSaved, carried: Carried) -> Carried:
    """Return what lines below can use of what was saved."""
    return saving.carry_on(line, saved.kept(), carried)


def _folder(account: Account, name: str, makes: bool) -> str:
    """Return the folder with this name among those that are shared."""
    for one in account.check().places:
        if fold(one.name) == fold(name):
            return one.id
    if not makes:
        said = f"no {account.app.container_word} “{name}” is shared with this connection: share it, or let this line make it"
        raise PermanentError(said, "folder")
    return account.make_place(name).id


def content(engine: Engine, space: Space, file: File, prefer: int | None = None) -> Iterator[bytes]:
    """Yield what a file contains, by the connections to its account: it may be shared with one of them only. One that was
    kept before accounts were is looked for in all of its app's. Raises TransientError, PermanentError."""
    code, locator, identity = file.place
    if code == kept_files.SOURCE:
        try:
            yield from kept_files.content(space, file)
        except NotFoundError:
            raise PermanentError(f"“{file}” is not here any more", "item") from None
        return
    kept = [c for c in space.read(lambda t: connections.every(t, space.id)) if c.app == code and identity in (None, c.account)]
    failure: PermanentError | None = None
    for one in sorted(kept, key=lambda c: c.id != prefer):
        came = False
        try:
            for piece in engine.account(space, one.id).open(locator):
                came = True
                yield piece
            return
        except PermanentError as refused:
            if came:  # what came cannot be taken back: another connection would begin anew
                raise
            failure = failure or refused
    where = f"the account {identity}" if identity else "an app"
    raise failure or PermanentError(f"“{file}” is in {where}, which is no longer connected", "item")
