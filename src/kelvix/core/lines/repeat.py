"""Repeat lines: the list that they go through, what their lines can use of each row, and what is collected."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from decimal import Decimal

from kelvix.core.cells import Finding
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES
from kelvix.core.filling import Carried, Held, ListRow, compute, is_filled, references
from kelvix.core.lines.kind import Kind
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.values import Unfit, Value, as_text
from kelvix.core.workflow import Filling, Repeat

MAX_ROUNDS = 500
SHOWN_ROUNDS = 20  # that a rehearsal goes through
AFTER = (
    CarriedField("count", ("Repeated", "How many"), "number"),
    CarriedField("collected", ("Repeated", "Collected"), "labels"),
)


def list_of(line: Repeat, carried: Carried) -> CarriedList | None:
    """Return the list that a line goes through, as far as it is known without a sample. Labels are a list of texts."""
    if line.of is None:
        return None
    known = carried.fields.get(line.of)
    if known is not None and TYPES[known.type].of_class is list:
        return CarriedList(known.key, known.name, (CarriedField("label", (known.name[-1],), "text"),))
    return carried.lists.get(line.of)


def rows_of(line: Repeat, carried: Carried) -> tuple[ListRow, ...]:
    """Return the rows of the list with a sample. Raises Unfit for more than a run goes through."""
    if line.of is None:
        return ()
    carried.check_readable((line.of,))
    labels = carried.values.get(line.of)
    if isinstance(labels, tuple):
        return tuple(ListRow({"label": label}) for label in labels)
    rows = carried.rows.get(line.of, ())
    if len(rows) > MAX_ROUNDS:
        raise Unfit(f"this list has {len(rows)} rows, and a line is repeated at most {MAX_ROUNDS} times: narrow the list")
    return rows


def inside(found: CarriedList) -> tuple[CarriedField, ...]:
    """Return what the lines within can use of the row that they are carried out for."""
    own = tuple(CarriedField(f"each.{f.key}", ("Each", *f.name), f.type) for f in found.fields)
    return (*own, CarriedField("number", ("Each", "Number"), "number"))


def is_inside(key: str) -> bool:
    """Whether a Repeat line's value is for the lines within it, rather than for those below."""
    return key not in {f.key for f in AFTER}


def known_inside(line: Repeat, carried: Carried) -> Carried:
    """Return what the lines within can use, without a sample."""
    found = list_of(line, carried)
    if found is None:
        return carried
    held = Held(found.database) if found.database is not None else None
    return carried.plus(line.id, inside(found), {}, held)


def enter(line: Repeat, found: CarriedList, number: int, row: ListRow, carried: Carried) -> Carried:
    """Return what the lines within can use in one round, counted from 1."""
    values: dict[str, Value] = {f"each.{key}": value for key, value in row.values.items()}
    return carried.plus(line.id, inside(found), {**values, "number": Decimal(number)}, row.held)


def collected(line: Repeat, inner: Carried, env: Env) -> tuple[str, ...]:
    """Return what a round that is over adds to what is collected. Raises Unfit."""
    if not is_filled(line.collects):
        return ()
    value = compute(line.collects, inner, env)
    many = value if isinstance(value, tuple) else (value,)
    return tuple(text for one in many if (text := as_text(one, env.zone).strip()))


def after(line: Repeat, rounds: int, all_collected: tuple[str, ...], carried: Carried) -> Carried:
    """Return what lines below can use."""
    return carried.plus(line.id, AFTER, {"count": Decimal(rounds), "collected": all_collected or None})


def check(line: Repeat, carried: Carried, inner: Carried | None) -> list[Finding]:
    """Return what must be put right whatever the sample; `inner` is what its lines carry at their end, where there are any."""
    if line.of is None:
        return [Finding(line.id, "choose the list to go through")]
    if list_of(line, carried) is None:
        return [Finding(line.id, "the list that this goes through is no longer carried by the lines above; choose another")]
    if inner is None:
        return [Finding(line.id, "nothing is repeated yet: add a line within this one")]
    if any(ref not in inner.fields for ref in references(line.collects)):
        return [Finding(line.id, "what this collects is not carried by its lines", key="collects")]
    if any(p.formula is not None and not p.formula.tree for p in line.collects):
        return [Finding(line.id, "the formula of what this collects cannot be read yet", key="collects")]
    return []


class RepeatKind(Kind[Repeat]):
    verb = "repeat"
    sees = "within"

    def makes(self, line: Repeat, carried: Carried, context: Context) -> Carried:
        return carried.plus(line.id, AFTER, {})

    def inside(self, line: Repeat, carried: Carried, context: Context) -> Carried:
        return known_inside(line, carried)

    def check(self, line: Repeat, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return check(line, carried, within())

    def fillings(self, line: Repeat) -> Iterator[Filling]:
        yield line.collects

    def says(self, line: Repeat, names: Mapping[int, str]) -> str:
        return "for each of a list"


KIND = RepeatKind()
