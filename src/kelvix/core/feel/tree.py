"""The parsed form of an expression: plain frozen nodes, and their JSON form, in which expressions are kept.

A carried value is a `Value` by line and key, so that renaming a field or adding a name never changes what an expression
means. All other nodes follow the grammar of the standard (OMG DMN 1.5, clause 10.3.1.2).
"""

from __future__ import annotations

import json
from dataclasses import dataclass, fields
from typing import ClassVar, Literal

DEEPEST = 200  # levels of nesting


@dataclass(frozen=True)
class Null:
    pass


@dataclass(frozen=True)
class Bool:
    value: bool


@dataclass(frozen=True)
class Number:
    """`digits` as written, without sign."""

    digits: str


@dataclass(frozen=True)
class String:
    text: str


@dataclass(frozen=True)
class At:
    """A date, time, date and time or duration written as @"…"."""

    text: str


@dataclass(frozen=True)
class Name:
    name: str


@dataclass(frozen=True)
class Value:
    """A carried value, by identity."""

    line: str
    key: str


@dataclass(frozen=True)
class Path:
    of: Node
    name: str


@dataclass(frozen=True)
class Filter:
    of: Node
    test: Node


@dataclass(frozen=True)
class Call:
    """`names` is empty for positional arguments, else as long as `args`."""

    function: Node
    args: tuple[Node, ...]
    names: tuple[str, ...] = ()


@dataclass(frozen=True)
class Negate:
    of: Node


@dataclass(frozen=True)
class Binary:
    """`op` is one of + - * / ** = != < <= > >= and or."""

    op: str
    left: Node
    right: Node


@dataclass(frozen=True)
class Between:
    value: Node
    low: Node
    high: Node


@dataclass(frozen=True)
class In:
    """Whether a value passes one of the tests."""

    value: Node
    tests: tuple[Node, ...]


@dataclass(frozen=True)
class Test:
    """A unary test such as `< 5`; only within In and Tests."""

    op: str
    with_: Node


@dataclass(frozen=True)
class Tests:
    """Unary tests by themselves, about the value named `?`. `negated` is not( … ); no tests at all is `-`, which anything
    passes."""

    tests: tuple[Node, ...]
    negated: bool = False


@dataclass(frozen=True)
class TypeName:
    """A type as `instance of` names it. Of a context the `names` are its entries'; of a function `args` are the
    parameters' types, with the result's last."""

    name: str
    args: tuple[TypeName, ...] = ()
    names: tuple[str, ...] = ()


@dataclass(frozen=True)
class InstanceOf:
    value: Node
    type: TypeName


@dataclass(frozen=True)
class If:
    test: Node
    then: Node
    otherwise: Node


@dataclass(frozen=True)
class Iterator:
    """`to` is set where a range is run through: for i in 1..3."""

    name: str
    source: Node
    to: Node | None = None


@dataclass(frozen=True)
class For:
    iterators: tuple[Iterator, ...]
    body: Node


@dataclass(frozen=True)
class Quantified:
    kind: Literal["some", "every"]
    iterators: tuple[Iterator, ...]
    test: Node


@dataclass(frozen=True)
class Function:
    params: tuple[str, ...]
    body: Node


@dataclass(frozen=True)
class List:
    items: tuple[Node, ...]


@dataclass(frozen=True)
class Context:
    names: tuple[str, ...]
    values: tuple[Node, ...]


@dataclass(frozen=True)
class Interval:
    """A range as written. An end that is None is open without bound."""

    low: Node | None
    low_in: bool
    high: Node | None
    high_in: bool


Node = (
    Null
    | Bool
    | Number
    | String
    | At
    | Name
    | Value
    | Path
    | Filter
    | Call
    | Negate
    | Binary
    | Between
    | In
    | Test
    | Tests
    | InstanceOf
    | If
    | For
    | Quantified
    | Function
    | List
    | Context
    | Interval
)


class _Kinds:
    by_name: ClassVar[dict[str, type]] = {
        k.__name__: k
        for k in (
            *(Null, Bool, Number, String, At, Name, Value, Path, Filter, Call, Negate, Binary, Between, In, Test, Tests),
            *(TypeName, InstanceOf, If, Iterator, For, Quantified, Function, List, Context, Interval),
        )
    }


def _to_json(part: object) -> object:
    if isinstance(part, tuple):
        return [_to_json(p) for p in part]
    if part is None or isinstance(part, (str, bool)):
        return part
    return {type(part).__name__: [_to_json(getattr(part, f.name)) for f in fields(part)]}  # type: ignore[arg-type]


