"""String functions (OMG DMN 1.5, table 69). Patterns are matched by RE2, which takes time in proportion to the text."""

from __future__ import annotations

import re
from decimal import Decimal
from functools import lru_cache

import re2

from kelvix.core.feel.builtin import BOOLEAN, BUILTINS, LIST, NUMBER, STRING, Param
from kelvix.core.feel.environment import sized, sized_text
from kelvix.core.feel.functions.conversion import whole

GROUP = "Texts"
MAX_MEMORY = 4 << 20  # bytes, of one compiled pattern


@BUILTINS.add(
    "substring",
    [Param("string", STRING), Param("start position", NUMBER), Param("length", NUMBER, True)],
    STRING,
    "The part of a text from a position on, counted from 1, or from the end with -1.",
    'substring("foobar", 3, 3)',
    '"oba"',
    GROUP,
)
def substring(text: str, start: Decimal, length: Decimal | None = None) -> str:
    first = whole(start, "the start position")
    if first == 0:
        raise ValueError("positions in a text are counted from 1")
    begin = first - 1 if first > 0 else max(len(text) + first, 0)
    if length is None:
        return text[begin:]
    if whole(length, "the length") < 0:
        raise ValueError("a length is not negative")
    return text[begin : begin + int(length)]


@BUILTINS.add(
    "string length",
    [Param("string", STRING)],
    NUMBER,
    "How many characters a text has.",
    'string length("\U0001f40eab")',
    "3",
    GROUP,
)
def string_length(text: str) -> Decimal:
    return Decimal(len(text))


BUILTINS.add("upper case", [Param("string", STRING)], STRING, "The text in upper case.", 'upper case("aBc4")', '"ABC4"', GROUP)(
    str.upper
)
BUILTINS.add("lower case", [Param("string", STRING)], STRING, "The text in lower case.", 'lower case("aBc4")', '"abc4"', GROUP)(
    str.lower
)


@BUILTINS.add(
    "substring before",
    [Param("string", STRING), Param("match", STRING)],
    STRING,
    "The text before the first occurrence of `match`; empty if it doesn't occur.",
    'substring before("foobar", "bar")',
    '"foo"',
    GROUP,
)
def substring_before(text: str, match: str) -> str:
    before, found, _ = text.partition(match) if match else ("", "", "")
    return before if found else ""


@BUILTINS.add(
    "substring after",
    [Param("string", STRING), Param("match", STRING)],
    STRING,
    "The text after the first occurrence of `match`; empty if it doesn't occur.",
    'substring after("foobar", "ob")',
    '"ar"',
    GROUP,
)
def substring_after(text: str, match: str) -> str:
    return text.partition(match)[2] if match else text


BUILTINS.add(
    "contains",
    [Param("string", STRING), Param("match", STRING)],
    BOOLEAN,
    "Whether `match` occurs in a text, exactly.",
    'contains("foobar", "of")',
    "false",
    GROUP,
)(str.__contains__)
BUILTINS.add(
    "starts with",
    [Param("string", STRING), Param("match", STRING)],
    BOOLEAN,
    "Whether a text begins with `match`, exactly.",
    'starts with("foobar", "fo")',
    "true",
    GROUP,
)(str.startswith)
BUILTINS.add(
    "ends with",
    [Param("string", STRING), Param("match", STRING)],
    BOOLEAN,
    "Whether a text ends with `match`, exactly.",
    'ends with("foobar", "r")',
    "true",
    GROUP,
)(str.endswith)


