"""Which server a workspace lives on, and the only way to a connection: `Directory.open(workspace)`.

No query and no transaction crosses workspaces. People, sign-ins and the directory itself are on the server called "home".
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, TypeVar
from zoneinfo import ZoneInfo

from kelvix.core.feel import Env
from kelvix.core.not_found import NotFoundError
from kelvix.readers.formulas import elsewhere
from kelvix.settings import Settings
from kelvix.store.database_server import DatabaseServer, Row, Transaction

T = TypeVar("T")


FRESH = 2.0  # seconds for which what is known of a workspace is not asked again


@dataclass(frozen=True)
class Limits:
    """What a workspace may: bytes that are kept for it, runs in 24 hours, calls of the API in a minute."""

    bytes: int = 20 << 30
    runs_a_day: int = 100_000
    calls_a_minute: int = 6_000


class Space:
    """One workspace's data. Every statement that is run through it must be scoped by `id`. `language` is a name of the CLDR;
    `order` says whether day or month comes first (DMY, MDY), where the workspace has said so."""

    def __init__(
        self,
        workspace_id: int,
        server: DatabaseServer,
        zone: ZoneInfo,
        language: str = "en_GB",
        order: str | None = None,
        limits: Limits = Limits(),
    ):
        self.id, self.server, self.zone, self.language, self.order = workspace_id, server, zone, language, order
        self.limits = limits

    @property
    def most_bytes(self) -> int:
        """How many bytes the workspace may keep."""
        return self.limits.bytes

    def env(self, now: datetime) -> Env:
        """Return what expressions may know of this workspace."""
        return Env(now, self.zone, self.language, self.order, elsewhere=elsewhere)

    def transact(self, work: Callable[[Transaction], T]) -> T:
        return self.server.transact(work)

    def read(self, work: Callable[[Transaction], T]) -> T:
        return self.server.read(work)

    def rows(self, sql: str, args: Sequence[Any] = ()) -> list[Row]:
        return self.server.read(lambda t: t.rows(sql, args))

    def row(self, sql: str, args: Sequence[Any] = ()) -> Row | None:
        return self.server.read(lambda t: t.row(sql, args))


class Within(Space):
    """A workspace within a transaction that is open: what is done through it is part of that, and committed with it."""

    def __init__(self, space: Space, t: Transaction):
        super().__init__(space.id, space.server, space.zone, space.language, space.order, space.limits)
        self._t = t

    def transact(self, work: Callable[[Transaction], T]) -> T:
        return work(self._t)

    def read(self, work: Callable[[Transaction], T]) -> T:
        return work(self._t)


class Directory:
    def __init__(self, settings: Settings):
        self.servers = {name: DatabaseServer(server) for name, server in settings.servers.items()}
        self._open: dict[int, tuple[float, Space]] = {}

    @property
    def home(self) -> DatabaseServer:
        return self.servers["home"]

    def workspaces(self, server: DatabaseServer) -> list[int]:
        """Return the workspaces that live on a server."""
        name = next(n for n, s in self.servers.items() if s is server)
        return [
            r["id"] for r in self.home.read(lambda t: t.rows("SELECT id FROM workspace WHERE server=%s ORDER BY id", (name,)))
        ]

    def open(self, workspace_id: int) -> Space:
        """Open a workspace. Raises NotFoundError for a workspace that does not exist."""
        until, space = self._open.get(workspace_id, (0.0, None))
        if space is None or time.monotonic() > until:
            found = self.home.read(
                lambda t: t.row(
                    "SELECT server, timezone, language, date_order, most_bytes, most_runs_a_day, most_calls_a_minute "
                    "FROM workspace WHERE id=%s",
                    (workspace_id,),
                )
            )
            if found is None:
                raise NotFoundError(f"no workspace {workspace_id}")
            zone = ZoneInfo(found["timezone"])
            limits = Limits(found["most_bytes"], found["most_runs_a_day"], found["most_calls_a_minute"])
            server = self.servers[found["server"]]
            space = Space(workspace_id, server, zone, found["language"], found["date_order"], limits)
            self._open[workspace_id] = (time.monotonic() + FRESH, space)
        return space

    def forget(self, workspace_id: int) -> None:
        """Forget what is known of a workspace, which has changed."""
        self._open.pop(workspace_id, None)
