"""Mirrors by the API: set up, planned, carried out, settled, undone; with workers that do what they do."""

from __future__ import annotations

from datetime import date

import pytest

from kelvix.core.fields import from_wire
from kelvix.engine import file_content
from mirrored import Mirrored, make
from sides import Issues, Own, Tables, Tasks
from support import until


@pytest.fixture
def tasks(orla):
    return make(orla, Tasks)


def title_field(made):
    return next(f["id"] for f in made.api("GET", "/set-up")["fields"] if f["left"] == made.left.title)


def conflicting(made):
    """Let both sides edit the same title, while nothing crosses."""
    made.api("POST", "/state", json={"state": "off"})
    row = made.row("Order leather")
    made.left.edit(row["left"]["id"], {made.left.title: "Order reed leather"})
    made.right.edit(row["right"]["id"], {made.right.title: "Order the leather"})
    made.api("POST", "/state", json={"state": "on"})
    until(lambda: made.now()["counts"].get("conflict") == 1)
    return made.rows("conflict")[0]


def test_a_mirror_is_set_up_with_proposals_and_what_will_be_lost(tasks):
    found = tasks.api("GET", "/set-up")
    by_left = {f["left"]: f for f in found["fields"]}
    assert by_left[tasks.left.title]["right"] == tasks.right.title and not found["problems"]
    assert found["match"]["keys"] == [{"left": tasks.left.title, "right": tasks.right.title, "by": "normalised"}]
    tried = tasks.api("POST", "/try-rule", json=found["match"])
    assert (tried["left"], tried["right"], tried["pairs"], tried["doubts"]) == (2, 2, 1, 0)


def test_a_plan_is_corrected_before_it_is_carried_out(tasks):
    assert tasks.plan() == {"pair": 1, "create_right": 1, "create_left": 1}
    hum = tasks.row("Blower hums")
    tasks.api("POST", "/plan-items", json={"rows": [hum["id"]], "plan": "leave"})
    assert tasks.now()["plan"] == {"pair": 1, "create_right": 1, "leave_right": 1}
    tasks.carry_out()
    assert tasks.now()["counts"] == {"in_step": 2, "left_out": 1}
    assert sorted(i.title for i in tasks.left.items()) == ["Order leather", "Voice the Principal"]


def test_items_that_a_plan_recognised_wrongly_are_separated_and_others_paired_by_hand(tasks):
    tasks.plan()
    both = tasks.row("Voice the Principal")
    tasks.orla.api("DELETE", f"/mirrors/{tasks.id}/rows/{both['id']}?planned=true")
    assert tasks.now()["plan"] == {"create_right": 1, "create_left": 1, "leave_left": 1, "leave_right": 1}
    ours, theirs = tasks.row("Order leather")["left"]["id"], tasks.row("Blower hums")["right"]["id"]
    tasks.api("POST", "/pairs", json={"left": ours, "right": theirs})
    assert tasks.now()["plan"]["pair"] == 1


def test_a_conflict_is_settled_and_nobody_is_asked_again(tasks):
    tasks.plan()
    tasks.carry_out()
    row = conflicting(tasks)
    [one] = row["open"]
    assert (one["left"], one["right"], one["was"]) == ("Order reed leather", "Order the leather", "Order leather")
    tasks.api("POST", f"/rows/{row['id']}/settle", json={"field": one["field"], "key": one["key"], "take": "right"})
    until(lambda: "Order the leather" in [i.title for i in tasks.left.items()])
    assert tasks.settles() == {"in_step": 3}
    assert [r["id"] for r in tasks.api("GET", "/rows?skip=1&limit=1")] == [tasks.rows()[1]["id"]]
    last = tasks.api("GET", "/history")["crossings"][0]
    assert last["kind"] == "update" and "Order the leather" in last["after"].values()


def test_a_conflict_is_settled_by_another_value_on_both_sides(tasks):
    tasks.plan()
    tasks.carry_out()
    row = conflicting(tasks)
    [one] = row["open"]
    tasks.api(
        "POST", f"/rows/{row['id']}/settle", json={"field": one["field"], "key": one["key"], "value": "Order all leather"}
    )
    until(lambda: "Order all leather" in [i.title for i in tasks.left.items()])
    until(lambda: "Order all leather" in [i.title for i in tasks.right.items()])


