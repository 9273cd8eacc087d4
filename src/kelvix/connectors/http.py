"""Calling an app over HTTP: what went wrong is told apart into passing and standing."""

from __future__ import annotations

from email.utils import parsedate_to_datetime
from time import time
from typing import Any

import httpx2 as httpx

from kelvix.connectors.contract import Passing, Standing

SECONDS = 12.0  # well under a run's lease
LONGEST_WAIT = 3600.0


def retry_after(raw: str | None) -> float | None:
    """Seconds, from either form of the header (RFC 9110, 10.2.3)."""
    if not raw:
        return None
    try:
        return min(LONGEST_WAIT, max(0.0, float(raw)))
    except ValueError:
        try:
            return min(LONGEST_WAIT, max(0.0, parsedate_to_datetime(raw).timestamp() - time()))
        except ValueError:
            return None


class Caller:
    """Calls one app. Safe to share between threads."""

    def __init__(self, app_name: str, address: str):
        self.app_name, self.address = app_name, address
        self._client = httpx.Client(
            base_url=address,
            timeout=SECONDS,
            trust_env=False,
            limits=httpx.Limits(max_keepalive_connections=20, max_connections=50),
        )

    def call(self, method: str, where: str, token: str, **more: Any) -> Any:
        """The answer's JSON. Raises Passing, Standing."""
        try:
            answer = self._client.request(method, where, headers={"authorization": f"Bearer {token}"}, **more)
        except httpx.TimeoutException:
            raise Passing(f"{self.app_name} did not answer within {SECONDS:.0f} seconds") from None
        except httpx.HTTPError:
            raise Passing(f"{self.app_name} cannot be reached") from None
        if answer.status_code == 429:
            raise Passing(f"{self.app_name} asks to wait: too many calls", retry_after(answer.headers.get("retry-after")))
        if answer.status_code >= 500:
            raise Passing(
                f"{self.app_name} answered with an error of its own ({answer.status_code})",
                retry_after(answer.headers.get("retry-after")),
            )
        if answer.status_code == 401:
            raise Standing(f"{self.app_name} no longer accepts this connection; renew it", "access")
        if answer.status_code == 403:
            raise Standing(f"{self.app_name} says that this was not shared with Kelvix", "container")
        if answer.status_code in (404, 410):
            raise Standing(f"{self.app_name} says that it is not there any more", "item")
        if answer.is_error:
            raise Standing(f"{self.app_name} did not understand the call ({answer.status_code})", "call")
        try:
            return answer.json() if answer.content else None
        except ValueError:
            raise Passing(f"{self.app_name} answered with something that cannot be read") from None
