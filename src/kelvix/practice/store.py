"""What every practice app keeps in the same way: accounts, containers, items, a feed of changes, tokens, subscriptions."""

from __future__ import annotations

import json
import secrets
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from kelvix.formats import webhook_signature
from kelvix.store.database_server import DatabaseServer, Row, Transaction
from kelvix.store.secrets import digest

TOKEN_DAYS = 90
REMEMBER = 1.0  # seconds
MAX_RECEIVED = 100  # web requests that are shown


class Stale(Exception):
    """An item was changed since whoever writes saw it; `revision` is the one that it has."""

    def __init__(self, revision: int):
        super().__init__(f"revision {revision}")
        self.revision = revision


@dataclass(frozen=True)
class Access:
    """Who calls, in whose account, and which containers were shared with them. `token_digest`: of the first token of the grant,
    so that it stays the same when that is renewed."""

    app: str
    account_id: int
    account: str
    name: str
    shared: frozenset[int]
    token_digest: bytes
    may_send: bool = False
    expires_at: datetime | None = None


class Store:
    def __init__(self, server: DatabaseServer):
        self.server = server
        self._remembered: dict[tuple[str, str], tuple[float, Access | None]] = {}

    # Accounts and containers

    def account(self, address: str, name: str) -> int:
        """Return the account with this address; create it if needed."""

        def work(t: Transaction) -> int:
            row = t.row("SELECT id FROM account WHERE address=%s", (address,))
            return row["id"] if row else t.insert("INSERT INTO account (name, address) VALUES (%s,%s)", (name, address))

        return self.server.transact(work)

    def accounts(self) -> list[Row]:
        return self.server.read(lambda t: t.rows("SELECT * FROM account ORDER BY id"))

    def container(
        self,
        app: str,
        account_id: int,
        name: str,
        address: str | None = None,
        within: int | None = None,
        holds: bool = False,
    ) -> int:
        """Return the container with this name, `within` another one on wish; create it if needed. `holds`: it holds others, and
        no items."""

        def work(t: Transaction) -> int:
            row = t.row(
                "SELECT id FROM container WHERE app=%s AND account_id=%s AND name=%s AND within_id <=> %s AND holds=%s",
                (app, account_id, name, within, holds),
            )
            return (
                row["id"]
                if row
                else t.insert(
                    "INSERT INTO container (app, account_id, name, address, within_id, holds) VALUES (%s,%s,%s,%s,%s,%s)",
                    (app, account_id, name, address, within, holds),
                )
            )

        return self.server.transact(work)

    def containers(self, app: str, account_id: int) -> list[Row]:
        """Return what holds items, each with its `path`: the names of those that it stands within, from the top; `within` are
        their numbers."""
        rows = self.server.read(
            lambda t: t.rows(
                "SELECT c.*, (SELECT COUNT(*) FROM item i WHERE i.container_id=c.id AND i.deleted_at IS NULL) AS items "
                "FROM container c WHERE app=%s AND account_id=%s ORDER BY c.id",
                (app, account_id),
            )
        )
        by_id = {row["id"]: row for row in rows}

        def within(row: Row) -> list[int]:
            above = by_id.get(row["within_id"])
            return [*within(above), above["id"]] if above else []

        found = [row | {"within": within(row)} for row in rows if not row["holds"]]
        return [row | {"path": [by_id[id]["name"] for id in row["within"]]} for row in found]

    def settings(self, container_id: int) -> dict[str, Any]:
        """Return a container's own settings."""
        row = self.server.read(lambda t: t.row("SELECT settings FROM container WHERE id=%s", (container_id,)))
        return json.loads(row["settings"]) if row and row["settings"] else {}

    def set_up(self, container_id: int, settings: dict[str, Any]) -> None:
        self.server.transact(
            lambda t: t.execute(
                "UPDATE container SET settings=%s WHERE id=%s", (json.dumps(settings, ensure_ascii=False), container_id)
            )
        )

    def holders(self, app: str, account_id: int) -> list[Row]:
        """Return what holds other containers."""
        return self.server.read(
            lambda t: t.rows("SELECT * FROM container WHERE app=%s AND account_id=%s AND holds ORDER BY id", (app, account_id))
        )

    def container_by_address(self, app: str, address: str) -> Row | None:
        return self.server.read(lambda t: t.row("SELECT * FROM container WHERE app=%s AND address=%s", (app, address)))

    # Items and the feed

    def put(
        self,
        app: str,
        container_id: int,
        body: dict[str, Any],
        source: bytes | None,
        at: datetime,
        idempotency: bytes | None = None,
    ) -> int:
        """Add a new item, and its line in the feed; the item that was made before under the same idempotency key."""

        def work(t: Transaction) -> int:
            if idempotency:
                known = t.row("SELECT item_id FROM idempotency WHERE digest=%s", (idempotency,))
                if known:
                    return int(known["item_id"])
            item_id = t.insert(
                "INSERT INTO item (app, container_id, body, source, at) VALUES (%s,%s,%s,%s,%s)",
                (app, container_id, json.dumps(body, ensure_ascii=False), source, at),
            )
            if idempotency:
                t.execute("INSERT INTO idempotency (digest, item_id) VALUES (%s,%s)", (idempotency, item_id))
            self._feed(t, container_id, item_id, "new")
            return item_id

        return self.server.transact(work)

    def _feed(self, t: Transaction, container_id: int, item_id: int, kind: str, revision: int = 1) -> None:
        """Add a change to the feed; its number is taken last and held until commit, so that a reader's cursor never passes
        one still to come."""
        row = t.row("SELECT app, account_id FROM container WHERE id=%s", (container_id,))
        assert row
        seq = t.insert(
            "INSERT INTO counter (account_id, app, n) VALUES (%s,%s,LAST_INSERT_ID(1)) "
            "ON DUPLICATE KEY UPDATE n=LAST_INSERT_ID(n+1)",
            (row["account_id"], row["app"]),
        )
        t.execute(
            "INSERT INTO feed (account_id, app, seq, container_id, item_id, kind, revision) VALUES (%s,%s,%s,%s,%s,%s,%s)",
            (row["account_id"], row["app"], seq, container_id, item_id, kind, revision),
        )

    def made_before(self, idempotency: bytes | None) -> int | None:
        """Return what was made under an idempotency key."""
        if idempotency is None:
            return None
        row = self.server.read(lambda t: t.row("SELECT item_id FROM idempotency WHERE digest=%s", (idempotency,)))
        return int(row["item_id"]) if row else None

    def change(
        self,
        item_id: int,
        kind: str,
        change: Callable[[dict[str, Any]], dict[str, Any]],
        to: int | None = None,
        idempotency: bytes | None = None,
        expect: int | None = None,
    ) -> list[tuple[int, str, int]]:
        """Change an item, and move it into another container on wish: what is told of it, as containers, kinds and numbers.
        `expect`: the revision that the writer saw. Raises Stale."""

        def work(t: Transaction) -> list[tuple[int, str, int]]:
            row = _locked(t, item_id, expect)
            here, revision = row["container_id"], row["revision"] + 1
            if idempotency:
                t.execute("INSERT IGNORE INTO idempotency (digest, item_id) VALUES (%s,%s)", (idempotency, item_id))
            t.execute(
                "UPDATE item SET body=%s, revision=%s, container_id=%s WHERE id=%s",
                (json.dumps(change(json.loads(row["body"])), ensure_ascii=False), revision, to or here, item_id),
            )
            told = [(here, kind, revision), *([(to, "new", revision)] if to and to != here else [])]
            for container, what, number in told:
                self._feed(t, container, item_id, what, number)
            return told

        return self.server.transact(work)

    def share(self, access: Access, container_id: int) -> None:
        """Share what was made through an access with it."""
        self._remembered.clear()

        def work(t: Transaction) -> None:
            rows = t.rows("SELECT shared FROM token WHERE grant_digest=%s FOR UPDATE", (access.token_digest,))
            shared = sorted({container_id, *(n for row in rows for n in json.loads(row["shared"]))})
            t.execute("UPDATE token SET shared=%s WHERE grant_digest=%s", (json.dumps(shared), access.token_digest))

        self.server.transact(work)

    def move(self, item_id: int, to: int) -> None:
        def work(t: Transaction) -> None:
            t.execute("UPDATE item SET container_id=%s WHERE id=%s", (to, item_id))
            self._feed(t, to, item_id, "new")

        self.server.transact(work)

    def delete(self, item_id: int, container_id: int, idempotency: bytes | None = None, expect: int | None = None) -> int:
        """Delete an item: its revision. Raises Stale."""

        def work(t: Transaction) -> int:
            revision = int(_locked(t, item_id, expect)["revision"]) + 1
            if idempotency:
                t.execute("INSERT IGNORE INTO idempotency (digest, item_id) VALUES (%s,%s)", (idempotency, item_id))
            t.execute("UPDATE item SET deleted_at=NOW(3), revision=%s WHERE id=%s", (revision, item_id))
            self._feed(t, container_id, item_id, "gone", revision)
            return revision

        return self.server.transact(work)

    def bring_back(self, app: str, item_id: int) -> tuple[int, int] | None:
        """Restore a deleted item, and return its container and revision; None if it is not deleted."""

        def work(t: Transaction) -> tuple[int, int] | None:
            row = t.row(
                "SELECT container_id, revision FROM item WHERE app=%s AND id=%s AND deleted_at IS NOT NULL FOR UPDATE",
                (app, item_id),
            )
            if row is None:
                return None
            revision = int(row["revision"]) + 1
            t.execute("UPDATE item SET deleted_at=NULL, revision=%s WHERE id=%s", (revision, item_id))
            self._feed(t, row["container_id"], item_id, "restored", revision)
            return int(row["container_id"]), revision

        return self.server.transact(work)

    def container_of(self, app: str, item_id: int) -> int | None:
        """Return where an item lies, or lay when it was deleted."""
        row = self.server.read(lambda t: t.row("SELECT container_id FROM item WHERE app=%s AND id=%s", (app, item_id)))
        return int(row["container_id"]) if row else None

    def item(self, app: str, item_id: int) -> Row | None:
        return self.server.read(
            lambda t: t.row(
                "SELECT i.id, i.container_id, c.name AS container_name, h.name AS holder_name, i.body, i.revision, i.at, "
                "(SELECT MAX(f.seq) FROM feed f WHERE f.item_id=i.id AND f.container_id=i.container_id) AS seq FROM item i "
                "JOIN container c ON c.id=i.container_id LEFT JOIN container h ON h.id=c.within_id "
                "WHERE i.app=%s AND i.id=%s AND i.deleted_at IS NULL",
                (app, item_id),
            )
        )

    def source(self, item_id: int) -> bytes | None:
        row = self.server.read(lambda t: t.row("SELECT source FROM item WHERE id=%s", (item_id,)))
        return row["source"] if row else None

    def items(self, container_id: int, limit: int, before: int | None = None) -> list[Row]:
        """Return the newest first; `before` is the last item of the page above."""
        older = "AND (i.at, i.id) < (SELECT b.at, b.id FROM item b WHERE b.id=%s) " if before else ""
        return self.server.read(
            lambda t: t.rows(
                "SELECT i.id, i.container_id, c.name AS container_name, h.name AS holder_name, i.body, i.revision, i.at "
                "FROM item i JOIN container c ON c.id=i.container_id LEFT JOIN container h ON h.id=c.within_id "
                f"WHERE i.container_id=%s AND i.deleted_at IS NULL {older}"
                "ORDER BY i.at DESC, i.id DESC LIMIT %s",
                (container_id, *((before,) if before else ()), limit),
            )
        )

    def feed(
        self, app: str, account_id: int, containers: frozenset[int], after: int, limit: int
    ) -> tuple[list[Row], int, bool]:
        """Return changes after a cursor in what is shared, the cursor to go on from, and whether there is more behind that."""

        def work(t: Transaction) -> tuple[list[Row], int, bool]:
            head = t.row("SELECT n FROM counter WHERE account_id=%s AND app=%s", (account_id, app))

            def some() -> list[Row]:
                return t.rows(
                    "SELECT seq, container_id, item_id, kind, revision, at FROM feed WHERE account_id=%s AND app=%s "
                    "AND seq > %s AND seq <= %s ORDER BY seq LIMIT %s",
                    (account_id, app, after, head["n"] if head else 0, limit),
                )

            rows = some()
            until = min(head["n"] if head else 0, after + limit)
            if [r["seq"] for r in rows] != list(range(after + 1, until + 1)):  # not of one moment: store/changes.py says why
                t.row("SELECT n FROM counter WHERE account_id=%s AND app=%s LOCK IN SHARE MODE", (account_id, app))
                rows = some()
            cursor = rows[-1]["seq"] if len(rows) == limit else int(head["n"]) if head else 0
            return [r for r in rows if r["container_id"] in containers], cursor, len(rows) == limit

        return self.server.read(work)

    # Web requests that came to the receiver

    def receive(self, path: str, method: str, headers: dict[str, str], body: str) -> bool:
        """Keep a request; False where it is a repeat of one that was kept."""
        key = headers.get("idempotency-key")
        taken = self.server.transact(
            lambda t: t.execute(
                "INSERT INTO received (path, method, headers, body, digest) VALUES (%s,%s,%s,%s,%s) "
                "ON DUPLICATE KEY UPDATE repeats = repeats + 1",
                (path[:200], method, json.dumps(headers), body, digest("received", path, key) if key else None),
            )
        )
        return taken == 1

    def received(self, path: str | None = None, limit: int = MAX_RECEIVED) -> list[Row]:
        """Return the newest requests, of one path on wish."""
        where, args = ("WHERE path=%s ", (path, limit)) if path else ("", (limit,))
        rows = self.server.read(lambda t: t.rows(f"SELECT * FROM received {where}ORDER BY id DESC LIMIT %s", args))
        return [row | {"headers": json.loads(row["headers"])} for row in rows]

    def ping(self) -> None:
        """Ask the database. Raises where the database does not answer."""
        self.server.read(lambda t: t.row("SELECT 1"))

    # Tokens, codes and sessions

    def new_token(
        self,
        token: str,
        app: str,
        account_id: int,
        client: str,
        shared: list[int],
        may_send: bool = False,
        days: float = TOKEN_DAYS,
        name: str = "",
        refresh: str | None = None,
        grant: bytes | None = None,
    ) -> None:
        """Keep a token, or a key that a person made: it is good for some days, less than none for one that has ended. `refresh`
        renews it; `grant`: that of the token which it renews."""
        known = digest("token", token)
        self.server.transact(
            lambda t: t.execute(
                "INSERT INTO token (digest, app, account_id, client, shared, may_send, name, grant_digest, refresh_digest, "
                "expires_at) VALUES (%s,%s,%s,%s,%s,%s,%s,%s,%s, NOW(3) + INTERVAL %s SECOND)",
                (
                    known,
                    app,
                    account_id,
                    client,
                    json.dumps(shared),
                    may_send,
                    name,
                    grant or known,
                    digest("refresh", refresh) if refresh else None,
                    round(days * 86_400),
                ),
            )
        )

    def by_refresh(self, refresh: str) -> Row | None:
        """Return the newest token of a grant, by what renews it; none where access was revoked."""
        return self.server.read(
            lambda t: t.row(
                "SELECT n.* FROM token r JOIN token n ON n.grant_digest=r.grant_digest WHERE r.refresh_digest=%s "
                "AND r.revoked_at IS NULL AND n.revoked_at IS NULL ORDER BY n.expires_at DESC LIMIT 1",
                (digest("refresh", refresh),),
            )
        )

    def has_ended(self, app: str, token: str) -> bool:
        """Say whether a token was good once, and its time is over."""
        return bool(
            self.server.read(
                lambda t: t.row(
                    "SELECT 1 FROM token WHERE digest=%s AND app=%s AND revoked_at IS NULL AND expires_at <= NOW(3)",
                    (digest("token", token), app),
                )
            )
        )

    def access(self, app: str, token: str) -> Access | None:
        row = self.server.read(
            lambda t: t.row(
                "SELECT k.*, a.address, a.name AS called FROM token k JOIN account a ON a.id=k.account_id "
                "WHERE k.digest=%s AND k.app=%s "
                "AND k.revoked_at IS NULL AND k.expires_at > NOW(3)",
                (digest("token", token), app),
            )
        )
        found = (
            Access(
                app,
                row["account_id"],
                row["address"],
                row["called"],
                frozenset(json.loads(row["shared"])),
                row["grant_digest"],
                bool(row["may_send"]),
                row["expires_at"],
            )
            if row
            else None
        )
        if found:
            self._remembered[(app, token)] = (time.monotonic(), found)
        return found

    def remembered(self, app: str, token: str) -> Access | None:
        """Access that was proved a moment ago, so that a busy caller costs one look-up a second."""
        at, found = self._remembered.get((app, token), (-REMEMBER, None))
        return found if time.monotonic() - at < REMEMBER else None

    def tokens(self, account_id: int) -> list[Row]:
        return self.server.read(
            lambda t: t.rows(
                "SELECT HEX(digest) AS id, app, client, name, shared, expires_at FROM token "
                "WHERE account_id=%s AND revoked_at IS NULL ORDER BY expires_at DESC",
                (account_id,),
            )
        )

    def revoke(self, account_id: int, token_digest: bytes) -> None:
        """Take access away; its subscriptions end with it."""
        self._remembered.clear()

        def work(t: Transaction) -> None:
            row = t.row("SELECT grant_digest FROM token WHERE digest=%s AND account_id=%s", (token_digest, account_id))
            if row is not None:
                t.execute("UPDATE token SET revoked_at=NOW(3) WHERE grant_digest=%s", (row["grant_digest"],))
                t.execute("DELETE FROM subscription WHERE token_digest=%s", (row["grant_digest"],))

        self.server.transact(work)

    def keep_code(self, code: str, content: dict[str, Any]) -> None:
        self.server.transact(
            lambda t: t.execute(
                "INSERT INTO code (digest, content, expires_at) VALUES (%s,%s, NOW(3) + INTERVAL 2 MINUTE)",
                (digest("code", code), json.dumps(content)),
            )
        )

    def code(self, code: str) -> dict[str, Any] | None:
        row = self.server.read(
            lambda t: t.row("SELECT content FROM code WHERE digest=%s AND expires_at > NOW(3)", (digest("code", code),))
        )
        return json.loads(row["content"]) if row else None

    def use_code(self, code: str) -> None:
        self.server.transact(lambda t: t.execute("DELETE FROM code WHERE digest=%s", (digest("code", code),)))

    def new_page_session(self, account_id: int) -> str:
        cookie = secrets.token_urlsafe(24)
        self.server.transact(
            lambda t: t.execute(
                "INSERT INTO page_session (digest, account_id, expires_at) VALUES (%s,%s, NOW(3) + INTERVAL 30 DAY)",
                (digest("page", cookie), account_id),
            )
        )
        return cookie

    def page_account(self, cookie: str) -> Row | None:
        return self.server.read(
            lambda t: t.row(
                "SELECT a.* FROM page_session s JOIN account a ON a.id=s.account_id "
                "WHERE s.digest=%s AND s.expires_at > NOW(3)",
                (digest("page", cookie),),
            )
        )

    # Subscriptions

    def subscribe(self, access: Access, container_id: int | None, url: str) -> tuple[int, str]:
        """Push to an address what happens in a container, or in all that are shared with an access."""
        secret = webhook_signature.new_secret()
        made = self.server.transact(
            lambda t: t.insert(
                "INSERT INTO subscription (app, container_id, token_digest, url, secret) VALUES (%s,%s,%s,%s,%s)",
                (access.app, container_id, access.token_digest, url, secret),
            )
        )
        return made, secret

    def unsubscribe(self, access: Access, subscription_id: int) -> bool:
        return bool(
            self.server.transact(
                lambda t: t.execute(
                    "DELETE FROM subscription WHERE id=%s AND app=%s AND token_digest=%s",
                    (subscription_id, access.app, access.token_digest),
                )
            )
        )

    def subscribers(self, container_id: int) -> list[Row]:
        """Return who listens to a container, or to all that is shared with them, this container among it."""
        rows = self.server.read(
            lambda t: t.rows(
                "SELECT s.*, NULL AS shared FROM subscription s WHERE s.container_id=%s UNION ALL "
                "SELECT s.*, k.shared FROM subscription s JOIN container c ON c.app=s.app "
                "JOIN token k ON k.grant_digest=s.token_digest WHERE c.id=%s AND s.container_id IS NULL",
                (container_id, container_id),
            )
        )
        listens = (r for r in rows if r["container_id"] is not None or container_id in json.loads(r["shared"]))
        return list({r["id"]: r for r in listens}.values())


def _locked(t: Transaction, item_id: int, expect: int | None) -> Row:
    """Return an item, locked. Raises Stale where it is not as the writer saw it."""
    row = t.row("SELECT container_id, body, revision FROM item WHERE id=%s FOR UPDATE", (item_id,))
    assert row
    if expect is not None and row["revision"] != expect:
        raise Stale(int(row["revision"]))
    return row
