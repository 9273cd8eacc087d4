"""Mails go out once, to whom they are meant, and only where that was allowed."""

from __future__ import annotations

import json
import time
from dataclasses import replace

import httpx2 as httpx
import pytest

from kelvix.engine.effects import send_mail
from kelvix.engine.runner import Runner
from kelvix.store import runs
from support import document, until


@pytest.fixture
def post(orla):
    """A connection that may send; a database with people and what they have to do; ways to make lines and to read what came."""
    connection = orla.connect("Enquiries", send=True)
    tasks = orla.database("Tasks", {"name": "Name", "type": "text"}, {"name": "Address", "type": "email"})
    name, address = (f["id"] for f in tasks["fields"][:2])
    when = document(connection, orla.folders["Enquiries"], tasks, {})["lines"][0]

    class Post:
        by, fields, database = connection, (name, address), tasks["id"]

        @staticmethod
        def flow(*lines):
            return orla.workflow("Sends", {"lines": [when, *lines]})

        @staticmethod
        def mail(to, **more):
            subject = [{"text": "About "}, {"ref": {"line": "w", "value": "subject"}}]
            body = {"to": [{"text": to}], "subject": subject, "paragraphs": [[{"text": "Good morning."}]]}
            return {"verb": "send_mail", "id": "m", "connection": connection} | body | more

        @staticmethod
        def came(folder="Sent"):
            """What lies in a folder of practice Mail, the oldest first."""
            kept = orla.kelvix.practice
            of = next((c["id"] for c in kept.containers("mail", orla.account) if c["name"] == folder), None)
            return [json.loads(r["body"]) for r in reversed(kept.items(of, 100))] if of else []

        @staticmethod
        def know(*pairs):
            for title, to in pairs:
                orla.api("POST", f"/databases/{tasks['id']}/records", json={"values": {str(name): title, str(address): to}})

    yield orla, Post
    orla.faults()


ITEM = {"subject": "reeds"}


def outcomes(run):
    return {line["line"]: line["outcome"] for line in run["lines"]}


def test_a_mail_goes_out_and_comes_where_its_recipient_is(post, by_hand):
    orla, of = post
    run = by_hand.begin(of.flow(of.mail(orla.addresses["Suppliers"])), ITEM)
    done = by_hand.carry(run)
    assert done["state"] == "done"
    [sent], [arrived] = of.came(), of.came("Suppliers")
    assert sent["subject"] == arrived["subject"] == "About reeds" and arrived["text"].strip() == "Good morning."
    assert arrived["sender"]["name"] == "Orla"
    [line] = [ln for ln in done["lines"] if ln["line"] == "m"]
    assert line["outcome"] == "sent" and line["output"]["mails"][0]["link"].startswith(orla.kelvix.settings.practice_address)
    target = {"app": "mail", "monogram": "Ma", "name": orla.addresses["Suppliers"]}
    assert target in [t for e in orla.api("GET", "/today/list")["entries"] for t in e["targets"]]
    assert orla.api("POST", f"/runs/{run}/undo")["kept"] == ["1 email was sent and can’t be undone."]


@pytest.mark.parametrize("at", [1, 2])
def test_wherever_the_run_is_cut_it_goes_out_once(post, by_hand, at):
    """Also where the process ends after the app took the mail and before that was recorded: the app knows the key."""
    orla, of = post
    add = {"verb": "add", "id": "a", "database": of.database,
           "fillings": [{"field": of.fields[0], "filling": [{"ref": {"line": "m", "value": "to"}}]}]}  # fmt: skip
    run = by_hand.begin(of.flow(of.mail("ada@stbride.example"), add), ITEM)
    by_hand.cut(run, at)
    orla.space.transact(lambda t: t.execute("DELETE FROM run_line WHERE run_id=%s AND line_id='m'", (run,)))
    assert by_hand.carry(run)["state"] == "done" and len(of.came()) == 1
    [record] = orla.records(of.database)
    assert record["values"][str(of.fields[0])] == "ada@stbride.example"


def test_a_mail_whose_answer_was_lost_is_sent_again_as_it_was(post, by_hand):
    """Under its key, so that it is there once; also where the line would send another by now."""
    orla, of = post
    run = by_hand.begin(of.flow(of.mail(orla.addresses["Suppliers"])), ITEM)
    orla.faults("unanswered")
    later = by_hand.carry(run)
    assert later["state"] == "waiting" and len(of.came()) == 1, "the app took it, and hung up"
    orla.space.transact(lambda t: t.execute("DELETE FROM ready WHERE run_id=%s", (run,)))
    orla.space.transact(lambda t: t.execute("UPDATE run SET item=REPLACE(item, 'reeds', 'leather') WHERE id=%s", (run,)))
    orla.faults("none")
    done = by_hand.carry(run)
    [line] = [ln for ln in done["lines"] if ln["line"] == "m"]
    [sent], [arrived] = of.came(), of.came("Suppliers")
    assert done["state"] == "done" and sent["subject"] == arrived["subject"] == line["output"]["mails"][0]["subject"]
    assert sent["subject"] == "About reeds"


