"""Quick input: what lines are understood to mean, and keeping them as records."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from kelvix.collections import write
from kelvix.collections.write import Actor
from kelvix.core import file_name, page_fields, proposing, quick_input
from kelvix.core.collection import PermanentError, TransientError
from kelvix.core.fields import TYPES
from kelvix.core.finding import Question
from kelvix.core.not_found import NotFoundError
from kelvix.core.query import Comparison
from kelvix.core.quick_input import Quick
from kelvix.core.schema import TEXT_FIELD, Database, Field
from kelvix.core.values import FieldId, Value, shorten
from kelvix.engine import reading_pages
from kelvix.engine.engine import Engine
from kelvix.formats.article import Article
from kelvix.store import captures, databases, finding, kept_files, people
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

MAX_PAGES = 5  # that are read for one capture


class NotKept(Exception):
    """Why a capture cannot be kept: a sentence, and what to do."""

    def __init__(self, sentence: str, advice: str):
        super().__init__(sentence)
        self.advice = advice


@dataclass(frozen=True)
class Line:
    """A record that is meant: the line as it was typed, the text below it, and what both are understood as. `known_by`: the
    field by which it is known again, where it is kept once only."""

    line: str
    text: str
    quick: Quick
    known_by: FieldId | None = None


@dataclass(frozen=True)
class Sent:
    """A file that came with a capture; its name is a clean one."""

    name: str
    content: bytes


@dataclass(frozen=True)
class Reading:
    """What a capture is understood as. `people` are the names that were matched."""

    database: Database
    lines: tuple[Line, ...]
    people: tuple[str, ...]


def mail_address(engine: Engine, workspace_id: int, token: str) -> str | None:
    """Where mail for a capture address goes, if the installation takes any."""
    if not engine.settings.capture_smtp_port:
        return None
    return f"capture-{workspace_id}-{token}@{engine.settings.capture_mail_domain}"


def read(engine: Engine, space: Space, person_id: int, text: str, database_id: int | None, each: bool) -> Reading:
    """Without a database, it goes where captures with its words were kept before. Raises NotKept, NotFoundError."""
    names = tuple(engine.directory.home.read(lambda t: people.names(t, space.id)))
    return space.read(lambda t: _read(t, space, person_id, text, database_id, each, names))


def _read(
    t: Transaction, space: Space, person_id: int, text: str, database_id: int | None, each: bool, names: tuple[str, ...]
) -> Reading:
    known = databases.load(t, space.id)
    if not known:
        raise NotKept("There is no database to save to.", "Create one first.")
    chosen = known.get(database_id) if database_id is not None else known[_proposed(t, space, person_id, text, known)]
    if chosen is None:
        raise NotFoundError("database not found")
    env = space.env(datetime.now(UTC))
    lines = quick_input.lines_of(text, each)
    if len(lines) > quick_input.MAX_LINES:
        raise NotKept(f"These are {len(lines)} records at once.", f"Send at most {quick_input.MAX_LINES}.")
    return Reading(
        chosen, tuple(Line(line, more, quick_input.understand(line, chosen, names, env)) for line, more in lines), names
    )


def with_pages(engine: Engine, space: Space, reading: Reading) -> Reading:
    """Return the lines with what the pages say whose addresses they have. Raises NotKept."""
    lines: list[Line] = []
    read = 0
    for one in reading.lines:
        field = next((f for f in reading.database.fields if TYPES[f.type].is_address and one.quick.values.get(f.id)), None)
        if field is None:
            lines.append(one)
            continue
        read += 1
        if read > MAX_PAGES:
            raise NotKept(f"These are more than {MAX_PAGES} pages at once.", "Save fewer at a time.")
        address = str(one.quick.values[field.id])
        try:
            page = reading_pages.fetch(engine, address)
        except (TransientError, PermanentError) as failure:
            raise NotKept(f"The page couldn’t be read: {failure}.", "Save the line without its page.") from None
        lines.append(_with_page(space, reading.database, one, field, page, address))
    return replace(reading, lines=tuple(lines))


def with_posted_page(space: Space, reading: Reading, page: Article) -> Reading:
    """Return the first line, which has the page's address, with what the page says."""
    field = next((f for f in reading.database.fields if TYPES[f.type].is_address), None)
    line = _with_page(space, reading.database, reading.lines[0], field, page, page.address)
    return replace(reading, lines=(line, *reading.lines[1:]))


