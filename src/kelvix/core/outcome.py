"""What a line did, and what it would do: one type for each kind, shared by runs, rehearsals, backcasts and whoever looks back.

What a line *did* is an `Outcome`, kept as its code, a word that names what became of the line, with JSON beside it. `read`
gives its type back; nothing else looks into that JSON, and no sentence is taken apart to learn what happened. What a line
*would* do with what it is given is a `Plan`: a run carries out that very value, a rehearsal shows it, a backcast counts it.
Nothing is decided by the word under which the grid shows it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from datetime import datetime
from typing import Any, ClassVar, Literal, TypedDict

from kelvix.core.values import FieldId, File, RecordId, Value, Wire, shorten

DONE_TO_RECORDS = ("added", "updated", "unchanged", "there", "deleted")
UNDER_WAY = ("sending", "to_send", "in_doubt")  # what a line writes outside has not ended: it goes on from its intent


_BY_CODE: dict[str, type[Outcome]] = {}


@dataclass(frozen=True)
class Outcome:
    """`code` says what became of the line: it went on, was passed by, was left out. `more` is kept with it as it is. `codes`:
    those under which a type of outcome is found again."""

    code: str
    more: Mapping[str, Any] = field(default_factory=dict, kw_only=True)
    codes: ClassVar[tuple[str, ...]] = ()
    optional: ClassVar[tuple[str, ...]] = ()  # what is kept only where it is there

    def __init_subclass__(cls) -> None:
        if taken := [c for c in cls.codes if c in _BY_CODE]:
            raise TypeError(f"another type of outcome has the code {taken[0]}")
        _BY_CODE.update(dict.fromkeys(cls.codes, cls))

    def kept(self) -> Any:
        """Return the JSON that is kept with the code, or None."""
        own = {name: getattr(self, name) for name in _own(type(self))}
        return {k: v for k, v in own.items() if v is not None or k not in self.optional} | dict(self.more) or None

    def shown(self) -> Any:
        """Return the same without what is there only to go on with."""
        return self.kept()

    @property
    def did(self) -> str:
        """What was done outside, for a person who looks for an item; nothing where that is said in another way."""
        return ""

    @property
    def stays(self) -> str:
        """What stays as it is when the run is undone, as a sentence."""
        return ""

    @property
    def end(self) -> str:
        """How the line ended the run, or the lines within the same one, where it did."""
        return self.code if self.code in (PassBy.code, Leave.code) else ""

    @property
    def rested_since(self) -> str | None:
        """From when the run rested at the line (ISO 8601), where it did."""
        since: str | None = getattr(self, "since", None) or self.more.get("since")
        return since


_NAMES: dict[type[Outcome], tuple[str, ...]] = {}  # looked up once: runs keep an outcome for each of their lines


def _own(kind: type[Outcome]) -> tuple[str, ...]:
    """Return the names of what a kind of outcome keeps beside its code."""
    if kind not in _NAMES:
        _NAMES[kind] = tuple(f.name for f in fields(kind) if f.name not in ("code", "more"))
    return _NAMES[kind]


@dataclass(frozen=True)
class Wrote(Outcome):
    """A record was added, updated, deleted, or there already. `values`: those that lines below can use; `count`: how many
    records it changed."""

    database: int = 0
    database_name: str = ""
    record: RecordId | None = None
    title: str = ""
    link: str | None = None
    values: Mapping[str, Wire] = field(default_factory=dict)
    count: int = 1
    is_new: bool = False
    codes = DONE_TO_RECORDS

    @property
    def changed(self) -> bool:
        """Whether a record is not as it was."""
        return self.code in ("added", "updated", "deleted")

    @property
    def stays(self) -> str:
        return str(self.more.get("stays", ""))


@dataclass(frozen=True)
class FoundRecords(Outcome):
    """What a Find line found: the record that is taken, how many there are, and all of them where all are taken."""

    database: int = 0
    database_name: str = ""
    count: int = 0
    record: RecordId | None = None
    title: str = ""
    link: str | None = None
    values: Mapping[str, Wire] = field(default_factory=dict)
    records: Sequence[Any] = ()  # of each its id and its values

    def shown(self) -> Any:
        return {k: v for k, v in self.kept().items() if k != "records"}


@dataclass(frozen=True)
class Shaped(Outcome):
    """The values that a line made, by name."""

    values: Mapping[str, Wire] = field(default_factory=dict)
    codes = ("fits",)

    def kept(self) -> Any:
        return dict(self.values)


class SentMail(TypedDict):
    to: list[str]
    subject: str
    link: str | None


@dataclass(frozen=True)
class MailsSent(Outcome):
    mails: Sequence[SentMail] = ()
    app: str = ""

    @property
    def did(self) -> str:
        if not self.mails:
            return ""
        return f"an email went to {self.mails[0]['to'][0]}" + (f", and {len(self.mails) - 1} more" if self.mails[1:] else "")

    @property
    def stays(self) -> str:
        number = len(self.mails)
        return f"{number} emails were sent and can’t be undone." if number > 1 else "1 email was sent and can’t be undone."


@dataclass(frozen=True)
class FileSaved(Outcome):
    """`happened`: added, replaced, or there."""

    name: str = ""
    link: str | None = None
    identifier: str = ""
    happened: str = ""
    folder: str = ""
    app: str | None = None
    codes = ("saved",)
    optional = ("app",)

    @property
    def did(self) -> str:
        return f"“{shorten(self.name)}” was saved in {self.folder}"


@dataclass(frozen=True)
class Operated(Outcome):
    """An operation of an app was done to an item."""

    words: str = ""
    title: str = ""
    link: str | None = None
    place: str = ""
    app: str = ""
    app_name: str = ""
    codes = ("did",)

    @property
    def did(self) -> str:
        return f"{self.app_name} did this to “{shorten(self.title)}”: {self.words}"

    @property
    def stays(self) -> str:
        return f"In {self.app_name}, this can’t be undone: {self.words}."


@dataclass(frozen=True)
class Requested(Outcome):
    """A web request: on its way, to be sent again, in doubt, or sent, with what was answered. `by` said that it arrived. What
    is in doubt of mails and files has nothing beside its code."""

    attempt: int = 1
    method: str = ""
    address: str = ""
    headers: Sequence[Sequence[str]] = ()
    secrets: Sequence[Sequence[Any]] = ()
    body: str = ""
    status: int | None = None
    answer: str | None = None
    taken: Mapping[str, Wire] | None = None
    by: str | None = None
    codes = UNDER_WAY
    optional = ("status", "answer", "taken", "by")

    @property
    def stays(self) -> str:
        return "A web request was sent and can’t be undone." if self.code == "sent" else ""


@dataclass(frozen=True)
class RanAnother(Outcome):
    workflow: int = 0
    workflow_name: str = ""
    codes = ("ran",)


@dataclass(frozen=True)
class Decided(Outcome):
    """Which way was taken: its name and the line that it is; no line where nothing is on the way."""

    way: str = ""
    taken: str | None = None


@dataclass(frozen=True)
class Rounds(Outcome):
    """How many of a line's rounds are over."""

    done: int = 0
    of: int = 0
    codes = ("repeating", "repeated")


