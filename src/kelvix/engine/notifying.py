"""A mail to the owner when something needs them: at most once an hour for each cause, all that is new in one mail."""

from __future__ import annotations

import smtplib
from email.message import EmailMessage
from email.utils import formatdate, make_msgid

import structlog

from kelvix.engine import attention
from kelvix.engine.attention import Cause
from kelvix.engine.engine import Engine
from kelvix.store import people, told
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

log = structlog.stdlib.get_logger(__name__)
SENDER = "kelvix@localhost"
SECONDS = 10


def _stem(cause: Cause) -> str:
    """Return what makes two causes the same: another run that fails in the same workflow is no new one."""
    return "/".join(cause.key.split("/")[:2])


def tell(engine: Engine, space: Space) -> int:
    """Mail what is new to each owner who has said where: how many causes were told of."""
    to = people.told_at(engine.directory.home, space.id)
    causes = attention.causes(engine, space, with_questions=True)
    if not to or not causes:
        return 0

    def claim(t: Transaction) -> list[Cause]:
        """Those that are new, or stand otherwise than when the owner was told, more than an hour ago."""
        return [c for c in causes if told.claim(t, space.id, _stem(c), c.key)]

    fresh = space.transact(claim)
    if not fresh:
        return 0
    try:
        with smtplib.SMTP(engine.settings.smtp_host, engine.settings.smtp_port, timeout=SECONDS) as smtp:
            for address in to:
                smtp.send_message(_mail(engine, space, address, fresh), SENDER, [address])
    except (OSError, smtplib.SMTPException) as error:
        log.warning("the owner could not be told", workspace=space.id, why=str(error))
        space.transact(lambda t: _forget(t, space, fresh))  # so that the next round tries again
        return 0
    return len(fresh)


def _forget(t: Transaction, space: Space, causes: list[Cause]) -> None:
    for cause in causes:
        told.forget(t, space.id, _stem(cause))


def _where(cause: Cause) -> str:
    """Return where a cause is seen to."""
    of = (("/runs", cause.run), ("/workflows", cause.workflow), ("/mirrors", cause.mirror))
    return next((f"{path}/{number}" for path, number in of if number), "/connections")


def _mail(engine: Engine, space: Space, address: str, causes: list[Cause]) -> EmailMessage:
    message = EmailMessage()
    message["From"], message["To"] = f"Kelvix <{SENDER}>", address
    message["Date"], message["Message-ID"] = formatdate(), make_msgid(domain="kelvix.localhost")
    message["Auto-Submitted"] = "auto-generated"  # RFC 3834: nobody is to answer it by machine
    first = causes[0]
    named = f"{first.workflow_name}: " if first.workflow_name else ""
    rest = f", and {len(causes) - 1} more" if len(causes) > 1 else ""
    message["Subject"] = " ".join(f"{named}{first.sentence}"[:120].split()) + rest
    parts = []
    for cause in causes:
        head = f"{cause.workflow_name}\n" if cause.workflow_name else ""
        where = _where(cause)
        parts.append(f"{head}{cause.sentence}\n{cause.advice}\n{engine.settings.address}{where}")
    end = "You get at most one email an hour per cause. Change the address under Workspace."
    message.set_content("\n\n".join([*parts, end]) + "\n")
    return message
