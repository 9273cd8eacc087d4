"""Live updates by server-sent events: one stream per browser, which its tabs share. What changed is read from the log of
changes, once for all streams of a workspace; a browser reads the records that it shows, and no others."""

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
from starlette.concurrency import run_in_threadpool

from kelvix.api.access import Reader
from kelvix.collections.databases import KINDS
from kelvix.engine.engine import Engine
from kelvix.workspace import changes
from kelvix.workspace.changes import Touched

router = APIRouter(prefix="/api/v1", tags=["live"])
LOOK = 2.0  # seconds between looks for what was announced and not heard
KEEP_ALIVE = 15.0
MAX_WAITING = 200
RECENT = 30.0  # seconds: a page is read before its stream is open, longer before on a slow machine
MAX_RECENT = 5_000  # announcements, of all workspaces
MAX_NAMED = 500  # changed records that are named one by one; of more than that, their databases are
OF_COUNTERS = {"run": "runs", "schema": "databases"}  # what is new where a number has gone up; else what workflows hold
log = structlog.stdlib.get_logger(__name__)


class Hub:
    """Hands on what is announced to the streams of its workspace. A stream that does not keep up is told to look anew."""

    def __init__(self, engine: Engine):
        self.engine = engine
        self._streams: dict[asyncio.Queue[list[str]], int] = {}
        self._loop: asyncio.AbstractEventLoop | None = None
        self._seen: dict[int, dict[str, int]] = {}
        self._read_to: dict[int, int] = {}  # in the log of changes, by workspace
        self._told: deque[tuple[float, int, list[str]]] = deque(maxlen=MAX_RECENT)

    def start(self) -> None:
        self._loop = asyncio.get_running_loop()
        self.engine.dispatch.listen("news")
        threading.Thread(target=self._listen, name="live", daemon=True).start()

    def prepare(self, workspace_id: int) -> None:
        """Find where to read on in the log, before the first stream of a workspace. Reads the database."""
        if workspace_id not in self._streams.values():
            self._read_to[workspace_id] = changes.before(self.engine, workspace_id, RECENT, MAX_NAMED)

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
                    told += [(w, self._moved(w)) for w in set(self._streams.values())]
                for workspace_id, topics in told:
                    if self._loop and (topics := self._named(workspace_id, topics)):
                        self._loop.call_soon_threadsafe(self._hand_on, workspace_id, topics)
            except Exception:
                log.exception("live updates continue after a failure")
                time.sleep(1)

    def _moved(self, workspace_id: int) -> list[str]:
        """Return what is new that nobody may have announced: by numbers that only go up. The log of changes is looked at."""
        now = changes.reached(self.engine, workspace_id)
        before = self._seen.get(workspace_id, now)
        self._seen[workspace_id] = now
        moved = {name for name, n in now.items() if n != before.get(name) and name != "change"}
        return ["records", *{OF_COUNTERS.get(name, "workflows") for name in moved}]

    def _named(self, workspace_id: int, topics: list[str]) -> list[str]:
        """Put the records that changed since in the place of their topic: each as record, database, record, kind and number."""
        if "records" not in topics:
            return topics
        others = [t for t in topics if t != "records"]
        if workspace_id not in self._streams.values():
            return others
        found = self._read_on(workspace_id)
        if len(found) < MAX_NAMED:
            return [*others, *(f"record:{c.database_id}:{c.record_id}:{KINDS.get(c.kind, 'changed')}:{c.seq}" for c in found)]
        touched: set[int] = set()
        while found:  # so many at once that their databases are named instead
            touched |= {c.database_id for c in found}
            found = self._read_on(workspace_id)
        return [*others, *(f"records:{id}" for id in sorted(touched))]

    def _read_on(self, workspace_id: int) -> list[Touched]:
        """Read the log of a workspace on from where it was read to, at most so many changes at a time."""
        found = changes.since(self.engine, workspace_id, self._read_to[workspace_id], MAX_NAMED)
        if found:
            self._read_to[workspace_id] = found[-1].seq
        return found

    def _hand_on(self, workspace_id: int, topics: list[str]) -> None:
        self._told.append((time.monotonic(), workspace_id, topics))
        for queue, of in list(self._streams.items()):
            if of == workspace_id:
                if queue.qsize() > MAX_WAITING:
                    while not queue.empty():
                        queue.get_nowait()
                    topics = ["all"]
                queue.put_nowait(topics)


@router.get("/live", response_class=StreamingResponse)
async def live(who: Reader, request: Request) -> StreamingResponse:
    """Return a stream of events whose data are lists of topics: what should be read anew. A record that changed is one of
    them, as in record:7:81:changed:204: its database, itself, whether it was added, changed or deleted, and the number of the
    change."""
    hub: Hub = request.app.state.hub

    async def stream() -> AsyncIterator[str]:
        await run_in_threadpool(hub.prepare, who.space.id)
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
