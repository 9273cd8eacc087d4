"""Repeat lines: the list that they go through, what their lines can use of each row, and what is collected."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

from kelvix.core.cells import Finding
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES
from kelvix.core.filling import Carried, Held, ListRow, compute, is_filled, references
from kelvix.core.lines.held import Repeating
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.values import Unfit, Value, as_text
from kelvix.core.workflow import Filling, Line, Reference


@dataclass(frozen=True)
class Repeat(Line):
    """Its lines are carried out for each row of the list `of`. `collects` is what each round adds to what is collected."""

    id: str
    of: Reference | None = None
    collects: Filling = ()
    within: str = ""
    verb: Literal["repeat"] = "repeat"


MAX_ROUNDS = 500
AFTER = (
    CarriedField("count", ("Repeated", "How many"), "number"),
    CarriedField("collected", ("Repeated", "Collected"), "labels"),
)


def _row_fields(found: CarriedList) -> tuple[CarriedField, ...]:
    """Return what the lines within can use of the row that they are carried out for."""
    own = tuple(CarriedField(f"each.{f.key}", ("Each", *f.name), f.type) for f in found.fields)
    return (*own, CarriedField("number", ("Each", "Number"), "number"))


def _check(line: Repeat, found: CarriedList | None, inner: Carried | None) -> list[Finding]:
    """Return what must be put right whatever the sample; `inner` is what its lines carry at their end, where there are any."""
    if line.of is None:
        return [Finding(line.id, "choose a list")]
    if found is None:
        return [Finding(line.id, "the list that this goes through is no longer available by the lines above; choose another")]
    if inner is None:
        return [Finding(line.id, "nothing is repeated yet. Add a line inside this one")]
    if any(ref not in inner.fields for ref in references(line.collects)):
        return [Finding(line.id, "the collected value is not available in its lines", key="collects")]
    if any(p.formula is not None and not p.formula.tree for p in line.collects):
        return [Finding(line.id, "the formula to collect has an error", key="collects")]
    return []


class RepeatKind(Repeating[Repeat]):
    line, verb = Repeat, "repeat"
    sees = "within"
    after_fields = AFTER

    def makes(self, line: Repeat, carried: Carried, context: Context) -> Carried:
        return carried.plus(line.id, AFTER, {})

    def check(self, line: Repeat, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        return _check(line, self.list_of(line, carried), within())

    def is_ready(self, line: Repeat) -> bool:
        return line.of is not None

    def list_of(self, line: Repeat, carried: Carried) -> CarriedList | None:
        """Return the list that a line goes through, as far as it is known without a sample. Labels are a list of texts."""
        if line.of is None:
            return None
        known = carried.fields.get(line.of)
        if known is not None and TYPES[known.type].of_class is list:
            return CarriedList(known.key, known.name, (CarriedField("label", (known.name[-1],), "text"),))
        return carried.lists.get(line.of)

    def rows_of(self, line: Repeat, carried: Carried) -> tuple[ListRow, ...]:
        if line.of is None:
            return ()
        carried.check_readable((line.of,))
        labels = carried.values.get(line.of)
        if isinstance(labels, tuple):
            return tuple(ListRow({"label": label}) for label in labels)
        rows = carried.rows.get(line.of, ())
        if len(rows) > MAX_ROUNDS:
            raise Unfit(f"this list has {len(rows)} items, more than the {MAX_ROUNDS} that can be repeated. Shorten the list")
        return rows

    def inside(self, line: Repeat, carried: Carried, context: Context) -> Carried:
        found = self.list_of(line, carried)
        if found is None:
            return carried
        held = Held(found.database) if found.database is not None else None
        return carried.plus(line.id, _row_fields(found), {}, held)

    def enter(self, line: Repeat, found: CarriedList, number: int, row: ListRow, carried: Carried) -> Carried:
        values: dict[str, Value] = {f"each.{key}": value for key, value in row.values.items()}
        return carried.plus(line.id, _row_fields(found), {**values, "number": Decimal(number)}, row.held)

    def collected(self, line: Repeat, inner: Carried, env: Env) -> tuple[str, ...]:
        if not is_filled(line.collects):
            return ()
        value = compute(line.collects, inner, env)
        many = value if isinstance(value, tuple) else (value,)
        return tuple(text for one in many if (text := as_text(one, env.zone).strip()))

    def after(self, line: Repeat, rounds: int, all_collected: tuple[str, ...], carried: Carried) -> Carried:
        return carried.plus(line.id, AFTER, {"count": Decimal(rounds), "collected": all_collected or None})

    def fillings(self, line: Repeat) -> Iterator[Filling]:
        yield line.collects

    def says(self, line: Repeat, names: Mapping[int, str]) -> str:
        return "for each of a list"


KIND = RepeatKind()
