"""What goes wrong with targets in apps, and what is made of it: each for apps that differ in it."""

from __future__ import annotations

import pytest

from kelvix.core.query import Query
from kelvix.practice.faults import LAG
from support import document, until


class Target:
    """A place of an app with a title, a number and a field of choices or texts, and mails that become items of it."""

    def __init__(self, orla, app: str):
        self.orla, self.app, self.number = orla, app, orla.container(app, "Stock")
        with orla.practice_page() as page:
            if app == "sheets":
                page.post(f"/sheets/sheets/{self.number}/rows", data={"rows": "Name;Left"})
                page.post(f"/sheets/sheets/{self.number}/format", data={"column": "B", "format": "number"})
            else:
                where, told = {
                    "issues": (f"/issues/projects/{self.number}/fields", {"name": "Left", "type": "number"}),
                    "tables": (f"/tables/tables/{self.number}/fields", {"name": "Left", "type": "number"}),
                }[app]
                page.post(where, data=told)
        self.connection = orla.connect("Stock", app=app, send=True)
        self.place = self.seen()
        self.mail = orla.connect("Enquiries")
        self.when = document(self.mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]

    def seen(self):
        return self.orla.api("POST", "/places", json={"connection": self.connection, "place": str(self.number)})

    @property
    def source(self):
        return self.orla.source(self.connection, str(self.number))

    def field(self, name: str) -> str:
        return next(f["id"] for f in self.place["fields"] if f["name"] == name)

    @property
    def title(self) -> str:
        return self.place["fields"][0]["id"]

    def add(self, left: str = "8", title: str = "subject", **more):
        fills = [{"field": self.title, "filling": [{"ref": {"line": more.pop("line", "w"), "value": title}}]}]
        fills += [{"field": self.field("Left"), "filling": [{"text": left}]}]
        return {"verb": "add", "id": "a", "database": self.place["id"], "fillings": fills, **more}

    def flow(self, *lines) -> int:
        return self.orla.workflow("Into stock", {"lines": [self.when, *lines]})

    def all(self) -> dict[str, str]:
        left = self.field("Left")
        return {i.title: str(i.values.get(left)) for i in self.source.query(Query(limit=100)).items}

    def titles(self) -> list[str]:
        return sorted(i.title for i in self.source.query(Query(limit=100)).items)


APPS = ("issues", "tables", "sheets")


@pytest.fixture(params=APPS)
def target(orla, request) -> Target:
    return Target(orla, request.param)


def test_limits_half_way_lose_nothing_and_add_nothing_twice(target):
    repeat = {"verb": "repeat", "id": "r", "of": {"line": "w", "value": "attachments"}}
    flow = target.flow(repeat, target.add(title="each.name", line="r", within="r"))
    target.orla.api("POST", f"/workflows/{flow}/on")
    target.orla.faults("limited", app=target.app)
    try:
        target.orla.deliver("Parts", attachments={f"{name}.txt": b"x" for name in ("Reed", "Wire", "Felt")})
        until(lambda: target.orla.runs(flow))
    finally:
        target.orla.faults(app=target.app)
    until(lambda: target.orla.runs(flow, "done"))
    assert target.titles() == ["Felt.txt", "Reed.txt", "Wire.txt"]


def test_a_run_that_failed_was_mended_and_run_again_leaves_what_it_should(target, by_hand):
    flow = target.flow(target.add("many"))
    run = by_hand.carry(by_hand.begin(flow, {"subject": "Reed", "text": "x"}))
    assert run["state"] == "failed" and "“many”" in run["problem"] and target.titles() == []
    draft = target.orla.api("GET", f"/workflows/{flow}")
    mended = {"lines": [target.when, target.add("9")]}
    body = {"name": draft["name"], "document": mended}
    target.orla.api("PUT", f"/workflows/{flow}", json=body, headers={"if-match": str(draft["draft_version"])})
    target.orla.api("POST", f"/workflows/{flow}/on")
    target.orla.api("POST", f"/runs/{run['id']}/again", 202)
    until(lambda: target.orla.api("GET", f"/runs/{run['id']}")["run"]["state"] == "done")
    assert target.all() == {"Reed": "9"}


def test_two_that_add_or_update_at_once_leave_one(target, by_hand):
    keep = target.add() | {"verb": "add_or_update", "by": [target.title]}
    flow = target.flow(keep)
    runs = [by_hand.begin(flow, {"subject": "Reed", "text": "x"}) for _ in range(3)]
    for run in runs:
        by_hand.carry(run)
    until(lambda: all(target.orla.api("GET", f"/runs/{run}")["run"]["state"] == "done" for run in runs))
    assert target.all() == {"Reed": "8"}


