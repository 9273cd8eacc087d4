"""A reader child: takes one file after another over a socket, reads it within its limits, and sends back what it says as JSON.

Children are forked from a nursery, `python -m kelvix.readers.child FD PARENT`, which has loaded every format before: a child is
ready in milliseconds, also on a machine that is busy. The nursery itself reads nothing. Each ends when its parent does: the
kernel kills it, and its socket closes.
"""

from __future__ import annotations

import contextlib
import gc
import importlib
import json
import os
import resource
import signal
import socket
import struct
import sys
from types import FrameType

from kelvix import processes
from kelvix.readers.kinds import KINDS, adapter

MAX_MEMORY = 1 << 30  # bytes of address space
MAX_REQUEST = 1 << 20  # bytes of a request, which names the kind and its arguments; what is read comes as an open file
EARLIER = 0.75  # of the time after which the parent kills: reading is broken off from within
AGAIN = 0.5  # seconds after which it is broken off once more, where the first was swallowed
LOWER = 10  # the niceness of a child: whoever waits for it waits longer, and nobody else does
LENGTH = struct.Struct("!I")
PDFIUM = "kelvix.formats.pdf_characters"  # what brings PDFium along, which no other process loads


class TakesTooLong(Exception):
    """Reading is broken off from within."""


def _break_off(_: int, __: FrameType | None) -> None:
    raise TakesTooLong("reading it takes too long")


def frame(content: bytes) -> bytes:
    """Prefix a message with its length."""
    return LENGTH.pack(len(content)) + content


def exactly(channel: socket.socket, size: int) -> bytes:
    """Read so many bytes. Raises EOFError where the other end closed before."""
    found = bytearray()
    while len(found) < size:
        piece = channel.recv(min(size - len(found), 1 << 20))
        if not piece:
            raise EOFError
        found += piece
    return bytes(found)


def limit() -> None:
    """Give this process its limits."""
    resource.setrlimit(resource.RLIMIT_AS, (MAX_MEMORY, MAX_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    os.nice(LOWER)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGALRM, _break_off)


def serve(channel: socket.socket) -> None:
    """Read one file after another until the parent closes its end."""
    while True:
        head, descriptors, _, _ = socket.recv_fds(channel, LENGTH.size, 1)
        if len(head) < LENGTH.size:
            return
        asked = json.loads(exactly(channel, min(LENGTH.unpack(head)[0], MAX_REQUEST)))
        with os.fdopen(descriptors[0], "rb") as file:
            channel.sendall(frame(_answer(file, asked["kind"], asked["seconds"], asked["with"])))


def _answer(file: object, name: str, seconds: float, arguments: dict[str, object]) -> bytes:
    """Say what a file says, or why it cannot be read: one letter, then JSON."""
    kind = KINDS[name]
    try:
        signal.setitimer(signal.ITIMER_REAL, seconds * EARLIER, AGAIN)
        try:
            result = kind.load()(file, **arguments)
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0)
        return b"R" + adapter(name).dump_json(result)
    except TakesTooLong:
        return b"T"
    except MemoryError:
        return b"M"
    except ValueError as error:  # a sentence of the format's own
        return b"V" + json.dumps(str(error)).encode()


def bear(channel: socket.socket) -> None:
    """Fork a child for each socket that comes, and send back a descriptor of its process, until the parent closes its end."""
    here = os.getpid()
    while True:
        asked, descriptors, _, _ = socket.recv_fds(channel, 1, 1)
        if not asked:
            return
        if (child := os.fork()) == 0:
            channel.close()
            processes.tie(here)
            limit()
            with contextlib.suppress(EOFError, OSError):
                serve(socket.socket(fileno=descriptors[0]))
            os._exit(0)
        process = os.pidfd_open(child)
        socket.send_fds(channel, [b"."], [process])
        for descriptor in (process, descriptors[0]):
            os.close(descriptor)


def main() -> None:
    processes.tie(int(sys.argv[2]))
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # the kernel clears away the children that ended
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    for kind in KINDS:
        adapter(kind)
    importlib.import_module(PDFIUM)
    gc.freeze()  # the children share what is loaded
    with contextlib.suppress(EOFError, OSError):
        bear(socket.socket(fileno=int(sys.argv[1])))


if __name__ == "__main__":
    main()
