"""After an app refused a token, or was down for longer than anyone tries: nothing that came meanwhile is lost, and nobody has to
take it up by hand."""

from __future__ import annotations

import pytest

from kelvix.store import watches
from kelvix.store.watches import Told
from support import turn_on, until


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
    watch = space.row("SELECT id, workflow_id, container FROM watch WHERE workspace_id=%s", (space.id,))
    assert [_push(space, watch, item) for item in seen[:2]] == ["new", "new"]
    until(lambda: orla.runs(on.workflow, "failed"))
    until(lambda: space.row("SELECT state FROM connection WHERE id=%s", (on.connection,))["state"] == "refused")
    held = [w for item in seen[2:] if (w := _push(space, watch, item)) == "off"]
    assert len(held) == 6, "what is pushed while the connection is refused is held, not failed"
    assert on.detail()["state"] == "on", "it is not paused: the connection says what is wrong"
    orla.connect("Enquiries", "Suppliers", connection=on.connection)
    orla.space.transact(lambda t: t.execute("UPDATE watch SET next_check_at=NOW(3) WHERE workspace_id=%s", (space.id,)))
    until(lambda: sorted(on.titles()) == sorted(["before", *sent]), 30)
    assert not orla.runs(on.workflow, "failed")


def _push(space, watch, item):
    took = space.read(lambda t: watches.take_in(t, space.id, watch["id"], watch["container"], Told(item), "push"))
    if took == "off":
        told = [Told(item)]
        space.transact(lambda t: watches.hold(t, space, watch["workflow_id"], watch["id"], watch["container"], told, "push"))
    return took


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
        [run] = until(lambda: orla.runs(on.workflow, "failed"), 30)
        assert "given up after" in run["problem"]
    finally:
        orla.faults()
    until(lambda: on.titles() == ["meanwhile"], 30)
