"""Access that ends is renewed before it does, where the app lets it; what is refused is said."""

from __future__ import annotations

from kelvix.core.collection import Write
from kelvix.engine import renewing
from kelvix.store import connections
from support import until


def ends_in(orla, connection: int, seconds: int) -> None:
    """As if most of its time had gone by."""
    orla.space.transact(
        lambda t: t.execute(
            "UPDATE connection SET expires_at=NOW(3) + INTERVAL %s SECOND, state_at=NOW(3) - INTERVAL 1 HOUR WHERE id=%s",
            (seconds, connection),
        )
    )


def state(orla, connection: int):
    return orla.api("GET", f"/connections/{connection}")


def test_access_is_renewed_in_its_last_quarter_and_not_before(orla):
    connection = orla.connect("Round", app="tasks", send=True)
    engine, before = orla.kelvix.engine, orla.token(connection)
    assert renewing.renew_due(engine, orla.space.id) == 0 and orla.token(connection) == before
    ends_in(orla, connection, 300)
    assert state(orla, connection)["state"] == "good"  # it ends in minutes, and that troubles nobody
    assert renewing.renew_due(engine, orla.space.id) == 1
    assert orla.token(connection) != before
    left = orla.space.row("SELECT TIMESTAMPDIFF(SECOND, NOW(3), expires_at) AS n FROM connection WHERE id=%s", (connection,))
    assert 3500 < left["n"] <= 3600
    assert renewing.renew_due(engine, orla.space.id) == 0
    assert orla.kelvix.practice.access("tasks", before).token_digest == (
        orla.kelvix.practice.access("tasks", orla.token(connection)).token_digest
    )


def test_what_is_written_again_after_a_renewal_is_there_once(orla):
    connection, project = orla.connect("Round", app="tasks", send=True), str(orla.container("tasks", "Round"))
    write = Write("create", "one key", values={"title": "Once"})
    first = orla.source(connection, project).write(write).item
    ends_in(orla, connection, 300)
    renewing.renew_due(orla.kelvix.engine, orla.space.id)
    assert orla.source(connection, project).write(write).item.id == first.id


def test_renewal_that_is_refused_is_said_and_one_that_fails_in_passing_waits(orla):
    connection = orla.connect("Enquiries")
    ends_in(orla, connection, 300)
    known = orla.kelvix.practice.access("mail", orla.token(connection))
    engine, before = orla.kelvix.engine, orla.token(connection)
    honest = engine.apps["mail"].caller.address
    engine.apps["mail"].caller.address = "http://127.0.0.1:9"
    try:
        assert renewing.renew_due(engine, orla.space.id) == 0 and orla.token(connection) == before
        assert state(orla, connection)["state"] == "good"
    finally:
        engine.apps["mail"].caller.address = honest
    with orla.practice_page() as page:
        for token in orla.kelvix.practice.tokens(orla.account):
            page.post(f"/tokens/{token['id']}/revoke")
    assert orla.kelvix.practice.access("mail", before) is None and known is not None
    assert renewing.renew_due(engine, orla.space.id) == 0
    until(lambda: state(orla, connection)["state"] == "refused")


def test_what_renews_it_is_kept_sealed(orla):
    connection = orla.connect("Enquiries")
    kept = orla.space.read(lambda t: connections.refresh_of(t, orla.kelvix.engine.vault, orla.space.id, connection))
    row = orla.space.row("SELECT refresh FROM connection WHERE id=%s", (connection,))
    assert kept and kept[0] == "mail" and kept[1].encode() not in bytes(row["refresh"])
