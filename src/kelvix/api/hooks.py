"""Where apps push to: POST /hooks/{workspace}/{subscription}. Without sign-in: the push proves itself by its signature.

Plain ASGI before all else, since this is the one address that is called by machines, at their pace.
"""

from __future__ import annotations

import asyncio
from concurrent.futures import ThreadPoolExecutor

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from kelvix.core.patterns import short
from kelvix.engine.subscriptions.intake import MAX_BYTES, Intake
from kelvix.room import Room

WHERE = short(r"/hooks/(\d{1,18})/(\d{1,18})", most=50, worst="/hooks/1")
THREADS = 8
RETRY_AFTER = b"60"  # seconds after which there may be room again


class Hooks:
    def __init__(self, inner: ASGIApp, intake: Intake, disk: Room):
        self.inner, self.intake, self.disk = inner, intake, disk
        self._threads = ThreadPoolExecutor(THREADS, thread_name_prefix="intake")

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not scope["path"].startswith("/hooks/"):
            return await self.inner(scope, receive, send)
        where = WHERE.fullmatch(scope["path"])
        if where is None:
            return await answer(send, 404)
        if scope["method"] != "POST":
            return await answer(send, 405)
        if not self.disk.is_left():
            return await answer(send, 503)
        body = b""
        while True:
            message = await receive()
            if message["type"] == "http.disconnect":
                return None
            body += message.get("body", b"")
            if len(body) > MAX_BYTES:
                return await answer(send, 413)
            if not message.get("more_body"):
                break
        headers = Headers(scope=scope)
        status = await asyncio.get_running_loop().run_in_executor(
            self._threads,
            self.intake.push,
            int(where[1]),
            int(where[2]),
            headers.get("webhook-id", ""),
            headers.get("webhook-timestamp", ""),
            headers.get("webhook-signature", ""),
            body,
        )
        await answer(send, status)


async def answer(send: Send, status: int) -> None:
    headers = [(b"content-length", b"0"), *([(b"retry-after", RETRY_AFTER)] if status == 503 else [])]
    await send({"type": "http.response.start", "status": int(status), "headers": headers})
    await send({"type": "http.response.body", "body": b""})
