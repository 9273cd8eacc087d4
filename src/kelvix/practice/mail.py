"""Practice Mail: folders of messages, kept as their RFC 5322 source and read by the standard library."""

# No deferred annotations here: routes within functions name types that only exist there.
import json
from collections.abc import Iterator
from dataclasses import asdict
from datetime import UTC, datetime
from email.message import EmailMessage
from email.utils import format_datetime, make_msgid
from typing import Annotated, Any

import structlog
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session
from fastapi import APIRouter, Body, Depends, HTTPException, Request, Response
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from kelvix.core.values import whole
from kelvix.formats import rfc5322
from kelvix.practice.push import Pusher
from kelvix.practice.store import Access, Store
from kelvix.store.database_server import Row
from kelvix.store.secrets import digest

APP = "mail"
MOST_BYTES = 40 << 20
SENT = "Sent"
log = structlog.stdlib.get_logger(__name__)


class Message(BaseModel):
    """What is sent over the API."""

    to: list[str] = Field(min_length=1, max_length=50)
    subject: str = Field(max_length=1000)
    text: str = Field(max_length=400_000)
    html: str = Field("", max_length=800_000)


class Mail:
    """What Mail does, for its API, its pages and its SMTP alike."""

    def __init__(self, store: Store, pusher: Pusher, address: str):
        self.store, self.pusher, self.address = store, pusher, address

    def deliver(
        self, folder_id: int, source: bytes, at: datetime | None = None, idempotency: bytes | None = None, tell: bool = True
    ) -> int:
        """Keep a message; the time of its arrival is now unless said. Its id."""
        at = at or datetime.now(UTC)
        body = asdict(rfc5322.parse(source))
        body["date"] = (body["date"] or at).isoformat()
        body["size"] = len(source)
        item_id = self.store.put(APP, folder_id, body, source, at, idempotency)
        if tell:
            self.pusher.tell(APP, folder_id, item_id)
        return item_id

    def send(self, access: Access, message: Message, key: str | None) -> int:
        """Send a message as the account: it lies among what was sent, and in each folder here that has one of the recipients'
        addresses. Its id among what was sent; sent again under the same key, it is the same."""
        sender = f"{access.name} <{access.account}>"
        source = compose(sender, ", ".join(message.to), message.subject, message.text, html=message.html)
        sent_folder = self.store.container(APP, access.account_id, SENT)

        def once(what: str) -> bytes | None:
            return digest(access.token_digest.hex(), key, what) if key else None

        sent = self.deliver(sent_folder, source, idempotency=once("sent"))
        for address in dict.fromkeys(a.lower() for a in message.to):
            folder = self.store.container_by_address(APP, address)
            if folder:
                self.deliver(folder["id"], source, idempotency=once(address))
        return sent

    def folder_link(self, folder_id: int) -> str:
        return f"{self.address}/mail/folders/{folder_id}"

    def message_link(self, message_id: int) -> str:
        return f"{self.address}/mail/messages/{message_id}"

    def as_json(self, row: Row) -> dict[str, Any]:
        body = json.loads(row["body"])
        return {
            "id": str(row["id"]),
            "folder": str(row["container_id"]),
            "folder_name": row["container_name"],
            "link": self.message_link(row["id"]),
            "received": row["at"].isoformat(),
            "seq": row.get("seq"),
            **body,
        }


def compose(
    sender: str, to: str, subject: str, text: str, attachments: list[tuple[str, bytes]] | None = None, html: str = ""
) -> bytes:
    """The source of a new message. Raises ValueError where an address or the subject cannot be written."""
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = sender, to, subject
    message["Date"], message["Message-ID"] = format_datetime(datetime.now(UTC)), make_msgid(domain="practice.example")
    message.set_content(text)
    if html:
        message.add_alternative(html, subtype="html")
    for name, content in attachments or []:
        message.add_attachment(content, maintype="application", subtype="octet-stream", filename=name)
    return message.as_bytes()


