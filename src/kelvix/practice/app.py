"""The practice apps as one web application: their APIs, their plain pages, the consent window, the fault switches."""

# No deferred annotations here: routes within functions name types that only exist there.
import asyncio
import pathlib
from collections.abc import AsyncIterator
from contextlib import ExitStack, asynccontextmanager
from typing import Annotated
from urllib.parse import urlencode, urlsplit

from fastapi import Depends, FastAPI, Form, HTTPException, Request, Response
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse
from starlette.datastructures import Headers, MutableHeaders
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kelvix import processes, room
from kelvix.core.values import whole
from kelvix.practice import receiver
from kelvix.practice.apps import make_all
from kelvix.practice.consent import ConsentServer, FormRequest, OAuth2Error
from kelvix.practice.faults import MODES, PUSH_MODES, SAID, FaultMiddleware, Faults
from kelvix.practice.framework import COOKIE, Desk, NotSignedIn
from kelvix.practice.push import Pusher
from kelvix.practice.store import Store
from kelvix.room import Room
from kelvix.settings import Settings
from kelvix.store.database_server import DatabaseServer, Row
from kelvix.store.migrate import migrate

HERE = pathlib.Path(__file__).parent
NOT_RIGHT = "This request for access is not valid: {}"
RECEIVER = "receiver"  # takes requests without a connection
CSP = "default-src 'self'; style-src 'self' 'nonce-practice'; frame-ancestors 'none'; base-uri 'none'"


class Guard:
    """Pages take writes from their own pages only (SameSite cookie and Origin), and run no scripts at all. Plain ASGI."""

    def __init__(self, inner: ASGIApp, disk: Room):
        self.inner, self.disk = inner, disk

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return await self.inner(scope, receive, send)
        if scope["method"] not in ("GET", "HEAD", "DELETE") and not self.disk.is_left():
            full = JSONResponse({"error": "the disk is almost full"}, 503, {"retry-after": str(room.RETRY_AFTER)})
            return await full(scope, receive, send)
        headers, where = Headers(scope=scope), scope["path"]
        origin = headers.get("origin")
        machine = "/api/" in where or where == "/oauth/token"  # these are proved by tokens and codes, not by cookies
        if scope["method"] not in ("GET", "HEAD") and not machine and origin and urlsplit(origin).netloc != headers.get("host"):
            return await HTMLResponse("This form was sent from another site.", 403)(scope, receive, send)

        async def headed(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message).update({"content-security-policy": CSP, "x-content-type-options": "nosniff"})
            await send(message)

        await self.inner(scope, receive, headed)


