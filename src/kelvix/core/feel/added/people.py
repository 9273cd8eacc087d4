"""Parts of people's names and addresses, and short citations."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import nameparser

from kelvix.core.feel.added.language import GROUP
from kelvix.core.feel.builtin import ANY, BUILTINS, CONTEXT, LIST, STRING, Param
from kelvix.core.fields.email import EMAIL
from kelvix.core.patterns import pattern

BETWEEN = pattern(r";| and |\n", worst=" and")


@BUILTINS.add(
    "name parts",
    [Param("name", STRING)],
    CONTEXT,
    "The parts of a person's name: title, first, middle, last, suffix.",
    'name parts("Revd Dr Ada M. Pell").last',
    '"Pell"',
    GROUP,
    added=True,
)
def name_parts(text: str) -> dict[str, object]:
    constants = nameparser.config.Constants()
    constants.titles.add("revd", "rev", "cllr", "ven", "canon")
    found = nameparser.HumanName(" ".join(text.split())[:300], constants=constants)
    return {k: getattr(found, k) or None for k in ("title", "first", "middle", "last", "suffix")}


PARTS = pattern(r'"?(?P<name>[^"<>]*?)"?\s*<(?P<address>[^<>\s]+)>|(?P<bare>\S+)', worst=" ")


@BUILTINS.add(
    "address parts",
    [Param("address", STRING)],
    CONTEXT,
    "The parts of an email address as it stands in a letter: name, address, account, domain.",
    'address parts("Ada Pell <ada@stbride.example>").domain',
    '"stbride.example"',
    GROUP,
    added=True,
)
def address_parts(text: str) -> dict[str, object]:
    found = PARTS.fullmatch(text.strip())
    address = (found["address"] or found["bare"]) if found else ""
    if not found or not EMAIL.fullmatch(address):
        raise ValueError(f"“{text[:40]}” is not an email address")
    account, _, domain = address.rpartition("@")
    return {"name": (found["name"] or "").strip() or None, "address": address, "account": account, "domain": domain}


@BUILTINS.add(
    "cite",
    [Param("authors", LIST), Param("year", ANY), Param("title", STRING, True)],
    STRING,
    "A short citation: Pell 2020, Pell and Root 2020, Pell et al. 2020; with the title if given.",
    'cite(["Ada Pell", "Ida Root", "Bo Ash"], 2020)',
    '"Pell et al. 2020"',
    GROUP,
    added=True,
)
def cite(authors: list[object], year: object, title: str | None = None) -> str:
    people = [a.strip() for one in authors if isinstance(one, str) for a in BETWEEN.split(one) if a.strip()]
    names = [a.split(",")[0] if "," in a else str(name_parts(a)["last"] or a) for a in people]
    if not names:
        raise ValueError("no author to cite")
    who = names[0] if len(names) == 1 else f"{names[0]} and {names[1]}" if len(names) == 2 else f"{names[0]} et al."
    when = str(year.year) if isinstance(year, date) else f"{year:f}" if isinstance(year, Decimal) else str(year or "n.d.")
    return f"{who} {when}" + (f", {title}" if title else "")
