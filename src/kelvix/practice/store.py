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


@dataclass(frozen=True)
class Access:
    """Who calls, in whose account, and which containers were shared with them."""

    app: str
    account_id: int
    account: str
    name: str
    shared: frozenset[int]
    token_digest: bytes
    may_send: bool = False


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

    def container(self, app: str, account_id: int, name: str, address: str | None = None) -> int:
        """Return the container with this name; create it if needed."""

        def work(t: Transaction) -> int:
            row = t.row("SELECT id FROM container WHERE app=%s AND account_id=%s AND name=%s", (app, account_id, name))
            return (
                row["id"]
                if row
                else t.insert(
                    "INSERT INTO container (app, account_id, name, address) VALUES (%s,%s,%s,%s)",
                    (app, account_id, name, address),
                )
            )

        return self.server.transact(work)

    def containers(self, app: str, account_id: int) -> list[Row]:
        return self.server.read(
            lambda t: t.rows(
                "SELECT c.*, (SELECT COUNT(*) FROM item i WHERE i.container_id=c.id AND i.deleted_at IS NULL) AS items "
                "FROM container c WHERE app=%s AND account_id=%s ORDER BY c.id",
                (app, account_id),
            )
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
    ) -> list[tuple[int, str, int]]:
        """Change an item, and move it into another container on wish: what is told of it, as containers, kinds and numbers."""

        def work(t: Transaction) -> list[tuple[int, str, int]]:
            row = t.row("SELECT container_id, body, revision FROM item WHERE id=%s FOR UPDATE", (item_id,))
            assert row
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
            row = t.row("SELECT shared FROM token WHERE digest=%s FOR UPDATE", (access.token_digest,))
            shared = sorted({*json.loads(row["shared"] if row else "[]"), container_id})
            t.execute("UPDATE token SET shared=%s WHERE digest=%s", (json.dumps(shared), access.token_digest))

        self.server.transact(work)

    def move(self, item_id: int, to: int) -> None:
        def work(t: Transaction) -> None:
            t.execute("UPDATE item SET container_id=%s WHERE id=%s", (to, item_id))
            self._feed(t, to, item_id, "new")

        self.server.transact(work)

    def delete(self, item_id: int, container_id: int) -> None:
        def work(t: Transaction) -> None:
            t.execute("UPDATE item SET deleted_at=NOW(3) WHERE id=%s", (item_id,))
            self._feed(t, container_id, item_id, "gone")

        self.server.transact(work)

    def item(self, app: str, item_id: int) -> Row | None:
        return self.server.read(
            lambda t: t.row(
                "SELECT i.id, i.container_id, c.name AS container_name, i.body, i.revision, i.at, "
                "(SELECT MAX(f.seq) FROM feed f WHERE f.item_id=i.id AND f.container_id=i.container_id) AS seq FROM item i "
                "JOIN container c ON c.id=i.container_id WHERE i.app=%s AND i.id=%s AND i.deleted_at IS NULL",
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
                "SELECT i.id, i.container_id, c.name AS container_name, i.body, i.revision, i.at FROM item i "
                f"JOIN container c ON c.id=i.container_id WHERE i.container_id=%s AND i.deleted_at IS NULL {older}"
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

    def new_token(self, token: str, app: str, account_id: int, client: str, shared: list[int], may_send: bool = False) -> None:
        self.server.transact(
            lambda t: t.execute(
                "INSERT INTO token (digest, app, account_id, client, shared, may_send, expires_at) "
                "VALUES (%s,%s,%s,%s,%s,%s, NOW(3) + INTERVAL %s DAY)",
                (digest("token", token), app, account_id, client, json.dumps(shared), may_send, TOKEN_DAYS),
            )
        )

    def access(self, app: str, token: str) -> Access | None:
        row = self.server.read(
            lambda t: t.row(
                "SELECT k.*, a.address, a.name FROM token k JOIN account a ON a.id=k.account_id WHERE k.digest=%s AND k.app=%s "
                "AND k.revoked_at IS NULL AND k.expires_at > NOW(3)",
                (digest("token", token), app),
            )
        )
        found = (
            Access(
                app,
                row["account_id"],
                row["address"],
                row["name"],
                frozenset(json.loads(row["shared"])),
                row["digest"],
                bool(row["may_send"]),
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
                "SELECT HEX(digest) AS id, app, client, shared, expires_at FROM token "
                "WHERE account_id=%s AND revoked_at IS NULL ORDER BY expires_at DESC",
                (account_id,),
            )
        )

    def revoke(self, account_id: int, token_digest: bytes) -> None:
        """Take access away; its subscriptions end with it."""
        self._remembered.clear()

        def work(t: Transaction) -> None:
            t.execute("UPDATE token SET revoked_at=NOW(3) WHERE digest=%s AND account_id=%s", (token_digest, account_id))
            t.execute("DELETE FROM subscription WHERE token_digest=%s", (token_digest,))

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

    def subscribe(self, access: Access, container_id: int, url: str) -> tuple[int, str]:
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
        return self.server.read(lambda t: t.rows("SELECT * FROM subscription WHERE container_id=%s", (container_id,)))
