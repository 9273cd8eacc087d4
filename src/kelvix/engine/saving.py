"""Saving files into folders of apps, each once. A file is fetched when it is saved, however long ago it was told of, and goes
from app to app a piece at a time."""

from __future__ import annotations

from collections.abc import Iterator

from kelvix.connectors.contract import App, PermanentError
from kelvix.core import saving
from kelvix.core.filling import Carried
from kelvix.core.outcome import FileSaved, Saving
from kelvix.core.values import File, fold
from kelvix.core.workflow import SaveFile
from kelvix.engine.engine import Engine
from kelvix.store import connections, kept_files
from kelvix.store.directory import Space


def save(engine: Engine, space: Space, line: SaveFile, what: Saving, prefer: int | None, key: str) -> FileSaved:
    """Save a file: what is recorded of it. `prefer` is the connection that it most likely came by. Raises TransientError,
    PermanentError."""
    app, token, _ = engine.access(space, line.connection)
    try:
        with engine.pacer.calls(space, line.connection or 0):
            folder = line.container or _folder(app, token, what.folder, line.makes)
            saved = app.save(token, folder, what.name, content(engine, space, what.file, prefer), line.collision, key)
    except PermanentError as failure:
        if failure.about == "access":
            engine.note_failure(space, line.connection, failure)
        if failure.about == "container":
            said = f"{app.name} does not let this connection add files to “{what.folder}”: widen it, and tick that it may"
            raise PermanentError(said, "save") from None
        raise
    return FileSaved("saved", saved.name, saved.link, saved.id, saved.happened, what.folder, app.code)


def as_recorded(line: SaveFile, saved: FileSaved, carried: Carried) -> Carried:
    """What lines below can use of what was saved."""
    return saving.carry_on(line, saved.kept(), carried)


def _folder(app: App, token: str, name: str, makes: bool) -> str:
    """The folder with this name among those that are shared."""
    for one in app.look(token).shared:
        if fold(one.name) == fold(name):
            return one.id
    if not makes:
        said = f"no {app.container_word} “{name}” is shared with this connection: share it, or let this line make it"
        raise PermanentError(said, "folder")
    return app.make_container(token, name).id


def content(engine: Engine, space: Space, file: File, prefer: int | None = None) -> Iterator[bytes]:
    """What a file contains, by the connections to its account: it may be shared with one of them only. One that was kept before
    accounts were is looked for in all of its app's. Raises TransientError, PermanentError."""
    code, locator, account = file.place
    if code == kept_files.SOURCE:
        try:
            yield from kept_files.content(space, file)
        except LookupError:
            raise PermanentError(f"“{file}” is not here any more", "item") from None
        return
    kept = [c for c in space.read(lambda t: connections.every(t, space.id)) if c.app == code and account in (None, c.account)]
    failure: PermanentError | None = None
    for one in sorted(kept, key=lambda c: c.id != prefer):
        came = False
        try:
            app, token, _ = engine.access(space, one.id)
            for piece in app.open(token, locator):
                came = True
                yield piece
            return
        except PermanentError as refused:
            if came:  # what came cannot be taken back: another connection would begin anew
                raise
            failure = failure or refused
    where = f"the account {account}" if account else "an app"
    raise failure or PermanentError(f"“{file}” is in {where}, which is no longer connected", "item")
