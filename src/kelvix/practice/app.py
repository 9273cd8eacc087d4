"""The practice apps as one web application: their APIs, their plain pages, the consent window, the fault switches."""

# No deferred annotations here: routes within functions name types that only exist there.
import pathlib
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Annotated, Any
from urllib.parse import urlencode, urlsplit

from fastapi import Depends, FastAPI, Form, HTTPException, Request, Response, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse
from fastapi.templating import Jinja2Templates
from starlette.datastructures import Headers, MutableHeaders
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kelvix.core.values import whole
from kelvix.formats import rfc5322
from kelvix.practice import mail as mail_app
from kelvix.practice import receiver as receiver_app
from kelvix.practice.consent import APPS, ConsentServer, FormRequest, OAuth2Error
from kelvix.practice.faults import MODES, PUSH_MODES, SAID, FaultMiddleware, Faults
from kelvix.practice.push import Pusher
from kelvix.practice.store import Store
from kelvix.settings import Settings
from kelvix.store.database_server import DatabaseServer, Row
from kelvix.store.migrate import migrate

HERE = pathlib.Path(__file__).parent
COOKIE = "practice"
RECEIVER = "receiver"  # takes requests without a connection
LARGE = 25 << 20
CSP = "default-src 'self'; style-src 'self' 'nonce-practice'; frame-ancestors 'none'; base-uri 'none'"


class NotSignedIn(Exception):
    pass


