"""Fault switches: a practice app can be made slow, failing, refusing, limited or down, for demonstrations and tests."""

from __future__ import annotations

import asyncio
import time
from typing import Literal, get_args

from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

Mode = Literal["none", "slow", "failing", "refusing", "limited", "down", "unanswered"]
PushMode = Literal["once", "twice", "never"]
MODES: tuple[Mode, ...] = get_args(Mode)
PUSH_MODES: tuple[PushMode, ...] = get_args(PushMode)
SAID: dict[str, str] = {
    "none": "answers as it should",
    "slow": "takes 3 seconds for each answer",
    "failing": "answers every call with 500",
    "refusing": "refuses every token with 401",
    "limited": "allows one call in two seconds, else 429 with Retry-After",
    "down": "closes the connection without an answer",
    "unanswered": "takes the call and closes the connection without an answer",
    "once": "pushes each change once",
    "twice": "pushes each change twice",
    "never": "pushes nothing",
}
SLOW = 3.0  # seconds
LIMIT_EVERY = 2.0  # seconds between calls that are let through


class Faults:
    """The switches of one practice process, by app. They are not kept: a restart puts all right."""

    def __init__(self) -> None:
        self.modes: dict[str, Mode] = {}
        self.pushes: dict[str, PushMode] = {}
        self.slow = SLOW
        self._let_through: dict[str, float] = {}

    def set(self, app: str, mode: Mode, push: PushMode) -> None:
        self.modes[app], self.pushes[app] = mode, push

    def limited(self, app: str) -> bool:
        now = time.monotonic()
        if now - self._let_through.get(app, -LIMIT_EVERY) < LIMIT_EVERY:
            return True
        self._let_through[app] = now
        return False


def _hang_up(send: Send) -> bool:
    """Close the connection. uvicorn's own request cycle is the one way to its socket."""
    transport = getattr(getattr(send, "__self__", None), "transport", None)
    if transport:
        transport.abort()
    return bool(transport)


class FaultMiddleware:
    """Stands before the apps' API (not their pages) and misbehaves as the switches say."""

    def __init__(self, inner: ASGIApp, faults: Faults):
        self.inner, self.faults = inner, faults

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        parts = scope.get("path", "").split("/")
        if scope["type"] != "http" or len(parts) < 3 or parts[2] != "api":
            return await self.inner(scope, receive, send)
        mode = self.faults.modes.get(parts[1], "none")
        answer: JSONResponse | None = None
        if mode == "slow":
            await asyncio.sleep(self.faults.slow)
        elif mode == "failing":
            answer = JSONResponse({"error": "something went wrong here"}, 500)
        elif mode == "refusing":
            answer = JSONResponse({"error": "this token is not accepted"}, 401)
        elif mode == "limited" and self.faults.limited(parts[1]):
            answer = JSONResponse({"error": "too many calls"}, 429, {"Retry-After": str(int(LIMIT_EVERY))})
        elif mode == "down":
            if _hang_up(send):
                return
            answer = JSONResponse({"error": "down"}, 503)
        elif mode == "unanswered":

            async def swallow(_: Message) -> None:
                return

            await self.inner(scope, receive, swallow)
            _hang_up(send)
            return
        await (answer or self.inner)(scope, receive, send)
