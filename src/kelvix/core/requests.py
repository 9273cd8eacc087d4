"""Requests to a workflow's own address: what is declared of them, what they bring, and what they bring that nobody declared.

A value is known by where it stands, in the body, the query or the headers, and by its name there; names lead into nested
objects with dots. A list of objects stays a list, whose rows a Repeat line goes through."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from kelvix.core.cells import Finding
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES, coerce, seeming
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.values import Rows, Unfit, Value, Wire, to_wire
from kelvix.core.workflow import Address, BadDocument, Input, InputList

MAX_INPUTS = 100
MAX_LISTS = 20
MAX_ROWS = 500  # of a list of a request
MAX_TOLD = 20  # names that were not declared, and are told of one by one
RECEIVED = CarriedField("received", ("Request", "Received"), "datetime")
PLACES = {"body": "Request", "query": "Query", "header": "Header"}
# Headers that any client sends, and those that prove who it is: they are neither kept nor learned.
USUAL = frozenset(
    ("accept", "authorization", "cache-control", "connection", "content-length", "content-type", "cookie", "date", "dnt",
     "expect", "forwarded", "host", "idempotency-key", "origin", "pragma", "referer", "te", "trailer", "transfer-encoding",
     "upgrade", "user-agent", "via")
)  # fmt: skip
USUAL_HEADS = ("accept-", "proxy-", "sec-", "webhook-", "x-forwarded-")


@dataclass(frozen=True)
class Request:
    """What was sent: its body as an object, its query, and its headers, whose names are in lower case."""

    body: Mapping[str, Any]
    query: Mapping[str, str] = field(default_factory=dict)
    headers: Mapping[str, str] = field(default_factory=dict)

    @staticmethod
    def of(body: Mapping[str, Any], query: Mapping[str, str], headers: Mapping[str, str]) -> Request:
        """Return a request with the headers that say something of their own."""
        own = {name.lower(): value for name, value in headers.items()}
        kept = {n: v for n, v in own.items() if n not in USUAL and not n.startswith(USUAL_HEADS)}
        return Request(body, dict(query), kept)

    def dump(self) -> dict[str, Any]:
        return {"body": self.body, "query": self.query, "headers": self.headers}


class BadRequest(ValueError):
    """A request that is not what was declared. `fields` says what is wrong, by key."""

    def __init__(self, sentence: str, fields: Mapping[str, str]):
        super().__init__(sentence)
        self.fields = dict(fields)


def fields_of(own: Address) -> tuple[CarriedField, ...]:
    """Return the values that a request carries."""
    declared = (CarriedField(i.carried, (PLACES[i.place], *i.key.split(".")), i.type) for i in own.inputs)
    return (*declared, RECEIVED)


def lists_of(own: Address) -> tuple[CarriedList, ...]:
    """Return the lists that a request carries."""
    return tuple(
        CarriedList(one.key, ("Request", *one.key.split(".")), tuple(CarriedField(f.key, (f.key,), f.type) for f in one.fields))
        for one in own.lists
    )


def values_of(own: Address, request: Request, received: datetime, env: Env) -> dict[str, Wire | Rows]:
    """Return the declared values and lists of a request. Raises BadRequest, which names what is missing and what does not
    fit."""
    values: dict[str, Wire | Rows] = {"received": to_wire(received)}
    wrong: dict[str, str] = {}
    for one in own.inputs:
        try:
            values[one.carried] = to_wire(_read(one, _raw(request, one), env))
        except Unfit as unfit:
            wrong[one.carried] = str(unfit)
    for several in own.lists:
        try:
            values[several.key] = _rows(several, dig(request.body, several.key), env)
        except Unfit as unfit:
            wrong[several.key] = str(unfit)
    if wrong:
        said = [f"the key “{k}” is missing" if s == MISSING else f"“{k}”: {s}" for k, s in wrong.items()]
        raise BadRequest("; ".join(said), wrong)
    return values


def values_that_fit(own: Address, request: Request, received: datetime, env: Env) -> dict[str, Wire | Rows]:
    """Return the same of what fits: a request that came while its workflow is being built shows what is declared of it so
    far."""
    found: dict[str, Wire | Rows] = {"received": to_wire(received)}
    for one in own.inputs:
        with suppress(Unfit):
            found[one.carried] = to_wire(_read(replace(one, required=False), _raw(request, one), env))
    for several in own.lists:
        with suppress(Unfit):
            found[several.key] = _rows(several, dig(request.body, several.key), env)
    return found


MISSING = "is missing"


def _raw(request: Request, one: Input) -> Any:
    if one.place == "body":
        return dig(request.body, one.key)
    return request.query.get(one.key) if one.place == "query" else request.headers.get(one.key.lower())


def _read(one: Input, raw: Any, env: Env) -> Value:
    if raw is None or raw == "":
        if one.required:
            raise Unfit(MISSING)
        return None
    return value_of(raw, one, env)


def value_of(raw: Any, one: Input, env: Env) -> Value:
    """Return a value as its type is. Raises Unfit."""
    if isinstance(raw, (dict, list)) and not (TYPES[one.type].has_many and isinstance(raw, list)):
        raise Unfit("is nested. Add its inner values, with dots between names")
    given: Value = tuple(str(r) for r in raw) if isinstance(raw, list) else raw if isinstance(raw, (bool, str)) else str(raw)
    return coerce(given, one.type, env.zone, (), env.order, grows=True)


def _rows(one: InputList, raw: Any, env: Env) -> Rows:
    if raw is None:
        return []
    if not isinstance(raw, list):
        raise Unfit("is not a list")
    if len(raw) > MAX_ROWS:
        raise Unfit(f"has {len(raw)} rows, more than {MAX_ROWS}")
    rows: Rows = []
    for number, row in enumerate(raw, 1):
        told: dict[str, Wire] = {}
        for inner in one.fields:
            try:
                told[inner.key] = to_wire(_read(inner, row if inner.key == ITSELF else dig(row, inner.key), env))
            except Unfit as unfit:
                raise Unfit(f"row {number}, “{inner.key}”: {unfit}") from None
        rows.append(told)
    return rows


ITSELF = "value"  # the one value of a row that is no object


def dig(body: Any, key: str) -> Any:
    """Return the value at a dotted path, in which numbers index lists. None if the path leads nowhere."""
    if isinstance(body, Mapping) and key in body:
        return body[key]
    at = body
    for part in key.split("."):
        if isinstance(at, Mapping):
            at = at.get(part)
        elif isinstance(at, list) and part.isdigit() and int(part) < len(at):
            at = at[int(part)]
        else:
            return None
    return at


# What it brings


def learned(request: Request) -> tuple[tuple[Input, ...], tuple[InputList, ...]]:
    """Return the values and the lists that a request has, with the types that they seem to be of."""
    inputs: list[Input] = []
    lists: list[InputList] = []
    for key, value in _leaves(request.body):
        if _is_list(value):
            lists.append(InputList(key, _columns(value)))
        else:
            inputs.append(Input(key, seeming(value)))
    inputs += [Input(key, seeming(value), place="query") for key, value in request.query.items()]
    inputs += [Input(key, seeming(value), place="header") for key, value in request.headers.items()]
    return tuple(inputs[:MAX_INPUTS]), tuple(lists[:MAX_LISTS])


def _is_list(value: Any) -> bool:
    """Whether rows can be made of it; a list of texts is one value, of labels."""
    return isinstance(value, list) and bool(value) and not all(isinstance(one, str) for one in value)


def _leaves(body: Any, above: str = "", in_row: bool = False) -> Iterator[tuple[str, Any]]:
    """Yield what is no object, by its path. Within a row the items of a list are called by their numbers."""
    items: Iterable[tuple[Any, Any]] = body.items() if isinstance(body, Mapping) else enumerate(body)
    for name, value in items:
        key = f"{above}.{name}" if above else str(name)
        if isinstance(value, Mapping) or (in_row and _is_list(value)):
            yield from _leaves(value, key, in_row)
        else:
            yield key, value


def _columns(rows: list[Any]) -> tuple[Input, ...]:
    """Return what rows of a list have, one or the other of them."""
    found: dict[str, Input] = {}
    for row in rows[:MAX_ROWS]:
        told = _leaves(row, in_row=True) if isinstance(row, (Mapping, list)) else [(ITSELF, row)]
        for key, value in told:
            known = found.get(key)
            kind = seeming(value)
            if known is None or (known.type != kind and value is not None):
                found[key] = Input(key, kind if known is None else "text")
    return tuple(found.values())[:MAX_INPUTS]


def not_declared(own: Address, request: Request) -> list[str]:
    """Return the names of what a request brings and nobody declared; it is kept with the run, and can be learned."""
    inputs, lists = learned(request)
    known = {(i.place, i.key) for i in own.inputs}
    declared = {one.key: {f.key for f in one.fields} for one in own.lists}

    def is_known(key: str) -> bool:
        """Whether it, what it stands within, or a part of it is declared."""
        return any(p == "body" and (k == key or k.startswith(f"{key}.") or key.startswith(f"{k}.")) for p, k in known)

    told = [i.key if i.place == "body" else f"{i.place} {i.key}" for i in inputs
            if (i.place, i.key) not in known and not (i.place == "body" and is_known(i.key))]  # fmt: skip
    for one in lists:
        if one.key in declared:
            told += [f"{one.key}: {f.key}" for f in one.fields if f.key not in declared[one.key]]
        elif not is_known(one.key):
            told.append(one.key)
    return told[:MAX_TOLD]


# Who may call


def is_from(own: Address, client: str) -> bool:
    """Say whether a request comes from where it may; anywhere, where nothing is said."""
    if not own.ranges:
        return True
    try:
        address = ipaddress.ip_address(client)
    except ValueError:
        return False
    mapped = getattr(address, "ipv4_mapped", None) or address
    return any(mapped in ipaddress.ip_network(one, strict=False) for one in own.ranges)


def check(line: str, own: Address) -> list[Finding]:
    """Return what must be put right of what is declared."""
    keys = [i.carried.strip() for i in own.inputs] + [one.key.strip() for one in own.lists]
    if not all(i.key.strip() for i in own.inputs) or not all(keys) or len(set(keys)) != len(keys):
        return [Finding(line, "each value of a request needs a unique name", key="inputs")]
    inner = [f for one in own.lists for f in one.fields]
    if any(i.type not in TYPES or not TYPES[i.type].in_requests for i in (*own.inputs, *inner)):
        return [Finding(line, "a request can’t have a value of this type", key="inputs")]
    for one in own.lists:
        named = [f.key.strip() for f in one.fields]
        if not named or not all(named) or len(set(named)) != len(named):
            return [Finding(line, f"the rows of “{one.key}” need values, each with a unique name", key="inputs")]
    for told in own.ranges:
        try:
            ipaddress.ip_network(told, strict=False)
        except ValueError:
            said = f"“{told}” is not an address range. Write one like 192.0.2.0/24 or 2001:db8::/32"
            return [Finding(line, said, key="ranges")]
    return []


def check_document(own: Address) -> None:
    """Raise BadDocument where it declares too much, or a value of no type that there is."""
    if len(own.inputs) > MAX_INPUTS or any(len(one.fields) > MAX_INPUTS for one in own.lists):
        raise BadDocument(f"a request has at most {MAX_INPUTS} values")
    if len(own.lists) > MAX_LISTS:
        raise BadDocument(f"a request has at most {MAX_LISTS} lists")
    check_types((*own.inputs, *(f for one in own.lists for f in one.fields)))


def check_types(inputs: Iterable[Input]) -> None:
    """Raise BadDocument where a value is of no type that there is."""
    unknown = next((one for one in inputs if one.type not in TYPES), None)
    if unknown:
        raise BadDocument(f"“{unknown.type}” is not a type. Use one of {', '.join(TYPES)}")
