"""Practice Tasks: areas of lists of tasks. A write names the version that it saw (an entity tag, RFC 9110), or is refused."""

# No deferred annotations here: routes within functions name types that only exist there.
import json
import re
from datetime import UTC, date, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Form, HTTPException, Request, Response
from fastapi.responses import JSONResponse, RedirectResponse
from pydantic import BaseModel, ConfigDict, Field

from kelvix.practice.commented import Commented
from kelvix.practice.framework import Desk
from kelvix.practice.store import Access, Stale
from kelvix.store.database_server import Row
from kelvix.store.secrets import digest

MAX_ITEMS = 100_000  # of a list, whose labels are gathered
EMPTY: dict[str, Any] = {"notes": "", "due": None, "done": False, "done_at": None, "person": None, "labels": [], "subtasks": []}


class Someone(BaseModel):
    name: str = Field("", max_length=200)
    address: str = Field("", max_length=320)


class Subtask(BaseModel):
    title: str = Field(min_length=1, max_length=500)
    done: bool = False


class Change(BaseModel):
    """What is changed of a task over the API: what is not named stays."""

    model_config = ConfigDict(extra="forbid")
    title: str = Field("", min_length=1, max_length=500)
    notes: str = Field("", max_length=400_000)
    due: date | None = None
    done: bool = False
    person: Someone | None = None
    labels: list[Annotated[str, Field(min_length=1, max_length=100)]] = []
    subtasks: list[Subtask] = []


class New(Change):
    title: str = Field(min_length=1, max_length=500)