def test_a_worker_that_stood_still_past_its_lease_sends_nothing_when_it_wakes(post, by_hand, monkeypatch):
    """It was stopped between the intent and the call, and somebody else has taken the run up since."""
    orla, of = post
    run = by_hand.begin(of.flow(of.mail(orla.addresses["Suppliers"])), ITEM)
    late, execute = Runner(orla.kelvix.engine), send_mail.SentByApp.execute
    late.leases.lease, late.leases.renew = 1.5, lambda: None
    woken = []

    def stopped(write, intent):
        orla.space.transact(lambda t: t.execute("UPDATE run SET lease_until=NOW(3) - INTERVAL 1 SECOND WHERE id=%s", (run,)))
        assert run in orla.space.transact(runs.release_expired)
        orla.space.transact(lambda t: t.execute("DELETE FROM ready WHERE run_id=%s", (run,)))
        time.sleep(1.6)
        woken.append(intent)
        return execute(write, intent)

    with monkeypatch.context() as patched:
        patched.setattr(send_mail.SentByApp, "execute", stopped)
        late.carry(by_hand.claim(run))
    assert len(woken) == 1 and of.came() == []
    assert by_hand.carry(run)["state"] == "done" and len(of.came()) == 1


def test_an_app_that_knows_no_keys_is_not_asked_twice(post, by_hand, monkeypatch):
    """Whether its mail went out, a person says."""
    orla, of = post
    mail = orla.kelvix.engine.apps["mail"]
    monkeypatch.setattr(type(mail), "capabilities", replace(mail.capabilities, keys=False))
    run = by_hand.begin(of.flow(of.mail(orla.addresses["Suppliers"])), ITEM)
    orla.faults("unanswered")
    assert outcomes(by_hand.carry(run)) == {"w": "in", "m": "in_doubt"}
    orla.faults("none")
    [need] = orla.api("GET", "/needs")
    assert need["kind"] == "doubt" and "was an email sent" in need["question"]
    assert ("Subject", "About reeds") in [(v["name"], v["text"]) for v in need["values"]]
    orla.api("POST", f"/needs/{need['id']}", json={"answer": "arrived"})
    orla.space.transact(lambda t: t.execute("DELETE FROM ready WHERE run_id=%s", (run,)))
    assert by_hand.carry(run)["state"] == "done" and len(of.came()) == 1


def test_one_acting_line_is_tried_by_itself(post):
    orla, of = post
    add = {"verb": "add", "id": "a", "database": of.database, "fillings": [{"field": of.fields[0], "filling": [{"text": "x"}]}]}
    workflow = of.flow(add, of.mail("ada@stbride.example"))
    [sample] = orla.api("POST", f"/workflows/{workflow}/samples", json={"values": ITEM})
    run = orla.api("POST", f"/workflows/{workflow}/try", 202, json={"sample": sample["id"], "only_line": "m"})["run"]
    done = until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] == "done" and r)
    assert outcomes(done) == {"w": "in", "a": "skipped", "m": "sent"}
    assert len(of.came()) == 1 and orla.records(of.database) == []


def test_each_recipient_gets_their_own_and_a_failing_app_is_asked_again(post, by_hand):
    orla, of = post
    of.know(("Reeds", "ivo@works.example"), ("Leather", "tamsin@works.example"), ("Bellows", "ivo@works.example"))
    name, address = of.fields
    find = {
        "verb": "find",
        "id": "f",
        "database": of.database,
        "several": "all",
        "sought": [{"field": name, "operator": "filled"}],
    }
    digest = of.mail("", rows={"line": "f", "value": "records"}, columns=[f"f_{name}"], split=f"f_{address}")
    workflow = of.flow(find, digest)
    orla.faults("failing")
    run = by_hand.begin(workflow, ITEM)
    later = by_hand.carry(run)
    assert later["state"] == "waiting" and "had an internal error" in later["problem"] and of.came() == []
    orla.faults("none")
    assert until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] == "done" and r)
    sent = {m["to"][0]["address"]: m for m in of.came()}
    assert sorted(sent) == ["ivo@works.example", "tamsin@works.example"]
    assert "Reeds" in sent["ivo@works.example"]["text"] and "Bellows" in sent["ivo@works.example"]["text"]
    assert "Leather" not in sent["ivo@works.example"]["text"] and "<table" in sent["tamsin@works.example"]["html"]


def test_a_connection_that_may_not_send_is_said_before_and_at_the_run(post, by_hand):
    orla, of = post
    only_reads = orla.connect("Enquiries")
    workflow = of.flow(of.mail("ada@stbride.example", connection=only_reads))
    refused = orla.api("POST", f"/workflows/{workflow}/on", 409)
    assert "can’t send email" in json.dumps(refused, ensure_ascii=False)
    failed = by_hand.carry(by_hand.begin(workflow, ITEM))
    assert failed["state"] == "failed" and "doesn’t let this connection send" in failed["problem"] and of.came() == []
    sight = {c: orla.api("GET", f"/connections/{c}/sight")["may_send"] for c in (of.by, only_reads)}
    assert sight == {of.by: True, only_reads: False}
    used = {c["id"]: c["used_by"] for c in orla.api("GET", "/connections")}
    assert used[only_reads] == ["Sends"]


def test_the_app_itself_refuses_who_was_not_allowed(orla):
    connection = orla.connect("Enquiries")
    answer = httpx.post(
        f"{orla.kelvix.settings.practice_address}/mail/api/send",
        trust_env=False,
        headers={"authorization": f"Bearer {orla.token(connection)}"},
        json={"to": ["a@x.example"], "subject": "s", "text": "t"},
    )
    assert answer.status_code == 403
