"""Saving files into folders of apps, each once. A file is fetched when it is saved, however long ago it was told of, and goes
from app to app a piece at a time."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from kelvix.connectors.contract import Account
from kelvix.core import file_name, outcome
from kelvix.core.cells import Cell, Finding
from kelvix.core.collection import PermanentError
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried
from kelvix.core.intents import Intent
from kelvix.core.lines import save_file
from kelvix.core.lines.save_file import SaveFile
from kelvix.core.outcome import FileSaved, Outcome, Saving, StoreFile
from kelvix.core.values import File, fold, to_wire
from kelvix.core.walking import Place
from kelvix.engine import file_content, linked_files
from kelvix.engine.effects.effect import Effect
from kelvix.engine.engine import Engine
from kelvix.engine.outside import Outside
from kelvix.engine.remote_write import RemoteWrite
from kelvix.store.directory import Space


@dataclass(frozen=True)
class SavedByApp(RemoteWrite):
    """A file of a run. Its payload says which file goes where; `prefer` is the connection that it most likely came by."""

    engine: Engine
    space: Space
    line: SaveFile
    payload: Mapping[str, Any]
    prefer: int | None

    question = "Unconfirmed: was a file saved? Check the folder."

    def repeats(self) -> bool:
        return self.engine.account(self.space, self.line.connection).app.capabilities.keys

    def execute(self, intent: Intent) -> Any:
        account, kept = self.engine.account(self.space, self.line.connection), intent.payload
        file = from_wire(kept["file"], "file")
        assert isinstance(file, File)
        try:
            with self.engine.pacer.calls(self.space, self.line.connection or 0):
                folder = kept["container"] or _folder(account, kept["folder"], self.line.makes)
                name, pieces = self._content(file, kept["name"])
                saved = account.save(folder, name, pieces, kept["collision"], intent.key)
        except PermanentError as failure:
            if failure.about == "access":
                self.engine.note_failure(self.space, self.line.connection, failure)
            if failure.about == "container":
                raise PermanentError(
                    f"{account.app.name} does not let this connection add files to “{kept['folder']}”: change its access, and "
                    "tick that it may",
                    "save",
                ) from None
            raise
        code = account.app.code
        return FileSaved("saved", saved.name, saved.link, saved.id, saved.happened, kept["folder"], code).kept()

    def _content(self, file: File, name: str) -> tuple[str, Iterator[bytes]]:
        """Return what a file contains; the name of one that is given by its link ends as its content says."""
        if not file.is_linked:
            return name, file_content.content(self.engine, self.space, file, self.prefer)
        found = linked_files.fetch(self.engine, file)
        return file_name.with_extension(name, found.name), iter((found.content,))

    def arrived(self, intent: Intent, by: str | None) -> Any:
        app = self.engine.account(self.space, self.line.connection).app.code
        return FileSaved("saved", intent.payload["name"], None, "", "added", intent.payload["folder"], app).kept()

    def shown(self, intent: Intent) -> list[tuple[str, str]]:
        return [("File", intent.payload["name"]), ("Folder", intent.payload["folder"])]


def payload(line: SaveFile, what: Saving) -> dict[str, Any]:
    """Return what is saved where, as JSON."""
    where = {"container": line.container or "", "folder": what.folder, "name": what.name, "collision": line.collision}
    return {"file": to_wire(what.file), **where}


def _folder(account: Account, name: str, makes: bool) -> str:
    """Return the folder with this name among those that are shared."""
    for one in account.check().places:
        if fold(one.name) == fold(name):
            return one.id
    if not makes:
        said = f"no {account.app.container_word} “{name}” is shared with this connection: share it, or let this line create it"
        raise PermanentError(said, "folder")
    return account.make_place(name).id


class SaveFileEffect(Effect[SaveFile]):
    recalls = FileSaved

    def execute(self, run: Outside, line: SaveFile, cell: Cell, carried: Carried, place: Place) -> tuple[Carried, str]:
        assert isinstance(cell.would, StoreFile)
        prefer = run.workflow.when.connection
        one = SavedByApp(run.engine, run.space, line, payload(line, cell.would.saving), prefer)
        made, end = run.write_outside(line, place, carried, one, lambda kept: outcome.read("saved", kept))
        return (carried, end) if end else self.as_recorded(run, line, outcome.read("saved", made), carried)

    def as_recorded(self, run: Outside, line: SaveFile, done: Outcome, carried: Carried) -> tuple[Carried, str]:
        return save_file.carry_on(line, done.kept(), carried), ""

    def may(self, engine: Engine, space: Space, line: SaveFile) -> list[Finding]:
        """As far as it is known before."""
        account = engine.account(space, line.connection)
        app, health = account.app, account.check()
        if not app.saves or not health.may_write:
            said = f"this connection can’t add files. Change its access, and allow it to add {app.items_word}"
            return [Finding(line.id, said, key="connection")]
        named = " ".join(p.text or "" for p in line.folder).strip() if all(p.text is not None for p in line.folder) else ""
        there = {fold(c.name) for c in health.places}
        if line.container is not None and line.container not in {c.id for c in health.places}:
            said = f"the {app.container_word} “{line.container_name}” is no longer shared with this connection. Choose another"
            return [Finding(line.id, said, key="folder")]
        if line.container is None and named and fold(named) not in there and not line.makes:
            said = f"there is no {app.container_word} “{named}” among those shared. Create it, or let this line create it"
            return [Finding(line.id, said, key="folder")]
        return []


EFFECT = SaveFileEffect()
