"""Runs are found by what they carried and when; what is old is let go of; how many are expected is said."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from kelvix.engine import upkeep
from support import turn_on, until


@pytest.fixture
def three(orla):
    on = turn_on(orla)
    for subject, text in (("Reeds", 'said "soft" 100%'), ("Leather", "by\nthe yard"), ("Bellows", "under_score")):
        orla.deliver(subject, text=text)
    until(lambda: len(orla.runs(on.workflow, "done")) == 3)
    return orla, on


def found(orla, words, **more):
    answer = orla.web.get("/api/v1/runs", params={"words": words} | more)
    assert answer.status_code == 200, answer.text
    return sorted(r["title"] for r in answer.json()["runs"])


@pytest.mark.parametrize(
    ("words", "titles"),
    [
        ("reeds", ["Reeds"]),
        ('"soft"', ["Reeds"]),
        ("100%", ["Reeds"]),
        ("under_score", ["Bellows"]),
        ("underXscore", []),
        ("the yard", ["Leather"]),
        ("ada.pell@stbride.example", ["Bellows", "Leather", "Reeds"]),
        ("nowhere at all", []),
        ("back\\slash", []),
    ],
)
def test_runs_are_found_by_what_they_carried(three, words, titles):
    assert found(three[0], words) == titles


def test_runs_of_a_day(three):
    orla, on = three
    today = datetime.now(orla.space.zone).date()
    yesterday = (today - timedelta(days=1)).isoformat()
    assert len(found(orla, "", since=today.isoformat())) == 3 and found(orla, "", until=yesterday) == []
    assert found(orla, "reeds", workflow=on.workflow, state="done") == ["Reeds"] and found(orla, "reeds", state="failed") == []


def test_content_is_looked_through_a_part_at_a_time(three, monkeypatch):
    from kelvix.store import runs

    orla, _on = three
    monkeypatch.setattr(runs, "AT_A_LOOK", 1)
    pages, before = [], None
    while True:
        part, before = orla.space.read(lambda t, b=before: runs.page(t, orla.space.id, runs.Sought(words="reeds"), b, 50))
        pages.append([r.title for r in part])
        if before is None:
            break
    assert [title for page in pages for title in page] == ["Reeds"] and len(pages) >= 2


def test_the_list_of_the_day_says_from_where_to_where(three):
    orla, _on = three
    listed = orla.api("GET", "/today/list")
    first = listed["entries"][0]
    assert first["source"] == {"app": "mail", "monogram": "Ma", "name": "Enquiries"}
    assert first["targets"] == [{"app": "kelvix", "monogram": "Kx", "name": "Enquiries"}] and listed["next"] is None
    assert [e["title"] for e in orla.api("GET", "/today/list?limit=2")["entries"]] == [
        e["title"] for e in listed["entries"][:2]
    ]


def age(orla, days):
    orla.space.transact(
        lambda t: t.execute("UPDATE run SET created_at=NOW(3) - INTERVAL %s DAY WHERE workspace_id=%s", (days, orla.space.id))
    )


def test_what_runs_carried_goes_first_and_the_runs_later(three):
    orla, on = three
    upkeep.prune(orla.kelvix.engine, orla.space.id)
    assert found(orla, "soft") == ["Reeds"]
    age(orla, 91)
    assert upkeep.prune(orla.kelvix.engine, orla.space.id) == 3
    assert found(orla, "soft") == [] and len(found(orla, "")) == 3
    run = orla.runs(on.workflow)[0]
    detail = orla.api("GET", f"/runs/{run['id']}")
    assert detail["item"] is None and detail["run"]["pruned"] and all(ln["output"] is None for ln in detail["run"]["lines"])
    said = orla.api("POST", f"/runs/{run['id']}/again", 409, json={"start": "start"})
    assert "has expired" in said["detail"]
    age(orla, 401)
    assert upkeep.prune(orla.kelvix.engine, orla.space.id) == 3
    assert found(orla, "") == [] and len(on.titles()) == 3
    on.check_now()  # what was forgotten is not taken in again
    assert len(on.titles()) == 3 and found(orla, "") == []


def test_how_long_is_the_workspaces_choice(three):
    orla, _ = three
    body = {"timezone": "Europe/London", "language": "en_GB", "keep_content_days": 5, "keep_runs_days": 3}
    assert "at least as long" in orla.api("PUT", "/workspace", 422, json=body)["title"]
    orla.api("PUT", "/workspace", json=body | {"keep_runs_days": 10})
    age(orla, 6)
    assert upkeep.prune(orla.kelvix.engine, orla.space.id) == 3


def test_a_run_that_rests_keeps_what_it_carries(three):
    orla, _on = three
    orla.space.transact(
        lambda t: t.execute("UPDATE run SET finished_at=NULL, state='waiting' WHERE workspace_id=%s", (orla.space.id,))
    )
    age(orla, 91)
    assert upkeep.prune(orla.kelvix.engine, orla.space.id) == 0


def test_how_many_runs_a_month_are_expected(three):
    orla, on = three
    assert on.detail()["a_month"] is None
    long_ago = datetime.now(UTC) - timedelta(days=10)
    orla.space.transact(lambda t: t.execute("UPDATE workflow SET turned_on_at=%s WHERE id=%s", (long_ago, on.workflow)))
    assert (on.detail()["a_month"], on.detail()["a_month_from"]) == (9, "based on the last 10 days")
    made = orla.workflow(
        "Weekdays", {"lines": [{"verb": "when", "id": "w", "own": {"kind": "schedule", "rule": "FREQ=WEEKLY;BYDAY=MO"}}]}
    )
    flow = next(w for w in orla.api("GET", "/workflows") if w["id"] == made)
    assert flow["a_month"] in (4, 5) and flow["a_month_from"] == "based on its schedule"


def test_each_attempt_is_kept_with_what_went_wrong(three):
    orla, on = three
    orla.faults("failing")
    try:
        orla.deliver("Later")
        until(lambda: orla.runs(on.workflow, "waiting"))
    finally:
        orla.faults()
    until(lambda: "Later" in on.titles())
    run = next(r for r in orla.runs(on.workflow) if r["title"] == "Later")
    attempts = orla.api("GET", f"/runs/{run['id']}")["attempts"]
    assert attempts and "had an internal error (500)" in attempts[0]["sentence"] and attempts[0]["again_in"] > 0
