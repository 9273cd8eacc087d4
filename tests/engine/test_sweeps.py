"""When both sides of a mirror are read in full, and what of them is looked at."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.engine.mirrors.sweeping import is_looked_at, seconds_to_next

LONDON = ZoneInfo("Europe/London")


@pytest.mark.parametrize(
    ("now", "hours"),
    [
        (datetime(2026, 11, 30, 23, 5, tzinfo=LONDON), 1),
        (datetime(2026, 11, 30, 0, 4, tzinfo=LONDON), 1 / 60),
        (datetime(2026, 11, 30, 0, 5, tzinfo=LONDON), 24),
        (datetime(2027, 3, 28, 0, 5, tzinfo=LONDON), 23),  # the clocks go forward; IANA's time zone database
        (datetime(2026, 10, 25, 0, 5, tzinfo=LONDON), 25),
        (datetime(2026, 10, 25, 1, 30, fold=1, tzinfo=LONDON), 22 + 35 / 60),
    ],
)
def test_both_sides_are_read_when_another_day_has_begun(now, hours):
    assert seconds_to_next(now, 20, True) == pytest.approx(hours * 3600)
    assert seconds_to_next(now, 20, False) == pytest.approx(min(hours, 1) * 3600)


def test_mirrors_begin_one_after_the_other():
    evening = datetime(2026, 11, 30, 20, 0, tzinfo=LONDON)
    begin = {seconds_to_next(evening, number, True) for number in range(1, 41)}
    assert len(begin) == 20 and max(begin) - min(begin) < 20 * 60


@pytest.mark.parametrize(
    ("state", "is_inside", "is_same", "found"),
    [
        (None, True, False, True),  # new
        (None, True, True, True),  # known to another mirror
        (None, False, False, False),
        ("in_step", True, True, False),
        ("in_step", True, False, True),
        ("in_step", False, True, True),  # the clock took it out
        ("outside", False, True, False),
        ("outside", True, True, True),  # the clock brought it back
        ("closed", True, True, False),
        ("closed", False, False, False),
    ],
)
def test_an_item_is_looked_at_that_is_other_than_it_is_known_to_be_or_came_in_or_out(state, is_inside, is_same, found):
    assert is_looked_at(state, is_inside, is_same) is found
