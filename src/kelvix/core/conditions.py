"""Conditions as sentence rows, and as formulas: each is written from the other, and what cannot be a row stays a formula.

A row is carried out as the formula that it writes, so that the two cannot disagree. Texts are compared without regard to case
and accents, by our added functions; numbers, dates, and yes or no by the standard's own operators.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime
from decimal import Decimal
from functools import lru_cache
from zoneinfo import ZoneInfo

from kelvix.core import formulas, query
from kelvix.core.cells import Finding
from kelvix.core.feel import Env, TooMuch, compiled
from kelvix.core.feel import tree as t
from kelvix.core.feel.compiler import Compiled
from kelvix.core.feel.values import read_at
from kelvix.core.fields import TYPES, coerce
from kelvix.core.filling import Carried
from kelvix.core.operators import OPERATORS, Comparing, Operator
from kelvix.core.periods import one_day, period
from kelvix.core.schema import CarriedField
from kelvix.core.values import Type, Unfit
from kelvix.core.workflow import Condition, Formula, Group, Mode, Narrows, Reference, Test

NAMED = {name: comparing for comparing, name in query.FUNCTIONS.items()}
SIGNED: Mapping[str, tuple[Comparing | None, bool]] = {"!=": ("same", True), **{s: (c, False) for c, s in query.SIGNS.items()}}
ANYWHERE = Env(datetime.min, ZoneInfo("UTC"))  # where a literal has no zone, any will do
DAY_OPERATORS: tuple[Operator, ...] = ("is", "before", "after", "within")
Fields = Mapping[Reference, CarriedField]


# Rows as formulas


def write(test: Test, fields: Fields, env: Env) -> t.Node:
    """Return the formula of a row or a group. Raises Unfit for a row that is unfinished, or compares what cannot be
    compared."""
    match test:
        case Formula(tree=tree):
            if not tree:
                raise Unfit("this formula has an error")
            return formulas.loaded(tree)
        case Group(mode, conditions):
            return write_all(mode, conditions, fields, env)
        case Condition():
            return _write_row(test, fields, env)
    raise TypeError(test)


def write_all(mode: Mode, tests: tuple[Test, ...], fields: Fields, env: Env) -> t.Node:
    """Return the formula of rows that go together. Nothing at all lets everything through. Raises Unfit."""
    return query.joined(mode, [write(test, fields, env) for test in tests])


def _write_row(row: Condition, fields: Fields, env: Env) -> t.Node:
    known = fields.get(row.ref)
    if known is None:
        raise Unfit("this compares a value that is no longer available. Choose another")
    type_, name, meaning = known.type, " › ".join(known.name), OPERATORS[row.operator]
    if row.operator not in TYPES[type_].operators:
        raise Unfit(f"“{meaning.words}” does not go with {name}")
    value: t.Node = t.Value(row.ref.line, row.ref.value)
    if not meaning.needs_value:
        return query.compare(type_, row.operator, value, ())
    words = [w.strip() for w in row.words if w.strip()]
    if not words:
        raise Unfit(f"enter a value for “{name} {meaning.words}”")
    compared, subject = query.compared_part(type_, value)
    if meaning.compares == "within" or (TYPES[compared].tells_day and any(map(period, words))):
        against = [query.counted(row.operator, p) if (p := period(w)) else _by_day(row.operator, w, env) for w in words]
        return query.compare(compared, row.operator, query.day_of(compared, subject), against)
    if TYPES[type_].compares_values:
        return query.compare(type_, row.operator, subject, [_literal(w, compared, env) for w in words])
    return query.compare(type_, row.operator, subject, [t.String(w) for w in words])


def _by_day(operator: Operator, word: str, env: Env) -> t.Node:
    """Return a typed date as what a day is compared with. Raises Unfit."""
    day = coerce(word, "date", env.zone, (), env.order)
    assert isinstance(day, date)
    return query.counted(operator, one_day(day)) if operator == "within" else query.literal(day, "date", env.zone)


def _subject(node: t.Node, fields: Fields) -> Reference | None:
    """Return the value of which a node is what is compared."""
    inner = node.args[0] if isinstance(node, t.Call) and len(node.args) == 1 else node
    value = inner.of if isinstance(inner, t.Path) else inner
    if not isinstance(value, t.Value):
        return None
    ref = Reference(value.line, value.key)
    return ref if ref in fields and query.compared_part(fields[ref].type, value)[1] == node else None


def _literal(word: str, type_: Type, env: Env) -> t.Node:
    """Return a typed word as what it is compared as. Raises Unfit."""
    return query.literal(coerce(word, type_, env.zone, (), env.order), type_, env.zone)


# Formulas as rows


def read(node: t.Node, fields: Fields) -> tuple[Mode, tuple[Test, ...]]:
    """Return the rows that write this formula again."""
    found = _read(node, fields)
    return (found.mode, found.conditions) if isinstance(found, Group) else ("all", (found,))


def _read(node: t.Node, fields: Fields) -> Test:
    if isinstance(node, t.Binary) and node.op in ("and", "or"):
        return Group("all" if node.op == "and" else "any", tuple(_read(n, fields) for n in _chain(node, node.op)))
    row = _read_row(node, fields)
    if row is not None:
        return row
    if isinstance(node, t.Call) and node.function == t.Name("not") and len(node.args) == 1 and not node.names:
        inner = node.args[0]
        parts = _chain(inner, "or")
        return Group("none", tuple(_read(n, fields) for n in parts))
    return Formula(t.dump(node))


def _chain(node: t.Node, op: str) -> list[t.Node]:
    """Return the parts of a or b or c, which is read from the left."""
    parts: list[t.Node] = []
    while isinstance(node, t.Binary) and node.op == op:
        parts.insert(0, node.right)
        node = node.left
    return [node, *parts]


def _read_row(node: t.Node, fields: Fields) -> Condition | None:
    if by_days := _read_days(node, fields):
        return by_days
    match node:
        case t.Call(t.Name("not"), (t.Call() as inner,), ()) | t.Call(t.Name("not"), (t.In() as inner,), ()):
            row = _read_row(inner, fields)
            negated = _operator(OPERATORS[row.operator].compares, fields[row.ref], negated=True) if row else None
            if row is None or negated is None or isinstance(inner, t.In) is not TYPES[fields[row.ref].type].compares_values:
                return None
            return _checked(Condition(row.ref, negated, row.words), fields)
        case t.Call(t.Name(name), (subject, *words), ()) if name in NAMED and (ref := _subject(subject, fields)):
            texts = [w.text for w in words if isinstance(w, t.String)]
            if len(texts) != len(words) or not texts or not all(x and x.strip() == x and "," not in x for x in texts):
                return None
            operator = _operator(NAMED[name], fields[ref])
            return _checked(Condition(ref, operator, tuple(texts)), fields, as_texts=True) if operator else None
        case t.Binary(("=" | "!=") as sign, t.Value(line, key), t.Null()):
            return _checked(Condition(Reference(line, key), "empty" if sign == "=" else "filled"), fields)
        case t.Binary(sign, subject, end) if ref := _subject(subject, fields):
            return _compared(ref, sign, [end], fields)
        case t.In(subject, tests) if len(tests) > 1 and (ref := _subject(subject, fields)):
            signs = {x.op if isinstance(x, t.Test) else "=" for x in tests}
            ends = [x.with_ if isinstance(x, t.Test) else x for x in tests]
            plain = not any(isinstance(x, t.Test) and x.op == "=" for x in tests)
            return _compared(ref, signs.pop(), ends, fields) if len(signs) == 1 and plain else None
    return None


def _read_days(node: t.Node, fields: Fields) -> Condition | None:
    """Return the row that compares the day of a value."""
    match node:
        case t.Binary(_, day, end):
            ends: tuple[t.Node, ...] = (end,)
        case t.In(day, tests):
            ends = tuple(x.with_ if isinstance(x, t.Test) else x for x in tests)
        case _:
            return None
    inner = day.args[0] if isinstance(day, t.Call) and len(day.args) == 1 else day
    ref, words = _subject(day, fields) or _subject(inner, fields), tuple(_day_word(e) for e in ends)
    if ref is None or not TYPES[fields[ref].type].tells_day:
        return None
    counted = any(isinstance(e, t.Call) for e in ends)
    for operator in sorted(DAY_OPERATORS, key=lambda o: (o == "within") is not counted):
        row = Condition(ref, operator, tuple(w for w in words if w))
        try:
            if all(words) and operator in TYPES[fields[ref].type].operators and _write_row(row, fields, ANYWHERE) == node:
                return row
        except Unfit:
            continue
    return None


def _day_word(node: t.Node) -> str | None:
    match node:
        case t.Call(t.Name("period"), (t.String(words),), ()) | t.Path(t.Call(t.Name("period"), (t.String(words),), ())):
            return words
    return _word(node, "date")


def _operator(comparing: Comparing, field: CarriedField, negated: bool = False) -> Operator | None:
    """Return the operator of a field's type that compares so."""
    return next(
        (o for o in TYPES[field.type].operators if (OPERATORS[o].compares, OPERATORS[o].negated) == (comparing, negated)), None
    )


