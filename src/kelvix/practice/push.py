"""Telling subscribers of what is new: signed by the Standard Webhooks scheme, tried a few times, then given up."""

from __future__ import annotations

import json
import queue
import threading
import time
import uuid

import structlog
import urllib3

from kelvix.formats import webhook_signature
from kelvix.practice.faults import Faults
from kelvix.practice.store import Store

AGAIN_AFTER = (0.5, 2.0, 8.0)  # seconds
THREADS = 4
SECONDS = 10.0  # without an answer
log = structlog.stdlib.get_logger(__name__)


class Pusher:
    """A few threads that deliver pushes. What is not delivered is found by whoever reads the feed."""

    def __init__(self, store: Store, faults: Faults):
        self.store, self.faults = store, faults
        self._queue: queue.SimpleQueue[tuple[str, str, dict[str, str | int]]] = queue.SimpleQueue()  # address, secret, content
        for _ in range(THREADS):
            threading.Thread(target=self._work, daemon=True).start()

    def tell(self, app: str, container_id: int, item_id: int, kind: str = "new", revision: int = 1) -> None:
        """Push to those who listen now: whoever asks for pushes later is not told of what was there before."""
        if self.faults.pushes.get(app) == "never":
            return
        content: dict[str, str | int] = {"app": app, "container": str(container_id), "item": str(item_id)}
        content |= {"kind": kind, "revision": revision}
        for subscriber in self.store.subscribers(container_id):
            for _ in range(2 if self.faults.pushes.get(app) == "twice" else 1):
                self._queue.put((subscriber["url"], subscriber["secret"], content))

    def _work(self) -> None:
        client = urllib3.PoolManager(timeout=SECONDS, retries=False)
        while True:
            url, secret, content = self._queue.get()
            try:
                self._deliver(client, url, secret, content)
            except Exception:
                log.exception("a push failed")

    def _deliver(self, client: urllib3.PoolManager, url: str, secret: str, content: dict[str, str | int]) -> None:
        body = json.dumps(content).encode()
        message_id = uuid.uuid4().hex
        for pause in (*AGAIN_AFTER, 0.0):
            stamp = int(time.time())
            try:
                answer = client.request(
                    "POST",
                    url,
                    body=body,
                    headers={
                        "content-type": "application/json",
                        "webhook-id": message_id,
                        "webhook-timestamp": str(stamp),
                        "webhook-signature": webhook_signature.sign(secret, message_id, stamp, body),
                    },
                )
                if answer.status < 500 and answer.status != 429:
                    return
            except urllib3.exceptions.HTTPError:
                pass
            if pause:
                time.sleep(pause)
