"""How a target field gets its value, and what can be said about it before anything is written."""

from __future__ import annotations

import dataclasses
import difflib
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal
from zoneinfo import ZoneInfo

from rapidfuzz import fuzz

from kelvix.core import formulas
from kelvix.core.feel import Env
from kelvix.core.feel import tree as t
from kelvix.core.fields import TYPES, is_text
from kelvix.core.fields.choice import UnknownChoice
from kelvix.core.fields.date import ORDERS, Doubtful
from kelvix.core.fields.email import EMAIL
from kelvix.core.schema import CarriedField, CarriedList, Database, Field
from kelvix.core.values import FieldId, RecordId, Type, Unfit, Value, as_text, fold, shorten
from kelvix.core.workflow import FieldFilling, Filling, Fills, Formula, Part, Reference, Shaped, Sought, filling_of

UTC_ZONE = ZoneInfo("UTC")  # for dates alone, which have no zone
PERSON_WORDS = {"name", "person", "who", "contact", "author", "sender", "customer", "client"}


@dataclass(frozen=True)
class Held:
    """A record that lines below can change: of a database, whether there is one with this sample, which (none where it was only
    rehearsed), and its values."""

    database: int
    there: bool = False
    record: RecordId | None = None
    values: Mapping[FieldId, Value] = dataclasses.field(default_factory=dict)


@dataclass(frozen=True)
class ListRow:
    """A row of a carried list: its values by key, and the record that it is, if any."""

    values: Mapping[str, Value]
    held: Held | None = None


@dataclass(frozen=True)
class Carried:
    """All that a line can use. `fields` says what there is, `values` what this sample has of it; a key that is missing
    from `values` is absent from the sample, None is empty. `unreadable` says of a value what is wrong with it: whatever uses
    it is stopped by that sentence, rather than by taking it for empty. `lists` and `rows` are the same for lists."""

    fields: Mapping[Reference, CarriedField]
    values: Mapping[Reference, Value]
    unreadable: Mapping[Reference, str] = dataclasses.field(default_factory=dict)
    records: Mapping[str, Held] = dataclasses.field(default_factory=dict)  # by the line that found, added or updated it
    lists: Mapping[Reference, CarriedList] = dataclasses.field(default_factory=dict)
    rows: Mapping[Reference, tuple[ListRow, ...]] = dataclasses.field(default_factory=dict)

    def check_readable(self, refs: Iterable[Reference]) -> None:
        """Check that values can be read. Raises Unfit for a value that could not be read."""
        for ref in refs:
            if ref in self.unreadable:
                raise Unfit(f"{self.name(ref)} can’t be read in this item: {self.unreadable[ref]}")

    def name(self, ref: Reference) -> str:
        found = self.fields.get(ref)
        return " › ".join(found.name) if found else "a deleted value"

    @cached_property
    def by_key(self) -> dict[tuple[str, str], Value]:
        """The values as formulas name them."""
        return {(ref.line, ref.value): value for ref, value in self.values.items()}

    @cached_property
    def types(self) -> dict[tuple[str, str], Type]:
        return {(ref.line, ref.value): field.type for ref, field in self.fields.items()}

    def plus(
        self, line: str, fields: tuple[CarriedField, ...], values: Mapping[str, Value], held: Held | None = None
    ) -> Carried:
        """With what one more line produced, and the record that it is about."""
        return Carried(
            {**self.fields, **{Reference(line, f.key): f for f in fields}},
            {**self.values, **{Reference(line, k): v for k, v in values.items()}},
            self.unreadable,
            {**self.records, line: held} if held else self.records,
            self.lists,
            self.rows,
        )

    def plus_list(self, line: str, one: CarriedList, rows: tuple[ListRow, ...] | None) -> Carried:
        """With a list that one more line produced; None where the sample has none."""
        ref = Reference(line, one.key)
        given = self.rows if rows is None else {**self.rows, ref: rows}
        return replace(self, lists={**self.lists, ref: one}, rows=given)

    def after(self, inner: Carried) -> Carried:
        """Return what is left of all that lines within a line carried: the records known out here, as they are now."""
        return replace(self, records={line: inner.records.get(line, held) for line, held in self.records.items()})


@dataclass(frozen=True)
class Remedy:
    """One click that puts something right: new fillings for fields of the same line, a Shape line's value made anew, all
    comparisons of a Find line, or a choice that a field is given."""

    label: str
    fills: tuple[FieldFilling, ...]
    shaped: Shaped | None = None
    sought: tuple[Sought, ...] | None = None
    choice: str | None = None


