"""Views over the API: kept, in order, answered as they are edited, and refused with what to do."""

from __future__ import annotations

import pytest

from kelvix.engine import indexing

STAGES = ["To do", "On the bench", "Done"]


@pytest.fixture
def tasks(orla):
    made = orla.database(
        "Tasks",
        {"name": "Name", "type": "text"},
        {"name": "Stage", "type": "choice", "choices": STAGES},
        {"name": "Due", "type": "date"},
        {"name": "Hours", "type": "number"},
    )
    ids = {f["name"]: f["id"] for f in made["fields"]}
    for n, (name, stage, due, hours) in enumerate(
        [("Voice", "To do", "2026-12-01", "4"), ("Glue", "On the bench", None, "2.5"), ("Plane", "To do", "2026-11-01", None)]
    ):
        values = {ids["Name"]: name, ids["Stage"]: stage, ids["Due"]: due, ids["Hours"]: hours}
        orla.api("POST", f"/databases/{made['id']}/records", json={"values": values}, headers={"idempotency-key": str(n)})
    return made["id"], ids


def view(**more):
    return {"kind": "table", **more}


def test_views_are_kept_and_answered_in_their_order(orla, tasks):
    database, ids = tasks
    where = f"/databases/{database}/views"
    open_ones = view(
        filter={"mode": "all", "tests": [{"field": ids["Stage"], "operator": "is_not", "value": "Done"}]},
        order=[{"field": ids["Due"]}],
        columns=[{"field": ids["Name"], "width": 300}, {"field": ids["Due"]}],
        totals=[{"field": ids["Hours"]}],
    )
    first = orla.api("POST", where, json={"name": " Open  ones ", "view": open_ones})
    assert (first["name"], first["version"]) == ("Open ones", 1)
    assert first["view"]["filter"]["tests"][0]["value"] == "Done"
    second = orla.api("POST", where, json={"name": "By stage", "view": view(kind="board", group=ids["Stage"])})
    found = orla.api("GET", where)
    assert [v["name"] for v in found["views"]] == ["Open ones", "By stage"]
    assert found["fields"][ids["Stage"]]["groups"] and not found["fields"][ids["Hours"]]["groups"]
    assert "sum" in found["fields"][ids["Hours"]]["figures"]
    orla.api("PUT", where, json={"views": [second["id"], first["id"]]})
    assert [v["name"] for v in orla.api("GET", where)["views"]] == ["By stage", "Open ones"]
    orla.api("DELETE", f"{where}/{first['id']}")
    assert [v["name"] for v in orla.api("GET", where)["views"]] == ["By stage"]


def test_a_view_says_which_records_it_shows_with_their_figures(orla, tasks):
    database, ids = tasks
    asked = {"view": view(kind="board", group=ids["Stage"], order=[{"field": ids["Due"]}], totals=[{"field": ids["Hours"]}])}
    groups = orla.api("POST", f"/databases/{database}/places", json=asked)["groups"]
    names = {r["id"]: r["values"][ids["Name"]] for r in orla.records(database)}
    assert [[names[id] for id in g["records"]] for g in groups] == [["Plane", "Voice"], ["Glue"]]
    figures = orla.api("POST", f"/databases/{database}/figures", json=asked)
    assert (figures["records"], figures["totals"]) == (3, [["6.5"]])
    assert [(g["records"], g["totals"]) for g in figures["groups"]] == [(2, [["4"]]), (1, [["2.5"]])]


def test_records_are_told_with_the_first_mark_that_holds(orla, tasks):
    database, ids = tasks
    late = {"mode": "all", "tests": [{"field": ids["Due"], "operator": "before", "value": "2026-11-15"}]}
    short = {"mode": "all", "tests": [{"field": ids["Hours"], "operator": "less", "value": "3"}]}
    all_ids = [r["id"] for r in orla.records(database)]
    marks = [{"filter": late, "tone": "bad"}, {"filter": short}]
    found = orla.api("POST", f"/databases/{database}/shown", json={"records": [*all_ids, 999_999], "marks": marks})
    assert [(one["record"]["values"][ids["Name"]], one["mark"]) for one in found] == [
        ("Plane", 0),
        ("Glue", 1),
        ("Voice", None),
    ]


