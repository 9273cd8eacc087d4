"""Where lines come to a capture address: POST /capture/{workspace}/{token}. Without sign-in: whoever has the address may add
records by it, and no more than that. It takes plain text, JSON or a form, also by the names of the database's fields, and says
what was understood and what was not."""

from __future__ import annotations

import json
from functools import partial
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse
from starlette.concurrency import run_in_threadpool

from kelvix.api import problems
from kelvix.api.idempotency import once_of
from kelvix.api.incoming import read_body, read_named
from kelvix.collections.write import Actor
from kelvix.core import file_name
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import as_text
from kelvix.engine import capturing
from kelvix.engine.capturing import NotKept, Sent
from kelvix.engine.engine import Engine
from kelvix.engine.subscriptions.requests import Refused
from kelvix.formats import article
from kelvix.formats.article import Article
from kelvix.readers import contents
from kelvix.store import captures, people
from kelvix.store.captures import CaptureAddress
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.records import Origin
from kelvix.store.usage import Full

router = APIRouter(tags=["captures"])
A_MINUTE = 60  # captures that an address takes
PAGES = ("text/html", "application/xhtml+xml")
WORDS = ("text", "title", "url", "link", "selection", "note")  # under which a bookmark button or a phone sends what is kept
OWN = (*WORDS, "html", "each", "key")  # what has a meaning of its own; any other name is that of a field


@router.post("/capture/{workspace_id}/{token}", status_code=201)
async def take(workspace_id: int, token: str, request: Request) -> JSONResponse:
    """Keep what comes, and say as what. `?each=1`, or “text” as a list: every line that is not indented is a record. A page
    (HTML, with its address as `?url=…`; or “html” and “url” by name) is kept with what it says."""
    engine: Engine = request.app.state.engine
    try:
        space, address = await run_in_threadpool(knock, engine, workspace_id, token)  # before anything is read
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
        work = partial(keep, engine, space, address, text, each, key, page, files, fields=fields, fields_only=alone)
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
        raise Refused(422, "There is nothing to keep.", said)
    quoted = "\n".join(f"> {ln}" for ln in told["selection"].splitlines()) if told["title"] else ""
    return "\n".join(filter(None, (" ".join(line.split()), quoted, told["text"] or told["note"])))


def _lines(name: str, sent: Any) -> str:
    """Return what was sent under a name; of a list, each text begins a line, its others are indented. Raises Refused."""
    if isinstance(sent, list) and not any(isinstance(one, list | dict) for one in sent):
        return "\n".join(str(one).strip().replace("\n", "\n  ") for one in sent if one is not None)
    if isinstance(sent, list | dict):
        raise Refused(422, f"“{name}” is no text.", "Send a text, or a list of texts.")
    return "" if sent is None else str(sent)


def page_of(named: dict[str, Any], charset: str) -> Article | None:
    """Return the page that was sent, read, which may take seconds; none where none was. Raises Refused."""
    sent = named.get("html")
    if not sent:
        return None
    url = str(named.get("url") or named.get("link") or "").strip()
    if not url.lower().startswith(("http://", "https://")):
        raise Refused(422, "The page has no address.", "Send it as “url”, so that the page is known again: https://…")
    return contents.article(sent if isinstance(sent, bytes) else _lines("html", sent), url, charset)


def knock(engine: Engine, workspace_id: int, token: str) -> tuple[Space, CaptureAddress]:
    """Find an address in use. Raises Refused for an address that there is not, and for too many."""
    nothing = Refused(404, "There is nothing at this address.", "It may have been taken away: copy it anew from Captures.")
    try:
        space = engine.directory.open(workspace_id)
    except NotFoundError:
        raise nothing from None
    address = space.read(lambda t: captures.behind(t, space.id, token))
    if address is None:
        raise nothing
    if not space.transact(lambda t: captures.count(t, address, A_MINUTE)):
        raise Refused(429, f"More than {A_MINUTE} captures came within this minute.", "Send it again later.", after=60)
    return space, address


def keep(
    engine: Engine,
    space: Space,
    address: CaptureAddress,
    text: str,
    each: bool,
    key: str | None,
    page: Article | None = None,
    files: tuple[Sent, ...] = (),
    bound: bool = True,
    fields: dict[str, Any] | None = None,
    fields_only: bool = False,
) -> dict[str, Any]:
    """Keep lines as records, the first with `fields` by their names, which may be all there is. `bound`: under the same key,
    another text is refused; else whatever comes is the same. Raises Refused."""
    person = people.by_id(engine.directory.home, address.person_id)
    if person is None or person.role not in ("owner", "editor"):
        raise Refused(403, "Whoever made this address may no longer add records.", "Make a new one.")
    try:
        reading = capturing.read(engine, space, person.id, text, address.database_id, each)
        if page:
            reading = capturing.with_posted_page(space, reading, page)
        if fields:
            reading = capturing.with_names(space, reading, fields, fields_only)
    except NotKept as why:
        raise Refused(422, str(why), why.advice) from None
    except NotFoundError:
        raise Refused(409, "The database of this address was deleted.", "Choose another one under Captures.") from None

    def work(t: Transaction) -> dict[str, Any]:
        actor = Actor.of(person, Origin(person=person.name, token=f"“{address.name}”", capture=True))
        whole = capturing.with_files(t, space, reading, files)
        made = capturing.keep(t, engine, space, person.id, whole, actor)
        database = whole.database
        return {
            "kept": len(made),
            "database": database.name,
            "records": [
                {
                    "link": f"{engine.settings.address}/databases/{database.id}/{record}",
                    "understood": {
                        f.name: as_text(f.named(whole.lines[n].quick.values.get(f.id)), space.zone)
                        for f in database.fields
                        if whole.lines[n].quick.values.get(f.id) is not None
                    },
                    "not_understood": [*whole.lines[n].quick.wrong, *whole.lines[n].quick.unclear],
                }
                for n, (record, _) in enumerate(made)
            ],
        }

    sent = json.dumps([text, fields]) if fields else text
    try:
        answer = once_of(space, f"capture address {address.id}", key, sent if bound else None, work)
    except NotKept as why:
        raise Refused(422, str(why), why.advice) from None
    except Full as full:
        raise Refused(503, "There is no room for this.", f"{full}.", after=60) from None
    engine.dispatch.announce(space.id, "records")
    return answer
