"""Bounds and headers for every answer. Plain ASGI, since it stands before each request."""

from __future__ import annotations

from collections.abc import Callable

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kelvix import room
from kelvix.api import problems
from kelvix.core.values import whole
from kelvix.room import Room

MAX_REQUEST = 8 << 20  # bytes of a request
MAX_OF = {"/api/v1/files": 200 << 20}  # of those that are passed on a piece at a time


NEEDS_DATABASE = ("/api/", "/in/", "/capture/")
READS = ("GET", "HEAD", "OPTIONS", "DELETE")  # what may go on when the disk is full: deleting makes room


def no_room() -> JSONResponse:
    """Answer what cannot be taken in now."""
    answer = problems.document(503, "The disk is almost full.", room.SENTENCE)
    answer.headers["retry-after"] = str(room.RETRY_AFTER)
    return answer


def no_database() -> JSONResponse:
    """Answer at once while the database does not: whoever waited would hold a place that others need."""
    answer = problems.document(503, "The database is not responding.", "Nothing was saved. Try again in a moment.")
    answer.headers["retry-after"] = "5"
    return answer


class Bounds:
    def __init__(self, inner: ASGIApp, disk: Room, answers: Callable[[], bool]):
        self.inner, self.disk, self.answers = inner, disk, answers

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return await self.inner(scope, receive, send)
        if scope["method"] not in READS and not self.disk.is_left():
            return await no_room()(scope, receive, send)
        if scope["path"].startswith(NEEDS_DATABASE) and not self.answers():
            return await no_database()(scope, receive, send)
        length = whole(Headers(scope=scope).get("content-length", "0"))
        most = MAX_OF.get(scope["path"], MAX_REQUEST)
        if length is None or length > most:
            refusal = problems.document(413, "This request is too large.", f"Send at most {most >> 20} MB.")
            return await refusal(scope, receive, send)
        seen = 0

        async def counted() -> Message:
            """Count what is sent in pieces, without a length, as it comes."""
            nonlocal seen
            message = await receive()
            seen += len(message.get("body", b""))
            return message if seen <= most else {"type": "http.disconnect"}

        async def headed(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers["x-content-type-options"] = "nosniff"
                headers["referrer-policy"] = "same-origin"
            await send(message)

        await self.inner(scope, counted, headed)
