"""What becomes of a field that either side, or both, changed since they were the same."""

from __future__ import annotations

from datetime import UTC, datetime
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core.mirror.document import FieldPair
from kelvix.core.mirror.merge import Agreed, Outcome, Sight, Unmatched, Unread, Wrote, landed, merge, settled
from kelvix.core.mirror.rich_text import RichText
from kelvix.core.mirror.roots import Root, edited, joined

PAIR = FieldPair("p", "l", "r", "text")
AT_NINE, AT_TEN = datetime(2026, 11, 30, 9, tzinfo=UTC), datetime(2026, 11, 30, 10, tzinfo=UTC)
SETS = st.frozensets(st.integers(0, 5), max_size=6).map(lambda s: s or None)


def done(left, right, agreed="a", merging="whole", first="merge", **how):
    def sight(given):
        return given if isinstance(given, Sight) else Sight(given)

    pair = FieldPair("p", "l", "r", "text", **how)
    return merge(pair, merging, None if agreed is ... else Agreed(agreed), sight(left), sight(right), first)


def written(outcome: Outcome):
    return tuple(w.value if w else ... for w in (outcome.left, outcome.right))


@pytest.mark.parametrize(
    ("left", "right", "state", "writes"),
    [
        ("a", "a", "in_step", (..., ...)),
        ("b", "a", "behind", (..., "b")),
        ("a", "b", "behind", ("b", ...)),
        ("b", "b", "in_step", (..., ...)),
        ("b", "c", "conflict", (..., ...)),
        (None, "a", "behind", (..., None)),
        ("a", None, "behind", (None, ...)),
        (None, "b", "conflict", (..., ...)),
    ],
)
def test_each_side_is_compared_with_what_was_agreed(left, right, state, writes):
    found = done(left, right)
    assert (found.state, written(found)) == (state, writes)
    assert (found.conflict is not None) is (state == "conflict")


@pytest.mark.parametrize(
    ("policy", "writes", "lost"),
    [("left", (..., "b"), (("right", "c"),)), ("right", ("c", ...), (("left", "b"),)), ("ask", (..., ...), ())],
)
def test_a_policy_decides_where_both_changed_and_what_it_passes_over_is_recorded(policy, writes, lost):
    found = done("b", "c", policy=policy)
    assert written(found) == writes and found.lost == lost


def test_the_newest_is_looked_for_among_edits_of_people():
    def newest(left, right):
        return written(done(left, right, policy="newest"))

    assert newest(Sight("b", at=AT_NINE), Sight("c", at=AT_TEN)) == ("c", ...)
    assert newest(Sight("b", at=AT_TEN), Sight("c", at=AT_NINE)) == (..., "b")
    assert newest(Sight("b", at=AT_NINE), Sight("c", at=AT_TEN, by_person=False)) == (..., "b")
    assert done(Sight("b", at=AT_NINE), Sight("c", at=AT_NINE), policy="newest").state == "conflict", "nobody can say"
    assert done(Sight("b"), Sight("c", at=AT_NINE), policy="newest").state == "conflict"


@given(SETS, SETS, SETS)
def test_sets_are_joined_by_what_each_side_added_and_removed(was, left, right):
    """Against the definition, member by member: what one side did to it stands."""
    found = done(left, right, agreed=was, merging="set")
    result = found.left.value if found.left else left
    assert (found.right.value if found.right else right) == result
    for member in range(6):
        before, ours, theirs = (member in (s or frozenset()) for s in (was, left, right))
        assert (member in (result or frozenset())) is (theirs if ours == before else ours)


def test_long_texts_are_joined_line_by_line_and_the_policy_decides_what_overlaps():
    was, left, right = RichText("a\n\nb\n\nc"), RichText("A\n\nb\n\nc"), RichText("a\n\nb\n\nC")
    assert written(done(left, right, agreed=was, merging="lines")) == (RichText("A\n\nb\n\nC"),) * 2
    other = RichText("Z\n\nb\n\nC")
    found = done(left, other, agreed=was, merging="lines")
    assert found.state == "conflict" and found.conflict.texts.overlaps and not found.writes
    assert written(done(left, other, agreed=was, merging="lines", policy="right")) == (RichText("Z\n\nb\n\nC"), ...)


@pytest.mark.parametrize(
    ("left", "right", "first", "writes", "state"),
    [
        (None, "b", "merge", ("b", ...), "behind"),
        ("b", None, "merge", (..., "b"), "behind"),
        ("b", None, "right", (..., "b"), "behind"),
        ("b", "c", "merge", (..., ...), "conflict"),
        ("b", "c", "left", (..., "b"), "behind"),
        ("b", "c", "right", ("c", ...), "behind"),
    ],
)
def test_what_was_never_agreed_on_is_filled_or_asked_or_taken_from_one_side_once(left, right, first, writes, state):
    found = done(left, right, agreed=..., first=first)
    assert (written(found), found.state) == (writes, state)


