"""An app that is connected by a pasted key: what is wrong with a key is told apart, and a key is replaced without touching what
uses it."""

from __future__ import annotations

import pytest

from support import document, until

PROJECT = "Oxbow rebuild"


def give(orla, key, connection=None, expect=None):
    return orla.api("POST", "/connections/key", expect, json={"app": "issues", "key": key, "connection": connection})


def sight(orla, connection):
    return orla.api("GET", f"/connections/{connection}/sight")


@pytest.fixture
def flow(orla):
    """A workflow that adds an issue for each mail: it, its connection, and the number of its project's place."""
    mail, connection = orla.connect("Enquiries"), orla.connect(PROJECT, app="issues", send=True)
    project = str(orla.container("issues", PROJECT))
    place = orla.api("POST", "/places", json={"connection": connection, "place": project})
    when = document(mail, orla.folders["Enquiries"], {"fields": [], "id": 0}, {})["lines"][0]
    fills = [{"field": "title", "filling": [{"ref": {"line": "w", "value": "subject"}}]}]
    made = orla.workflow("Faults", {"lines": [when, {"verb": "add", "id": "a", "database": place["id"], "fillings": fills}]})
    orla.api("POST", f"/workflows/{made}/on")
    return made, connection, project


def titles(orla, connection, project):
    from kelvix.core.query import Query

    return sorted(i.title for i in orla.source(connection, project).query(Query(limit=50)).items)


def test_a_wrong_key_and_one_that_has_ended_are_two_things(orla):
    wrong = give(orla, "issues-nonsense", expect=422)
    ended = give(orla, orla.key(PROJECT, app="issues", ends="ended"), expect=422)
    assert "doesn’t know this key" in str(wrong) and "has expired" in str(ended)
    assert all("Keys in Issues" in str(said) for said in (wrong, ended))
    assert orla.api("GET", "/connections") == []


def test_a_key_that_reaches_nothing_or_may_only_read_says_so(orla):
    orla.container("issues", PROJECT)
    nothing = give(orla, orla.key(app="issues"))["id"]
    seen = sight(orla, nothing)
    assert seen["finding"] == "nothing_shared" and "reaches no projects" in seen["sentence"] and PROJECT in seen["not_shared"]
    reads = give(orla, orla.key(PROJECT, app="issues", write=False))["id"]
    seen = sight(orla, reads)
    assert [c["name"] for c in seen["shared"]] == [PROJECT] and not seen["may_send"]


def test_a_key_is_never_shown_again_nor_kept_in_the_open(orla):
    key = orla.key(PROJECT, app="issues")
    made = give(orla, key)["id"]
    assert key not in str(orla.api("GET", "/connections")) + str(sight(orla, made))
    row = orla.space.row("SELECT secret FROM connection WHERE id=%s", (made,))
    assert key.encode() not in bytes(str(row["secret"]), "utf-8")


def test_a_key_is_replaced_while_its_workflow_goes_on(orla, flow):
    made, connection, project = flow
    orla.deliver("With the first key")
    until(lambda: titles(orla, connection, project) == ["With the first key"])
    known = orla.kelvix.practice.access("issues", orla.token(connection))
    with orla.practice_page() as page:
        page.post(f"/tokens/{known.token_digest.hex()}/revoke")
    orla.deliver("While there was none")
    until(lambda: any(c["kind"] == "refused" for c in orla.api("GET", "/attention")))
    assert give(orla, orla.key(PROJECT, app="issues"), connection)["id"] == connection
    orla.deliver("With the second key")
    wanted = ["While there was none", "With the first key", "With the second key"]
    until(lambda: titles(orla, connection, project) == wanted)
    assert orla.api("GET", f"/workflows/{made}")["state"] == "on"


def test_a_key_of_another_account_replaces_none(orla, kelvix, flow):
    _, connection, _ = flow
    ida = kelvix.person("Ida")
    said = give(orla, ida.key(PROJECT, app="issues"), connection, expect=409)
    assert "account" in str(said) and ida.kelvix.practice.access("issues", orla.token(connection)).account_id == orla.account
    beside = give(orla, ida.key(PROJECT, app="issues"))["id"]
    assert beside != connection and titles(orla, beside, str(ida.container("issues", PROJECT))) == []


def test_that_a_key_ends_soon_is_said_before_it_does(orla, flow):
    _, connection, _ = flow
    assert orla.api("GET", "/attention") == []
    give(orla, orla.key(PROJECT, app="issues", ends="week"), connection)
    [cause] = orla.api("GET", "/attention")
    assert (cause["kind"], cause["connection"]) == ("expiring", connection) and "ends on" in cause["sentence"]
    assert next(c for c in orla.api("GET", "/connections") if c["id"] == connection)["used_by"] == ["Faults"]


def test_the_places_of_a_connection_go_with_it(orla, flow):
    made, connection, _ = flow
    orla.api("DELETE", f"/connections/{connection}", expect=409)
    orla.api("POST", f"/workflows/{made}/off")
    orla.api("DELETE", f"/connections/{connection}")
    assert orla.api("GET", "/places") == []
    assert "was deleted. Choose another" in str(orla.api("POST", f"/workflows/{made}/on", expect=409))
