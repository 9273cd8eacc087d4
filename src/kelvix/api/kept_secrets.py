"""Secrets of a workflow's lines: typed once, kept sealed, never given back."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from kelvix.api.access import Editor
from kelvix.workspace import workflows

router = APIRouter(prefix="/api/v1", tags=["workflows"])


class SecretIn(BaseModel):
    secret: str = Field(min_length=1, max_length=4000, pattern=r"^[\x20-\x7e]+$")


class SecretOut(BaseModel):
    """The number by which a header names a secret."""

    number: int


@router.post("/workflows/{workflow_id}/secrets", status_code=201)
def keep_secret(who: Editor, workflow_id: int, body: SecretIn) -> SecretOut:
    """Keep what a header of a web request says, so that nobody reads it again."""
    workflows.get(who.space, workflow_id)
    return SecretOut(number=workflows.keep_secret(who.engine, who.space, workflow_id, body.secret))
