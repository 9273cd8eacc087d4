"""Files that records hold: put in by hand, and as copies to download."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import cache, partial
from itertools import chain
from typing import Annotated
from urllib.parse import quote

import anyio
import anyio.from_thread
import anyio.to_thread
from fastapi import APIRouter, Query, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field

from kelvix.api.access import Editor, Reader
from kelvix.api.problems import Problem
from kelvix.core.values import FieldId
from kelvix.engine import file_content
from kelvix.workspace import files

router = APIRouter(prefix="/api/v1", tags=["databases"])
RAW = {"requestBody": {"content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}}}


MAX_UPLOADS = 4  # of one workspace at once
THREADS = 32  # for uploads, which take as long as they take: none of those that all other routes share
_UNDER_WAY: Counter[int] = Counter()


@cache
def _uploads() -> anyio.CapacityLimiter:
    """Made when first needed: it belongs to the event loop."""
    return anyio.CapacityLimiter(THREADS)


class FileOut(BaseModel):
    file: list[str] = Field(description="as the value of a file field: name, size, type, location")


@router.post("/files", status_code=201, openapi_extra=RAW)
async def upload(who: Editor, request: Request, name: Annotated[str, Query(min_length=1, max_length=500)]) -> FileOut:
    """Keep a file, whose content is the body, for a field of a record: fill the field with what this answers."""
    work = partial(files.keep, who.space, name, _as_it_comes(request))
    if _UNDER_WAY[who.space.id] >= MAX_UPLOADS:
        raise Problem(
            429, f"{MAX_UPLOADS} files are already being uploaded to this workspace.", "Wait until one is finished.", after=5
        )
    _UNDER_WAY[who.space.id] += 1
    try:
        file = await anyio.to_thread.run_sync(work, limiter=_uploads())
    finally:
        _UNDER_WAY[who.space.id] -= 1
    return FileOut(file=file.wire())


def _as_it_comes(request: Request) -> Iterator[bytes]:
    """Yield a request's body a piece at a time, for a thread."""
    coming = request.stream()

    async def next_one() -> bytes | None:
        return await anext(coming, None)

    while (piece := anyio.from_thread.run(next_one)) is not None:
        yield piece


@router.get("/databases/{database_id}/records/{record_id}/files/{field_id}", response_class=StreamingResponse)
def download(
    who: Reader, database_id: int, record_id: int, field_id: FieldId, place: Annotated[int, Query(ge=0)] = 0
) -> StreamingResponse:
    """Return what a file contains, fetched from where it lies; as a download only, whatever kind it says it is of. `place`
    says which one of several, from 0."""
    file = files.of_record(who.space, database_id, record_id, field_id, place)
    pieces: Iterator[bytes] = file_content.content(who.engine, who.space, file)
    first = next(pieces, b"")  # so that what goes wrong is said before anything is sent
    headers = {"content-disposition": f"attachment; filename*=UTF-8''{quote(str(file))}", "x-content-type-options": "nosniff"}
    return StreamingResponse(chain((first,), pieces), media_type="application/octet-stream", headers=headers)
