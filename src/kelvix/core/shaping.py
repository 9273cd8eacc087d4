"""Shape lines: named values made of those above. Each way of making one is carried out as the formula that it writes."""

from __future__ import annotations

import re
from dataclasses import dataclass

from kelvix.core import formulas
from kelvix.core.feel import Env
from kelvix.core.feel import tree as t
from kelvix.core.fields import is_text
from kelvix.core.filling import Carried, compute
from kelvix.core.values import Type, Unfit, Value, as_text
from kelvix.core.workflow import Cite, DatePart, Default, Filled, Formula, Join, LookUp, Making, Part, Piece, Reference, Shaped


def _value(ref: Reference | None) -> t.Node:
    if ref is None:
        raise Unfit("choose a value")
    return t.Value(ref.line, ref.value)


def _call(name: str, *args: t.Node) -> t.Node:
    return t.Call(t.Name(name), args)


def _number(value: int) -> t.Node:
    return t.Number(str(value)) if value >= 0 else t.Negate(t.Number(str(-value)))


def _plain(text: str) -> t.Node:
    """Return a cell of a table: a number where it is one, else a text."""
    return t.Number(text) if re.fullmatch(r"\d+(\.\d+)?", text) else t.String(text) if text else t.Null()


def formula(made: Making) -> t.Node | None:
    """Return the formula of a making; None where it is text and values mixed. Raises Unfit where something is still to be
    chosen."""
    match made:
        case Filled(filling):
            if len(filling) == 1 and filling[0].formula is not None and filling[0].formula.tree:
                return formulas.loaded(filling[0].formula.tree)
            if len(filling) == 1 and filling[0].ref is not None:
                return _value(filling[0].ref)
            return None
        case DatePart(of, pattern):
            return _call("format date", _value(of), t.String(pattern)) if pattern else _call("date", _value(of))
        case Piece(of, delimiter, number):
            return _call("piece", _value(of), t.String(delimiter), _number(number))
        case LookUp(of, rows, otherwise):
            kept = {r.key.strip(): r.value.strip() for r in rows if r.key.strip()}
            if not kept:
                raise Unfit("add at least one row with a value and a result")
            table = t.Context(tuple(kept), tuple(_plain(v) for v in kept.values()))
            return _call("look up", _value(of), table, *([_plain(otherwise.strip())] if otherwise.strip() else []))
        case Join(of, delimiter):
            texts = tuple(_call("as words", _value(r)) for r in of)
            if not texts:
                raise Unfit("choose the values to join")
            item = t.Filter(
                t.List(texts),
                t.Binary("and", t.Binary("!=", t.Name("item"), t.Null()), t.Binary("!=", t.Name("item"), t.String(""))),
            )
            return _call("string join", item, t.String(delimiter))
        case Default(of, otherwise):
            if not of:
                raise Unfit("choose a value")
            return _call("first filled", *(_value(r) for r in of), *([t.String(otherwise)] if otherwise else []))
        case Cite(authors, year, title):
            people = _call("split", _value(authors), t.String(r"\s*;\s*"))
            return _call("cite", people, _value(year), *([_value(title)] if title else []))
    raise TypeError(made)


def as_formula(made: Making) -> Filled:
    """Return the same making as a formula that can be changed freely. Raises Unfit."""
    node = formula(made)
    return Filled((Part(formula=Formula(t.dump(node))),)) if node is not None else Filled()


def type_of(shaped: Shaped, types: dict[tuple[str, str], Type]) -> Type:
    """Return the type of a shaped value, as far as it can be told without a sample; else text."""
    if isinstance(shaped.made, Default) and shaped.made.of:
        found = {types.get((r.line, r.value)) for r in shaped.made.of} - {None}
        only = found.pop() if len(found) == 1 else None
        return only if only is not None and (not shaped.made.otherwise or is_text(only)) else formulas.TEXT
    if isinstance(shaped.made, LookUp):
        cells = [r.value.strip() for r in shaped.made.rows if r.key.strip()] + [shaped.made.otherwise.strip()]
        numbers = [bool(re.fullmatch(r"\d+(\.\d+)?", c)) for c in cells if c]
        return formulas.NUMBER if numbers and all(numbers) else formulas.TEXT
    try:
        node = formula(shaped.made)
    except Unfit:
        return formulas.TEXT
    return (formulas.type_of(node, types) if node is not None else None) or formulas.TEXT


def shape(shaped: Shaped, type_: Type, carried: Carried, env: Env) -> Value:
    """Return what a shaped value is for a sample. Raises Unfit."""
    if isinstance(shaped.made, Filled):
        value = compute(shaped.made.filling, carried, env)
    else:
        node = formula(shaped.made)
        value = compute((Part(formula=Formula(t.dump(node))),), carried, env) if node is not None else None
    if value is None or value == "":
        return None
    return as_text(value, env.zone) if is_text(type_) and not isinstance(value, str) else value


# Patterns that contradict themselves

_QUOTED = re.compile(r"'[^']*'")


@dataclass(frozen=True)
class Warned:
    """What is doubtful about a pattern, and the pattern that was probably meant."""

    sentence: str
    pattern: str


def _swap(pattern: str, letters: str, by: str) -> str:
    """Replace letters outside quoted text."""
    parts = re.split(r"('[^']*')", pattern)
    return "".join(p if p.startswith("'") else p.translate(str.maketrans(letters, by)) for p in parts)


def doubts(pattern: str) -> tuple[Warned, ...]:
    """Return what a date pattern probably does not mean (the fields of Unicode Technical Standard 35, part 4, table 8)."""
    plain = _QUOTED.sub("", pattern)
    found: list[Warned] = []
    if "a" in plain and re.search("[HK]", plain):
        found.append(
            Warned(
                "with AM and PM, write hours as h",
                _swap(pattern, "HK", "hh"),
            )
        )
    if re.search("h", plain) and "a" not in plain and "b" not in plain and "B" not in plain:
        found.append(Warned("without AM and PM, write hours as H", _swap(pattern, "h", "H")))
    if re.search(r"[HhKk]+\s*[:.h]\s*M", plain):
        found.append(
            Warned(
                "M is the month; write minutes as m",
                re.sub(r"(?<=[HhKk])(\s*[:.h]\s*)(M+)", lambda m: m[1] + m[2].lower(), pattern),
            )
        )
    if re.search(r"(?<![HhKk:.])\bm{1,2}\b(?![:.]s)", plain) and re.search("[dy]", plain) and not re.search("[HhKk]", plain):
        found.append(Warned("m is the minute; write the month as M", _swap(pattern, "m", "M")))
    if "Y" in plain and "w" not in plain:
        found.append(
            Warned(
                "Y is the week's year, which differs around New Year; write the year as y",
                _swap(pattern, "Y", "y"),
            )
        )
    if re.search("D", plain) and re.search("[ML]", plain):
        found.append(
            Warned(
                "D is the day of the year; write the day of the month as d",
                re.sub("D+", lambda m: "d" * min(len(m[0]), 2), pattern),
            )
        )
    if "S" in plain and "s" not in plain and re.search("[m]", plain):
        found.append(Warned("S is a fraction of a second; write seconds as s", _swap(pattern, "S", "s")))
    return tuple(found)


def corrected(pattern: str) -> str:
    """Return the pattern with all that is doubtful put right."""
    for _ in range(5):  # each round can only take a doubt away; this is a bound, not a guess
        found = doubts(pattern)
        if not found:
            break
        pattern = found[0].pattern
    return pattern
