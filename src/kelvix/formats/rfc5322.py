"""Reading mail messages (RFC 5322, MIME). Never raises on bad input: whatever can be read is, the rest says so."""

from __future__ import annotations

import unicodedata
from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, datetime
from email import policy
from email.message import EmailMessage
from email.parser import BytesParser
from email.utils import getaddresses, parsedate_to_datetime

from kelvix.core import file_name
from kelvix.formats.html_text import html_to_text, safe_html

MOST_TEXT = 400_000  # characters of text that are carried; what is longer is cut and marked


@dataclass(frozen=True)
class Address:
    name: str
    address: str


@dataclass(frozen=True)
class Attachment:
    """`index` counts the message's parts, so that its content can be fetched later."""

    index: int
    name: str
    type: str
    size: int


@dataclass(frozen=True)
class Message:
    """`problems` says in plain words what could not be read."""

    message_id: str
    subject: str
    sender: Address
    to: tuple[Address, ...]
    cc: tuple[Address, ...]
    date: datetime | None
    in_reply_to: str
    text: str
    html: str
    attachments: tuple[Attachment, ...]
    problems: tuple[str, ...]


def clean(text: str) -> str:
    """Text without what no database or screen should get: NULs and other controls, lone surrogates."""
    text = text.encode("utf-8", "replace").decode("utf-8")
    return "".join(
        c if c in "\n\t" or unicodedata.category(c) not in ("Cc", "Cs") else "\ufffd" if c == "\0" else "" for c in text
    )


def _line(value: object) -> str:
    return " ".join(clean(str(value or "")).split())


def _header(message: EmailMessage, name: str) -> str:
    try:
        return _line(message.get(name, ""))
    except Exception:  # the standard library's header parser fails on some malformed headers: take them as they stand
        raw = next((v for k, v in message.raw_items() if k.lower() == name.lower()), "")
        return _line(raw)


def _addresses(message: EmailMessage, name: str) -> tuple[Address, ...]:
    try:
        parsed = [
            Address(_line(a.display_name), _line(a.addr_spec).removeprefix("<>"))  # the null sender of bounces has no address
            for h in message.get_all(name, [])
            for a in getattr(h, "addresses", ())
        ]
    except Exception:
        parsed = []
    if not any(a.address for a in parsed):
        parsed = [Address(_line(n), _line(a)) for n, a in getaddresses([_header(message, name)]) if n or a]
    return tuple(a for a in parsed if a.name or a.address)


def _date(message: EmailMessage) -> datetime | None:
    try:
        value = parsedate_to_datetime(_header(message, "date"))
        value = value if value.tzinfo else value.replace(tzinfo=UTC)
        return value.astimezone(UTC) if 1970 <= value.year < 2200 else None
    except (ValueError, OverflowError, TypeError):
        return None


def _decoded(part: EmailMessage, problems: list[str]) -> str:
    raw = part.get_payload(decode=True)
    if not isinstance(raw, bytes):
        return clean(str(part.get_payload() or ""))
    charset = (part.get_content_charset() or "utf-8").lower()
    try:
        return raw.decode(charset)
    except LookupError:
        problems.append(
            f"its text says that it is written in “{_line(charset)[:40]}”, which is not known; read as UTF-8 instead"
        )
    except UnicodeDecodeError:
        problems.append("parts of its text could not be decoded and show as \ufffd")
    return raw.decode("utf-8", "replace")


def parse(source: bytes) -> Message:
    """Read a message from its source."""
    problems: list[str] = []
    message = BytesParser(_class=EmailMessage, policy=policy.default).parsebytes(source)
    plain: list[str] = []
    marked: list[str] = []
    attachments: list[Attachment] = []
    for index, part in enumerate(message.walk()):
        if part.is_multipart():
            continue
        if part.get_content_maintype() == "multipart":  # without a boundary that is found, its parts stand there as text
            plain.append(clean(str(part.get_payload() or "")))
            continue
        try:
            kind, name = part.get_content_type(), part.get_filename() or ""
            attached = part.get_content_disposition() == "attachment" or bool(name)
        except Exception:
            kind, name, attached = "application/octet-stream", "", True
        if not attached and kind == "text/plain":
            plain.append(_decoded(part, problems))
        elif not attached and kind == "text/html":
            marked.append(_decoded(part, problems))
        else:
            raw = part.get_payload(decode=True)
            attachments.append(
                Attachment(
                    index,
                    file_name.bare(clean(name)) or f"attachment-{index}",
                    _line(kind)[:100],
                    len(raw) if isinstance(raw, bytes) else 0,
                )
            )
    if message.defects or any(p.defects for p in message.walk()):
        problems.append("it is not quite formed as the mail standard asks; what could be read is shown")
    joined = "\n".join(marked)
    text = "\n".join(plain) if "".join(plain).strip() else html_to_text(joined)
    text = clean(text.replace("\r\n", "\n").replace("\r", "\n")).strip()
    if len(text) > MOST_TEXT:
        text = text[:MOST_TEXT]
        problems.append(f"its text is longer than {MOST_TEXT:,} characters and was cut there")
    if (date := _date(message)) is None:
        problems.append("it has no date that can be read; the time of its arrival is used")
    senders = _addresses(message, "from")
    return Message(
        message_id=_header(message, "message-id"),
        subject=_header(message, "subject")[:5000],
        sender=senders[0] if senders else Address("", ""),
        to=_addresses(message, "to"),
        cc=_addresses(message, "cc"),
        date=date,
        in_reply_to=_header(message, "in-reply-to"),
        text=text,
        html=safe_html(clean(joined)[:MOST_TEXT]) if marked else "",
        attachments=tuple(attachments),
        problems=tuple(dict.fromkeys(problems)),
    )


def part(source: bytes, index: int) -> bytes | None:
    """The content of the part with this index, as `Attachment.index` counts."""
    return parts(source, (index,)).get(index)


def parts(source: bytes, indexes: Collection[int]) -> dict[int, bytes]:
    """The contents of those parts with these indexes that have one."""
    message = BytesParser(_class=EmailMessage, policy=policy.default).parsebytes(source)
    raw = {n: p.get_payload(decode=True) for n, p in enumerate(message.walk()) if n in indexes and not p.is_multipart()}
    return {n: content for n, content in raw.items() if isinstance(content, bytes)}
