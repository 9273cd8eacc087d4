"""The workflow document: lines that start with a verb. Frozen, so that a version can be kept and compared."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from kelvix.core.operators import Operator
from kelvix.core.values import FieldId, Type

Mode = Literal["all", "any", "none"]


@dataclass(frozen=True)
class Reference:
    """A carried value, by the line that produced it and the value's key."""

    line: str
    value: str


@dataclass(frozen=True)
class Formula:
    """An expression. `tree` is its parsed form (core/feel/tree.py), in JSON; where it could not be read yet, `text` is what was
    typed. Exactly one of the two is set."""

    tree: str = ""
    text: str = ""
    kind: Literal["formula"] = "formula"


@dataclass(frozen=True)
class Part:
    """A piece of a filling: typed text, a carried value, or a formula. Exactly one of them is set."""

    text: str | None = None
    ref: Reference | None = None
    formula: Formula | None = None


Filling = tuple[Part, ...]


@dataclass(frozen=True)
class RecordEvent:
    """Something happens to a record of ours. `fields`: those of which a change counts, any where none is named. `field`, `was`
    and `becomes`: the field that reaches a value, from another or from any. `quiet` is for how many seconds the record must
    have been left alone, and `filled` the fields that must be filled, before the workflow starts."""

    database: int | None = None
    event: Literal["added", "changed", "reached", "button", "database_button"] = "added"
    fields: tuple[FieldId, ...] = ()
    field: FieldId | None = None
    was: str = ""
    becomes: str = ""
    quiet: int = 0
    filled: tuple[FieldId, ...] = ()
    button: str = ""
    kind: Literal["record"] = "record"


@dataclass(frozen=True)
class Schedule:
    """Times that come round: an iCalendar rule (RFC 5545), which begins at `start`, or a cron expression; on the workspace's
    clock."""

    rule: str = "FREQ=DAILY"
    cron: str = ""
    start: str = "2026-01-01T09:00"
    kind: Literal["schedule"] = "schedule"


@dataclass(frozen=True)
class Input:
    """A value that a request brings. `key` is the name in its body, nested ones with dots."""

    key: str
    type: Type = "text"
    required: bool = False


@dataclass(frozen=True)
class Address:
    """Requests to a web address of the workflow's own. `signed`: only those that prove themselves; `limit`: how many a minute
    are taken, 0 for as many as come."""

    inputs: tuple[Input, ...] = ()
    signed: bool = False
    limit: int = 0
    kind: Literal["address"] = "address"


Own = RecordEvent | Schedule | Address  # what happens in Kelvix itself


@dataclass(frozen=True)
class When:
    """Where a workflow starts: an event in a container of an app, reached through a connection; or one of Kelvix itself.
    `order`: runs go side by side, or one after the other where they are about the same item, or all of them."""

    id: str
    app: str = "mail"
    event: str = "arrives"
    connection: int | None = None
    container: str | None = None
    container_name: str = ""
    own: Own | None = None
    order: Literal["any", "item", "all"] = "any"
    verb: Literal["when"] = "when"


@dataclass(frozen=True)
class Condition:
    """`words` are what the operator compares with: any of them will do."""

    ref: Reference
    operator: Operator
    words: tuple[str, ...] = ()
    kind: Literal["condition"] = "condition"


@dataclass(frozen=True)
class Group:
    """Conditions that go together: all must hold, any, or none."""

    mode: Mode
    conditions: tuple[Condition | Group | Formula, ...] = ()
    kind: Literal["group"] = "group"


Test = Condition | Group | Formula


@dataclass(frozen=True)
class OnlyIf:
    id: str
    mode: Mode = "all"
    conditions: tuple[Condition | Group | Formula, ...] = ()
    within: str = ""
    verb: Literal["only_if"] = "only_if"


@dataclass(frozen=True)
class Decide:
    """Goes one of several ways: its Way lines, from the top, and the Otherwise line at their end."""

    id: str
    within: str = ""
    verb: Literal["decide"] = "decide"


@dataclass(frozen=True)
class Way:
    """One way of a Decide line: taken where its conditions hold, and those of the ways above it do not. `name` is what it is
    called."""

    id: str
    mode: Mode = "all"
    conditions: tuple[Condition | Group | Formula, ...] = ()
    name: str = ""
    within: str = ""
    verb: Literal["way"] = "way"


@dataclass(frozen=True)
class Otherwise:
    """The way of a Decide line that is taken where no other is."""

    id: str
    within: str = ""
    verb: Literal["otherwise"] = "otherwise"


@dataclass(frozen=True)
class Repeat:
    """Its lines are carried out for each row of the list `of`. `collects` is what each round adds to what is collected."""

    id: str
    of: Reference | None = None
    collects: Filling = ()
    within: str = ""
    verb: Literal["repeat"] = "repeat"