class Guard:
    """Pages take writes from their own pages only (SameSite cookie and Origin), and run no scripts at all. Plain ASGI."""

    def __init__(self, inner: ASGIApp):
        self.inner = inner

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return await self.inner(scope, receive, send)
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
    """The application; also brings its schema up to date."""
    migrate(settings.practice, HERE / "migrations")
    store, faults = Store(DatabaseServer(settings.practice)), Faults()
    mail = mail_app.Mail(store, Pusher(store, faults), settings.practice_address)
    consent = ConsentServer(store, f"{settings.address}/api/v1/connections/callback")
    pages = Jinja2Templates(HERE / "templates")

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        controller = mail_app.smtp(mail, settings.smtp_port)
        controller.start()
        yield
        controller.stop()

    app = FastAPI(title="Practice apps", lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None)
    receiver = receiver_app.Receiver(store.server)
    app.include_router(mail_app.router(mail))
    app.include_router(receiver_app.router(receiver))
    app.add_middleware(Guard)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=["localhost", "127.0.0.1"])

    def person(request: Request) -> Row:
        account = store.page_account(request.cookies.get(COOKIE, ""))
        if account is None:
            raise NotSignedIn
        return account

    Signed = Annotated[Row, Depends(person)]

    @app.exception_handler(NotSignedIn)
    async def sign_in_first(request: Request, _: Exception) -> Response:
        there = request.url.path + (f"?{request.url.query}" if request.url.query else "")
        return RedirectResponse("/sign-in?" + urlencode({"to": there}), 303)

    def show(request: Request, name: str, status: int = 200, **values: Any) -> Response:
        return pages.TemplateResponse(request, name, values | {"kelvix": settings.address}, status_code=status)

    # Signing in takes no password: the practice apps hold made-up data, listen on loopback only, and must be there to
    # be tried by whoever sits at this machine.
    @app.get("/sign-in")
    def sign_in(request: Request, to: str = "/") -> Response:
        return show(request, "sign_in.html", accounts=store.accounts(), to=to)

    @app.post("/sign-in")
    def signed_in(account: Annotated[int, Form()], to: Annotated[str, Form()] = "/") -> Response:
        if account not in {a["id"] for a in store.accounts()}:
            raise HTTPException(404, "there is no such account")
        answer = RedirectResponse(to if to.startswith("/") and not to.startswith(("//", "/\\")) else "/", 303)
        answer.set_cookie(COOKIE, store.new_page_session(account), httponly=True, samesite="lax")
        return answer

    @app.get("/")
    def home(request: Request, account: Signed) -> Response:
        return show(
            request,
            "home.html",
            account=account,
            apps=APPS,
            modes=MODES,
            pushes=PUSH_MODES,
            said=SAID,
            faults=faults,
            tokens=store.tokens(account["id"]),
            smtp_port=settings.smtp_port,
            address=settings.practice_address,
        )

    @app.post("/faults")
    def set_fault(
        account: Signed, name: Annotated[str, Form()], mode: Annotated[str, Form()], push: Annotated[str, Form()]
    ) -> Response:
        if name not in (*APPS, RECEIVER) or mode not in MODES or push not in PUSH_MODES:
            raise HTTPException(422, "there is no such switch")
        faults.set(name, mode, push)
        return RedirectResponse("/", 303)

    @app.post("/tokens/{token}/revoke")
    def revoke(account: Signed, token: str) -> Response:
        store.revoke(account["id"], bytes.fromhex(token))
        return RedirectResponse("/", 303)

    @app.get("/receiver")
    def received(request: Request, account: Signed) -> Response:
        return show(request, "receiver.html", account=account, address=settings.practice_address, requests=receiver.newest())

    # Mail's pages

    def folder_of(account: Row, folder_id: int) -> Row:
        found = next((f for f in store.containers("mail", account["id"]) if f["id"] == folder_id), None)
        if found is None:
            raise HTTPException(404, "there is no such folder")
        return found

    def message_of(account: Row, message_id: int) -> tuple[Row, Row]:
        row = store.item("mail", message_id)
        if row is None:
            raise HTTPException(404, "there is no such message")
        return row, folder_of(account, row["container_id"])

    @app.get("/mail")
    def folders(request: Request, account: Signed) -> Response:
        return show(request, "folders.html", account=account, folders=store.containers("mail", account["id"]))

    @app.post("/mail/folders")
    def new_folder(account: Signed, name: Annotated[str, Form()], address: Annotated[str, Form()] = "") -> Response:
        made = store.container("mail", account["id"], name.strip()[:200], address.strip().lower() or None)
        return RedirectResponse(f"/mail/folders/{made}", 303)

    @app.get("/mail/folders/{folder_id}")
    def folder(request: Request, account: Signed, folder_id: int) -> Response:
        found = folder_of(account, folder_id)
        return show(
            request,
            "folder.html",
            account=account,
            folder=found,
            folders=store.containers("mail", account["id"]),
            messages=[mail.as_json(m) for m in store.items(folder_id, 100)],
        )

    @app.post("/mail/folders/{folder_id}")
    async def write(
        request: Request,
        account: Signed,
        folder_id: int,
        sender: Annotated[str, Form()],
        subject: Annotated[str, Form()],
        text: Annotated[str, Form()],
        files: list[UploadFile] | None = None,
    ) -> Response:
        found = folder_of(account, folder_id)
        attached = [(rfc5322.file_name(f.filename or ""), await f.read(LARGE)) for f in files or [] if f.filename]
        try:
            source = mail_app.compose(sender, found["address"] or account["address"], subject, text, attached)
        except (ValueError, IndexError) as error:
            return show(request, "error.html", 422, account=account, said=f"This message cannot be written: {error}.")
        mail.deliver(folder_id, source)
        return RedirectResponse(f"/mail/folders/{folder_id}", 303)

    @app.get("/mail/messages/{message_id}")
    def message(request: Request, account: Signed, message_id: int) -> Response:
        row, found = message_of(account, message_id)
        return show(
            request,
            "message.html",
            account=account,
            folder=found,
            message=mail.as_json(row),
            folders=store.containers("mail", account["id"]),
        )

    @app.post("/mail/messages/{message_id}/move")
    def move(account: Signed, message_id: int, to: Annotated[int, Form()]) -> Response:
        message_of(account, message_id)
        folder_of(account, to)
        store.move(message_id, to)
        mail.pusher.tell("mail", to, message_id)
        return RedirectResponse(f"/mail/messages/{message_id}", 303)

    @app.post("/mail/messages/{message_id}/delete")
    def delete(account: Signed, message_id: int) -> Response:
        row, found = message_of(account, message_id)
        store.delete(row["id"], found["id"])
        return RedirectResponse(f"/mail/folders/{found['id']}", 303)

    # The consent window

    @app.get("/oauth/authorize")
    def ask(request: Request, account: Signed) -> Response:
        asked = FormRequest("GET", str(request.url), {}, {})
        try:
            consent.get_consent_grant(asked, account)
        except OAuth2Error as error:
            return show(
                request, "error.html", 400, account=account, said=f"This request for access is not right: {error.description}"
            )
        given = set(request.query_params.get("already", "").split(","))
        return show(
            request,
            "consent.html",
            account=account,
            given=given,
            send=request.query_params.get("send") == "1",
            action=str(request.url.query),
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
            return show(
                request, "error.html", 400, account=account, said=f"This request for access is not right: {error.description}"
            )
        return consent.create_authorization_response(asked, grant_user=user, grant=grant)  # type: ignore[no-any-return]

    @app.post("/oauth/token")
    async def token(request: Request) -> Response:
        """Without sign-in: the code and its verifier prove who calls."""
        form = {k: str(v) for k, v in (await request.form()).items()}
        return consent.create_token_response(FormRequest("POST", str(request.url), form, dict(request.headers)))  # type: ignore[no-any-return]

    @app.get("/healthz")
    def health() -> dict[str, str]:
        """Without sign-in: says only that the process answers."""
        store.server.read(lambda t: t.row("SELECT 1"))
        return {"state": "good"}

    return FaultMiddleware(app, faults)
