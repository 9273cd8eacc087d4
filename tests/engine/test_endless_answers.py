"""Answers that never end: what others send is read up to a bound, and the connection given up."""

from __future__ import annotations

import contextlib
import resource
import socket
import threading
import time
import zlib
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from attacks import dripping, taking
from kelvix.connectors import guarded_http, http
from kelvix.connectors.http import Caller
from kelvix.connectors.reading import Reading
from kelvix.core.collection import TransientError, UnknownOutcomeError
from kelvix.core.feel import Env


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
    monkeypatch.setattr(http, "MAX_ANSWER", 2 << 20)
    port, thread = endless(kind)
    before = grown()
    with pytest.raises(TransientError, match="more than 2 MB"):
        Caller("Mail", f"http://127.0.0.1:{port}").call("GET", "/", "token")
    thread.join(10)
    assert not thread.is_alive() and grown() - before < 100_000


def test_a_page_that_an_app_gives_without_end():
    port, thread = endless("plain")
    reading = Reading(f"http://127.0.0.1:{port}")
    raw = {"id": "1", "revision": 1, "has_page": True, "address": "https://x.example/", "bare": "https://x.example/"}
    account = reading.account("token", "ada@works.example", Env(datetime.now(UTC), ZoneInfo("UTC")))
    assert account._page(raw).text == "", "a page of that size is not read"
    thread.join(10)
    assert not thread.is_alive()


HEADS = {"status": b"", "headers": b"HTTP/1.1 200 OK\r\n", "body": b"HTTP/1.1 200 OK\r\ncontent-type: application/json\r\n\r\n"}


@pytest.mark.parametrize("where", HEADS)
def test_a_byte_now_and_then_does_not_outlast_a_call(where, monkeypatch):
    """Each byte comes long before the socket's own time-out; the whole call has an end all the same."""
    monkeypatch.setattr(http, "WHOLE", 0.5)
    head = {"status": b"H", "headers": b"x-a: b\r\n", "body": b" "}[where]
    with dripping(head, 0.1, HEADS[where]) as port, taking(10), pytest.raises(TransientError, match="too slowly"):
        Caller("Mail", f"http://127.0.0.1:{port}").call("GET", "/", "token")


def test_a_file_that_comes_a_byte_at_a_time_is_given_up(monkeypatch):
    monkeypatch.setattr(http, "WHOLE", 0.5)
    with dripping(b"x", 0.1, b"HTTP/1.1 200 OK\r\n\r\n") as port, taking(10), pytest.raises(TransientError, match="too slowly"):
        list(Caller("Files", f"http://127.0.0.1:{port}").content("/x", "token"))


def test_a_large_answer_earns_its_time(monkeypatch):
    """At a fair pace, what takes longer than a whole call may is read to its end."""
    monkeypatch.setattr(http, "WHOLE", 0.6)
    piece = b"x" * 20_000
    door = socket.create_server(("127.0.0.1", 0))

    def answer() -> None:
        calling, _ = door.accept()
        with calling:
            calling.recv(65536)
            calling.sendall(b"HTTP/1.1 200 OK\r\ncontent-length: %d\r\n\r\n" % (15 * len(piece)))
            for _ in range(15):
                calling.sendall(piece)
                time.sleep(0.1)

    threading.Thread(target=answer, daemon=True).start()
    found = b"".join(Caller("Files", f"http://127.0.0.1:{door.getsockname()[1]}").content("/x", "token"))
    assert found == piece * 15
    door.close()


def test_a_receiver_that_drips_its_status_may_have_taken_the_request(monkeypatch):
    monkeypatch.setattr(guarded_http, "WHOLE", 0.5)
    with dripping(b"H", 0.1) as port, taking(10):
        target = guarded_http.resolve(f"http://127.0.0.1:{port}/", {f"127.0.0.1:{port}"})
        with pytest.raises(UnknownOutcomeError):
            guarded_http.send("POST", target, {}, b"x")


def test_a_receiver_that_drips_its_content_has_answered(monkeypatch):
    monkeypatch.setattr(guarded_http, "WHOLE", 0.5)
    with dripping(b" ", 0.1, b"HTTP/1.1 202 Accepted\r\n\r\n") as port, taking(10):
        target = guarded_http.resolve(f"http://127.0.0.1:{port}/", {f"127.0.0.1:{port}"})
        assert guarded_http.send("POST", target, {}, b"x").status == 202


def test_a_certificate_that_comes_a_byte_at_a_time_sends_nothing(monkeypatch):
    """TLS has not begun: it is certain that nothing went out."""
    monkeypatch.setattr(guarded_http, "WHOLE", 0.5)
    with dripping(b"\x16\x03\x03\x3f\xff", 0.1) as port, taking(10):
        target = guarded_http.resolve(f"https://127.0.0.1:{port}/", {f"127.0.0.1:{port}"})
        with pytest.raises(TransientError):
            guarded_http.send("POST", target, {}, b"x")
