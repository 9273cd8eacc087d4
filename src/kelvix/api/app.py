"""The web application: the API, the intake of pushes, and the front end's files."""

from __future__ import annotations

import asyncio
import gzip
import pathlib
import secrets
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from functools import lru_cache

from fastapi import FastAPI, Request
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, Response
from starlette.middleware.trustedhost import TrustedHostMiddleware

from kelvix import processes
from kelvix.api import (
    backcasts,
    capture_address,
    capture_mail,
    capturing,
    catch_ups,
    connections,
    costs,
    databases,
    field_types,
    incoming,
    kept_secrets,
    line_kinds,
    live,
    mirror_rehearsals,
    mirror_rows,
    mirrors,
    needs,
    places,
    problems,
    record_files,
    rehearsal,
    runs,
    session,
    today,
    trash,
    triggers,
    views,
    workflows,
)
from kelvix.api.access import Calls, Reader, Sessions
from kelvix.api.bounds import Bounds
from kelvix.api.hooks import Hooks
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions.intake import Intake
from kelvix.room import Room
from kelvix.settings import TOP

PARTS = (
    session,
    today,
    capture_address,
    capturing,
    databases,
    views,
    field_types,
    line_kinds,
    connections,
    costs,
    places,
    workflows,
    kept_secrets,
    record_files,
    rehearsal,
    backcasts,
    catch_ups,
    runs,
    needs,
    mirrors,
    mirror_rehearsals,
    mirror_rows,
    trash,
    triggers,
    incoming,
    live,
)
WEB = TOP / "web/dist"
INSTALLABLE = {
    "manifest.webmanifest": "application/manifest+json",
    "worker.js": "text/javascript",
    "icon.svg": "image/svg+xml",
    "icon-192.png": "image/png",
    "icon-512.png": "image/png",
}
PACKED = {".js": "text/javascript", ".css": "text/css"}
POLICY = (
    "default-src 'none'; script-src 'self'; connect-src 'self'; img-src 'self' data:; font-src 'self'; "
    "style-src 'self' 'nonce-{nonce}'; form-action 'none'; frame-ancestors 'none'; base-uri 'none'; manifest-src 'self'"
)


@lru_cache(50)
def packed(file: pathlib.Path) -> bytes:
    """Return a file by gzip, a third of its size: packed once, since a name stands for one content."""
    return gzip.compress(file.read_bytes())


def build(engine: Engine) -> FastAPI:
    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.hub.start()
        answering.start()
        beating = asyncio.create_task(processes.beat_on_the_loop())
        mail = capture_mail.listener(engine)
        if mail:
            mail.start()
        yield
        beating.cancel()
        if mail:
            mail.stop()

    app = FastAPI(
        title="Kelvix",
        version="1",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        separate_input_output_schemas=False,
        description="Workflows that capture and mirror. Lists are paged by cursor; errors are problem documents (RFC 9457).",
    )
    app.state.engine, app.state.intake = engine, Intake(engine)
    app.state.sessions, app.state.calls, app.state.hub = Sessions(engine), Calls(), live.Hub(engine)
    for part in PARTS:
        app.include_router(part.router)
    problems.install(app)
    disk, answering = Room(engine.settings.data), engine.answering()
    app.add_middleware(Bounds, disk=disk, answers=answering.all)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=[engine.settings.host, "127.0.0.1", "[::1]", "testserver"])

    @app.get("/api/v1/openapi.json", include_in_schema=False)
    def description(who: Reader) -> JSONResponse:
        """Return this API, as OpenAPI describes it."""
        return JSONResponse(app.openapi())

    @app.get("/healthz", include_in_schema=False)
    async def health() -> JSONResponse:
        """Without sign-in: says at once whether the process and its databases answer."""
        if not answering.all():
            return JSONResponse({"state": "the database is not responding"}, 503, {"retry-after": "5"})
        return JSONResponse({"state": "good"})

    @app.get("/assets/{name}", include_in_schema=False)
    def asset(name: str, request: Request) -> Response:
        """Without sign-in: the front end's own files, whose names hold a digest of their content."""
        file = WEB / "assets" / name
        if "/" in name or not file.is_file():
            return Response(status_code=404)
        headers = {"cache-control": "public, max-age=31536000, immutable", "vary": "accept-encoding"}
        kind = PACKED.get(file.suffix)
        if kind and "gzip" in request.headers.get("accept-encoding", ""):
            return Response(packed(file), media_type=kind, headers=headers | {"content-encoding": "gzip"})
        return FileResponse(file, headers=headers)

    @app.get("/api/{rest:path}", include_in_schema=False)
    def no_such_route(rest: str) -> Response:
        return problems.document(404, "Not found. It may have been deleted or moved.")

    @app.get("/{rest:path}", include_in_schema=False)
    def screen(rest: str) -> Response:
        """Without sign-in: the empty page, which asks the API for all that it shows; and the files that make it installable."""
        if rest in INSTALLABLE:
            return FileResponse(WEB / rest, media_type=INSTALLABLE[rest], headers={"cache-control": "no-cache"})
        file = WEB / "index.html"
        if not file.is_file():
            return HTMLResponse("The front end is not built. Start Kelvix with ./kelvix.", 503)
        nonce = secrets.token_urlsafe(16)
        return HTMLResponse(
            file.read_text().replace("__NONCE__", nonce),
            headers={"content-security-policy": POLICY.format(nonce=nonce), "cache-control": "no-store"},
        )

    app.add_middleware(Hooks, intake=app.state.intake, disk=disk)
    return app
