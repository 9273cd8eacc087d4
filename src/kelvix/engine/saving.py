"""Saving files into folders of apps, each once. A file is fetched when it is saved, however long ago it was told of, and goes
from app to app a piece at a time."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from kelvix.connectors.contract import Account
from kelvix.core.collection import PermanentError
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried
from kelvix.core.intents import Intent
from kelvix.core.lines import save_file
from kelvix.core.not_found import NotFoundError
from kelvix.core.outcome import FileSaved, Saving
from kelvix.core.values import File, fold, to_wire
from kelvix.core.workflow import SaveFile
from kelvix.engine.engine import Engine
from kelvix.engine.remote_write import RemoteWrite
from kelvix.store import connections, kept_files
from kelvix.store.directory import Space


@dataclass(frozen=True)
class SavedByApp(RemoteWrite):
    """A file of a run. Its payload says which file goes where; `prefer` is the connection that it most likely came by."""

    engine: Engine
    space: Space
    line: SaveFile
    payload: Mapping[str, Any]
    prefer: int | None

    question = "It is not known whether a file was saved. Look into the folder: is it there?"

    def repeats(self) -> bool:
        return self.engine.account(self.space, self.line.connection).app.capabilities.keys

    def execute(self, intent: Intent) -> Any:
        account, kept = self.engine.account(self.space, self.line.connection), intent.payload
        file = from_wire(kept["file"], "file")
        assert isinstance(file, File)
        try:
            with self.engine.pacer.calls(self.space, self.line.connection or 0):
                folder = kept["container"] or _folder(account, kept["folder"], self.line.makes)
                pieces = content(self.engine, self.space, file, self.prefer)
                saved = account.save(folder, kept["name"], pieces, kept["collision"], intent.key)
        except PermanentError as failure:
            if failure.about == "access":
                self.engine.note_failure(self.space, self.line.connection, failure)
            if failure.about == "container":
                raise PermanentError(
                    f"{account.app.name} does not let this connection add files to “{kept['folder']}”: widen it, and tick "
                    "that it may",
                    "save",
                ) from None
            raise
        code = account.app.code
        return FileSaved("saved", saved.name, saved.link, saved.id, saved.happened, kept["folder"], code).kept()

    def arrived(self, intent: Intent, by: str | None) -> Any:
        app = self.engine.account(self.space, self.line.connection).app.code
        return FileSaved("saved", intent.payload["name"], None, "", "added", intent.payload["folder"], app).kept()

    def shown(self, intent: Intent) -> list[tuple[str, str]]:
        return [("File", intent.payload["name"]), ("Folder", intent.payload["folder"])]


def payload(line: SaveFile, what: Saving) -> dict[str, Any]:
    """Return what is saved where, as JSON."""
    where = {"container": line.container or "", "folder": what.folder, "name": what.name, "collision": line.collision}
    return {"file": to_wire(what.file), **where}


def as_recorded(line: SaveFile, saved: FileSaved, carried: Carried) -> Carried:
    """Return what lines below can use of what was saved."""
    return save_file.carry_on(line, saved.kept(), carried)


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
    kept = [
        c for c in space.read(lambda t: connections.list_all(t, space.id)) if c.app == code and identity in (None, c.account)
    ]
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
