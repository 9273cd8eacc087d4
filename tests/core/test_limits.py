"""How many calls apps take: their header fields read, and when calls run out."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from kelvix.core.limits import PAUSES, Limit, bearable_pause, calls_of_run, polls_a_month, wait
from kelvix.core.lines.add import Add
from kelvix.core.lines.find import Find
from kelvix.core.lines.send_mail import SendMail
from kelvix.core.workflow import When, Workflow
from kelvix.formats.rate_limits import Policy, read, write

NOW = datetime(2026, 11, 30, 12, tzinfo=UTC)
DAY = timedelta(days=1)


def month(left: int, resets: datetime = NOW + 20 * DAY) -> Limit:
    return Limit("month", 3000, 30 * 86_400, left, resets)


# The first two values are those of the draft's own examples (draft-ietf-httpapi-ratelimit-headers, from memory).
@pytest.mark.parametrize(
    ("policies", "current", "found"),
    [
        ('"burst";q=100;w=60', '"burst";r=50;t=30', (Policy("burst", 100, 60, 50, 30),)),
        (
            '"burst";q=100;w=60,"daily";q=1000;w=86400',
            '"daily";r=0;t=4000, "burst";r=9;t=7',
            (Policy("burst", 100, 60, 9, 7), Policy("daily", 1000, 86_400, 0, 4000)),
        ),
        ('"one";q=5;w=1;pk=:c2VjcmV0:', '"one";r=1;t=1;pk=:c2VjcmV0:', (Policy("one", 5, 1, 1, 1),)),
        ('"burst";q=100;w=60', None, ()),
        ('"burst";q=100', '"burst";r=50;t=30', ()),
        ('"burst";q=0;w=60', '"burst";r=0;t=30', ()),
        ('"burst";q=-1;w=60', '"burst";r=50;t=30', ()),
        ('"burst";q=?1;w=60', '"burst";r=50;t=30', ()),
        ("100, 100;window=60", "50", ()),  # an earlier draft, of which the names differ
        ('"burst";q=100;w=60;;', '"burst";r=50;t=30', ()),
        ('"burst";q=100;w=60', '"burst";r=50;t=999999999999999', ()),  # the most that a Structured Field holds
        ("\x00é", '"', ()),
        (None, None, ()),
    ],
)
def test_header_fields_are_read(policies, current, found):
    assert read(policies, current) == found


def test_what_is_written_is_read_again():
    policies = (Policy("minute", 60, 60, 12, 43), Policy("a “month”".encode("ascii", "ignore").decode(), 9, 2_592_000, 0, 5))
    fields = write(policies)
    assert read(fields["RateLimit-Policy"], fields["RateLimit"]) == policies


def test_calls_that_last_until_more_are_given_do_not_run_out():
    assert month(2000).runs_out(90, NOW) is None
    assert month(2000).runs_out(0, NOW) is None


def test_calls_run_out_when_those_that_are_left_have_been_made():
    assert month(1000).runs_out(100, NOW) == NOW + 10 * DAY
    assert month(0).runs_out(0, NOW) == NOW


def test_a_rate_that_lasts_this_time_only_runs_out_in_the_next():
    """2,500 are left for 20 days, which suffices; 120 a day are too many for the 30 days after them."""
    assert month(2500).runs_out(120, NOW) == NOW + 20 * DAY + 25 * DAY


def test_once_it_was_reset_all_calls_are_left():
    old = month(0, NOW - 31 * DAY)
    assert (old.at(NOW).left, old.at(NOW).resets) == (3000, NOW + 29 * DAY)
    assert old.runs_out(90, NOW) is None


def test_nobody_waits_but_for_calls_that_are_used_up():
    minute = Limit("minute", 60, 60, 1, NOW + timedelta(seconds=40))
    assert wait((minute, month(5)), NOW) == 0
    used = Limit("minute", 60, 60, 0, NOW + timedelta(seconds=40))
    assert wait((used, month(5)), NOW) == 40
    assert wait((used,), NOW + timedelta(seconds=41)) == 0


def test_a_run_reads_its_item_and_each_line_reads_or_writes():
    when = When("a", app="mail", connection=1, container="3")
    lines = (when, Find("b", database=10**12), Add("c", database=10**12 + 1), Add("d", database=7), SendMail("e", connection=1))
    calls = calls_of_run(Workflow(lines), {10**12: 2, 10**12 + 1: 2})
    assert calls == {1: 2, 2: 3}


def test_polls_of_a_month():
    assert polls_a_month(3600) == 731  # 24 × 30.44 hours


@pytest.mark.parametrize(
    ("allowed", "pause"),
    [({}, 20), ({"minute": (60, 60)}, 20), ({"month": (100_000, 30 * 86_400)}, 60), ({"month": (1_000, 30 * 86_400)}, 86_400)],
)
def test_a_source_is_checked_as_often_as_leaves_half_of_the_calls_for_runs(allowed, pause):
    limits = tuple(Limit(name, most, window, most, NOW) for name, (most, window) in allowed.items())
    assert bearable_pause(limits) == pause and pause in PAUSES
    assert all(2 * one.window / pause <= one.most or pause == PAUSES[-1] for one in limits if one.is_long)
