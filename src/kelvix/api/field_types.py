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
    """`has_choices`: its values are of those that a field lists. `sought`: how a Find line compares a field of it."""

    code: str
    name: str
    accepts: str
    refuses: str
    has_choices: bool
    refers: bool = Field(description="whether a field of it says to which database it refers")
    in_requests: bool = Field(description="whether a request may declare a value of it")
    is_sorted: bool = Field(description="whether records can go by it")
    has_order: bool = Field(description="whether there is a least and a greatest")
    has_sum: bool
    sought: list[Operator]


@router.get("/field-types")
def list_field_types(_: Reader) -> list[FieldTypeOut]:
    """All types that a field can be of, in the order in which they are offered."""
    return [FieldTypeOut.model_validate(t, from_attributes=True) for t in TYPES.values()]