def build(settings: Settings) -> ASGIApp:
    """Return the application; also brings its schema up to date."""
    migrate(settings.practice, HERE / "migrations")
    store, faults = Store(DatabaseServer(settings.practice)), Faults()
    apps = make_all(store, Pusher(store, faults), settings)
    seconds = {code: one.token_seconds for code, one in apps.items()}
    consent = ConsentServer(store, f"{settings.address}/api/v1/connections/callback", seconds)
    desk = Desk(store, settings, {code: one.name for code, one in apps.items()})

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        with ExitStack() as running:
            for one in apps.values():
                running.enter_context(one.running())
            beating = asyncio.create_task(processes.beat_on_the_loop())
            running.callback(beating.cancel)
            yield

    app = FastAPI(title="Practice apps", lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None)
    for one in apps.values():
        app.include_router(one.api())
        app.include_router(one.pages(desk))
    app.include_router(receiver.router(store))
    app.add_middleware(Guard, disk=Room(settings.data))
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=["localhost", "127.0.0.1"])

    Signed = Annotated[Row, Depends(desk.person)]

    @app.exception_handler(NotSignedIn)
    async def sign_in_first(request: Request, _: Exception) -> Response:
        there = request.url.path + (f"?{request.url.query}" if request.url.query else "")
        return RedirectResponse("/sign-in?" + urlencode({"to": there}), 303)

    # Signing in takes no password: the practice apps hold made-up data, listen on loopback only, and must be there to
    # be tried by whoever sits at this machine.
    @app.get("/sign-in")
    def sign_in(request: Request, to: str = "/") -> Response:
        return desk.show(request, "sign_in.html", accounts=store.accounts(), to=to)

    @app.post("/sign-in")
    def signed_in(account: Annotated[int, Form()], to: Annotated[str, Form()] = "/") -> Response:
        if account not in {a["id"] for a in store.accounts()}:
            raise HTTPException(404, "account not found")
        answer = RedirectResponse(to if to.startswith("/") and not to.startswith(("//", "/\\")) else "/", 303)
        answer.set_cookie(COOKIE, store.new_page_session(account), httponly=True, samesite="lax")
        return answer

    @app.get("/")
    def home(request: Request, account: Signed) -> Response:
        return desk.show(
            request,
            "home.html",
            account=account,
            apps=apps,
            modes=MODES,
            pushes=PUSH_MODES,
            said=SAID,
            faults=faults,
            tokens=store.tokens(account["id"]),
            address=settings.practice_address,
        )

    @app.post("/faults")
    def set_fault(
        account: Signed, name: Annotated[str, Form()], mode: Annotated[str, Form()], push: Annotated[str, Form()]
    ) -> Response:
        if name not in (*apps, RECEIVER) or mode not in MODES or push not in PUSH_MODES:
            raise HTTPException(422, "unknown setting")
        faults.set(name, mode, push)
        return RedirectResponse("/", 303)

    @app.post("/tokens/{token}/revoke")
    def revoke(account: Signed, token: str) -> Response:
        store.revoke(account["id"], bytes.fromhex(token))
        return RedirectResponse("/", 303)

    @app.get("/receiver")
    def received(request: Request, account: Signed) -> Response:
        return desk.show(
            request, "receiver.html", account=account, address=settings.practice_address, requests=store.received()
        )

    # The consent window

    @app.get("/oauth/authorize")
    def ask(request: Request, account: Signed) -> Response:
        asked = FormRequest("GET", str(request.url), {}, {})
        try:
            consent.get_consent_grant(asked, account)
        except OAuth2Error as error:
            return desk.show(request, "error.html", 400, account=account, said=NOT_RIGHT.format(error.description))
        given = set(request.query_params.get("already", "").split(","))
        return desk.show(
            request,
            "consent.html",
            account=account,
            given=given,
            send=request.query_params.get("send") == "1",
            action=str(request.url.query),
            app=apps[asked.payload.scope],
            folders=store.containers(asked.payload.scope, account["id"]),
        )

    @app.post("/oauth/authorize")
    async def answer(request: Request, account: Signed) -> Response:
        form = await request.form()
        mine = {c["id"] for c in store.containers(request.query_params.get("scope", ""), account["id"])}
        shared = [n for n in (whole(str(v)) for v in form.getlist("share")) if n in mine and n is not None]
        asked = FormRequest("POST", str(request.url), {}, {})
        user = (
            dict(account) | {"shared": shared, "may_send": form.get("send") == "1"} if form.get("answer") == "allow" else None
        )
        try:
            grant = consent.get_consent_grant(asked, user)
        except OAuth2Error as error:
            return desk.show(request, "error.html", 400, account=account, said=NOT_RIGHT.format(error.description))
        return consent.create_authorization_response(asked, grant_user=user, grant=grant)  # type: ignore[no-any-return]

    @app.post("/oauth/token")
    async def token(request: Request) -> Response:
        """Without sign-in: the code and its verifier prove who calls."""
        form = {k: str(v) for k, v in (await request.form()).items()}
        return consent.create_token_response(FormRequest("POST", str(request.url), form, dict(request.headers)))  # type: ignore[no-any-return]

    @app.get("/healthz")
    def health() -> dict[str, str]:
        """Without sign-in: says only that the process answers."""
        store.ping()
        return {"state": "good"}

    return FaultMiddleware(app, faults, {code: one.quota for code, one in apps.items() if one.quota})