def test_days_counted_from_today_are_kept_as_words(orla, tasks):
    database, ids = tasks
    due = {"mode": "all", "tests": [{"field": ids["Due"], "operator": "within", "value": "The  last 30 days"}]}
    kept = orla.api("POST", f"/databases/{database}/views", json={"name": "Lately", "view": view(filter=due)})
    assert kept["view"]["filter"]["tests"][0]["value"] == "the last 30 days"


def test_what_does_not_fit_is_refused_with_what_to_do(orla, tasks):
    database, ids = tasks
    where = f"/databases/{database}/views"
    for body, says in (
        ({"name": "", "view": view()}, "needs a name"),
        ({"name": "All Records", "view": view()}, "already a view"),
        ({"name": "x", "view": view(order=[{"field": "999"}])}, "field of this view was removed"),
        ({"name": "x", "view": view(group=ids["Hours"])}, "Hours can’t be used for grouping"),
        ({"name": "x", "view": view(totals=[{"field": ids["Name"], "figure": "sum"}])}, "Name can’t be used for this figure"),
        (
            {"name": "x", "view": view(filter={"tests": [{"field": ids["Due"], "operator": "within", "value": "soon"}]})},
            "filter on Due is not valid",
        ),
    ):
        assert says in orla.api("POST", where, expect=422, json=body)["title"]
    kept = orla.api("POST", where, json={"name": "Mine", "view": view()})
    orla.api("PUT", f"{where}/{kept['id']}", expect=428, json={"name": "Mine", "view": view()})
    orla.api("PUT", f"{where}/{kept['id']}", json={"name": "Mine", "view": view(frozen=0)}, headers={"if-match": "1"})
    late = orla.api("PUT", f"{where}/{kept['id']}", expect=409, json={"name": "My", "view": view()}, headers={"if-match": "1"})
    assert "changed meanwhile" in late["title"]
    orla.api("GET", "/databases/999999/views", expect=404)
    orla.api("POST", f"/databases/{database}/places", expect=404, json={"view": view(), "saved": 999_999})


def test_a_view_goes_on_without_a_field_that_was_removed(orla, tasks):
    database, ids = tasks
    where = f"/databases/{database}/views"
    due = view(
        order=[{"field": ids["Due"]}, {"field": ids["Name"]}],
        filter={"tests": [{"field": ids["Due"], "operator": "filled"}]},
        columns=[{"field": ids["Name"]}, {"field": ids["Due"]}],
    )
    orla.api("POST", where, json={"name": "Due", "view": due})
    orla.api("DELETE", f"/databases/{database}/fields/{ids['Due']}")
    (left,) = orla.api("GET", where)["views"]
    assert [o["field"] for o in left["view"]["order"]] == [ids["Name"]]
    assert [c["field"] for c in left["view"]["columns"]] == [ids["Name"]]
    assert left["view"]["filter"]["tests"] == []
    assert (
        sum(len(g["records"]) for g in orla.api("POST", f"/databases/{database}/places", json={"view": left["view"]})["groups"])
        == 3
    )


def test_views_belong_to_their_workspace(kelvix, orla, tasks):
    database, _ = tasks
    kept = orla.api("POST", f"/databases/{database}/views", json={"name": "Mine", "view": view()})
    other = kelvix.person("Ida")
    other.api("GET", f"/databases/{database}/views", expect=404)
    other.api("DELETE", f"/databases/{database}/views/{kept['id']}", expect=404)
    theirs = other.database("Theirs", {"name": "Name", "type": "text"})
    other.api("POST", f"/databases/{theirs['id']}/places", expect=404, json={"view": view(), "saved": kept["id"]})


