"""Send a mail lines: the mails that a sample comes to, each recipient with their own rows where that is asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.fields.email import EMAIL
from kelvix.core.filling import Carried, ListRow, compute, is_filled, references
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import UNREADY, GoOn, Mail, Problem, SendMails
from kelvix.core.patterns import pattern
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.values import Unfit, as_text, shorten
from kelvix.core.workflow import BadDocument, Filling, Line, Reference


@dataclass(frozen=True)
class SendMail(Line):
    """Send a mail by a connection: its text in paragraphs, and below them the rows of a list as a table with these columns.
    `split`: the list's field with each recipient's own address; each then gets a mail of their own, with their own rows."""

    id: str
    connection: int | None = None
    to: Filling = ()
    subject: Filling = ()
    paragraphs: tuple[Filling, ...] = ()
    rows: Reference | None = None
    columns: tuple[str, ...] = ()
    split: str = ""
    within: str = ""
    verb: Literal["send_mail"] = "send_mail"


MAX_MAILS = 200
MAX_RECIPIENTS = 50  # of one mail
MAX_PARAGRAPHS = 50
FIELDS = (
    CarriedField("count", ("Mail sent", "How many"), "number"),
    CarriedField("to", ("Mail sent", "To"), "text"),
    CarriedField("link", ("Mail sent", "Link"), "link"),
)


IN_BRACKETS = pattern(r"<([^<>]*)>\s*$", worst="<> ")


@dataclass(frozen=True)
class Addressed:
    """Who gets a mail, and the rows that are laid out in it."""

    to: tuple[str, ...]
    rows: tuple[ListRow, ...]


def list_of(line: SendMail, carried: Carried) -> CarriedList | None:
    """Return the list whose rows are laid out."""
    return carried.lists.get(line.rows) if line.rows is not None else None


def columns_of(line: SendMail, found: CarriedList) -> tuple[CarriedField, ...]:
    """Return the columns of the table, in order; to begin with the first four."""
    by_key = {f.key: f for f in found.fields}
    return tuple(by_key[k] for k in line.columns if k in by_key) or found.fields[:4]


def recipients(text: str) -> tuple[str, ...]:
    """Return the addresses of a text, each once: with commas, semicolons or line breaks between, names around them or not.
    Raises Unfit."""
    found: dict[str, str] = {}
    for piece in text.replace(";", ",").replace("\n", ",").split(","):
        bracketed = IN_BRACKETS.search(piece)
        address = (bracketed[1] if bracketed else piece).strip()
        if not address:
            continue
        if not EMAIL.fullmatch(address) or "@" not in address:
            raise Unfit(f"“{shorten(address)}” is not an email address")
        found.setdefault(address.lower(), address)
    if not found:
        raise Unfit("there are no recipients in this item")
    if len(found) > MAX_RECIPIENTS:
        raise Unfit(f"these are {len(found)} recipients, more than the {MAX_RECIPIENTS} allowed per email")
    return tuple(found.values())


def _addressed(line: SendMail, found: CarriedList | None, carried: Carried, env: Env) -> tuple[list[Addressed], int]:
    """Each mail's recipients and rows; and how many rows have no address to go to. Raises Unfit."""
    rows = carried.rows.get(line.rows, ()) if line.rows is not None and found else ()
    if not line.split or found is None:
        return [Addressed(recipients(as_text(compute(line.to, carried, env), env.zone)), rows)], 0
    own: dict[str, list[ListRow]] = {}
    first: dict[str, tuple[str, ...]] = {}
    without = 0
    for row in rows:
        text = as_text(row.values.get(line.split), env.zone)
        if not text.strip():
            without += 1
            continue
        to = recipients(text)
        key = ",".join(sorted(a.lower() for a in to))
        first.setdefault(key, to)
        own.setdefault(key, []).append(row)
    if len(own) > MAX_MAILS:
        raise Unfit(f"these are {len(own)} emails, more than the {MAX_MAILS} that one line can send")
    return [Addressed(first[key], tuple(theirs)) for key, theirs in own.items()], without


