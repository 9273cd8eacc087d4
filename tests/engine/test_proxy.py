"""Whatever the network does between Kelvix and others, what runs write is there once, and a person is asked only where an answer was
truly lost by somebody who knows no keys. The bench `network` does the same with 5,000 messages."""

from __future__ import annotations

import pytest

from proxy import FATES, behind_proxy, wild
from proxy_storm import Through

pytestmark = pytest.mark.alone
MESSAGES = 300


@pytest.mark.timeout(600)
def test_nothing_is_lost_or_doubled_through_a_network_that_cuts_loses_and_swaps(tmp_path):
    with behind_proxy(tmp_path / "k", wild(seed=20261129, often=0.15)) as (running, proxy):
        stock = Through(running, proxy).carry(MESSAGES, patience=300)
        met = {fate: sum(n for (_, which), n in proxy.met.items() if which == fate) for fate in FATES}
        assert stock.states == {"done": MESSAGES} and stock.wrong() == {}, (stock.states, stock.wrong(), met)
        assert set(stock.doubts) == {"told"}, "who knows keys is not asked about"
        assert 0 < stock.doubts["told"] <= stock.lost
        assert min(met.values()) > 20, met
