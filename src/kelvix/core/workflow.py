"""The workflow document: lines that start with a verb. Frozen, so that a version can be kept and compared."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

Mode = Literal["all", "any"]
Operator = Literal[
    "is", "is_not", "mentions", "mentions_none", "begins", "ends", "before", "after", "less", "more", "filled", "empty"
]
OPERATOR_WORDS: dict[Operator, str] = {
    "is": "is",
    "is_not": "is not",
    "mentions": "mentions",
    "mentions_none": "does not mention",
    "begins": "begins with",
    "ends": "ends with",
    "before": "is before",
    "after": "is after",
    "less": "is less than",
    "more": "is more than",
    "filled": "is filled",
    "empty": "is empty",
}


@dataclass(frozen=True)
class Reference:
    """A carried value, by the line that produced it and the value's key."""

    line: str
    value: str


@dataclass(frozen=True)
class Part:
    """A piece of a filling: typed text, or a carried value. Exactly one of the two is set."""

    text: str | None = None
    ref: Reference | None = None


Filling = tuple[Part, ...]


@dataclass(frozen=True)
class When:
    """Where a workflow starts: an event in a container of an app, reached through a connection."""

    id: str
    app: str = "mail"
    event: str = "arrives"
    connection: int | None = None
    container: str | None = None
    container_name: str = ""
    verb: Literal["when"] = "when"


@dataclass(frozen=True)
class Condition:
    """`words` are what the operator compares with: any of them will do."""

    ref: Reference
    operator: Operator
    words: tuple[str, ...] = ()


@dataclass(frozen=True)
class OnlyIf:
    id: str
    mode: Mode = "all"
    conditions: tuple[Condition, ...] = ()
    verb: Literal["only_if"] = "only_if"


@dataclass(frozen=True)
class FieldFilling:
    field: int
    filling: Filling


@dataclass(frozen=True)
class Add:
    """Add a record to a database. A field that is not named is left empty."""

    id: str
    database: int | None = None
    fillings: tuple[FieldFilling, ...] = ()
    verb: Literal["add"] = "add"

    def filling(self, field_id: int) -> Filling:
        return next((f.filling for f in self.fillings if f.field == field_id), ())


Line = When | OnlyIf | Add


@dataclass(frozen=True)
class Workflow:
    """The lines in order; the first is the When line."""

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


MOST_LINES = 100


def check_shape(workflow: Workflow) -> None:
    """Raises BadDocument. A draft may be incomplete; it may not be self-contradictory."""
    if not isinstance(workflow.when, When) or any(isinstance(ln, When) for ln in workflow.lines[1:]):
        raise BadDocument("a workflow has one When line, at its head")
    if len(workflow.lines) > MOST_LINES:
        raise BadDocument(f"a workflow has at most {MOST_LINES} lines")
    ids = [ln.id for ln in workflow.lines]
    if len(set(ids)) != len(ids) or not all(i and len(i) <= 20 for i in ids):
        raise BadDocument("each line needs an id of its own, of at most 20 characters")
    for line in workflow.lines:
        if isinstance(line, Add):
            named = [f.field for f in line.fillings]
            if len(set(named)) != len(named):
                raise BadDocument("a line fills a field only once")
            for part in (p for f in line.fillings for p in f.filling):
                if (part.text is None) == (part.ref is None):
                    raise BadDocument("a part of a filling is either typed text or a carried value")
