"""Web requests go out once, say who sends them, and are in doubt where nobody knows: then a person says."""

from __future__ import annotations

import json

import pytest

from support import document, until


@pytest.fixture
def web(orla):
    """A database to write to, ways to make lines that send to practice Receiver, and what it took."""
    connection = orla.connect("Enquiries")
    log = orla.database("Log", {"name": "Name", "type": "text"})
    when = document(connection, orla.folders["Enquiries"], log, {})["lines"][0]
    path = f"in/{orla.owner.id}"
    receiver = orla.kelvix.practice

    class Web:
        address = f"{orla.kelvix.settings.practice_address}/receiver/api/{path}"
        name, database = log["fields"][0]["id"], log["id"]

        @classmethod
        def request(cls, **more):
            body = [{"key": "note.subject", "filling": [{"ref": {"line": "w", "value": "subject"}}]}]
            return {"verb": "web_request", "id": "r", "address": [{"text": cls.address}], "body": body} | more

        @classmethod
        def flow(cls, *lines):
            filling = [{"ref": {"line": "r", "value": "status"}}, {"text": " done"}]
            add = {"verb": "add", "id": "a", "database": log["id"], "fillings": [{"field": cls.name, "filling": filling}]}
            return orla.workflow("Tells others", {"lines": [when, *lines, add]})

        @staticmethod
        def came():
            return list(reversed(receiver.received(path)))

        @classmethod
        def added(cls):
            return [r["values"][str(cls.name)] for r in orla.records(log["id"])]

        @staticmethod
        def needs():
            return orla.api("GET", "/needs")

    yield orla, Web
    orla.faults(app="receiver")


ITEM = {"subject": 'Reeds "and"\nleather'}


def as_before_the_answer(orla, run):
    """What a process leaves that ends between the call and what is recorded of it."""
    orla.space.transact(lambda t: t.execute("DELETE FROM run_line WHERE run_id=%s AND line_id='r'", (run,)))
    orla.space.transact(lambda t: t.execute("UPDATE intent SET state='open', outcome=NULL WHERE run_id=%s", (run,)))


def line_of(run, line="r"):
    return next(ln for ln in run["lines"] if ln["line"] == line)


def test_it_arrives_with_its_values_and_says_who_sent_it(web, by_hand):
    orla, of = web
    workflow = of.flow(of.request(headers=[{"name": "X-Shop", "filling": [{"text": "organ"}]}], takes=[{"key": "path"}]))
    run = by_hand.begin(workflow, ITEM)
    done = by_hand.carry(run)
    assert done["state"] == "done" and of.added() == ["200 done"]
    [came] = of.came()
    assert json.loads(came["body"]) == {"note": {"subject": 'Reeds "and"\nleather'}} and came["method"] == "POST"
    headers = came["headers"]
    assert headers["kelvix-source"] == f"workflow={workflow}; run={run}; line=r" and headers["kelvix-attempt"] == "1"
    assert (
        headers["x-shop"] == "organ" and headers["idempotency-key"] and headers["content-type"].startswith("application/json")
    )
    sent = line_of(done)
    assert sent["outcome"] == "sent" and sent["output"]["status"] == 200 and sent["output"]["taken"] == {"path": came["path"]}
    assert orla.api("POST", f"/runs/{run}/undo")["kept"] == ["A web request was sent and can’t be undone."]


def test_a_secret_is_sent_and_never_shown(web, by_hand):
    orla, of = web
    workflow = of.flow(of.request())
    number = orla.api("POST", f"/workflows/{workflow}/secrets", 201, json={"secret": "tremulant-81"})["number"]
    kept = orla.api("GET", f"/workflows/{workflow}")
    document = kept["document"]
    document["lines"][1]["headers"] = [{"name": "Authorization", "filling": [], "secret": number}]
    saved = {"name": kept["name"], "document": document}
    orla.api("PUT", f"/workflows/{workflow}", json=saved, headers={"if-match": str(kept["draft_version"])})
    run = by_hand.begin(workflow, ITEM)
    by_hand.carry(run)
    assert of.came()[0]["headers"]["authorization"] == "tremulant-81"
    shown = json.dumps(orla.api("GET", f"/runs/{run}")) + json.dumps(orla.api("GET", f"/workflows/{workflow}"))
    assert "tremulant-81" not in shown
    rows = orla.space.read(lambda t: t.rows("SELECT * FROM run_line WHERE run_id=%s", (run,)))
    rows += orla.space.read(lambda t: t.rows("SELECT secret FROM kept_secret WHERE workflow_id=%s", (workflow,)))
    assert "tremulant-81" not in repr(rows)