FieldState = Literal["fits", "empty", "look", "put_right"]


@dataclass(frozen=True)
class FieldResult:
    """What one field would get from one sample. `look` is a doubt, `put_right` stops the line. `about`: the field itself, where
    it is still there."""

    field: FieldId
    state: FieldState
    value: Value = None
    sentence: str = ""
    remedies: tuple[Remedy, ...] = ()
    clears: bool = False  # an empty value that is written
    about: Field | None = dataclasses.field(default=None, compare=False)


def compute(filling: Filling, carried: Carried, env: Env) -> Value:
    """Compute what a field is filled with: a single carried value or formula keeps its type; anything mixed is text. Raises
    Unfit for what no longer exists, and for a formula that cannot be worked out with this sample."""
    for ref in references(filling):
        if ref not in carried.fields:
            raise Unfit("this uses a value that is no longer available. Choose another")
    carried.check_readable(references(filling))
    values = [_piece(p, carried, env) for p in filling]
    if len(values) == 1 and filling[0].text is None:
        return values[0]
    text = "".join(as_text(v, env.zone) for v in values)
    return text if text.strip() else None


def _piece(part: Part, carried: Carried, env: Env) -> Value:
    if part.text is not None:
        return part.text
    if part.ref is not None:
        return carried.values.get(part.ref)
    assert part.formula is not None
    if not part.formula.tree:
        raise Unfit("this formula has an error")
    return formulas.evaluate(part.formula.tree, carried.by_key, env)


def references(filling: Filling) -> tuple[Reference, ...]:
    """Return the carried values that a filling uses, each once, those within formulas too."""
    found: dict[Reference, None] = {}
    for part in filling:
        if part.ref is not None:
            found[part.ref] = None
        elif part.formula is not None and part.formula.tree:
            found |= dict.fromkeys(Reference(v.line, v.key) for v in formulas.values_of(part.formula.tree))
    return tuple(found)


def _coerced(value: Value, field: Field, env: Env) -> Value:
    """Return a value as a field keeps it, by the workspace's ways of writing. Raises Unfit."""
    return field.take(value, env.zone, env.order)


def is_filled(filling: Filling) -> bool:
    return any(p.ref is not None or p.formula is not None or p.text for p in filling)


def fill_record(line: Fills, database: Database, carried: Carried, env: Env, there: Held | None = None) -> list[FieldResult]:
    """Return a result for each field of the database that is filled or must be, in the database's order; first those whose
    field is gone. `there`: the record that is changed, whose other fields stay."""
    results = [
        FieldResult(
            f.field,
            "put_right",
            None,
            f"{database.name} no longer has the field {f'“{f.named}”' if f.named else 'that this fills'}",
            _gone_remedies(line, f, database, carried, env),
        )
        for f in line.fillings
        if is_filled(f.filling) and database.field(f.field) is None
    ]
    for field in database.fields:
        filling = filling_of(line, field.id)
        if is_filled(filling) and not field.can_write:
            remove = Remedy("remove it", (FieldFilling(field.id, ()),))
            said = f"{field.name} is read-only"
            results.append(FieldResult(field.id, "put_right", None, said, (remove,), about=field))
        elif is_filled(filling):
            result = _fill_field(line, field, filling, database, carried, env, there)
            results.append(replace(_against(line, field, result, there, env) if there else result, about=field))
        elif field.required and there is None:
            said, offers = f"{field.name} is required", _offers(field, (), carried, env)
            results.append(FieldResult(field.id, "put_right", None, said, offers, about=field))
    return results


def _against(line: Fills, field: Field, result: FieldResult, there: Held, env: Env) -> FieldResult:
    """Return a result beside what the record has: what changes, what stays, and what an empty value does."""
    was = there.values.get(field.id)
    if result.value is None and result.state == "empty":
        clears = any(f.field == field.id and f.empty == "clear" for f in line.fillings)
        if not clears:
            return replace(result, sentence=f"{result.sentence}; the current value is kept")
        if field.required:
            return replace(result, state="put_right", sentence=f"{field.name} is required and can’t be cleared")
        return replace(result, sentence=f"{result.sentence}; the value is cleared", clears=True)
    if result.state not in ("fits", "look") or result.sentence:
        return result
    if result.value == was:
        return replace(result, sentence="unchanged")
    old = as_text(field.named(was), env.zone)
    return replace(result, sentence=f"was {shorten(old)}" if old else "was empty")