def _compared(ref: Reference, sign: str, ends: list[t.Node], fields: Fields) -> Condition | None:
    type_ = fields[ref].type
    compared, _ = query.compared_part(type_, t.Value(ref.line, ref.value))
    words = [_word(e, compared) for e in ends]
    if not TYPES[type_].compares_values or None in words:
        return None
    comparing, negated = SIGNED.get(sign, (None, False))
    operator = _operator(comparing, fields[ref], negated) if comparing else None
    return Condition(ref, operator, tuple(w for w in words if w)) if operator else None


def _word(node: t.Node, type_: Type) -> str | None:
    """Return a literal as one types it, where it is of the value's type and would be written the same again."""
    literal: object
    match node:
        case t.Bool(value):
            literal = value
        case t.Number(digits):
            literal = Decimal(digits)
        case t.Negate(t.Number(digits)):
            literal = -Decimal(digits)
        case t.At(text):
            try:
                literal = read_at(text)
            except (ValueError, OverflowError):
                return None
        case _:
            return None
    word = TYPES[type_].word(literal)
    try:
        return word if word and _literal(word, type_, ANYWHERE) == node else None
    except Unfit:
        return None


def _checked(row: Condition, fields: Fields, as_texts: bool = False) -> Condition | None:
    type_ = TYPES[fields[row.ref].type] if row.ref in fields else None
    return row if type_ and not (as_texts and type_.compares_values) and row.operator in type_.operators else None


