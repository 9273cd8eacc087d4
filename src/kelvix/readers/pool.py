"""The parent's end of the reader children: a few are kept warm, more are started while those are busy, and one that takes too
long or too much is killed, with nobody else waiting for it."""

from __future__ import annotations

import contextlib
import json
import os
import queue
import select
import signal
import socket
import subprocess
import sys
import threading
import time
from typing import IO, Any

import structlog

from kelvix.readers.child import LENGTH, exactly, frame
from kelvix.readers.kinds import KINDS, adapter
from kelvix.settings import TOP

WARM = 1  # children that stay when nothing is read
MAX_CHILDREN = 8
HURRY = 0.1  # seconds that a caller waits for a busy child, before another is started
PATIENCE = 20.0  # seconds that a caller waits for any child
IDLE = 20.0  # seconds after which a child that is not needed ends
MAX_ANSWER = 128 << 20  # bytes
log = structlog.stdlib.get_logger(__name__)


class NotRead(Exception):
    """The file could not be read: its parser took too long, took too much memory or broke down. The message is a sentence."""


def ended(process: int) -> bool:
    """Say whether a process has ended, by its descriptor."""
    return bool(select.select([process], [], [], 0)[0])


class Nursery:
    """The process that the children are forked from. It is used by one thread only: the kernel ties it to that thread."""

    def __init__(self) -> None:
        self.channel, theirs = socket.socketpair()
        with theirs:
            self.process = subprocess.Popen(
                [sys.executable, "-W", "ignore", "-m", "kelvix.readers.child", str(theirs.fileno()), str(os.getpid())],
                env=os.environ | {"PYTHONPATH": str(TOP / "src")},
                pass_fds=(theirs.fileno(),),
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                start_new_session=True,
            )
        self.channel.settimeout(PATIENCE)

    def child(self) -> Child:
        """Start a child. Raises OSError and EOFError where the nursery has ended, or hangs."""
        ours, theirs = socket.socketpair()
        with theirs:
            socket.send_fds(self.channel, [b"."], [theirs.fileno()])
        told, descriptors, _, _ = socket.recv_fds(self.channel, 1, 1)
        if not told:
            ours.close()
            raise EOFError
        return Child(descriptors[0], ours)

    def end(self) -> None:
        """End the process, and with it its children."""
        self.channel.close()
        self.process.kill()
        self.process.wait()


class Child:
    """One reader process, by a descriptor of it, and the socket to it."""

    def __init__(self, process: int, channel: socket.socket) -> None:
        self.process = process
        self.channel = channel
        self.idle_since = time.monotonic()

    @property
    def alive(self) -> bool:
        """Whether its process has not ended."""
        return not ended(self.process)

    def ask(self, file: IO[bytes], request: bytes, seconds: float) -> bytes:
        """Send a request with an open file, and wait for the answer. Raises TimeoutError, EOFError, OSError."""
        until = time.monotonic() + seconds
        self.channel.settimeout(seconds)
        message = frame(request)
        socket.send_fds(self.channel, [message[: LENGTH.size]], [file.fileno()])
        self.channel.sendall(message[LENGTH.size :])
        size = LENGTH.unpack(exactly(self.channel, LENGTH.size))[0]
        if size > MAX_ANSWER:
            raise EOFError
        self.channel.settimeout(max(0.1, until - time.monotonic()))
        return exactly(self.channel, size)

    def kill(self) -> None:
        """End the process, whatever it does."""
        with contextlib.suppress(OSError):
            self.channel.close()
        with contextlib.suppress(ProcessLookupError):
            signal.pidfd_send_signal(self.process, signal.SIGKILL)
        os.close(self.process)


