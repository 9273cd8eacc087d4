"""What the parts of the engine share: the stores, the apps, the vault, and the way to tell others."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from kelvix.connectors.apps import apps
from kelvix.connectors.contract import App, Standing
from kelvix.core.rehearsal import Surroundings
from kelvix.core.workflow import Workflow
from kelvix.engine.dispatch import Dispatch
from kelvix.settings import Settings
from kelvix.store import connections, databases
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Directory, Space
from kelvix.store.secrets import Vault


@dataclass(frozen=True)
class Engine:
    settings: Settings
    directory: Directory
    vault: Vault
    apps: dict[str, App]
    dispatch: Dispatch

    def surroundings(self, space: Space, workflow: Workflow) -> Surroundings:
        """What a rehearsal or a run needs to know, as it is now."""
        app = self.apps.get(workflow.when.app)
        return Surroundings(
            app.fields if app else (),
            space.read(lambda t: databases.load(t, space.id)),
            space.env(datetime.now(UTC)),
            self.settings.address + "/databases/{database}/{record}",
        )

    def access(self, space: Space, connection_id: int | None) -> tuple[App, str]:
        """The app and the token of a connection. Raises Standing where there is none any more."""
        found = space.read(lambda t: connections.token(t, self.vault, space.id, connection_id)) if connection_id else None
        if found is None or found[0] not in self.apps:
            raise Standing("the connection was taken away; choose another one in the When line", "access")
        return self.apps[found[0]], found[1]

    def note_failure(self, space: Space, connection_id: int | None, failure: Standing) -> None:
        """An app that refuses a token makes the connection refused, until it is renewed."""
        if failure.about == "access" and connection_id:

            def work(t: Transaction) -> bool:
                return connections.mark(t, space.id, connection_id, "refused", str(failure))

            if space.transact(work):
                self.dispatch.announce(space.id, "connections")


def make(settings: Settings) -> Engine:
    directory = Directory(settings)
    return Engine(settings, directory, Vault(settings.key), apps(settings), Dispatch(directory.home))
