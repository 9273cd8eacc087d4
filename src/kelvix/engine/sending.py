"""Sending mails by an app, each once."""

from __future__ import annotations

from kelvix.connectors.contract import Outgoing
from kelvix.core import mailing
from kelvix.core.collection import PermanentError
from kelvix.core.filling import Carried
from kelvix.core.outcome import Mail, MailsSent, SentMail
from kelvix.core.workflow import SendMail
from kelvix.engine.engine import Engine
from kelvix.formats import mail_text
from kelvix.store.directory import Space


def outgoing(mail: Mail) -> Outgoing:
    """Return a mail as it goes out, its text in both forms."""
    parts = mail.text, mail.heads, mail.rows
    return Outgoing(mail.to, mail.subject, mail_text.plain(*parts), mail_text.html(*parts))


def send(engine: Engine, space: Space, line: SendMail, mails: tuple[Mail, ...], key: str) -> MailsSent:
    """Send mails, numbered under one idempotency key: what is recorded of them. Raises TransientError, PermanentError; sent
    again under the same key, those that went out do not go out again."""
    account = engine.account(space, line.connection)
    sent: list[SentMail] = []
    for number, mail in enumerate(mails, 1):
        try:
            with engine.pacer.calls(space, line.connection or 0):
                link = account.send(outgoing(mail), f"{key}-{number}")
        except PermanentError as failure:
            if failure.about == "access":
                engine.note_failure(space, line.connection, failure)
                raise PermanentError(str(failure), "send", failure.connection) from None
            if failure.about == "container":
                raise PermanentError(
                    f"{account.app.name} does not let this connection send: widen it, and tick that it may send", "send"
                ) from None
            raise
        sent.append({"to": list(mail.to), "subject": mail.subject, "link": link})
    return MailsSent("sent", sent, account.app.code)


def as_recorded(line: SendMail, sent: MailsSent, carried: Carried) -> Carried:
    """Return what lines below can use of what was sent."""
    mails = tuple(Mail(tuple(m["to"]), m["subject"], "") for m in sent.mails)
    return mailing.carry_on(line, mails, sent.mails[0]["link"] if sent.mails else None, carried)