def test_an_app_that_lists_new_items_late_gets_one(orla, by_hand):
    """Whoever looks right after somebody added it does not find it yet; what the app claims of that is waited for."""
    target = Target(orla, "issues")
    line = target.add(id="k") | {"verb": "add_or_update", "by": [target.title], "several": "stop"}
    flow = target.flow(line)
    orla.faults("lagging", app="issues")
    try:
        first = by_hand.carry(by_hand.begin(flow, {"subject": "Reeds"}))
        assert first["state"] == "done" and target.titles() == [], "it is added, and not listed yet"
        run = by_hand.begin(flow, {"subject": "Reeds"})
        by_hand.carry(run)
        until(lambda: orla.api("GET", f"/runs/{run}")["run"]["state"] == "done")
    finally:
        orla.faults(app="issues")
    assert target.titles() == ["Reeds"]
    assert target.source.capabilities.settles > LAG


def test_a_place_that_is_not_shared_any_more_is_said_before_it_is_turned_on(target):
    flow = target.flow(target.add())
    elsewhere = target.orla.container(target.app, "Elsewhere")
    target.orla.connect("Elsewhere", connection=target.connection, app=target.app, send=True)
    said = str(target.orla.api("POST", f"/workflows/{flow}/on", expect=409))
    assert "no longer shared with this connection" in said and elsewhere


def test_a_connection_of_another_account_is_refused_in_place_of_the_first(target):
    orla, ida = target.orla, target.orla.kelvix.person("Ida")
    if orla.kelvix.engine.apps[target.app].connects == "key":
        key = ida.key("Stock", app=target.app)
        body = {"app": target.app, "key": key, "connection": target.connection}
        said = orla.web.post("/api/v1/connections/key", json=body)
        assert said.status_code >= 400 and f"This key is of {ida.owner.name.lower()}" in said.text
    assert target.titles() == [] and target.add()


def test_a_header_that_was_renamed_is_still_the_column_that_is_meant(orla, by_hand):
    target = Target(orla, "sheets")
    flow = target.flow(target.add())
    with orla.practice_page() as page:
        page.post(f"/sheets/sheets/{target.number}/rows", data={"rows": "Wire;40"})
        by_hand.carry(by_hand.begin(flow, {"subject": "Reed", "text": "x"}))
        page.post(f"/sheets/sheets/{target.number}/cell", data={"row": "1", "column": "B", "text": "Remaining"})
    run = by_hand.carry(by_hand.begin(flow, {"subject": "Felt", "text": "x"}))
    assert run["state"] == "done", run["problem"]
    assert orla.kelvix.practice.settings(target.number)["rows"] == [
        ["Name", "Remaining"], ["Wire", 40], ["Reed", 8], ["Felt", 8],
    ]  # fmt: skip


def test_a_column_that_was_deleted_stops_the_run_with_what_to_do(orla, by_hand):
    target = Target(orla, "sheets")
    flow = target.flow(target.add())
    with orla.practice_page() as page:
        page.post(f"/sheets/sheets/{target.number}/rows", data={"rows": "Wire;40"})
        target.titles()
        page.post(f"/sheets/sheets/{target.number}/remove", data={"column": "B"})
    run = by_hand.carry(by_hand.begin(flow, {"subject": "Felt", "text": "x"}))
    assert run["state"] == "failed" and "is not there any more" in run["problem"]
    assert orla.kelvix.practice.settings(target.number)["rows"] == [["Name"], ["Wire"]]


def test_rows_of_another_table_are_filled_by_their_names(orla, by_hand):
    target = Target(orla, "tables")
    other = orla.container("tables", "Deaneries")
    with orla.practice_page() as page:
        page.post(f"/tables/tables/{other}", data={"field-1": "Wend Vale"})
        page.post(f"/tables/tables/{target.number}/fields", data={"name": "Deanery", "type": "rows", "table": other})
    target.place = target.seen()
    deanery = {"field": target.field("Deanery"), "filling": [{"text": "Wend Vale"}]}
    line = target.add()
    line["fillings"].append(deanery)
    run = by_hand.carry(by_hand.begin(target.flow(line), {"subject": "Reed", "text": "x"}))
    assert run["state"] == "done", run["problem"]
    [item] = target.source.query(Query(limit=5)).items
    target.source.look_anew()
    field = next(f for f in target.source.schema().fields if f.name == "Deanery")
    assert field.named(item.values[field.id]) == ("Wend Vale",)
    line["fillings"][-1] = {"field": target.field("Deanery"), "filling": [{"text": "Nowhere"}]}
    stopped = by_hand.carry(by_hand.begin(target.flow(line), {"subject": "Wire", "text": "x"}))
    assert stopped["state"] == "failed" and "Nowhere" in stopped["problem"]
