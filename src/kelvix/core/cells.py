"""What the trial grid holds: a cell for each line and sample, and what the document alone says is not right."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from kelvix.core.filling import FieldResult, FieldState, Remedy
from kelvix.core.values import FieldId, File, Value

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
class Answer:
    """What was found: how many records, counted no further than finding.MOST, the one that is taken, and when it was read;
    `records` are all of them, where all are taken."""

    count: int
    record: int | None
    values: Mapping[FieldId, Value]
    at: datetime
    records: tuple[tuple[int, Mapping[FieldId, Value]], ...] = ()


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
    """`note` is the short word under the state; `results` are an Add line's fields, `parts` a Shape line's values or a Find
    line's comparisons, these by their place; `doubts` counts those to look at; `rows` says of each row of an Only if line
    whether it holds; `answer` is what a Find line found. Within a Repeat line, `round` is the one that is shown of `rounds`, in
    `wrong_rounds` of which this line is not right. `mails` are what a Send a mail line sends, and
    `call` what a web request is, `saving` what a Save a file line saves; `said` is why a Stop line ends the run."""

    line: str
    state: CellState
    note: str = ""
    results: tuple[FieldResult, ...] = ()
    doubts: int = 0
    rows: tuple[bool | None, ...] = ()
    parts: tuple[PartResult, ...] = ()
    answer: Answer | None = None
    round: int = 0
    rounds: int = 0
    wrong_rounds: int = 0
    mails: tuple[Mail, ...] = ()
    call: WebCall | None = None
    saving: Saving | None = None
    said: str = ""


@dataclass(frozen=True)
class Finding:
    """What the document alone, or its targets, say is not right: on a line, and there on a field or a shaped value."""

    line: str
    sentence: str
    field: FieldId | None = None
    remedies: tuple[Remedy, ...] = ()
    key: str | None = None
