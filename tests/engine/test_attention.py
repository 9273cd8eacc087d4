"""What needs a person is said, and its owner is mailed: of each cause once, and again only when it stands otherwise."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta

import pytest

from kelvix.engine import attention, notifying
from kelvix.store.upkeep import due
from support import document, until


@pytest.fixture
def failing(orla):
    connection = orla.connect("Enquiries")
    database = orla.database("Letters", {"name": "Name", "type": "text"}, {"name": "Address", "type": "email"})
    made = document(connection, orla.folders["Enquiries"], database, {"Name": "subject", "Address": "sender.name"})
    workflow = orla.workflow("Swapped", made)
    orla.api("POST", f"/workflows/{workflow}/on")
    return orla, workflow, connection


def causes(orla, **query):
    return orla.api("GET", "/attention" + ("?also_never_on=true" if query else ""))


def mails(orla, folder="Suppliers"):
    kept = orla.kelvix.practice
    return [json.loads(r["body"]) for r in kept.items(orla.folders[folder], 50)]


def told(orla):
    return notifying.tell(orla.kelvix.engine, orla.space)


def set_email(orla, email):
    me = orla.api("GET", "/me")
    body = {k: me[k] for k in ("timezone", "language", "date_order", "keep_content_days", "keep_runs_days")}
    return orla.api("PUT", "/workspace", json=body | {"email": email})


def test_a_failed_run_is_said_until_it_is_left_or_mended(failing):
    orla, workflow, _ = failing
    assert causes(orla) == []
    orla.deliver("one")
    [cause] = until(lambda: causes(orla))
    assert (cause["kind"], cause["count"], cause["workflow"]) == ("failed", 1, workflow)
    assert "email address" in cause["sentence"] and cause["run"]
    orla.deliver("two")
    until(lambda: causes(orla)[0]["count"] == 2)
    today = orla.api("GET", "/today")
    assert (today["came_in"], today["needs"], today["success"]) == (2, 1, 0.0) and len(today["days"]) == 30
    orla.api("POST", f"/runs/{cause['run']}/leave")
    assert causes(orla)[0]["count"] == 1
    orla.api("POST", f"/workflows/{workflow}/leave-failed")
    assert causes(orla) == []


def test_a_refused_connection_is_said(failing):
    orla, workflow, connection = failing
    orla.revoke(connection)
    orla.api("POST", f"/workflows/{workflow}/check-now")
    found = until(lambda: [c for c in causes(orla) if c["kind"] == "refused"])
    assert found[0]["connection"] == connection and "not accepted" in found[0]["sentence"]


def test_the_owner_is_mailed_once_for_each_cause(failing):
    orla, _workflow, _ = failing
    orla.deliver("one")
    until(lambda: causes(orla))
    assert told(orla) == 0, "nobody said where"
    set_email(orla, orla.addresses["Suppliers"])
    until(lambda: told(orla) or mails(orla))
    [mail] = until(lambda: mails(orla))
    assert "Swapped" in mail["subject"] and "/runs/" in mail["text"] and "at most one email an hour" in mail["text"]
    orla.deliver("two")
    until(lambda: causes(orla)[0]["count"] == 2)
    assert told(orla) == 0 and len(mails(orla)) == 1, "within the hour"
    orla.space.transact(
        lambda t: t.execute("UPDATE told SET told_at=NOW(3) - INTERVAL 61 MINUTE WHERE workspace_id=%s", (orla.space.id,))
    )
    until(lambda: told(orla) or len(mails(orla)) == 2)
    assert until(lambda: len(mails(orla)) == 2)
    orla.space.transact(
        lambda t: t.execute("UPDATE told SET told_at=NOW(3) - INTERVAL 61 MINUTE WHERE workspace_id=%s", (orla.space.id,))
    )
    assert told(orla) == 0 and len(mails(orla)) == 2, "nothing new since"


def test_a_mail_that_cannot_be_handed_in_is_tried_again(failing):
    orla, _workflow, _ = failing
    orla.deliver("one")
    until(lambda: causes(orla))
    set_email(orla, "nobody@nowhere.example")  # practice Mail has no such folder and refuses it
    assert told(orla) == 0
    rows = orla.space.rows("SELECT * FROM told WHERE workspace_id=%s", (orla.space.id,))
    assert not rows
    answer = orla.web.put(
        "/api/v1/workspace", json={"timezone": "Europe/London", "language": "en_GB", "email": "orla at works"}
    )
    assert answer.status_code == 422 and "not an email address" in answer.text


def test_a_silent_source_is_noticed_with_the_likely_cause(on):
    orla = on.person
    now = datetime.now(UTC)

    def speak(t):
        version = t.row("SELECT live_version_id AS v FROM workflow WHERE id=%s", (on.workflow,))["v"]
        for n in range(20):
            t.execute(
                "INSERT INTO event (workspace_id, workflow_id, version_id, digest, item_id, came_by, at) VALUES (%s,%s,%s,%s,%s,'push',%s)",
                (orla.space.id, on.workflow, version, bytes([n]) * 32, f"old-{n}", now - timedelta(hours=30 + 2 * n)),
            )
        t.execute("UPDATE workflow SET turned_on_at=%s WHERE id=%s", (now - timedelta(days=9), on.workflow))

    orla.space.transact(speak)
    attention.watch_silence(orla.kelvix.engine, orla.space)
    [cause] = [c for c in causes(orla) if c["kind"] == "silent"]
    assert "Usually one arrives every 2 hours" in cause["sentence"] and "they may go elsewhere" in cause["sentence"]
    assert "silent" not in (on.detail()["silent"] or "") and "No items since" in on.detail()["silent"]
    orla.faults("down")
    try:
        attention.watch_silence(orla.kelvix.engine, orla.space)
        [cause] = [c for c in causes(orla) if c["kind"] == "silent"]
        assert "can’t be reached" in cause["sentence"]
    finally:
        orla.faults()
    orla.revoke(on.connection)
    attention.watch_silence(orla.kelvix.engine, orla.space)
    [cause] = [c for c in causes(orla) if c["kind"] == "silent"]
    assert "no longer accepts" in cause["sentence"] and cause["advice"] == "Reconnect it."


def test_one_that_speaks_is_not_silent(on):
    on.person.deliver("hello")
    until(on.titles)
    attention.watch_silence(on.person.kelvix.engine, on.person.space)
    assert on.detail()["silent"] is None


def test_what_was_tried_and_never_turned_on_is_said(orla):
    connection = orla.connect("Enquiries")
    database = orla.database("Letters", {"name": "Name", "type": "text"})
    workflow = orla.workflow("Never", document(connection, orla.folders["Enquiries"], database, {"Name": "subject"}))
    orla.space.transact(lambda t: t.execute("UPDATE workflow SET tried_ok_at=NOW(3) WHERE id=%s", (workflow,)))
    assert [c["kind"] for c in causes(orla, never=True)] == ["never_on"] and causes(orla) == []


def test_what_is_due_is_due_for_one(orla):
    server = orla.space.server
    assert server.transact(lambda t: due(t, "test", 60)) and not server.transact(lambda t: due(t, "test", 60))
