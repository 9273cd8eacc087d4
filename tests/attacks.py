"""Content that is made to hurt whoever reads it, and servers that answer so that nobody ever comes to an end."""

from __future__ import annotations

import socket
import threading
import time
import zlib
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager

from support import Person


def heavy_pdf(operations: int = 1_000_000) -> bytes:
    """One page, of some kilobytes, whose text is put together from so many pieces that reading it takes minutes."""
    content = zlib.compress(b"BT /F1 9 Tf " + b"(a) Tj " * operations + b"ET", 9)
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 200 200] /Contents 4 0 R /Resources << /Font << /F1 5 0 R >> >> >>",
        b"<< /Length %d /Filter /FlateDecode >>\nstream\n%s\nendstream" % (len(content), content),
        b"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
    ]
    made, places = bytearray(b"%PDF-1.4\n"), []
    for number, body in enumerate(objects, 1):
        places.append(len(made))
        made += b"%d 0 obj\n%s\nendobj\n" % (number, body)
    table = len(made)
    made += b"xref\n0 6\n0000000000 65535 f \n" + b"".join(b"%010d 00000 n \n" % place for place in places)
    return bytes(made + b"trailer << /Size 6 /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n" % table)


@contextmanager
def dripping(head: bytes, every: float, first: bytes = b"") -> Iterator[int]:
    """A server that takes any request and answers with `first`, then the bytes of `head` over and over, one at a time: its port."""
    listener = socket.create_server(("127.0.0.1", 0))
    over = threading.Event()

    def drip(connection: socket.socket) -> None:
        with connection:
            try:
                connection.recv(65536)
                connection.sendall(first)
                while not over.is_set():
                    for byte in head:
                        connection.sendall(bytes((byte,)))
                        if over.wait(every):
                            return
            except OSError:
                return

    def serve() -> None:
        while not over.is_set():
            try:
                connection, _ = listener.accept()
            except OSError:
                return
            threading.Thread(target=drip, args=(connection,), daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    try:
        yield int(listener.getsockname()[1])
    finally:
        over.set()
        listener.close()


def tell_a_receiver(person: Person, address: str) -> int:
    """Turn on a workflow that sends a request to an address for each message in Enquiries: its number."""
    connection = person.connect("Enquiries")
    when = {"verb": "when", "id": "w", "connection": connection, "container": str(person.folders["Enquiries"]),
            "container_name": "E"}  # fmt: skip
    tell = {"verb": "web_request", "id": "r", "address": [{"text": address}], "recognises": True, "body": []}
    workflow = person.workflow("Tell", {"lines": [when, tell]})
    person.api("POST", f"/workflows/{workflow}/on")
    return workflow


@contextmanager
def taking(seconds: float, by: Callable[[], float] = time.monotonic) -> Iterator[None]:
    """Fails where what is within takes longer: for what would take minutes, never for what is merely slow."""
    began = by()
    yield
    took = by() - began
    assert took < seconds, f"it took {took:.1f} s"


def computing(seconds: float) -> AbstractContextManager[None]:
    """The same for what only computes: what others take of the machine meanwhile does not count."""
    return taking(seconds, time.process_time)
