"""List functions (OMG DMN 1.5, table 70, and sort of table 76). Places are counted from 1, from the end with -1."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from decimal import Decimal
from functools import cmp_to_key

from kelvix.core.feel.arithmetic import add
from kelvix.core.feel.builtin import ANY, BOOLEAN, BUILTINS, FUNCTION, LIST, NUMBER, Param
from kelvix.core.feel.calls import call_function
from kelvix.core.feel.comparison import ORDERED, any_of, equal, less, more
from kelvix.core.feel.environment import Env, sized
from kelvix.core.feel.functions.conversion import whole
from kelvix.core.feel.values import Function, Months

GROUP = "Lists"
LIST_ONLY = [Param("list", LIST)]
Items = list[object]


def quiet_equal(env: Env, a: object, b: object) -> bool:
    """Equality for looking through lists: items of another type are simply others."""
    return (a is None and b is None) or (a.__class__ is b.__class__ and equal(env, a, b) is True)


def place_in(items: Items, position: Decimal) -> int:
    """Return a position as Python's index. Raises ValueError for a position outside the list."""
    at = whole(position, "the position")
    if at == 0 or abs(at) > len(items):
        raise ValueError(f"there is no position {at} in a list of {len(items)}")
    return at - 1 if at > 0 else len(items) + at


def numbers_in(items: Items) -> list[Decimal]:
    if not all(isinstance(i, Decimal) for i in items):
        raise ValueError("the list must hold numbers only")
    return items  # type: ignore[return-value]


@BUILTINS.add(
    "list contains",
    [Param("list", LIST), Param("element", ANY)],
    BOOLEAN,
    "Whether a list holds this element.",
    "list contains([1, 2, 3], 2)",
    "true",
    GROUP,
    needs_env=True,
)
def list_contains(env: Env, items: Items, element: object) -> bool:
    return any(quiet_equal(env, i, element) for i in items)


@BUILTINS.add("count", LIST_ONLY, NUMBER, "How many items a list has.", "count([1, 2, 3])", "3", GROUP)
def count(items: Items) -> Decimal:
    return Decimal(len(items))


def _least(env: Env, items: Items, better: Callable[[Env, object, object], bool | None]) -> object:
    if not items:
        return None
    if items[0].__class__ is Decimal and all(i.__class__ is Decimal for i in items):
        return (min if better is less else max)(items)  # type: ignore[type-var]
    best = items[0]
    if not isinstance(best, ORDERED):
        raise ValueError("the items can’t be compared with each other")
    for item in items[1:]:
        found = better(env, item, best)
        if found is None:
            raise ValueError("the items can’t be compared with each other")
        best = item if found else best
    return best


@BUILTINS.add("min", LIST_ONLY, ANY, "The smallest item.", "min(3, 1, 2)", "1", GROUP, spread="list", needs_env=True)
def min_(env: Env, items: Items) -> object:
    return _least(env, items, less)


@BUILTINS.add("max", LIST_ONLY, ANY, "The largest item.", "max([1, 2, 3])", "3", GROUP, spread="list", needs_env=True)
def max_(env: Env, items: Items) -> object:
    return _least(env, items, more)


@BUILTINS.add(
    "sum", LIST_ONLY, NUMBER, "The sum; null for an empty list.", "sum([1, 2, 3])", "6", GROUP, spread="list", needs_env=True
)
def sum_(env: Env, items: Items) -> object:
    if not items:
        return None
    if all(i.__class__ is Decimal for i in items):
        return sum(items, Decimal())  # type: ignore[arg-type, type-var]
    if not all(isinstance(i, (timedelta, Months)) for i in items):
        raise ValueError("only numbers and durations have a sum")
    total = items[0]
    for item in items[1:]:
        total = add(env, total, item)
    return total


@BUILTINS.add("mean", LIST_ONLY, NUMBER, "The arithmetic mean.", "mean([1, 2, 3])", "2", GROUP, spread="list")
def mean(items: Items) -> Decimal | None:
    return sum(numbers_in(items), Decimal()) / len(items) if items else None


@BUILTINS.add("product", LIST_ONLY, NUMBER, "The product of all numbers.", "product([2, 3, 4])", "24", GROUP, spread="list")
def product(items: Items) -> Decimal | None:
    if not items:
        return None
    total = Decimal(1)
    for n in numbers_in(items):
        total *= n
    return total


