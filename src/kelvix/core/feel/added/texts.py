"""Texts: out of HTML, cut, counted, compared without regard to case and accents, looked up."""

from __future__ import annotations

from datetime import date, time
from decimal import Decimal
from functools import lru_cache
from unittest.mock import patch

import inscriptis
import nh3
from markdownify import markdownify

from kelvix.core.feel.added.dates import format_number
from kelvix.core.feel.added.language import GROUP
from kelvix.core.feel.builtin import ANY, BOOLEAN, BUILTINS, CONTEXT, LIST, NUMBER, STRING, Param
from kelvix.core.feel.environment import Env
from kelvix.core.feel.functions.conversion import whole
from kelvix.core.feel.values import write
from kelvix.core.patterns import pattern
from kelvix.core.values import as_text, fold, mentions

BLANKS = pattern(r"\n{3,}", worst="\n\n\nx")


@BUILTINS.add(
    "html to text",
    [Param("html", STRING)],
    STRING,
    "The text of a page or letter in HTML.",
    'html to text("<p>Dear <b>all</b></p>")',
    '"Dear all"',
    GROUP,
    added=True,
    weight=32,
)
def html_to_text(html: str) -> str:
    if not html.strip():
        return ""
    return str(inscriptis.get_text(html)).strip("\n").strip()


@BUILTINS.add(
    "html to markdown",
    [Param("html", STRING)],
    STRING,
    "A page or letter in HTML as Markdown.",
    'html to markdown("<p>Dear <b>all</b></p>")',
    '"Dear **all**"',
    GROUP,
    added=True,
    weight=32,
)
def html_to_markdown(html: str) -> str:
    text = markdownify(nh3.clean(html, tags=nh3.ALLOWED_TAGS - {"img"}), heading_style="ATX", bullets="-")
    return BLANKS.sub("\n\n", text).strip()


@BUILTINS.add(
    "truncate",
    [Param("text", STRING), Param("length", NUMBER)],
    STRING,
    "Shortens a text to a number of characters, cut at a word and ended with ….",
    'truncate("Our tremulant has grown restless", 20)',
    '"Our tremulant has…"',
    GROUP,
    added=True,
)
def truncate(text: str, length: Decimal) -> str:
    most = whole(length, "the length")
    if most < 1:
        raise ValueError("the length is at least 1")
    if len(text) <= most:
        return text
    cut = text[: most - 1]
    at_word = cut.rsplit(None, 1)[0] if not text[most - 1].isspace() and len(cut.split()) > 1 else cut
    return f"{at_word.rstrip()}…"


with patch("typeguard.typechecked", lambda function: function):  # which makes each function anew: seconds, in every process
    import inflect


@lru_cache(maxsize=1)
def _english() -> inflect.engine:
    return inflect.engine()


@BUILTINS.add(
    "plural",
    [Param("count", NUMBER), Param("one", STRING), Param("many", STRING, True)],
    STRING,
    "A count with its word, in the plural unless it is one; English plurals are formed automatically.",
    'plural(3, "enquiry")',
    '"3 enquiries"',
    GROUP,
    needs_env=True,
    added=True,
)
def plural(env: Env, count: Decimal, one: str, many: str | None = None) -> str:
    shown = format_number(env, count)
    if count == 1:
        return f"{shown} {one}"
    return f"{shown} {many if many is not None else (_english().plural(one) if one.strip() else one)}"


@BUILTINS.add(
    "mentions",
    [Param("text", STRING, nullable=True), Param("words", LIST)],
    BOOLEAN,
    "Whether a word of the text starts with one of these words; case and accents are ignored.",
    'mentions("Quote for a café", ["estimate", "cafe"])',
    "true",
    GROUP,
    spread="list",
    added=True,
)
def mentions_any(text: str | None, words: list[object]) -> bool:
    return any(mentions(text or "", str(w)) for w in words if isinstance(w, str))


@BUILTINS.add(
    "same text",
    [Param("text", STRING, nullable=True), Param("texts", LIST)],
    BOOLEAN,
    "Whether a text is one of these; case, accents and outer spaces are ignored.",
    'same text("Café ", "CAFE")',
    "true",
    GROUP,
    spread="list",
    added=True,
)
def same_text(text: str | None, texts: list[object]) -> bool:
    mine = fold(text or "").strip()
    return any(fold(x).strip() == mine for x in texts if isinstance(x, str))


