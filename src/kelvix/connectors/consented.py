"""What connectors have in the same way that reach their app through a consent window (OAuth 2.0 with PKCE: RFC 6749, RFC 7636),
list containers and items, and read a feed of changes with a cursor."""

from __future__ import annotations

import re
from abc import abstractmethod
from typing import Any
from urllib.parse import urlsplit

from authlib.oauth2.rfc6749.parameters import prepare_grant_uri
from authlib.oauth2.rfc7636 import create_s256_code_challenge

from kelvix.connectors.contract import App, Change, Container, Grant, Item, PermanentError, Sight
from kelvix.connectors.http import Caller
from kelvix.core.fields.link import split_address
from kelvix.core.values import shorten

CLIENT = "kelvix"  # the name by which apps know us


class ConsentedApp(App):
    """Paths are made of the app's own words: /mail/api/folders/3/messages."""

    def __init__(self, address: str):
        self.address = address
        self._caller = Caller(self.name, address)
        self._api = f"/{self.code}/api"

    @abstractmethod
    def read(self, raw: dict[str, Any], token: str) -> Item:
        """An item, as the app's API gives it, as carried values."""

    # Connecting

    def consent_address(self, redirect: str, state: str, verifier: str, already: tuple[str, ...], send: bool) -> str:
        url: str = prepare_grant_uri(
            f"{self.address}/oauth/authorize",
            CLIENT,
            "code",
            redirect_uri=redirect,
            scope=self.code,
            state=state,
            code_challenge=create_s256_code_challenge(verifier),
            code_challenge_method="S256",
            already=",".join(already),
            send=str(int(send)),
        )
        return url

    def exchange(self, redirect: str, code: str, verifier: str) -> Grant:
        answer = self._caller.form(
            "/oauth/token",
            grant_type="authorization_code",
            client_id=CLIENT,
            redirect_uri=redirect,
            code=code,
            code_verifier=verifier,
        )
        if not isinstance(answer, dict) or not isinstance(answer.get("access_token"), str):
            said = answer.get("error_description") or answer.get("error") if isinstance(answer, dict) else None
            raise PermanentError(f"{self.name} did not give access: {shorten(str(said or 'it gave no reason'), 200)}", "access")
        return Grant(answer["access_token"], answer.get("expires_in"))

    # Reading

    def look(self, token: str) -> Sight:
        raw = self._caller.call("GET", f"{self._api}/me", token)
        return Sight(
            raw["account"],
            tuple(Container(f["id"], f["name"], f["items"], f["link"]) for f in raw["shared"]),
            tuple(raw["not_shared"]),
            raw["may_send"],
        )

    def newest(self, token: str, container: str, limit: int) -> list[Item]:
        raw = self._caller.call(
            "GET", f"{self._api}/{self.containers_word}/{container}/{self.items_word}", token, params={"limit": limit}
        )
        return [self.read(m, token) for m in raw["items"]]

    def past(self, token: str, container: str, before: str | None, limit: int) -> tuple[list[Item], str | None]:
        params: dict[str, Any] = {"limit": limit} | ({"before": before} if before else {})
        raw = self._caller.call(
            "GET", f"{self._api}/{self.containers_word}/{container}/{self.items_word}", token, params=params
        )
        items = [self.read(m, token) for m in raw["items"]]
        return items, items[-1].id if len(items) == limit else None

    def item(self, token: str, item_id: str) -> Item:
        return self.read(self._caller.call("GET", f"{self._api}/{self.items_word}/{item_id}", token), token)

    def changes(self, token: str, after: int) -> tuple[list[Change], int, bool]:
        raw = self._caller.call("GET", f"{self._api}/feed", token, params={"after": after})
        return (
            [Change(c["seq"], c["container"], c["item"], c["kind"], c["revision"]) for c in raw["changes"]],
            raw["cursor"],
            bool(raw["more"]),
        )

    def head(self, token: str) -> int:
        return int(self._caller.call("GET", f"{self._api}/feed", token, params={"after": 2**53})["cursor"])

    def subscribe(self, token: str, container: str, address: str) -> tuple[str, str]:
        raw = self._caller.call("POST", f"{self._api}/subscriptions", token, json={"container": container, "url": address})
        return raw["id"], raw["secret"]

    def unsubscribe(self, token: str, subscription: str) -> None:
        self._caller.call("DELETE", f"{self._api}/subscriptions/{subscription}", token)

    # Links

    def container_of_link(self, link: str) -> str | None:
        return self._in_link(link, self.containers_word)

    def item_of_link(self, link: str) -> str | None:
        return self._in_link(link, self.items_word)

    def _in_link(self, link: str, what: str) -> str | None:
        """The number behind /mail/folders/ or /mail/messages/, at this app's own address only."""
        parts = split_address(link.strip())
        if parts is None or parts.netloc != urlsplit(self.address).netloc:
            return None
        found = re.fullmatch(rf"/{self.code}/{what}/(\d{{1,18}})/?", parts.path)
        return found[1] if found else None
