"""Both sides of a mirror edited at once while everything goes wrong: no edit is lost, nothing is there twice, and both sides are the
same in the end but where a person is asked. The bench `mirror_storm` does the same with 2,000 items."""

from __future__ import annotations

import pytest

from mirror_storm import TwoWays
from proxy import behind_proxy, wild
from target_storm import limiting

pytestmark = pytest.mark.alone
ITEMS, EDITS = 60, 160


@pytest.mark.timeout(600)
def test_no_edit_is_lost_and_nothing_is_there_twice(tmp_path, monkeypatch):
    monkeypatch.setenv("KELVIX_LEASE", "3")
    fate = limiting(wild(seed=20261201, often=0.1), seed=1, often=0.05)
    with behind_proxy(tmp_path / "k", fate) as (running, proxy):
        book = TwoWays(running, proxy, seed=3, items=ITEMS).blow(EDITS, patience=200)
    assert book.kills and len(book.edits) > EDITS / 2
    for side in ("left", "right"):
        assert book.titles[side] == {f"item{n:05}": 1 for n in range(ITEMS)}, side
    assert book.lost() == [] and book.differ == 0 and book.unconfirmed == 0, book
    assert book.conflicts <= len(book.edits) / 2 and book.writes <= len(book.edits) + ITEMS
