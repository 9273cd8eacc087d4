"""Which addresses are public. Source: IANA's special-purpose address registries (RFC 6890 and its updates), a row for each
block that is not globally reachable, from memory; RFC 3879, 7526 and 9637 for what was taken back or added since; RFC 6052 for NAT64 and RFC 4291 for IPv4 in IPv6."""

from __future__ import annotations

import pytest

from kelvix.connectors import guarded_http
from kelvix.core.collection import PermanentError, TransientError

NOT_PUBLIC = [
    "0.0.0.0", "10.1.2.3", "100.64.0.1", "127.0.0.1", "127.255.255.254", "169.254.169.254", "172.16.0.1", "172.31.255.255",
    "192.0.2.1", "192.168.1.1", "198.18.0.1", "198.51.100.1", "203.0.113.9", "224.0.0.1", "240.0.0.1", "255.255.255.255",
    "::", "::1", "::ffff:127.0.0.1", "::ffff:10.0.0.1", "64:ff9b::127.0.0.1", "64:ff9b::10.0.0.1", "100::1", "2001:db8::1",
    "fc00::1", "fd12:3456::1", "fe80::1", "fe80::1%eth0", "ff02::1", "fec0::1", "feff::1", "3fff::1", "192.88.99.1", "::ffff:192.88.99.1", "2002:7f00:1::", "2002:0a00:0001::1",
]  # fmt: skip
PUBLIC = ["8.8.4.4", "1.2.3.4", "172.32.0.1", "192.167.1.1", "2606:4700::1111", "::ffff:8.8.4.4", "64:ff9b::8.8.4.4"]


@pytest.mark.parametrize("address", NOT_PUBLIC)
def test_not_public(address):
    assert not guarded_http.is_public(address)


@pytest.mark.parametrize("address", PUBLIC)
def test_public(address):
    assert guarded_http.is_public(address)


@pytest.mark.parametrize(
    "url",
    [
        "http://127.0.0.1:80/",
        "http://localhost/",
        "http://[::1]:8080/",
        "http://2130706433/",
        "http://0x7f.1/",
        "http://127.1/",
    ],
)
def test_a_private_host_is_refused_however_it_is_written(url):
    """The ways to write 127.0.0.1 are those of inet_aton, which name look-ups take (common practice of attackers)."""
    with pytest.raises((PermanentError, TransientError)) as refused:
        guarded_http.resolve(url)
    assert "private network" in str(refused.value) or "is unknown, or its name" in str(refused.value)


@pytest.mark.parametrize("url", ["http://[::1/", "http://a.example:99999/"])
def test_what_is_no_address_is_said(url):
    with pytest.raises(PermanentError, match="is not a web address"):
        guarded_http.resolve(url)


def test_a_name_of_which_one_address_is_private_is_refused(monkeypatch):
    def both(*_, **__):
        return [(2, 1, 6, "", ("8.8.4.4", 80)), (2, 1, 6, "", ("10.0.0.8", 80))]

    monkeypatch.setattr(guarded_http.socket, "getaddrinfo", both)
    with pytest.raises(PermanentError, match="private network"):
        guarded_http.resolve("http://two-faced.example/")
    assert guarded_http.resolve("http://two-faced.example/", {"two-faced.example:80"}).address == "8.8.4.4"


def test_what_is_connected_to_is_what_was_looked_at(monkeypatch):
    """A name that changes between the look and the call leads nowhere else: the call goes to the address itself."""
    answers = iter([[(2, 1, 6, "", ("8.8.4.4", 80))], [(2, 1, 6, "", ("127.0.0.1", 80))]])
    monkeypatch.setattr(guarded_http.socket, "getaddrinfo", lambda *_, **__: next(answers))
    target = guarded_http.resolve("http://changing.example/a?b=c")
    assert (target.address, target.host, target.path) == ("8.8.4.4", "changing.example", "/a?b=c")
    pool = guarded_http._pool(target)
    assert pool.host == "8.8.4.4"
