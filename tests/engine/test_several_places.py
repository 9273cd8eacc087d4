"""Several places as one source, or all of them with those to come: one stream, each item naming its place, each once."""

from __future__ import annotations

import pytest

from kelvix.connectors.several import BETWEEN
from kelvix.core.collection import PermanentError, Write
from kelvix.core.query import Query
from sides import Issues, Sheets, Tables, Tasks
from support import until


def listen(orla, there, place: str, event: str = "arrives") -> int:
    names = [{"name": name, "type": "text"} for name in ("Title", "Place")]
    orla.told = orla.database("Told", *names)
    title, where = (f["id"] for f in orla.told["fields"][:2])
    filled = {title: there.title, where: "list" if isinstance(there, Tasks) else "place"}
    fillings = [{"field": f, "filling": [{"ref": {"line": "w", "value": key}}]} for f, key in filled.items()]
    when = there.whens()[0] | {"event": event, "container": place}
    flow = orla.workflow(
        "Of several", {"lines": [when, {"verb": "add", "id": "a", "database": orla.told["id"], "fillings": fillings}]}
    )
    orla.api("POST", f"/workflows/{flow}/on")
    return flow


def told(orla) -> list[tuple[str, str]]:
    title, where = (f["id"] for f in orla.told["fields"][:2])
    return sorted((r["values"].get(title), r["values"].get(where)) for r in orla.records(orla.told["id"]))


@pytest.mark.parametrize("kind", (Tasks, Issues, Tables), ids=lambda k: k.__name__.lower())
def test_what_arrives_in_either_place_comes_with_its_place_and_once(orla, kind):
    here, there, other = kind(orla, "Here"), kind(orla, "There"), kind(orla, "Other")
    both = orla.connect("Here", "There", "Other", app=kind.app, send=True)
    here.connection = both
    flow = listen(orla, here, f"{here.place}{BETWEEN}{there.place}")
    for side, name in ((here, "One"), (there, "Two"), (other, "Three")):
        orla.source(both, side.place).write(Write("create", f"{name}, by hand", values={side.title: name}))
    orla.api("POST", f"/workflows/{flow}/check-now")
    until(lambda: len(told(orla)) == 2)
    assert [t for t, _ in told(orla)] == ["One", "Two"] and [p.split(" › ")[-1] for _, p in told(orla)] == ["Here", "There"]


def test_an_item_that_moves_between_them_comes_once(orla):
    here, there = Tasks(orla, "Here"), Tasks(orla, "There")
    here.connection = orla.connect("Here", "There", app="tasks", send=True)
    flow = listen(orla, here, f"{here.place}{BETWEEN}{there.place}")
    id = here.create({here.title: "Oil the blower"})
    orla.api("POST", f"/workflows/{flow}/check-now")
    until(lambda: told(orla))
    with orla.practice_page() as page:
        page.post(f"/tasks/tasks/{id}/move", data={"to": there.place})
    there.create({there.title: "Last"})
    orla.api("POST", f"/workflows/{flow}/check-now")
    until(lambda: len(told(orla)) == 2)
    assert [t for t, _ in told(orla)] == ["Last", "Oil the blower"] and len(orla.runs(flow)) == 2


def test_all_of_them_are_those_to_come_too(orla):
    here = Tasks(orla, "Here")
    flow = listen(orla, here, "*")
    here.create({here.title: "Oil the blower"})
    orla.api("POST", f"/workflows/{flow}/check-now")
    until(lambda: told(orla))
    later = str(orla.container("tasks", "Later"))
    orla.connect("Here", "Later", connection=here.connection, app="tasks", send=True)
    orla.source(here.connection, later).write(Write("create", "by hand", values={here.title: "Voice the Trumpet"}))
    orla.api("POST", f"/workflows/{flow}/check-now")
    until(lambda: len(told(orla)) == 2)
    assert told(orla) == [("Oil the blower", "Here"), ("Voice the Trumpet", "Later")]


