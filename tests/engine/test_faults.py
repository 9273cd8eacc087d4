"""Apps that fail, connections that are refused, targets that are gone: nothing is lost, and the reason is said."""

from __future__ import annotations

import pytest

from kelvix.connectors.http import retry_after
from support import turn_on, until


@pytest.fixture
def faults(on):
    yield on.person.faults
    on.person.faults()


@pytest.mark.alone
@pytest.mark.parametrize(
    ("mode", "said"),
    [("down", "Mail can’t be reached"), ("failing", "had an internal error (500)"), ("limited", "calls"), ("slow", "")],
)
def test_a_passing_failure_is_waited_out(on, faults, mode, said):
    """The push comes, the app then fails: the run waits, says why, and is done when the app is well again."""
    orla = on.person
    if mode == "limited":  # one call in two seconds: three messages at once cannot all be read at once
        faults(mode)
        for n in range(3):
            orla.deliver(f"m{n}")
        waited = until(lambda: [r for r in orla.runs(on.workflow) if r["state"] == "waiting" and r["problem"]])
        assert said in waited[0]["problem"], "too many calls; or, once that is known, that it waits its turn"
        until(lambda: len(on.titles()) == 3)
    else:
        faults(mode)
        orla.deliver("m0")
        if said:
            [run] = until(lambda: [r for r in orla.runs(on.workflow) if r["problem"]])
            assert said in run["problem"] and run["state"] == "waiting"
            faults()
        until(lambda: on.titles() == ["m0"])
    assert sorted(on.titles()) == sorted(f"m{n}" for n in range(len(on.titles())))
    assert {r["state"] for r in orla.runs(on.workflow)} == {"done"}


def test_a_check_that_fails_says_so_and_comes_again(on, faults):
    faults("failing", "never")
    on.person.deliver("m0")
    on.check_now()
    read = on.detail()["subscription"]
    assert "had an internal error (500)" in read["problem"]
    faults()
    on.check_now()
    assert until(on.titles) == ["m0"] and on.detail()["subscription"]["problem"] is None


@pytest.mark.parametrize(("given", "seconds"), [("7", 7.0), (None, None), ("soon", None), ("-3", 0.0), ("999999", 3600.0)])
def test_retry_after_is_honoured_within_reason(given, seconds):
    assert retry_after(given) == seconds


def test_retry_after_as_a_date():
    """RFC 9110, 10.2.3: either seconds or an HTTP-date."""
    assert retry_after("Fri, 31 Dec 1999 23:59:59 GMT") == 0.0


def test_the_connection_is_revoked(on):
    orla = on.person
    orla.revoke(on.connection)
    orla.deliver("While revoked")
    on.check_now()
    assert "no longer accepts this connection" in on.detail()["subscription"]["problem"]
    sight = orla.api("GET", f"/connections/{on.connection}/sight")
    assert sight["finding"] == "refused" and "Reconnect" in sight["advice"]
    assert orla.api("GET", f"/connections/{on.connection}")["state"] == "refused"
    assert orla.connect("Enquiries", "Suppliers", connection=on.connection) == on.connection
    assert orla.api("GET", f"/connections/{on.connection}")["state"] == "good"
    on.check_now()
    assert until(on.titles) == ["While revoked"]


def test_a_folder_that_is_no_longer_shared(on):
    orla = on.person
    orla.connect("Suppliers", connection=on.connection)
    orla.deliver("Not seen")
    until(lambda: on.where(str(on.newest_message()))["fate"] in ("elsewhere", "failed"))


def test_a_field_deleted_under_a_running_workflow(on):
    orla = on.person
    address = on.database["fields"][1]["id"]
    where = f"/databases/{on.database['id']}/fields/{address}"
    assert "used by From the post" in orla.api("DELETE", where, expect=409)["title"]
    gone = orla.api("DELETE", f"{where}?anyway=true")
    orla.deliver("After the field went")
    [run] = until(lambda: orla.runs(on.workflow, "failed"))
    assert "no longer has the field" in run["problem"] and on.titles() == []
    findings = orla.api("POST", f"/workflows/{on.workflow}/rehearse", json={"document": on.detail()["document"]})["findings"]
    assert [f["field"] for f in findings] == [address]
    orla.api("POST", "/trash/restore", json=gone)
    orla.api("POST", f"/runs/{run['id']}/again")
    assert until(on.titles) == ["After the field went"]


def test_a_database_deleted_under_a_running_workflow(on):
    orla = on.person
    gone = orla.api("DELETE", f"/databases/{on.database['id']}?anyway=true")
    orla.deliver("After the database went")
    [run] = until(lambda: orla.runs(on.workflow, "failed"))
    assert "was deleted" in run["problem"]
    orla.api("POST", "/trash/restore", json=gone)
    orla.api("POST", f"/runs/{run['id']}/again")
    assert until(on.titles) == ["After the database went"]


def test_a_field_renamed_changes_nothing(on):
    orla = on.person
    for field in on.database["fields"][:3]:
        orla.api("PATCH", f"/databases/{on.database['id']}/fields/{field['id']}", json={"name": field["name"] + " renamed"})
    orla.deliver("After the renaming")
    assert until(on.titles) == ["After the renaming"]


def test_a_value_that_does_not_fit_stops_the_run_and_loses_nothing(on):
    orla = on.person
    orla.deliver("No address", raw=b"Subject: No address\r\n\r\nfrom nobody")
    [run] = until(lambda: [r for r in orla.runs(on.workflow) if r["finished_at"]])
    assert run["state"] == "done"  # an empty address leaves the field empty: it is not required
    orla.deliver("", raw=b"From: Ada <ada@stbride.example>\r\n\r\nno subject")
    [failed] = until(lambda: orla.runs(on.workflow, "failed"))
    assert failed["problem"].startswith("Name is required")
    line = next(ln for ln in failed["lines"] if ln["line"] == "a")
    assert line["outcome"] == "failed" and line["output"]["problems"]
    assert orla.api("GET", f"/runs/{failed['id']}")["item"]["values"]["text"] == "no subject"


def test_turning_on_says_what_is_missing(orla):
    on = turn_on(orla)
    orla.api("POST", f"/workflows/{on.workflow}/off")
    orla.connect(connection=on.connection)
    refused = orla.api("POST", f"/workflows/{on.workflow}/on", expect=409)
    assert "not shared" in refused["title"] and "change its access" in refused["detail"]
    empty = orla.api("POST", "/workflows", json={"name": "Half built"})
    problem = orla.api("POST", f"/workflows/{empty['id']}/on", expect=409)
    assert {f["sentence"] for f in problem["findings"]} == {
        "choose a connection and a folder",
        "choose a database to add to",
    }