@BUILTINS.add("median", LIST_ONLY, NUMBER, "The middle value.", "median([8, 2, 5, 3, 4])", "4", GROUP, spread="list")
def median(items: Items) -> Decimal | None:
    if not items:
        return None
    ordered = sorted(numbers_in(items))
    middle = len(ordered) // 2
    return ordered[middle] if len(ordered) % 2 else (ordered[middle - 1] + ordered[middle]) / 2


@BUILTINS.add(
    "stddev",
    LIST_ONLY,
    NUMBER,
    "The standard deviation of a sample.",
    "stddev([2, 4, 7, 5]) > 2.08",
    "true",
    GROUP,
    spread="list",
)
def stddev(items: Items) -> Decimal | None:
    found = numbers_in(items)
    if len(found) < 2:
        return None
    middle = sum(found, Decimal()) / len(found)
    return (sum(((n - middle) ** 2 for n in found), Decimal()) / (len(found) - 1)).sqrt()


@BUILTINS.add(
    "mode",
    LIST_ONLY,
    LIST,
    "The numbers that occur most often, in order.",
    "mode([6, 3, 9, 6, 6])",
    "[6]",
    GROUP,
    spread="list",
)
def mode(items: Items) -> list[Decimal]:
    counts: dict[Decimal, int] = {}
    for n in numbers_in(items):
        counts[n] = counts.get(n, 0) + 1
    most = max(counts.values(), default=0)
    return sorted(n for n, c in counts.items() if c == most)


@BUILTINS.add("all", LIST_ONLY, BOOLEAN, "Whether all are true.", "all([true, false])", "false", GROUP, spread="list")
def all_(items: Items) -> bool | None:
    if any(i is False for i in items):
        return False
    return True if all(i is True for i in items) else None


@BUILTINS.add("any", LIST_ONLY, BOOLEAN, "Whether one is true.", "any([false, true])", "true", GROUP, spread="list")
def any_(items: Items) -> bool | None:
    return any_of(i if isinstance(i, bool) else None for i in items)


@BUILTINS.add(
    "sublist",
    [Param("list", LIST), Param("start position", NUMBER), Param("length", NUMBER, True)],
    LIST,
    "Part of a list, from a position on.",
    "sublist([4, 5, 6], 1, 2)",
    "[4, 5]",
    GROUP,
)
def sublist(items: Items, start: Decimal, length: Decimal | None = None) -> Items:
    begin = place_in(items, start)
    if length is not None and whole(length, "the length") < 0:
        raise ValueError("a length is not negative")
    return items[begin:] if length is None else items[begin : begin + int(length)]


@BUILTINS.add(
    "append",
    [Param("list", LIST), Param("item", LIST)],
    LIST,
    "The list with items added at the end.",
    "append([1], 2, 3)",
    "[1, 2, 3]",
    GROUP,
    spread="items",
)
def append(items: Items, more_items: Items) -> Items:
    return sized([*items, *more_items])


@BUILTINS.add(
    "concatenate",
    [Param("list", LIST)],
    LIST,
    "Several lists combined into one.",
    "concatenate([1, 2], [3])",
    "[1, 2, 3]",
    GROUP,
    spread="items",
)
def concatenate(lists: Items) -> Items:
    joined: Items = []
    for part in lists:
        joined += part if isinstance(part, list) else [part]
        sized(joined)
    return joined


@BUILTINS.add(
    "insert before",
    [Param("list", LIST), Param("position", NUMBER), Param("new item", ANY)],
    LIST,
    "The list with an item inserted before a position.",
    "insert before([1, 3], 1, 2)",
    "[2, 1, 3]",
    GROUP,
)
def insert_before(items: Items, position: Decimal, new: object) -> Items:
    at = place_in(items, position)
    return sized([*items[:at], new, *items[at:]])


@BUILTINS.add(
    "remove",
    [Param("list", LIST), Param("position", NUMBER)],
    LIST,
    "The list without the item at a position.",
    "remove([1, 2, 3], 2)",
    "[1, 3]",
    GROUP,
)
def remove(items: Items, position: Decimal) -> Items:
    at = place_in(items, position)
    return [*items[:at], *items[at + 1 :]]


