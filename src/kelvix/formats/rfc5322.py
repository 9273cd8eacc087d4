"""Reading mail messages (RFC 5322, MIME). Never raises on bad input: whatever can be read is, the rest says so."""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from email.header import decode_header, make_header
from email.message import EmailMessage
from email.parser import BytesHeaderParser, BytesParser
from email.policy import EmailPolicy
from email.utils import getaddresses, parsedate_to_datetime
from typing import IO, cast

import re2

from kelvix.core import file_name
from kelvix.formats.html_text import html_to_text, safe_html

MAX_TEXT = 400_000  # characters of text that are carried; what is longer is cut and marked
MAX_HEAD = 64 << 10  # bytes of the headers of a message that cannot be read otherwise
MAX_FIELD = 10_000  # characters of a header that are read: the standard library's time for some grows with their square
MAX_STRUCTURE = 1_000  # of those that say what a part is (Content-Type and its like)
MAX_ADDRESSES = 100_000  # of those that list addresses
MAX_PARSED = 1_000  # characters up to which addresses are read by the whole grammar; beyond, one after the other
MAX_MULTIPARTS = 100  # parts that hold parts
PARTS = re2.compile(rb"(?mi)^--([^\s\"](?:[^\r\n\"]{0,68}[^\s\"-])?)[ \t]*\r?\nContent-[a-z-]+:")
BOUNDARY = re2.compile(rb"(?i)boundary\s*=")
# Labels that mean another character set than they say, as browsers and mail programs take them (WHATWG Encoding, 4.2, “names
# and labels”, from memory): what says Latin-1 or ASCII is windows-1252, what says GB2312 or GBK is GB18030.
AS_BROWSERS = {
    **dict.fromkeys(("ascii", "us-ascii", "ansi_x3.4-1968", "iso-8859-1", "iso8859-1", "iso_8859-1", "latin1", "latin-1", "l1",
                     "cp1252", "x-cp1252", "cp819", "ibm819", "csisolatin1", "iso-ir-100"), "windows-1252"),
    **dict.fromkeys(("gb2312", "gbk", "gb_2312", "gb_2312-80", "chinese", "csgb2312", "x-gbk", "iso-ir-58"), "gb18030"),
    **dict.fromkeys(("iso-8859-9", "iso8859-9", "latin5", "l5", "csisolatin5", "iso-ir-148"), "windows-1254"),
    **dict.fromkeys(("tis-620", "iso-8859-11", "iso8859-11", "dos-874"), "cp874"),
    **dict.fromkeys(("ks_c_5601-1987", "ksc5601", "euc-kr", "korean", "csksc56011987"), "cp949"),
    **dict.fromkeys(("shift_jis", "shift-jis", "sjis", "ms_kanji", "x-sjis", "windows-31j"), "cp932"),
    **dict.fromkeys(("big5", "big5-hkscs", "cn-big5", "x-x-big5"), "big5hkscs"),
    **dict.fromkeys(("utf8", "unicode-1-1-utf-8", "x-unicode20utf8", "unicode11utf8"), "utf-8"),
    **dict.fromkeys(("koi", "koi8", "koi8_r", "cskoi8r"), "koi8-r"), "macintosh": "mac_roman", "x-mac-roman": "mac_roman",
}  # fmt: skip
ADDRESSES = ("from", "to", "cc", "bcc", "sender", "reply-to")


class _Bounded(EmailPolicy):  # type: ignore[type-arg]  # not subscriptable when it runs
    """The standard library's policy, with headers cut before they are parsed."""

    def header_source_parse(self, sourcelines: list[str]) -> tuple[str, str]:
        name, value = super().header_source_parse(sourcelines)
        low = name.lower()
        most = MAX_ADDRESSES if low in ADDRESSES else MAX_STRUCTURE if low.startswith("content-") else MAX_FIELD
        return name, value[:most]


POLICY = cast("EmailPolicy[EmailMessage]", _Bounded())


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
    raw = ", ".join(str(v) for k, v in message.raw_items() if k.lower() == name)
    if len(raw) > MAX_PARSED:
        return _addresses_one_by_one(raw)
    try:
        parsed = [
            Address(_line(a.display_name), _line(a.addr_spec).removeprefix("<>"))  # the null sender of bounces has no address
            for h in message.get_all(name, [])
            for a in getattr(h, "addresses", ())
        ]
    except Exception:
        parsed = []
    if not any(a.address for a in parsed):
        return _addresses_one_by_one(_header(message, name))
    return tuple(a for a in parsed if a.name or a.address)


