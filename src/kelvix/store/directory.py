"""Which server a workspace lives on, and the only way to a connection: `Directory.open(workspace)`.

No query and no transaction crosses workspaces. People, sign-ins and the directory itself are on the server called "home".
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar
from zoneinfo import ZoneInfo

from kelvix.settings import Settings
from kelvix.store.database_server import DatabaseServer, Row, Transaction

T = TypeVar("T")


class Space:
    """One workspace's data. Every statement that is run through it must be scoped by `id`."""

    def __init__(self, workspace_id: int, server: DatabaseServer, zone: ZoneInfo):
        self.id, self.server, self.zone = workspace_id, server, zone

    def transact(self, work: Callable[[Transaction], T]) -> T:
        return self.server.transact(work)

    def read(self, work: Callable[[Transaction], T]) -> T:
        return self.server.read(work)

    def rows(self, sql: str, args: Sequence[Any] = ()) -> list[Row]:
        return self.server.read(lambda t: t.rows(sql, args))

    def row(self, sql: str, args: Sequence[Any] = ()) -> Row | None:
        return self.server.read(lambda t: t.row(sql, args))


class Directory:
    def __init__(self, settings: Settings):
        self.servers = {name: DatabaseServer(server) for name, server in settings.servers.items()}
        self._open: dict[int, Space] = {}

    @property
    def home(self) -> DatabaseServer:
        return self.servers["home"]

    def open(self, workspace_id: int) -> Space:
        """Raises LookupError for a workspace that does not exist."""
        if workspace_id not in self._open:
            found = self.home.read(lambda t: t.row("SELECT server, timezone FROM workspace WHERE id=%s", (workspace_id,)))
            if found is None:
                raise LookupError(f"no workspace {workspace_id}")
            self._open[workspace_id] = Space(workspace_id, self.servers[found["server"]], ZoneInfo(found["timezone"]))
        return self._open[workspace_id]
