"""The Reading connector. An article's text, author and date are read from the page that was saved with it, once for each
change."""

from __future__ import annotations

from typing import Any

from kelvix.connectors.consented import ConsentedApp
from kelvix.connectors.contract import Display, Event
from kelvix.connectors.listed import ListedAccount, Read
from kelvix.core.collection import Capabilities
from kelvix.core.feel import Env
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.values import ItemValue, Rows, Type
from kelvix.formats.article import MAX_BYTES, Article
from kelvix.readers import contents
from kelvix.remembering import Remembered


def _f(key: str, *name: str, type: Type = "text") -> CarriedField:
    return CarriedField(key, ("Article", *name), type)


class ReadingAccount(ListedAccount):
    def __init__(self, app: Reading, token: str, identity: str, env: Env):
        super().__init__(app, token, identity, env)
        self._pages = app.pages

    def read(self, raw: dict[str, Any]) -> Read:
        page = self._page(raw)
        rows: Rows = [{"text": h["text"] or None, "note": h["note"] or None} for h in raw["highlights"]]
        marked = [f"“{h['text']}”" + (f" ({h['note']})" if h["note"] else "") for h in raw["highlights"]]
        title = raw["title"] if raw["title"] != raw["bare"] else page.title or raw["title"]
        values: dict[str, ItemValue] = {
            "title": title,
            "author": page.author or None,
            "site": page.site or None,
            "published": page.published.isoformat() if page.published else None,
            "link": raw["address"],
            "bare_link": raw["bare"],
            "text": page.text or None,
            "tags": raw["tags"] or None,
            "highlight_texts": "\n".join(marked) or None,
            "highlights": rows,
            "minutes": str(page.minutes) if page.minutes else None,
            "language": page.language or None,
            "picture": page.picture or None,
            "saved": raw["received"],
            "list": raw["container_name"],
            "identifier": raw["id"],
        }
        return Read(title, values, page.problem)

    def _page(self, raw: dict[str, Any]) -> Article:
        """Return what the page says that was saved."""
        if not raw["has_page"]:
            return Article(address=raw["bare"])

        def read() -> Article:
            content = bytearray()
            for piece in self.content(f"{self.api}/articles/{raw['id']}/page"):
                content += piece
                if len(content) > MAX_BYTES:
                    break
            return contents.article(bytes(content), raw["address"])

        return self._pages.get((self.identity, raw["id"], raw["revision"]), read)


class Reading(ConsentedApp):
    code, name, monogram = "reading", "Reading", "Re"
    title = "title"
    accounts = ReadingAccount
    capabilities = Capabilities(push=True, told=frozenset(("added", "changed", "left", "deleted")))
    container_word, containers_word, item_word, items_word = "list", "lists", "article", "articles"
    events = (
        Event("arrives", "an article is saved", ("new",)),
        Event("any_change", "an article is saved, tagged or highlighted", ("new", "changed")),
    )
    display = Display(
        "The article",
        "title",
        (
            ("By", ("author", "site")),
            ("Date", ("published",)),
            ("Minutes", ("minutes",)),
            ("Tags", ("tags",)),
            ("Address", ("link",)),
            ("Picture", ("picture",)),
            ("Marked", ("highlight_texts",)),
        ),
        ("text",),
        markdown=True,
    )
    fields = (
        _f("title", "Title"),
        _f("author", "Author"),
        _f("site", "Site"),
        _f("published", "Published", type="date"),
        _f("link", "Address", type="link"),
        _f("bare_link", "Address without tracking", type="link"),
        _f("text", "Text", type="long_text"),
        _f("tags", "Tags", type="labels"),
        _f("highlight_texts", "Highlights and notes", type="long_text"),
        _f("minutes", "Minutes to read", type="number"),
        _f("language", "Language"),
        _f("picture", "Lead picture", type="link"),
        _f("saved", "Saved", type="datetime"),
        _f("list", "List"),
        _f("identifier", "Identifier"),
    )
    lists = (
        CarriedList(
            "highlights",
            ("Highlights",),
            (CarriedField("text", ("Highlight", "Text"), "text"), CarriedField("note", ("Highlight", "Note"), "text")),
        ),
    )
    proposed = (
        ("title", "Name"),
        ("author", "Author"),
        ("site", "Site"),
        ("published", "Published"),
        ("bare_link", "Address"),
        ("minutes", "Minutes"),
        ("highlight_texts", "Highlights"),
    )
    reach = "Includes every article now in this list, but not tags and highlights removed since then."

    def __init__(self, address: str):
        super().__init__(address)
        self.pages: Remembered[Article] = Remembered()


CONNECTOR = Reading
