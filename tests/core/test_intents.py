"""Intents against every way in which a write outside can go wrong: nothing is lost, nothing is done twice, what is recorded is what
the other side holds, and a person is asked only where the answer was truly lost and the other side knows no keys."""

from __future__ import annotations

import itertools
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from kelvix.core.intents import Intent, again, next_of, not_carried_out

PLANS = st.sampled_from([{"text": "reeds"}, {"text": "leather"}, {"text": "bellows"}])


def test_only_what_certainly_did_not_go_out_gives_way_to_another_plan():
    first = next_of(None, {"n": 1}, lambda: True, lambda: "a")
    assert first == Intent("a", {"n": 1}, "open", 1)
    assert next_of(replace(first, state="unsent"), {"n": 1}, lambda: False, lambda: "b") == Intent("a", {"n": 1}, "open", 2)
    assert next_of(replace(first, state="unsent"), {"n": 2}, lambda: False, lambda: "b") == Intent("b", {"n": 2}, "open", 1)
    repeated = next_of(first, {"n": 2}, lambda: True, lambda: "b")
    assert repeated == Intent("a", {"n": 1}, "open", 2, repeated=True)
    assert not_carried_out(first).state == "unsent" and not_carried_out(repeated).state == "open"
    assert next_of(first, {"n": 2}, lambda: False, lambda: "b") == replace(first, state="doubt")


@given(PLANS, st.sampled_from(["done", "doubt"]), st.booleans())
def test_what_is_done_or_in_doubt_stays_so(plan, state, repeats):
    kept = Intent("a", {"text": "old"}, state, 3, "made")
    assert next_of(kept, plan, lambda: repeats, lambda: "b") == kept


class Life(RuleBasedStateMachine):
    """A run that is carried again and again, and the other side. `held`: what that has taken, by key; where it knows no keys, each
    call is taken anew."""

    knows_keys = True

    def __init__(self) -> None:
        super().__init__()
        self.kept: Intent | None = None
        self.held: list[tuple[str, dict]] = []
        self.keys = (f"key {n}" for n in itertools.count())
        self.answer_lost = False  # of the call that went out last

    def _take(self, intent: Intent) -> None:
        if not (self.knows_keys and any(key == intent.key for key, _ in self.held)):
            self.held.append((intent.key, dict(intent.payload)))

    @rule(
        plan=PLANS,
        goes=st.sampled_from(["answered", "refused", "never sent", "answer lost", "dies before", "dies after"]),
    )
    def is_carried(self, plan, goes):
        intent = next_of(
            self.kept and replace(self.kept, repeated=False), plan, lambda: self.knows_keys, lambda: next(self.keys)
        )
        self.kept = intent
        if intent.state != "open":
            return
        if goes in ("answered", "answer lost", "dies after"):
            self._take(intent)
        if goes == "answered":
            self.kept = replace(intent, state="done", outcome=dict(intent.payload))
        elif goes in ("refused", "never sent"):
            self.kept = not_carried_out(intent)
        elif goes == "answer lost" and not self.knows_keys:
            self.kept = replace(intent, state="doubt")
        self.answer_lost |= goes in ("answer lost", "dies before", "dies after")

    @precondition(lambda self: self.kept is not None and self.kept.state == "doubt")
    @rule()
    def a_person_looks(self):
        """And says what they see there."""
        assert self.kept is not None
        there = any(key == self.kept.key for key, _ in self.held)
        self.kept = replace(self.kept, state="done", outcome=dict(self.kept.payload)) if there else again(self.kept)
        if not there:
            self._take(self.kept)
            self.kept = replace(self.kept, state="done", outcome=dict(self.kept.payload))

    @invariant()
    def nothing_is_there_twice(self):
        assert len(self.held) <= 1

    @invariant()
    def what_is_recorded_is_what_is_there(self):
        if self.kept is not None and self.kept.state == "done":
            assert [payload for _, payload in self.held] == [self.kept.outcome]

    @invariant()
    def nobody_is_asked_without_need(self):
        if self.kept is not None and self.kept.state == "doubt":
            assert self.answer_lost and not self.knows_keys


class LifeWithoutKeys(Life):
    knows_keys = False


TestLife = Life.TestCase
TestLifeWithoutKeys = LifeWithoutKeys.TestCase
