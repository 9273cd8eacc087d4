"""Nothing lost, nothing twice, whatever strikes. The bench `storm` does the same with 5,000 messages."""

from __future__ import annotations

import pytest

from storming import Storm, stormy_kelvix

pytestmark = pytest.mark.alone


@pytest.mark.timeout(600)
def test_each_message_has_exactly_one_effect_of_each_kind(tmp_path):
    with stormy_kelvix(tmp_path / "k", workers=2) as running:
        storm = Storm(running, seed=20261125)
        ledger = storm.blow(messages=300, pause=1.0, calm=300)  # what failed eight times rests for up to three minutes
        assert ledger.wrong() == {}, (ledger.states, ledger.struck)
        assert ledger.states == {"done": ledger.messages} and ledger.messages >= 300
        strikes = ("kill_a_worker", "freeze_a_worker", "restart_the_database", "turn_a_switch", "kill_the_web_application",
                   "kill_the_practice_apps", "freeze_the_database", "fill_the_disk", "set_the_clocks")  # fmt: skip
        assert all(ledger.struck[s] for s in strikes)