def _from_json(data: object, depth: int = 0) -> object:
    if depth > 3 * DEEPEST:
        raise ValueError("nested too deep")
    if isinstance(data, list):
        return tuple(_from_json(d, depth + 1) for d in data)
    if isinstance(data, dict):
        ((kind, parts),) = data.items()
        return _Kinds.by_name[kind](*(_from_json(p, depth + 1) for p in parts))
    if data is None or isinstance(data, (str, bool)):
        return data
    raise ValueError("not a part of an expression")


def dump(node: Node) -> str:
    """Return the JSON form, one line."""
    return json.dumps(_to_json(node), ensure_ascii=False, separators=(",", ":"))


def load(text: str) -> Node:
    """Return the node behind its JSON form. Raises ValueError for anything that is not one, in whatever part."""
    try:
        node = _from_json(json.loads(text))
    except (ValueError, TypeError, KeyError, RecursionError) as error:
        raise ValueError("this is not a kept expression") from error
    if isinstance(node, (TypeName, Iterator)):
        raise ValueError("this is not a kept expression")
    _check(node, 0)
    return node  # type: ignore[return-value]


_STRINGS = {"digits", "text", "name", "line", "key", "op", "kind"}
_BOOLS = {"value": Bool, "low_in": Interval, "high_in": Interval, "negated": Tests}
_OPS = {"+", "-", "*", "/", "**", "=", "!=", "<", "<=", ">", ">=", "and", "or", "some", "every"}
_LISTS = {
    "args": object,
    "names": str,
    "tests": object,
    "iterators": Iterator,
    "params": str,
    "items": object,
    "values": object,
}


def _check(node: object, depth: int) -> None:
    """Every part is of the kind that its place wants, so that what comes from outside is as good as what we parsed."""
    bad = ValueError("this is not a kept expression")
    if not isinstance(node, tuple(_Kinds.by_name.values())) or depth > 2 * DEEPEST:
        raise bad
    for f in fields(node):  # type: ignore[arg-type]
        part = getattr(node, f.name)
        if f.name in _STRINGS:
            if not isinstance(part, str) or (f.name in ("op", "kind") and part not in _OPS):
                raise bad
            if f.name == "digits" and not part.replace(".", "", 1).isdecimal():
                raise bad
        elif f.name in _BOOLS and isinstance(node, _BOOLS[f.name]):
            if not isinstance(part, bool):
                raise bad
        elif f.name in _LISTS:
            if not isinstance(part, tuple):
                raise bad
            for p in part:
                if _LISTS[f.name] is str:
                    if not isinstance(p, str):
                        raise bad
                else:
                    _check_child(node, f.name, p, depth)
        elif part is None and f.name in ("to", "low", "high") and isinstance(node, (Iterator, Interval)):
            continue
        else:
            _check_child(node, f.name, part, depth)
    if isinstance(node, Call) and node.names and len(node.names) != len(node.args):
        raise bad
    if isinstance(node, Context) and len(node.names) != len(node.values):
        raise bad


def _check_child(parent: object, place: str, part: object, depth: int) -> None:
    wants_type = isinstance(parent, TypeName) or (isinstance(parent, InstanceOf) and place == "type")
    if wants_type != isinstance(part, TypeName) or (place == "iterators") != isinstance(part, Iterator):
        raise ValueError("this is not a kept expression")
    _check(part, depth + 1)


def children(node: object) -> list[object]:
    """Return the nodes directly within a node."""
    found: list[object] = []
    for f in fields(node):  # type: ignore[arg-type]
        part = getattr(node, f.name)
        for p in part if isinstance(part, tuple) else (part,):
            if isinstance(p, tuple(_Kinds.by_name.values())):
                found.append(p)
    return found


def values_in(node: Node) -> tuple[Value, ...]:
    """Return the carried values that an expression uses, each once, in order."""
    found: dict[Value, None] = {}
    waiting: list[object] = [node]
    while waiting:
        part = waiting.pop()
        if isinstance(part, Value):
            found[part] = None
        waiting += reversed(children(part))
    return tuple(found)


def depth(node: object) -> int:
    deepest, left = 0, [(node, 1)]
    while left:
        one, level = left.pop()
        deepest = max(deepest, level)
        left += [(child, level + 1) for child in children(one)]
    return deepest
