"""Practice Receiver: takes web requests of any kind and shows what came, each once by its idempotency key."""

# No deferred annotations here: routes within functions name types that only exist there.
import json

from fastapi import APIRouter, HTTPException, Request
from starlette.concurrency import run_in_threadpool

from kelvix.store.database_server import DatabaseServer, Row
from kelvix.store.secrets import digest

MOST_BYTES = 1 << 20
MOST_SHOWN = 100
METHODS = ["GET", "POST", "PUT", "PATCH", "DELETE"]


class Receiver:
    def __init__(self, server: DatabaseServer):
        self.server = server

    def take(self, path: str, method: str, headers: dict[str, str], body: str) -> bool:
        """Keep a request; False where it is a repeat of one that was kept."""
        key = headers.get("idempotency-key")
        taken = self.server.transact(
            lambda t: t.execute(
                "INSERT INTO received (path, method, headers, body, digest) VALUES (%s,%s,%s,%s,%s) "
                "ON DUPLICATE KEY UPDATE repeats = repeats + 1",
                (path[:200], method, json.dumps(headers), body, digest("received", path, key) if key else None),
            )
        )
        return taken == 1

    def newest(self, path: str | None = None, limit: int = MOST_SHOWN) -> list[Row]:
        where, args = ("WHERE path=%s ", (path, limit)) if path else ("", (limit,))
        rows = self.server.read(lambda t: t.rows(f"SELECT * FROM received {where}ORDER BY id DESC LIMIT %s", args))
        return [row | {"headers": json.loads(row["headers"])} for row in rows]


def router(receiver: Receiver) -> APIRouter:
    """Without sign-in: whoever knows the address may send, as with a real receiver of web requests."""
    api = APIRouter(prefix="/receiver/api")

    @api.api_route("/{path:path}", methods=METHODS)
    async def take(request: Request, path: str) -> dict[str, bool | str]:
        raw = await request.body()
        if len(raw) > MOST_BYTES:
            raise HTTPException(413, "larger than 1 MB")
        headers = {k: v for k, v in request.headers.items() if k not in ("host", "content-length")}
        said = raw.decode("utf-8", "replace") or request.url.query
        new = await run_in_threadpool(receiver.take, path, request.method, headers, said)
        return {"taken": True, "new": new, "path": path}

    return api
