"""What of a web page goes into which fields of a database: by the names that such fields commonly have."""

from __future__ import annotations

from collections.abc import Mapping

from kelvix.core.feel import Env
from kelvix.core.schema import TEXT_FIELD, Database
from kelvix.core.values import FieldId, Unfit, Value, fold

NAMES: dict[str, frozenset[str]] = {
    "title": frozenset(("title",)),
    "author": frozenset(("author", "authors", "by", "writer", "written by")),
    "site": frozenset(("site", "source", "publication", "publisher")),
    "published": frozenset(("published", "date", "dated", "publication date")),
    "language": frozenset(("language",)),
    "minutes": frozenset(("minutes", "reading time", "minutes to read")),
    "picture": frozenset(("picture", "image", "lead picture")),
    "tags": frozenset(("tags", "labels", "keywords", "topics", "subjects", "about")),
}


def fill(
    database: Database, about: Mapping[str, Value], filled: Mapping[FieldId, Value], line: str, env: Env
) -> dict[FieldId, Value]:
    """Return the values of fields that the line did not fill itself. `about` is what the page says, by the keys of NAMES and
    `text`; the record's name is the page's title where the line was no more than its address."""
    values: dict[FieldId, Value] = {}
    title = database.fields[0]
    if about.get("title") and fold(str(filled.get(title.id) or "")) in ("", fold(line)):
        values[title.id] = about["title"]
    for field in database.fields[1:]:
        key = next((k for k, names in NAMES.items() if fold(field.name) in names), None)
        if key is None or about.get(key) is None or filled.get(field.id) is not None:
            continue
        try:
            values[field.id] = field.take(about[key], env.zone, env.order)
        except Unfit:
            continue
    if about.get("text"):  # below what the person wrote about it
        values[TEXT_FIELD] = "\n\n".join(str(text) for text in (filled.get(TEXT_FIELD), about["text"]) if text)
    return values
