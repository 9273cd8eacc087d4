"""A write is one call, and none follows it: one that failed after the app had carried the write out would read as though it had
not been, and the write would be made anew."""

from __future__ import annotations

import pytest

from kelvix.core.collection import Write
from sides import Issues, Outside, Tables, Tasks
from support import Person


@pytest.mark.parametrize("kind", [Tasks, Issues, Tables])
def test_no_call_follows_the_one_that_writes(orla: Person, kind: type[Outside]):
    side = kind(orla, "Round")
    account = side.source.account
    calls: list[str | None] = []
    real = account.call

    def call(method, where, **more):
        calls.append(more.get("key"))
        return real(method, where, **more)

    account.call = call

    def write(one: Write):
        side.source.look_anew()  # what is read by is asked for anew: before
        before = len(calls)
        written = side.source.write(one)
        assert calls[before:].count(one.key) == 1 and calls[-1] == one.key
        return written.item

    item = write(Write("create", "one", values={side.title: "Cipher"}))
    item = write(Write("update", "two", item.id, {side.title: "Cipher on the Great"}, item.version))
    assert item.title == "Cipher on the Great"
    write(Write("delete", "three", item.id, version=item.version))
