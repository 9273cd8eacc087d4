"""The workflow document: lines that start with a verb, and what they are made of. Frozen, so that a version can be kept and
compared. Each kind of line is declared beside what it does, in core/lines."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal, Union

from kelvix.core.operators import Operator
from kelvix.core.values import FieldId, Type

Mode = Literal["all", "any", "none"]
OFTEN, SELDOM = 20, 86_400  # seconds between checks of a source, at least and at most


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
class Watch:
    """What must have become of an item of an app: the same as of a record of ours (RecordEvent)."""

    fields: tuple[FieldId, ...] = ()
    field: FieldId | None = None
    was: str = ""
    becomes: str = ""
    quiet: int = 0
    filled: tuple[FieldId, ...] = ()


@dataclass(frozen=True)
class Awaited:
    """What a workflow waits for in an app: an event, and what more is said of it."""

    event: str
    watch: Watch = Watch()

    @property
    def waits(self) -> bool:
        """Whether an item must be left alone, or be filled, before the workflow starts."""
        return bool(self.watch.quiet or self.watch.filled)


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
    """A value that a request brings. `place`: where it stands; `key` is the name there, nested ones with dots."""

    key: str
    type: Type = "text"
    required: bool = False
    place: Literal["body", "query", "header"] = "body"

    @property
    def carried(self) -> str:
        """By which key lines know it."""
        return self.key if self.place == "body" else f"{self.place}:{self.key}"


@dataclass(frozen=True)
class InputList:
    """A list that a request brings in its body, and what each of its rows has."""

    key: str
    fields: tuple[Input, ...] = ()


@dataclass(frozen=True)
class Address:
    """Requests to a web address of the workflow's own. `signed`: only those that are signed; `secret`: only those that bring
    the secret; `ranges`: only those that come from one of these addresses; `limit`: how many a minute are taken, 0 for as many
    as come."""

    inputs: tuple[Input, ...] = ()
    lists: tuple[InputList, ...] = ()
    signed: bool = False
    secret: bool = False
    ranges: tuple[str, ...] = ()
    limit: int = 0
    kind: Literal["address"] = "address"


Own = RecordEvent | Schedule | Address  # what happens in Kelvix itself


class Line:
    """One line of a workflow. Each kind of it is a frozen dataclass beside what the kind does (core/lines), known by `verb`.
    It has an `id`, and says by `within` which line it stands within, if any."""

    id: str
    verb: str
    within: str = ""

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: Callable[[Any], Any]) -> Any:
        """Let `Line`, where a document is read or written, be any of the kinds that there are."""
        if cls is not Line:
            return handler(source)
        from kelvix.core.lines import KINDS  # each of them is built on this module

        return handler(Union[tuple(kind.line for kind in KINDS.values())])  # noqa: UP007


class Narrows(Line):
    """A line with conditions."""

    mode: Mode
    conditions: tuple[Test, ...]


class Writes(Line):
    """A line that changes a database."""


class Fills(Writes):
    """A line that fills fields of a record."""

    fillings: tuple[FieldFilling, ...]


class Adds(Fills):
    """A line that may add a record."""

    database: int | None


@dataclass(frozen=True)
class When(Line):
    """Where a workflow starts: an event in a container of an app, reached through a connection; or one of Kelvix itself.
    `every`: seconds between checks, where the app does not push. `event` is one of the app's own, or one that any app has
    (core/watching.py), of which `watch` says more. `order`: runs go side by side, or one after the other where they are about
    the same item, or all of them."""

    id: str
    app: str = "mail"
    event: str = "arrives"
    connection: int | None = None
    container: str | None = None
    container_name: str = ""
    own: Own | None = None
    watch: Watch = Watch()
    every: int = OFTEN
    order: Literal["any", "item", "all"] = "any"
    verb: Literal["when"] = "when"

    @property
    def awaited(self) -> Awaited:
        return Awaited(self.event, self.watch)


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
class FieldFilling:
    """`named` is what the field was called when this was filled, to tell of renames and deletions since. `empty` says what an
    empty value does to a record that is there: leave the field as it is, or clear it."""

    field: FieldId
    filling: Filling
    named: str = ""
    empty: Literal["leave", "clear"] = "leave"


@dataclass(frozen=True)
class Given:
    """A value by its name, and what it is filled with."""

    key: str
    filling: Filling = ()


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