def test_what_always_wins_is_not_asked_again(tasks):
    tasks.right.create({tasks.right.title: "voice the principal 4′"})
    tasks.left.create({tasks.left.title: "Voice the Principal 4′"})
    tasks.plan()
    tasks.carry_out()
    [row] = tasks.rows("conflict")
    [one] = row["open"]
    assert one["was"] is None, "titles that differ, and were never agreed on"
    settled = {"field": one["field"], "key": one["key"], "take": "left", "always": True}
    tasks.api("POST", f"/rows/{row['id']}/settle", json=settled)
    assert tasks.settles() == {"in_step": 4}
    tasks.api("POST", "/state", json={"state": "off"})
    row = tasks.row("Order leather")
    tasks.left.edit(row["left"]["id"], {tasks.left.title: "Order reed leather"})
    tasks.right.edit(row["right"]["id"], {tasks.right.title: "Order the leather"})
    tasks.api("POST", "/state", json={"state": "on"})
    until(lambda: "Order reed leather" in [i.title for i in tasks.right.items()])
    assert "lost" in [c["kind"] for c in tasks.api("GET", "/history")["crossings"]], "what was passed over is recorded"


def test_a_held_pair_stays_as_it_is_until_it_is_released(tasks):
    tasks.plan()
    tasks.carry_out()
    row = tasks.row("Order leather")
    tasks.api("POST", f"/rows/{row['id']}/hold", json={"held": True})
    tasks.left.edit(row["left"]["id"], {tasks.left.title: "Order reed leather"})
    assert tasks.settles()["held"] == 1 and "Order leather" in [i.title for i in tasks.right.items()]
    tasks.api("POST", f"/rows/{row['id']}/hold", json={"held": False})
    until(lambda: "Order reed leather" in [i.title for i in tasks.right.items()])


def test_what_was_written_is_undone_on_both_sides_and_not_written_again(tasks):
    tasks.plan()
    before = [sorted(i.title for i in side.items()) for side in (tasks.left, tasks.right)]
    tasks.carry_out()
    row = tasks.row("Order leather")
    tasks.left.edit(row["left"]["id"], {tasks.left.title: "Order reed leather"})
    until(lambda: "Order reed leather" in [i.title for i in tasks.right.items()])
    tasks.settles()
    tasks.api("POST", "/state", json={"state": "off"})
    done = tasks.api("POST", "/undo", json={"since": f"{date.today()}T00:00:00Z"})
    assert done["undone"] >= 3 and not done["kept"]
    after = [sorted(i.title for i in side.items()) for side in (tasks.left, tasks.right)]
    assert after[1] == before[1] and len(after[0]) == 2
    tasks.api("POST", "/state", json={"state": "on"})
    tasks.settles()
    assert [sorted(i.title for i in side.items()) for side in (tasks.left, tasks.right)] == after


def test_items_that_were_separated_stay_alone(tasks):
    tasks.plan()
    tasks.carry_out()
    row = tasks.row("Order leather")
    tasks.orla.api("DELETE", f"/mirrors/{tasks.id}/rows/{row['id']}")
    assert tasks.settles()["left_out"] == 2
    assert len(tasks.left.items()) == 3 == len(tasks.right.items())


@pytest.mark.parametrize("does, left", [("delete", 2), ("keep", 3), ("create", 3)])
def test_a_deletion_is_asked_and_decided(tasks, does, left):
    tasks.plan()
    tasks.carry_out()
    row = tasks.row("Blower hums")
    tasks.right.delete(row["right"]["id"])
    until(lambda: tasks.now()["counts"].get("asked") == 1)
    [asked] = tasks.rows("asked")
    assert asked["asks"] == "deleted"
    tasks.api("POST", f"/rows/{asked['id']}/decide", json={"does": does})
    tasks.settles()
    assert len(tasks.left.items()) == left and len(tasks.right.items()) == (3 if does == "create" else 2)


