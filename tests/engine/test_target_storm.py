"""What is carried into apps is there once, whatever strikes; a person is asked only where an answer was truly lost by an app that
knows no keys. The bench `targets` does the same with 1,000 events."""

from __future__ import annotations

import pytest

from proxy import behind_proxy, wild
from target_storm import TARGETS, IntoEach, limiting

pytestmark = pytest.mark.alone
EVENTS = 100


@pytest.mark.timeout(600)
def test_each_event_is_one_item_in_each_app(tmp_path, monkeypatch):
    monkeypatch.setenv("KELVIX_LEASE", "3")
    fate = limiting(wild(seed=20261130, often=0.1), seed=1, often=0.05)
    with behind_proxy(tmp_path / "k", fate) as (running, proxy):
        storm = IntoEach(running, proxy, seed=2)
        stock = storm.carry(EVENTS, patience=400)
        knows_keys = {app for app in TARGETS if running.engine.apps[app].capabilities.keys}
        assert stock.states == {app: {"done": EVENTS} for app in TARGETS} and stock.wrong() == {}, stock
        assert not set(stock.doubts) & knows_keys, "an app that knows keys is asked again, not a person"
        assert all(n <= stock.lost[app] for app, n in stock.doubts.items()), stock
        assert stock.kills and min(stock.fates[fate] for fate in ("cut", "lost", "held", "limited")), stock.fates
        rows = storm.carry_together(runs=4, rows=60, fate=fate, patience=200)
        assert rows == {f"row {run} {n:03}": 1 for run in range(4) for n in range(60)}
