"""Practice Mail: folders of messages, kept as their RFC 5322 source and read by the standard library."""

# No deferred annotations here: routes within functions name types that only exist there.
import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict
from datetime import UTC, datetime
from email.message import EmailMessage
from email.utils import format_datetime, make_msgid
from typing import IO, Annotated

from fastapi import APIRouter, Depends, Form, HTTPException, Request, Response, UploadFile
from fastapi.responses import RedirectResponse
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from kelvix.core import file_name
from kelvix.formats import mailbox_files, rfc5322
from kelvix.practice.apps.mail.smtp import MAX_BYTES, listener
from kelvix.practice.framework import Desk, PracticeApp
from kelvix.practice.push import Pusher
from kelvix.practice.store import Access, Store
from kelvix.readers import contents
from kelvix.room import Room
from kelvix.settings import Settings
from kelvix.store.database_server import Row
from kelvix.store.secrets import digest

SENT = "Sent"
LARGE = 25 << 20  # of one attachment that is written on a page


class Message(BaseModel):
    """What is sent over the API."""

    to: list[str] = Field(min_length=1, max_length=50)
    subject: str = Field(max_length=1000)
    text: str = Field(max_length=400_000)
    html: str = Field("", max_length=800_000)


class Mail(PracticeApp):
    """What Mail does, for its API, its pages and its SMTP alike."""

    code, name, items_word, addressed = "mail", "Mail", "messages", True
    begins_with = ("Inbox", "Orders", "Receipts")
    sends = "It can also send email"

    def __init__(self, store: Store, pusher: Pusher, settings: Settings):
        super().__init__(store, pusher, settings)
        self.about = f"Accepts email by SMTP on 127.0.0.1, port {settings.smtp_port}."

    @contextmanager
    def running(self) -> Iterator[None]:
        controller = listener(self.store, self.code, self.deliver, self.settings.smtp_port, Room(self.settings.data))
        controller.start()
        yield
        controller.stop()

    def deliver(
        self,
        folder_id: int,
        source: bytes,
        at: datetime | None = None,
        idempotency: bytes | None = None,
        tell: bool = True,
        message: rfc5322.Message | None = None,
    ) -> int:
        """Keep a message, which is read unless it has been; the time of its arrival is now unless said. Its id."""
        at = at or datetime.now(UTC)
        body = asdict(message or contents.message(source))
        body["date"] = (body["date"] or at).isoformat()
        body["size"] = len(source)
        item_id = self.store.put(self.code, folder_id, body, source, at, idempotency)
        if tell:
            self.pusher.tell(self.code, folder_id, item_id)
        return item_id

    def move(self, item_id: int, to: int) -> None:
        """Told where it lies now only; a message that is moved back is not a new one."""
        self.store.move(item_id, to)
        self.pusher.tell(self.code, to, item_id)

    def bring_in(self, folder_id: int, file: IO[bytes]) -> int:
        """Keep the messages of an .eml or mbox file, each once however often it is brought: how many there were. Raises
        Unreadable."""
        number = 0
        for source in mailbox_files.messages(file):
            known = digest("imported", folder_id, hashlib.sha256(source).hexdigest())
            message = contents.message(source)
            self.deliver(folder_id, source, message.date, known, message=message)
            number += 1
        return number

    def send(self, access: Access, message: Message, key: str | None) -> int:
        """Send a message as the account: it lies among what was sent, and in each folder here that has one of the recipients'
        addresses. Its id among what was sent; sent again under the same key, it is the same."""
        sender = f"{access.name} <{access.account}>"
        source = compose(sender, ", ".join(message.to), message.subject, message.text, html=message.html)
        sent_folder = self.store.container(self.code, access.account_id, SENT)

        def once(what: str) -> bytes | None:
            return digest(access.token_digest.hex(), key, what) if key else None

        sent = self.deliver(sent_folder, source, idempotency=once("sent"))
        for address in dict.fromkeys(a.lower() for a in message.to):
            folder = self.store.container_by_address(self.code, address)
            if folder:
                self.deliver(folder["id"], source, idempotency=once(address))
        return sent

    def api(self) -> APIRouter:
        api = super().api()
        Granted = Annotated[Access, Depends(self.granted)]

        @api.post("/send", status_code=201)
        def send(granted: Granted, message: Message, request: Request) -> dict[str, str]:
            if not granted.may_send:
                raise HTTPException(403, "sending was not allowed")
            try:
                sent = self.send(granted, message, request.headers.get("idempotency-key"))
            except (ValueError, IndexError) as error:
                raise HTTPException(422, f"this message can’t be sent: {error}") from None
            return {"id": str(sent), "link": self.item_link(sent)}

        @api.post("/folders/{folder}/messages", status_code=201)
        async def put(granted: Granted, folder: str, request: Request) -> dict[str, str]:
            folder_id = self.shared(granted, folder)
            source = await request.body()
            if len(source) > MAX_BYTES:
                raise HTTPException(413, f"a message has at most {MAX_BYTES >> 20} MB")
            key = request.headers.get("idempotency-key")
            made = await run_in_threadpool(
                self.deliver, folder_id, source, None, digest(granted.token_digest.hex(), key) if key else None
            )
            return {"id": str(made)}

        @api.get("/messages/{message_id}/parts/{index}")
        def part(granted: Granted, message_id: str, index: int) -> Response:
            row = self.shared_item(granted, message_id)
            content = contents.message_parts(self.store.source(row["id"]) or b"", (index,)).get(index)
            if content is None:
                raise HTTPException(404, "attachment not found")
            return Response(content, media_type="application/octet-stream", headers={"content-disposition": "attachment"})

        return api

    def pages(self, desk: Desk) -> APIRouter:
        pages = super().pages(desk)
        Signed = Annotated[Row, Depends(desk.person)]

        @pages.post("/folders/{folder_id}")
        async def write(
            request: Request,
            account: Signed,
            folder_id: int,
            sender: Annotated[str, Form()],
            subject: Annotated[str, Form()],
            text: Annotated[str, Form()],
            files: list[UploadFile] | None = None,
        ) -> Response:
            found = self.own_container(account, folder_id)
            attached = [(file_name.clean(f.filename or ""), await f.read(LARGE)) for f in files or [] if f.filename]
            try:
                source = compose(sender, found["address"] or account["address"], subject, text, attached)
            except (ValueError, IndexError) as error:
                return desk.show(request, "error.html", 422, account=account, said=f"This message can’t be sent: {error}.")
            self.deliver(folder_id, source)
            return RedirectResponse(f"/mail/folders/{folder_id}", 303)

        @pages.post("/folders/{folder_id}/import")
        def bring(request: Request, account: Signed, folder_id: int, file: UploadFile) -> Response:
            self.own_container(account, folder_id)
            try:
                self.bring_in(folder_id, file.file)
            except mailbox_files.Unreadable as error:
                return desk.show(request, "error.html", 422, account=account, said=f"Not all was imported: {error}.")
            return RedirectResponse(f"/mail/folders/{folder_id}", 303)

        @pages.get("/messages/{message_id}")
        def message(request: Request, account: Signed, message_id: int) -> Response:
            row, found = self.own_item(account, message_id)
            return desk.show(
                request,
                "mail/message.html",
                account=account,
                folder=found,
                message=self.as_json(row),
                folders=self.store.containers(self.code, account["id"]),
            )

        return pages


def compose(
    sender: str, to: str, subject: str, text: str, attachments: list[tuple[str, bytes]] | None = None, html: str = ""
) -> bytes:
    """Return the source of a new message. Raises ValueError where an address or the subject cannot be written."""
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = sender, to, subject
    message["Date"], message["Message-ID"] = format_datetime(datetime.now(UTC)), make_msgid(domain="practice.example")
    message.set_content(text)
    if html:
        message.add_alternative(html, subtype="html")
    for name, content in attachments or []:
        message.add_attachment(content, maintype="application", subtype="octet-stream", filename=name)
    return message.as_bytes()
