"""The conformance suite itself: a collection that keeps to the port passes it, one that breaks it fails in that point alone."""

from __future__ import annotations

import pytest
from broken import BROKEN
from toy import Toy, ToyBench

from kelvix.commands import claims
from kelvix.connectors.apps import apps
from kelvix.connectors.conformance import POINTS, Broken


def failing(kind: type[Toy]) -> set[str]:
    found = set()
    for point in POINTS:
        try:
            point(ToyBench(kind))
        except Broken:
            found.add(point.__name__)
    return found


def test_what_keeps_to_the_port_passes_every_point():
    assert failing(Toy) == set()


def test_there_is_one_that_breaks_each_point():
    assert set(BROKEN) == set(POINTS)


def test_the_page_says_what_is_claimed():
    assert claims.PAGE.read_text() == claims.page(apps("").values())


@pytest.mark.parametrize("point", POINTS, ids=lambda p: p.__name__)
def test_what_breaks_one_point_fails_that_one_alone(point):
    assert failing(BROKEN[point]) == {point.__name__}
