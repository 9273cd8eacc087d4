"""Intents: what is meant to be written outside, kept before it goes out and until it is known what became of it. Pure.

A write that goes to an app or a receiver cannot commit together with what is recorded of it. So the intent commits first,
with its key and all that is sent; then comes the call; then the outcome commits. Whoever takes a run up after anything in
between knows by the intent what may have gone out, and sends that and nothing else, under the same key.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

State = Literal["open", "unsent", "done", "doubt"]


@dataclass(frozen=True)
class Intent:
    """`payload` is all that is sent, as JSON. `state`: open, so that it may have gone out; unsent, certainly not carried out;
    done, with its `outcome`; in doubt, until a person says. `repeated`: it is sent once more, and what became of it before
    is not known; that is not kept."""

    key: str
    payload: Mapping[str, Any]
    state: State = "open"
    attempt: int = 1
    outcome: Any = None
    repeated: bool = False


def next_of(kept: Intent | None, plan: Mapping[str, Any], repeats: Callable[[], bool], new_key: Callable[[], str]) -> Intent:
    """Return what a run does about a write: an open intent is sent now, one that is done is taken as it was, one in doubt is
    asked about.

    `plan` is what the run would send by now. What may have gone out is repeated as it went out, whatever the plan is by now;
    `repeats` says whether the other side tells a repeat, or comes to the same by it. Only what certainly did not go out gives
    way to another plan, under a key of its own.
    """
    if kept is None or (kept.state == "unsent" and kept.payload != plan):
        return Intent(new_key(), plan)
    if kept.state in ("done", "doubt"):
        return kept
    if kept.state == "open" and not repeats():
        return replace(kept, state="doubt")
    return replace(again(kept), repeated=kept.state == "open")


def again(intent: Intent) -> Intent:
    """Return an intent as it is sent once more, as it was."""
    return replace(intent, state="open", attempt=intent.attempt + 1)


def not_carried_out(intent: Intent) -> Intent:
    """Return an intent whose call was certainly not carried out. Of a repeat, that says nothing about the call before."""
    return replace(intent, state="open" if intent.repeated else "unsent")