class Tasks(Commented):
    """What Tasks does, for its API and its pages alike."""

    code, name, container_word, containers_word, items_word = "tasks", "Tasks", "list", "lists", "tasks"
    holder_word = "area"
    keys_comments = True
    tells_removed = True
    token_seconds = 3600
    begins_with = ("To do",)
    sends = "It can also add, change and delete tasks, and create lists"

    def as_json(self, row: Row) -> dict[str, Any]:
        return super().as_json(row) | {"area": row["holder_name"] or ""}

    def add(
        self,
        list_id: int,
        by: str,
        values: dict[str, Any],
        at: datetime | None = None,
        key: bytes | None = None,
        tell: bool = True,
    ) -> int:
        """Add a task: its id. Added again under the same key, it is the same."""
        at = at or datetime.now(UTC)
        noted = {"created_by": by, "changed_by": by, "changed": at.isoformat()}
        made = self.store.put(self.code, list_id, _done_when(EMPTY | values, EMPTY, at) | noted, None, at, key)
        if tell:
            self.pusher.tell(self.code, list_id, made)
        return made

    def edit(self, task_id: int, by: str, values: dict[str, Any], key: bytes | None = None, expect: int | None = None) -> None:
        """Change a task; changed again under the same key, it stays as it is. Raises Stale."""
        if self.store.made_before(key) is not None:
            return
        at = datetime.now(UTC)
        noted = {"changed_by": by, "changed": at.isoformat()}
        self.change(task_id, "changed", lambda was: _done_when(was | values, was, at) | noted, None, key, expect)

    def move(self, item_id: int, to: int) -> None:
        if self.store.container_of(self.code, item_id) != to:
            super().move(item_id, to)

    def labels(self, lists: frozenset[int]) -> list[str]:
        """Return the labels that tasks of some lists have, each once, in the order of their names."""
        found = {
            label.casefold(): label
            for one in sorted(lists)
            for row in self.store.items(one, MAX_ITEMS)
            for label in json.loads(row["body"])["labels"]
        }
        return [found[key] for key in sorted(found)]

    def api(self) -> APIRouter:
        api = super().api()
        Granted = Annotated[Access, Depends(self.granted)]
        Writer = Annotated[Access, Depends(self.writing)]

        def once(granted: Access, request: Request) -> bytes | None:
            key = request.headers.get("idempotency-key")
            return digest(granted.token_digest.hex(), key) if key else None

        def answer(task_id: int, status: int = 200) -> JSONResponse:
            row = self.store.item(self.code, task_id)
            if row is None:
                raise HTTPException(404, "task not found")
            return JSONResponse(self.as_json(row), status, {"etag": f'"{row["revision"]}"'})

        @api.get("/labels")
        def labels(granted: Granted) -> dict[str, list[str]]:
            return {"labels": self.labels(granted.shared)}

        @api.post("/lists", status_code=201)
        def make(
            granted: Writer,
            name: Annotated[str, Body(min_length=1, max_length=200)],
            area: Annotated[str, Body(max_length=200)] = "",
        ) -> dict[str, str]:
            made = self.make_container(granted.account_id, name, within=area)
            self.store.share(granted, made)
            return {"id": str(made), "name": name.strip(), "link": self.container_link(made)}

        @api.post("/lists/{list_id}/tasks", status_code=201)
        def add(granted: Writer, list_id: str, new: New, request: Request) -> JSONResponse:
            values = new.model_dump(mode="json", exclude_unset=True)
            made = self.add(self.shared(granted, list_id), granted.name, values, key=once(granted, request))
            if self.store.item(self.code, made) is None:
                raise HTTPException(410, "the task that was added under this key was deleted since")
            return answer(made, 201)

        @api.patch("/tasks/{task_id}")
        def change(granted: Writer, task_id: str, change: Change, request: Request) -> JSONResponse:
            row, seen = self.shared_item(granted, task_id), _seen(request)
            values = change.model_dump(mode="json", exclude_unset=True)
            try:
                self.edit(row["id"], granted.name, values, once(granted, request), seen)
            except Stale:
                return answer(row["id"], 412)
            return answer(row["id"])

        @api.post("/tasks/{task_id}/subtasks", status_code=201)
        def add_subtask(granted: Writer, task_id: str, subtask: Subtask, request: Request) -> JSONResponse:
            """Without a version: what is added takes nothing from anybody."""
            row, key = self.shared_item(granted, task_id), once(granted, request)
            with self.one_by_one:
                there = self.as_json(self.store.item(self.code, row["id"]) or row)["subtasks"]
                self.edit(row["id"], granted.name, {"subtasks": [*there, subtask.model_dump()]}, key)
            return answer(row["id"], 201)

        @api.delete("/tasks/{task_id}", status_code=204)
        def delete(granted: Writer, task_id: str, request: Request) -> Response:
            key, seen = once(granted, request), _seen(request)
            if self.store.made_before(key) is not None:
                return Response(status_code=204)
            row = self.shared_item(granted, task_id)
            try:
                self.delete(row["id"], row["container_id"], key, seen)
            except Stale:
                return answer(row["id"], 412)
            return Response(status_code=204)

        @api.post("/tasks/{task_id}/restore")
        def restore(granted: Writer, task_id: int) -> JSONResponse:
            self.shared(granted, str(self.store.container_of(self.code, task_id)))
            back = self.store.bring_back(self.code, task_id)
            if back is not None:
                self.pusher.tell(self.code, back[0], task_id, "restored", back[1])
            return answer(task_id)

        return api

    def pages(self, desk: Desk) -> APIRouter:
        pages = super().pages(desk)
        Signed = Annotated[Row, Depends(desk.person)]

        @pages.post("/lists/{list_id}")
        def add(account: Signed, list_id: int, title: Annotated[str, Form(max_length=500)]) -> Response:
            self.own_container(account, list_id)
            self.add(list_id, account["name"], {"title": _line(title)})
            return RedirectResponse(f"/tasks/lists/{list_id}", 303)

        @pages.get("/tasks/{task_id}")
        def task(request: Request, account: Signed, task_id: int) -> Response:
            row, found = self.own_item(account, task_id)
            lists = self.store.containers(self.code, account["id"])
            return desk.show(
                request,
                "tasks/task.html",
                account=account,
                list=found,
                lists=lists,
                task=self.as_json(row),
                comments=self.comments(row),
            )

        @pages.post("/tasks/{task_id}")
        def change(
            account: Signed,
            task_id: int,
            title: Annotated[str, Form(max_length=500)],
            notes: Annotated[str, Form()] = "",
            due: Annotated[str, Form(pattern=r"^(\d{4}-\d\d-\d\d)?$")] = "",
            person: Annotated[str, Form(max_length=200)] = "",
            address: Annotated[str, Form(max_length=320)] = "",
            labels: Annotated[str, Form()] = "",
            subtasks: Annotated[str, Form()] = "",
            done: Annotated[str, Form()] = "",
        ) -> Response:
            row, _ = self.own_item(account, task_id)
            was = self.as_json(row)
            ticked = {one["title"] for one in was["subtasks"] if one["done"]}
            someone = {"name": _line(person), "address": address.strip()} if person.strip() or address.strip() else None
            values = {
                "title": _line(title) or was["title"],
                "notes": notes.replace("\r\n", "\n"),
                "due": due or None,
                "person": someone,
                "labels": list(dict.fromkeys(t for one in labels.split(",") if (t := _line(one)[:100]))),
                "subtasks": [{"title": t[:500], "done": t in ticked} for one in subtasks.splitlines() if (t := _line(one))],
                "done": bool(done),
            }
            self.edit(task_id, account["name"], values)
            return RedirectResponse(f"/tasks/tasks/{task_id}", 303)

        @pages.post("/tasks/{task_id}/done")
        def tick(account: Signed, task_id: int) -> Response:
            row, found = self.own_item(account, task_id)
            self.edit(task_id, account["name"], {"done": not self.as_json(row)["done"]})
            return RedirectResponse(f"/tasks/lists/{found['id']}", 303)

        return pages


def _line(text: str) -> str:
    return " ".join(text.split())


def _done_when(now: dict[str, Any], was: dict[str, Any], at: datetime) -> dict[str, Any]:
    """With the time at which a task was done, where it just was."""
    if now["done"] == was["done"]:
        return now
    return now | {"done_at": at.isoformat() if now["done"] else None}


def _seen(request: Request) -> int:
    """Return the revision that a write saw (RFC 9110, 13.1.1); without one it is refused (RFC 6585, 3)."""
    tag = re.fullmatch(r'"(\d{1,18})"', request.headers.get("if-match", ""))
    if tag is None:
        raise HTTPException(428, "name the version that you saw, by If-Match")
    return int(tag[1])