def test_sets_that_were_never_agreed_on_are_united():
    found = done(frozenset("ab"), frozenset("bc"), agreed=..., merging="set")
    assert written(found) == (frozenset("abc"),) * 2


def test_emptying_is_no_edit_where_that_is_chosen():
    assert done(None, "a", empty="leave").state == "in_step"
    assert written(done(None, "b", empty="leave")) == ("b", ...)
    assert written(done("a", None, empty="leave")) == (..., ...)


def test_against_its_direction_an_edit_is_drift_or_taken_back():
    assert done("a", "b", direction="to_right").state == "drift"
    restored = done("a", "b", direction="to_right", drift="restore")
    assert written(restored) == (..., "a") and restored.lost == (("right", "b"),)
    source_edited = done("c", "b", direction="to_right")
    assert written(source_edited) == (..., "c") and source_edited.lost == (("right", "b"),)
    assert done(None, "b", agreed=..., direction="to_right") == Outcome("drift", agreed=Agreed(None))


def test_what_cannot_be_read_is_left_alone_and_what_has_no_counterpart_does_not_cross():
    assert done(Unread("a list"), "b") == Outcome("unreadable") == done("b", Unread("not told"))
    lost = Unmatched("4", "Dropped")
    assert done(lost, "a") == Outcome("no_counterpart")
    assert written(done("a", lost, agreed="a")) == (..., ...)
    assert done("b", lost).state == "conflict", "nobody's edit is overwritten unseen"


def test_agreed_is_what_the_other_side_held_or_what_was_just_written_to_it():
    was, left, right = Agreed(frozenset("a")), Sight(frozenset("ab")), Sight(frozenset("ac"))
    found = merge(PAIR, "set", was, left, right)
    assert written(found) == (frozenset("abc"),) * 2
    half = landed(found, left, right, "right", other_landed=False)
    assert half == Agreed(frozenset("ab"))
    again = merge(PAIR, "set", half, left, Sight(frozenset("abc")))
    assert written(again) == (frozenset("abc"), ...), "the other write follows, whatever stopped it"
    assert landed(found, left, right, "right", other_landed=True) == Agreed(frozenset("abc"))


def test_settling_is_an_edit_after_both_and_needs_no_write_where_it_stands():
    left, right = Sight("b", Root("one")), Sight("c", Root("two"))
    conflict = merge(PAIR, "whole", Agreed("a"), left, right).conflict
    assert conflict is not None
    taken = settled(PAIR, conflict, "right", left, right)
    assert written(taken) == ("c", ...) and taken.root is not None
    assert taken.root.came_after(Root("one")) and taken.root.came_after(Root("two"))
    assert written(settled(PAIR, conflict, Wrote("d"), left, right)) == ("d", "d")


def test_the_same_two_edits_are_one_question_wherever_they_meet():
    ours, theirs = Sight("b", Root("one")), Sight("c", Root("two"))
    there, turned = (merge(PAIR, "whole", Agreed("a"), *both).conflict for both in ((ours, theirs), (theirs, ours)))
    assert there is not None and turned is not None and there.key == turned.key


def test_an_edit_that_came_after_the_other_stands_whatever_was_agreed():
    first = Root("one")
    later = edited("two", first)
    assert written(merge(PAIR, "whole", Agreed("w"), Sight("v", later), Sight("w", first))) == (..., "v")
    assert written(merge(PAIR, "whole", Agreed("v"), Sight("w", first), Sight("v", later))) == ("v", ...)


@given(st.lists(st.sampled_from(["left", "right", "join"]), max_size=12))
def test_roots_know_what_they_came_after(moves):
    start = Root("start")
    left = right = start
    for n, move in enumerate(moves):
        if move == "left":
            left = edited(f"l{n}", left)
        elif move == "right":
            right = edited(f"r{n}", right)
        else:
            made, turned = joined(left, right), joined(right, left)
            assert made == turned is not None
            assert all(one in (made,) or made.came_after(one) for one in (left, right))
            left = right = made
    assert left == start or left.came_after(start)


def test_what_is_done_depends_on_nothing_but_what_is_seen():
    values = (None, "a", "b", "c")
    for left, right, agreed in product(values, values, (..., *values)):
        found, turned = done(left, right, agreed), done(right, left, agreed)
        assert written(found) == written(turned)[::-1] and found.state == turned.state
