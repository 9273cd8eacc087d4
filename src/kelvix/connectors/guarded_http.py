"""Calling web addresses that people typed: only public ones, and what is connected to is what was looked at.

A name is resolved once; every address that it has must be public, and the connection goes to one of these (so that a name
which changes meanwhile leads nowhere else). Redirects are not followed. Answers are read up to a size.
"""

from __future__ import annotations

import ipaddress
import socket
import ssl
from collections.abc import Collection
from dataclasses import dataclass
from email.message import Message
from typing import Any

import urllib3

from kelvix.connectors.deadline import DEADLINES, HTTPPool, HTTPSPool, WatchedHTTP, WatchedHTTPS
from kelvix.connectors.http import retry_after
from kelvix.core.collection import PermanentError, TransientError, UnknownOutcomeError
from kelvix.core.fields.link import split_address
from kelvix.core.values import shorten
from kelvix.formats.article import charset_of

CONNECT, READ, WHOLE = 6.0, 12.0, 20.0  # seconds; all of it under a run's lease
MAX_ANSWER = 256 * 1024  # bytes
NAT64 = ipaddress.ip_network("64:ff9b::/96")  # RFC 6052
# What Python takes for public, and is not: site-local (RFC 3879), documentation (RFC 9637), relays of 6to4 (RFC 7526).
NOT_PUBLIC = tuple(ipaddress.ip_network(n) for n in ("fec0::/10", "3fff::/20", "192.88.99.0/24"))


@dataclass(frozen=True)
class Target:
    """Where a request goes: the host as it is named, and the address that stands for it."""

    scheme: str
    host: str
    port: int
    address: str
    path: str


@dataclass(frozen=True)
class Answer:
    """`wait` is for how many seconds the receiver asks to wait; `moved_to` where a redirect points; `charset` is that of its
    content, where the receiver says it, and so is the file's `name`."""

    status: int
    content: bytes
    wait: float | None
    moved_to: str
    charset: str = ""
    name: str = ""

    @property
    def text(self) -> str:
        return self.content.decode("utf-8", "replace")


def is_public(address: str) -> bool:
    """Whether an address is one of the public internet, also where it is wrapped in another (IPv4 in IPv6)."""
    ip = ipaddress.ip_address(address.partition("%")[0])
    if isinstance(ip, ipaddress.IPv6Address):
        inner = [ip.ipv4_mapped, ip.sixtofour, *(ip.teredo or ())]
        if ip in NAT64:
            inner.append(ipaddress.IPv4Address(int(ip) & 0xFFFFFFFF))
        if any(i is not None and not is_public(str(i)) for i in inner):
            return False
        if ip in NAT64 or ip.ipv4_mapped is not None:
            return True
    if any(ip in network for network in NOT_PUBLIC if network.version == ip.version):
        return False
    return ip.is_global and not ip.is_multicast and not ip.is_reserved


def resolve(url: str, reachable: Collection[str] = ()) -> Target:
    """Return what stands behind an address. `reachable`: hosts of private networks that are let through, as name:port. Raises
    PermanentError where it is none, or not public, TransientError where the name is not known."""
    parts = split_address(url)
    if parts is None:
        raise PermanentError(f"“{shorten(url)}” is not a web address", "address")
    host = parts.hostname or ""
    port = parts.port or (443 if parts.scheme == "https" else 80)
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError):
        raise TransientError(f"{host} is unknown, or its name can’t be looked up now") from None
    addresses = [str(f[4][0]) for f in found]
    if f"{host}:{port}" not in reachable and not all(map(is_public, addresses)):
        raise PermanentError(
            f"{host} is on a private network, which Kelvix doesn’t reach. The person who runs Kelvix can allow it",
            "address",
        )
    path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
    return Target(parts.scheme, host, port, addresses[0], path)


def _check_before(scheme: str, host: str, port: int, reachable: Collection[str]) -> None:
    """Look a name up. Raises PermanentError where it leads where Kelvix may not go."""
    named = f"[{host}]" if ":" in host else host
    resolve(f"{scheme}://{named}:{port}/", reachable)