@dataclass(frozen=True)
class Rested(Outcome):
    """A run rests, or rested, from a moment to another (ISO 8601)."""

    since: str = ""
    until: str = ""
    codes = ("waits", "waited")


@dataclass(frozen=True)
class Asked(Outcome):
    """A person is asked since a moment."""

    since: str = ""
    codes = ("asks",)


@dataclass(frozen=True)
class AnsweredBy(Outcome):
    """A person answered: whether it is approved, and the values as they were left."""

    since: str = ""
    by: str | None = None
    approved: bool = False
    values: Mapping[str, Wire] = field(default_factory=dict)
    codes = ("answered",)


@dataclass(frozen=True)
class Stopped(Outcome):
    """A line that ends the run: what it says, and the reason alone."""

    said: str = ""
    why: str | None = None
    codes = ("stops",)
    optional = ("why",)

    @property
    def reason(self) -> str:
        """The reason alone; of what was kept before it was, as it stands behind the rest."""
        return self.why if self.why is not None else self.said.partition(": ")[2]


@dataclass(frozen=True)
class Failed(Outcome):
    """It could not be carried out, for these reasons."""

    problems: Sequence[str] = ()
    codes = ("failed",)


def read(code: str, kept: Any) -> Outcome:
    """Return an outcome as it was kept."""
    if not isinstance(kept, dict):
        return Outcome(code)
    type_ = _type(code, kept)
    if type_ is Shaped:
        return Shaped(code, kept)
    names = _own(type_)
    more = {k: v for k, v in kept.items() if k not in names}
    return type_(code, **{k: v for k, v in kept.items() if k in names}, more=more)


