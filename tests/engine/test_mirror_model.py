"""Mirrors against a model of what people did, in which anything may go wrong at every step: crashes around each commit and each
call, lost answers, refusals, edits between our reading and our writing, pushes that are lost, doubled or late. The bench
`mirror_model` does 200,000 steps of the same."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import mirror_world
from kelvix.core.collection import Write
from kelvix.core.mirror.life import fate
from kelvix.core.mirror.merge import Agreed, Outcome, Wrote, merge
from kelvix.engine.mirrors.keeping import Step
from mirror_world import KINDS, live

STEPS = 60
SEEDS = 4  # of each kind: 5,000 steps and more in all


@pytest.mark.parametrize("kind", KINDS)
def test_no_edit_is_lost_nothing_is_made_twice_and_all_comes_to_rest(kind):
    for seed in range(SEEDS):
        live(random.Random(seed), kind, STEPS)


@settings(max_examples=25, deadline=None)
@given(st.randoms(use_true_random=False), st.sampled_from(sorted(KINDS)))
def test_histories_that_are_looked_for(dice, kind):
    live(dice, kind, 40)


def left_wins(field, merging, agreed, left, right, first="merge"):
    found = merge(field, merging, agreed, left, right, first)
    return found if found.conflict is None else Outcome("behind", right=Wrote(left.value), root=left.root)


def forget(self, intent):
    self.keeping.commit(Step(closed=[intent.key]))


def agree_on_what_was_written(outcome, left, right, side, other_landed):
    return Agreed(outcome.to(side).value)


def without_version(kind, key, id, values, version, at, opens=None, editor=""):
    return Write(kind, key, id, values, mirror_world.ANY, at, opens, editor)


def as_by_a_person(mirror, linked, left, right):
    return fate(mirror, linked, *(replace(one, by="person", touched=False) for one in (left, right)))


# Which kind of world notices; what is broken; by what; and from which seed on it is looked for, where that takes long.
BROKEN = {
    "one side wins unseen": ("plain", "kelvix.core.mirror.reconciling.merge", left_wins),
    "an unanswered write is forgotten": ("plain", "kelvix.engine.mirrors.crossing.Crossing._resolve", forget, 20),
    "what was written is agreed on": ("ring", "kelvix.engine.mirrors.crossing.landed", agree_on_what_was_written, 70),
    "versions are not named": ("plain", "kelvix.engine.mirrors.crossing.Write", without_version),
    "pairs that ended are forgotten": ("deletions stay", "mirror_world.Memory.kin", lambda self, side, item: []),
    "what a filter keeps out crosses first": (
        "filtered by its own",
        "kelvix.engine.mirrors.crossing.Crossing._crosses_first",
        lambda self, *of: True,
    ),
    "nobody asks what took an item out": ("filtered by the clock", "kelvix.engine.mirrors.crossing.fate", as_by_a_person),
    "nobody asks who edited what is deleted": ("plain", "kelvix.engine.mirrors.crossing.fate", as_by_a_person),
    "nobody waits for what was moved": (
        "moving",
        "kelvix.engine.mirrors.crossing.Crossing._wait_for_what_moved",
        lambda self, pair, items: None,
    ),
    "what was put away is not brought back": (
        "put away for leaving",
        "kelvix.engine.mirrors.archiving.Archiving.is_to_come_back",
        lambda self, *of: False,
    ),
    "comments are not known again": ("commented", "mirror_world.Memory.comment_roots", lambda self, *of: {}),
    "an unanswered comment is forgotten": (
        "commented without keys",
        "kelvix.engine.mirrors.commenting.Commenting.resolve",
        forget,
    ),
    "nobody looks for what is connected": ("ring", "mirror_world.Memory.kin", lambda self, side, item: []),
}


@pytest.mark.parametrize("what", BROKEN)
def test_the_model_notices_when_a_rule_is_broken(what, monkeypatch):
    kind, name, broken, *first = BROKEN[what]
    if broken is without_version:
        monkeypatch.setattr(mirror_world, "ANY", "any")
    monkeypatch.setattr(name, broken)
    with pytest.raises(AssertionError):
        for seed in range(first[0] if first else 0, 400):
            live(random.Random(seed), kind, STEPS)