def with_names(space: Space, reading: Reading, sent: Mapping[str, object], only: bool) -> Reading:
    """Return the first line with the fields that were sent by their names. `only`: nothing else was sent, and nothing is read
    out of the line, which is the name or else the first of them."""
    database, first = reading.database, reading.lines[0]
    quick, left = quick_input.by_names(sent, database, space.env(datetime.now(UTC)))
    title = database.fields[0].id
    before: dict[FieldId, Value] = {title: shorten(first.line, 200)} if only else dict(first.quick.values)
    text = quick.values.get(TEXT_FIELD) or first.text
    more: dict[FieldId, Value] = {TEXT_FIELD: "\n".join(filter(None, (str(text), *left)))} if text or left else {}
    whole = Quick(
        before | quick.values | more,
        first.quick.pieces if not only else (),
        (*(() if only else first.quick.wrong), *quick.wrong),
        (*(() if only else first.quick.unclear), *quick.unclear),
    )
    return replace(reading, lines=(replace(first, quick=whole), *reading.lines[1:]))


def with_files(t: Transaction, space: Space, reading: Reading, files: Sequence[Sent]) -> Reading:
    """Return the first line with these files in the fields for files of its database, in their order. Those for which there
    is no field are named in its text: nothing that was sent goes unsaid."""
    if not files or not reading.lines:
        return reading
    fields = [f for f in reading.database.fields if TYPES[f.type].family == "file" and not TYPES[f.type].has_many]
    first = reading.lines[0]
    values = dict(first.quick.values)
    for field, sent in zip(fields, files, strict=False):
        values[field.id] = kept_files.keep_within(t, space, sent.name, file_name.kind(sent.name), sent.content)
    if left := ", ".join(sent.name for sent in files[len(fields) :]):
        text = str(values.get(TEXT_FIELD) or first.text)
        values[TEXT_FIELD] = "\n".join(filter(None, (text, f"Not saved: {left}")))
    return replace(reading, lines=(replace(first, quick=replace(first.quick, values=values)), *reading.lines[1:]))


def _with_page(space: Space, database: Database, one: Line, field: Field | None, page: Article, address: str) -> Line:
    values = dict(one.quick.values)
    if field is not None:
        finding.prepare(space.server, database, (field.id,))
        values[field.id] = page.address
    more = {TEXT_FIELD: one.text} if one.text else {}
    env = space.env(datetime.now(UTC))
    values |= page_fields.fill(database, reading_pages.about(page), {**values, **more}, address, env)
    return replace(one, quick=replace(one.quick, values=values), known_by=field.id if field else None)


def _unless_there(t: Transaction, engine: Engine, space: Space, database: Database, one: Line) -> None:
    """Look for what is known again. Raises NotKept where a record is there by which it is known again; nobody else adds it
    meanwhile."""
    if one.known_by is None:
        return
    asked = Question(database.id, "all", (Comparison(one.known_by, "is", one.quick.values[one.known_by]),), "oldest")
    finding.hold(t, space.id, asked)
    if there := finding.find_all(t, database, asked, space.zone):
        link = f"{engine.settings.address}/databases/{database.id}/{there[0]}"
        raise NotKept(f"This page is already in {database.name}.", f"Open it at {link}.")


def _proposed(t: Transaction, space: Space, person_id: int, text: str, known: dict[int, Database]) -> int:
    words = quick_input.words_of(text[:2000])
    counts = captures.counts(t, space.id, person_id, words)
    last = captures.last_used(t, space.id, person_id)
    found = proposing.database_for(words, counts, captures.ANY, known, last)
    assert found is not None
    return found


def keep(t: Transaction, engine: Engine, space: Space, person_id: int, reading: Reading, actor: Actor) -> list[tuple[int, int]]:
    """Within the caller's transaction, a record for each line: their ids and changes' numbers. All are kept, or none. Raises
    NotKept."""
    database = reading.database
    if not reading.lines:
        raise NotKept("There is no text to save.", "Type some text first.")
    kept = []
    for one in reading.lines:
        _unless_there(t, engine, space, database, one)
        values = dict(one.quick.values)
        if one.text:
            values.setdefault(TEXT_FIELD, one.text)
        missing = [f.name for f in database.fields if f.required and values.get(f.id) is None]
        if missing:
            said = f"A record of {database.name} also needs {', '.join(missing)}."
            hint = f"Type it too, for example “{missing[0]}: …”, or add the record in the database: {shorten(one.line, 60)}"
            raise NotKept(said, hint)
        kept.append(write.add(t, space.id, database, values, actor))
        captures.learn(t, space.id, person_id, database.id, quick_input.words_of(one.line))
    return kept
