"""Sending mails by an app, each once."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from kelvix.connectors.contract import Outgoing
from kelvix.core.collection import PermanentError
from kelvix.core.filling import Carried
from kelvix.core.intents import Intent
from kelvix.core.lines import send_mail
from kelvix.core.outcome import Mail, MailsSent, SentMail
from kelvix.core.workflow import SendMail
from kelvix.engine.engine import Engine
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

    question = "It is not known whether a mail went out. Look among what was sent: did it?"

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
                    f"{account.app.name} does not let this connection send: widen it, and tick that it may send", "send"
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


def as_recorded(line: SendMail, sent: MailsSent, carried: Carried) -> Carried:
    """Return what lines below can use of what was sent."""
    mails = tuple(Mail(tuple(m["to"]), m["subject"], "") for m in sent.mails)
    return send_mail.carry_on(line, mails, sent.mails[0]["link"] if sent.mails else None, carried)
