"""Practice Reading: lists of saved articles, each with its address, tags, highlights and the page as it was saved."""

# No deferred annotations here: routes within functions name types that only exist there.
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Form, HTTPException, Request, Response, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse
from pydantic import BaseModel, Field

from kelvix.formats import article, lists_of_links
from kelvix.practice.framework import Desk, PracticeApp
from kelvix.practice.store import Access
from kelvix.readers import contents
from kelvix.store.database_server import Row
from kelvix.store.secrets import digest

MAX_PAGE = article.MAX_BYTES


class Saved(BaseModel):
    """An article that is saved over the API."""

    address: str = Field(max_length=2000, pattern="^https?://")
    title: str = Field("", max_length=1000)
    tags: list[str] = []
    page: str = Field("", max_length=MAX_PAGE)


class Reading(PracticeApp):
    """What Reading does, for its API and its pages alike."""

    code, name, container_word, containers_word, items_word = "reading", "Reading", "list", "lists", "articles"
    begins_with = ("To read",)
    sends = "It can also save articles"

    def save(
        self,
        list_id: int,
        address: str,
        title: str = "",
        tags: tuple[str, ...] = (),
        page: bytes = b"",
        highlights: tuple[tuple[str, str], ...] = (),
        at: datetime | None = None,
        tell: bool = True,
        idempotency: bytes | None = None,
    ) -> int:
        """Save an article; one that is in the list already, whatever tracks its address, gets these tags too. Its id."""
        bare = article.without_tracking(address)
        with self.one_by_one:  # so that no address is there twice
            there = next((one for one in map(self.as_json, self.store.items(list_id, 10_000)) if one["bare"] == bare), None)
            if there:
                more = [t for t in tags if t not in there["tags"]]
                if more:
                    self._set(int(there["id"]), tags=[*there["tags"], *more])
                return int(there["id"])
            body = {
                "address": address,
                "bare": bare,
                "title": " ".join(title.split()) or bare,
                "tags": list(dict.fromkeys(tags)),
                "highlights": [{"text": text, "note": note} for text, note in highlights],
                "has_page": bool(page),
            }
            made = self.store.put(self.code, list_id, body, page or None, at or datetime.now(UTC), idempotency)
        if tell:
            self.pusher.tell(self.code, list_id, made)
        return made

    def highlight(self, article_id: int, text: str, note: str = "") -> None:
        row = self.store.item(self.code, article_id)
        assert row
        marks = [*self.as_json(row)["highlights"], {"text": text, "note": note}]
        self._set(article_id, highlights=marks)

    def _set(self, article_id: int, **values: Any) -> None:
        self.change(article_id, "changed", lambda body: body | values)

    def bring_in(self, list_id: int, content: bytes) -> int:
        """Save all links of a feed, OPML or bookmark file: how many there were. Raises Unreadable."""
        found = contents.links(content)
        for link in found:
            page = f"<html><body><article><h1>{link.title}</h1>{link.text}</article></body></html>" if link.text else ""
            self.save(list_id, link.address, link.title, link.tags, page.encode(), at=link.at)
        return len(found)

    def api(self) -> APIRouter:
        api = super().api()
        Granted = Annotated[Access, Depends(self.granted)]

        @api.get("/articles/{article_id}/page")
        def page(granted: Granted, article_id: str) -> Response:
            row = self.shared_item(granted, article_id)
            return Response(self.store.source(row["id"]) or b"", media_type="application/octet-stream")

        @api.post("/lists/{list_id}/articles", status_code=201)
        def save(granted: Granted, list_id: str, saved: Annotated[Saved, Body()], request: Request) -> dict[str, str]:
            if not granted.may_send:
                raise HTTPException(403, "saving articles was not allowed")
            key = request.headers.get("idempotency-key")
            once = digest(granted.token_digest.hex(), key) if key else None
            made = self.save(
                self.shared(granted, list_id),
                saved.address,
                saved.title,
                tuple(saved.tags),
                saved.page.encode(),
                idempotency=once,
            )
            return {"id": str(made), "link": self.item_link(made)}

        return api

    def pages(self, desk: Desk) -> APIRouter:
        pages = super().pages(desk)
        Signed = Annotated[Row, Depends(desk.person)]

        @pages.post("/lists/{list_id}")
        def add(
            account: Signed,
            list_id: int,
            address: Annotated[str, Form()],
            title: Annotated[str, Form()] = "",
            tags: Annotated[str, Form()] = "",
            page: Annotated[str, Form()] = "",
        ) -> Response:
            self.own_container(account, list_id)
            if not address.strip().startswith(("http://", "https://")):
                raise HTTPException(422, "an address begins with http:// or https://")
            labels = tuple(t.strip() for t in tags.split(",") if t.strip())
            self.save(list_id, address.strip(), title, labels, page.encode()[:MAX_PAGE])
            return RedirectResponse(f"/reading/lists/{list_id}", 303)

        @pages.post("/lists/{list_id}/import")
        def bring(request: Request, account: Signed, list_id: int, file: UploadFile) -> Response:
            self.own_container(account, list_id)
            try:
                self.bring_in(list_id, file.file.read(lists_of_links.MAX_BYTES + 1))
            except lists_of_links.Unreadable as error:
                return desk.show(request, "error.html", 422, account=account, said=f"Nothing was imported: {error}.")
            return RedirectResponse(f"/reading/lists/{list_id}", 303)

        @pages.get("/pages/{article_id}")
        def page(article_id: int, moved: int = 0) -> Response:
            """Without sign-in: the page itself, as anyone on the web sees it. `moved`: by so many redirects."""
            if moved:
                more = f"?moved={moved - 1}" if moved > 1 else ""
                return RedirectResponse(f"/reading/pages/{article_id}{more}", 302)
            kept = self.store.source(article_id) if self.store.item(self.code, article_id) else None
            if kept is None:
                raise HTTPException(404, "page not found")
            return HTMLResponse(kept)

        @pages.get("/articles/{article_id}")
        def one(request: Request, account: Signed, article_id: int) -> Response:
            row, found = self.own_item(account, article_id)
            kept = self.store.source(row["id"]) or b""
            text = contents.article(kept).text if kept else ""
            return desk.show(
                request,
                "reading/article.html",
                account=account,
                list=found,
                lists=self.store.containers(self.code, account["id"]),
                article=self.as_json(row),
                text=text,
            )

        @pages.post("/articles/{article_id}/highlight")
        def mark(account: Signed, article_id: int, text: Annotated[str, Form()], note: Annotated[str, Form()] = "") -> Response:
            self.own_item(account, article_id)
            self.highlight(article_id, text.strip(), note.strip())
            return RedirectResponse(f"/reading/articles/{article_id}", 303)

        return pages
