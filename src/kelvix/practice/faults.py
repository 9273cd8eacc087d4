"""Fault switches: a practice app can be made slow, failing, refusing, limited or down, for demonstrations and tests."""

from __future__ import annotations

import asyncio
import math
import time
from collections.abc import Mapping
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Literal, get_args

from starlette.datastructures import MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kelvix.formats.rate_limits import Policy, write

Mode = Literal["none", "slow", "failing", "refusing", "limited", "sixty", "monthly", "down", "unanswered", "lagging"]
PushMode = Literal["once", "twice", "never"]
MODES: tuple[Mode, ...] = get_args(Mode)
PUSH_MODES: tuple[PushMode, ...] = get_args(PushMode)
SAID: dict[str, str] = {
    "none": "responds normally",
    "slow": "takes 3 seconds per response",
    "failing": "responds to every call with 500",
    "refusing": "refuses every token with 401",
    "limited": "allows one call in two seconds, else 429 with Retry-After",
    "sixty": "allows 60 calls a minute, else 429 with Retry-After",
    "monthly": "allows 300 calls in 30 days, else 429 with Retry-After",
    "down": "closes the connection without a response",
    "unanswered": "takes the call and closes the connection without a response",
    "lagging": "lists new items 2 seconds after they were added",
    "once": "pushes each change once",
    "twice": "pushes each change twice",
    "never": "pushes nothing",
}
SLOW = 3.0  # seconds
LAG = 2.0  # seconds
lag: ContextVar[float] = ContextVar("lag", default=0.0)  # of the call that is answered
LIMIT_EVERY = 2.0  # seconds between calls that are let through
MONTH = 30 * 86_400


@dataclass(frozen=True)
class Quota:
    """So many calls in each window of seconds, which begins with the first of them."""

    name: str
    most: int
    window: int


QUOTAS: dict[str, Quota] = {"sixty": Quota("minute", 60, 60), "monthly": Quota("month", 300, MONTH)}  # by mode


class Faults:
    """The switches of one practice process, by app. They are not kept: a restart puts all right."""

    def __init__(self) -> None:
        self.modes: dict[str, Mode] = {}
        self.pushes: dict[str, PushMode] = {}
        self.slow = SLOW
        self._let_through: dict[str, float] = {}
        self._windows: dict[tuple[str, str], tuple[float, int]] = {}  # when each began, and the calls made in it

    def set(self, app: str, mode: Mode, push: PushMode) -> None:
        self.modes[app], self.pushes[app] = mode, push
        self._windows = {key: window for key, window in self._windows.items() if key[0] != app}

    def count(self, app: str, quota: Quota) -> tuple[bool, Policy]:
        """Count a call: whether there is room for it, and how much is left."""
        now = time.monotonic()
        began, calls = self._windows.get((app, quota.name), (now, 0))
        if now - began >= quota.window:
            began, calls = now, 0
        has_room = calls < quota.most
        calls += has_room
        self._windows[app, quota.name] = began, calls
        return has_room, Policy(quota.name, quota.most, quota.window, quota.most - calls, math.ceil(began + quota.window - now))

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


def _declaring(send: Send, policy: Policy) -> Send:
    """Return what sends an answer that says how many calls are taken."""
    said = write((policy,))

    async def declared(message: Message) -> None:
        if message["type"] == "http.response.start":
            MutableHeaders(scope=message).update(said)
        await send(message)

    return declared


class FaultMiddleware:
    """Stands before the apps' API (not their pages) and misbehaves as the switches say."""

    def __init__(self, inner: ASGIApp, faults: Faults, quotas: Mapping[str, Quota]):
        self.inner, self.faults, self.quotas = inner, faults, quotas

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        parts = scope.get("path", "").split("/")
        if scope["type"] != "http" or len(parts) < 3 or parts[2] != "api":
            return await self.inner(scope, receive, send)
        mode = self.faults.modes.get(parts[1], "none")
        answer: JSONResponse | None = None
        declaring = send
        if quota := QUOTAS.get(mode) or self.quotas.get(parts[1]):
            has_room, policy = self.faults.count(parts[1], quota)
            declaring = _declaring(send, policy)
            if not has_room:
                answer = JSONResponse({"error": "too many calls"}, 429, {"Retry-After": str(policy.resets)})
        if mode == "slow":
            await asyncio.sleep(self.faults.slow)
        elif mode == "failing":
            answer = JSONResponse({"error": "something went wrong here"}, 500)
        elif mode == "refusing":
            answer = JSONResponse({"error": "this token is not accepted"}, 401)
        elif mode == "limited" and self.faults.limited(parts[1]):
            answer = JSONResponse({"error": "too many calls"}, 429, {"Retry-After": str(int(LIMIT_EVERY))})
        elif mode == "lagging":
            lag.set(LAG)
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
        await (answer or self.inner)(scope, receive, declaring)
