"""A kind of line that a Python package of its own brings: labels are printed, to be tied to the pipes of an organ."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

from kelvix.core.cells import Cell, Finding
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.filling import Carried, compute, is_filled, references
from kelvix.core.lines.form import Blank, Form
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import UNREADY, Lasting, Outcome, Problem
from kelvix.core.schema import CarriedField
from kelvix.core.values import Unfit, as_text
from kelvix.core.workflow import Filling, Line

MAX_LETTERS = {"small": 24, "large": 60}
FIELDS = (CarriedField("number", ("Label", "Number"), "number"),)


@dataclass(frozen=True)
class PrintLabel(Line):
    id: str
    text: Filling = ()
    size: Literal["small", "large"] = "small"
    copies: int = 1
    within: str = ""
    verb: Literal["print_label"] = "print_label"


@dataclass(frozen=True)
class Printing(Lasting):
    text: str
    code = "fits"


@dataclass(frozen=True)
class Printed(Outcome):
    number: int = 0
    said: str = ""
    codes = ("printed",)

    @property
    def did(self) -> str:
        return f"label {self.number} was printed"

    @property
    def stays(self) -> str:
        return f"Label {self.number} was printed: take it off the pipe."


def text_of(line: PrintLabel, carried: Carried, env: Env) -> str:
    """Return what stands on a label. Raises Unfit."""
    text = as_text(compute(line.text, carried, env), env.zone).strip()
    if not text:
        raise Unfit("what stands on the label is empty in this item")
    if len(text) > MAX_LETTERS[line.size]:
        raise Unfit(f"a {line.size} label holds {MAX_LETTERS[line.size]} letters, and this has {len(text)}")
    return text


def carry_on(line: PrintLabel, number: int | None, carried: Carried) -> Carried:
    return carried.plus(line.id, FIELDS, {"number": None if number is None else Decimal(number)})


class PrintLabelKind(Kind[PrintLabel]):
    line, verb = PrintLabel, "print_label"
    acts = True
    form = Form(
        20,
        "Print a label: to tie to a pipe",
        "Print",
        "a label",
        (
            Blank("text", "Text", "filling"),
            Blank("size", "Size", "choice", (("small", "small, up to 24 letters"), ("large", "large, up to 60 letters"))),
            Blank("copies", "Copies", "number", help="one for each pipe"),
        ),
        "text",
        "▤",
        "labels that were printed stay",
    )

    def step(self, line: PrintLabel, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        below = carry_on(line, None, carried)
        if not is_filled(line.text):
            return Cell(line.id, UNREADY, "say what stands on the label"), below
        try:
            text = text_of(line, carried, context.env)
        except Unfit as unfit:
            return Cell(line.id, Problem(), str(unfit)), below
        return Cell(line.id, Printing(text), f"{line.copies} × {text}"), below

    def makes(self, line: PrintLabel, carried: Carried, context: Context) -> Carried:
        return carry_on(line, None, carried)

    def check(
        self, line: PrintLabel, carried: Carried, context: Context, within: Callable[[], Carried | None]
    ) -> list[Finding]:
        if not is_filled(line.text):
            return [Finding(line.id, "say what stands on the label", key="text")]
        if any(ref not in carried.fields for ref in references(line.text)):
            return [Finding(line.id, "this uses a value that is not available here", key="text")]
        if not 1 <= line.copies <= 20:
            return [Finding(line.id, "print 1 to 20 copies", key="copies")]
        return []

    def fillings(self, line: PrintLabel) -> Iterator[Filling]:
        yield line.text

    def says(self, line: PrintLabel, names: Mapping[int, str]) -> str:
        return "print a label"


KIND = PrintLabelKind()
