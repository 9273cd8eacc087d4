"""What a run does outside: mails, files and web requests. Each is recorded before it goes out and after, under the token, with
an idempotency key that stays the same however often it is begun."""

from __future__ import annotations

from abc import ABC
from dataclasses import replace

from kelvix.core import web_request
from kelvix.core.cells import Cell
from kelvix.core.collection import PermanentError, TransientError, UnknownOutcomeError
from kelvix.core.filling import Carried
from kelvix.core.outcome import Problem, Requested, SendMails, StoreFile
from kelvix.core.walking import Place
from kelvix.core.workflow import SaveFile, SendMail, WebRequest
from kelvix.engine import calling, saving, sending
from kelvix.engine.recording import place_text
from kelvix.engine.standpoint import RESTS, STUCK, Standpoint
from kelvix.store import questions, runs
from kelvix.store.database_server import Transaction


class Outside(Standpoint, ABC):
    def _send(self, line: SendMail, would: SendMails, carried: Carried, place: Place) -> Carried:
        """Send mails. Each has an idempotency key made of run, line and place, so that it goes out once however often it is
        begun; what was computed so far is kept first, under the token."""
        self.before_effect(self.claim)
        self._keep()
        with self._outside():
            made = sending.send(self.engine, self.space, line, would.mails, self._key(line, place))
        self._record(line, place, made)
        self._keep()
        return sending.as_recorded(line, made, carried)

    def _save(self, line: SaveFile, would: StoreFile, carried: Carried, place: Place) -> Carried:
        """Save a file. The app knows a repeat by its idempotency key."""
        self.before_effect(self.claim)
        self._keep()
        prefer, key = self.workflow.when.connection, self._key(line, place)
        with self._outside():
            made = saving.save(self.engine, self.space, line, would.saving, prefer, key)
        self._record(line, place, made)
        self._keep()
        return saving.as_recorded(line, made, carried)

    def _request(self, line: WebRequest, sent: calling.Sending, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Send a web request. That it is about to go out is recorded first; if it turns out that it was not taken, that too."""
        self.before_effect(self.claim)
        self._record(line, place, sent.recorded("sending"))
        self._keep()
        try:
            with self._outside():
                made = calling.send(self.engine, self.space, self.claim, line, sent, self._key(line, place), self.around.env)
        except UnknownOutcomeError as unanswered:
            if not web_request.repeatable(line):
                return self._doubt(line, sent, str(unanswered), carried, place), RESTS
            self._record(line, place, sent.recorded("to_send"))
            self._keep()
            raise TransientError(str(unanswered)) from None
        except (TransientError, PermanentError):
            self._record(line, place, sent.recorded("to_send"))
            self._keep()
            raise
        self._record(line, place, made)
        self._keep()
        return calling.as_recorded(line, made, carried), ""

    def _request_again(self, line: WebRequest, recorded: Requested, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Return a web request that the run came to before: it went through, is to be sent again, or nobody knows."""
        if recorded.code == "sent":
            return calling.as_recorded(line, recorded, carried), ""
        sent = calling.as_kept(recorded)
        again = calling.Sending(sent.call, sent.attempt + 1)
        if recorded.code == "in_doubt":
            asked = self._asked(line, place)
            if asked is None or asked.answer is None:
                return self._rest_on(carried), RESTS
            match asked.answer["said"]:
                case "arrived":
                    made = replace(sent.recorded("sent"), by=asked.answered_by)
                    self._record(line, place, made)
                    return calling.as_recorded(line, made, carried), ""
                case "stop":
                    cell = Cell(line.id, Problem(), f"{asked.answered_by} stopped the run here: its web request was in doubt")
                    return self._stop(line, cell, carried, place), STUCK
        elif recorded.code == "sending" and not web_request.repeatable(line):
            return self._doubt(line, sent, "what was sending it ended before the answer came", carried, place), RESTS
        return self._request(line, again, carried, place)

    def _doubt(self, line: WebRequest, sent: calling.Sending, why: str, carried: Carried, place: Place) -> Carried:
        """Ask a person whether a request arrived, and let the run rest until there is an answer."""
        self._record(line, place, sent.recorded("in_doubt"))
        asked = calling.doubt(sent, why, calling.now_text(self.around.env))

        def work(t: Transaction) -> None:
            self.progress.hold(t, self.claim, None)
            runs.keep_lines(t, self.claim, self.progress.lines)
            questions.ask(t, self.claim, line.id, place_text(place), "doubt", asked)

        self.space.transact(work)
        self.topics.add("needs")
        return carried
