"""After an app refused a token, or was down for longer than anyone tries: nothing that came meanwhile is lost, and nobody has to
take it up by hand."""

from __future__ import annotations

import json
import time
from urllib.parse import parse_qs, urlsplit

import pytest

from kelvix.engine import attention
from kelvix.engine.subscriptions.intake import Intake
from kelvix.formats import webhook_signature
from kelvix.store import subscriptions
from support import FIELDS, FILLS, document, turn_on, until


def test_after_a_refused_token_all_goes_on_by_itself(orla):
    on = turn_on(orla)
    orla.deliver("before")
    until(lambda: on.titles() == ["before"])
    orla.revoke(on.connection)
    sent = [f"meanwhile {n}" for n in range(8)]
    seen = []
    for subject in sent:  # pushed to us all the same, as apps do that end access a moment later
        orla.deliver(subject)
        seen.append(str(on.newest_message()))
    space = orla.space
    intake = Intake(orla.kelvix.engine)
    of = space.read(lambda t: subscriptions.of_workflow(t, space.id, on.workflow))
    for item in seen[:2]:
        assert _push(intake, of, item) == 202
    until(lambda: orla.runs(on.workflow, "failed"))
    until(lambda: space.row("SELECT state FROM connection WHERE id=%s", (on.connection,))["state"] == "refused")
    for item in seen[2:]:
        assert _push(intake, of, item) == 202
    failed = len(orla.runs(on.workflow, "failed"))  # of the first two, of which the second may have come too late to fail
    assert failed in (1, 2)
    assert on.detail()["held"]["count"] == 8 - failed, "what is pushed while the connection is refused is held, not failed"
    assert on.detail()["state"] == "on", "it is not paused: the connection says what is wrong"
    orla.connect("Enquiries", "Suppliers", connection=on.connection)
    until(lambda: sorted(on.titles()) == sorted(["before", *sent]))
    assert not orla.runs(on.workflow, "failed")


def _push(intake, of, item):
    """What is answered to a push that proves itself."""
    space, body = intake.engine.directory.open(of.workspace_id), json.dumps({"container": of.place, "item": item}).encode()
    secret = space.read(lambda t: subscriptions.push_secret(t, intake.engine.vault, space.id, of.id))
    stamp = int(time.time())
    signature = webhook_signature.sign(secret, "m", stamp, body)
    return intake.push(of.workspace_id, of.id, "m", str(stamp), signature, body)


def test_many_are_retried_or_dismissed_at_once(orla):
    on = turn_on(orla)
    orla.deliver("one")
    orla.deliver("two")
    until(lambda: len(on.titles()) == 2)
    fail = "UPDATE run SET state='failed', problem='{\"sentence\": \"x\"}' WHERE workspace_id=%s"
    orla.space.transact(lambda t: t.execute(fail, (orla.space.id,)))
    assert orla.api("POST", f"/workflows/{on.workflow}/again-failed", 202) == {"taken": 2}
    until(lambda: len(orla.runs(on.workflow, "done")) == 2)
    assert len(on.titles()) == 2, "what was finished is not done again"
    orla.space.transact(lambda t: t.execute(fail, (orla.space.id,)))
    assert orla.api("POST", f"/workflows/{on.workflow}/leave-failed") == {"left": 2}
    assert orla.api("POST", f"/workflows/{on.workflow}/again-failed", 202) == {"taken": 0}


@pytest.mark.parametrize("mode", ["down", "failing"])
def test_what_gave_up_on_an_app_goes_on_when_it_is_back(orla, mode):
    """Twenty attempts take hours: here the run has had all but one."""
    on = turn_on(orla)
    orla.faults(mode)
    try:
        orla.deliver("meanwhile")
        until(lambda: orla.runs(on.workflow))
        until(
            lambda: orla.space.transact(
                lambda t: (
                    t.execute("UPDATE run SET attempts=25 WHERE workspace_id=%s AND state='waiting'", (orla.space.id,))
                    and t.execute("UPDATE ready SET due_at=NOW(3) WHERE workspace_id=%s", (orla.space.id,))
                )
            ),
        )
        [run] = until(lambda: orla.runs(on.workflow, "failed"))
        assert "Stopped after" in run["problem"]
    finally:
        orla.faults()
    until(lambda: on.titles() == ["meanwhile"])


def states(orla):
    return {c["id"]: c["state"] for c in orla.api("GET", "/connections")}


def causes(orla):
    return [(c["kind"], c["sentence"]) for c in orla.api("GET", "/attention")]


def test_renewed_access_is_taken_at_once_with_what_was_ticked_before(orla):
    """Pushes ended with the old access: they are agreed on anew, and nobody waits for a check."""
    on = turn_on(orla)
    before = orla.space.row("SELECT push_id FROM subscription WHERE workspace_id=%s", (orla.space.id,))["push_id"]
    orla.revoke(on.connection)
    assert orla.api("GET", f"/connections/{on.connection}/sight")["finding"] == "refused"
    asked = orla.api("POST", "/connections/consent", json={"app": "mail", "connection": on.connection})["address"]
    ticked = parse_qs(urlsplit(asked).query)["already"][0].split(",")
    assert set(ticked) == {str(orla.folders[f]) for f in ("Enquiries", "Suppliers")}
    orla.connect("Enquiries", "Suppliers", connection=on.connection)
    assert states(orla)[on.connection] == "good" and not causes(orla)
    assert orla.space.row("SELECT push_id FROM subscription WHERE workspace_id=%s", (orla.space.id,))["push_id"] != before
    until(
        lambda: orla.space.row(
            "SELECT id FROM subscription WHERE workspace_id=%s AND problem IS NULL AND next_check_at > NOW(3) + INTERVAL 3 SECOND",
            (orla.space.id,),
        )
    )  # so that the check at once is over, which could find the message before its push
    orla.deliver("after it was renewed")
    until(lambda: on.titles() == ["after it was renewed"])
    [run] = orla.runs(on.workflow)
    where = on.where(run["item_id"])
    assert "when it arrived" in where["sentence"], where


