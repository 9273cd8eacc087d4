"""Secrets of a workflow's lines: typed once, kept sealed, never given back."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from kelvix.api.access import Editor
from kelvix.api.workflows import kept_workflow
from kelvix.store import kept_secrets

router = APIRouter(prefix="/api/v1", tags=["workflows"])


class SecretIn(BaseModel):
    secret: str = Field(min_length=1, max_length=4000, pattern=r"^[\x20-\x7e]+$")


class SecretOut(BaseModel):
    """The number by which a header names a secret."""

    number: int


@router.post("/workflows/{workflow_id}/secrets", status_code=201)
def keep_secret(who: Editor, workflow_id: int, body: SecretIn) -> SecretOut:
    """Keep what a header of a web request says, so that nobody reads it again."""
    kept_workflow(who, workflow_id)
    space = who.space
    number = space.transact(lambda t: kept_secrets.keep(t, who.engine.vault, space.id, workflow_id, body.secret.strip()))
    return SecretOut(number=number)
