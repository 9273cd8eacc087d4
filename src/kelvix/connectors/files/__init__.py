"""The Files connector. What a file says (a PDF's text, a picture's size) is read from its content, once for each version."""

from __future__ import annotations

from collections.abc import Iterator
from tempfile import TemporaryFile
from typing import Any

from kelvix.connectors.consented import ConsentedApp
from kelvix.connectors.contract import Collision, Display, Event, Saved
from kelvix.connectors.listed import ListedAccount, Read
from kelvix.core.collection import Capabilities, PermanentError, Place
from kelvix.core.feel import Env
from kelvix.core.file_name import split
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.values import File, ItemValue, Rows, Type
from kelvix.formats.pdf import MAX_TEXT, Pdf
from kelvix.formats.picture import Picture
from kelvix.readers import contents
from kelvix.remembering import Remembered

MAX_READ = 50 << 20  # bytes of a file that is looked into


def _f(key: str, *name: str, type: Type = "text") -> CarriedField:
    return CarriedField(key, ("File", *name), type)


class FilesAccount(ListedAccount):
    def __init__(self, app: Files, token: str, identity: str, env: Env):
        super().__init__(app, token, identity, env)
        self._insides = app.insides

    def read(self, raw: dict[str, Any]) -> Read:
        stem, extension = split(raw["name"])
        values: dict[str, ItemValue] = {
            "name": raw["name"],
            "file": File(raw["name"], raw["size"], raw["type"], f"{self.app.code}:{raw['id']}").wire(),
            "stem": stem,
            "extension": extension.lstrip(".").lower() or None,
            "link": raw["link"],
            "copy_link": raw["copy_link"],
            "folder": raw["container_name"],
            "kind": raw["type"],
            "size": str(raw["size"]),
            "added": raw["received"],
            "changed": raw["changed"],
            "version": str(raw["version"]),
            "identifier": raw["id"],
        }
        inside = dict(self._insides.get((self.identity, raw["id"], raw["revision"]), lambda: self._look_into(raw)))
        problems = inside.pop("problems", None)
        return Read(raw["name"], {**values, **inside}, str(problems or ""))

    def open(self, locator: str) -> Iterator[bytes]:
        if not locator.isdecimal():
            raise PermanentError("this is not a file of Files", "item")
        yield from self._content(self._anew(locator))

    def _anew(self, file: str) -> dict[str, Any]:
        raw: dict[str, Any] = self.call("GET", f"/files/{file}")
        return raw

    def _look_at(self, raw: dict[str, Any]) -> Iterator[bytes]:
        """Return the content of a file of which Files told a while ago, with many others: its link may have expired since."""
        try:
            yield from self._content(raw)
        except PermanentError as refused:
            if refused.about != "item":
                raise
            yield from self._content(self._anew(raw["id"]))

    def _content(self, raw: dict[str, Any]) -> Iterator[bytes]:
        """By the link in what Files just told of the file. It expires soon: none is kept."""
        link = str(raw["content_link"])
        if not link.startswith(f"{self.caller.address}/"):
            raise PermanentError("Files gave a link that leads elsewhere", "call")
        return self.content(link.removeprefix(self.caller.address))

    def save(self, place: str, name: str, content: Iterator[bytes], collision: Collision, key: str) -> Saved:
        params = {"name": name, "collision": collision}
        where = f"/folders/{place}/files"
        raw = self.call("POST", where, params=params, body=content, key=key)
        return Saved(raw["id"], raw["name"], raw["link"], raw["outcome"])

    def make_place(self, name: str) -> Place:
        raw = self.call("POST", "/folders", json={"name": name})
        return Place(raw["id"], raw["name"], raw["link"], 0)

    def _look_into(self, raw: dict[str, Any]) -> dict[str, ItemValue]:
        values: dict[str, ItemValue] = dict.fromkeys(
            ("title", "author", "pages", "text", "highlight_texts", "picture.width", "picture.height", "picture.taken")
        )
        values["highlights"] = []
        is_pdf, is_picture = raw["type"] == "application/pdf", raw["type"].startswith("image/")
        is_text = raw["type"].startswith("text/")
        if not (is_pdf or is_picture or is_text) or raw["size"] > MAX_READ:
            return values
        with TemporaryFile() as file:
            for chunk in self._look_at(raw):
                file.write(chunk)
                if file.tell() > MAX_READ:  # whatever it said of its size
                    return values
            file.seek(0)
            if is_pdf:
                return values | _of_pdf(contents.pdf(file))
            if is_picture:
                return values | _of_picture(contents.picture(file))
            values["text"] = file.read(MAX_TEXT).decode("utf-8", "replace") or None
        return values