def test_a_page_of_several_places_is_the_newest_of_all_and_pages_give_each_once(orla):
    here, there = Tasks(orla, "Here"), Tasks(orla, "There")
    both = orla.connect("Here", "There", app="tasks", send=True)
    for n in range(7):
        side = here if n % 3 else there
        side.create({side.title: f"Task {n}"})
    source = orla.source(both, f"{here.place}{BETWEEN}{there.place}")
    first = source.query(Query(limit=3))
    assert [i.title for i in first.items] == ["Task 6", "Task 5", "Task 4"] and not first.exhaustive
    seen, after = [i.title for i in first.items], first.after
    while after is not None:
        page = source.query(Query(limit=2, after=after))
        seen, after = [*seen, *(i.title for i in page.items)], page.after
    assert seen == [f"Task {n}" for n in range(6, -1, -1)] and page.exhaustive
    assert source.one(first.items[0].id).title == "Task 6"
    with pytest.raises(PermanentError, match="can’t be added to"):
        source.write(Write("create", "k", values={here.title: "New"}))
    written = source.write(Write("update", "k", first.items[0].id, {here.title: "Edited"}, first.items[0].version))
    assert written.item.title == "Edited"


def test_fields_are_those_of_all_and_sheets_are_read_one_at_a_time(orla):
    here, there = Issues(orla, "Here"), Issues(orla, "There")
    both = orla.connect("Here", "There", app="issues", send=True)
    with orla.practice_page() as page:
        page.post(f"/issues/projects/{here.place}/fields", data={"name": "Ladder", "type": "text"})
        page.post(f"/issues/projects/{there.place}/fields", data={"name": "Rank", "type": "text"})
    source = orla.source(both, f"{here.place}{BETWEEN}{there.place}")
    source.look_anew()
    fields = {f.name: f.id for f in source.schema().fields}
    assert [n for n in fields if n.startswith(("Hours", "Ladder", "Rank"))] == ["Hours", "Ladder", "Rank (There)"]
    own = {f.name: f.id for f in orla.source(both, there.place).schema().fields}
    made = orla.source(both, there.place).write(Write("create", "k", values={there.title: "One", own["Rank"]: "Trumpet"}))
    item = source.one(made.item.id)
    assert item.values[fields["Rank (There)"]] == "Trumpet"
    assert item.values == source.query(Query(limit=1)).items[0].values
    source.write(Write("update", "l", item.id, {fields["Rank (There)"]: "Vox humana"}, item.version))
    assert orla.source(both, there.place).one(item.id).values[own["Rank"]] == "Vox humana"
    with pytest.raises(PermanentError, match="in another project"):
        source.write(Write("update", "m", item.id, {"f99": "no"}, source.one(item.id).version))
    seen = orla.api("POST", "/places", json={"connection": both, "place": f"{here.place}{BETWEEN}{there.place}"})
    assert seen["name"].count("Here") == 1 and "There" in seen["name"] and "create" not in seen["outside"]["writes"]
    sheet = Sheets(orla, "Ledger")
    with pytest.raises(PermanentError, match="read one at a time"):
        orla.source(sheet.connection, f"{sheet.place}{BETWEEN}{sheet.place}")


@pytest.mark.parametrize("place", ["both", "*"])
def test_what_happens_in_several_places_is_pushed_those_to_come_among_them(orla, place):
    here, there, other = Tasks(orla, "Here"), Tasks(orla, "There"), Tasks(orla, "Other")
    shared = ["Here", "There"] if place == "*" else ["Here", "There", "Other"]
    here.connection = orla.connect(*shared, app="tasks", send=True)
    flow = listen(orla, here, place if place == "*" else f"{here.place}{BETWEEN}{there.place}")
    for side, name in ((other, "Three"), (here, "One"), (there, "Two")):
        with orla.practice_page() as page:
            page.post(f"/tasks/lists/{side.place}", data={"title": name})
    until(lambda: [t for t, _ in told(orla)] == ["One", "Two"])
    rows = orla.space.rows(
        "SELECT j.came_by FROM source_change j JOIN consumer c ON c.subscription_id=j.subscription_id WHERE c.workflow_id=%s",
        (flow,),
    )
    assert [r["came_by"] for r in rows] == ["push", "push"], "told at once, and of no other place"
