"""What all practice apps have in the same way: an API for whoever was given a token, and what their pages are made with."""

# No deferred annotations here: routes within functions name types that only exist there.
import json
import pathlib
import secrets
import threading
from abc import ABC
from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from datetime import UTC, datetime, timedelta
from typing import Annotated, Any, ClassVar

from fastapi import APIRouter, Body, Depends, Form, HTTPException, Request, Response
from fastapi.responses import JSONResponse, RedirectResponse
from fastapi.templating import Jinja2Templates
from starlette.concurrency import run_in_threadpool

from kelvix.core.values import whole
from kelvix.practice.faults import Quota, lag
from kelvix.practice.push import Pusher
from kelvix.practice.store import TOKEN_DAYS, Access, Store
from kelvix.settings import Settings
from kelvix.store.database_server import Row

COOKIE = "practice"
EXPIRED = 'Bearer error="invalid_token", error_description="expired"'  # RFC 6750, 3
KEY_DAYS = {"ended": -1.0, "week": 5.0, "quarter": 90.0, "year": 365.0}
SHOWN = 500  # items of a container, on its page
MAX_LATE = 50  # items that are listed late


OptionName = Annotated[str, Body(embed=True, min_length=1, max_length=100)]


def with_option(fields: list[dict[str, Any]], number: int, name: str, *types: str) -> tuple[int, list[dict[str, Any]]]:
    """Return the number of an option that a field has, or is given, and the fields as they are then. Raises HTTPException for a
    field that takes none."""
    field = next((f for f in fields if f["id"] == number and f["type"] in types), None)
    if field is None:
        raise HTTPException(422, "this field has no options")
    known = next((o["id"] for o in field["options"] if o["name"].casefold() == name.casefold()), None)
    if known is not None:
        return known, fields
    made = max((o["id"] for o in field["options"]), default=0) + 1
    grown = field | {"options": [*field["options"], {"id": made, "name": name}]}
    return made, [grown if f is field else f for f in fields]


class NotSignedIn(Exception):
    pass


class Desk:
    """What pages are made with: who is signed in, and a template."""

    def __init__(self, store: Store, settings: Settings, apps: dict[str, str]):
        self.store, self.settings, self.apps = store, settings, apps
        here = pathlib.Path(__file__).parent
        self._pages = Jinja2Templates([here / "templates", here / "apps"])  # what all share, and each app's own

    def person(self, request: Request) -> Row:
        account = self.store.page_account(request.cookies.get(COOKIE, ""))
        if account is None:
            raise NotSignedIn
        return account

    def show(self, request: Request, name: str, status: int = 200, **values: Any) -> Response:
        context = {"kelvix": self.settings.address, "app_names": self.apps}
        return self._pages.TemplateResponse(request, name, values | context, status_code=status)


