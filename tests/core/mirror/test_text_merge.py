"""Two edits of one text. The outside is `git merge-file` (git 2.39), and the definition of a three-way merge."""

from __future__ import annotations

import random
import subprocess

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core.mirror.text_merge import Overlap, hunks, join

LINES = st.lists(st.sampled_from("abcd"), max_size=7)
CASES = 600


def edited(lines, letters, dice):
    lines = list(lines)
    for _ in range(dice.randint(1, 3)):
        what, at = dice.random(), dice.randint(0, len(lines))
        if what < 0.35:
            lines[at:at] = dice.choices(letters, k=dice.randint(1, 2))
        elif what < 0.65:
            del lines[at : at + dice.randint(1, 2)]
        elif at < len(lines):
            lines[at] = dice.choice(letters)
    return lines


def test_nothing_is_joined_silently_where_git_sees_a_conflict(tmp_path):
    """And where both join, both make the same text. Seeded; lines of three letters are alike so often that a comparison may be
    made in several ways."""
    dice = random.Random(20261130)
    both = {(False, False): 0, (False, True): 0, (True, False): 0, (True, True): 0}
    for n in range(CASES):
        letters = "abc" if n % 3 == 0 else "abcdefghijklmnopqrstuvwxyz"
        base = dice.choices(letters, k=dice.randint(0, 9))
        texts = [
            "".join(f"{line}\n" for line in lines) for lines in (base, edited(base, letters, dice), edited(base, letters, dice))
        ]
        files = [tmp_path / name for name in ("base", "left", "right")]
        for file, text in zip(files, texts, strict=True):
            file.write_text(text)
        told = subprocess.run(["git", "merge-file", "-p", "-q", files[1], files[0], files[2]], capture_output=True, text=True)
        found = join(*texts)
        both[told.returncode != 0, bool(found.overlaps)] += 1
        assert found.overlaps or told.returncode == 0, texts
        if not found.overlaps:
            assert found.text() == told.stdout, texts
    assert both[True, False] == 0 and both[True, True] > 200 and both[False, False] > 150
    assert both[False, True] < CASES / 10, "seldom asked where git would not"


@given(LINES, LINES, LINES)
def test_joining_is_the_same_from_either_side_and_keeps_what_one_side_did(base, left, right):
    was, ours, theirs = ("\n".join(lines) for lines in (base, left, right))
    found, turned = join(was, ours, theirs), join(was, theirs, ours)
    assert len(found.overlaps) == len(turned.overlaps)
    assert found.text("left") == turned.text("right")
    assert join(was, ours, was).text() == ours and join(was, was, theirs).text() == theirs
    assert join(was, ours, ours).text() == ours and not join(was, ours, ours).overlaps
    if not found.overlaps:
        assert not join(was, found.text(), theirs).overlaps, "what was joined has taken the other side up"


@given(LINES, LINES)
def test_changes_carried_out_make_one_text_of_the_other(base, side):
    made, at = [], 0
    for hunk in hunks(base, side):
        assert hunk.start >= at
        made += (*base[at : hunk.start], *side[hunk.first : hunk.last])
        at = hunk.end
    assert [*made, *base[at:]] == side


def test_edits_of_different_lines_are_joined():
    base = "Bellows\n\nOld leather\n\nReservoir\n\nSound"
    left = base.replace("Old leather", "New leather")
    right = base.replace("Sound", "Sound, but dusty")
    assert join(base, left, right).text() == "Bellows\n\nNew leather\n\nReservoir\n\nSound, but dusty"


def test_an_overlap_alone_is_decided_and_the_rest_is_joined():
    base, left, right = "a\nb\nc\nd\ne", "A\nb\nc\nleft\ne", "a\nb\nc\nright\ne"
    found = join(base, left, right)
    assert found.overlaps == (Overlap(("d",), ("left",), ("right",)),)
    assert found.text("left") == "A\nb\nc\nleft\ne" and found.text("right") == "A\nb\nc\nright\ne"


def test_two_insertions_at_one_place_can_both_stand():
    found = join("a\nz", "a\none\nz", "a\ntwo\nz")
    [overlap] = found.overlaps
    assert overlap.are_insertions and found.text("both") == "a\none\ntwo\nz"


@pytest.mark.parametrize(("left", "right"), [("", "b\na"), ("a\nb\nc", "")])
def test_a_text_that_one_side_emptied_and_the_other_edited_is_an_overlap(left, right):
    assert join("a\nb", left, right).overlaps


def test_texts_that_share_nothing_are_compared_in_no_time_that_matters():
    """Beyond a bound they count as written anew, which is an overlap of everything."""
    base, left, right = ("\n".join(f"{word} {n}" for n in range(5_000)) for word in ("was", "ours", "theirs"))
    assert len(join(base, left, right).overlaps) == 1
    assert join(base, left, base).text() == left