def _addresses_one_by_one(raw: str) -> tuple[Address, ...]:
    """Read addresses by the older, simpler way of the standard library; its time grows with their number only."""
    try:
        found = getaddresses([str(make_header(decode_header(raw)))])
    except (ValueError, LookupError, RecursionError):
        return ()
    return tuple(Address(_line(n), _line(a)) for n, a in found if n or a)


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
    charset = (part.get_content_charset() or "utf-8").strip().lower()
    charset = AS_BROWSERS.get(charset, charset)
    try:
        return raw.decode(charset)
    except LookupError:
        problems.append(f"its text uses the unknown encoding “{_line(charset)[:40]}”; read as UTF-8 instead")
    except UnicodeDecodeError:
        problems.append("parts of its text could not be decoded and show as \ufffd")
    return raw.decode("utf-8", "replace")


def _walk(message: EmailMessage) -> Iterator[EmailMessage]:
    """All parts in their order. Where the boundary that a multipart names is nowhere in it, its parts would be taken for text:
    it is parted by the boundary that stands before most headers of parts, if there is one."""
    for part in message.walk():
        yield part
        if part.is_multipart() or part.get_content_maintype() != "multipart":
            continue
        content = str(part.get_payload() or "").encode("utf-8", "surrogateescape")
        found = Counter(match[1] for match in PARTS.finditer(content))
        if found:
            boundary = found.most_common(1)[0][0]
            head = b'Content-Type: multipart/mixed; boundary="%s"\r\n\r\n' % boundary.replace(b'"', b"")
            again = BytesParser(_class=EmailMessage, policy=POLICY).parsebytes(head + content)
            if again.is_multipart():
                part.set_payload(str(again.preamble or "").strip())  # what it holds follows
                for one in again.walk():
                    if one is not again:
                        yield one


def unreadable(source: bytes, why: str) -> Message:
    """Give what the headers of a message say that could not be read otherwise, for the reason given."""
    head, _, body = source.replace(b"\r\n", b"\n").partition(b"\n\n")
    if len(head) > MAX_HEAD:
        head = head[:MAX_HEAD].rpartition(b"\n")[0] or head[:MAX_HEAD]
    message = BytesHeaderParser(_class=EmailMessage, policy=POLICY).parsebytes(head + b"\n\n")
    text = clean(body[:MAX_TEXT].decode("utf-8", "replace")).strip()
    return _message(message, text, "", (), [f"it can’t be read: {why}"])


def parse(source: bytes) -> Message:
    """Read a message from its source."""
    if len(BOUNDARY.findall(source)) > MAX_MULTIPARTS:
        return unreadable(source, f"more than {MAX_MULTIPARTS} of its parts have parts themselves")
    problems: list[str] = []
    message = BytesParser(_class=EmailMessage, policy=POLICY).parsebytes(source)
    plain: list[str] = []
    marked: list[str] = []
    attachments: list[Attachment] = []
    unparted: list[tuple[EmailMessage, int]] = []
    for index, part in enumerate(_walk(message)):
        if part.is_multipart():
            continue
        if part.get_content_maintype() == "multipart":  # without any boundary, its parts stand there as text
            unparted.append((part, len(plain)))
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
    for part, place in reversed(unparted):
        if text := clean(str(part.get_payload() or "")):
            plain.insert(place, text)
    if message.defects or any(p.defects for p in message.walk()):
        problems.append("it doesn’t quite follow the email standard; the readable parts are shown")
    joined = "\n".join(marked)
    text = "\n".join(plain) if "".join(plain).strip() else html_to_text(joined)
    text = clean(text.replace("\r\n", "\n").replace("\r", "\n")).strip()
    if len(text) > MAX_TEXT:
        text = text[:MAX_TEXT]
        problems.append(f"its text is longer than {MAX_TEXT:,} characters and was shortened")
    shown = safe_html(clean(joined)[:MAX_TEXT]) if marked else ""
    return _message(message, text, shown, tuple(attachments), problems)


def _message(message: EmailMessage, text: str, html: str, attachments: tuple[Attachment, ...], problems: list[str]) -> Message:
    """Put together what the headers say with what was read of the rest."""
    if (date := _date(message)) is None:
        problems.append("it has no readable date; the time of arrival is used")
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
        html=html,
        attachments=attachments,
        problems=tuple(dict.fromkeys(problems)),
    )


def read_file(file: IO[bytes]) -> Message:
    """Read a message from an open file."""
    return parse(file.read())


def parts_of_file(file: IO[bytes], indexes: list[int]) -> dict[int, bytes]:
    """Read parts of a message from an open file; as `parts`."""
    return parts(file.read(), indexes)


def parts(source: bytes, indexes: Collection[int]) -> dict[int, bytes]:
    """Return the contents of those parts with these indexes that have one."""
    message = BytesParser(_class=EmailMessage, policy=POLICY).parsebytes(source)
    raw = {n: p.get_payload(decode=True) for n, p in enumerate(_walk(message)) if n in indexes and not p.is_multipart()}
    return {n: content for n, content in raw.items() if isinstance(content, bytes)}
