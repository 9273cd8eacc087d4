"""Encryption of what must not be readable in the database. The key stays outside of it."""

from __future__ import annotations

import base64
import hashlib
import os

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from kelvix.store.database_server import DatabaseServer, Transaction

NONCE = 12  # bytes, NIST SP 800-38D


def new_key() -> str:
    return base64.b64encode(AESGCM.generate_key(256)).decode()


def digest(*parts: str | int) -> bytes:
    """32 bytes that stand for a key made of parts; parts cannot run into each other."""
    seen = hashlib.sha256()
    for part in parts:
        raw = str(part).encode("utf-8", "surrogatepass")
        seen.update(len(raw).to_bytes(8, "big") + raw)
    return seen.digest()


SEALED = (("connection", "secret"), ("kept_secret", "secret"), ("subscription", "push_secret"), ("listening", "token"))


def sealed_with_another(server: DatabaseServer, key: str) -> bool:
    """Say whether anything in a database was sealed with another key than this."""
    mine = hashlib.sha256(base64.b64decode(key)).digest()[:4]

    def work(t: Transaction) -> bool:
        return any(
            t.row(f"SELECT 1 FROM {table} WHERE {column} IS NOT NULL AND LEFT({column}, 4) <> %s LIMIT 1", (mine,))
            for table, column in SEALED
        )

    return server.read(work)


class Vault:
    """AES-256-GCM. The key's id, the workspace and the row are associated data, so that a sealed value that was moved
    to another row does not open."""

    def __init__(self, key: str):
        raw = base64.b64decode(key)
        self._cipher, self._key_id = AESGCM(raw), hashlib.sha256(raw).digest()[:4]

    def seal(self, secret: str, workspace_id: int, row: str) -> bytes:
        nonce = os.urandom(NONCE)
        return self._key_id + nonce + self._cipher.encrypt(nonce, secret.encode(), self._bound(workspace_id, row))

    def open(self, sealed: bytes, workspace_id: int, row: str) -> str:
        """Open a sealed value. Raises ValueError where the value was sealed with another key or for another row."""
        if sealed[:4] != self._key_id:
            raise ValueError("sealed with another key")
        nonce = sealed[4 : 4 + NONCE]
        try:
            return self._cipher.decrypt(nonce, sealed[4 + NONCE :], self._bound(workspace_id, row)).decode()
        except InvalidTag:
            raise ValueError("not sealed for this row") from None

    def _bound(self, workspace_id: int, row: str) -> bytes:
        return b"%s/%d/%s" % (self._key_id, workspace_id, row.encode())
