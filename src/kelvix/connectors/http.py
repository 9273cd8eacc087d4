"""Calling an app over HTTP: what went wrong is told apart into passing and standing."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager, nullcontext
from email.utils import parsedate_to_datetime
from functools import partial
from json import loads
from time import sleep, time
from typing import Any
from urllib.parse import urlencode

import urllib3

from kelvix.connectors.deadline import DEADLINES, Call, pool_manager
from kelvix.core.collection import (
    ConflictError,
    ExpiredError,
    GoneError,
    PermanentError,
    RateLimitedError,
    TransientError,
    UnknownOutcomeError,
)

SECONDS = 12.0  # without a byte
WHOLE = 20.0  # for a whole call, with more for what is large
MAX_WAIT = 3600.0
CONFLICT_AFTER = 0.2  # seconds until what was changed meanwhile is read again
PATIENCE = 10.0  # seconds that a call for the content of an item waits where it stands
PIECE = 1 << 16  # bytes of a content that is read
MAX_ANSWER = 64 << 20  # bytes of an answer that is read whole


def retry_after(raw: str | None) -> float | None:
    """Seconds, from either form of the header (RFC 9110, 10.2.3)."""
    if not raw:
        return None
    try:
        return min(MAX_WAIT, max(0.0, float(raw)))
    except ValueError:
        try:
            return min(MAX_WAIT, max(0.0, parsedate_to_datetime(raw).timestamp() - time()))
        except ValueError:
            return None


def _detail(data: bytes) -> str:
    """Return what the app says is wrong, if it says so in JSON."""
    try:
        said = loads(data)["detail"]
    except (ValueError, KeyError, TypeError, RecursionError):
        return ""
    return f": {said[:200]}" if isinstance(said, str) else ""


def _earning(body: Iterable[bytes], call: Call) -> Iterator[bytes]:
    """Yield what is sent; each piece earns the call more time. Where it cannot be had to its end, nothing was asked for: a
    request without its last chunk is none (RFC 9112, 8)."""
    try:
        for piece in body:
            yield piece
            call.earn(len(piece))
    except TransientError:
        call.is_sent = False
        raise


@contextmanager
def _in_doubt_once_sent(call: Call) -> Iterator[None]:
    """Around a write: after its first byte was sent, no failure says that it was not carried out, but for a 429 and a 412."""
    try:
        yield
    except (RateLimitedError, ConflictError):
        raise
    except TransientError as failure:
        if call.is_sent:
            raise UnknownOutcomeError(str(failure), failure.after) from None
        raise


class Caller:
    """Calls one app. Safe to share between threads."""

    def __init__(self, app_name: str, address: str, pools: Callable[..., urllib3.PoolManager] = pool_manager):
        self.app_name, self.address = app_name, address
        timeout = urllib3.Timeout(connect=SECONDS, read=SECONDS)
        self._pool = pools(maxsize=40, timeout=timeout, retries=False)

    def call(
        self,
        method: str,
        where: str,
        token: str,
        *,
        params: dict[str, Any] | None = None,
        json: Any = None,
        key: str | None = None,
        body: Iterable[bytes] | None = None,
        version: str | None = None,
        called: Callable[[Mapping[str, str]], None] | None = None,
    ) -> Any:
        """Return the answer's JSON. `key` is the idempotency key of what is written; `body` is sent as it comes; `version` is
        the one that the writer saw; `called` is told that it was answered. Raises TransientError, ConflictError,
        PermanentError; of a write, UnknownOutcomeError where it may have been carried out."""
        headers = {"authorization": f"Bearer {token}"} | ({"idempotency-key": key} if key else {})
        if version is not None:
            headers["if-match"] = f'"{version}"'
        query = f"?{urlencode(params)}" if params else ""
        with DEADLINES.within(WHOLE) as call, _in_doubt_once_sent(call) if key else nullcontext():
            if body is not None:
                headers["content-type"] = "application/octet-stream"
                more: dict[str, Any] = {"body": _earning(body, call), "chunked": True}
            else:
                more = {"json": json}
            url = f"{self.address}{where}{query}"
            with self._failures(call):
                answer = self._pool.request(method, url, headers=headers, preload_content=False, **more)
                if called:
                    called(answer.headers)
                data = self._bounded(answer, call)
            self._check(answer, data)
            return self._json(data)

    def form(self, where: str, **values: str) -> Any:
        """Return the JSON that answers a form which is sent without a token, whatever its status. Raises TransientError."""
        with DEADLINES.within(WHOLE) as call, self._failures(call):
            answer = self._pool.request("POST", f"{self.address}{where}", fields=values, encode_multipart=False,
                                        headers={"accept": "application/json"}, preload_content=False)  # fmt: skip
            data = self._bounded(answer, call)
        if answer.status >= 500 or answer.status == 429:
            self._check(answer, data)
        return self._json(data)

    def _json(self, data: bytes) -> Any:
        try:
            return loads(data) if data else None
        except (ValueError, RecursionError):
            raise TransientError(f"{self.app_name} sent an unreadable answer") from None

    def _bounded(self, answer: urllib3.BaseHTTPResponse, call: Call) -> bytes:
        """Return what an app answers, which may never end. Raises TransientError."""
        data = bytearray()
        while len(data) <= MAX_ANSWER and (piece := answer.read(PIECE)):
            data += piece
            call.earn(len(piece))
        if len(data) > MAX_ANSWER:
            answer.close()
            raise TransientError(f"{self.app_name} sent more than {MAX_ANSWER >> 20} MB")
        answer.release_conn()
        return bytes(data)

    def content(self, where: str, token: str, called: Callable[[Mapping[str, str]], None] | None = None) -> Iterator[bytes]:
        """Return what a file contains, a piece at a time. Raises TransientError, PermanentError, also on the way. Asked again
        after a short wait, if the app asks for one: an item whose content takes a further call would else be begun anew each
        time, and never be had from an app that lets one call through at a time."""
        headers = {"authorization": f"Bearer {token}"}
        ask = partial(self._pool.request, "GET", f"{self.address}{where}", headers=headers, preload_content=False)
        call = DEADLINES.begin(PATIENCE + WHOLE)
        answer: urllib3.BaseHTTPResponse | None = None
        try:
            with self._failures(call):
                with DEADLINES.using(call):
                    answer = self._patiently(ask)
                if called:
                    called(answer.headers)
                call.extend(WHOLE)
                if answer.status >= 300:
                    self._check(answer, self._bounded(answer, call))
                for piece in answer.stream(PIECE):
                    call.earn(len(piece))
                    yield piece
        finally:
            DEADLINES.done(call)
            if answer is not None:
                answer.close()

    def _patiently(self, ask: Callable[[], urllib3.BaseHTTPResponse]) -> urllib3.BaseHTTPResponse:
        left = PATIENCE
        while (answer := ask()).status == 429:
            wait = retry_after(answer.headers.get("retry-after"))
            if wait is None or wait > left:
                break
            answer.drain_conn()
            left -= max(wait, 0.1)
            sleep(max(wait, 0.1))
        return answer

    @contextmanager
    def _failures(self, call: Call) -> Iterator[None]:
        """Around what is sent and read in a call; raises TransientError. What ends where a socket is closed may look whole."""
        try:
            yield
        except urllib3.exceptions.TimeoutError:
            raise TransientError(f"{self.app_name} did not respond within {SECONDS:.0f} seconds") from None
        except urllib3.exceptions.HTTPError:
            if not call.is_over:
                raise TransientError(f"{self.app_name} can’t be reached") from None
        if call.is_over:
            raise TransientError(f"{self.app_name} responds too slowly: more than {WHOLE:.0f} seconds")

    def _check(self, answer: urllib3.BaseHTTPResponse, data: bytes) -> None:
        """Raise TransientError or PermanentError for what is not what was asked for."""
        wait = retry_after(answer.headers.get("retry-after"))
        if answer.status == 429:
            raise RateLimitedError(f"{self.app_name} is limiting calls", wait)
        if answer.status >= 500:
            raise TransientError(f"{self.app_name} had an internal error ({answer.status})", wait)
        if answer.status == 401 and "expired" in answer.headers.get("www-authenticate", ""):
            raise ExpiredError(f"this access to {self.app_name} has expired. Reconnect it", "access")
        if answer.status == 401:
            raise PermanentError(f"{self.app_name} no longer accepts this connection. Reconnect it", "access")
        if answer.status == 403:
            raise PermanentError(f"{self.app_name} has not shared this with Kelvix", "container")
        if answer.status == 412:
            raise ConflictError(f"this has just been changed in {self.app_name}", CONFLICT_AFTER)
        if answer.status in (404, 410):
            raise GoneError(f"this no longer exists in {self.app_name}", "item")
        if answer.status >= 300:
            raise PermanentError(f"{self.app_name} refused the call ({answer.status}{_detail(data)})", "call")