def _is_still_unknown(filling: Filling, carried: Carried) -> bool:
    """Whether a field is filled with what is only known of a record once it was written: a rehearsal writes nothing."""
    ref = filling[0].ref if len(filling) == 1 else None
    held = carried.records.get(ref.line) if ref is not None else None
    return held is not None and held.there and held.record is None and ref not in carried.values


def _fill_field(
    line: Fills, field: Field, filling: Filling, database: Database, carried: Carried, env: Env, there: Held | None
) -> FieldResult:
    raw: Value = None
    if _is_still_unknown(filling, carried):
        return FieldResult(field.id, "look", None, "is known once the line above has run")
    try:
        raw = compute(filling, carried, env)
        value = _coerced(raw, field, env)
    except Unfit as unfit:
        remedies = _readings(field, filling, unfit) if isinstance(unfit, Doubtful) else _made_choice(field, unfit)
        remedies = remedies or _swaps(line, field, filling, database, carried, env) or _offers(field, filling, carried, env)
        return FieldResult(field.id, "put_right", None, str(unfit), remedies)
    if value is None:
        absent = len(filling) == 1 and filling[0].ref is not None and filling[0].ref not in carried.values
        said = "is missing in this item" if absent else "is empty in this item"
        if field.required and there is None:
            return FieldResult(
                field.id,
                "put_right",
                None,
                f"{field.name} is required, but {said.removeprefix('is ')}",
                _offers(field, filling, carried, env),
            )
        return FieldResult(field.id, "empty", None, said)
    doubt = _address_for_a_name(field, value)
    if doubt:
        remedies = _swaps(line, field, filling, database, carried, env) or _names_near(field, filling, carried)
        return FieldResult(field.id, "look", value, doubt, remedies)
    return FieldResult(field.id, "fits", value)


def _readings(field: Field, filling: Filling, doubt: Doubtful) -> tuple[Remedy, ...]:
    """Return the two ways in which a date can be read, each as one click."""
    ref = filling[0].ref if len(filling) == 1 else None
    if ref is None:
        return ()

    def read(order: str) -> Filling:
        node = t.Call(t.Name("read date"), (t.Value(ref.line, ref.value), t.String(order)))
        return (Part(formula=Formula(t.dump(node))),)

    return tuple(
        Remedy(f"{ORDERS[order]}: {as_text(day, UTC_ZONE)}", (FieldFilling(field.id, read(order)),))
        for order, day in doubt.readings
    )


def _made_choice(field: Field, unfit: Unfit) -> tuple[Remedy, ...]:
    """Give the field the choice that is missing, where a person may."""
    if not isinstance(unfit, UnknownChoice) or not unfit.name or not field.adds_choices:
        return ()
    return (Remedy(f"add “{shorten(unfit.name, 60)}” to {field.name}", (), choice=unfit.name),)


def _address_for_a_name(field: Field, value: Value) -> str:
    """Return a sentence where an address is about to be written into a field that seems to be for a name."""
    words = set(re.findall(r"[a-z]+", fold(field.name)))
    if not isinstance(value, str) or "@" not in value or not EMAIL.fullmatch(value):
        return ""
    if TYPES[field.type].takes_all and words & PERSON_WORDS:
        return f"“{shorten(value)}” is an address, but {field.name} looks like a name field"
    return ""


def _is_address(field: Field) -> bool:
    return TYPES[field.type].family == "address"


def _swaps(line: Fills, field: Field, filling: Filling, database: Database, carried: Carried, env: Env) -> tuple[Remedy, ...]:
    """Another field of the line with which this one was filled the wrong way round: both are better off swapped."""
    for other in line.fillings:
        target = database.field(other.field)
        if target is None or target.id == field.id or not is_filled(other.filling):
            continue
        try:
            here = _coerced(compute(other.filling, carried, env), field, env)
            there = _coerced(compute(filling, carried, env), target, env)
        except Unfit:
            continue
        if here is None or there is None or _address_for_a_name(field, here) or _address_for_a_name(target, there):
            continue
        if TYPES[field.type].takes_all is not TYPES[target.type].takes_all and (_is_address(field) or _is_address(target)):
            return (
                Remedy(
                    f"Swap {field.name} and {target.name}",
                    (FieldFilling(field.id, other.filling), FieldFilling(target.id, filling)),
                ),
            )
    return ()


