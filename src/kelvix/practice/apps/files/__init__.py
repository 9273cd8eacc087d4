"""Practice Files: folders of files with versions; a link opens the living file, another downloads a copy."""

# No deferred annotations here: routes within functions name types that only exist there.
import hmac
import json
import os
import pathlib
import secrets
import time
from datetime import UTC, datetime
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Body, Depends, Form, HTTPException, Query, Request, Response, UploadFile
from fastapi.responses import RedirectResponse, StreamingResponse
from starlette.concurrency import run_in_threadpool

from kelvix.core import file_name
from kelvix.core.values import whole
from kelvix.practice.contents import Contents, Kept, body_of, pieces
from kelvix.practice.framework import Desk, PracticeApp
from kelvix.practice.push import Pusher
from kelvix.practice.store import Access, Stale, Store
from kelvix.settings import Settings
from kelvix.store.database_server import Row
from kelvix.store.secrets import digest

Collision = Literal["number", "replace", "skip"]
MAX_BYTES = 4 << 30
LINK_SECONDS = float(os.environ.get("KELVIX_PRACTICE_LINK_SECONDS", "60"))  # for which a link to a file's content is good


class Files(PracticeApp):
    """What Files does, for its API and its pages alike."""

    code, name, items_word = "files", "Files", "files"
    begins_with = ("Papers", "From the post")
    sends = "It can also add files and create folders"

    def __init__(self, store: Store, pusher: Pusher, settings: Settings):
        super().__init__(store, pusher, settings)
        self._signing = secrets.token_bytes(32)  # of links to contents, none of which outlives this process
        self.contents = Contents(pathlib.Path(settings.data) / "practice-files")

    def as_json(self, row: Row) -> dict[str, Any]:
        found = super().as_json(row)
        links = {"copy_link": f"{found['link']}/copy", "content_link": self._content_link(row["id"])}
        return found | links | {"version": len(found["versions"])}

    def _content_link(self, file_id: int) -> str:
        """Return a link by which whoever has it can fetch the content, for a short while."""
        until = int(time.time() + LINK_SECONDS)
        signed = f"until={until}&signature={self._signature(file_id, until)}"
        return f"{self.address}/files/api/contents/{file_id}?{signed}"

    def add(
        self,
        folder_id: int,
        name: str,
        kept: Kept,
        at: datetime | None = None,
        collision: Collision = "number",
        idempotency: bytes | None = None,
        tell: bool = True,
        expect: int | None = None,
    ) -> tuple[int, str]:
        """Put a file into a folder; `collision`: what becomes of one that has its name; `expect`: the revision that this has.
        Its id, and whether it was added, replaced or there. Raises Stale."""
        with self.one_by_one:  # so that no name is given twice
            at = at or datetime.now(UTC)
            made, happened = self._add(folder_id, file_name.clean(name), kept, at, collision, idempotency, expect)
        if tell and happened == "added":
            self.pusher.tell(self.code, folder_id, made)
        return made, happened

    def _add(
        self,
        folder_id: int,
        name: str,
        kept: Kept,
        at: datetime,
        collision: Collision,
        idempotency: bytes | None,
        expect: int | None,
    ) -> tuple[int, str]:
        known = self.store.made_before(idempotency)
        if known is not None:
            return known, "replaced" if collision == "replace" else "added"
        taken = {json.loads(r["body"])["name"].casefold(): r["id"] for r in self.store.items(folder_id, 100_000)}
        there = taken.get(name.casefold())
        if there is None and expect is not None:  # it was renamed, moved or deleted
            raise Stale(0)
        if there is not None and collision == "skip":
            return there, "there"
        if there is not None and collision == "replace":
            return self.renew(there, kept, at, idempotency, expect), "replaced"
        body = {
            "name": file_name.free(name, taken),
            "type": file_name.kind(name),
            **self._version(kept, at),
        }
        body["versions"] = [self._version(kept, at)]
        return self.store.put(self.code, folder_id, body, None, at, idempotency), "added"

    def _version(self, kept: Kept, at: datetime) -> dict[str, Any]:
        return {"digest": kept.digest, "size": kept.size, "changed": at.isoformat()}

    def renew(
        self,
        file_id: int,
        kept: Kept,
        at: datetime | None = None,
        idempotency: bytes | None = None,
        expect: int | None = None,
    ) -> int:
        """Add a new version of a file. Raises Stale."""
        version = self._version(kept, at or datetime.now(UTC))

        def change(body: dict[str, Any]) -> dict[str, Any]:
            return body | version | {"versions": [*body["versions"], version]}

        self.change(file_id, "changed", change, None, idempotency, expect)
        return file_id

    def rename(self, file_id: int, name: str) -> None:
        name = file_name.clean(name)
        self.change(file_id, "renamed", lambda body: body | {"name": name})

    def make_container(self, account_id: int, name: str, address: str = "", within: str = "") -> int:
        return super().make_container(account_id, file_name.clean(name), address, within)

    def _signature(self, file_id: int, until: int) -> str:
        return hmac.new(self._signing, f"{file_id} {until}".encode(), "sha256").hexdigest()

    def content(self, row: Row, name: str | None = None) -> StreamingResponse:
        """Return a copy to download."""
        body = json.loads(row["body"])
        return self.contents.download(name or body["name"], body["digest"], body["size"])

    def api(self) -> APIRouter:
        api = super().api()
        Writer = Annotated[Access, Depends(self.writing)]

        @api.get("/contents/{file_id}")
        def content(file_id: int, until: int, signature: str) -> StreamingResponse:
            row = self.store.item(self.code, file_id)
            if row is None or not hmac.compare_digest(signature, self._signature(file_id, until)):
                raise HTTPException(404, "content not found")
            if until < time.time():
                raise HTTPException(410, "this link has expired. Request a new one")
            return self.content(row)

        @api.post("/folders", status_code=201)
        def make(granted: Writer, name: Annotated[str, Body(embed=True, min_length=1, max_length=200)]) -> dict[str, str]:
            made = self.make_container(granted.account_id, name)
            self.store.share(granted, made)
            return {"id": str(made), "name": file_name.clean(name), "link": self.container_link(made)}

        @api.post("/folders/{folder}/files", status_code=201)
        async def add(
            granted: Writer,
            folder: str,
            request: Request,
            name: Annotated[str, Query(min_length=1, max_length=500)],
            collision: Collision = "number",
        ) -> dict[str, str]:
            folder_id = self.shared(granted, folder)
            key = request.headers.get("idempotency-key")
            once = digest(granted.token_digest.hex(), key) if key else None
            expect = whole(request.headers.get("if-match", "").strip('"'))

            def work() -> tuple[int, str]:
                kept = self.contents.keep(body_of(request, MAX_BYTES))
                return self.add(folder_id, name, kept, None, collision, once, expect=expect)

            try:
                made, outcome = await run_in_threadpool(work)
            except Stale:
                raise HTTPException(412, "the file was changed since") from None
            row = self.store.item(self.code, made)
            assert row
            return {"id": str(made), "name": json.loads(row["body"])["name"], "link": self.item_link(made), "outcome": outcome}

        return api

    def pages(self, desk: Desk) -> APIRouter:
        pages = super().pages(desk)
        Signed = Annotated[Row, Depends(desk.person)]

        @pages.post("/folders/{folder_id}")
        def upload(account: Signed, folder_id: int, files: list[UploadFile]) -> Response:
            self.own_container(account, folder_id)
            for file in files:
                if file.filename:
                    self.add(folder_id, file.filename, self.contents.keep(pieces(file)))
            return RedirectResponse(f"/files/folders/{folder_id}", 303)

        @pages.get("/files/{file_id}")
        def file(request: Request, account: Signed, file_id: int) -> Response:
            row, found = self.own_item(account, file_id)
            there = self.store.containers(self.code, account["id"])
            return desk.show(request, "files/file.html", account=account, folder=found, file=self.as_json(row), folders=there)

        @pages.get("/files/{file_id}/copy")
        def copy(account: Signed, file_id: int) -> StreamingResponse:
            return self.content(self.own_item(account, file_id)[0])

        @pages.post("/files/{file_id}/version")
        def version(account: Signed, file_id: int, file: UploadFile) -> Response:
            self.own_item(account, file_id)
            self.renew(file_id, self.contents.keep(pieces(file)))
            return RedirectResponse(f"/files/files/{file_id}", 303)

        @pages.post("/files/{file_id}/rename")
        def rename(account: Signed, file_id: int, name: Annotated[str, Form()]) -> Response:
            self.own_item(account, file_id)
            self.rename(file_id, name)
            return RedirectResponse(f"/files/files/{file_id}", 303)

        return pages