@BUILTINS.add(
    "has any",
    [Param("labels", LIST, nullable=True), Param("texts", LIST)],
    BOOLEAN,
    "Whether the labels include one of these; case, accents and outer spaces are ignored.",
    'has any(["Leather", "Reeds"], "reeds", "pipes")',
    "true",
    GROUP,
    spread="list",
    added=True,
)
def has_any(labels: list[object] | None, texts: list[object]) -> bool:
    have = {fold(x).strip() for x in labels or [] if isinstance(x, str)}
    return any(fold(x).strip() in have for x in texts if isinstance(x, str))


@BUILTINS.add(
    "contains any",
    [Param("text", STRING, nullable=True), Param("texts", LIST)],
    BOOLEAN,
    "Whether a text contains one of these; case and accents are ignored.",
    'contains any("Current account", ["RENT"])',
    "true",
    GROUP,
    spread="list",
    added=True,
)
def contains_any(text: str | None, texts: list[object]) -> bool:
    mine = fold(text or "")
    return any(fold(x) in mine for x in texts if isinstance(x, str) and x)


@BUILTINS.add(
    "begins",
    [Param("text", STRING, nullable=True), Param("words", LIST)],
    BOOLEAN,
    "Whether a text begins with one of these, in any case.",
    'begins("Re: quote", ["re:", "fwd:"])',
    "true",
    GROUP,
    spread="list",
    added=True,
)
def begins(text: str | None, words: list[object]) -> bool:
    return any(fold(text or "").startswith(fold(w)) for w in words if isinstance(w, str))


@BUILTINS.add(
    "ends",
    [Param("text", STRING, nullable=True), Param("words", LIST)],
    BOOLEAN,
    "Whether a text ends with one of these, in any case.",
    'ends("survey.PDF", [".pdf", ".docx"])',
    "true",
    GROUP,
    spread="list",
    added=True,
)
def ends(text: str | None, words: list[object]) -> bool:
    return any(fold(text or "").endswith(fold(w)) for w in words if isinstance(w, str))


@BUILTINS.add(
    "as words",
    [Param("value", ANY)],
    STRING,
    "A value as text: 23 Nov 2026, 17:02.",
    'as words(date("2026-11-23"))',
    '"23 Nov 2026"',
    GROUP,
    needs_env=True,
    added=True,
)
def as_words(env: Env, value: object) -> str:
    if isinstance(value, list):
        return ", ".join(as_words(env, v) for v in value)
    if value is None or isinstance(value, (str, bool, Decimal, date)):
        return as_text(value, env.zone)
    return f"{value:%H:%M}" if isinstance(value, time) else write(value)


@BUILTINS.add(
    "first filled",
    [Param("values", LIST)],
    ANY,
    "The first value that is not empty.",
    'first filled(null, "", "St Bride")',
    '"St Bride"',
    GROUP,
    spread="list",
    added=True,
)
def first_filled(values: list[object]) -> object:
    return next((v for v in values if v is not None and v != [] and not (isinstance(v, str) and not v.strip())), None)


@BUILTINS.add(
    "piece",
    [Param("text", STRING), Param("delimiter", STRING), Param("number", NUMBER)],
    STRING,
    "A part of a text between separators, counted from 1, or from the end with -1; null if there is none.",
    'piece("Quote / St Bride / 2026", "/", 2)',
    '"St Bride"',
    GROUP,
    added=True,
)
def piece(text: str, delimiter: str, number: Decimal) -> str | None:
    pieces = [p.strip() for p in (text.split(delimiter) if delimiter else text.split())]
    at = whole(number, "the part number")
    if at == 0:
        raise ValueError("parts are counted from 1")
    return pieces[at - 1 if at > 0 else at] if -len(pieces) <= at <= len(pieces) else None


@BUILTINS.add(
    "look up",
    [Param("key", ANY), Param("table", CONTEXT), Param("otherwise", ANY, True, True)],
    ANY,
    "The value for a key in a small table; case and accents are ignored.",
    'look up("urgent", {Urgent: 1, Normal: 2}, 3)',
    "1",
    GROUP,
    needs_env=True,
    added=True,
)
def look_up(env: Env, key: object, table: dict[str, object], otherwise: object = None) -> object:
    wanted = fold(as_words(env, key)).strip()
    return next((v for k, v in table.items() if fold(k).strip() == wanted), otherwise)