def mails(line: SendMail, carried: Carried, env: Env) -> tuple[tuple[Mail, ...], int]:
    """Return the mails of a sample, and how many rows have no address. Raises Unfit."""
    found = list_of(line, carried)
    if line.rows is not None and found is None:
        raise Unfit("the table’s list is no longer available. Choose another")
    subject = " ".join(as_text(compute(line.subject, carried, env), env.zone).split())
    if not subject:
        raise Unfit("the subject is empty in this item")
    texts = [as_text(compute(p, carried, env), env.zone).strip() for p in line.paragraphs]
    text = "\n\n".join(t for t in texts if t)
    columns = columns_of(line, found) if found else ()
    addressed, without = _addressed(line, found, carried, env)

    def table(rows: tuple[ListRow, ...]) -> tuple[tuple[str, ...], ...]:
        return tuple(tuple(" ".join(as_text(r.values.get(c.key), env.zone).split()) for c in columns) for r in rows)

    heads = tuple(c.name[-1] for c in columns)
    return tuple(Mail(a.to, shorten(subject, 300), text, heads, table(a.rows)) for a in addressed), without


def step(line: SendMail, carried: Carried, env: Env) -> tuple[Cell, Carried]:
    """Return what would be sent with a sample."""
    below = carried.plus(line.id, FIELDS, {})
    if line.connection is None:
        return Cell(line.id, UNREADY, "choose a connection to send with"), below
    try:
        made, without = mails(line, carried, env)
    except Unfit as unfit:
        return Cell(line.id, Problem(), shorten(str(unfit), 120)), below
    left = f"; {without} rows have no address" if without > 1 else "; one row has no address" if without else ""
    if not made:
        return Cell(line.id, GoOn("found_none"), f"no recipients{left}"), carry_on(line, made, None, carried)
    note = f"1 email: to {', '.join(made[0].to)}" if len(made) == 1 else f"{len(made)} emails: {made[0].subject}"
    cell = Cell(line.id, SendMails(made), f"{note}{left}", doubts=int(bool(without)))
    return cell, carry_on(line, made, None, carried)


def carry_on(line: SendMail, sent: tuple[Mail, ...], link: str | None, carried: Carried) -> Carried:
    """Return what lines below can use of what was sent."""
    to = ", ".join(dict.fromkeys(a for m in sent for a in m.to))
    return carried.plus(line.id, FIELDS, {"count": Decimal(len(sent)), "to": to or None, "link": link})


def check(line: SendMail, carried: Carried) -> list[Finding]:
    """Return what must be put right whatever the sample."""
    found: list[Finding] = []
    if line.connection is None:
        found.append(Finding(line.id, "choose a connection to send with"))
    if not line.split and not is_filled(line.to):
        found.append(Finding(line.id, "enter the recipients", key="to"))
    if not is_filled(line.subject):
        found.append(Finding(line.id, "enter a subject", key="subject"))
    if line.rows is not None:
        rows = list_of(line, carried)
        if rows is None:
            found.append(Finding(line.id, "the table’s list is no longer available. Choose another", key="rows"))
        elif line.split and line.split not in {f.key for f in rows.fields}:
            found.append(Finding(line.id, "the address field of the recipients was deleted. Choose another", key="rows"))
    parts = (("to", line.to), ("subject", line.subject), *((f"p{n}", p) for n, p in enumerate(line.paragraphs)))
    for key, filling in parts:
        if any(ref not in carried.fields for ref in references(filling)):
            found.append(Finding(line.id, "this uses a value that is not available here", key=key))
        if any(p.formula is not None and not p.formula.tree for p in filling):
            found.append(Finding(line.id, "this formula has an error", key=key))
    return found


class SendMailKind(Kind[SendMail]):
    line, verb = SendMail, "send_mail"
    acts = True

    def step(self, line: SendMail, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        return step(line, carried, context.env)

    def makes(self, line: SendMail, carried: Carried, context: Context) -> Carried:
        return carried.plus(line.id, FIELDS, {})

    def check(self, line: SendMail, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return check(line, carried)

    def check_document(self, line: SendMail) -> None:
        if len(line.paragraphs) > MAX_PARAGRAPHS:
            raise BadDocument(f"an email has at most {MAX_PARAGRAPHS} paragraphs")

    def fillings(self, line: SendMail) -> Iterator[Filling]:
        yield line.to
        yield line.subject
        yield from line.paragraphs

    def connections(self, line: SendMail) -> tuple[int | None, ...]:
        return (line.connection,)

    def says(self, line: SendMail, names: Mapping[int, str]) -> str:
        return "send an email"


KIND = SendMailKind()