def test_parity_is_proved_and_its_report_is_kept(tasks):
    tasks.plan()
    tasks.carry_out()
    until(lambda: tasks.api("GET", "/parity") and tasks.api("GET", "/parity")[0]["ended_at"])
    tasks.settles()
    tasks.api("POST", "/parity")
    until(lambda: len(tasks.api("GET", "/parity")) == 2 and tasks.api("GET", "/parity")[0]["ended_at"])
    report = tasks.api("GET", "/parity")[0]
    assert (report["pairs"], report["same"], report["open"], report["different"]) == (3, 3, 0, 0)


def test_many_deletions_wait_for_a_person_and_none_crosses_beyond_the_limit(orla):
    own, theirs = Own(orla, "Workshop"), Tasks(orla, "Restoration")
    ids = [own.create({own.title: f"Pipe {n}"}) for n in range(12)]
    made = Mirrored(orla, own, theirs)
    made.set_up(quiet=0, deletes="follow")
    made.plan()
    made.carry_out()
    assert len(theirs.items()) == 12
    orla.api("POST", f"/databases/{own.id}/records/delete", json={"records": [int(i) for i in ids[:9]]})
    until(lambda: made.now()["counts"].get("asked") == 9)
    assert len(theirs.items()) == 12 and {r["asks"] for r in made.rows("asked")} == {"too_many"}
    assert made.api("POST", "/decide-all", json={"does": "delete"}) == {"decided": 9}
    until(lambda: len(theirs.items()) == 3)


def test_a_part_of_a_database_is_shared(orla):
    own, theirs = Own(orla, "Register"), Issues(orla, "Shared")
    number = own.fields()["number"].id
    for name, hours in (("St Hewen", "3"), ("All Saints", "8")):
        orla.api("POST", f"/databases/{own.id}/records", json={"values": {own.title: name, number: hours}})
    made = Mirrored(orla, own, theirs)
    test = {"field": number, "operator": "more", "value": "5"}
    found = made.set_up(quiet=0, filters={"left": {"mode": "all", "tests": [test]}})
    assert found["filters"]["left"]["tests"] == [test]
    assert made.plan() == {"create_right": 1}
    made.carry_out()
    assert [i.title for i in theirs.items()] == ["All Saints"]


def test_where_an_item_is_is_found_on_both_sides(tasks):
    tasks.plan()
    tasks.carry_out()
    assert [r["state"] for r in tasks.api("GET", "/find?text=leather")] == ["in_step"]
    assert tasks.api("GET", "/find?text=nothing+like+it") == []


def test_both_sides_are_not_the_same_database(orla):
    own = Own(orla, "Workshop")
    told = orla.api("POST", "/mirrors", expect=422, json={"left": own.id, "right": own.id})
    assert "same" in told["title"]


def test_an_item_crosses_two_mirrors_and_comes_back_by_neither(orla):
    own, tasks, issues = Own(orla, "Workshop"), Tasks(orla, "Foreman"), Issues(orla, "Restoration")
    chain = [Mirrored(orla, own, tasks), Mirrored(orla, own, issues)]
    chain[0].set_up(quiet=0)
    told = chain[1].set_up(quiet=0)["problems"]
    assert "link is written by another mirror already. Remove it here or there." in told, "each field has one source"
    chain[1].set_up(fields=[f for f in chain[1].api("GET", "/set-up")["fields"] if f["left"] == own.title])
    for one in chain:
        one.plan()
        one.carry_out()
    made = tasks.create({tasks.title: "Order leather"})
    until(lambda: [i.title for i in issues.items()] == ["Order leather"])
    [there] = issues.items()
    issues.edit(there.id, {issues.title: "Order reed leather"})
    until(lambda: tasks.source.one(made).title == "Order reed leather")
    for one in chain:
        assert one.settles() == {"in_step": 1}
    assert [len(side.items()) for side in (own, tasks, issues)] == [1, 1, 1]


def test_in_a_ring_no_side_always_wins_and_nothing_is_lost_on_the_way(orla):
    own, tasks, issues = Own(orla, "Workshop"), Tasks(orla, "Foreman"), Issues(orla, "Restoration")
    Mirrored(orla, own, tasks)
    Mirrored(orla, tasks, issues)
    closing = Mirrored(orla, issues, own)
    fields = [f for f in closing.api("GET", "/set-up")["fields"] if f["left"] == issues.title]
    told = closing.set_up(fields=[{**fields[0], "policy": "left"}])["problems"]
    assert any("ring" in problem for problem in told)
    assert closing.set_up(fields=[{**fields[0], "policy": "ask"}])["problems"] == []


