"""Practice Issues: projects of issues, each with kinds, statuses and fields of its own. Access is by keys that its user makes.
It knows no idempotency keys, tells nobody of changes, and calls options by their numbers."""

# No deferred annotations here: routes within functions name types that only exist there.
import json
from datetime import UTC, date, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Form, HTTPException, Request, Response
from fastapi.responses import RedirectResponse
from pydantic import BaseModel, ConfigDict, Field

from kelvix.practice.commented import Commented
from kelvix.practice.framework import Desk, OptionName, with_option
from kelvix.practice.store import Access
from kelvix.store.database_server import Row

KINDS = ("Fault", "Wish", "Question")
STATUSES = ("New", "Planned", "In work", "Done")
FIELD_TYPES = ("text", "number", "date", "option")


class Someone(BaseModel):
    name: str = Field("", max_length=200)
    address: str = Field("", max_length=320)


class Change(BaseModel):
    """What is changed of an issue over the API: what is not named stays. `kind`, `status` and options of fields are numbers;
    `fields` are by the numbers of the project's own fields."""

    model_config = ConfigDict(extra="forbid")
    title: str = Field("", min_length=1, max_length=500)
    text: str = Field("", max_length=400_000)
    kind: int | None = None
    status: int | None = None
    person: Someone | None = None
    fields: dict[str, Any] = {}


class New(Change):
    title: str = Field(min_length=1, max_length=500)