def test_allowed_but_nothing_shared_is_not_good(orla):
    on = turn_on(orla)
    orla.connect(connection=on.connection)
    assert states(orla)[on.connection] == "empty"
    assert (
        "refused",
        f"Mail of {orla_account(orla)} is connected, but nothing is shared",
    ) in causes(orla)
    orla.connect("Enquiries", connection=on.connection)
    assert states(orla)[on.connection] == "good"
    assert len(orla.kelvix.practice.subscribers(orla.folders["Enquiries"])) == 1, "what was agreed on before has ended"


def orla_account(orla):
    return orla.api("GET", "/connections")[0]["account"]


def test_while_every_call_fails_the_screens_say_so_and_afterwards_all_looks_at_once(orla, monkeypatch):
    """Checks that failed for hours come a quarter of an hour apart: they do not wait that long once the app is back."""
    monkeypatch.setattr(attention, "FAILS_FOR", attention.timedelta(0))
    on = turn_on(orla)
    orla.faults("down", "never")
    try:
        orla.deliver("meanwhile")
        on.check_now()
        until(lambda: states(orla)[on.connection] == "failing")
        found = attention.causes(orla.kelvix.engine, orla.space)
        assert [(c.kind, c.connection) for c in found if c.kind == "unreachable"] == [("unreachable", on.connection)]
        assert "has been unreachable since" in found[0].sentence and "can’t be reached" in found[0].sentence
        late = "UPDATE subscription SET failures=12, next_check_at=NOW(3) + INTERVAL 900 SECOND WHERE workspace_id=%s"
        orla.space.transact(lambda t: t.execute(late, (orla.space.id,)))
    finally:
        orla.faults("none", "never")
    try:
        until(lambda: on.titles() == ["meanwhile"])
        assert states(orla)[on.connection] == "good" and not causes(orla)
    finally:
        orla.faults()


def test_after_an_app_asked_for_fewer_calls_the_backlog_of_several_workflows_is_soon_gone(orla):
    """A turn that was given is used, and the calls come closer again: two of the usual checks are enough for all."""
    connection = orla.connect("Enquiries")
    flows = []
    for n in range(4):
        database = orla.database(f"Enquiries {n}", *FIELDS)
        flow = orla.workflow(f"From the post {n}", document(connection, orla.folders["Enquiries"], database, FILLS))
        orla.api("POST", f"/workflows/{flow}/on")
        flows.append((flow, database["id"]))
    orla.faults("limited", "never")
    try:
        for n in range(5):
            orla.deliver(f"m{n}")
        for flow, _ in flows:
            orla.api("POST", f"/workflows/{flow}/check-now")
        until(lambda: orla.space.row("SELECT 1 FROM pace WHERE workspace_id=%s AND every >= 1", (orla.space.id,)))
    finally:
        orla.faults("none", "never")
    try:
        until(lambda: all(len(orla.records(d)) == 5 for _, d in flows))
        until(lambda: orla.space.row("SELECT 1 FROM pace WHERE workspace_id=%s", (orla.space.id,)) is None)
    finally:
        orla.faults()


def test_failed_runs_are_dated_by_the_last_that_failed(orla):
    on = turn_on(orla)
    for subject in ("first", "second"):
        orla.deliver(subject)
    until(lambda: len(on.titles()) == 2)
    old, new = sorted(r["id"] for r in orla.runs(on.workflow))
    fail = "UPDATE run SET state='failed', problem='{\"sentence\": \"x\"}', finished_at=NOW(3) - INTERVAL %s HOUR WHERE id=%s"
    orla.space.transact(lambda t: (t.execute(fail, (1, old)), t.execute(fail, (5, new))))
    [cause] = [c for c in attention.causes(orla.kelvix.engine, orla.space) if c.kind == "failed"]
    assert cause.run == old and cause.count == 2, "an older run that was tried again failed after the newer one"


def test_access_that_comes_for_a_connection_that_was_removed_meanwhile_changes_nothing(orla):
    connection = orla.connect("Enquiries")
    asked = orla.api("POST", "/connections/consent", json={"app": "mail", "connection": connection})["address"]
    orla.api("DELETE", f"/connections/{connection}")
    with orla.practice_page() as browser:
        answer = browser.post(asked, data={"share": [str(orla.folders["Enquiries"])], "answer": "allow"})
    back = answer.headers["location"].removeprefix(orla.kelvix.address)
    assert orla.web.get(back).headers["location"] == f"/connections/{connection}"
    assert orla.web.get(back).headers["location"] == "/connections?said=unknown", "an answer is taken once"
    assert orla.api("GET", "/connections") == []