@BUILTINS.add(
    "list replace",
    [Param("list", LIST), Param("position", NUMBER | FUNCTION), Param("newItem", ANY)],
    LIST,
    "The list with an item replaced at a position, or wherever a function of the old and new item is true.",
    "list replace([2, 4, 7, 8], 3, 6)",
    "[2, 4, 6, 8]",
    GROUP,
    needs_env=True,
)
def list_replace(env: Env, items: Items, position: Decimal | Function, new: object) -> Items:
    if isinstance(position, Function):
        return [new if call_function(env, position, (i, new)) is True else i for i in items]
    at = place_in(items, position)
    return [*items[:at], new, *items[at + 1 :]]


BUILTINS.add(
    "list replace",
    [Param("list", LIST), Param("match", FUNCTION), Param("newItem", ANY)],
    LIST,
    "The list with items replaced wherever a function of the old and new item is true.",
    "list replace(list: [2, 4, 7, 8], match: function(item, newItem) item < newItem, newItem: 5)",
    "[5, 5, 7, 8]",
    GROUP,
    needs_env=True,
)(list_replace)


@BUILTINS.add("reverse", LIST_ONLY, LIST, "The list in reverse order.", "reverse([1, 2, 3])", "[3, 2, 1]", GROUP)
def reverse(items: Items) -> Items:
    return items[::-1]


@BUILTINS.add(
    "index of",
    [Param("list", LIST), Param("match", ANY)],
    LIST,
    "The positions of an item.",
    "index of([1, 2, 3, 2], 2)",
    "[2, 4]",
    GROUP,
    needs_env=True,
)
def index_of(env: Env, items: Items, match: object) -> Items:
    return [Decimal(n) for n, i in enumerate(items, 1) if quiet_equal(env, i, match)]


def _distinct(env: Env, items: Items) -> Items:
    """Plain values are told apart by a set; all others are compared with each other."""
    kept: Items = []
    seen: set[tuple[type, object]] = set()
    others: Items = []
    for item in items:
        if isinstance(item, (str, bool, Decimal)):
            if (item.__class__, item) in seen:
                continue
            seen.add((item.__class__, item))
        else:
            env.spend(len(others))
            if any(quiet_equal(env, item, k) for k in others):
                continue
            others.append(item)
        kept.append(item)
    return kept


@BUILTINS.add(
    "union",
    [Param("list", LIST)],
    LIST,
    "All items of several lists, each once.",
    "union([1, 2], [2, 3])",
    "[1, 2, 3]",
    GROUP,
    spread="items",
    needs_env=True,
)
def union(env: Env, lists: Items) -> Items:
    return _distinct(env, concatenate(lists))


@BUILTINS.add(
    "distinct values",
    LIST_ONLY,
    LIST,
    "The list without duplicates.",
    "distinct values([1, 2, 3, 2, 1])",
    "[1, 2, 3]",
    GROUP,
    needs_env=True,
)
def distinct_values(env: Env, items: Items) -> Items:
    return _distinct(env, items)


@BUILTINS.add(
    "flatten",
    LIST_ONLY,
    LIST,
    "All nested lists combined into one list.",
    "flatten([[1, 2], [[3]], 4])",
    "[1, 2, 3, 4]",
    GROUP,
    needs_env=True,
)
def flatten(env: Env, items: Items) -> Items:
    flat: Items = []
    for item in items:
        env.spend()
        flat += flatten(env, item) if isinstance(item, list) else [item]
        sized(flat)
    return flat


@BUILTINS.add(
    "sort",
    [Param("list", LIST), Param("precedes", FUNCTION, True)],
    LIST,
    "The list sorted: a function says whether its first argument comes before its second.",
    "sort([3, 1, 4], function(x, y) x < y)",
    "[1, 3, 4]",
    GROUP,
    needs_env=True,
)
def sort(env: Env, items: Items, precedes: Function | None = None) -> Items:
    def compare(a: object, b: object) -> int:
        if precedes is None:
            return -1 if less(env, a, b) is True else 1 if more(env, a, b) is True else 0
        if call_function(env, precedes, (a, b)) is True:
            return -1
        return 1 if call_function(env, precedes, (b, a)) is True else 0

    return sorted(items, key=cmp_to_key(compare))