def _checked(made: socket.socket, host: str, port: int, reachable: Collection[str]) -> socket.socket:
    """Return a socket that leads where Kelvix may go. Raises PermanentError where the name led elsewhere once it was looked
    up."""
    if f"{host}:{port}" not in reachable and not is_public(str(made.getpeername()[0])):
        made.close()
        raise PermanentError(f"{host} is on a private network, which Kelvix doesn’t reach", "address")
    return made


def guarded_pools(reachable: Collection[str], **more: Any) -> urllib3.PoolManager:
    """Make a pool of connections to servers that people named, whose calls keep their deadline: each name is looked up for each
    connection, and nothing is sent unless that leads where Kelvix may go. `reachable` as with `resolve`."""

    class HTTP(WatchedHTTP):
        def _new_conn(self) -> socket.socket:
            _check_before("http", self.host, self.port or 80, reachable)
            return _checked(super()._new_conn(), self.host, self.port or 80, reachable)

    class HTTPS(WatchedHTTPS):
        def _new_conn(self) -> socket.socket:
            _check_before("https", self.host, self.port or 443, reachable)
            return _checked(super()._new_conn(), self.host, self.port or 443, reachable)

    pools = urllib3.PoolManager(**more)
    pools.pool_classes_by_scheme = {
        "http": type("GuardedHTTPPool", (HTTPPool,), {"ConnectionCls": HTTP}),
        "https": type("GuardedHTTPSPool", (HTTPSPool,), {"ConnectionCls": HTTPS}),
    }
    return pools


def _pool(target: Target) -> HTTPPool | HTTPSPool:
    timeout = urllib3.Timeout(connect=CONNECT, read=READ)
    if target.scheme == "https":
        return HTTPSPool(
            target.address,
            target.port,
            timeout=timeout,
            retries=False,
            ssl_context=ssl.create_default_context(),
            server_hostname=target.host,
            assert_hostname=target.host,
        )
    return HTTPPool(target.address, target.port, timeout=timeout, retries=False)


def send(method: str, target: Target, headers: dict[str, str], body: bytes | None, most: int = MAX_ANSWER) -> Answer:
    """Send a request, once. `most`: bytes of the answer that are read. Raises TransientError where it did not go out,
    UnknownOutcomeError where that is not known."""
    named = f"[{target.host}]" if ":" in target.host else target.host
    usual = 443 if target.scheme == "https" else 80
    headers = headers | {"host": named if target.port == usual else f"{named}:{target.port}"}
    with _pool(target) as pool, DEADLINES.within(WHOLE) as call:
        try:
            answer = pool.urlopen(
                method, target.path, body=body, headers=headers, redirect=False, preload_content=False, assert_same_host=False
            )
            content = _read(answer, most)
        except (urllib3.exceptions.NewConnectionError, urllib3.exceptions.ConnectTimeoutError):
            raise TransientError(f"{target.host} can’t be reached") from None
        except urllib3.exceptions.SSLError:
            if call.is_over and not call.is_sent:
                raise TransientError(f"{target.host} can’t be reached: it responds too slowly") from None
            if call.is_sent:
                raise UnknownOutcomeError(f"the connection to {target.host} was interrupted") from None
            raise TransientError(f"{target.host} has an invalid certificate") from None
        except (urllib3.exceptions.HTTPError, OSError) as error:
            raise UnknownOutcomeError(f"{target.host} did not respond ({type(error).__name__})") from None
    wait = retry_after(answer.headers.get("retry-after"))
    moved_to = answer.headers.get("location", "") if 300 <= answer.status < 400 else ""
    charset = charset_of(answer.headers.get("content-type", ""))
    return Answer(answer.status, content, wait, moved_to, charset, _name(answer.headers.get("content-disposition", "")))


def _name(disposition: str) -> str:
    """Return the file name that a Content-Disposition says (RFC 6266), none where it says none."""
    told = Message()
    told["content-disposition"] = disposition
    return told.get_filename() or ""


def _read(answer: urllib3.BaseHTTPResponse, most: int) -> bytes:
    """Return what is answered, up to a size and a time: the rest of a long one is left."""
    read = bytearray()
    try:
        while len(read) < most:
            piece = answer.read(min(16 * 1024, most - len(read)), decode_content=True)
            if not piece:
                break
            read += piece
    except (urllib3.exceptions.HTTPError, OSError):
        pass  # its status is known, which is what counts
    return bytes(read)
