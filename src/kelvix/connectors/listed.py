"""What connectors have in the same way whose app lists containers and items, and has a feed of changes with a cursor."""

from __future__ import annotations

import re
from abc import abstractmethod
from collections.abc import Iterator, Mapping, Set
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from typing import Any, ClassVar
from urllib.parse import urlsplit

from kelvix.connectors.contract import Account, App
from kelvix.connectors.guarded_http import guarded_pools
from kelvix.connectors.http import Caller
from kelvix.connectors.several import is_several
from kelvix.core import query as conditions
from kelvix.core.collection import (
    Change,
    ChangeKind,
    Changes,
    Collection,
    GoneError,
    Happened,
    Health,
    Item,
    Page,
    PermanentError,
    Place,
    Ref,
    Row,
    Schema,
    Write,
    Written,
    readable,
    typed,
)
from kelvix.core.feel import Env
from kelvix.core.fields.link import split_address
from kelvix.core.query import Query
from kelvix.core.values import File, ItemValue, whole
from kelvix.remembering import Remembered

REMEMBER = 30.0  # seconds for which a container is taken to have the fields that it had
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


class CalledAccount(Account):
    """An account, by its token, which is called over HTTP."""

    app: ListedApp

    def __init__(self, app: ListedApp, token: str, identity: str, env: Env):
        self.app, self.identity, self.env = app, identity, env
        self.caller, self.api, self._token = app.caller, f"/{app.service}/api", token

    def call(self, method: str, where: str, **more: Any) -> Any:
        """Return the JSON with which the app answers."""
        return self.caller.call(method, f"{self.api}{where}", self._token, called=self.called, **more)

    def content(self, where: str) -> Iterator[bytes]:
        """Return what a file contains, a piece at a time. `where` is its whole path."""
        return self.caller.content(where, self._token, self.called)

    def check(self) -> Health:
        raw = self.call("GET", "/me")
        places = tuple(
            Place(f["id"], f["name"], f["link"], f["items"], tuple(f["path"]), tuple(f["path_links"])) for f in raw["shared"]
        )
        ends = datetime.fromisoformat(raw["expires_at"]) if raw["expires_at"] else None
        return Health(raw["account"], places, tuple(raw["not_shared"]), raw["may_send"], ends)

    def subscribe(self, place: str, address: str) -> tuple[str, str]:
        one = {} if is_several(place) else {"container": place}
        raw = self.call("POST", "/subscriptions", json={**one, "url": address})
        return raw["id"], raw["secret"]

    def unsubscribe(self, subscription: str) -> None:
        self.call("DELETE", f"/subscriptions/{subscription}")


class ListedAccount(CalledAccount):
    """An account that lists items. Paths are made of the app's own words: /mail/api/folders/3/messages."""

    @abstractmethod
    def read(self, raw: dict[str, Any]) -> Read:
        """Return what an item carries, as the app's API gives it."""

    def open_place(self, place: str) -> Collection:
        return self.app.collections(self, place)

    def feed_head(self) -> str:
        return str(self.call("GET", "/feed", params={"after": LAST})["cursor"])

    def changes_among(self, places: frozenset[str], cursor: str) -> Changes:
        raw = self.call("GET", "/feed", params={"after": int(cursor)})
        found = tuple(
            Change(c["item"], KINDS.get(c["kind"], "changed"), c["kind"], c["revision"], datetime.fromisoformat(c["at"]))
            for c in raw["changes"]
            if c["container"] in places
        )
        return Changes(found, str(raw["cursor"]), bool(raw["more"]))

    def place_of_item(self, id: str) -> str | None:
        try:
            raw = self.call("GET", f"/{self.app.items_word}/{id}")
        except GoneError:
            return None
        return str(raw["container"])


