"""Quick input: the capture line, and the addresses that take lines without a sign-in."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body, Header
from pydantic import BaseModel, Field

from kelvix.api import idempotency
from kelvix.api.access import Caller, Editor, Reader
from kelvix.api.databases import RecordOut
from kelvix.api.problems import Problem
from kelvix.core import quick_input
from kelvix.core.schema import TEXT_FIELD
from kelvix.core.values import FieldId
from kelvix.engine import capturing
from kelvix.engine.capturing import NotKept, Reading
from kelvix.formats.lists_of_links import Unreadable
from kelvix.workspace import captures
from kelvix.workspace.captures import CaptureAddress

router = APIRouter(prefix="/api/v1", tags=["captures"])
Text = Annotated[str, Field(min_length=1, max_length=4_000_000, examples=["Order reed leather Friday 3pm"])]


class LinesIn(BaseModel):
    """Without a database, it goes where captures with its words were kept before. `each`: every line that is not indented is a
    record; else the first line is, and what is below it belongs to its text."""

    database: int | None = None
    text: Text
    each: bool = False


class CaptureIn(LinesIn):
    read_pages: bool = Field(False, description="read the pages whose addresses the lines have, and keep what they say")


class UnderstandIn(LinesIn):
    caret: int | None = Field(None, description="where in the text the next letter goes, for completions")


class PieceOut(BaseModel):
    """A piece of the line, and the value of a field that it is taken for, as it reads."""

    start: int
    end: int
    field: FieldId
    name: str
    said: str


class LineOut(BaseModel):
    """`title` is what is left for the record's name."""

    line: str
    title: str
    text: str
    pieces: list[PieceOut]
    wrong: list[str]
    unclear: list[str] = Field(description="what reads as a date and could not be taken for one, a sentence for each")
    needs: list[str]


class CompletionOut(BaseModel):
    """The word that begins at `start` can become this one."""

    start: int
    word: str


class ReadingOut(BaseModel):
    database: int
    name: str
    lines: list[LineOut]
    completions: list[CompletionOut]


class CapturedOut(BaseModel):
    """The records that were made, in their order, and the numbers under which each can be undone."""

    database: int
    name: str = Field(description="the database's")
    record: RecordOut
    records: list[int]
    changes: list[int]
    not_understood: list[str] = Field([], description="what was not recognised, a sentence for each; it stays in the names")


def line_out(reading: Reading, at: int) -> LineOut:
    one, database = reading.lines[at], reading.database
    names = {f.id: f.name for f in database.fields}
    return LineOut(
        line=one.line,
        title=str(one.quick.values.get(database.fields[0].id) or ""),
        text=one.text,
        pieces=[PieceOut(start=p.start, end=p.end, field=p.field, name=names[p.field], said=p.said) for p in one.quick.pieces],
        wrong=list(one.quick.wrong),
        unclear=list(one.quick.unclear),
        needs=[f.name for f in database.fields if f.required and one.quick.values.get(f.id) is None and f.id != TEXT_FIELD],
    )


def _read(who: Caller, body: LinesIn) -> Reading:
    try:
        return capturing.read(who.engine, who.space, who.person.id, body.text, body.database, body.each)
    except NotKept as why:
        raise Problem(422, str(why), why.advice) from None


@router.post("/capture/understand")
def understand(who: Reader, body: UnderstandIn) -> ReadingOut:
    """Return what a capture would be kept as; nothing is written."""
    reading = _read(who, body)
    found: list[tuple[int, str]] = []
    if body.caret is not None:
        begin = body.text.rfind("\n", 0, body.caret) + 1
        line = body.text[begin:].partition("\n")[0]
        if len(line) <= quick_input.MAX_UNDERSTOOD:
            found = quick_input.complete(line, body.caret - begin, reading.database, reading.people)
        found = [(start + begin, word) for start, word in found]
    return ReadingOut(
        database=reading.database.id,
        name=reading.database.name,
        lines=[line_out(reading, n) for n in range(min(len(reading.lines), 20))],
        completions=[CompletionOut(start=start, word=word) for start, word in found],
    )


@router.post("/capture", status_code=201)
def capture(who: Editor, body: CaptureIn, idempotency_key: Annotated[str | None, Header(max_length=200)] = None) -> CapturedOut:
    """Keep lines as records: all of them, or none."""
    reading = _read(who, body)
    if body.read_pages:
        try:
            reading = capturing.with_pages(who.engine, who.space, reading)
        except NotKept as why:
            raise Problem(422, str(why), why.advice) from None

    try:
        sent = idempotency.sent(idempotency_key, body)
        answer = captures.keep(who.engine, who.space, who.person, reading, idempotency_key, sent)
    except NotKept as why:
        raise Problem(422, str(why), why.advice) from None
    who.announce("records")
    return CapturedOut.model_validate(answer)


class BroughtOut(BaseModel):
    """How many records were added, and how many links were in the database already."""

    added: int
    there: int


@router.post("/capture/links", status_code=201)
def bring_links(
    who: Editor, database: int, content: Annotated[bytes, Body(media_type="application/octet-stream")]
) -> BroughtOut:
    """Add a record for each link of a feed (RSS, Atom, JSON Feed), an OPML or a bookmark file. Sent again, it adds what is
    new."""
    try:
        brought = captures.bring_links(who.space, database, content, who.person)
    except NotKept as why:
        raise Problem(422, str(why), why.advice) from None
    except Unreadable as why:
        raise Problem(422, "This file can’t be read.", f"{str(why)[0].upper()}{str(why)[1:]}.") from None
    who.announce("records")
    return BroughtOut(added=brought.added, there=brought.there)


# Addresses


class CaptureAddressIn(BaseModel):
    name: str = Field(min_length=1, max_length=200, examples=["My phone"])
    database: int | None = None


class CaptureAddressOut(BaseModel):
    """`address` takes lines from whoever knows it, `mail` mails where the installation takes any; `example` is a request to
    copy."""

    id: int
    name: str
    database: int | None
    address: str
    mail: str | None
    example: str
    taken: int
    last_at: str | None


def _address_out(who: Caller, one: CaptureAddress, token: str) -> CaptureAddressOut:
    address = f"{who.engine.settings.address}/capture/{who.space.id}/{token}"
    return CaptureAddressOut(
        id=one.id,
        name=one.name,
        database=one.database_id,
        address=address,
        mail=capturing.mail_address(who.engine, who.space.id, token),
        example=f"curl --data 'Order reed leather Friday 3pm' -H 'content-type: text/plain' {address}",
        taken=one.taken,
        last_at=one.last_at.isoformat() if one.last_at else None,
    )


@router.get("/capture/addresses")
def list_addresses(who: Editor) -> list[CaptureAddressOut]:
    """One's own; each lets whoever knows it add records, in one's name."""
    return [_address_out(who, one, token) for one, token in captures.addresses(who.engine, who.space, who.person)]


@router.post("/capture/addresses", status_code=201)
def make_address(who: Editor, body: CaptureAddressIn) -> list[CaptureAddressOut]:
    captures.make_address(who.engine, who.space, who.person, body.name, body.database)
    return list_addresses(who)


@router.delete("/capture/addresses/{address_id}", status_code=204)
def remove_address(who: Editor, address_id: int) -> None:
    captures.remove_address(who.space, who.person, address_id)