def test_many_records_are_edited_and_added_at_once_all_or_none(orla, tasks):
    database, ids = tasks
    where = f"/databases/{database}/records"
    voice = next(r for r in orla.records(database) if r["values"][ids["Name"]] == "Voice")
    edits = [
        {"values": {ids["Name"]: "Order felt", ids["Stage"]: "done"}},
        {"record": voice["id"], "version": voice["version"], "values": {ids["Hours"]: "many"}},
    ]
    refused = orla.api("POST", f"{where}/edit", expect=422, json={"edits": edits})
    assert "Row 2 is not valid" in refused["title"] and len(orla.records(database)) == 3
    edits[1]["values"] = {ids["Hours"]: "5"}
    made = orla.api("POST", f"{where}/edit", json={"edits": edits})
    assert {(one["record"], one["version"]) for one in made} >= {(voice["id"], voice["version"] + 1)}
    kept = {r["values"][ids["Name"]]: r["values"][ids["Hours"]] for r in orla.records(database)}
    assert kept == {"Voice": "5", "Glue": "2.5", "Plane": None, "Order felt": None}
    late = orla.api("POST", f"{where}/edit", expect=412, json={"edits": edits})
    assert late["version"] == voice["version"] + 1 and len(orla.records(database)) == 4
    orla.api("POST", "/changes/undo", json={"changes": [one["change"] for one in made]})
    assert {r["values"][ids["Name"]]: r["values"][ids["Hours"]] for r in orla.records(database)} == {
        "Voice": "4", "Glue": "2.5", "Plane": None,
    }  # fmt: skip


def test_a_calendar_tells_where_records_stand_by_the_workspaces_clock(orla):
    made = orla.database("Visits", {"name": "Name", "type": "text"}, {"name": "When", "type": "span"})
    ids = {f["name"]: f["id"] for f in made["fields"]}
    where = f"/databases/{made['id']}"
    for name, when in (
        ("Two at once", "2026-10-25T09:00:00Z/2026-10-25T11:00:00Z"),
        ("Beside it", "2026-10-25T10:00:00Z/2026-10-25T12:00:00Z"),
        ("From before", "2026-10-01/2026-10-20"),
        ("Not any more", "2026-10-01/2026-10-18"),
        ("Next week", "2026-10-26/2026-10-26"),
        ("Open", None),
    ):
        orla.api("POST", f"{where}/records", json={"values": {ids["Name"]: name, ids["When"]: when}})
    asked = {"view": {"kind": "calendar", "by": ids["When"]}, "first": "2026-10-19", "last": "2026-10-25"}
    found = orla.api("POST", f"{where}/calendar", json=asked)
    told = {d["shown"]["record"]["values"][ids["Name"]]: d for d in found["dated"]}
    assert set(told) == {"Two at once", "Beside it", "From before"} and not found["more"]
    assert [(p["start"], p["end"], p["lanes"]) for p in told["Beside it"]["pieces"]] == [(600, 720, 2)]
    assert {told[n]["pieces"][0]["lane"] for n in ("Two at once", "Beside it")} == {0, 1}
    assert [(p["day"], p["begins"], p["ends"]) for p in told["From before"]["pieces"]] == [
        ("2026-10-19", False, False), ("2026-10-20", False, True),
    ]  # fmt: skip
    assert [s["record"]["values"][ids["Name"]] for s in found["undated"]] == ["Open"] and found["undated_count"] == 1
    for body, says in (
        ({"view": {"kind": "calendar"}}, "has no date field"),
        ({"first": "2026-10-25", "last": "2026-10-19"}, "can’t be shown"),
        ({"last": "2029-10-19"}, "can’t be shown"),
        ({"view": {"kind": "calendar", "by": ids["Name"]}}, "Name can’t be used as a date"),
    ):
        assert says in orla.api("POST", f"{where}/calendar", expect=422, json=asked | body)["title"]


