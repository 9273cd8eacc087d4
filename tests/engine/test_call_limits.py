"""Calls of apps are counted, whoever makes them; who has had all that an app allows waits unrefused, and is warned of before."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from kelvix.core.collection import RateLimitedError
from kelvix.engine import notifying
from kelvix.engine.pacing import Paced
from kelvix.store import calls
from support import Person, document, until


def costs(orla: Person, connection: int):
    return orla.api("GET", f"/connections/{connection}/costs")


@pytest.fixture
def tables(orla: Person):
    orla.container("tables", "Members")
    yield orla.connect("Members", app="tables")
    orla.faults(app="tables")


def call(orla: Person, connection: int, times: int) -> None:
    account = orla.kelvix.engine.account(orla.space, connection)
    for _ in range(times):
        with orla.kelvix.engine.pacer.calls(orla.space, connection):
            account.check()


def test_calls_are_counted_and_told_beside_what_the_app_allows(orla: Person, tables: int):
    before = costs(orla, tables)["made"]
    call(orla, tables, 7)
    orla.kelvix.engine.tallies.write()
    told = costs(orla, tables)
    assert told["made"] - before == 7 and told["days"][-1]["day"] == datetime.now(UTC).date().isoformat()
    [limit] = told["limits"]
    assert (limit["most"], limit["window"]) == (100_000, 30 * 86_400) and limit["left"] <= 100_000 - 7
    assert told["warning"] is None and told["shares"] == []


def test_who_has_had_all_calls_waits_unrefused(orla: Person, tables: int):
    orla.faults("sixty", app="tables")
    with pytest.raises(Paced) as waiting:  # rather than RateLimitedError
        call(orla, tables, 70)
    assert 0 < waiting.value.after <= 60
    orla.kelvix.engine.tallies.write()
    assert costs(orla, tables)["limits"][0]["left"] == 0
    with pytest.raises(RateLimitedError):
        orla.kelvix.engine.account(orla.space, tables).check()


def test_another_connection_of_the_same_app_is_not_kept_from_calling_by_a_limit_that_it_was_not_told(orla: Person, tables: int):
    orla.faults("sixty", app="tables")
    other = orla.connect("Members", app="tables")
    with pytest.raises(Paced):
        call(orla, tables, 70)
    with pytest.raises(RateLimitedError):  # the practice app counts all of its keys together
        call(orla, other, 1)


def test_calls_that_run_out_are_warned_of_before_turning_on_and_said_in_needs_you(orla: Person, tables: int):
    members = str(orla.container("tables", "Members"))
    made = document(tables, members, orla.database("Letters", {"name": "Name", "type": "text"}), {"Name": "number"})
    made["lines"][0] |= {"app": "tables", "event": "arrives", "container_name": "Members"}
    workflow = orla.workflow("Members of the choir", made)
    assert orla.api("GET", f"/workflows/{workflow}/costs")[0]["sentence"].startswith("Tables allows 100,000 calls in 30 days")
    made["lines"][0]["every"] = 60
    slower = orla.workflow("Asked each minute", made)
    assert orla.api("GET", f"/workflows/{slower}/costs") == []

    orla.faults("monthly", app="tables")
    call(orla, tables, 1)
    orla.kelvix.engine.tallies.write()
    [warning] = orla.api("GET", f"/workflows/{slower}/costs")
    assert "allows 300 calls in 30 days, and 299 are left. At about 1,440 a day they run out on" in warning["sentence"]
    assert not [c for c in orla.api("GET", "/attention") if c["kind"] == "running_out"]
    orla.api("POST", f"/workflows/{slower}/on")
    [cause] = until(lambda: [c for c in orla.api("GET", "/attention") if c["kind"] == "running_out"])
    assert cause["connection"] == tables and "Check sources less often" in cause["advice"]
    [share] = costs(orla, tables)["shares"]
    assert share["name"] == "Asked each minute" and share["calls"] == 43_834 and share["runs"] is None
    assert notifying.tell(orla.kelvix.engine, orla.space) is not None


def test_one_place_that_two_workflows_listen_to_is_asked_once(orla: Person, tables: int):
    members = str(orla.container("tables", "Members"))
    made = document(tables, members, orla.database("Letters", {"name": "Name", "type": "text"}), {"Name": "number"})
    made["lines"][0] |= {"app": "tables", "event": "arrives", "container_name": "Members", "every": 300}
    for name in ("First", "Second"):
        orla.api("POST", f"/workflows/{orla.workflow(name, made)}/on")
    assert sorted(share["calls"] for share in costs(orla, tables)["shares"]) == [0, 8_767]


def test_counts_of_a_connection_go_with_it_and_old_ones_are_let_go(orla: Person, tables: int):
    now = datetime.now(UTC).date()
    old = now - timedelta(days=calls.KEPT_DAYS + 1)
    orla.space.transact(lambda t: calls.count(t, orla.space.id, tables, old, 5))
    orla.space.transact(lambda t: calls.forget(t, orla.space.id))
    assert old not in orla.space.read(lambda t: calls.by_day(t, orla.space.id, old)).get(tables, {})
    orla.api("DELETE", f"/connections/{tables}")
    orla.space.transact(lambda t: calls.count(t, orla.space.id, tables, now, 1))  # a call that was still under way
    assert tables not in orla.space.read(lambda t: calls.by_day(t, orla.space.id, old))
    assert tables not in orla.space.read(lambda t: calls.limits(t, orla.space.id))


def test_a_source_that_pushes_is_reckoned_with_as_seldom_as_it_is_asked(orla: Person):
    mail = orla.connect("Enquiries")
    made = document(
        mail, orla.folders["Enquiries"], orla.database("Letters", {"name": "Name", "type": "text"}), {"Name": "subject"}
    )
    flow = orla.workflow("Letters", made)
    orla.api("POST", f"/workflows/{flow}/on")
    assert [share["calls"] for share in costs(orla, mail)["shares"]] == [43_834]  # one a minute
    assert orla.api("GET", f"/workflows/{flow}")["subscription"]["every"] == 60
