"""Conditions on records as SQL, every value bound. They come to the same as `core.query.holds` on the records' values.

Texts are compared by the collation of the tables, which disregards case, accents and outer spaces, as the formulas do.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date, datetime
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo

from kelvix.core.fields import TYPES
from kelvix.core.not_found import NotFoundError
from kelvix.core.operators import OPERATORS, Meaning
from kelvix.core.query import Comparison, Joined, Query, Where, settled
from kelvix.core.schema import Database, Field
from kelvix.core.values import Value, fold
from kelvix.store import ddl, keyset, records
from kelvix.store.database_server import Row, Transaction
from kelvix.store.records import Record

Sql = tuple[str, list[Any]]
LAST_LETTER = 0xFFFF  # of those that are looked for in other spellings: what lies above has neither case nor accents that count


def where(database: Database, asked: Where | None, zone: ZoneInfo, today: date | None = None) -> Sql:
    """Return a condition as SQL and its arguments. `zone` tells which moments belong to a day, and which day it is unless that
    is given. Raises NotFoundError for a field that is gone, Unfit for days outside the calendar."""
    fields = {f.id: f for f in database.readable}
    return _where(database, settled(asked, fields, today or datetime.now(zone).date(), zone), zone, False)


def _where(database: Database, asked: Where | None, zone: ZoneInfo, denied: bool) -> Sql:
    """Return a condition of dates. `denied`: none of it is to hold, so that what is false must not be unknown."""
    if asked is None:
        return "TRUE", []
    if isinstance(asked, Joined):
        parts = [_where(database, one, zone, denied or asked.mode == "none") for one in asked.tests]
        whole = (" AND " if asked.mode == "all" else " OR ").join(f"({sql})" for sql, _ in parts) or "TRUE"
        none = asked.mode == "none" and parts
        return f"NOT ({whole})" if none else whole, [a for _, args in parts for a in args]
    return _one(database, asked, zone, denied)


def _one(database: Database, asked: Comparison, zone: ZoneInfo, denied: bool) -> Sql:
    field = database.readable_field(asked.field)
    if field is None:
        raise NotFoundError("field not found")
    meaning = OPERATORS[asked.operator]
    beside = TYPES[field.type].table_beside
    if beside is not None:
        sql, args = records.BESIDE[beside].exists(database.id, field, asked.value)
    elif not meaning.needs_value:
        sql, args = _filled(field), []
    else:
        sql, args = _compared(field, meaning, asked.value, zone, denied)
    if meaning.negated:
        return f"NOT COALESCE({sql}, FALSE)", list(args)
    return (f"COALESCE({sql}, FALSE)" if denied and not in_order(meaning) else sql), list(args)


def in_order(meaning: Meaning) -> bool:
    """Whether an operator asks for more or less, which is unknown of what is empty; all else is true or false."""
    return meaning.compares in ("less", "more")


def _filled(field: Field) -> str:
    keeps_text = TYPES[field.type].keeps_text
    there = (f"{c} <> ''" if keeps_text else f"{c} IS NOT NULL" for c in ddl.columns(field.id, field.type).values())
    return f"COALESCE({' OR '.join(there)}, FALSE)"


def _compared(field: Field, meaning: Meaning, value: Value, zone: ZoneInfo, denied: bool) -> Sql:
    type_, columns = TYPES[field.type], ddl.columns(field.id, field.type)
    if in_order(meaning):
        held = type_.within(value) if denied else {}
        bounds = type_.bounds(value, meaning.compares == "less", zone)

        def beside(part: str) -> str:
            return f"COALESCE({columns[part]} = %s, FALSE)" if part in held else f"{columns[part]} = %s"

        each = (" AND ".join([f"{columns['']} {b.sign} %s", *map(beside, b.held)]) for b in bounds)
        sql = " OR ".join(f"({one})" for one in each)
        return f"({sql})", [a for b in bounds for a in (b.value, *b.held.values())]
    if meaning.compares == "same" and type_.text_within is None:
        known = type_.known_by(value)
        return f"({' AND '.join(f'{columns[part]} = %s' for part in known)})", list(known.values())
    within = type_.text_within
    column = columns[""] if within is None else f"JSON_VALUE({columns['']}, '{within}')"
    text = str(value) if within is not None else type_.to_columns(value)[""]
    if text is None:  # a person of whom only the address is known
        return "FALSE", []
    match meaning.compares:
        case "same":
            return f"{column} = %s", [text]
        case "contains":
            return f"{column} LIKE %s", [f"%{records.literally(text)}%"]
        case "begins":
            return f"{column} LIKE %s", [records.literally(text) + "%"]
        case "ends":
            return f"{column} LIKE %s", ["%" + records.literally(text)]
        case "mentions":
            return f"({column} REGEXP %s)", [_spellings(fold(str(text)).strip())]
    raise ValueError(f"a {type_.name} can’t be compared like this")


@lru_cache(maxsize=1)
def _alike() -> Mapping[str, str]:
    """By each letter without case and accents, all the characters that are written for it."""
    found: dict[str, list[str]] = defaultdict(list)
    for code in range(LAST_LETTER + 1):
        if not 0xD800 <= code < 0xE000 and len(plain := fold(chr(code))) == 1:
            found[plain].append(chr(code))
    return {plain: "".join(all_) for plain, all_ in found.items()}


@lru_cache(maxsize=256)
def _spellings(word: str) -> str:
    """Return a pattern for a folded word in any spelling, at the head of a word where its script has words; see
    `values.mentions`."""
    if not word:
        return r"(?!)"
    head = r"(?<![\p{L}\p{N}_\p{M}])" if word[0].lower() != word[0].upper() else ""
    return head + "".join(f"[{_escaped(_alike().get(c, c))}]\\p{{M}}*" for c in word)


def _escaped(characters: str) -> str:
    return "".join(c if c.isalnum() else f"\\x{{{ord(c):x}}}" for c in characters)


# Pages


def select(
    t: Transaction,
    database: Database,
    columns: str,
    asked: Sql,
    order: str,
    limit: int,
    of_columns: Sequence[Any] = (),
    of_order: Sequence[Any] = (),
) -> list[Row]:
    """Read records that are not in the trash. Columns and order may have arguments of their own."""
    sql, args = asked
    return t.rows(
        f"SET STATEMENT max_statement_time=10 FOR SELECT {columns} FROM {ddl.table(database.id)} "
        "IGNORE INDEX FOR ORDER BY (PRIMARY) "  # read from its end, a table that has nothing to find would be read through
        f"WHERE deleted_at IS NULL AND ({sql}) ORDER BY {order} LIMIT {int(limit)}",
        [*of_columns, *args, *of_order],
    )


def count(t: Transaction, database: Database, asked: Where | None, zone: ZoneInfo, most: int) -> int:
    """Return how many records are as asked, counted no further than `most`."""
    return len(select(t, database, "id", where(database, asked, zone), "id", most))


def page(t: Transaction, database: Database, query: Query, zone: ZoneInfo) -> tuple[list[Record], str | None]:
    """Return a page of records by keyset, the newest first where no order is asked for, and what to ask with for the next. What
    is empty comes first, or last where the order descends. Raises NotFoundError for a field that is gone, Unfit for one that
    has no order, or where `after` is none that was given."""
    keys = [keyset.ordered(database, one) for one in query.order]
    sql, args = where(database, query.where, zone)
    if query.after is not None:
        below, more = keyset.below(keys, query.after)
        sql, args = f"({sql}) AND ({below})", [*args, *more]
    told, of_keys = keyset.columns(keys)
    by, of_order = keyset.by(keys)
    columns = records.columns(database) + told
    if query.where is None and not keys:  # the newest are at the end of the table itself
        rows = t.rows(
            f"SET STATEMENT max_statement_time=10 FOR SELECT {columns} FROM {ddl.table(database.id)} "
            f"WHERE deleted_at IS NULL AND ({sql}) ORDER BY id DESC LIMIT {int(query.limit) + 1}",
            args,
        )
    else:
        rows = select(t, database, columns, (sql, args), by, query.limit + 1, of_keys, of_order)
    found = [records.read(row, database) for row in rows[: query.limit]]
    return found, keyset.after(keys, rows[query.limit - 1]) if len(rows) > query.limit else None