def test_a_new_record_begins_with_what_the_view_asks_for(orla, tasks):
    database, ids = tasks
    bench = next(
        c["id"]
        for f in orla.api("GET", f"/databases/{database}")["fields"]
        for c in f["choices"]
        if c["name"] == "On the bench"
    )
    tests = [
        {"field": ids["Stage"], "operator": "is", "value": "On the bench"},
        {"field": ids["Due"], "operator": "within", "value": "next week"},
        {"field": ids["Hours"], "operator": "more", "value": "3"},
        {"field": ids["Name"], "operator": "is_not", "value": "x"},
    ]
    asked = {"view": view(filter={"mode": "all", "tests": tests})}
    begun = orla.api("POST", f"/databases/{database}/begun", json=asked)["values"]
    assert begun.keys() == {ids["Stage"], ids["Due"]} and begun[ids["Stage"]] == bench
    made = orla.api("POST", f"/databases/{database}/records", json={"values": {ids["Name"]: "New", ids["Hours"]: "4"} | begun})
    (group,) = orla.api("POST", f"/databases/{database}/places", json=asked)["groups"]
    assert group["records"] == [made["record"]["id"]]
    asked["view"]["filter"]["mode"] = "any"
    assert orla.api("POST", f"/databases/{database}/begun", json=asked)["values"] == {}
    calendar = {"view": view(kind="calendar", by=ids["Due"])}
    assert orla.api("POST", f"/databases/{database}/begun", json=calendar)["values"].keys() == {ids["Due"]}
    there = calendar | {"at": "2027-01-06"}
    assert orla.api("POST", f"/databases/{database}/begun", json=there)["values"] == {ids["Due"]: "2027-01-06"}


def test_a_saved_view_gets_an_index_of_its_own_and_loses_it_with_the_view(kelvix, orla, tasks):
    database, ids = tasks
    where = f"/databases/{database}/views"
    by_due = view(order=[{"field": ids["Due"]}], filter={"tests": [{"field": ids["Hours"], "operator": "more", "value": "3"}]})
    kept = orla.api("POST", where, json={"name": "By due", "view": by_due})

    def columns() -> list[str]:
        rows = orla.space.rows(f"SHOW INDEX FROM record_{database} WHERE Key_name=%s", (f"v_{kept['id']}",))
        return [r["Column_name"] for r in rows]

    indexing.index_views(kelvix.engine, orla.space.server)
    assert columns() == [f"f_{ids['Due']}", "id", "deleted_at", f"f_{ids['Hours']}"]
    asked = {"view": kept["view"], "saved": kept["id"]}
    shown = orla.api("POST", f"/databases/{database}/places", json=asked)
    assert shown == orla.api("POST", f"/databases/{database}/places", json={"view": kept["view"]})
    assert len(shown["groups"][0]["records"]) == 1

    # Edited, it is read without the old index until it has the new one; sorted by a text it has none.
    newer = by_due | {"order": [{"field": ids["Hours"], "descending": True}]}
    orla.api("PUT", f"{where}/{kept['id']}", json={"name": "By hours", "view": newer}, headers={"if-match": "1"})
    found = orla.api("POST", f"/databases/{database}/places", json={"view": newer, "saved": kept["id"]})
    assert len(found["groups"][0]["records"]) == 1
    indexing.index_views(kelvix.engine, orla.space.server)
    assert columns()[0] == f"f_{ids['Hours']}"
    by_name = view(order=[{"field": ids["Name"]}])
    orla.api("PUT", f"{where}/{kept['id']}", json={"name": "By name", "view": by_name}, headers={"if-match": "2"})
    indexing.index_views(kelvix.engine, orla.space.server)
    assert columns() == []
    orla.api("PUT", f"{where}/{kept['id']}", json={"name": "By due", "view": by_due}, headers={"if-match": "3"})
    indexing.index_views(kelvix.engine, orla.space.server)
    assert columns()
    orla.api("DELETE", f"{where}/{kept['id']}")
    assert columns() == []
