"""People, their sign-ins and their API tokens. All on the server called "home"; only digests are kept."""

from __future__ import annotations

import secrets
from dataclasses import dataclass

from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.secrets import digest

SESSION_DAYS = 30
LINK_MINUTES = 24 * 60


MAY_WRITE = ("owner", "editor")  # roles that change what is in a workspace; a viewer only reads


@dataclass(frozen=True)
class Person:
    id: int
    name: str
    role: str
    workspace_id: int
    workspace: str
    timezone: str


def names(t: Transaction, workspace_id: int) -> list[str]:
    """Of all people of a workspace."""
    return [r["name"] for r in t.rows("SELECT name FROM person WHERE workspace_id=%s ORDER BY id", (workspace_id,))]


PERSON = (
    "SELECT p.id, p.name, p.role, p.workspace_id, w.name AS workspace, w.timezone FROM person p "
    "JOIN workspace w ON w.id = p.workspace_id "
)


def change_workspace(home: DatabaseServer, workspace_id: int, timezone: str, language: str, order: str | None) -> None:
    """How a workspace writes: its zone, its language (a name of the CLDR), and whether day or month comes first (DMY, MDY)."""
    home.transact(
        lambda t: t.execute(
            "UPDATE workspace SET timezone=%s, language=%s, date_order=%s WHERE id=%s",
            (timezone, language, order, workspace_id),
        )
    )


def create_workspace(home: DatabaseServer, name: str, owner: str, timezone: str, server: str = "home") -> Person:
    def work(t: Transaction) -> int:
        workspace = t.insert("INSERT INTO workspace (name, server, timezone) VALUES (%s,%s,%s)", (name, server, timezone))
        return t.insert("INSERT INTO person (workspace_id, name, role) VALUES (%s,%s,'owner')", (workspace, owner))

    person_id = home.transact(work)
    found = home.read(lambda t: t.row(PERSON + "WHERE p.id=%s", (person_id,)))
    assert found
    return Person(**found)


def told_at(home: DatabaseServer, workspace_id: int) -> list[str]:
    """Where the owners of a workspace are told what needs them."""
    rows = home.read(
        lambda t: t.rows(
            "SELECT email FROM person WHERE workspace_id=%s AND role='owner' AND email IS NOT NULL", (workspace_id,)
        )
    )
    return [r["email"] for r in rows]


def email_of(home: DatabaseServer, person_id: int) -> str | None:
    row = home.read(lambda t: t.row("SELECT email FROM person WHERE id=%s", (person_id,)))
    return row["email"] if row else None


def set_email(home: DatabaseServer, person_id: int, email: str | None) -> None:
    home.transact(lambda t: t.execute("UPDATE person SET email=%s WHERE id=%s", (email, person_id)))


def first_owner(home: DatabaseServer) -> Person | None:
    found = home.read(lambda t: t.row(PERSON + "WHERE p.role='owner' ORDER BY p.id LIMIT 1"))
    return Person(**found) if found else None


def new_sign_in_link(home: DatabaseServer, person_id: int) -> str:
    """Return a code for one sign-in, good for a day."""
    code = secrets.token_urlsafe(24)
    home.transact(
        lambda t: t.execute(
            "INSERT INTO sign_in_link (digest, person_id, expires_at) VALUES (%s,%s, NOW(3) + INTERVAL %s MINUTE)",
            (digest("link", code), person_id, LINK_MINUTES),
        )
    )
    return code


def use_sign_in_link(home: DatabaseServer, code: str) -> str | None:
    """Return a new session's cookie value, or None where the code is unknown, used or too old."""
    cookie = secrets.token_urlsafe(32)

    def work(t: Transaction) -> str | None:
        key = digest("link", code)
        if not t.execute(
            "UPDATE sign_in_link SET used_at=NOW(3) WHERE digest=%s AND used_at IS NULL AND expires_at > NOW(3)", (key,)
        ):
            return None
        person = t.row("SELECT person_id FROM sign_in_link WHERE digest=%s", (key,))
        assert person
        t.execute(
            "INSERT INTO session (digest, person_id, expires_at) VALUES (%s,%s, NOW(3) + INTERVAL %s DAY)",
            (digest("session", cookie), person["person_id"], SESSION_DAYS),
        )
        return cookie

    return home.transact(work)


def by_session(home: DatabaseServer, cookie: str) -> Person | None:
    found = home.read(
        lambda t: t.row(
            PERSON + "JOIN session s ON s.person_id = p.id WHERE s.digest=%s AND s.expires_at > NOW(3)",
            (digest("session", cookie),),
        )
    )
    return Person(**found) if found else None


def by_id(home: DatabaseServer, person_id: int) -> Person | None:
    found = home.read(lambda t: t.row(PERSON + "WHERE p.id=%s", (person_id,)))
    return Person(**found) if found else None


def end_session(home: DatabaseServer, cookie: str) -> None:
    home.transact(lambda t: t.execute("DELETE FROM session WHERE digest=%s", (digest("session", cookie),)))


def new_token(home: DatabaseServer, person_id: int, name: str) -> str:
    """Return a bearer token for scripts. Only its digest is kept, so this is the one time that it is seen."""
    token = "kx_" + secrets.token_urlsafe(32)
    home.transact(
        lambda t: t.execute(
            "INSERT INTO api_token (digest, person_id, name) VALUES (%s,%s,%s)", (digest("token", token), person_id, name)
        )
    )
    return token


def by_token(home: DatabaseServer, token: str) -> Person | None:
    found = home.read(
        lambda t: t.row(PERSON + "JOIN api_token a ON a.person_id = p.id WHERE a.digest=%s", (digest("token", token),))
    )
    return Person(**found) if found else None
