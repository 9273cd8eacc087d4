"""Nobody holds a door shut: half-sent requests, bodies that drip, uploads that take for ever, too many calls, a frozen database."""

from __future__ import annotations

import os
import select
import signal
import smtplib
import socket
import threading
import time

import httpx2 as httpx
import pytest
import uvicorn

from attacks import taking
from kelvix import doors
from kelvix.processes import free_port
from support import Kelvix, turn_on, until

pytestmark = pytest.mark.alone


@pytest.fixture
def served(monkeypatch):
    """A small application behind our door, with short times."""
    monkeypatch.setattr(doors, "HEADER_SECONDS", 0.5)
    monkeypatch.setattr(doors, "BODY_SECONDS", 0.5)
    monkeypatch.setattr(doors, "HTTP_PEERS", doors.Peers(5))

    async def app(scope, receive, send):
        if scope["type"] != "http":
            return
        size = 0
        while True:
            message = await receive()
            if message["type"] == "http.disconnect":
                return
            size += len(message.get("body", b""))
            if not message.get("more_body"):
                break
        body = str(size).encode()
        await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", str(len(body)).encode())]})
        await send({"type": "http.response.body", "body": body})

    port = free_port()
    server = uvicorn.Server(uvicorn.Config(app, port=port, http=doors.TimedHTTP, log_level="error", lifespan="off"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    until(lambda: server.started)
    yield port
    server.should_exit = True
    thread.join(10)


def knock(port: int, said: bytes, host: str = "127.0.0.1") -> socket.socket:
    made = socket.create_connection(("127.0.0.1", port), timeout=20, source_address=(host, 0))
    made.sendall(said)
    return made


def is_closed(one: socket.socket) -> bool:
    one.settimeout(10)
    try:
        return one.recv(1) == b""
    except ConnectionError:
        return True


def test_headers_that_never_end_have_their_time(served):
    with taking(8):
        assert is_closed(knock(served, b"GET / HTTP/1.1\r\nhost: x\r\nx-a: "))
        assert is_closed(knock(served, b"")), "and so has one that says nothing"
        second = knock(served, b"GET / HTTP/1.1\r\nhost: x\r\n\r\n")
        assert second.recv(100).startswith(b"HTTP/1.1 200")
        second.sendall(b"GET / HT")  # a further request of the same connection
        while second.recv(100):
            pass


def test_bodies_that_drip_have_their_time_and_large_ones_more(served):
    head = b"POST / HTTP/1.1\r\nhost: x\r\ncontent-length: %d\r\n\r\n"
    slow = knock(served, head % 1000)

    def drip():
        with pytest.raises(OSError):
            for _ in range(200):
                slow.sendall(b"x")
                time.sleep(0.1)

    with taking(8):
        thread = threading.Thread(target=drip)
        thread.start()
        assert is_closed(slow)
        thread.join()
    piece = b"x" * 20_000
    large = knock(served, head % (15 * len(piece)))
    for _ in range(15):  # 1.5 seconds in all, at a fair pace
        large.sendall(piece)
        time.sleep(0.1)
    assert large.recv(1000).endswith(b"300000")


def test_a_peer_has_so_many_connections(served):
    held = [knock(served, b"GET") for _ in range(5)]
    assert is_closed(knock(served, b"GET / HTTP/1.1\r\nhost: x\r\n\r\n")), "one more than it may"
    other = knock(served, b"GET / HTTP/1.1\r\nhost: x\r\n\r\n", "127.0.0.2")
    assert other.recv(100).startswith(b"HTTP/1.1 200"), "another peer is let in"
    assert all(map(is_closed, held))
    again = knock(served, b"GET / HTTP/1.1\r\nhost: x\r\n\r\n")
    assert again.recv(100).startswith(b"HTTP/1.1 200"), "and the first one too, when it let go"


def test_a_thousand_half_sent_requests_leave_the_door_open(kelvix):
    held = []
    try:
        for _ in range(1_100):
            held.append(knock(kelvix.settings.port, b"POST /capture/1/x HTTP/1.1\r\nhost: 127.0.0.1\r\n", "127.0.0.3"))
        with taking(5):
            assert httpx.get(f"{kelvix.address}/healthz", trust_env=False).status_code == 200
    finally:
        for one in held:
            one.close()


def test_mail_is_taken_from_others_while_one_holds_its_connections(kelvix, orla):
    port = kelvix.settings.smtp_port
    held = [socket.create_connection(("127.0.0.1", port), source_address=("127.0.0.4", 0), timeout=20) for _ in range(40)]
    greetings = [one.recv(100)[:3] for one in held]
    assert greetings.count(b"220") == doors.MAX_SMTP_OF_A_PEER and greetings.count(b"421") == 10
    orla.deliver("meanwhile")
    for one in held:
        one.close()


def test_slow_uploads_hold_up_nobody_else(orla):
    from kelvix.api.record_files import MAX_UPLOADS

    cookie = "; ".join(f"{k}={v}" for k, v in orla.web.cookies.items())
    head = f"POST /api/v1/files?name=a.bin HTTP/1.1\r\nhost: 127.0.0.1\r\ncookie: {cookie}\r\ncontent-length: 1000000\r\n\r\n"
    held = [knock(orla.kelvix.settings.port, head.encode() + b"x") for _ in range(MAX_UPLOADS + 2)]
    until(lambda: len(select.select(held, [], [], 0)[0]) == 2)  # those that are refused

    def refused():
        answer = orla.web.post("/api/v1/files?name=b.bin", content=b"x")
        return answer.status_code == 429 and answer

    answer = until(refused)
    assert answer.headers["retry-after"] == "5" and "being uploaded" in answer.json()["title"]
    with taking(5):
        orla.api("GET", "/me")
        other = orla.kelvix.person("Nell")
        assert other.web.post("/api/v1/files?name=b.bin", content=b"x").status_code == 201, "another workspace uploads"
    for one in held:
        one.close()
    until(lambda: orla.web.post("/api/v1/files?name=b.bin", content=b"x").status_code == 201)


def test_a_workspace_makes_so_many_calls(kelvix, orla):
    home = kelvix.engine.directory.home
    home.transact(lambda t: t.execute("UPDATE workspace SET most_calls_a_minute=20 WHERE id=%s", (orla.space.id,)))

    def refused():
        answer = orla.web.get("/api/v1/me")
        return answer.status_code == 429 and answer

    answer = until(refused, every=0.001)
    assert answer.headers["retry-after"] == "60" and "20 calls" in answer.json()["title"]
    kelvix.person("Nell").api("GET", "/me")


def test_a_frozen_database_is_said_at_once_and_loses_nothing(tmp_path):
    running = Kelvix(tmp_path / "kelvix")
    try:
        on = turn_on(running.person("Orla"))
        on.person.deliver("before")
        until(lambda: on.titles() == ["before"])
        mariadb = running.installation.mariadb.child.pid
        os.kill(mariadb, signal.SIGSTOP)
        try:
            said = until(lambda: (a := on.person.web.get("/healthz")).status_code == 503 and a, 15, 0.2)
            assert said.json() == {"state": "the database is not responding"}
            with taking(3):
                assert on.person.web.get("/healthz").status_code == 503
                refused = on.person.web.get("/api/v1/me")
                assert refused.status_code == 503 and refused.headers["retry-after"] == "5"
            with (
                pytest.raises((smtplib.SMTPException, OSError)),
                smtplib.SMTP("127.0.0.1", running.settings.smtp_port, timeout=3) as smtp,
            ):
                smtp.sendmail("a@b.example", on.person.addresses["Enquiries"], "Subject: while frozen\r\n\r\nx")
        finally:
            os.kill(mariadb, signal.SIGCONT)
        until(lambda: on.person.web.get("/healthz").status_code == 200)
        on.person.deliver("after")
        until(lambda: {"before", "after"} <= set(on.titles()))
    finally:
        running.stop()