# Whether a sample goes on


def references(tests: tuple[Test, ...]) -> tuple[Reference, ...]:
    """Return the carried values that tests look at, each once."""
    found: dict[Reference, None] = {}
    for test in tests:
        if isinstance(test, Group):
            found |= dict.fromkeys(references(test.conditions))
        elif isinstance(test, Condition):
            found[test.ref] = None
        elif test.tree:
            found |= dict.fromkeys(Reference(v.line, v.key) for v in formulas.values_of(test.tree))
    return tuple(found)


@lru_cache(maxsize=4096)
def _plan(
    test: Test, known: tuple[tuple[Reference, CarriedField | None], ...], zone: ZoneInfo, order: str | None
) -> tuple[Compiled, tuple[Reference, ...]]:
    """Return a test compiled, and the values that it looks at. It hangs on these values' types and names, and on how dates
    are typed. Raises Unfit."""
    fields = {ref: field for ref, field in known if field is not None}
    if len(fields) < len(known):
        raise Unfit("this compares a value that is no longer available. Choose another")
    node = write(test, fields, Env(datetime.min, zone, order=order))
    return compiled(node), tuple(Reference(v.line, v.key) for v in t.values_in(node))


def holds(test: Test, carried: Carried, env: Env) -> bool | None:
    """Whether a row or a group holds for a sample; None where that is unknown. Raises Unfit where it cannot be decided: a
    value that is gone, a word that is no date or number, a formula that comes to something else than yes or no."""
    looked = references((test,))
    carried.check_readable(looked)
    known = tuple((ref, carried.fields.get(ref)) for ref in looked)
    ready, used = _plan(test, known, env.zone, env.order)
    mine = formulas.fresh(env)
    given = {(ref.line, ref.value): formulas.to_feel(carried.values.get(ref), mine) for ref in used}
    try:
        found = ready.evaluate(given, mine)
    except TooMuch as error:
        raise Unfit(str(error)) from error
    if found is None and mine.notes:
        raise Unfit(mine.notes[0])
    if found is not None and not isinstance(found, bool):
        raise Unfit("a condition must be true or false")
    return found


def goes_on(line: Narrows, carried: Carried, env: Env) -> bool:
    """Decide whether conditions hold. Raises Unfit. A line without conditions lets everything through; what is unknown does
    not go on."""
    return not line.conditions or holds(Group(line.mode, line.conditions), carried, env) is True


def row_results(tests: tuple[Test, ...], carried: Carried, env: Env) -> tuple[bool | None, ...]:
    """For each row, in the order in which they are read, group heads included: whether it holds; None where that is unknown or
    cannot be decided."""
    found: list[bool | None] = []
    for test in tests:
        try:
            found.append(holds(test, carried, env) is True)
        except Unfit:
            found.append(None)
        if isinstance(test, Group):
            found += row_results(test.conditions, carried, env)
    return tuple(found)


def check(line: Narrows, what: str, carried: Carried, env: Env) -> list[Finding]:
    """Return what must be put right of conditions, whatever the sample."""
    if not line.conditions:
        return [Finding(line.id, f"this {what} has no condition. Add one, or remove the {what}")]
    if any(ref not in carried.fields for ref in references(line.conditions)):
        return [Finding(line.id, "this compares a value that is no longer available. Choose another")]
    try:
        write_all(line.mode, line.conditions, carried.fields, env)
    except Unfit as unfit:
        return [Finding(line.id, str(unfit))]
    return []