def test_a_field_that_was_removed_stops_the_mirror_and_harms_nothing(tasks):
    tasks.plan()
    tasks.carry_out()
    tasks.set_up(fields=[f for f in tasks.api("GET", "/set-up")["fields"] if f["left"] != tasks.left.title])
    assert tasks.now()["state"] == "off" and "plan" in tasks.now()["reason"], "what is matched otherwise needs a plan"
    number = next((f for f in tasks.api("GET", "/set-up")["fields"]), None)
    assert number is not None
    before = [sorted(i.title for i in side.items()) for side in (tasks.left, tasks.right)]
    tasks.orla.api("DELETE", f"/databases/{tasks.left.id}/fields/{number['left']}?anyway=true")
    found = tasks.api("GET", "/set-up")
    assert any("removed" in problem for problem in found["problems"])
    assert [sorted(i.title for i in side.items()) for side in (tasks.left, tasks.right)] == before


def test_a_deletion_archives_the_other_item_as_it_was_said_and_can_be_undone(tasks):
    assert sorted(tasks.set_up(deletes="archive")["problems"]) == [
        "Choose below how an item of Restoration is archived.",
        "Choose below how an item of Workshop is archived.",
    ]
    done = next(f["id"] for f in tasks.api("GET", "/set-up")["left"]["fields"] if f["type"] == "yes_no")
    archives = {"left": {"field": done, "value": "yes"}, "right": {"field": "done", "value": "yes"}}
    found = tasks.set_up(deletes="archive", archives=archives)
    assert not found["problems"] and found["archives"] == archives
    tasks.plan()
    tasks.carry_out()
    row = tasks.row("Order leather")
    tasks.orla.api("DELETE", f"/databases/{tasks.left.id}/records/{row['left']['id']}")
    until(lambda: tasks.right.source.one(row["right"]["id"]).values["done"] is True)
    assert len(tasks.right.items()) == 3 and tasks.settles() == {"in_step": 2, "left_out": 1}
    last = tasks.api("GET", "/history")["crossings"][0]
    assert (last["kind"], last["after"]) == ("update", {"done": True})
    assert tasks.api("POST", f"/history/{last['n']}/undo")["undone"] == 1
    assert not tasks.right.source.one(row["right"]["id"]).values["done"]
    tasks.set_up(archives={})
    assert tasks.now()["state"] == "on", "how items are archived needs no new plan"


def test_an_option_without_a_counterpart_is_given_one_once_for_all_items_and_without_a_plan(orla):
    made = make(orla, Issues)
    found = made.api("GET", "/set-up")
    kind = next(f for f in found["left"]["fields"] if f["type"] == "choice")
    options = {c["name"]: c["id"] for c in kind["choices"]}
    more = {"id": "kind", "left": kind["id"], "right": "kind", "translation": ""}
    made.set_up(fields=[*found["fields"], more])
    asked = [made.right.create({"title": f"May we visit? {n}", "kind": "3"}) for n in range(2)]  # a question: Workshop has none
    made.plan()
    made.carry_out()
    assert made.now()["counts"]["no_counterpart"] == 2

    def with_pair(field):
        return {**field, "options": {"pairs": [*field["options"]["pairs"], [options["Wish"], "3"]]}}

    fields = made.api("GET", "/set-up")["fields"]
    made.set_up(fields=[with_pair(f) if f["id"] == "kind" else f for f in fields])
    assert made.now()["state"] == "on"
    assert "no_counterpart" not in made.settles()
    kinds = {i.title: i.values[kind["id"]] for i in made.left.items()}
    assert [kinds[f"May we visit? {n}"] for n in range(2)] == [options["Wish"]] * 2
    assert [made.right.source.one(one).values["kind"] for one in asked] == ["3", "3"], "what stands for it already stays"


def test_what_needs_a_person_is_told_with_its_mirror(tasks):
    tasks.plan()
    tasks.carry_out()
    conflicting(tasks)
    [cause] = [c for c in tasks.orla.api("GET", "/attention") if c["kind"] == "conflict"]
    assert (cause["mirror"], cause["count"]) == (tasks.id, 1)
    assert cause["sentence"] == "1 item needs a decision"