def router(mail: Mail) -> APIRouter:
    """JSON over HTTP, for whoever was given a token. Each call sees the shared folders only."""
    api = APIRouter(prefix="/mail/api")

    async def access(request: Request) -> Access:
        scheme, _, token = request.headers.get("authorization", "").partition(" ")
        found = None
        if scheme.lower() == "bearer":
            found = mail.store.remembered(APP, token) or await run_in_threadpool(mail.store.access, APP, token)
        if found is None:
            raise HTTPException(401, "this token is not known, or its access was taken away")
        return found

    Granted = Annotated[Access, Depends(access)]

    def shared(granted: Access, folder: str) -> int:
        found = whole(folder)
        if found is None or found not in granted.shared:
            raise HTTPException(403, "this folder was not shared")
        return found

    def message(granted: Access, message_id: str) -> Row:
        number = whole(message_id)
        row = mail.store.item(APP, number) if number is not None else None
        if row is None:
            raise HTTPException(404, "there is no such message")
        shared(granted, str(row["container_id"]))
        return row

    @api.get("/me")
    def me(granted: Granted) -> dict[str, Any]:
        folders = mail.store.containers(APP, granted.account_id)
        return {
            "account": granted.account,
            "name": granted.name,
            "shared": [
                {"id": str(f["id"]), "name": f["name"], "items": f["items"], "link": mail.folder_link(f["id"])}
                for f in folders
                if f["id"] in granted.shared
            ],
            "not_shared": [f["name"] for f in folders if f["id"] not in granted.shared],
            "may_send": granted.may_send,
        }

    @api.post("/send", status_code=201)
    def send(granted: Granted, message: Message, request: Request) -> dict[str, str]:
        if not granted.may_send:
            raise HTTPException(403, "sending was not allowed")
        try:
            sent = mail.send(granted, message, request.headers.get("idempotency-key"))
        except (ValueError, IndexError) as error:
            raise HTTPException(422, f"this message cannot be written: {error}") from None
        return {"id": str(sent), "link": mail.message_link(sent)}

    @api.get("/folders/{folder}/messages")
    def messages(granted: Granted, folder: str, limit: int = 20, before: int | None = None) -> dict[str, Any]:
        rows = mail.store.items(shared(granted, folder), max(1, min(limit, 100)), before)
        return {"messages": [mail.as_json(r) for r in rows]}

    @api.post("/folders/{folder}/messages", status_code=201)
    async def put(granted: Granted, folder: str, request: Request) -> dict[str, str]:
        folder_id = shared(granted, folder)
        source = await request.body()
        if len(source) > MOST_BYTES:
            raise HTTPException(413, f"a message has at most {MOST_BYTES >> 20} MB")
        key = request.headers.get("idempotency-key")
        made = await run_in_threadpool(
            mail.deliver, folder_id, source, None, digest(granted.token_digest.hex(), key) if key else None
        )
        return {"id": str(made)}

    @api.get("/messages/{message_id}")
    def one(granted: Granted, message_id: str) -> JSONResponse:
        return JSONResponse(mail.as_json(message(granted, message_id)))

    @api.get("/messages/{message_id}/parts/{index}")
    def part(granted: Granted, message_id: str, index: int) -> Response:
        row = message(granted, message_id)
        content = rfc5322.part(mail.store.source(row["id"]) or b"", index)
        if content is None:
            raise HTTPException(404, "there is no such part")
        return Response(content, media_type="application/octet-stream", headers={"content-disposition": "attachment"})

    @api.get("/feed")
    def feed(granted: Granted, after: int = 0, limit: int = 200) -> dict[str, Any]:
        rows, cursor, more = mail.store.feed(APP, granted.account_id, granted.shared, after, max(1, min(limit, 500)))
        return {
            "cursor": cursor,
            "more": more,
            "changes": [
                {
                    "seq": r["seq"],
                    "folder": str(r["container_id"]),
                    "message": str(r["item_id"]),
                    "kind": r["kind"],
                    "at": r["at"].isoformat(),
                }
                for r in rows
            ],
        }

    @api.post("/subscriptions", status_code=201)
    def subscribe(granted: Granted, folder: Annotated[str, Body()], url: Annotated[str, Body()]) -> dict[str, str]:
        made, secret = mail.store.subscribe(granted, shared(granted, folder), url)
        return {"id": str(made), "secret": secret}

    @api.delete("/subscriptions/{subscription_id}", status_code=204)
    def unsubscribe(granted: Granted, subscription_id: int) -> None:
        if not mail.store.unsubscribe(granted, subscription_id):
            raise HTTPException(404, "there is no such subscription")

    return api


class Handler:
    """SMTP on loopback: a message goes to the folder that has the recipient's address."""

    def __init__(self, mail: Mail):
        self.mail = mail

    async def handle_RCPT(self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]) -> str:
        folder = await run_in_threadpool(self.mail.store.container_by_address, APP, address.lower())
        if folder is None:
            return f"550 5.1.1 there is no folder with the address {address}"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        source = envelope.content if isinstance(envelope.content, bytes) else str(envelope.content).encode()
        try:
            for folder in await run_in_threadpool(lambda: list(self._folders(envelope.rcpt_tos))):
                await run_in_threadpool(self.mail.deliver, folder, source)
        except Exception:
            log.exception("a message could not be kept")
            return "451 4.3.0 the message could not be kept; try again later"
        return "250 OK"

    def _folders(self, recipients: list[str]) -> Iterator[int]:
        for address in dict.fromkeys(r.lower() for r in recipients):
            folder = self.mail.store.container_by_address(APP, address)
            if folder:
                yield folder["id"]


def smtp(mail: Mail, port: int) -> Controller:
    """Takes mail on loopback. SMTPUTF8 and 8BITMIME are offered; no sign-in, since only this machine can reach it."""
    return Controller(
        Handler(mail), hostname="127.0.0.1", port=port, enable_SMTPUTF8=True, data_size_limit=MOST_BYTES, decode_data=False
    )
