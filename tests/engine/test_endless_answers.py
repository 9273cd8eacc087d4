"""Answers that never end: what others send is read up to a bound, and the connection given up."""

from __future__ import annotations

import contextlib
import resource
import socket
import threading
import zlib

import pytest

from kelvix.connectors import guarded_http, http
from kelvix.connectors.contract import Passing
from kelvix.connectors.http import Caller
from kelvix.connectors.reading import Reading


def endless(kind: str) -> tuple[int, threading.Thread]:
    """A server that answers one request with a page that never ends; as it is, or as what unpacks to much more."""
    door = socket.create_server(("127.0.0.1", 0))

    def answer() -> None:
        calling, _ = door.accept()
        with calling, contextlib.suppress(OSError):
            calling.recv(65536)
            coded = b"content-encoding: gzip\r\n" if kind == "gzip" else b""
            calling.sendall(b"HTTP/1.1 200 OK\r\ncontent-type: text/html\r\n" + coded + b"\r\n")
            packer = zlib.compressobj(9, wbits=31)
            while True:
                piece = b"<p>on and on</p>" * 65536
                calling.sendall(packer.compress(piece) + packer.flush(zlib.Z_SYNC_FLUSH) if coded else piece)

    thread = threading.Thread(target=answer, daemon=True)
    thread.start()
    return door.getsockname()[1], thread


@pytest.mark.parametrize("kind", ["plain", "gzip"])
def test_what_never_ends_is_read_up_to_its_bound(kind):
    port, thread = endless(kind)
    target = guarded_http.resolve(f"http://127.0.0.1:{port}/", {f"127.0.0.1:{port}"})
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    answer = guarded_http.send("GET", target, {"accept-encoding": "gzip"}, None, 1 << 20)
    assert answer.status == 200 and len(answer.content) == 1 << 20 and answer.content.startswith(b"<p>on and on</p>")
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 100_000, "kB: what is left is not kept"
    thread.join(10)
    assert not thread.is_alive(), "the connection is given up"


def grown() -> int:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss


@pytest.mark.parametrize("kind", ["plain", "gzip"])
def test_an_app_that_answers_without_end(kind, monkeypatch):
    monkeypatch.setattr(http, "MOST_ANSWER", 2 << 20)
    port, thread = endless(kind)
    before = grown()
    with pytest.raises(Passing, match="more than 2 MB"):
        Caller("Mail", f"http://127.0.0.1:{port}").call("GET", "/", "token")
    thread.join(10)
    assert not thread.is_alive() and grown() - before < 100_000


def test_a_page_that_an_app_gives_without_end():
    port, thread = endless("plain")
    reading = Reading(f"http://127.0.0.1:{port}")
    raw = {"id": "1", "revision": 1, "has_page": True, "address": "https://x.example/", "bare": "https://x.example/"}
    assert reading._page(raw, "token").text == "", "a page of that size is not read"
    thread.join(10)
    assert not thread.is_alive()