@dataclass(frozen=True)
class Stop:
    """Ends the run, in one of the ways in which runs end; `saying` is why."""

    id: str
    how: Literal["done", "passed_by", "failed"] = "passed_by"
    saying: Filling = ()
    within: str = ""
    verb: Literal["stop"] = "stop"


# How a Shape line makes a value


@dataclass(frozen=True)
class Filled:
    """Text and values mixed, or a formula."""

    filling: Filling = ()
    kind: Literal["filled"] = "filled"


@dataclass(frozen=True)
class DatePart:
    """A part of a date and time, by a CLDR pattern; without one, the date itself."""

    of: Reference | None = None
    pattern: str = ""
    kind: Literal["date_part"] = "date_part"


@dataclass(frozen=True)
class Piece:
    """A piece of a text between delimiters, counted from 1, or from the end with -1."""

    of: Reference | None = None
    delimiter: str = ","
    number: int = 1
    kind: Literal["piece"] = "piece"


@dataclass(frozen=True)
class TableRow:
    key: str
    value: str


@dataclass(frozen=True)
class LookUp:
    """A value looked up in a small table."""

    of: Reference | None = None
    rows: tuple[TableRow, ...] = ()
    otherwise: str = ""
    kind: Literal["look_up"] = "look_up"


@dataclass(frozen=True)
class Join:
    """Several values as one text; what is empty is left out."""

    of: tuple[Reference, ...] = ()
    delimiter: str = ", "
    kind: Literal["join"] = "join"


@dataclass(frozen=True)
class Default:
    """The first of several values that is filled, else a typed text."""

    of: tuple[Reference, ...] = ()
    otherwise: str = ""
    kind: Literal["default"] = "default"


@dataclass(frozen=True)
class Cite:
    """A short citation."""

    authors: Reference | None = None
    year: Reference | None = None
    title: Reference | None = None
    kind: Literal["cite"] = "cite"


Making = Filled | DatePart | Piece | LookUp | Join | Default | Cite


@dataclass(frozen=True)
class Shaped:
    """One named value. `key` is its identity; renaming changes nothing else."""

    key: str
    name: str
    made: Making


@dataclass(frozen=True)
class Shape:
    """Makes named values for the lines below."""

    id: str
    values: tuple[Shaped, ...] = ()
    within: str = ""
    verb: Literal["shape"] = "shape"


@dataclass(frozen=True)
class Ask:
    """Ask a person, who says yes or no and may edit the values that are shown. `no`: what becomes of the item then."""

    id: str
    asking: Filling = ()
    shown: tuple[Shaped, ...] = ()
    no: Literal["pass_by", "go_on"] = "pass_by"
    within: str = ""
    verb: Literal["ask"] = "ask"


@dataclass(frozen=True)
class FieldFilling:
    """`named` is what the field was called when this was filled, to tell of renames and deletions since. `empty` says what an
    empty value does to a record that is there: leave the field as it is, or clear it."""

    field: FieldId
    filling: Filling
    named: str = ""
    empty: Literal["leave", "clear"] = "leave"


@dataclass(frozen=True)
class Add:
    """Add a record to a database. A field that is not named is left empty."""

    id: str
    database: int | None = None
    fillings: tuple[FieldFilling, ...] = ()
    within: str = ""
    verb: Literal["add"] = "add"


@dataclass(frozen=True)
class AddOrUpdate:
    """Update the record whose fields `by` are what they are filled with; add one where there is none. `several`: where there
    are several, ask a person which, stop, or update all."""

    id: str
    database: int | None = None
    by: tuple[FieldId, ...] = ()
    fillings: tuple[FieldFilling, ...] = ()
    several: Literal["ask", "stop", "all"] = "stop"
    within: str = ""
    verb: Literal["add_or_update"] = "add_or_update"


@dataclass(frozen=True)
class Update:
    """Change the record that the line `of` found, added or updated. Fields that are not named stay as they are."""

    id: str
    of: str = ""
    fillings: tuple[FieldFilling, ...] = ()
    within: str = ""
    verb: Literal["update"] = "update"


@dataclass(frozen=True)
class Delete:
    """Put the record that the line `of` found, added or updated into the trash."""

    id: str
    of: str = ""
    within: str = ""
    verb: Literal["delete"] = "delete"


@dataclass(frozen=True)
class Wait:
    """Let a run rest: for a span; until the moment that `filling` gives; or until the next working hour, `days` being 1 for
    Monday to 7 for Sunday, `begins` and `ends` the workspace's time."""

    id: str
    kind: Literal["span", "moment", "working"] = "span"
    amount: int = 1
    unit: Literal["minutes", "hours", "days", "weeks"] = "hours"
    filling: Filling = ()
    days: tuple[int, ...] = (1, 2, 3, 4, 5)
    begins: str = "09:00"
    ends: str = "17:00"
    within: str = ""
    verb: Literal["wait"] = "wait"