class Files(ConsentedApp):
    code, name, monogram = "files", "Files", "Fi"
    container_word, containers_word, item_word, items_word = "folder", "folders", "file", "files"
    makes_places = True
    saves = True
    title = "name"
    accounts = FilesAccount
    capabilities = Capabilities(push=True, told=frozenset(("added", "changed", "left", "deleted")), keys=True)
    events = (
        Event("arrives", "a file is added", ("new",)),
        Event("any_change", "a file is added or changed", ("new", "changed", "renamed", "moved")),
    )
    display = Display(
        "The file",
        "name",
        (
            ("Folder", ("folder",)),
            ("Kind", ("kind",)),
            ("Bytes", ("size",)),
            ("Changed", ("changed",)),
            ("Title", ("title",)),
            ("Pages", ("pages",)),
            ("Taken", ("picture.taken",)),
            ("Opens", ("link",)),
            ("A copy", ("copy_link",)),
            ("Marked", ("highlight_texts",)),
        ),
        ("text",),
    )
    fields = (
        _f("name", "Name"),
        _f("file", "Content", type="file"),
        _f("stem", "Name without extension"),
        _f("extension", "Extension"),
        _f("link", "Link that opens the file", type="link"),
        _f("copy_link", "Link that downloads a copy", type="link"),
        _f("folder", "Folder"),
        _f("kind", "Kind"),
        _f("size", "Size in bytes", type="number"),
        _f("added", "Added", type="datetime"),
        _f("changed", "Changed", type="datetime"),
        _f("version", "Version", type="number"),
        _f("identifier", "Identifier"),
        _f("title", "Title inside"),
        _f("author", "Author inside"),
        _f("pages", "Pages", type="number"),
        _f("text", "Text", type="long_text"),
        _f("highlight_texts", "Highlights and notes", type="long_text"),
        _f("picture.width", "Picture", "Width", type="number"),
        _f("picture.height", "Picture", "Height", type="number"),
        _f("picture.taken", "Picture", "Taken", type="text"),
    )
    lists = (
        CarriedList(
            "highlights",
            ("Highlights",),
            (
                CarriedField("text", ("Highlight", "Text"), "text"),
                CarriedField("note", ("Highlight", "Note"), "text"),
                CarriedField("page", ("Highlight", "Page"), "number"),
            ),
        ),
    )
    proposed = (
        ("name", "Name"),
        ("link", "File"),
        ("kind", "Kind"),
        ("size", "Bytes"),
        ("folder", "Folder"),
        ("identifier", "Identifier"),
    )
    reach = "Includes every file now in this folder, but not earlier versions or files deleted or moved since then."

    def __init__(self, address: str):
        super().__init__(address)
        self.insides: Remembered[dict[str, ItemValue]] = Remembered()


def _of_pdf(found: Pdf) -> dict[str, ItemValue]:
    rows: Rows = [{"text": h.text or None, "note": h.note or None, "page": str(h.page)} for h in found.highlights]
    said = [f"“{h.text}”" + (f" ({h.note})" if h.note else "") if h.text else h.note for h in found.highlights]
    values: dict[str, ItemValue] = {
        "title": found.title or None,
        "author": found.author or None,
        "pages": str(found.pages) if found.pages else None,
        "text": found.text or None,
        "highlight_texts": "\n".join(said) or None,
        "highlights": rows,
    }
    return values | ({"problems": found.problem} if found.problem else {})


def _of_picture(found: Picture | None) -> dict[str, ItemValue]:
    if found is None:
        return {"problems": "the picture can’t be read"}
    return {
        "picture.width": str(found.width),
        "picture.height": str(found.height),
        "picture.taken": found.taken.strftime("%Y-%m-%d %H:%M") if found.taken else None,
    }


CONNECTOR = Files
