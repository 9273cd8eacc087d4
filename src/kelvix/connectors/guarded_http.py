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

import urllib3

from kelvix.connectors.deadline import DEADLINES, HTTPPool, HTTPSPool
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
    content, where the receiver says it."""

    status: int
    content: bytes
    wait: float | None
    moved_to: str
    charset: str = ""

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
        raise PermanentError(f"“{shorten(url)}” is no address of the web", "address")
    host = parts.hostname or ""
    port = parts.port or (443 if parts.scheme == "https" else 80)
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError):
        raise TransientError(f"there is no such host as {host}, or its name cannot be looked up now") from None
    addresses = [str(f[4][0]) for f in found]
    if f"{host}:{port}" not in reachable and not all(map(is_public, addresses)):
        raise PermanentError(
            f"{host} is an address of a private network, where Kelvix sends nothing; "
            "whoever runs this installation can let it through",
            "address",
        )
    path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
    return Target(parts.scheme, host, port, addresses[0], path)


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
            raise TransientError(f"{target.host} cannot be reached") from None
        except urllib3.exceptions.SSLError:
            if call.is_over and not call.is_sent:
                raise TransientError(f"{target.host} cannot be reached: it answers too slowly") from None
            if call.is_sent:
                raise UnknownOutcomeError(f"the connection to {target.host} broke off") from None
            raise TransientError(f"{target.host} has an invalid certificate") from None
        except (urllib3.exceptions.HTTPError, OSError) as error:
            raise UnknownOutcomeError(f"{target.host} did not answer ({type(error).__name__})") from None
    wait = retry_after(answer.headers.get("retry-after"))
    moved_to = answer.headers.get("location", "") if 300 <= answer.status < 400 else ""
    return Answer(answer.status, content, wait, moved_to, charset_of(answer.headers.get("content-type", "")))


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
