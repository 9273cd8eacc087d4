"""What the parts of the engine share: the stores, the apps, the vault, and the way to tell others."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from functools import partial
from typing import Literal

from kelvix.collections import apps as in_apps
from kelvix.collections.databases import Records
from kelvix.collections.write import Actor
from kelvix.connectors import several
from kelvix.connectors.apps import apps
from kelvix.connectors.contract import Account, App
from kelvix.core import requests, sources, watching
from kelvix.core.cells import Answer
from kelvix.core.collection import PermanentError
from kelvix.core.context import Context, SourceWords
from kelvix.core.finding import Question
from kelvix.core.lines.run_another import RunAnother
from kelvix.core.schema import Database
from kelvix.core.sheets.grid import Grid
from kelvix.core.sheets.reading import Reading
from kelvix.core.sources import CanRun
from kelvix.core.values import shorten
from kelvix.core.workflow import Address, Workflow
from kelvix.engine import finding
from kelvix.engine.dispatch import Dispatch
from kelvix.engine.pacing import Pacer
from kelvix.engine.tallying import Tallies
from kelvix.remembering import Remembered
from kelvix.settings import Settings
from kelvix.store import connections, places, readings, workflows
from kelvix.store.answering import Answering
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Directory, Space
from kelvix.store.secrets import Vault

MAX_GRIDS = 20  # of sheets, as they were read last
MAX_NAMES, NAMES_SECONDS = 1000, 30.0  # of workflows
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
    known: places.Known = field(default_factory=places.Known)
    readings: Remembered[Reading] = field(default_factory=Remembered)
    grids: Remembered[tuple[Reading, Grid]] = field(default_factory=lambda: Remembered(MAX_GRIDS))
    tallies: Tallies = field(init=False)
    called: Remembered[str] = field(default_factory=lambda: Remembered(MAX_NAMES, NAMES_SECONDS))

    def __post_init__(self) -> None:
        object.__setattr__(self, "tallies", Tallies(self.pacer))

    def answering(self) -> Answering:
        """Return what watches whether the databases answer."""
        return Answering(self.settings.servers.values())

    def context(self, space: Space, workflow: Workflow, asks: Asks = "runs", again: bool = False) -> Context:
        """Return what a rehearsal or a run needs to know, as it is now. `asks`: who asks the questions of Find lines;
        `again`: a rehearsal reads anew what it read before."""
        app = self.apps.get(workflow.when.app)
        known = space.read(lambda t: self.known.load(t, space.id))
        if asks == "rehearses":
            find = self.lookups.finder(space, known, self.ask_app, again)
        else:
            find = (
                finding.direct(space, known, self.ask_app)
                if asks == "runs"
                else self.lookups.patient(space, known, self.ask_app)
            )
        own = workflow.when.own
        place = self.place_of(known, workflow.when.connection, workflow.when.container) if own is None else None
        source = sources.fields_of(own, known) if own else app.fields if app else ()
        if place is not None and app is not None and app.varies:
            word = app.item_word.capitalize()
            source = tuple(f.carried(f.id, (word, f.name)) for f in place.fields)
        if app is not None and own is None:
            source += watching.before_fields(workflow.when.awaited, source, place.fields if place else app.schema.fields)
        return Context(
            source,
            known,
            space.env(datetime.now(UTC)),
            find,
            self.settings.address + "/databases/{database}/{record}",
            requests.lists_of(own) if isinstance(own, Address) else app.lists if app and own is None else (),
            space.read(lambda t: others(t, space.id)) if any(isinstance(x, RunAnother) for x in workflow.lines) else {},
            SourceWords(app.container_word, app.items_word, app.counted) if app and own is None else SourceWords(),
            place,
        )

    @staticmethod
    def place_of(known: Mapping[int, Database], connection: int | None, place: str | None) -> Database | None:
        """Return a place of an app as a database, where it is known as one."""
        return next(
            (d for d in known.values() if d.outside and (d.outside.connection, d.outside.place) == (connection, place)), None
        )

    def kept_place(self, space: Space, connection: int | None, place: str | None) -> Database | None:
        """Return the same as it was last read."""
        return self.place_of(space.read(lambda t: self.known.load(t, space.id)), connection, place)

    def see_place(self, space: Space, connection: int, place: str) -> Database:
        """Read what a place's items have, now, and keep that. Raises TransientError, and PermanentError where it is not
        shared."""
        account = self.account(space, connection)
        with self.pacer.calls(space, connection):
            shared = account.check().places
            there = (
                several.as_place(place, shared, account.app.containers_word)
                if several.is_several(place)
                else next((p for p in shared if p.id == place), None)
            )
            if there is None:
                raise PermanentError(f"this {account.app.container_word} is not shared with the connection", "container")
            source = account.collection(place)
            source.look_anew()
            seen = in_apps.as_database(source, account.app, there, connection)
        return replace(seen, id=places.keep(space, seen, source.schema().revision))

    def app(self, code: str) -> App:
        """Return an app. Raises PermanentError where it is not installed, as where a package that brought it was removed."""
        found = self.apps.get(code)
        if found is None:
            raise PermanentError(f"the app “{shorten(code, 40)}” is not installed. Choose another", "app")
        return found

    def account(self, space: Space, connection_id: int | None) -> Account:
        """Return what a connection reaches. Raises PermanentError if it was removed."""
        found = space.read(lambda t: connections.token(t, self.vault, space.id, connection_id)) if connection_id else None
        if found is None:
            raise PermanentError("the connection was removed. Choose another in the When line", "access")
        code, token, identity, server = found
        account = self.app(code).at(server, self.settings.may_reach).account(token, identity, space.env(datetime.now(UTC)))
        account.called = partial(self.tallies.called, space, connection_id or 0)
        account.readings = readings.KeptReadings(space, self.readings, self.grids)
        return account

    def ask_app(self, space: Space, database: Database, question: Question) -> Answer:
        """Answer a question about the items of a place, at the app's pace. Raises TransientError, PermanentError."""
        assert database.outside
        connection = database.outside.connection
        account = self.account(space, connection)
        source = account.collection(database.outside.place)
        with self.pacer.calls(space, connection):
            if question.lists:
                return in_apps.places(account.check().places)
            if question.identity:
                return in_apps.get(source, database, account.app.item_of_link(question.identity) or question.identity)
            return in_apps.find(source, database, question, space.env(datetime.now(UTC)))

    def name_of_workflow(self, space: Space, workflow_id: int) -> str:
        """Return what a workflow is called, or was a moment ago."""

        def read() -> str:
            return space.read(lambda t: workflows.name(t, space.id, workflow_id)) or "a deleted workflow"

        return self.called.get((space.id, workflow_id), read)

    def records(self, space: Space, database: Database, actor: Actor | None = None) -> Records:
        """Return a database as a collection; without an actor it is only read."""
        return Records(space, database, self.settings.address, actor)

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
    return Engine(
        settings, directory, Vault(settings.key), apps(settings.practice_address), Dispatch(directory.home), finding.Lookups()
    )
