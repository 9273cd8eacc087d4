"""Errors as problem documents (RFC 9457): what happened, what it means, what to do."""

from __future__ import annotations

import secrets
from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from kelvix.workspace.refusals import (
    BadDocument,
    CannotUndo,
    Full,
    InUse,
    NotAllowed,
    NotFoundError,
    NotNow,
    NotReady,
    NotValid,
    PermanentError,
    Refused,
    Stale,
    StaleDraft,
    TransientError,
    Unfit,
    wire,
)

log = structlog.stdlib.get_logger(__name__)


class Problem(Exception):
    """To be raised by routes. `more` is added to the document; `after`: seconds after which to come again."""

    def __init__(self, status: int, title: str, detail: str = "", after: int | None = None, **more: Any):
        super().__init__(title)
        self.status, self.title, self.detail, self.after, self.more = status, title, detail, after, more


def document(status: int, title: str, detail: str = "", **more: Any) -> JSONResponse:
    return JSONResponse(
        {"type": "about:blank", "status": status, "title": title, "detail": detail, **more},
        status,
        media_type="application/problem+json",
    )


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:] + ("" if text.endswith((".", "?")) else ".")


def install(app: FastAPI) -> None:
    """Turn the errors of the layers below into problem documents."""

    @app.exception_handler(Problem)
    async def ours(_: Request, problem: Problem) -> JSONResponse:
        answer = document(problem.status, problem.title, problem.detail, **problem.more)
        if problem.after is not None:
            answer.headers["retry-after"] = str(problem.after)
        return answer

    @app.exception_handler(HTTPException)
    async def plain(_: Request, error: HTTPException) -> JSONResponse:
        said = {404: "Not found. It may have been deleted or moved.", 405: "This address doesn’t accept this kind of request."}
        return document(error.status_code, said.get(error.status_code, _sentence(str(error.detail))))

    @app.exception_handler(RequestValidationError)
    async def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        return document(
            422,
            "The request is malformed.",
            "; ".join(f"{' › '.join(str(p) for p in e['loc'])}: {e['msg']}" for e in error.errors()[:5]),
        )

    @app.exception_handler(NotNow)
    async def not_now(_: Request, error: NotNow) -> JSONResponse:
        more: dict[str, Any] = {"about": error.about} if error.about else {}
        if isinstance(error, InUse):
            more["uses"] = [{"kind": u.kind, "id": u.id, "name": u.name} for u in error.uses]
        return document(409, error.title, error.advice, **more)

    @app.exception_handler(NotValid)
    async def not_valid(_: Request, error: NotValid) -> JSONResponse:
        return document(422, error.title, error.advice, **({"fields": error.fields} if error.fields else {}))

    for kind in (Refused, BadDocument, Unfit):

        @app.exception_handler(kind)
        async def refused(_: Request, error: Exception) -> JSONResponse:
            return document(422, _sentence(str(error)))

    @app.exception_handler(UnicodeEncodeError)
    async def half_a_character(_: Request, error: UnicodeEncodeError) -> JSONResponse:
        """JSON can carry lone surrogates, which are no text and can be kept nowhere."""
        return document(422, "The text contains an invalid character.", "Type or copy it again. Nothing was saved.")

    @app.exception_handler(NotFoundError)
    async def missing(_: Request, error: NotFoundError) -> JSONResponse:
        return document(404, _sentence(str(error)), "It may have been deleted, or it belongs to another workspace.")

    @app.exception_handler(Exception)
    async def defect(request: Request, error: Exception) -> JSONResponse:
        """Answer an unexpected error. The reference leads an operator to it in the log."""
        reference = secrets.token_hex(4)
        log.error(
            "a request failed unexpectedly", reference=reference, method=request.method, path=request.url.path, exc_info=error
        )
        return document(
            500,
            "Kelvix had an internal error.",
            f"Try again. If it happens again, report the reference {reference}; the log has the details.",
            reference=reference,
        )

    @app.exception_handler(Stale)
    async def stale(_: Request, error: Stale) -> JSONResponse:
        return document(
            412,
            "This record was changed in the meantime.",
            "Your edits are kept here. Check the record, then save again.",
            version=error.record.version,
            values=wire(error.record.values),
        )

    @app.exception_handler(StaleDraft)
    async def stale_draft(_: Request, error: StaleDraft) -> JSONResponse:
        return document(412, _sentence(str(error)), "Reload it to see the changes. Your edits stay here until then.")

    @app.exception_handler(NotAllowed)
    async def not_allowed(_: Request, error: NotAllowed) -> JSONResponse:
        return document(403, "You can view this, but not change it.", _sentence(str(error)))

    @app.exception_handler(CannotUndo)
    async def cannot_undo(_: Request, error: CannotUndo) -> JSONResponse:
        return document(409, "This can no longer be undone.", _sentence(str(error)))

    @app.exception_handler(NotReady)
    async def not_ready(_: Request, error: NotReady) -> JSONResponse:
        return document(
            409,
            "This workflow can’t be turned on yet.",
            _sentence(str(error)),
            findings=[{"line": f.line, "field": f.field, "sentence": f.sentence} for f in error.findings],
        )

    @app.exception_handler(TransientError)
    async def passing(_: Request, error: TransientError) -> JSONResponse:
        return document(503, _sentence(str(error)), "Try again in a moment.")

    @app.exception_handler(Full)
    async def full(_: Request, error: Full) -> JSONResponse:
        answer = document(503, "There is not enough space for this.", _sentence(str(error)))
        answer.headers["retry-after"] = "60"
        return answer

    @app.exception_handler(PermanentError)
    async def standing(_: Request, error: PermanentError) -> JSONResponse:
        advice = {"access": "Reconnect this connection.", "container": "Open the connection and change its access."}
        return document(409, _sentence(str(error)), advice.get(error.about, ""), about=error.about)