@lru_cache(maxsize=512)
def pattern(text: str, flags: str = "") -> re2._Regexp:
    """Return a pattern of XPath and XQuery Functions and Operators 3.1, section 5.6, with the flags i, s, m, x and q. Raises
    ValueError."""
    if len(text) > 2_000:
        raise ValueError("a pattern has at most 2,000 characters")
    if set(flags) - set("ismxq"):
        raise ValueError("the flags of a pattern are i, s, m, x and q")
    if "q" in flags:
        text = re2.escape(text)
    elif "x" in flags:
        text = re.sub(r"\s+(?![^\[]*\])", "", text)
    options = re2.Options()
    options.log_errors = False
    options.max_mem = MAX_MEMORY
    options.dot_nl = "s" in flags
    options.case_sensitive = "i" not in flags
    try:
        return re2.compile(f"(?m:{text})" if "m" in flags else text, options)
    except re2.error as error:
        said = error.args[0].decode() if isinstance(error.args[0], bytes) else str(error.args[0])
        raise ValueError(f"“{text[:40]}” is not a pattern ({said})") from None


@BUILTINS.add(
    "matches",
    [Param("input", STRING), Param("pattern", STRING), Param("flags", STRING, True)],
    BOOLEAN,
    "Whether a pattern (a regular expression) occurs in a text. Flags: i any case, s . "
    "matches line breaks, m ^ and $ match at lines.",
    'matches("foobar", "^fo*b")',
    "true",
    GROUP,
)
def matches(text: str, regex: str, flags: str | None = None) -> bool:
    return pattern(regex, flags or "").search(text) is not None


@BUILTINS.add(
    "replace",
    [Param("input", STRING), Param("pattern", STRING), Param("replacement", STRING), Param("flags", STRING, True)],
    STRING,
    "A text with every match of a pattern replaced. $1 in the replacement is the first group of the match.",
    'replace("abcd", "(ab)|(a)", "[1=$1][2=$2]")',
    '"[1=ab][2=]cd"',
    GROUP,
)
def replace(text: str, regex: str, replacement: str, flags: str | None = None) -> str:
    compiled = pattern(regex, flags or "")
    parts = [replacement] if "q" in (flags or "") else re.split(r"(\\[\\$]|\$\d)", replacement)
    groups = compiled.groups
    done: list[str] = []
    at = size = 0
    for found in compiled.finditer(text):
        made = "".join(_piece(part, found, groups) for part in parts)
        done += [text[at : found.start()], made]
        at = found.end()
        size += len(made)
        if size > 1_000_000:
            sized_text(" " * 1_000_001)
    return sized_text("".join([*done, text[at:]]))


def _piece(part: str, found: re2._Match, groups: int) -> str:
    if len(part) == 2 and part[0] == "\\":
        return part[1]
    if len(part) == 2 and part[0] == "$" and part[1].isdigit():
        return (found.group(int(part[1])) or "") if int(part[1]) <= groups else ""
    return part


@BUILTINS.add(
    "split",
    [Param("string", STRING), Param("delimiter", STRING)],
    LIST,
    "The parts of a text between the matches of a pattern.",
    'split("John Doe", "\\\\s")',
    '["John", "Doe"]',
    GROUP,
)
def split(text: str, delimiter: str) -> list[object]:
    pieces: list[object] = []
    at = 0
    for found in pattern(delimiter).finditer(text):
        if found.start() == found.end() and found.start() in (0, len(text)):
            continue
        pieces.append(text[at : found.start()])
        at = found.end()
    return sized([*pieces, text[at:]])


@BUILTINS.add(
    "string join",
    [Param("list", LIST), Param("delimiter", STRING, True, True)],
    STRING,
    "The texts of a list joined with a delimiter. Null items are skipped.",
    'string join(["a", null, "c"], "_and_")',
    '"a_and_c"',
    GROUP,
)
def string_join(items: list[object], delimiter: str | None = None) -> str:
    texts = [i for i in items if i is not None]
    if not all(isinstance(i, str) for i in texts):
        raise ValueError("only texts can be joined; use string(…) around other values")
    if sum(len(str(i)) for i in texts) + len(delimiter or "") * len(texts) > 1_000_000:
        sized_text(" " * 1_000_001)
    return (delimiter or "").join(map(str, texts))
