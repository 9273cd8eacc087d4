"""What several ask for at once is read once."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest

from kelvix.remembering import Remembered


def test_the_first_reads_and_the_others_wait():
    known: Remembered[str] = Remembered()
    begun, go = threading.Event(), threading.Event()
    reads = []

    def read():
        reads.append(1)
        begun.set()
        assert go.wait(10)
        return "read"

    with ThreadPoolExecutor(4) as pool:
        asked = [pool.submit(known.get, "key", read) for _ in range(4)]
        assert begun.wait(10)
        go.set()
        assert [a.result(10) for a in asked] == ["read"] * 4
    assert len(reads) == 1 and known.get("other", lambda: "another") == "another"


def test_where_the_first_fails_the_others_read_for_themselves():
    known: Remembered[str] = Remembered()
    begun, go = threading.Event(), threading.Event()

    def fail():
        begun.set()
        assert go.wait(10)
        raise ValueError("not now")

    with ThreadPoolExecutor(2) as pool:
        first = pool.submit(known.get, "key", fail)
        assert begun.wait(10)
        second = pool.submit(known.get, "key", lambda: "read")
        go.set()
        assert second.result(10) == "read"
        with pytest.raises(ValueError, match="not now"):
            first.result(10)
    assert known.get("key", lambda: "read again") in ("read", "read again")


def test_it_is_read_again_after_its_time_and_only_so_many_are_kept():
    assert [Remembered(seconds=0.0).get("a", lambda n=n: n) for n in ("x", "y")] == ["x", "y"]
    known: Remembered[str] = Remembered(most=2)
    for key in "abc":
        known.get(key, lambda key=key: f"{key} 1")
    assert [known.get(key, lambda key=key: f"{key} 2") for key in "cba"] == ["c 1", "b 1", "a 2"]
