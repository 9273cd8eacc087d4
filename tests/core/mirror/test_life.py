"""What becomes of a pair whose items are deleted, leave the filter, are not found, or come back."""

from __future__ import annotations

from dataclasses import replace
from itertools import product

import pytest

from kelvix.core.mirror.document import FieldPair, Mirror, MirrorSide
from kelvix.core.mirror.life import Fate, Stands, fate

FIELD = FieldPair("p", "l", "r", "text")
MIRROR = Mirror(MirrorSide(1), MirrorSide(2), (FIELD,))
ONE_WAY = replace(MIRROR, fields=(replace(FIELD, direction="to_right"),), deletes="follow", leaving="delete")
HERE, GONE, OUT, MISSING = Stands("here"), Stands("deleted"), Stands("outside"), Stands("missing")


@pytest.mark.parametrize(
    ("deletes", "touched", "found"),
    [
        ("ask", False, Fate("ask", "right", "deleted")),
        ("keep", False, Fate("close")),
        ("follow", False, Fate("delete", "right")),
        ("archive", False, Fate("archive", "right")),
        ("follow", True, Fate("ask", "right", "deleted_but_edited")),
        ("archive", True, Fate("ask", "right", "deleted_but_edited")),
        ("keep", True, Fate("close")),
    ],
)
def test_a_deletion_crosses_as_chosen_and_never_over_an_edit(deletes, touched, found):
    there = replace(HERE, touched=touched)
    assert fate(replace(MIRROR, deletes=deletes), "open", GONE, there) == found
    turned = fate(replace(MIRROR, deletes=deletes), "open", there, GONE)
    assert turned == replace(found, side="left" if found.side else None)


def test_a_deletion_does_not_cross_against_the_direction_of_all_fields():
    assert fate(ONE_WAY, "open", GONE, HERE) == Fate("delete", "right")
    assert fate(ONE_WAY, "open", HERE, GONE) == Fate("close"), "the source stays, and is not made again"


def test_what_is_not_found_is_waited_for():
    for other in (HERE, GONE, OUT, MISSING):
        assert fate(replace(MIRROR, deletes="follow", leaving="delete"), "open", MISSING, other) == Fate("wait")


def test_what_is_deleted_on_both_sides_is_closed_and_what_is_outside_on_both_is_outside():
    assert fate(MIRROR, "open", GONE, GONE) == Fate("close")
    assert fate(MIRROR, "open", OUT, OUT) == Fate("outside")
    assert fate(replace(MIRROR, deletes="follow"), "open", GONE, OUT) == Fate("delete", "right")


@pytest.mark.parametrize(
    ("leaving", "gone", "touched", "found"),
    [
        ("stop", OUT, False, Fate("outside")),
        ("archive", OUT, False, Fate("archive", "right")),
        ("delete", OUT, False, Fate("delete", "right")),
        ("delete", OUT, True, Fate("ask", "right", "left_but_edited")),
        ("delete", replace(OUT, was_inside=False), False, Fate("outside")),
        ("delete", replace(OUT, by="clock"), False, Fate("outside")),
        ("archive", replace(OUT, by="mirror"), False, Fate("outside")),
    ],
)
def test_leaving_the_filter_only_stops_unless_a_person_took_it_out(leaving, gone, touched, found):
    assert fate(replace(MIRROR, leaving=leaving), "open", gone, replace(HERE, touched=touched)) == found


def test_leaving_does_not_cross_against_the_direction_of_all_fields():
    assert fate(ONE_WAY, "open", OUT, HERE) == Fate("delete", "right")
    assert fate(ONE_WAY, "open", HERE, OUT) == Fate("outside")


def test_what_comes_back_is_brought_back_first_and_then_merged():
    assert fate(MIRROR, "outside", HERE, HERE) == Fate("merge") == fate(MIRROR, "open", HERE, HERE)
    assert fate(MIRROR, "archived", HERE, HERE) == Fate("restore")
    assert fate(replace(MIRROR, leaving="archive"), "archived", OUT, HERE) == Fate("outside"), "it is put away already"


def test_nothing_that_was_edited_is_ever_deleted_unseen():
    stands = [
        Stands(presence, touched, inside, by)
        for presence in ("here", "outside", "missing", "deleted")
        for touched in (False, True)
        for inside in (False, True)
        for by in ("person", "clock", "mirror")
    ]
    for deletes, leaving in product(("follow", "keep", "archive", "ask"), ("stop", "archive", "delete")):
        mirror = replace(MIRROR, deletes=deletes, leaving=leaving)
        for linked, left, right in product(("open", "outside", "archived"), stands, stands):
            found = fate(mirror, linked, left, right)
            if found.does == "delete":
                assert not (left if found.side == "left" else right).touched
                assert "missing" not in (left.presence, right.presence)
            if found.side:
                assert (left if found.side == "left" else right).presence in ("here", "outside")
            assert (found.asks is not None) is (found.does == "ask")
