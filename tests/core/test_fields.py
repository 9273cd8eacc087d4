"""Types of fields: found by their place, or brought by another package; each says all that is asked of it."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import pytest

from kelvix.core import fields
from kelvix.core.documents import check_shape
from kelvix.core.fields import TYPES, coerce, from_wire
from kelvix.core.fields.field_type import FieldType
from kelvix.core.lines.web_request import WebRequest
from kelvix.core.values import Unfit, to_wire
from kelvix.core.workflow import Address, BadDocument, Input, When, Workflow

ZONE = ZoneInfo("Europe/London")


class Pitch(FieldType):
    """Hz, as a package of its own would bring it."""

    code, rank, name, with_article = "pitch", 35, "pitch", "a pitch"
    accepts, refuses = "415, 440", "all else"
    column = "SMALLINT"

    def read(self, text, how):
        if text not in ("415", "440"):
            raise Unfit(f"“{text}” is no pitch")
        return text


def test_each_type_stands_in_the_module_that_has_its_name():
    assert {code: type(t).__module__ for code, t in TYPES.items()} == {c: f"kelvix.core.fields.{c}" for c in TYPES}
    assert list(TYPES)[:3] == ["text", "long_text", "number"] and len(TYPES) >= 11


def test_another_package_brings_a_type(monkeypatch):
    class Entry:
        def load(self):
            return Pitch()

    monkeypatch.setattr(fields, "entry_points", lambda group: [Entry()] if group == "kelvix.fields" else [])
    found = fields._found()
    assert list(found)[2:5] == ["number", "amount", "pitch"], "listed by its rank"
    monkeypatch.setattr(fields, "TYPES", found)
    assert coerce("440", "pitch", ZONE) == "440" and from_wire("440", "pitch") == "440" and coerce(" ", "pitch", ZONE) is None
    with pytest.raises(Unfit, match="no pitch"):
        coerce("442", "pitch", ZONE)


@pytest.mark.parametrize("code", TYPES)
def test_what_a_request_would_bring_is_a_value_of_it(code):
    type_ = TYPES[code]
    if type_.in_requests:
        given = tuple(type_.example) if isinstance(type_.example, list) else type_.example
        value = coerce(given if isinstance(given, bool | tuple) else str(given), code, ZONE, (), None, True)
        assert from_wire(to_wire(value), code) == value is not None


@pytest.mark.parametrize(
    "lines",
    [
        (When("w", own=Address((Input("a", "colour"),))),),
        (When("w", own=Address()), WebRequest("r", takes=(Input("a", "colour"),))),
    ],
)
def test_a_document_names_no_type_that_is_not_known(lines):
    with pytest.raises(BadDocument, match="“colour” is not a type"):
        check_shape(Workflow(lines))