class Issues(Commented):
    """What Issues does, for its API and its pages alike."""

    code, name, container_word, containers_word, items_word = "issues", "Issues", "project", "projects", "issues"
    begins_with = ("Works",)
    has_keys, pushes = True, False

    # Projects

    def project(self, project_id: int) -> dict[str, Any]:
        """Return a project's kinds, statuses and own fields; each has a number."""
        kept = self.store.settings(project_id)
        return kept or {"kinds": _numbered(KINDS), "statuses": _numbered(STATUSES), "fields": []}

    def make_field(self, project_id: int, name: str, type_: str, options: tuple[str, ...] = ()) -> None:
        project = self.project(project_id)
        number = max((f["id"] for f in project["fields"]), default=0) + 1
        made = {"id": number, "name": name[:200], "type": type_, "options": _numbered(options)}
        self.store.set_up(project_id, project | {"fields": [*project["fields"], made]})

    def make_option(self, project_id: int, number: int, name: str) -> int:
        """Give a field an option: its number, that of the one with this name where there is one."""
        with self.one_by_one:
            project = self.project(project_id)
            made, fields = with_option(project["fields"], number, name, "option")
            self.store.set_up(project_id, project | {"fields": fields})
            return made

    # Issues

    def as_json(self, row: Row) -> dict[str, Any]:
        found = super().as_json(row)
        fields = {str(f["id"]): None for f in self.project(row["container_id"])["fields"]} | found["fields"]
        return found | {"fields": fields}

    def add(self, project_id: int, by: str, values: dict[str, Any], at: datetime | None = None) -> int:
        """Add an issue: its id. Raises HTTPException for an option or a field that the project does not have."""
        at, project = at or datetime.now(UTC), self.project(project_id)
        empty = {"text": "", "kind": project["kinds"][0]["id"], "status": project["statuses"][0]["id"], "person": None}
        given = empty | {k: v for k, v in values.items() if v is not None or k == "person"}
        given["fields"] = self._checked(project, given, values.get("fields", {}))
        noted = {"created_by": by, "changed_by": by, "changed": at.isoformat(), "comments": []}
        with self.one_by_one:  # so that no number is given twice
            number = 1 + max((json.loads(r["body"])["number"] for r in self.store.items(project_id, 1)), default=0)
            return self.store.put(self.code, project_id, given | noted | {"number": number}, None, at)

    def edit(self, row: Row, by: str, values: dict[str, Any]) -> None:
        project = self.project(row["container_id"])
        own = self._checked(project, values, values.get("fields", {}))
        noted = {"changed_by": by, "changed": datetime.now(UTC).isoformat()}

        def change(was: dict[str, Any]) -> dict[str, Any]:
            fields = {k: v for k, v in (was["fields"] | own).items() if v is not None}
            return was | values | noted | {"fields": fields}

        self.change(row["id"], "changed", change)

    def _checked(self, project: dict[str, Any], given: dict[str, Any], own: dict[str, Any]) -> dict[str, Any]:
        for what, options in (("kind", project["kinds"]), ("status", project["statuses"])):
            if given.get(what) is not None and given[what] not in {o["id"] for o in options}:
                raise HTTPException(422, f"this project has no {what} {given[what]}")
        known = {str(f["id"]): f for f in project["fields"]}
        for number, value in own.items():
            if number not in known:
                raise HTTPException(422, f"this project has no field {number}")
            if value is not None and not _fits(known[number], value):
                raise HTTPException(422, f"“{known[number]['name']}” does not take this value")
        return own

    def api(self) -> APIRouter:
        api = super().api()
        Granted = Annotated[Access, Depends(self.granted)]
        Writer = Annotated[Access, Depends(self.writing)]

        @api.get("/projects/{project}")
        def project(granted: Granted, project: str) -> dict[str, Any]:
            return self.project(self.shared(granted, project))

        @api.post("/projects/{project}/fields/{number}/options", status_code=201)
        def option(granted: Writer, project: str, number: int, name: OptionName) -> dict[str, int]:
            return {"id": self.make_option(self.shared(granted, project), number, name)}

        @api.post("/projects/{project}/issues", status_code=201)
        def add(granted: Writer, project: str, new: New) -> dict[str, Any]:
            made = self.add(self.shared(granted, project), granted.name, new.model_dump(mode="json", exclude_unset=True))
            return self.as_json(self.store.item(self.code, made) or {})

        @api.patch("/issues/{issue_id}")
        def change(granted: Writer, issue_id: str, change: Change) -> dict[str, Any]:
            row = self.shared_item(granted, issue_id)
            self.edit(row, granted.name, change.model_dump(mode="json", exclude_unset=True))
            return self.as_json(self.store.item(self.code, row["id"]) or {})

        @api.delete("/issues/{issue_id}", status_code=204)
        def delete(granted: Writer, issue_id: str) -> None:
            row = self.shared_item(granted, issue_id)
            self.delete(row["id"], row["container_id"])

        return api

    def pages(self, desk: Desk) -> APIRouter:
        pages = super().pages(desk)
        Signed = Annotated[Row, Depends(desk.person)]

        @pages.post("/projects/{project_id}")
        def add(account: Signed, project_id: int, title: Annotated[str, Form(max_length=500)]) -> Response:
            self.own_container(account, project_id)
            self.add(project_id, account["name"], {"title": " ".join(title.split())})
            return RedirectResponse(f"/issues/projects/{project_id}", 303)

        @pages.post("/projects/{project_id}/fields")
        def field(
            account: Signed,
            project_id: int,
            name: Annotated[str, Form(min_length=1, max_length=200)],
            type: Annotated[str, Form()],
            options: Annotated[str, Form()] = "",
        ) -> Response:
            self.own_container(account, project_id)
            if type not in FIELD_TYPES:
                raise HTTPException(422, "unknown type of field")
            self.make_field(project_id, name.strip(), type, tuple(o.strip() for o in options.split(",") if o.strip()))
            return RedirectResponse(f"/issues/projects/{project_id}", 303)

        @pages.get("/issues/{issue_id}")
        def issue(request: Request, account: Signed, issue_id: int) -> Response:
            row, found = self.own_item(account, issue_id)
            return desk.show(
                request,
                "issues/issue.html",
                account=account,
                project=found,
                settings=self.project(found["id"]),
                projects=self.store.containers(self.code, account["id"]),
                issue=self.as_json(row),
                comments=self.comments(row),
            )

        @pages.post("/issues/{issue_id}")
        async def change(request: Request, account: Signed, issue_id: int) -> Response:
            row, found = self.own_item(account, issue_id)
            form = {k: str(v) for k, v in (await request.form()).items()}
            was, project = self.as_json(row), self.project(found["id"])
            named = {"name": form.get("person", "").strip(), "address": form.get("address", "").strip()}
            own = {str(f["id"]): _of_form(f, form[f"field-{f['id']}"]) for f in project["fields"] if f"field-{f['id']}" in form}
            values: dict[str, Any] = {
                "title": " ".join(form.get("title", "").split()) or was["title"],
                "text": form.get("text", was["text"]).replace("\r\n", "\n"),
                "kind": _number(form.get("kind"), was["kind"]),
                "status": _number(form.get("status"), was["status"]),
                "person": (named if any(named.values()) else None) if "person" in form else was["person"],
                "fields": own,
            }
            self.edit(row, account["name"], values)
            return RedirectResponse(f"/issues/issues/{issue_id}", 303)

        return pages


def _numbered(names: tuple[str, ...]) -> list[dict[str, Any]]:
    return [{"id": number, "name": name} for number, name in enumerate(names, 1)]


def _number(text: str | None, was: int | None) -> int | None:
    """Return the option that a form names, if it names one at all."""
    return was if text is None else int(text) if text.isdecimal() else None


def _fits(field: dict[str, Any], value: Any) -> bool:
    match field["type"]:
        case "number":
            return isinstance(value, (int, float)) and not isinstance(value, bool)
        case "date":
            try:
                return isinstance(value, str) and bool(date.fromisoformat(value))
            except ValueError:
                return False
        case "option":
            return value in {o["id"] for o in field["options"]}
    return isinstance(value, str)


def _of_form(field: dict[str, Any], text: str) -> Any:
    """Return a value as a form gives it; raises HTTPException for a number that is none."""
    if not text.strip():
        return None
    try:
        return {"number": float, "option": int}.get(field["type"], str)(text.strip())
    except ValueError:
        raise HTTPException(422, f"“{field['name']}” takes a number") from None