def test_a_records_history_names_the_mirror_that_changed_it(tasks):
    tasks.plan()
    tasks.carry_out()
    row = tasks.row("Blower hums")
    detail = tasks.orla.api("GET", f"/databases/{tasks.left.id}/records/{row['left']['id']}")
    assert detail["history"][0]["by"] == "Orla, through the mirror “Workshop and Restoration”"
    assert detail["history"][0]["mirror"] == tasks.id


def test_another_workspace_sees_nothing_of_a_mirror(kelvix, tasks):
    ida = kelvix.person("Ida")
    for where in ("", "/set-up", "/rows", "/history", "/parity", "/volume", "/unconfirmed", "/find?text=a"):
        ida.api("GET", f"/mirrors/{tasks.id}{where}", expect=404)
    ida.api("POST", f"/mirrors/{tasks.id}/plan", expect=404)
    assert ida.api("GET", "/mirrors") == []


def test_what_was_separated_stays_so_in_a_new_plan_and_a_new_field_crosses(tasks):
    fields = tasks.api("GET", "/set-up")["fields"]
    tasks.set_up(fields=[f for f in fields if f["left"] == tasks.left.title])
    tasks.plan()
    tasks.carry_out()
    tasks.orla.api("DELETE", f"/mirrors/{tasks.id}/rows/{tasks.row('Order leather')['id']}")
    tasks.settles()
    [ours] = [i for i in tasks.left.items() if i.title == "Voice the Principal"]
    tasks.left.edit(ours.id, {"0": "Take the edge off."})
    tasks.set_up(fields=[f for f in fields if f["left"] in (tasks.left.title, "0")])
    assert tasks.plan() == {}, "the two that were separated are alone"
    tasks.carry_out()
    until(lambda: "Take the edge off." in [i.values.get("notes") for i in tasks.right.items()])
    assert tasks.settles()["left_out"] == 2 and len(tasks.right.items()) == 3


# The day


def test_the_day_shows_what_crossed_between_the_runs(tasks):
    assert tasks.orla.api("GET", "/today")["mirrored"] == 0
    tasks.plan()
    tasks.carry_out()
    found = tasks.orla.api("GET", "/today/list")["entries"]
    assert {(e["kind"], e["source"]["name"], e["targets"][0]["name"], e["title"]) for e in found if e["kind"] == "create"} == {
        ("create", "Workshop", "Restoration", "Order leather"),
        ("create", "Restoration", "Workshop", "Blower hums"),
    }
    assert {(e["mirror"], e["run"], e["by"]) for e in found} == {(tasks.id, None, "Workshop and Restoration")}
    assert tasks.orla.api("GET", "/today")["mirrored"] == len(found) == len(tasks.api("GET", "/history")["crossings"])
    assert [e["at"] for e in found] == sorted((e["at"] for e in found), reverse=True)


# Filters


def filtered(orla, *sides, **more):
    """Tasks that are not done, on some sides; whether they are done is mirrored."""
    made = make(orla, Tasks, deletes="follow", **more)
    done = [next(f.id for f in side.source.schema().fields if f.type == "yes_no") for side in (made.left, made.right)]
    made.done = dict(zip(("left", "right"), done, strict=True))
    fields = made.api("GET", "/set-up")["fields"]
    if made.done["left"] not in {f["left"] for f in fields}:
        fields.append({"id": "done", **made.done, "translation": ""})
    open_ = {side: {"mode": "all", "tests": [{"field": made.done[side], "operator": "is", "value": "no"}]} for side in sides}
    made.set_up(fields=fields, filters=open_)
    for item in made.left.items():
        made.left.edit(item.id, {made.done["left"]: False})
    made.plan()
    made.carry_out()
    return made