def _type(code: str, kept: Mapping[str, Any]) -> type[Outcome]:
    if code == "sent":
        return MailsSent if "mails" in kept else Requested
    if "way" in kept and "taken" in kept:
        return Decided
    if code not in _BY_CODE and "database" in kept and "count" in kept:
        return Wrote if "is_new" in kept else FoundRecords
    return _BY_CODE.get(code, Outcome)


CellState = Literal[
    "in",
    "goes_on",
    "passed_by",
    "left",
    "taken",
    "not_taken",
    "rounds",
    "stops",
    "asks",
    "fits",
    "found",
    "found_none",
    "waits",
    "waiting",
    "put_right",
    "not_reached",
    "unready",
]


@dataclass(frozen=True)
class Mail:
    """A mail: who gets it, its text, and the table that is laid out below that."""

    to: tuple[str, ...]
    subject: str
    text: str
    heads: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()


@dataclass(frozen=True)
class WebCall:
    """A web request: `headers` without those that are secret, which are the numbers of `secrets` by name; `body` is JSON, or
    nothing."""

    method: str
    address: str
    headers: tuple[tuple[str, str], ...] = ()
    secrets: tuple[tuple[str, int], ...] = ()
    body: str = ""


@dataclass(frozen=True)
class Saving:
    """A file, and the name and folder that it is saved under."""

    file: File
    name: str
    folder: str


class Plan:
    """What a line would do with what it is given. `code` is the word by which the grid shows it; a line that changes nothing is
    recorded under it."""

    code: CellState


class Lasting(Plan):
    """Something that is done once."""


@dataclass(frozen=True)
class GoOn(Plan):
    """Do nothing that lasts: the lines below go on, with what this one computed or looked up."""

    code: CellState = "goes_on"


@dataclass(frozen=True)
class PassBy(Plan):
    """End the run here, as a condition asks for."""

    code: CellState = field(default="passed_by", init=False)


@dataclass(frozen=True)
class Leave(Plan):
    """Leave what stands within the same line; the run goes on below it."""

    code: CellState = field(default="left", init=False)


@dataclass(frozen=True)
class End(Plan):
    """End the run: done, passed by or failed, for a reason."""

    how: Literal["done", "passed_by", "failed"]
    why: str = ""
    code: CellState = field(default="stops", init=False)


@dataclass(frozen=True)
class NotTaken(Plan):
    """A way of a decision that is not gone."""

    code: CellState = field(default="not_taken", init=False)


@dataclass(frozen=True)
class NotReached(Plan):
    """A line above ends what comes here."""

    code: CellState = field(default="not_reached", init=False)


@dataclass(frozen=True)
class ReadFirst(Plan):
    """Wait for what is being read: only a rehearsal does not have it yet."""

    code: CellState = field(default="waiting", init=False)


@dataclass(frozen=True)
class Rest(Lasting):
    """Let the run rest until a moment."""

    until: datetime
    code: CellState = field(default="waits", init=False)


@dataclass(frozen=True)
class AskPerson(Lasting):
    """Ask a person, and let the run rest until there is an answer. `values`: what is written then, where the question is which
    record is meant."""

    values: Mapping[FieldId, Value] | None = None
    code: CellState = field(default="asks", init=False)


@dataclass(frozen=True)
class ChangeRecord(Lasting):
    """Write a record: add it, change it, or delete it. `values`: what is written."""

    values: Mapping[FieldId, Value]
    code: CellState = field(default="fits", init=False)


@dataclass(frozen=True)
class SendMails(Lasting):
    """Send mails."""

    mails: tuple[Mail, ...]
    code: CellState = field(default="fits", init=False)


@dataclass(frozen=True)
class SendRequest(Lasting):
    """Send a web request."""

    call: WebCall
    code: CellState = field(default="fits", init=False)


@dataclass(frozen=True)
class StoreFile(Lasting):
    """Save a file in a folder of an app."""

    saving: Saving
    code: CellState = field(default="fits", init=False)


@dataclass(frozen=True)
class StartWorkflow(Lasting):
    """Start another workflow."""

    code: CellState = field(default="fits", init=False)


@dataclass(frozen=True)
class Problem(Plan):
    """Nothing: the line, or what it is given, is to be put right first. `code`: unready where the line was never finished."""

    code: CellState = "put_right"


UNREADY = Problem("unready")
