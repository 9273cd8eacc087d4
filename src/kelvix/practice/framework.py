"""What all practice apps have in the same way: an API for whoever was given a token, and what their pages are made with."""

# No deferred annotations here: routes within functions name types that only exist there.
import json
import pathlib
from abc import ABC, abstractmethod
from contextlib import AbstractContextManager, nullcontext
from typing import Annotated, Any, ClassVar

from fastapi import APIRouter, Body, Depends, HTTPException, Request, Response
from fastapi.responses import JSONResponse
from fastapi.templating import Jinja2Templates
from starlette.concurrency import run_in_threadpool

from kelvix.core.values import whole
from kelvix.practice.push import Pusher
from kelvix.practice.store import Access, Store
from kelvix.settings import Settings
from kelvix.store.database_server import Row

COOKIE = "practice"


class NotSignedIn(Exception):
    pass


class Desk:
    """What pages are made with: who is signed in, and a template."""

    def __init__(self, store: Store, settings: Settings, apps: dict[str, str]):
        self.store, self.settings, self.apps = store, settings, apps
        self._pages = Jinja2Templates(pathlib.Path(__file__).parent / "templates")

    def person(self, request: Request) -> Row:
        account = self.store.page_account(request.cookies.get(COOKIE, ""))
        if account is None:
            raise NotSignedIn
        return account

    def show(self, request: Request, name: str, status: int = 200, **values: Any) -> Response:
        around = {"kelvix": self.settings.address, "app_names": self.apps}
        return self._pages.TemplateResponse(request, name, values | around, status_code=status)


class PracticeApp(ABC):
    """One practice app. Its words are also those of its paths: /mail/api/folders/3/messages."""

    code: ClassVar[str]
    name: ClassVar[str]
    container_word: ClassVar[str] = "folder"
    containers_word: ClassVar[str] = "folders"
    items_word: ClassVar[str]
    sends: ClassVar[str] = ""  # what else may be allowed, as the consent window says it
    about: str = ""  # what its users should know, beside its switches

    def __init__(self, store: Store, pusher: Pusher, settings: Settings):
        self.store, self.pusher, self.settings = store, pusher, settings
        self.address = settings.practice_address

    def running(self) -> AbstractContextManager[object]:
        """What it does besides answering, for as long as it runs."""
        return nullcontext()

    def container_link(self, container_id: int) -> str:
        return f"{self.address}/{self.code}/{self.containers_word}/{container_id}"

    def item_link(self, item_id: int) -> str:
        return f"{self.address}/{self.code}/{self.items_word}/{item_id}"

    def as_json(self, row: Row) -> dict[str, Any]:
        """An item, as the API gives it."""
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

    @abstractmethod
    def pages(self, desk: Desk) -> APIRouter:
        """Its plain pages, to read and write items as its user would."""

    # What is shared with whoever calls

    async def granted(self, request: Request) -> Access:
        scheme, _, token = request.headers.get("authorization", "").partition(" ")
        found = None
        if scheme.lower() == "bearer":
            found = self.store.remembered(self.code, token) or await run_in_threadpool(self.store.access, self.code, token)
        if found is None:
            raise HTTPException(401, "this token is not known, or its access was taken away")
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
            raise HTTPException(404, "there is no such item")
        self.shared(granted, str(row["container_id"]))
        return row

    # What is a person's own

    def own_container(self, account: Row, container_id: int) -> Row:
        found = next((c for c in self.store.containers(self.code, account["id"]) if c["id"] == container_id), None)
        if found is None:
            raise HTTPException(404, f"there is no such {self.container_word}")
        return found

    def own_item(self, account: Row, item_id: int) -> tuple[Row, Row]:
        row = self.store.item(self.code, item_id)
        if row is None:
            raise HTTPException(404, "there is no such item")
        return row, self.own_container(account, row["container_id"])

    def api(self) -> APIRouter:
        """JSON over HTTP, for whoever was given a token. Each call sees what is shared only."""
        api = APIRouter(prefix=f"/{self.code}/api")
        Granted = Annotated[Access, Depends(self.granted)]

        @api.get("/me")
        def me(granted: Granted) -> dict[str, Any]:
            there = self.store.containers(self.code, granted.account_id)
            return {
                "account": granted.account,
                "name": granted.name,
                "shared": [
                    {"id": str(c["id"]), "name": c["name"], "items": c["items"], "link": self.container_link(c["id"])}
                    for c in there
                    if c["id"] in granted.shared
                ],
                "not_shared": [c["name"] for c in there if c["id"] not in granted.shared],
                "may_send": granted.may_send,
            }

        @api.get(f"/{self.containers_word}/{{container}}/{self.items_word}")
        def items(granted: Granted, container: str, limit: int = 20, before: int | None = None) -> dict[str, Any]:
            rows = self.store.items(self.shared(granted, container), max(1, min(limit, 100)), before)
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
                ],
            }

        @api.post("/subscriptions", status_code=201)
        def subscribe(granted: Granted, container: Annotated[str, Body()], url: Annotated[str, Body()]) -> dict[str, str]:
            made, secret = self.store.subscribe(granted, self.shared(granted, container), url)
            return {"id": str(made), "secret": secret}

        @api.delete("/subscriptions/{subscription_id}", status_code=204)
        def unsubscribe(granted: Granted, subscription_id: int) -> None:
            if not self.store.unsubscribe(granted, subscription_id):
                raise HTTPException(404, "there is no such subscription")

        return api
