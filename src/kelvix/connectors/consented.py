"""What connectors have in the same way that reach their app through a consent window (OAuth 2.0 with PKCE: RFC 6749, RFC 7636),
list containers and items, and read a feed of changes with a cursor."""

from __future__ import annotations

import re
from abc import abstractmethod
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, ClassVar
from urllib.parse import urlsplit

from authlib.oauth2.rfc6749.parameters import prepare_grant_uri
from authlib.oauth2.rfc7636 import create_s256_code_challenge

from kelvix.connectors.contract import Account, App, Grant
from kelvix.connectors.http import Caller
from kelvix.core import query as conditions
from kelvix.core.collection import (
    Change,
    ChangeKind,
    Changes,
    Collection,
    Health,
    Item,
    Page,
    PermanentError,
    Place,
    Ref,
    Row,
    Schema,
    readable,
    typed,
)
from kelvix.core.feel import Env
from kelvix.core.fields.link import split_address
from kelvix.core.query import Query
from kelvix.core.values import File, ItemValue, shorten

CLIENT = "kelvix"  # the name by which apps know us
MAX_PAGE = 100  # items that an app gives at once
MAX_PAGES = 20  # that are read for one page of items which a condition holds of
LAST = 2**53  # beyond every number of a feed
KINDS: Mapping[str, ChangeKind] = {"new": "added", "moved": "left", "gone": "deleted"}  # all others change an item


@dataclass(frozen=True)
class Read:
    """What an item carries, as the app's JSON was read: `values` by the keys of carried fields and lists."""

    title: str
    values: Mapping[str, ItemValue]
    problems: str = ""


class ConsentedAccount(Account):
    """An account, by its token. Paths are made of the app's own words: /mail/api/folders/3/messages."""

    app: ConsentedApp

    def __init__(self, app: ConsentedApp, token: str, identity: str, env: Env):
        self.app, self.identity, self.env = app, identity, env
        self.caller, self.api, self._token = app.caller, f"/{app.code}/api", token

    @abstractmethod
    def read(self, raw: dict[str, Any]) -> Read:
        """Return what an item carries, as the app's API gives it."""

    def call(self, method: str, where: str, **more: Any) -> Any:
        """Return the JSON with which the app answers."""
        return self.caller.call(method, f"{self.api}{where}", self._token, **more)

    def content(self, where: str) -> Iterator[bytes]:
        """Return what a file contains, a piece at a time. `where` is its whole path."""
        return self.caller.content(where, self._token)

    def check(self) -> Health:
        raw = self.call("GET", "/me")
        places = tuple(Place(f["id"], f["name"], f["link"], f["items"]) for f in raw["shared"])
        return Health(raw["account"], places, tuple(raw["not_shared"]), raw["may_send"])

    def collection(self, place: str) -> Collection:
        return ConsentedCollection(self, place)

    def subscribe(self, place: str, address: str) -> tuple[str, str]:
        raw = self.call("POST", "/subscriptions", json={"container": place, "url": address})
        return raw["id"], raw["secret"]

    def unsubscribe(self, subscription: str) -> None:
        self.call("DELETE", f"/subscriptions/{subscription}")


class ConsentedCollection(Collection):
    """A container of an account. What conditions ask for is read page by page, and tested here."""

    def __init__(self, account: ConsentedAccount, place: str):
        self.account, self.place = account, place
        self.ref = Ref(f"{account.app.code}:{account.app.address}:{account.identity}", place)
        self.capabilities, self.reach = account.app.capabilities, account.app.reach

    def schema(self) -> Schema:
        return self.account.app.schema

    def one(self, id: str) -> Item:
        return self._item(self.account.call("GET", f"/{self.account.app.items_word}/{id}"))

    def query(self, query: Query) -> Page:
        if query.order:
            raise PermanentError(
                f"{self.account.app.name} cannot be asked for {self.account.app.items_word} in an order", "call"
            )
        kept: list[Item] = []
        after = query.after
        for _ in range(MAX_PAGES):
            size = min(query.limit - len(kept), MAX_PAGE) if query.where is None else MAX_PAGE
            found, after = self._page(after, size)
            for item in found:
                if query.where is not None and not self._holds(query, item):
                    continue
                kept.append(item)
                if len(kept) == query.limit:
                    last = item is found[-1] and after is None
                    return Page(tuple(kept), None if last else item.id, last)
            if after is None:
                return Page(tuple(kept), None, True)
        return Page(tuple(kept), after, False)

    def _page(self, after: str | None, size: int) -> tuple[list[Item], str | None]:
        """Items below one, the newest first, and what to ask with for those below them."""
        params = {"limit": size} | ({"before": after} if after else {})
        app = self.account.app
        raw = self.account.call("GET", f"/{app.containers_word}/{self.place}/{app.items_word}", params=params)["items"]
        found = [self._item(r) for r in raw]
        return found, found[-1].id if len(found) >= size else None

    def _holds(self, query: Query, item: Item) -> bool:
        return conditions.holds(query.where, self.schema().fields, readable(item.values), self.account.env)

    def head(self) -> str:
        return str(self.account.call("GET", "/feed", params={"after": LAST})["cursor"])

    def changes(self, cursor: str) -> Changes:
        raw = self.account.call("GET", "/feed", params={"after": int(cursor)})
        found = tuple(
            Change(c["item"], KINDS.get(c["kind"], "changed"), c["kind"], c["revision"])
            for c in raw["changes"]
            if c["container"] == self.place
        )
        return Changes(found, str(raw["cursor"]), bool(raw["more"]))

    def was_there(self, item: Item, cursor: str) -> bool | None:
        return None if item.arrival is None else int(item.arrival) <= int(cursor)

    def _item(self, raw: dict[str, Any]) -> Item:
        read, schema = self.account.read(raw), self.schema()
        rows = {key: read.values[key] for key in schema.rows if key in read.values}
        return Item(
            raw["id"],
            str(raw["revision"]),
            self._placed(typed(read.values, schema.fields)),
            read.title,
            raw["link"],
            raw["container"],
            raw["container_name"],
            datetime.fromisoformat(raw["received"]),
            {
                key: tuple(self._placed(typed(row, schema.rows[key])) for row in several if isinstance(row, dict))
                for key, several in rows.items()
                if isinstance(several, list)
            },
            problems=read.problems,
            arrival=str(raw["seq"]) if raw.get("seq") else None,
        )

    def _placed(self, values: Row) -> dict[str, Any]:
        """Return the same with files that say in which account they lie."""
        return {k: v.within(self.account.identity) if isinstance(v, File) else v for k, v in values.items()}


class ConsentedApp(App):
    """An app at an address."""

    accounts: ClassVar[type[ConsentedAccount]]

    def __init__(self, address: str):
        self.address = address
        self.caller = Caller(self.name, address)

    def account(self, token: str, identity: str, env: Env) -> ConsentedAccount:
        return self.accounts(self, token, identity, env)

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
        answer = self.caller.form(
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

    # Links

    def container_of_link(self, link: str) -> str | None:
        return self._in_link(link, self.containers_word)

    def item_of_link(self, link: str) -> str | None:
        return self._in_link(link, self.items_word)

    def _in_link(self, link: str, what: str) -> str | None:
        """Return the number behind /mail/folders/ or /mail/messages/, at this app's own address only."""
        parts = split_address(link.strip())
        if parts is None or parts.netloc != urlsplit(self.address).netloc:
            return None
        found = re.fullmatch(rf"/{self.code}/{what}/(\d{{1,18}})/?", parts.path)
        return found[1] if found else None
