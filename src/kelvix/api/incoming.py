"""Where requests come to a workflow's own address: POST /in/{workspace}/{token}. Without sign-in: whoever has the address may
call it, and proves to be the right one by a signature, where the workflow asks for that."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from fastapi import Request as HttpRequest
from fastapi.responses import JSONResponse
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import UploadFile
from starlette.exceptions import HTTPException

from kelvix.api import problems
from kelvix.core.not_found import NotFoundError
from kelvix.core.requests import Request
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions import requests
from kelvix.engine.subscriptions.requests import Proof, Refused

router = APIRouter(tags=["addresses"])


@router.post("/in/{workspace_id}/{token}", status_code=202)
async def take_request(workspace_id: int, token: str, request: HttpRequest) -> JSONResponse:
    """Take a request: JSON, a form or multipart. It is committed before this says so."""
    engine: Engine = request.app.state.engine
    proof = Proof(
        request.headers.get("webhook-id", "")[:200],
        request.headers.get("webhook-timestamp", ""),
        request.headers.get("webhook-signature", ""),
        request.headers.get("idempotency-key", "")[:200],
        request.headers.get("authorization", "").removeprefix("Bearer ").strip(),
        request.client.host if request.client else "",
    )
    try:
        raw = await read_body(request)
        try:
            space = await run_in_threadpool(engine.directory.open, workspace_id)
        except NotFoundError:
            raise Refused(404, "Not found. It may have been deleted or moved.") from None
        door, own = await run_in_threadpool(requests.knock, engine, space, token, raw, proof)
        body = await read_named(request, raw)
        whole = Request.of(body, dict(request.query_params), dict(request.headers))
        taken = await run_in_threadpool(requests.take_in, engine, space, door, own, whole, proof)
    except Refused as refused:
        more = {"fields": refused.fields} if refused.fields else {}
        answer = problems.document(refused.status, refused.title, refused.detail, **more)
        if refused.after:
            answer.headers["retry-after"] = str(refused.after)
        return answer
    return JSONResponse(taken, 202)


async def read_body(request: HttpRequest, most: int = requests.MAX_BYTES) -> bytes:
    """Read a body, counted as it comes, in bytes. Raises Refused."""
    raw = bytearray()
    async for piece in request.stream():
        raw += piece
        if len(raw) > most:
            raise Refused(413, "This request is too large.", f"Send at most {most >> 10} kB.")
    return bytes(raw)


async def read_named(request: HttpRequest, raw: bytes, files: list[tuple[str, bytes]] | None = None) -> dict[str, Any]:
    """Return the body as names and values. A file is its name; where `files` is given, it is put there with its content
    instead. Raises Refused, which says where JSON is not right."""
    kind = request.headers.get("content-type", "").split(";")[0].strip().lower()
    if kind in ("application/x-www-form-urlencoded", "multipart/form-data"):
        request._body = raw  # it was read already, to be counted and proved
        try:
            form = await request.form(max_fields=200, max_files=20)
        except (HTTPException, ValueError) as error:
            said = str(getattr(error, "detail", error)).rstrip(".")
            raise Refused(400, "The form can’t be read.", f"{said}.") from None
        if files is None:
            return {name: value.filename if isinstance(value, UploadFile) else value for name, value in form.multi_items()}
        uploads = [value for _, value in form.multi_items() if isinstance(value, UploadFile)]
        files += [(one.filename, await one.read()) for one in uploads if one.filename]
        return {name: value for name, value in form.multi_items() if not isinstance(value, UploadFile)}
    if kind not in ("application/json", "") and not kind.endswith("+json"):
        raise Refused(415, f"The body type “{kind}” is not accepted.", "Send JSON, a form or multipart, with its content type.")
    return requests.parsed(raw)
