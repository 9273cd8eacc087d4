"""Kinds of line: each stands in its module, and other packages bring more of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import pytest
from pydantic import TypeAdapter

from kelvix.core import lines, outcome
from kelvix.core.documents import check_shape
from kelvix.core.lines import KINDS
from kelvix.core.lines.kind import Kind
from kelvix.core.outcome import Outcome
from kelvix.core.workflow import Line, When, Workflow


@dataclass(frozen=True)
class Chime(Line):
    id: str
    strokes: int = 1
    within: str = ""
    verb: Literal["chime"] = "chime"


class ChimeKind(Kind[Chime]):
    line, verb = Chime, "chime"


def test_each_kind_and_its_line_stand_in_the_module_that_has_its_name():
    assert {verb: type(kind).__module__ for verb, kind in KINDS.items()} == {v: f"kelvix.core.lines.{v}" for v in KINDS}
    own = {verb: kind.line.__module__ for verb, kind in KINDS.items() if not kind.starts}
    assert own == {verb: f"kelvix.core.lines.{verb}" for verb in own} and len(own) == len(KINDS) - 1


def test_a_document_with_a_line_that_another_package_brings_is_read_and_kept(monkeypatch):
    class Entry:
        def load(self):
            return ChimeKind()

    monkeypatch.setattr(lines, "entry_points", lambda group: [Entry()] if group == "kelvix.lines" else [])
    found = lines._found()
    assert set(found) == {*KINDS, "chime"}
    document = {"lines": [{"verb": "when", "id": "w"}, {"verb": "chime", "id": "c", "strokes": 3}]}
    with pytest.raises(ValueError):
        TypeAdapter(Workflow).validate_python(document)
    monkeypatch.setattr(lines, "KINDS", found)
    documents = TypeAdapter(Workflow)
    read = documents.validate_python(document)
    assert read == Workflow((When("w"), Chime("c", 3)))
    assert documents.validate_json(documents.dump_json(read)) == read
    check_shape(read)


def test_a_code_is_of_one_type_of_outcome():
    with pytest.raises(TypeError, match="has the code saved"):
        type("Twice", (Outcome,), {"codes": ("saved",)})
    assert outcome.read("saved", {"name": "a"}).kept()["name"] == "a"
