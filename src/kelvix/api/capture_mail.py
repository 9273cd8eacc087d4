"""Mail to a capture address: SMTP on a port of its own. The subject is the line, the text what belongs to it; a message is kept
once by its Message-ID, or by all that it is where it has none. Without sign-in: the address is the secret, and others are not
taken."""

from __future__ import annotations

import hashlib
import re

import structlog
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session
from starlette.concurrency import run_in_threadpool

from kelvix.core import file_name
from kelvix.core.patterns import pattern, short
from kelvix.doors import TimedController
from kelvix.engine.capturing import Sent
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions.requests import Refused
from kelvix.formats.rfc5322 import Message
from kelvix.readers import contents
from kelvix.room import Room
from kelvix.workspace import captures

MAX_BYTES = 25 << 20
NO_ROOM = "452 4.3.1 the disk is almost full; try again later"
ADDRESS = short(r"capture-(\d{1,12})-([0-9a-f]{32})@.+", most=320, worst="a", flags=re.I)
PREFIX = pattern(r"(?i)^\s*(?:(?:re|fwd?)\s*:\s*)+", worst="re: ")
SIGNATURE = pattern(r"(?m)^-- $", worst="-- ")
log = structlog.stdlib.get_logger(__name__)


def text_of(message: Message) -> str:
    """Return a message as lines. A signature is left out."""
    body = SIGNATURE.split(message.text, maxsplit=1)[0].strip()
    line = " ".join(PREFIX.sub("", message.subject).split())
    lines = (line or body.partition("\n")[0], body if line else body.partition("\n")[2].strip())
    return "\n".join(filter(None, lines))


class Handler:
    def __init__(self, engine: Engine):
        self.engine = engine
        self.disk = Room(engine.settings.data)

    async def handle_RCPT(self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]) -> str:
        if not self.disk.is_left():
            return NO_ROOM
        if not await run_in_threadpool(self._known, address):
            return f"550 5.1.1 there is no capture address {address}"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    def _known(self, address: str) -> bool:
        found = ADDRESS.fullmatch(address)
        return found is not None and captures.is_known(self.engine, int(found[1]), found[2].lower())

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        source = envelope.content if isinstance(envelope.content, bytes) else str(envelope.content).encode()
        try:
            for address in dict.fromkeys(envelope.rcpt_tos):
                await run_in_threadpool(self._take, address, source)
        except Refused as refused:
            passing = refused.status in (429, 503)
            return f"{'452 4.3.1' if passing else '554 5.6.0'} {refused.title} {refused.detail}"[:500]
        except Exception:
            log.exception("an email could not be saved")
            return "451 4.3.0 the mail could not be kept; try again later"
        return "250 OK"

    def _take(self, address: str, source: bytes) -> None:
        found = ADDRESS.fullmatch(address)
        assert found
        space, kept_at = captures.knock(self.engine, int(found[1]), found[2].lower())  # before it is read
        message = contents.message(source)
        attached = contents.message_parts(source, {a.index for a in message.attachments}) if message.attachments else {}
        files = tuple(Sent(file_name.clean(a.name), attached.get(a.index, b"")) for a in message.attachments)
        text = text_of(message) or (file_name.split(files[0].name)[0] if files else "")
        if not text:
            raise Refused(422, "There is no text to save.", "Write a subject or a line of text.")
        key = message.message_id[:200] or hashlib.sha256(source).hexdigest()
        captures.keep_at(
            self.engine, space, kept_at, text, False, key, files=files, bound=False
        )  # lists change a mail on its way


def listener(engine: Engine) -> Controller | None:
    """Take mail, where the installation has a port for it."""
    if not engine.settings.capture_smtp_port:
        return None
    return TimedController(
        Handler(engine),
        hostname=engine.settings.host,
        port=engine.settings.capture_smtp_port,
        enable_SMTPUTF8=True,
        data_size_limit=MAX_BYTES,
        decode_data=False,
    )
