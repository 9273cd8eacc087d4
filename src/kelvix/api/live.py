"""Live updates by server-sent events: one stream per browser, which its tabs share."""

from __future__ import annotations

import asyncio
import json
import threading
import time
from collections import deque
from collections.abc import AsyncIterator

import structlog
from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse

from kelvix.api.access import Reader
from kelvix.engine.engine import Engine
from kelvix.store import changes

router = APIRouter(prefix="/api/v1", tags=["live"])
LOOK = 2.0  # seconds between looks for what was announced and not heard
KEEP_ALIVE = 15.0
MOST_WAITING = 200
RECENT = 30.0  # seconds: a page is read before its stream is open, longer before on a slow machine
MOST_RECENT = 5_000  # announcements, of all workspaces
log = structlog.stdlib.get_logger(__name__)


class Hub:
    """Hands on what is announced to the streams of its workspace. A stream that does not keep up is told to look anew."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._streams: dict[asyncio.Queue[list[str]], int] = {}
        self._loop: asyncio.AbstractEventLoop | None = None
        self._seen: dict[int, tuple[int, ...]] = {}
        self._told: deque[tuple[float, int, list[str]]] = deque(maxlen=MOST_RECENT)

    def start(self) -> None:
        self._loop = asyncio.get_running_loop()
        self.engine.dispatch.listen("news")
        threading.Thread(target=self._listen, name="live", daemon=True).start()

    def open(self, workspace_id: int) -> asyncio.Queue[list[str]]:
        """Begin a stream. It starts with what was announced a moment ago: a browser may have read before it, and opened its
        stream after it."""
        queue: asyncio.Queue[list[str]] = asyncio.Queue()
        since = time.monotonic() - RECENT
        if missed := {topic for at, of, topics in self._told if of == workspace_id and at > since for topic in topics}:
            queue.put_nowait(sorted(missed))
        self._streams[queue] = workspace_id
        return queue

    def close(self, queue: asyncio.Queue[list[str]]) -> None:
        self._streams.pop(queue, None)

    def _listen(self) -> None:
        looked = time.monotonic()
        while True:
            try:
                told = self.engine.dispatch.wait(0.5)
                if time.monotonic() - looked > LOOK:
                    looked = time.monotonic()
                    told += [(w, ["all"]) for w in set(self._streams.values()) if self._moved(w)]
                for workspace_id, topics in told:
                    if self._loop:
                        self._loop.call_soon_threadsafe(self._hand_on, workspace_id, topics)
            except Exception:
                log.exception("live updates go on after a failure")
                time.sleep(1)

    def _moved(self, workspace_id: int) -> bool:
        """Whether runs came, or records or databases changed, that nobody announced: by numbers that only go up."""
        now = self.engine.directory.open(workspace_id).read(lambda t: changes.reached(t, workspace_id))
        before = self._seen.get(workspace_id, now)
        self._seen[workspace_id] = now
        return bool(before != now)

    def _hand_on(self, workspace_id: int, topics: list[str]) -> None:
        self._told.append((time.monotonic(), workspace_id, topics))
        for queue, of in list(self._streams.items()):
            if of == workspace_id:
                if queue.qsize() > MOST_WAITING:
                    while not queue.empty():
                        queue.get_nowait()
                    topics = ["all"]
                queue.put_nowait(topics)


@router.get("/live", response_class=StreamingResponse)
async def live(who: Reader, request: Request) -> StreamingResponse:
    """Return a stream of events whose data are lists of topics: what should be read anew."""
    hub: Hub = request.app.state.hub

    async def stream() -> AsyncIterator[str]:
        queue = hub.open(who.space.id)
        try:
            yield "retry: 1000\n\n"
            while True:
                try:
                    topics = set(await asyncio.wait_for(queue.get(), KEEP_ALIVE))
                    await asyncio.sleep(0.02)  # what comes together is told together
                    while not queue.empty():
                        topics |= set(queue.get_nowait())
                    if topics:
                        yield f"data: {json.dumps(sorted(topics))}\n\n"
                except TimeoutError:
                    yield ": here\n\n"
        finally:
            hub.close(queue)

    return StreamingResponse(stream(), media_type="text/event-stream", headers={"cache-control": "no-store"})