@dataclass(frozen=True)
class SendMail:
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


@dataclass(frozen=True)
class Given:
    """A value by its name, and what it is filled with."""

    key: str
    filling: Filling = ()


@dataclass(frozen=True)
class RunAnother:
    """Start another workflow, one that takes requests, with the values that it declares."""

    id: str
    workflow: int | None = None
    given: tuple[Given, ...] = ()
    within: str = ""
    verb: Literal["run_another"] = "run_another"


@dataclass(frozen=True)
class Header:
    """A header of a web request: what it is filled with, or the number of a secret that is kept and not shown again."""

    name: str
    filling: Filling = ()
    secret: int | None = None


Method = Literal["POST", "PUT", "PATCH", "GET", "DELETE"]


@dataclass(frozen=True)
class WebRequest:
    """Send values to a web address. `body` are the values by their names in it, nested ones with dots; with GET and DELETE they
    go into the address. `success` are the answers that count as such, as in 2xx, 404. `recognises`: whether the receiver
    recognises a repeat by its Idempotency-Key. `takes` are values that are read out of the answer."""

    id: str
    method: Method = "POST"
    address: Filling = ()
    headers: tuple[Header, ...] = ()
    body: tuple[Given, ...] = ()
    success: str = "2xx"
    recognises: bool = False
    takes: tuple[Input, ...] = ()
    within: str = ""
    verb: Literal["web_request"] = "web_request"


@dataclass(frozen=True)
class SaveFile:
    """Save a file into a folder: the chosen one, else the one that has the name which `folder` is filled with, made where there
    is none if the line `makes` it. Without a `name` it keeps its own; its extension it keeps in any case. `collision`: what
    becomes of one of the same name that is there."""

    id: str
    connection: int | None = None
    container: str | None = None
    container_name: str = ""
    folder: Filling = ()
    makes: bool = False
    file: Filling = ()
    name: Filling = ()
    collision: Literal["number", "replace", "skip"] = "number"
    within: str = ""
    verb: Literal["save_file"] = "save_file"


Adds = Add | AddOrUpdate  # lines that may add a record
Fills = Adds | Update  # lines that fill fields
Writes = Add | AddOrUpdate | Update | Delete  # lines that change a database


def filling_of(line: Fills, field_id: FieldId) -> Filling:
    return next((f.filling for f in line.fillings if f.field == field_id), ())


@dataclass(frozen=True)
class Sought:
    """One comparison of a Find line: a field of the database, and what it is compared with. `named` is what the field was
    called when this was filled, to tell of renames and deletions since."""

    field: FieldId
    operator: Operator = "is"
    filling: Filling = ()
    named: str = ""


@dataclass(frozen=True)
class Figure:
    """A figure made of one field of all records that were found. `key` is its identity."""

    key: str
    kind: Literal["sum", "average", "least", "greatest", "first", "last"] = "sum"
    field: FieldId | None = None


@dataclass(frozen=True)
class Find:
    """Find a record of a database. `several` says which is taken where there are several, that all are, or that the line stops;
    `none` whether a sample goes on where there is none. Where all are taken: the field `order` that they go by, else the order
    in which they were made; the `figures` made of them; and the fields that the text of them lists."""

    id: str
    database: int | None = None
    mode: Literal["all", "any"] = "all"
    sought: tuple[Sought, ...] = ()
    several: Literal["newest", "oldest", "stop", "all"] = "newest"
    none: Literal["go_on", "stop"] = "go_on"
    order: FieldId | None = None
    descending: bool = False
    figures: tuple[Figure, ...] = ()
    listed: tuple[FieldId, ...] = ()
    within: str = ""
    verb: Literal["find"] = "find"


Narrows = OnlyIf | Way  # lines with conditions
Blocks = Way | Otherwise | Repeat  # lines that other lines can stand within
Line = (
    When
    | OnlyIf
    | Shape
    | Find
    | Wait
    | Ask
    | Decide
    | Way
    | Otherwise
    | Repeat
    | Stop
    | Add
    | AddOrUpdate
    | Update
    | Delete
    | SendMail
    | WebRequest
    | SaveFile
    | RunAnother
)


@dataclass(frozen=True)
class Workflow:
    """The lines as they are read, from the top; the first is the When line. A line that stands within another says which by
    `within`, and follows it (core/nesting.py)."""

    lines: tuple[Line, ...] = field(default=())

    @property
    def when(self) -> When:
        """Raises BadDocument where the first line is not a When line."""
        if not self.lines or not isinstance(self.lines[0], When):
            raise BadDocument("a workflow begins with a When line")
        return self.lines[0]

    def line(self, line_id: str) -> Line | None:
        return next((ln for ln in self.lines if ln.id == line_id), None)


class BadDocument(ValueError):
    """A document that is not a workflow, whatever its values. The message is a sentence."""
