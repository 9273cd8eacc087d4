"""How mail comes to practice Mail: SMTP."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import structlog
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session
from starlette.concurrency import run_in_threadpool

from kelvix.doors import TimedController
from kelvix.practice.store import Store
from kelvix.room import Room

MAX_BYTES = 40 << 20
NO_ROOM = "452 4.3.1 the disk is almost full; try again later"
log = structlog.stdlib.get_logger(__name__)


class Handler:
    """SMTP on loopback: a message goes to the folder that has the recipient's address."""

    def __init__(self, store: Store, code: str, deliver: Callable[[int, bytes], int], disk: Room):
        self.store, self.code, self.deliver, self.disk = store, code, deliver, disk

    async def handle_RCPT(self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]) -> str:
        if not self.disk.is_left():
            return NO_ROOM
        folder = await run_in_threadpool(self.store.container_by_address, self.code, address.lower())
        if folder is None:
            return f"550 5.1.1 there is no folder with the address {address}"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        source = envelope.content if isinstance(envelope.content, bytes) else str(envelope.content).encode()
        try:
            for folder in await run_in_threadpool(lambda: list(self._folders(envelope.rcpt_tos))):
                await run_in_threadpool(self.deliver, folder, source)
        except Exception:
            log.exception("a message could not be kept")
            return "451 4.3.0 the message could not be kept; try again later"
        return "250 OK"

    def _folders(self, recipients: list[str]) -> Iterator[int]:
        for address in dict.fromkeys(r.lower() for r in recipients):
            folder = self.store.container_by_address(self.code, address)
            if folder:
                yield folder["id"]


def listener(store: Store, code: str, deliver: Callable[[int, bytes], int], port: int, disk: Room) -> Controller:
    """Take mail on loopback. SMTPUTF8 and 8BITMIME are offered; no sign-in, since only this machine can reach it."""
    return TimedController(
        Handler(store, code, deliver, disk),
        hostname="127.0.0.1",
        port=port,
        enable_SMTPUTF8=True,
        data_size_limit=MAX_BYTES,
        decode_data=False,
    )