class Pool:
    """The reader children of this process. Safe to share between threads.

    One thread, which lives as long as the process, keeps the nursery: the kernel ties it to the *thread* it came from.
    """

    def __init__(self) -> None:
        self._idle: queue.LifoQueue[Child] = queue.LifoQueue()
        self._wanted: queue.SimpleQueue[bool] = queue.SimpleQueue()
        self._lock = threading.Lock()
        self._alive = 0  # with those that are being started
        self._starting = 0
        self._starter: threading.Thread | None = None

    def warm(self) -> None:
        """Start the first child now, so that nobody waits for it later."""
        self._grow(WARM)

    def read(self, kind: str, file: IO[bytes], **arguments: Any) -> Any:
        """Say what a file says, from its present position. `arguments` must be JSON. Raises NotRead, and ValueError with the
        format's own sentence."""
        seconds = KINDS[kind].seconds
        request = json.dumps({"kind": kind, "seconds": seconds, "with": arguments}).encode()
        file.flush()
        os.lseek(file.fileno(), file.tell(), os.SEEK_SET)  # the child shares the descriptor's position, not our buffer
        child = self._take()
        try:
            answer = child.ask(file, request, seconds)
        except TimeoutError:
            self._lose(child)
            raise NotRead(f"reading it took more than {seconds:.0f} seconds") from None
        except (EOFError, OSError):
            self._lose(child)
            raise NotRead("reading it failed: it may be damaged, or need too much memory") from None
        except BaseException:
            self._lose(child)
            raise
        child.idle_since = time.monotonic()
        self._idle.put(child)
        return _result(kind, answer)

    def read_bytes(self, kind: str, content: bytes, **arguments: Any) -> Any:
        """Say what a content says; as `read`."""
        with os.fdopen(os.memfd_create("content"), "r+b", buffering=0) as file:
            view = memoryview(content)
            while view:
                view = view[file.write(view) :]
            file.seek(0)
            return self.read(kind, file, **arguments)

    def _take(self) -> Child:
        until, hurried = time.monotonic() + PATIENCE, False
        while True:
            with contextlib.suppress(queue.Empty):
                child = self._idle.get_nowait()
                if child.alive:
                    return child
                self._lose(child)
                continue
            if time.monotonic() >= until:
                raise NotRead("too many files are being read. Try again in a moment")
            if not self._alive or (hurried and not self._starting):
                self._grow(MAX_CHILDREN)
            wait, hurried = (PATIENCE / 4 if hurried and not self._starting else HURRY), True
            with contextlib.suppress(queue.Empty):
                self._idle.put(self._idle.get(timeout=wait))

    def _grow(self, most: int) -> None:
        with self._lock:
            if self._starter is None:
                self._starter = threading.Thread(target=self._start, name="readers", daemon=True)
                self._starter.start()
            if self._alive >= most:
                return
            self._alive += 1
            self._starting += 1
        self._wanted.put(True)

    def _start(self) -> None:
        """Start children as they are asked for, and end those that nobody needed for a while."""
        nursery: Nursery | None = None
        while True:
            try:
                self._wanted.get(timeout=IDLE / 2)
            except queue.Empty:
                self._shrink()
                continue
            for _ in range(2):  # where the nursery has ended, another takes its place
                try:
                    nursery = nursery or Nursery()
                    self._idle.put(nursery.child())
                    break
                except (OSError, EOFError) as error:
                    log.warning("a reader could not be started", why=str(error))
                    if nursery:
                        nursery.end()
                    nursery = None
            else:
                with self._lock:
                    self._alive -= 1
            with self._lock:
                self._starting -= 1

    def _shrink(self) -> None:
        kept: list[Child] = []
        with contextlib.suppress(queue.Empty):
            while True:
                kept.append(self._idle.get_nowait())
        for child in kept:
            with self._lock:
                spare = self._alive > WARM
            if spare and time.monotonic() - child.idle_since > IDLE:
                self._lose(child)
            else:
                self._idle.put(child)

    def _lose(self, child: Child) -> None:
        child.kill()
        with self._lock:
            self._alive -= 1


def _result(kind: str, answer: bytes) -> Any:
    match answer[:1]:
        case b"R":
            return adapter(kind).validate_json(answer[1:])
        case b"V":
            raise ValueError(json.loads(answer[1:]))
        case b"M":
            raise NotRead("reading it needs too much memory")
        case _:
            raise NotRead(f"reading it takes more than {KINDS[kind].seconds:.0f} seconds")


POOL = Pool()
