"""The types of fields: how they are called, what they accept, and how values of them are compared."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter
from pydantic import AfterValidator, BaseModel, Field

from kelvix.api.access import Reader
from kelvix.core.fields import TYPES
from kelvix.core.operators import Operator

router = APIRouter(prefix="/api/v1", tags=["databases"])


def _known(code: str) -> str:
    if code not in TYPES:
        raise ValueError(f"use one of {', '.join(TYPES)}")
    return code


KnownType = Annotated[str, AfterValidator(_known), Field(description="the code of a field type", examples=list(TYPES))]


class FieldTypeOut(BaseModel):
    """`has_choices`: its values are of those that a field lists. `operators`: how a field of it is compared."""

    code: str
    name: str
    accepts: str
    refuses: str
    has_choices: bool
    refers: bool = Field(description="whether a field of it says to which database it refers")
    in_requests: bool = Field(description="whether a request may bring a value of it")
    is_sorted: bool = Field(description="whether records can go by it")
    is_text: bool = Field(description="whether its values are texts that say anything")
    is_long: bool = Field(description="whether it is a text of many lines")
    has_many: bool = Field(description="whether it holds several values")
    tells_day: bool
    has_clock: bool = Field(description="whether it tells a moment of the day")
    is_number: bool
    is_address: bool = Field(description="whether it is the address of a page")
    tells_apart: int = Field(description="how well an item is known again by it: 2 very well, 1 as well as by a name, 0 not")
    has_order: bool = Field(description="whether there is a least and a greatest")
    has_sum: bool
    recognises: bool = Field(description="whether a record is known again by a value of it")
    operators: list[Operator]
    offered: list[str] = Field(description="all that a value of it can be, where these are few")


@router.get("/field-types")
def list_field_types(_: Reader) -> list[FieldTypeOut]:
    """All types that a field can be of, in the order in which they are offered."""
    return [FieldTypeOut.model_validate(t, from_attributes=True) for t in TYPES.values()]