class ListedCollection(Collection):
    """A container of an account. What conditions ask for is read page by page, and tested here."""

    def __init__(self, account: ListedAccount, place: str):
        self.account, self.place = account, place
        self.ref = Ref(f"{account.app.code}:{account.app.address}:{account.identity}", place)
        self.capabilities, self.reach = account.app.capabilities, account.app.reach

    def schema(self) -> Schema:
        return self.account.app.schema

    def one(self, id: str) -> Item:
        if whole(id) is None:  # whatever it is, it is no number of an item
            raise GoneError(f"this is no {self.account.app.item_word} of {self.account.app.name}")
        return self.item(self.account.call("GET", f"/{self.account.app.items_word}/{id}"))

    def query(self, query: Query) -> Page:
        if query.order:
            raise PermanentError(f"{self.account.app.name} can’t sort its {self.account.app.items_word}", "call")
        kept: list[Item] = []
        after = query.after
        for _ in range(MAX_PAGES):
            size = min(query.limit - len(kept), MAX_PAGE) if query.where is None else MAX_PAGE
            start = after
            found, after = self._page(start, size)
            for item in found:
                if query.where is not None and not self._holds(query, item):
                    continue
                kept.append(item)
                if len(kept) == query.limit:
                    if item is found[-1]:
                        return Page(tuple(kept), after, after is None)
                    return Page(tuple(kept), self._after(start, item), False)
            if after is None:
                return Page(tuple(kept), None, True)
        return Page(tuple(kept), after, False)

    def _after(self, start: str | None, item: Item) -> str:
        """Return what to ask with for those below an item of the page that began at `start`."""
        return item.id

    def _page(self, after: str | None, size: int) -> tuple[list[Item], str | None]:
        """Items below one, the newest first, and what to ask with for those below them."""
        params = {"limit": size} | ({"before": after} if after else {})
        app = self.account.app
        raw = self.account.call("GET", f"/{app.containers_word}/{self.place}/{app.items_word}", params=params)["items"]
        found = [self.item(r) for r in raw]
        return found, found[-1].id if len(found) >= size else None

    def _holds(self, query: Query, item: Item) -> bool:
        return conditions.holds(query.where, self.schema().fields, readable(item.values), self.account.env)

    def head(self) -> str:
        return self.account.feed_head()

    def changes(self, cursor: str) -> Changes:
        return self.account.changes_among(frozenset((self.place,)), cursor)

    def was_there(self, item: Item, cursor: str) -> bool | None:
        return None if item.arrival is None else int(item.arrival) <= int(cursor)

    def write(self, write: Write) -> Written:
        """Carry a write out. What its answer is read by is asked for before: whatever fails once a write was answered would
        read as though it had not been carried out."""
        schema = self.schema_for(write)
        happened, raw = self.carry_out(write, schema)
        return Written(happened, self.item(raw, schema) if raw is not None else None)

    def schema_for(self, *writes: Write) -> Schema:
        """Return what items have: as it is remembered, or as it is now where fields are written that came since."""
        schema = self.schema()
        known = {f.id for f in schema.fields}
        if not all(write.values.keys() <= known for write in writes):
            self.look_anew()
            schema = self.schema()
        return schema

    def carry_out(self, write: Write, schema: Schema) -> tuple[Happened, dict[str, Any] | None]:
        """Make the one call that carries a write out, and none after it: what happened, and the item as the app's API gives it.
        Raises as `write` does."""
        raise PermanentError("this can only be read", "call")

    def item(self, raw: dict[str, Any], schema: Schema | None = None) -> Item:
        """Return an item, as the app's API gives it."""
        read, schema = self.account.read(raw), schema or self.schema()
        rows = {key: read.values[key] for key in schema.rows if key in read.values}
        changed = read.values.get("changed")
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
            changed=datetime.fromisoformat(changed) if isinstance(changed, str) and changed else None,
            changed_by=str(read.values.get("changed_by") or ""),
            comments=raw["comments"] if self.capabilities.comments else None,
        )

    def _placed(self, values: Row) -> dict[str, Any]:
        """Return the same with files that say in which account they lie."""
        return {k: v.within(self.account.identity) if isinstance(v, File) else v for k, v in values.items()}


class VaryingCollection(ListedCollection):
    """A container whose items have fields of its own, which are read, and taken as they were for a while."""

    def schema(self) -> Schema:
        return self.account.app.schemas.get((self.ref.account, self.place), self.read_schema)

    def look_anew(self) -> None:
        self.account.app.schemas.forget((self.ref.account, self.place))

    @abstractmethod
    def read_schema(self) -> Schema:
        """Read what its items have."""


class ListedApp(App):
    """An app at an address."""

    service: str = ""  # the app whose API it calls, where that is not called by its own code
    accounts: ClassVar[type[CalledAccount]]
    collections: ClassVar[type[ListedCollection]] = ListedCollection

    def __init__(self, address: str):
        self.address, self.service = address, self.service or self.code
        self.caller = Caller(self.name, address)
        self.schemas: Remembered[Schema] = Remembered(seconds=REMEMBER)
        self._elsewhere: Remembered[ListedApp] = Remembered()

    def at(self, server: str | None, reachable: Set[str] = frozenset()) -> ListedApp:
        if server is None or server == self.address:
            return self
        return self._elsewhere.get((server, frozenset(reachable)), lambda: self._on(server, reachable))

    def _on(self, server: str, reachable: Set[str]) -> ListedApp:
        found = type(self)(server)
        found.caller = Caller(self.name, server, partial(guarded_pools, reachable))
        return found

    def account(self, token: str, identity: str, env: Env) -> CalledAccount:
        return self.accounts(self, token, identity, env)

    # Links

    def container_of_link(self, link: str) -> str | None:
        return self._in_link(link, self.containers_word)

    def item_of_link(self, link: str) -> str | None:
        return self._in_link(link, self.items_word)

    def _in_link(self, link: str, what: str) -> str | None:
        """Return the number behind /mail/folders/ or /mail/messages/, at this app's own address only; what follows is a view of
        it, or a part."""
        parts, here = split_address(link.strip()), urlsplit(self.address)
        if parts is None or parts.netloc != here.netloc:
            return None
        found = re.match(rf"{re.escape(here.path)}/{self.service}/{what}/(\d{{1,18}})(/|$)", parts.path)
        return found[1] if found else None
