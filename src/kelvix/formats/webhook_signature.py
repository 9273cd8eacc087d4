"""Signatures of pushes by the Standard Webhooks scheme (symmetric, v1): HMAC-SHA256 over id, time and body."""

from __future__ import annotations

import base64
import hashlib
import hmac
import secrets

TOLERANCE = 5 * 60  # seconds by which the sender's clock may differ, as the scheme advises


def new_secret() -> str:
    return "whsec_" + base64.b64encode(secrets.token_bytes(24)).decode()


def sign(secret: str, message_id: str, timestamp: int, body: bytes) -> str:
    """Return the value of the webhook-signature header."""
    key = base64.b64decode(secret.removeprefix("whsec_"))
    signed = f"{message_id}.{timestamp}.".encode() + body
    return "v1," + base64.b64encode(hmac.digest(key, signed, hashlib.sha256)).decode()


def verify(secret: str, message_id: str, timestamp: str, signatures: str, body: bytes, now: float) -> bool:
    """Whether any of the space-separated signatures is right and the time is near enough."""
    try:
        if abs(now - int(timestamp)) > TOLERANCE:
            return False
        expected = sign(secret, message_id, int(timestamp), body)
    except ValueError:
        return False
    given = signatures.encode("utf-8", "surrogateescape").split(b" ")
    return any(hmac.compare_digest(expected.encode(), one) for one in given)