def _fill_with(field: Field, ref: Reference, carried: Carried) -> Remedy:
    return Remedy(f"use {carried.name(ref)}", (FieldFilling(field.id, (Part(ref=ref),)),))


def _offers(field: Field, filling: Filling, carried: Carried, env: Env) -> tuple[Remedy, ...]:
    """Return the carried value that fits the field best: of its type, near what is used now, of a like name."""
    used = next(iter(references(filling)), None)
    near = carried.fields[used].group if used and used in carried.fields else ""
    best: tuple[float, Reference] | None = None
    for ref, candidate in carried.fields.items():
        if ref == used:
            continue
        alike = difflib.SequenceMatcher(None, fold(field.name), fold(" ".join(candidate.name))).ratio()
        score = alike + 2 * (candidate.type == field.type) + (near != "" and candidate.group == near)
        if is_text(field.type) and is_text(candidate.type):
            score += 1
        try:
            if _coerced(carried.values.get(ref), field, env) is None:
                continue
        except Unfit:
            continue
        if score > 1.3 and (best is None or score > best[0]):
            best = (score, ref)
    return (_fill_with(field, best[1], carried),) if best else ()


def _names_near(field: Field, filling: Filling, carried: Carried) -> tuple[Remedy, ...]:
    """Return the name that stands beside the address in the item."""
    for used in (ref for ref in references(filling) if ref in carried.fields):
        group = carried.fields[used].group
        for ref, candidate in carried.fields.items():
            if (
                ref.line == used.line
                and candidate.group == group
                and candidate.key.endswith(".name")
                and carried.values.get(ref)
            ):
                return (_fill_with(field, ref, carried),)
    return ()


def _gone_remedies(line: Fills, gone: FieldFilling, database: Database, carried: Carried, env: Env) -> tuple[Remedy, ...]:
    """Move the filling to the remaining field that is most like the one that is gone, or remove it."""
    free = [f for f in database.fields if not is_filled(filling_of(line, f.id)) and not never_fits(gone.filling, f, carried)]
    takes = [f for f in free if _takes(f, gone.filling, carried, env)]
    best = max(takes, key=lambda f: fuzz.WRatio(fold(f.name), fold(gone.named)), default=None)
    moved = (
        (Remedy(f"fill {best.name} with it", (FieldFilling(gone.field, ()), FieldFilling(best.id, gone.filling))),)
        if best
        else ()
    )
    return (*moved, Remedy("remove it", (FieldFilling(gone.field, ()),)))


def _takes(field: Field, filling: Filling, carried: Carried, env: Env) -> bool:
    try:
        _coerced(compute(filling, carried, env), field, env)
    except Unfit:
        return False
    return True


def never_fits(filling: Filling, field: Field, carried: Carried) -> str:
    """Return a sentence where the types alone say that no sample can fit."""
    if len(filling) != 1 or filling[0].text is not None:
        return ""
    part = filling[0]
    type_: Type | None = None
    if part.ref is not None and part.ref in carried.fields:
        type_ = carried.fields[part.ref].type
    elif part.formula is not None and part.formula.tree:
        type_ = formulas.type_of(formulas.loaded(part.formula.tree), carried.types)
    if type_ is None or TYPES[type_].family not in TYPES[field.type].refuses_families:
        return ""
    what = carried.name(part.ref) if part.ref is not None else "the formula"
    return f"{field.name} takes {TYPES[field.type].with_article}, and {what} gives {TYPES[type_].with_article}"


def describe(filling: Filling, carried: Carried) -> str:
    """Return what a field is filled with, in words: Message › Sender › Name, Date + 3 days, “New”, typed, or text with
    values."""
    if filling and all(p.text is not None for p in filling):
        return f"“{shorten(''.join(p.text or '' for p in filling))}”, typed"

    def part(p: Part) -> str:
        if p.text is not None:
            return p.text
        if p.ref is not None:
            said = carried.name(p.ref)
        else:
            step = formulas.calculation(p.formula.tree) if p.formula and p.formula.tree else None
            said = formulas.calculation_words(step, carried.name(Reference(step.line, step.key))) if step else "a formula"
        return f"[{said}]" if len(filling) > 1 else said

    return "".join(map(part, filling))