def test_a_failing_receiver_is_asked_again_with_the_next_number(web, by_hand):
    orla, of = web
    orla.faults("failing", app="receiver")
    run = by_hand.begin(of.flow(of.request(recognises=True)), ITEM)
    later = by_hand.carry(run)
    assert later["state"] == "waiting" and "answered 500" in later["problem"] and of.came() == []
    orla.faults(app="receiver")
    assert until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] == "done" and r)
    [came] = of.came()
    assert int(came["headers"]["kelvix-attempt"]) >= 2


def test_an_error_of_the_receiver_says_nothing_of_what_became_of_a_request(web, by_hand):
    """A 5xx after it was sent is no answer: sent again as if it had not been, it might be there twice."""
    orla, of = web
    orla.faults("failing", app="receiver")
    resting = by_hand.carry(by_hand.begin(of.flow(of.request()), ITEM))
    assert resting["state"] == "waiting" and line_of(resting)["outcome"] == "in_doubt"
    [need] = of.needs()
    assert any("answered 500" in v["text"] for v in need["values"])


def test_what_was_refused_and_edited_goes_out_under_a_key_of_its_own(web, by_hand):
    """The receiver holds what the record says: what it has seen under the old key is not taken for what is sent now."""
    orla, of = web
    workflow = of.flow(of.request(success="404", recognises=True))
    run = by_hand.begin(workflow, ITEM)
    refused = by_hand.carry(run)
    assert refused["state"] == "failed" and "answered 200" in refused["problem"]
    kept = orla.api("GET", f"/workflows/{workflow}")
    kept["document"]["lines"][1] |= {"success": "200", "body": [{"key": "note", "filling": [{"text": "put right"}]}]}
    saved = {"name": kept["name"], "document": kept["document"]}
    orla.api("PUT", f"/workflows/{workflow}", json=saved, headers={"if-match": str(kept["draft_version"])})
    orla.api("POST", f"/workflows/{workflow}/on")
    orla.api("POST", f"/runs/{run}/again", json={"from": "failed"})
    done = until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] == "done" and r)
    first, second = of.came()
    assert json.loads(second["body"]) == {"note": "put right"} == json.loads(line_of(done)["output"]["body"])
    assert first["headers"]["idempotency-key"] != second["headers"]["idempotency-key"]


def test_what_may_have_gone_out_is_repeated_as_it_went_out(web, by_hand):
    """Whatever the line would send by now: under one key there is one request."""
    orla, of = web
    orla.faults("unanswered", app="receiver")
    run = by_hand.begin(of.flow(of.request(recognises=True)), ITEM)
    assert by_hand.carry(run)["state"] == "waiting"
    orla.space.transact(lambda t: t.execute("DELETE FROM ready WHERE run_id=%s", (run,)))
    other = json.dumps({"id": "7", "title": "x", "link": None, "app": "mail", "container": "E", "values": {"subject": "other"}})
    orla.space.transact(lambda t: t.execute("UPDATE run SET item=%s WHERE id=%s", (other, run)))
    orla.faults(app="receiver")
    done = by_hand.carry(run)
    [came] = of.came()
    assert done["state"] == "done" and came["repeats"] == 1
    assert json.loads(came["body"])["note"]["subject"] == ITEM["subject"]
    assert json.loads(line_of(done)["output"]["body"]) == json.loads(came["body"]), "and that is what the run says of it"


