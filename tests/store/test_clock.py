"""A clock that is set back: what was due by the old time does not wait until that comes again."""

from __future__ import annotations

from datetime import timedelta

from kelvix.store import clock


def test_what_is_due_is_brought_forward_by_as_much(orla):
    """By two hours: a check, a turn and a run that is taken up again are due as if nothing had happened; a run that rests until
    a moment still waits for that moment."""
    space = orla.space
    server = space.server
    server.transact(clock.follow)
    assert server.transact(clock.follow) == 0.0

    def later(t, table, column, **row):
        names, values = ", ".join(row), list(row.values())
        t.execute(
            f"INSERT INTO {table} ({names}, {column}) VALUES ({', '.join(['%s'] * len(values))}, NOW(3) + INTERVAL 121 MINUTE)",
            values,
        )

    def fill(t):
        later(t, "pace", "next_at", workspace_id=space.id, connection_id=1, every=1)
        for run in (990091, 990092):
            later(t, "ready", "due_at", workspace_id=space.id, run_id=run)
        t.execute(
            "INSERT INTO run_line (workspace_id, run_id, line_id, outcome) VALUES (%s, 990092, 'w', 'waits')", (space.id,)
        )
        t.execute("UPDATE upkeep SET due_at=NOW(3) + INTERVAL 2 HOUR WHERE name='clock'")

    back = server.transact(lambda t: (fill(t), clock.follow(t))[1])  # at once: a worker follows the clock too
    assert 7190 < back <= 7200 and server.transact(clock.follow) == 0.0

    def ahead(table, column, only):
        return server.read(lambda t: t.row(f"SELECT TIMEDIFF({column}, NOW(3)) AS ahead FROM {table} WHERE {only}"))["ahead"]

    assert ahead("pace", "next_at", f"workspace_id={space.id}") < timedelta(minutes=2)
    assert ahead("ready", "due_at", "run_id=990091") < timedelta(minutes=2)
    assert ahead("ready", "due_at", "run_id=990092") > timedelta(hours=2)
    server.transact(lambda t: (t.execute("DELETE FROM ready WHERE run_id IN (990091, 990092)"), t.execute("DELETE FROM run_line WHERE run_id=990092"),
                               t.execute("DELETE FROM pace WHERE workspace_id=%s", (space.id,))))  # fmt: skip
