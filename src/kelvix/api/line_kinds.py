"""The kinds of line that other packages bring, with the forms in which the browser shows and edits them."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field, TypeAdapter

from kelvix.api.access import Reader
from kelvix.core.lines import KINDS
from kelvix.core.lines.form import Blank

router = APIRouter(prefix="/api/v1", tags=["workflows"])


class ChoiceOut(BaseModel):
    code: str
    words: str


class BlankOut(BaseModel):
    key: str = Field(description="its name in the document")
    words: str
    takes: Literal["filling", "text", "number", "choice", "yes_no"]
    choices: list[ChoiceOut]
    help: str


class LineKindOut(BaseModel):
    verb: str = Field(description="by which lines of this kind are known in a document", examples=["print_label"])
    rank: int = Field(description="its place among the kinds that can be added")
    offered: str = Field(description="what it is called there")
    verb_words: str = Field(description="the verb that its sentence begins with")
    object: str
    detail: str = Field(description="the blank whose text ends its sentence")
    mark: str
    undone: str = Field(description="what becomes of what it did when a run is undone")
    blanks: list[BlankOut]
    empty: dict[str, Any] = Field(description="a line on which nothing is said yet")


def _blank_out(blank: Blank) -> BlankOut:
    choices = [ChoiceOut(code=code, words=words) for code, words in blank.choices]
    return BlankOut(key=blank.key, words=blank.words, takes=blank.takes, choices=choices, help=blank.help)


@router.get("/line-kinds")
def list_line_kinds(_: Reader) -> list[LineKindOut]:
    """Return the kinds of line of which the browser has no view of its own."""
    return [
        LineKindOut(
            verb=kind.verb,
            rank=form.rank,
            offered=form.offered,
            verb_words=form.verb,
            object=form.object,
            detail=form.detail,
            mark=form.mark,
            undone=form.undone,
            blanks=[_blank_out(b) for b in form.blanks],
            empty=TypeAdapter(kind.line).dump_python(kind.line(""), mode="json"),
        )
        for kind in KINDS.values()
        if (form := kind.form) is not None
    ]
