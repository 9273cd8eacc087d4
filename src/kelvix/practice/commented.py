"""Practice apps whose items have comments: who said what, and when. A comment is added and deleted, but never changed."""

# No deferred annotations here: routes within functions name types that only exist there.
import json
import secrets
from datetime import UTC, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Form, HTTPException, Request, Response
from fastapi.responses import RedirectResponse

from kelvix.practice.framework import Desk, PracticeApp
from kelvix.practice.store import Access
from kelvix.store.database_server import Row
from kelvix.store.secrets import digest

Text = Annotated[str, Body(embed=True, min_length=1, max_length=100_000)]


class Commented(PracticeApp):
    """What an app does with comments, for its API and its pages alike. `keys_comments`: added again under the same key, a
    comment is the same."""

    keys_comments = False

    def as_json(self, row: Row) -> dict[str, Any]:
        found = super().as_json(row)
        return found | {"comments": len(found.get("comments", ()))}

    def comments(self, row: Row) -> list[dict[str, str]]:
        """Return the comments of an item, the first first."""
        kept = json.loads(row["body"]).get("comments", [])
        return [{"id": c.get("id", str(n)), "by": c["by"], "at": c["at"], "text": c["text"]} for n, c in enumerate(kept)]

    def comment(self, item_id: int, by: str, text: str, key: str = "") -> str:
        """Add a comment to an item: its id."""
        at, made = datetime.now(UTC).isoformat(), [secrets.token_hex(6)]

        def add(was: dict[str, Any]) -> dict[str, Any]:
            there = was.get("comments", [])
            before = [c["id"] for c in there if key and c.get("key") == key]
            made[:] = before or made
            new = [{"id": made[0], "by": by, "at": at, "text": text} | ({"key": key} if key else {})]
            return was | {"comments": there if before else [*there, *new], "changed_by": by, "changed": at}

        self.change(item_id, "commented", add)
        return made[0]

    def delete_comment(self, item_id: int, by: str, comment: str) -> None:
        """Delete a comment, if it is there."""
        noted = {"changed_by": by, "changed": datetime.now(UTC).isoformat()}

        def delete(was: dict[str, Any]) -> dict[str, Any]:
            there = was.get("comments", [])
            return was | noted | {"comments": [c for n, c in enumerate(there) if c.get("id", str(n)) != comment]}

        self.change(item_id, "commented", delete)

    def api(self) -> APIRouter:
        api = super().api()
        Granted = Annotated[Access, Depends(self.granted)]
        Writer = Annotated[Access, Depends(self.writing)]
        where = f"/{self.items_word}/{{item_id}}/comments"

        @api.get(where)
        def comments(granted: Granted, item_id: str) -> dict[str, Any]:
            return {"comments": self.comments(self.shared_item(granted, item_id))}

        @api.post(where, status_code=201)
        def comment(granted: Writer, item_id: str, text: Text, request: Request) -> dict[str, str]:
            row, sent = self.shared_item(granted, item_id), request.headers.get("idempotency-key")
            key = digest(granted.token_digest.hex(), sent).hex() if sent and self.keys_comments else ""
            made = self.comment(row["id"], granted.name, text, key)
            return next(c for c in self.comments(self.store.item(self.code, row["id"]) or row) if c["id"] == made)

        @api.delete(where + "/{comment}", status_code=204)
        def delete(granted: Writer, item_id: str, comment: str) -> None:
            row = self.shared_item(granted, item_id)
            if comment not in {c["id"] for c in self.comments(row)}:
                raise HTTPException(404, "comment not found")
            self.delete_comment(row["id"], granted.name, comment)

        return api

    def pages(self, desk: Desk) -> APIRouter:
        pages = super().pages(desk)
        Signed = Annotated[Row, Depends(desk.person)]

        @pages.post(f"/{self.items_word}/{{item_id}}/comment")
        def comment(account: Signed, item_id: int, text: Annotated[str, Form(min_length=1)]) -> Response:
            self.own_item(account, item_id)
            self.comment(item_id, account["name"], text.replace("\r\n", "\n"))
            return RedirectResponse(f"/{self.code}/{self.items_word}/{item_id}", 303)

        @pages.post(f"/{self.items_word}/{{item_id}}/comments/{{comment}}/delete")
        def delete(account: Signed, item_id: int, comment: str) -> Response:
            self.own_item(account, item_id)
            self.delete_comment(item_id, account["name"], comment)
            return RedirectResponse(f"/{self.code}/{self.items_word}/{item_id}", 303)

        return pages
