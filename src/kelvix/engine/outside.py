"""What a run does outside: mails, files and web requests. Each goes through an intent (core/intents.py): that commits first,
then comes the call, then its outcome commits, all under the token."""

from __future__ import annotations

import time
from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from functools import cached_property
from typing import Any

from kelvix.core.cells import Cell
from kelvix.core.collection import AmbiguousError, PermanentError, TransientError, UnknownOutcomeError
from kelvix.core.filling import Carried
from kelvix.core.intents import Intent, again, next_of, not_carried_out
from kelvix.core.outcome import Outcome, Problem
from kelvix.core.walking import Place
from kelvix.core.workflow import Line
from kelvix.engine.pacing import Paced
from kelvix.engine.recording import place_text
from kelvix.engine.remote_write import RemoteWrite
from kelvix.engine.standpoint import RESTS, STUCK, Standpoint
from kelvix.store import intents, questions, runs
from kelvix.store.database_server import Transaction

ENDED = "what was sending it ended before the answer came"
Finish = Callable[[Any], Outcome] | None  # what is recorded with the line once a write is done, where that ends the line


class Outside(Standpoint, ABC):
    adds_alone = False  # whether what it adds goes out one by one, though the app takes several at once

    @cached_property
    def sent(self) -> dict[tuple[str, str], Intent]:
        """Return what went out ahead, by line and place, and was not come to yet."""
        return {}

    @abstractmethod
    def upcoming(self, line: Line, place: Place, most: int) -> list[tuple[Place, Cell]]:
        """Return the next rounds in which a line will add something, and what that would be; none where that can't be told
        before they are carried out."""

    def write_outside(self, line: Line, place: Place, carried: Carried, write: RemoteWrite, finish: Finish) -> tuple[Any, str]:
        """Carry a write out, once: its outcome, or how the run ends or rests here. Raises TransientError, PermanentError."""
        self.before_effect(self.claim)
        began = time.monotonic()
        intent, was_in_doubt = self._begin(line, place, write)
        if intent.state == "doubt" and was_in_doubt:
            asked = self._asked(line, place)
            if asked is None or asked.answer is None:
                return self._rest_on(carried), RESTS
            match asked.answer["said"]:
                case "arrived":
                    return self._settle(line, place, write, intent, finish, write.arrived(intent, asked.answered_by)), ""
                case "stop":
                    self._keep_intent(line, place, write, replace(intent, state="unsent"))  # as far as it goes on here
                    cell = Cell(line.id, Problem(), f"{asked.answered_by} stopped the run: unconfirmed whether it arrived")
                    return self._stop(line, cell, carried, place), STUCK
            intent = again(intent)
            self._keep_intent(line, place, write, intent, "sending")
        elif intent.state == "doubt":
            return self._doubt(line, place, carried, write, intent, ENDED), RESTS
        if intent.state == "done":
            return self._settle(line, place, write, intent, finish, intent.outcome) if finish else intent.outcome, ""
        try:
            with self.leases.outside(self.space, self.claim, began):
                made = write.execute(intent)
        except UnknownOutcomeError as unanswered:
            if isinstance(unanswered, AmbiguousError) or not write.repeats():
                return self._doubt(line, place, carried, write, intent, str(unanswered)), RESTS
            self._keep_intent(line, place, write, intent, "to_send")  # open as it is
            later = TransientError(str(unanswered), unanswered.after)
            later.connection = unanswered.connection
            raise later from None
        except (TransientError, PermanentError, Paced):
            self._keep_intent(line, place, write, not_carried_out(intent), "to_send")
            raise
        return self._settle(line, place, write, intent, finish, made), ""

    def _begin(self, line: Line, place: Place, write: RemoteWrite) -> tuple[Intent, bool]:
        """Commit the intent, before anything goes out. Whether it was in doubt before, so that a person was asked."""
        where = place_text(place)

        def work(t: Transaction) -> tuple[Intent, bool]:
            self.progress.hold(t, self.claim, None)
            kept = intents.get(t, self.claim, line.id, where, write.slot)
            intent = next_of(
                kept, write.payload, write.repeats, lambda: intents.new_key(t, self.claim, line.id, where, write.number)
            )
            if intent != kept:
                intents.keep(t, self.claim, line.id, where, write.slot, intent)
            under_way = write.under_way("sending", intent) if intent.state == "open" else None
            more = [(line.id, where, under_way, None)] if under_way else []
            runs.keep_lines(t, self.claim, [*self.progress.lines, *more])
            return intent, kept is not None and kept.state == "doubt"

        found = self.space.transact(work)
        self.progress.written()
        return found

    def _settle(self, line: Line, place: Place, write: RemoteWrite, intent: Intent, finish: Finish, made: Any) -> Any:
        """Commit the outcome of an intent, and what is recorded with the line where this was all of it."""
        if finish is not None:
            self.record(line, place, finish(made))
        self._keep_intent(line, place, write, replace(intent, state="done", outcome=made))
        return made

    def _record_under_way(self, line: Line, place: Place, write: RemoteWrite, code: str, intent: Intent) -> None:
        if (under_way := write.under_way(code, intent)) is not None:
            self.record(line, place, under_way)

    def _keep_intent(self, line: Line, place: Place, write: RemoteWrite, intent: Intent, code: str = "") -> None:
        if code:
            self._record_under_way(line, place, write, code, intent)

        def work(t: Transaction) -> None:
            self._hold(t)
            intents.keep(t, self.claim, line.id, place_text(place), write.slot, intent)
            if intent.state == "done":
                write.settle(t, self.claim.workflow_id, intent.outcome)

        self.space.transact(work)
        self.progress.written()

    def _doubt(self, line: Line, place: Place, carried: Carried, write: RemoteWrite, intent: Intent, why: str) -> Carried:
        """Ask a person whether a write was carried out, and let the run rest until there is an answer."""
        in_doubt = replace(intent, state="doubt")
        self._record_under_way(line, place, write, "in_doubt", in_doubt)
        when = datetime.now(UTC).astimezone(self.context.env.zone).strftime("%-d %b %Y %H:%M:%S")
        shown = [*write.shown(in_doubt), ("When", when), ("Attempt", str(intent.attempt)), ("Why", why)]
        asked = {"question": write.question, "values": [{"name": name, "text": text} for name, text in shown]}

        def work(t: Transaction) -> None:
            self._hold(t)
            intents.keep(t, self.claim, line.id, place_text(place), write.slot, in_doubt)
            questions.ask(t, self.claim, line.id, place_text(place), "doubt", asked)

        self.space.transact(work)
        self.topics.add("needs")
        return carried

    def _hold(self, t: Transaction) -> None:
        """Hold the run, and keep what was computed so far."""
        self.progress.hold(t, self.claim, None)
        runs.keep_lines(t, self.claim, self.progress.lines)
