"""Rehearsals of a mirror: what they say comes about, and until then nothing is written."""

from __future__ import annotations

import pytest

from mirrored import make
from sides import Tasks
from support import until


@pytest.fixture
def tasks(orla):
    made = make(orla, Tasks, deletes="follow")
    made.plan()
    made.carry_out()
    return made


def rehearsed(mirror):
    mirror.api("POST", "/rehearsal")
    until(lambda: mirror.now()["stage"] is None)
    return mirror.api("GET", "/rehearsal")


def here(mirror):
    return [sorted((i.id, i.title, i.version) for i in side.items()) for side in (mirror.left, mirror.right)]


def test_a_mirror_that_is_on_and_in_step_would_do_nothing(tasks):
    assert tasks.api("GET", "/rehearsal") is None
    found = rehearsed(tasks)
    assert (found["left"], found["right"], found["counts"], found["named"]) == (3, 3, {}, [])


def test_what_a_rehearsal_says_comes_about_when_the_mirror_is_turned_on(tasks):
    leather, voice, hum = (tasks.row(title) for title in ("Order leather", "Voice the Principal", "Blower hums"))
    tasks.api("POST", "/state", json={"state": "off"})
    tasks.left.edit(leather["left"]["id"], {tasks.left.title: "Order reed leather"})
    tasks.left.edit(voice["left"]["id"], {tasks.left.title: "Voice the Octave"})
    tasks.right.edit(voice["right"]["id"], {tasks.right.title: "Voice the Flute"})
    tasks.right.create({tasks.right.title: "Rats in the loft"})
    tasks.orla.api("DELETE", f"/databases/{tasks.left.id}/records/{hum['left']['id']}")
    before = here(tasks)
    found = rehearsed(tasks)
    assert here(tasks) == before
    assert found["counts"] == {"update_right": 1, "create_left": 1, "delete_right": 1, "conflict": 1}
    said = {(one["comes"], one["side"], one["title"]) for one in found["named"]}
    assert ("delete", "right", "Blower hums") in said and ("create", "left", "Rats in the loft") in said
    update = next(one for one in found["named"] if one["comes"] == "update")
    assert (list(update["before"].values()), list(update["after"].values())) == (["Order leather"], ["Order reed leather"])
    newest = max((c["n"] for c in tasks.api("GET", "/history")["crossings"]), default=0)
    tasks.api("POST", "/state", json={"state": "on"})
    until(lambda: tasks.settles().get("conflict") == 1)
    wrote = [c for c in tasks.api("GET", "/history")["crossings"] if c["n"] > newest]
    assert {(c["kind"], c["side"], c["title"]) for c in wrote} == {
        ("update", "right", "Order reed leather"),
        ("create", "left", "Rats in the loft"),
        ("delete", "right", "Blower hums"),
    }
    assert rehearsed(tasks)["counts"] == {}


def test_a_mirror_that_has_a_plan_is_not_rehearsed(orla):
    made = make(orla, Tasks)
    made.plan()
    refused = made.api("POST", "/rehearsal", expect=409)
    assert "plan" in refused["title"]
