"""What the parts of the engine share: the stores, the apps, the vault, and the way to tell others."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Literal

from kelvix.collections.databases import Records
from kelvix.connectors.apps import apps
from kelvix.connectors.contract import Account, App
from kelvix.core import sources
from kelvix.core.collection import PermanentError
from kelvix.core.context import Context, SourceWords
from kelvix.core.lines.run_another import RunAnother
from kelvix.core.schema import Database
from kelvix.core.sources import CanRun
from kelvix.core.values import shorten
from kelvix.core.workflow import Address, Workflow
from kelvix.engine import finding
from kelvix.engine.dispatch import Dispatch
from kelvix.engine.pacing import Pacer
from kelvix.settings import Settings
from kelvix.store import connections, databases, workflows
from kelvix.store.answering import Answering
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Directory, Space
from kelvix.store.secrets import Vault

Asks = Literal["runs", "rehearses", "backcasts"]


@dataclass(frozen=True)
class Engine:
    settings: Settings
    directory: Directory
    vault: Vault
    apps: dict[str, App]
    dispatch: Dispatch
    lookups: finding.Lookups
    pacer: Pacer = field(default_factory=Pacer)
    known: databases.Known = field(default_factory=databases.Known)

    def answering(self) -> Answering:
        """Return what watches whether the databases answer."""
        return Answering(self.settings.servers.values())

    def context(self, space: Space, workflow: Workflow, asks: Asks = "runs", again: bool = False) -> Context:
        """Return what a rehearsal or a run needs to know, as it is now. `asks`: who asks the questions of Find lines;
        `again`: a rehearsal reads anew what it read before."""
        app = self.apps.get(workflow.when.app)
        known = space.read(lambda t: self.known.load(t, space.id))
        if asks == "rehearses":
            find = self.lookups.finder(space, known, again)
        else:
            find = finding.direct(space, known) if asks == "runs" else self.lookups.patient(space, known)
        own = workflow.when.own
        source = sources.fields_of(own, known) if own else app.fields if app else ()
        return Context(
            source,
            known,
            space.env(datetime.now(UTC)),
            find,
            self.settings.address + "/databases/{database}/{record}",
            app.lists if app and own is None else (),
            space.read(lambda t: others(t, space.id)) if any(isinstance(x, RunAnother) for x in workflow.lines) else {},
            SourceWords(app.container_word, app.items_word, app.counted) if app and own is None else SourceWords(),
        )

    def app(self, code: str) -> App:
        """Return an app. Raises PermanentError where it is not installed, as where a package that brought it was removed."""
        found = self.apps.get(code)
        if found is None:
            raise PermanentError(f"there is no app “{shorten(code, 40)}” in this installation; choose another one", "app")
        return found

    def account(self, space: Space, connection_id: int | None) -> Account:
        """Return what a connection reaches. Raises PermanentError if it was removed."""
        found = space.read(lambda t: connections.token(t, self.vault, space.id, connection_id)) if connection_id else None
        if found is None:
            raise PermanentError("the connection was removed; choose another one in the When line", "access")
        code, token, identity = found
        return self.app(code).account(token, identity, space.env(datetime.now(UTC)))

    def records(self, space: Space, database: Database) -> Records:
        """Return a database as a collection."""
        return Records(space, database, self.settings.address)

    def note_failure(self, space: Space, connection_id: int | None, failure: PermanentError) -> None:
        """Note that an app refuses a token: its connection is refused, until it is renewed."""
        if failure.about == "access" and connection_id:

            def work(t: Transaction) -> bool:
                return connections.mark(t, space.id, connection_id, "refused", str(failure))

            if space.transact(work):
                self.dispatch.announce(space.id, "connections")


def others(t: Transaction, workspace_id: int) -> dict[int, CanRun]:
    """Return the workflows that others can run: those that take requests."""
    found: dict[int, CanRun] = {}
    for kept in workflows.list_all(t, workspace_id):
        own = kept.draft.when.own
        if isinstance(own, Address):
            found[kept.id] = CanRun(kept.name, own.inputs)
    return found


def make(settings: Settings) -> Engine:
    directory = Directory(settings)
    return Engine(settings, directory, Vault(settings.key), apps(settings), Dispatch(directory.home), finding.Lookups())
