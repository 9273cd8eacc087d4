"""What an app made of what was written to it."""

from __future__ import annotations

from datetime import UTC, date, datetime
from decimal import Decimal

import pytest

from kelvix.core.mirror.landing import landing
from kelvix.core.values import Amount

NOON = datetime(2026, 11, 30, 12, 0, 31, 250_000, tzinfo=UTC)


@pytest.mark.parametrize(
    ("wrote", "before", "holds", "found"),
    [
        ("Bellows", "Pipes", "Bellows", "same"),
        (" Bellows  of oak ", "Pipes", "Bellows of oak", "normalised"),
        ("BELLOWS", "Pipes", "bellows", "normalised"),
        ("Cafe\u0301", None, "Café", "normalised"),
        ("Bellows", "Pipes", "Pipes", "refused"),
        ("Bellows", "Pipes", None, "refused"),
        ("Bellows", "Pipes", "Organ", "edited"),
        (None, "Pipes", "Pipes", "refused"),
        (None, "Pipes", "(none)", "edited"),
        (("a", "b"), None, ("b", "a"), "normalised"),
        (("a", "b"), ("a",), ("a",), "refused"),
        (("a", "b"), None, ("a", "c"), "edited"),
        (Decimal("2.347"), None, Decimal("2.35"), "normalised"),
        (Decimal("2.347"), None, Decimal("2.9"), "edited"),
        (Decimal("2"), None, Decimal("3"), "edited"),
        (Amount(Decimal("2.347"), "EUR"), None, Amount(Decimal("2.35"), "EUR"), "normalised"),
        (Amount(Decimal("2"), "EUR"), None, Amount(Decimal("2"), "GBP"), "edited"),
        (NOON, None, NOON.replace(microsecond=0), "normalised"),
        (NOON, None, NOON.replace(second=0, microsecond=0), "normalised"),
        (NOON, None, NOON.replace(hour=13), "edited"),
        (date(2026, 12, 1), None, date(2026, 12, 2), "edited"),
        (True, False, False, "refused"),
    ],
)
def test_only_space_case_order_length_and_precision_are_the_app_s_own_way(wrote, before, holds, found):
    assert landing(wrote, before, holds) == found


def test_a_text_that_was_cut_stands_for_the_whole_only_at_a_known_length():
    long = "Re-leather the bellows of St Hewen’s"
    assert landing(long, None, long[:20], longest=20) == "normalised"
    assert landing(long, None, f"{long[:19]}…", longest=20) == "normalised"
    assert landing(long, None, long[:12], longest=20) == "edited" == landing(long, None, long[:20])
