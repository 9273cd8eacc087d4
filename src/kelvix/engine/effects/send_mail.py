"""Sending mails by an app, each once."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from kelvix.connectors.contract import Outgoing
from kelvix.core.cells import Cell, Finding
from kelvix.core.collection import PermanentError
from kelvix.core.filling import Carried
from kelvix.core.intents import Intent
from kelvix.core.lines import send_mail
from kelvix.core.lines.send_mail import SendMail
from kelvix.core.outcome import Mail, MailsSent, Outcome, SendMails, SentMail
from kelvix.core.walking import Place
from kelvix.engine.effects.effect import Effect
from kelvix.engine.engine import Engine
from kelvix.engine.outside import Outside
from kelvix.engine.remote_write import RemoteWrite
from kelvix.formats import mail_text
from kelvix.store.directory import Space
from kelvix.store.secrets import digest


@dataclass(frozen=True)
class SentByApp(RemoteWrite):
    """A mail of a run. Its payload is the mail, its text in both forms."""

    engine: Engine
    space: Space
    line: SendMail
    payload: Mapping[str, Any]
    slot: str
    number: int

    question = "Unconfirmed: was an email sent? Check the sent emails."

    def repeats(self) -> bool:
        return self.engine.account(self.space, self.line.connection).app.capabilities.keys

    def execute(self, intent: Intent) -> SentMail:
        account, kept = self.engine.account(self.space, self.line.connection), intent.payload
        mail = Outgoing(tuple(kept["to"]), kept["subject"], kept["text"], kept["html"])
        try:
            with self.engine.pacer.calls(self.space, self.line.connection or 0):
                return _sent(intent, account.send(mail, intent.key))
        except PermanentError as failure:
            if failure.about == "access":
                self.engine.note_failure(self.space, self.line.connection, failure)
                raise PermanentError(str(failure), "send", failure.connection) from None
            if failure.about == "container":
                raise PermanentError(
                    f"{account.app.name} doesn’t let this connection send. Change its access, and allow sending",
                    "send",
                ) from None
            raise

    def arrived(self, intent: Intent, by: str | None) -> SentMail:
        return _sent(intent, None)

    def shown(self, intent: Intent) -> list[tuple[str, str]]:
        return [("To", ", ".join(intent.payload["to"])), ("Subject", intent.payload["subject"])]


def _sent(intent: Intent, link: str | None) -> SentMail:
    return {"to": list(intent.payload["to"]), "subject": intent.payload["subject"], "link": link}


def writes(engine: Engine, space: Space, line: SendMail, mails: Sequence[Mail]) -> list[SentByApp]:
    """Return the mails of a line as they go out. Each is known again by whom it goes to, and by its number among theirs."""
    made: list[SentByApp] = []
    before: Counter[tuple[str, ...]] = Counter()
    for number, mail in enumerate(mails, 1):
        parts = mail.text, mail.heads, mail.rows
        payload = {
            "to": list(mail.to),
            "subject": mail.subject,
            "text": mail_text.plain(*parts),
            "html": mail_text.html(*parts),
        }
        before[mail.to] += 1
        made.append(SentByApp(engine, space, line, payload, digest("recipients", before[mail.to], *mail.to).hex(), number))
    return made


class SendMailEffect(Effect[SendMail]):
    recalls = MailsSent

    def execute(self, run: Outside, line: SendMail, cell: Cell, carried: Carried, place: Place) -> tuple[Carried, str]:
        assert isinstance(cell.would, SendMails)
        several = writes(run.engine, run.space, line, cell.would.mails)
        app = run.engine.account(run.space, line.connection).app.code
        sent: list[Any] = []

        def finish(last: Any) -> Outcome:
            return MailsSent("sent", [*sent, last], app)

        for one in several:
            made, end = run.write_outside(line, place, carried, one, finish if one is several[-1] else None)
            if end:
                return carried, end
            sent.append(made)
        if not several:
            run.record(line, place, MailsSent("sent", [], app))
        return self.as_recorded(run, line, MailsSent("sent", sent, app), carried)

    def as_recorded(self, run: Outside, line: SendMail, done: MailsSent, carried: Carried) -> tuple[Carried, str]:
        mails = tuple(Mail(tuple(m["to"]), m["subject"], "") for m in done.mails)
        return send_mail.carry_on(line, mails, done.mails[0]["link"] if done.mails else None, carried), ""

    def may(self, engine: Engine, space: Space, line: SendMail) -> list[Finding]:
        account = engine.account(space, line.connection)
        if account.app.sends and account.check().may_write:
            return []
        return [Finding(line.id, "this connection can’t send email. Change its access, and allow sending", key="connection")]


EFFECT = SendMailEffect()