class PracticeApp(ABC):
    """One practice app. Its words are also those of its paths: /mail/api/folders/3/messages."""

    code: ClassVar[str]
    name: ClassVar[str]
    container_word: ClassVar[str] = "folder"
    containers_word: ClassVar[str] = "folders"
    items_word: ClassVar[str]
    addressed: ClassVar[bool] = False  # whether containers have mail addresses
    holder_word: ClassVar[str] = ""  # what its containers stand within, if anything
    tells_removed: ClassVar[bool] = False  # whether who listens is told at once of what was deleted
    lists_removed: ClassVar[bool] = True  # whether who asks for changes learns what was deleted
    pushes: ClassVar[bool] = True  # whether who asks for it is told of changes at once
    has_keys: ClassVar[bool] = False  # whether access is by keys that its user makes, rather than by consent
    token_seconds: ClassVar[int] = TOKEN_DAYS * 86_400  # for which what its consent window gives is good
    keeps_items: ClassVar[bool] = True  # whether what its containers hold is kept item by item
    begins_with: ClassVar[tuple[str, ...]] = ()  # containers that a first account has
    sends: ClassVar[str] = ""  # what else may be allowed, as the consent window says it
    quota: ClassVar[Quota | None] = None  # how many calls it takes, of which its answers tell
    about: str = ""  # what its users should know, beside its switches

    def __init__(self, store: Store, pusher: Pusher, settings: Settings):
        self.store, self.pusher, self.settings = store, pusher, settings
        self.address = settings.practice_address
        self.one_by_one = threading.Lock()  # held while something is added that must not be there twice

    def running(self) -> AbstractContextManager[object]:
        """Return what it does besides answering, for as long as it runs."""
        return nullcontext()

    def container_link(self, container_id: int) -> str:
        return f"{self.address}/{self.code}/{self.containers_word}/{container_id}"

    def holder_link(self, holder_id: int) -> str:
        return f"{self.address}/{self.code}/{self.holder_word}s/{holder_id}"

    def item_link(self, item_id: int) -> str:
        return f"{self.address}/{self.code}/{self.items_word}/{item_id}"

    def _here(self, link: str) -> str:
        """Return a link within these pages, by whichever name of this machine they are shown."""
        return link.removeprefix(self.address)

    def as_json(self, row: Row) -> dict[str, Any]:
        """Return an item, as the API gives it."""
        return {
            "id": str(row["id"]),
            "container": str(row["container_id"]),
            "container_name": row["container_name"],
            "link": self.item_link(row["id"]),
            "received": row["at"].isoformat(),
            "revision": row["revision"],
            "seq": row.get("seq"),
            **json.loads(row["body"]),
        }

    def containers(self, account_id: int) -> list[Row]:
        """Return the containers of an account, each with how many items it holds."""
        return self.store.containers(self.code, account_id)

    # What becomes of containers and items

    def make_container(self, account_id: int, name: str, address: str = "", within: str = "") -> int:
        """Make a container with this name, `within` the one of that name on wish, or of that path: Workshop › Autumn; the one
        that is there, where it is."""
        holder: int | None = None
        for level in filter(None, (part.strip()[:200] for part in within.split("›"))):
            holder = self.store.container(self.code, account_id, level, within=holder, holds=True)
        return self.store.container(self.code, account_id, name.strip()[:200], address.strip().lower() or None, holder)

    def change(
        self,
        item_id: int,
        kind: str,
        change: Callable[[dict[str, Any]], dict[str, Any]],
        to: int | None = None,
        idempotency: bytes | None = None,
        expect: int | None = None,
    ) -> None:
        """Change an item, or move it; whoever listens is told. Raises Stale."""
        for container, what, revision in self.store.change(item_id, kind, change, to, idempotency, expect):
            self.pusher.tell(self.code, container, item_id, what, revision)

    def delete(self, item_id: int, container_id: int, idempotency: bytes | None = None, expect: int | None = None) -> None:
        """Delete an item. Raises Stale."""
        revision = self.store.delete(item_id, container_id, idempotency, expect)
        if self.tells_removed:
            self.pusher.tell(self.code, container_id, item_id, "gone", revision)

    def move(self, item_id: int, to: int) -> None:
        """Told where it lay, as moved, and where it lies now, as new."""
        self.change(item_id, "moved", lambda body: body, to)

    # What is shared with whoever calls

    async def granted(self, request: Request) -> Access:
        scheme, _, token = request.headers.get("authorization", "").partition(" ")
        found = None
        if scheme.lower() == "bearer":
            found = self.store.remembered(self.code, token) or await run_in_threadpool(self.store.access, self.code, token)
        if found is None and await run_in_threadpool(self.store.has_ended, self.code, token):
            raise HTTPException(401, "expired", {"www-authenticate": EXPIRED})
        if found is None:
            raise HTTPException(401, "unknown token, or its access was revoked")
        return found

    async def writing(self, request: Request) -> Access:
        """Prove access, as `granted` does, that may write too."""
        found = await self.granted(request)
        if not found.may_send:
            raise HTTPException(403, "this access may only read")
        return found

    def shared(self, granted: Access, container: str) -> int:
        found = whole(container)
        if found is None or found not in granted.shared:
            raise HTTPException(403, f"this {self.container_word} was not shared")
        return found

    def shared_item(self, granted: Access, item_id: str) -> Row:
        number = whole(item_id)
        row = self.store.item(self.code, number) if number is not None else None
        if row is None:
            raise HTTPException(404, "item not found")
        self.shared(granted, str(row["container_id"]))
        return row

    # What is a person's own

    def own_container(self, account: Row, container_id: int) -> Row:
        found = next((c for c in self.store.containers(self.code, account["id"]) if c["id"] == container_id), None)
        if found is None:
            raise HTTPException(404, f"{self.container_word} not found")
        return found

    def own_item(self, account: Row, item_id: int) -> tuple[Row, Row]:
        row = self.store.item(self.code, item_id)
        if row is None:
            raise HTTPException(404, "item not found")
        return row, self.own_container(account, row["container_id"])

    def api(self) -> APIRouter:
        """JSON over HTTP, for whoever was given a token. Each call sees what is shared only."""
        api = APIRouter(prefix=f"/{self.code}/api")
        Granted = Annotated[Access, Depends(self.granted)]

        @api.get("/me")
        def me(granted: Granted) -> dict[str, Any]:
            there = self.containers(granted.account_id)
            return {
                "account": granted.account,
                "name": granted.name,
                "shared": [
                    {
                        "id": str(c["id"]),
                        "name": c["name"],
                        "path": c["path"],
                        "path_links": [self.holder_link(id) for id in c["within"]],
                        "items": c["items"],
                        "link": self.container_link(c["id"]),
                    }
                    for c in there
                    if c["id"] in granted.shared
                ],
                "not_shared": [c["name"] for c in there if c["id"] not in granted.shared],
                "may_send": granted.may_send,
                "expires_at": granted.expires_at.isoformat() if granted.expires_at else None,
            }

        if not self.keeps_items:
            return api

        @api.get(f"/{self.containers_word}/{{container}}/{self.items_word}")
        def items(granted: Granted, container: str, limit: int = 20, before: int | None = None) -> dict[str, Any]:
            most, late = max(1, min(limit, 100)), lag.get()
            rows = self.store.items(self.shared(granted, container), most + (MAX_LATE if late else 0), before)
            if late:
                seen = datetime.now(UTC) - timedelta(seconds=late)
                rows = [r for r in rows if r["at"] <= seen][:most]
            return {"items": [self.as_json(r) for r in rows]}

        @api.get(f"/{self.items_word}/{{item_id}}")
        def one(granted: Granted, item_id: str) -> JSONResponse:
            return JSONResponse(self.as_json(self.shared_item(granted, item_id)))

        @api.get("/feed")
        def feed(granted: Granted, after: int = 0, limit: int = 200) -> dict[str, Any]:
            rows, cursor, more = self.store.feed(self.code, granted.account_id, granted.shared, after, max(1, min(limit, 500)))
            return {
                "cursor": cursor,
                "more": more,
                "changes": [
                    {
                        "seq": r["seq"],
                        "container": str(r["container_id"]),
                        "item": str(r["item_id"]),
                        "kind": r["kind"],
                        "revision": r["revision"],
                        "at": r["at"].isoformat(),
                    }
                    for r in rows
                    if self.lists_removed or r["kind"] != "gone"
                ],
            }

        if not self.pushes:
            return api

        @api.post("/subscriptions", status_code=201)
        def subscribe(
            granted: Granted, url: Annotated[str, Body()], container: Annotated[str | None, Body()] = None
        ) -> dict[str, str]:
            """Without a container, all that are shared are meant, those that come later too."""
            number = self.shared(granted, container) if container is not None else None
            made, secret = self.store.subscribe(granted, number, url)
            return {"id": str(made), "secret": secret}

        @api.delete("/subscriptions/{subscription_id}", status_code=204)
        def unsubscribe(granted: Granted, subscription_id: int) -> None:
            if not self.store.unsubscribe(granted, subscription_id):
                raise HTTPException(404, "subscription not found")

        return api

    def pages(self, desk: Desk) -> APIRouter:
        """Plain pages, to read and write items as its user would."""
        pages = APIRouter(prefix=f"/{self.code}")
        Signed = Annotated[Row, Depends(desk.person)]

        @pages.get("")
        def containers(request: Request, account: Signed) -> Response:
            there = self.containers(account["id"])
            return desk.show(request, "containers.html", account=account, app=self, containers=there)

        @pages.get(f"/{self.holder_word or 'holder'}s/{{holder_id}}")
        def holder(request: Request, account: Signed, holder_id: int) -> Response:
            there = [c for c in self.containers(account["id"]) if holder_id in c["within"]]
            if not there:
                raise HTTPException(404, f"{self.holder_word} not found")
            return desk.show(request, "containers.html", account=account, app=self, containers=there)

        @pages.post(f"/{self.containers_word}")
        def new_container(
            account: Signed,
            name: Annotated[str, Form()],
            address: Annotated[str, Form()] = "",
            within: Annotated[str, Form()] = "",
        ) -> Response:
            made = self.make_container(account["id"], name, address, within)
            return RedirectResponse(self._here(self.container_link(made)), 303)

        if self.keeps_items:
            self._item_pages(pages, desk)
        if self.has_keys:
            self._key_pages(pages, desk)
        return pages

    def _item_pages(self, pages: APIRouter, desk: Desk) -> None:
        Signed = Annotated[Row, Depends(desk.person)]

        @pages.get(f"/{self.containers_word}/{{container_id}}")
        def container(request: Request, account: Signed, container_id: int) -> Response:
            return desk.show(
                request,
                f"{self.code}/{self.container_word}.html",
                account=account,
                container=self.own_container(account, container_id),
                containers=self.store.containers(self.code, account["id"]),
                items=[self.as_json(r) for r in self.store.items(container_id, SHOWN)],
            )

        @pages.post(f"/{self.items_word}/{{item_id}}/move")
        def move(account: Signed, item_id: int, to: Annotated[int, Form()]) -> Response:
            self.own_item(account, item_id)
            self.own_container(account, to)
            self.move(item_id, to)
            return RedirectResponse(self._here(self.item_link(item_id)), 303)

        @pages.post(f"/{self.items_word}/{{item_id}}/delete")
        def delete(account: Signed, item_id: int) -> Response:
            row, found = self.own_item(account, item_id)
            self.delete(row["id"], found["id"])
            return RedirectResponse(self._here(self.container_link(found["id"])), 303)

    def _key_pages(self, pages: APIRouter, desk: Desk) -> None:
        Signed = Annotated[Row, Depends(desk.person)]

        def keys_page(request: Request, account: Row, made: str = "") -> Response:
            there = self.store.containers(self.code, account["id"])
            kept = [k for k in self.store.tokens(account["id"]) if k["app"] == self.code]
            return desk.show(request, "keys.html", account=account, app=self, containers=there, keys=kept, made=made)

        @pages.get("/keys")
        def keys(request: Request, account: Signed) -> Response:
            return keys_page(request, account)

        @pages.post("/keys")
        async def make_key(request: Request, account: Signed) -> Response:
            form = await request.form()
            mine = {c["id"] for c in self.store.containers(self.code, account["id"])}
            shared = [n for n in (whole(str(v)) for v in form.getlist("share")) if n in mine and n is not None]
            key, days = f"{self.code}-{secrets.token_urlsafe(24)}", KEY_DAYS.get(str(form.get("ends")), 90)
            name = str(form.get("name", "")).strip()[:200] or "Key"
            self.store.new_token(key, self.code, account["id"], "key", shared, form.get("write") == "1", days, name)
            return keys_page(request, account, key)
