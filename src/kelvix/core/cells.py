"""What the trial grid holds: a cell for each line and sample, and what the document alone says is not right."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from kelvix.core.filling import FieldResult, FieldState, Remedy
from kelvix.core.outcome import AskPerson, CellState, ChangeRecord, Plan
from kelvix.core.values import FieldId, RecordId, Value


@dataclass(frozen=True)
class Answer:
    """What was found: how many records, counted up to finding.MAX_COUNTED, the one that is taken, and when it was read;
    `records` are all of them, where all are taken. `problem`: why an app could not be asked, as a sentence."""

    count: int
    record: RecordId | None
    values: Mapping[FieldId, Value]
    at: datetime
    records: tuple[tuple[RecordId, Mapping[FieldId, Value]], ...] = ()
    problem: str = ""


@dataclass(frozen=True)
class PartResult:
    """What a part of a line, named by its key, comes to for one sample: a Shape line's value, or what a Find
    line compares with."""

    key: str
    state: FieldState
    value: Value = None
    sentence: str = ""
    remedies: tuple[Remedy, ...] = ()


@dataclass(frozen=True)
class Cell:
    """What a line would do with a sample, and all that is shown of it. `note` is the short word under the state; `results` are
    an Add line's fields, `parts` a Shape line's values or a Find line's comparisons, these by their place; `doubts` counts
    those to look at; `rows` says of each row of an Only if line whether it holds; `answer` is what a Find line found. Within a
    Repeat line, `round` is the one that is shown of `rounds`, in `wrong_rounds` of which this line is not right."""

    line: str
    would: Plan
    note: str = ""
    results: tuple[FieldResult, ...] = ()
    doubts: int = 0
    rows: tuple[bool | None, ...] = ()
    parts: tuple[PartResult, ...] = ()
    answer: Answer | None = None
    round: int = 0
    rounds: int = 0
    wrong_rounds: int = 0

    @property
    def writes(self) -> Mapping[FieldId, Value]:
        """Return the values that would be written of a record, by field; none where nothing is."""
        would = self.would
        return would.values or {} if isinstance(would, ChangeRecord | AskPerson) else {}

    @property
    def state(self) -> CellState:
        """How the grid shows it; nothing is decided by it."""
        return self.would.code


@dataclass(frozen=True)
class Finding:
    """What the document alone, or its targets, say is not right: on a line, and there on a field or a shaped value."""

    line: str
    sentence: str
    field: FieldId | None = None
    remedies: tuple[Remedy, ...] = ()
    key: str | None = None


def count_of(number: int, one: str, many: str) -> str:
    """Return a number with its word."""
    return f"{number} {one if number == 1 else many}"