def test_what_the_receiver_refuses_ends_the_run_and_says_so(web, by_hand):
    orla, of = web
    refused = by_hand.carry(by_hand.begin(of.flow(of.request(success="201")), ITEM))
    assert refused["state"] == "failed" and "did not accept the request: it answered 200" in refused["problem"]
    gone = f"{orla.kelvix.settings.practice_address}/mail/api/none"
    missing = by_hand.carry(by_hand.begin(of.flow(of.request(address=[{"text": gone}])), ITEM))
    assert missing["state"] == "failed" and "answered 4" in missing["problem"] and of.added() == []


def test_it_does_not_go_to_a_private_network(web, by_hand):
    orla, of = web
    inside = f"http://127.0.0.1:{orla.kelvix.settings.servers['home'].port}/"
    run = by_hand.carry(by_hand.begin(of.flow(of.request(address=[{"text": inside}])), ITEM))
    assert run["state"] == "failed" and "private network" in run["problem"]


def test_a_redirect_is_said_and_not_followed(web, by_hand):
    orla, of = web
    moved = f"{orla.kelvix.settings.practice_address}/mail"
    run = by_hand.carry(by_hand.begin(of.flow(of.request(method="GET", address=[{"text": moved}])), ITEM))
    assert run["state"] == "failed" and "Redirects are not followed" in run["problem"]


@pytest.mark.parametrize(
    ("said", "state", "arrived", "added"),
    [("arrived", "done", 1, [" done"]), ("again", "done", 1, ["200 done"]), ("stop", "failed", 1, [])],
)
def test_without_an_answer_it_is_in_doubt_until_somebody_says(web, by_hand, said, state, arrived, added):
    """The receiver took it and hung up. Sent again under the same key, this one knows it; it might not have."""
    orla, of = web
    orla.faults("unanswered", app="receiver")
    run = by_hand.begin(of.flow(of.request()), ITEM)
    resting = by_hand.carry(run)
    assert resting["state"] == "waiting" and line_of(resting)["outcome"] == "in_doubt"
    orla.faults(app="receiver")
    [need] = of.needs()
    assert need["kind"] == "doubt" and any(of.address in v["text"] for v in need["values"])
    orla.api("POST", f"/needs/{need['id']}", 422, json={"answer": "yes"})
    orla.api("POST", f"/needs/{need['id']}", json={"answer": said})
    ended = until(lambda: (r := orla.api("GET", f"/runs/{run}")["run"])["state"] == state and r)
    assert [v.strip() for v in of.added()] == [a.strip() for a in added] and len(of.came()) == arrived
    assert of.came()[0]["repeats"] == (said == "again") and of.needs() == []
    if said == "stop":
        assert "stopped the run" in ended["problem"]


@pytest.mark.parametrize("more", [{"method": "PUT"}, {"recognises": True}])
def test_what_can_be_sent_again_is_not_asked_about(web, by_hand, more):
    orla, of = web
    orla.faults("unanswered", app="receiver")
    run = by_hand.begin(of.flow(of.request(**more)), ITEM)
    assert by_hand.carry(run)["state"] == "waiting" and of.needs() == []
    orla.faults(app="receiver")
    until(lambda: orla.api("GET", f"/runs/{run}")["run"]["state"] == "done")
    [came] = of.came()
    assert came["repeats"] >= 1 and of.added() == ["200 done"]


def test_where_the_process_ends_before_the_answer_it_is_in_doubt(web, by_hand):
    orla, of = web
    run = by_hand.begin(of.flow(of.request()), ITEM)
    by_hand.cut(run, 2)  # it went out, its answer was recorded, and the record is about to be added
    as_before_the_answer(orla, run)
    assert by_hand.carry(run)["state"] == "waiting" and len(of.needs()) == 1
    by_hand.carry(run)  # taken up again without an answer: it rests on
    assert len(of.needs()) == 1 and of.came()[0]["repeats"] == 0


def test_before_it_is_turned_on_a_private_address_is_said(web):
    orla, of = web
    workflow = of.flow(of.request(address=[{"text": "http://127.0.0.1:1/"}]))
    assert "private network" in json.dumps(orla.api("POST", f"/workflows/{workflow}/on", 409))
