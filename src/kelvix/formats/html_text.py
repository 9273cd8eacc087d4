"""HTML that came from outside, as text and as HTML that may be shown. Well-kept libraries do both (inscriptis, nh3); but what
is nested very deep, or would have its open elements made anew in every paragraph, costs them minutes. That is seen beforehand,
in one look at the tags, and gives plain text instead."""

from __future__ import annotations

import html

import inscriptis
import nh3

from kelvix.core.patterns import pattern

DEEPEST, MAX_TAGS, MAX_WORK = 500, 40_000, 1_000_000  # open elements at once; tags; one times the other
TAG = pattern(r"<(/?)([a-zA-Z][a-zA-Z0-9]*)", worst="<a")
# Void elements, and those whose end may be left out (WHATWG HTML, 13.1.2).
ENDS_ITSELF = {"area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"}
ENDS_ITSELF |= {"p", "li", "dt", "dd", "tr", "td", "th", "thead", "tbody", "tfoot", "option", "optgroup", "rt", "rp"}
ENDS_A_LINE = pattern(r"(?i)</(?:p|div|li|tr|h[1-6]|section|article|blockquote|pre|dd|dt|title)\s*>|<br\b[^<>]*>", worst="<br ")
CODE = pattern(r"(?i)(</?(?:script|style)\b)", worst="<script")
ANY_TAG = pattern(r"<[^<>]*>", worst="<")
BLANKS = pattern(r"\n{3,}", worst="\n\n\nx")


def is_laborious(source: str) -> bool:
    """Whether reading it as HTML would take more than it can be worth."""
    open_now = deepest = tags = 0
    for found in TAG.finditer(source):
        closes, name = found.groups()
        tags += 1
        if tags > MAX_TAGS:
            return True
        if (name or "").lower() not in ENDS_ITSELF:
            open_now = max(0, open_now - 1) if closes else open_now + 1
            deepest = max(deepest, open_now)
    return deepest > DEEPEST or deepest * tags > MAX_WORK


def all_text(source: str) -> str:
    """Whatever text stands in it, without its layout: no rule here looks at any part of it twice."""
    lines = ANY_TAG.sub(" ", ENDS_A_LINE.sub("\n", _without_code(source))).splitlines()
    return "\n".join(filter(None, (" ".join(html.unescape(line).split()) for line in lines)))


def _without_code(source: str) -> str:
    kept: list[str] = []
    inside = ""
    for piece in CODE.split(source):
        word = piece.lower()
        if not inside and word in ("<script", "<style"):
            inside = word[1:]
        elif inside and word == f"</{inside}":
            inside = ""
            kept.append("<")  # the rest of the closing tag follows
        elif not inside:
            kept.append(piece)
    return "".join(kept)


def html_to_text(source: str) -> str:
    """Return the text of an HTML page, laid out in lines."""
    if is_laborious(source):
        return all_text(source)
    try:
        text = inscriptis.get_text(source)
    except Exception:  # lxml refuses some input outright
        text = all_text(source)
    return BLANKS.sub("\n\n", "\n".join(line.rstrip() for line in text.splitlines())).strip()


def safe_html(source: str) -> str:
    """HTML that may be shown: no scripts, handlers, forms, styles or remote pictures."""
    if is_laborious(source):
        return "<br>".join(map(html.escape, all_text(source).splitlines()))
    return nh3.clean(source, tags=nh3.ALLOWED_TAGS - {"img", "map", "area"}, link_rel="noopener noreferrer nofollow")