def test_the_edit_that_takes_an_item_out_of_the_filter_crosses_and_the_one_that_takes_it_back(orla):
    made = filtered(orla, "left", "right")
    row = made.row("Order leather")
    ours, theirs = row["left"]["id"], row["right"]["id"]
    made.left.edit(ours, {made.done["left"]: True, made.left.title: "Ordered leather"})
    until(lambda: made.now()["counts"].get("outside") == 1)
    there = made.right.source.one(theirs)
    assert (there.title, there.values[made.done["right"]]) == ("Ordered leather", True)
    made.left.edit(ours, {made.left.title: "Ordered leather, at last"})
    made.settles()
    assert made.right.source.one(theirs).title == "Ordered leather", "outside, nothing crosses"
    made.right.edit(theirs, {made.done["right"]: False})
    until(lambda: made.now()["counts"] == {"in_step": 3})
    assert made.left.source.one(ours).values[made.done["left"]] is False
    until(lambda: made.right.source.one(theirs).title == "Ordered leather, at last")


def test_what_a_person_takes_out_is_deleted_elsewhere_where_that_was_chosen_but_no_edit_with_it(orla):
    made = filtered(orla, "left", leaving="delete")
    leather, voice = made.row("Order leather"), made.row("Voice the Principal")
    made.left.edit(leather["left"]["id"], {made.done["left"]: True})
    until(lambda: "Order leather" not in [i.title for i in made.right.items()])
    assert "Order leather" in [i.title for i in made.left.items()]
    made.api("POST", "/state", json={"state": "off"})
    due = next(f.id for f in made.right.source.schema().fields if f.type == "date")
    made.right.edit(voice["right"]["id"], {due: date(2027, 3, 1)})
    made.left.edit(voice["left"]["id"], {made.done["left"]: True})
    made.api("POST", "/state", json={"state": "on"})
    until(lambda: made.settles().get("in_step") == 1)
    standing = [value for side in (made.left, made.right) for item in side.items() for value in item.values.values()]
    assert date(2027, 3, 1) in standing


# Files


def test_a_file_is_copied_to_the_other_side_and_a_newer_one_back(orla):
    own, table = Own(orla, "Workshop"), Tables(orla, "Restoration")
    file = {side.id: next(f.id for f in side.source.schema().fields if f.type == "file") for side in (own, table)}

    def put(name, content):
        return from_wire(orla.api("POST", f"/files?name={name}", content=content)["file"], "file")

    def content(side):
        [item] = side.items()
        held = item.values[file[side.id]]
        return (str(held), b"".join(file_content.content(orla.kelvix.engine, orla.space, held))) if held else None

    own.create({own.title: "Voice the Principal", file[own.id]: put("pipes.csv", b"c1,c2")})
    made = Mirrored(orla, own, table)
    fields = made.api("GET", "/set-up")["fields"]
    [matched] = [f for f in fields if f["left"] == file[own.id]]
    assert (matched["right"], matched["translation"], len(matched["loses"])) == (file[table.id], "file", 1)
    made.set_up(quiet=0)
    made.plan()
    made.carry_out()
    assert content(table) == ("pipes.csv", b"c1,c2")
    [row] = made.rows()
    assert row["state"] == "in_step", (row["open"], row["left"], row["right"])
    table.edit(row["right"]["id"], {file[table.id]: put("pipes.csv", b"c1,c2,c3,c4")})
    until(lambda: content(own) == ("pipes.csv", b"c1,c2,c3,c4"))
    assert made.settles() == {"in_step": 1}
    newest = made.api("GET", "/history")["crossings"][0]
    assert (newest["kind"], newest["side"], newest["after"]) == ("update", "left", {file[own.id]: "pipes.csv"})
    assert made.api("POST", f"/history/{newest['n']}/undo")["undone"] == 1
    assert content(own) == ("pipes.csv", b"c1,c2")


def test_a_case_that_somebody_changed_since_is_not_undone(tasks):
    tasks.plan()
    tasks.carry_out()
    row = tasks.row("Order leather")
    tasks.left.edit(row["left"]["id"], {tasks.left.title: "Order reed leather"})
    until(lambda: "Order reed leather" in [i.title for i in tasks.right.items()])
    tasks.settles()
    tasks.api("POST", "/state", json={"state": "off"})
    tasks.right.edit(row["right"]["id"], {tasks.right.title: "Order Reed Leather"})
    wrote = next(c for c in tasks.api("GET", "/history")["crossings"] if (c["kind"], c["side"]) == ("update", "right"))
    assert tasks.api("POST", f"/history/{wrote['n']}/undo")["undone"] == 0
    assert "Order Reed Leather" in [i.title for i in tasks.right.items()]
