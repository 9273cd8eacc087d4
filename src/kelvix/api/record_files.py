"""Files that records hold, as copies to download."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import chain
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import StreamingResponse

from kelvix.api.access import Reader
from kelvix.core.values import File
from kelvix.engine import saving
from kelvix.store import databases, records

router = APIRouter(prefix="/api/v1", tags=["databases"])


@router.get("/databases/{database_id}/records/{record_id}/files/{field_id}", response_class=StreamingResponse)
def download(who: Reader, database_id: int, record_id: int, field_id: int) -> StreamingResponse:
    """What a file contains, fetched from the app in which it lies; as a download only, whatever kind it says it is of."""
    database = who.space.read(lambda t: databases.get(t, who.space.id, database_id))
    record = who.space.read(lambda t: records.get(t, database, record_id)) if database else None
    file = record.values.get(field_id) if record else None
    if not isinstance(file, File):
        raise LookupError("there is no such file")
    pieces: Iterator[bytes] = saving.content(who.engine, who.space, file)
    first = next(pieces, b"")  # so that what goes wrong is said before anything is sent
    headers = {"content-disposition": f"attachment; filename*=UTF-8''{quote(str(file))}", "x-content-type-options": "nosniff"}
    return StreamingResponse(chain((first,), pieces), media_type="application/octet-stream", headers=headers)
