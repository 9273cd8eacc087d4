"""What is told of all workflows is read in as many journeys for many of them as for one, and each document once."""

from __future__ import annotations

from kelvix.engine import overview
from kelvix.store import workflows
from kelvix.store.database_server import Transaction
from support import turn_on, until


def journeys(space, monkeypatch) -> int:
    """How many statements it takes."""
    made, plain = [], Transaction.rows

    def rows(self, *args):
        made.append(args[0])
        return plain(self, *args)

    with monkeypatch.context() as patched:
        patched.setattr(Transaction, "rows", rows)
        space.read(lambda t: overview.collect(t, space, workflows.list_all(t, space.id)))
    return len(made)


def test_twelve_workflows_take_no_more_journeys_than_one(orla, monkeypatch):
    on = turn_on(orla)
    orla.deliver("One")
    until(lambda: on.titles())
    one = journeys(orla.space, monkeypatch)
    document = on.detail()["document"]
    for n in range(11):
        orla.workflow(f"Copy {n}", document)
    assert journeys(orla.space, monkeypatch) == one
    listed = {w["name"]: w for w in orla.api("GET", "/workflows")}
    assert listed["From the post"]["recent"] == ["done"] and listed["From the post"]["live_version"] == 1
    assert [w["name"] for w in orla.api("GET", "/workflows")] == sorted(listed, key=str.casefold) and len(listed) == 12


def test_a_document_that_was_read_is_not_read_again(orla, monkeypatch):
    turn_on(orla)
    [first] = orla.space.read(lambda t: workflows.list_all(t, orla.space.id))
    monkeypatch.setattr(workflows, "check_shape", lambda _: (_ for _ in ()).throw(AssertionError("read again")))
    [again] = orla.space.read(lambda t: workflows.list_all(t, orla.space.id))
    assert again.draft is first.draft and again.running is first.running == first.draft


def test_an_edit_of_a_workflow_that_is_on_is_said_in_the_list(orla):
    on = turn_on(orla)
    [listed] = orla.api("GET", "/workflows")
    assert not listed["changed_since_on"]
    detail = on.detail()
    document = detail["document"] | {"lines": detail["document"]["lines"][:1]}
    headers = {"if-match": str(detail["draft_version"])}
    orla.api("PUT", f"/workflows/{on.workflow}", json={"name": "From the post", "document": document}, headers=headers)
    [listed] = orla.api("GET", "/workflows")
    assert listed["changed_since_on"] and listed["live_version"] == 1
