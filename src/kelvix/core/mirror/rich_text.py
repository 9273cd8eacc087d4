"""Rich text: two texts are the same where Markdown makes the same tree of them (CommonMark 0.31, with its tables)."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property, lru_cache
from hashlib import sha256

from markdown_it import MarkdownIt
from markdown_it.token import Token

from kelvix.core.mirror.lens import unified

SPOKEN = frozenset(("text", "text_special"))
MARKDOWN = MarkdownIt("commonmark", {"html": True}).enable(["table", "strikethrough"])


class RichText:
    """A long text, as somebody wrote it. What has the same tree is equal, however it is written."""

    __slots__ = ("__dict__", "text")

    def __init__(self, text: str):
        self.text = unified(text)

    @cached_property
    def key(self) -> str:
        """The digest of its tree."""
        return _key(self.text)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, RichText) and (self.text == other.text or self.key == other.key)

    def __hash__(self) -> int:
        return hash(self.key)

    def __repr__(self) -> str:
        return f"RichText({self.text!r})"


@lru_cache(10_000)
def _key(text: str) -> str:
    digest = sha256()
    for part in _parts(MARKDOWN.parse(text)):
        digest.update(part.encode("utf-8", "surrogatepass") + b"\x1f")
    return digest.hexdigest()


def _parts(tokens: Iterable[Token]) -> Iterable[str]:
    """Return what tells trees apart, in their order. Texts that stand together are one; how many blank lines part blocks tells
    nothing, but whether a list is loose does, by its paragraphs."""
    said = ""
    for token in tokens:
        if token.type in SPOKEN:
            said += token.content
            continue
        if said:
            yield f"text {said}"
            said = ""
        if token.type == "inline":
            yield from _parts(token.children or ())
            continue
        shown = "" if token.hidden else token.type
        yield f"{shown} {token.tag} {sorted(token.attrs.items())} {token.content} {_language(token)}"
    if said:
        yield f"text {said}"


def _language(token: Token) -> str:
    return token.info.strip() if token.type == "fence" else ""
