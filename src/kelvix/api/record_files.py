"""Files that records hold: put in by hand, and as copies to download."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from itertools import chain
from typing import Annotated
from urllib.parse import quote

import anyio.from_thread
from fastapi import APIRouter, Query, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from kelvix.api.access import Editor, Reader
from kelvix.core import file_name
from kelvix.core.values import File
from kelvix.engine import saving
from kelvix.store import databases, kept_files, records

router = APIRouter(prefix="/api/v1", tags=["databases"])
RAW = {"requestBody": {"content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}}}


class FileOut(BaseModel):
    file: list[str] = Field(description="as the value of a file field: name, size, kind, where it lies")


@router.post("/files", status_code=201, openapi_extra=RAW)
async def upload(who: Editor, request: Request, name: Annotated[str, Query(min_length=1, max_length=500)]) -> FileOut:
    """Keep a file, whose content is the body, for a field of a record: fill the field with what this answers."""
    clean = file_name.clean(name)
    work = partial(kept_files.keep, who.space, clean, file_name.kind(clean), _as_it_comes(request))
    file = await run_in_threadpool(work)
    return FileOut(file=file.wire())


def _as_it_comes(request: Request) -> Iterator[bytes]:
    """A request's body a piece at a time, for a thread."""
    coming = request.stream()

    async def next_one() -> bytes | None:
        return await anext(coming, None)

    while (piece := anyio.from_thread.run(next_one)) is not None:
        yield piece


@router.get("/databases/{database_id}/records/{record_id}/files/{field_id}", response_class=StreamingResponse)
def download(who: Reader, database_id: int, record_id: int, field_id: int) -> StreamingResponse:
    """What a file contains, fetched from where it lies; as a download only, whatever kind it says it is of."""
    database = who.space.read(lambda t: databases.get(t, who.space.id, database_id))
    record = who.space.read(lambda t: records.get(t, database, record_id)) if database else None
    file = record.values.get(field_id) if record else None
    if not isinstance(file, File):
        raise LookupError("there is no such file")
    pieces: Iterator[bytes] = saving.content(who.engine, who.space, file)
    first = next(pieces, b"")  # so that what goes wrong is said before anything is sent
    headers = {"content-disposition": f"attachment; filename*=UTF-8''{quote(str(file))}", "x-content-type-options": "nosniff"}
    return StreamingResponse(chain((first,), pieces), media_type="application/octet-stream", headers=headers)
