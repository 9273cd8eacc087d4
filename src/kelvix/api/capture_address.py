"""Where lines come to a capture address: POST /capture/{workspace}/{token}. Without sign-in: whoever has the address may add
records by it, and no more than that. It takes plain text, JSON or a form, also by the names of the database's fields, and says
what was understood and what was not."""

from __future__ import annotations

from functools import partial
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse
from starlette.concurrency import run_in_threadpool

from kelvix.api import problems
from kelvix.api.incoming import read_body, read_named
from kelvix.core import file_name
from kelvix.engine.capturing import Sent
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions.requests import Refused
from kelvix.formats import article
from kelvix.formats.article import Article
from kelvix.readers import contents
from kelvix.workspace import captures

router = APIRouter(tags=["captures"])
PAGES = ("text/html", "application/xhtml+xml")
WORDS = ("text", "title", "url", "link", "selection", "note")  # under which a bookmark button or a phone sends what is kept
OWN = (*WORDS, "html", "each", "key")  # what has a meaning of its own; any other name is that of a field


@router.post("/capture/{workspace_id}/{token}", status_code=201)
async def take_capture(workspace_id: int, token: str, request: Request) -> JSONResponse:
    """Keep what comes, and say as what. `?each=1`, or “text” as a list: every line that is not indented is a record. A page
    (HTML, with its address as `?url=…`; or “html” and “url” by name) is kept with what it says."""
    engine: Engine = request.app.state.engine
    try:
        space, address = await run_in_threadpool(captures.knock, engine, workspace_id, token)  # before anything is read
        raw = await read_body(request, article.MAX_BYTES)
        kind = request.headers.get("content-type", "").split(";")[0].strip().lower()
        files: tuple[Sent, ...] = ()
        if kind in PAGES:
            named: dict[str, Any] = {"html": raw, "url": request.query_params.get("url", "")}
        else:
            sent: list[tuple[str, bytes]] = []
            named = await read_named(request, raw, sent) if kind not in ("", "text/plain") else {"text": _decoded(raw)}
            files = tuple(Sent(file_name.clean(name), content) for name, content in sent)
        charset = article.charset_of(request.headers.get("content-type", "")) if kind in PAGES else ""
        page = await run_in_threadpool(page_of, named, charset)
        fields = {} if kind in PAGES else {k: v for k, v in named.items() if k not in OWN and v not in (None, "", [])}
        text = text_of(named, page, files, fields)
        listed = isinstance(named.get("text"), list)
        each = request.query_params.get("each", str(named.get("each", listed))).lower() in ("1", "true", "yes")
        key = request.headers.get("idempotency-key") or str(named.get("key") or "") or None
        key = key[:200] if key else None
        alone = not (page or files or any(named.get(k) for k in WORDS))
        work = partial(captures.keep_at, engine, space, address, text, each, key, page, files, fields=fields, fields_only=alone)
        answer = await run_in_threadpool(work)
    except Refused as refused:
        said = problems.document(refused.status, refused.title, refused.detail)
        if refused.after:
            said.headers["retry-after"] = str(refused.after)
        return said
    return JSONResponse(answer, 201)


def _decoded(raw: bytes) -> str:
    """Return a text that was sent. Raises Refused."""
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        raise Refused(400, "The body is not UTF-8.", "Send text in UTF-8.") from None


def text_of(
    named: dict[str, Any],
    page: Article | None = None,
    files: tuple[Sent, ...] = (),
    fields: dict[str, Any] | None = None,
) -> str:
    """Return the lines behind the names text, title, url and selection, as a bookmark button or a phone sends them; a page is
    named by its address, a file that came alone by its name, what has nothing but fields by the first of them. Raises
    Refused."""
    told = {k: _lines(k, named.get(k)).strip("\n") for k in WORDS}
    for name, value in (fields or {}).items():
        _lines(name, value)
    if page:
        told |= {"title": page.address, "url": "", "link": ""}
    if told["text"].strip() and not told["title"]:
        return told["text"]
    line = " ".join(filter(None, (told["title"] or told["selection"][:200], told["url"] or told["link"])))
    if not line and files:
        line = file_name.split(files[0].name)[0]
    if not line and fields:
        line = _lines("", next(iter(fields.values()))).partition("\n")[0]
    if not line:
        said = "Send “text”, or “title” with “url” and “selection”, or the database's fields by their names."
        raise Refused(422, "Nothing to save.", said)
    quoted = "\n".join(f"> {ln}" for ln in told["selection"].splitlines()) if told["title"] else ""
    return "\n".join(filter(None, (" ".join(line.split()), quoted, told["text"] or told["note"])))


def _lines(name: str, sent: Any) -> str:
    """Return what was sent under a name; of a list, each text begins a line, its others are indented. Raises Refused."""
    if isinstance(sent, list) and not any(isinstance(one, list | dict) for one in sent):
        return "\n".join(str(one).strip().replace("\n", "\n  ") for one in sent if one is not None)
    if isinstance(sent, list | dict):
        raise Refused(422, f"“{name}” is not a text.", "Send a text, or a list of texts.")
    return "" if sent is None else str(sent)


def page_of(named: dict[str, Any], charset: str) -> Article | None:
    """Return the page that was sent, read, which may take seconds; none where none was. Raises Refused."""
    sent = named.get("html")
    if not sent:
        return None
    url = str(named.get("url") or named.get("link") or "").strip()
    if not url.lower().startswith(("http://", "https://")):
        raise Refused(422, "The page address is missing.", "Send it as “url”, for example https://…")
    return contents.article(sent if isinstance(sent, bytes) else _lines("html", sent), url, charset)
