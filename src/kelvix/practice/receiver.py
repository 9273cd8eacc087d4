"""Practice Receiver: takes web requests of any kind and shows what came, each once by its idempotency key."""

# No deferred annotations here: routes within functions name types that only exist there.
from fastapi import APIRouter, HTTPException, Request
from starlette.concurrency import run_in_threadpool

from kelvix.practice.store import Store

MAX_BYTES = 1 << 20
METHODS = ["GET", "POST", "PUT", "PATCH", "DELETE"]


def router(store: Store) -> APIRouter:
    """Without sign-in: whoever knows the address may send, as with a real receiver of web requests."""
    api = APIRouter(prefix="/receiver/api")

    @api.api_route("/{path:path}", methods=METHODS)
    async def take(request: Request, path: str) -> dict[str, bool | str]:
        raw = await request.body()
        if len(raw) > MAX_BYTES:
            raise HTTPException(413, "larger than 1 MB")
        headers = {k: v for k, v in request.headers.items() if k not in ("host", "content-length")}
        said = raw.decode("utf-8", "replace") or request.url.query
        new = await run_in_threadpool(store.receive, path, request.method, headers, said)
        return {"taken": True, "new": new, "path": path}

    return api
