"""A generated corpus of expressions: at least 25 for each built-in function of the standard and each operator.

Generated from a fixed seed, so that a difference found once is found again. Arguments are mostly of the declared types, and
now and then of another, or null.
"""

from __future__ import annotations

import random
from collections.abc import Callable

from kelvix.core.feel import FUNCTIONS
from kelvix.core.feel.builtin import Builtin, Param

EACH = 26
NOT_IN_FEELIN = {"range"}  # feelin 8.2 has no such function
NOT_THE_SAME_TWICE = {"now", "today"}
NUMBERS = ["0", "1", "2", "3", "7", "10", "-1", "-4", "0.5", "2.5", "-2.5", "1.25", "12.345", "100", "1000000", "0.1", "-0.75"]
TEXTS = [
    '""',
    '"a"',
    '"foobar"',
    '"Foo Bar"',
    '"b"',
    '"äöü"',
    '"a,b,c"',
    '"line one\\nline two"',
    '"x\\"y"',
    '"10"',
    '"abab"',
    '"😀x"',
]
DATES = ['date("2026-11-23")', 'date("2024-02-29")', 'date("2025-12-31")', 'date("2026-01-31")', '@"1999-07-04"']
TIMES = ['time("17:02:00")', 'time("08:00:30")', '@"00:00:00"', 'time("23:59:59")']
MOMENTS = [
    'date and time("2026-11-23T17:02:00")',
    'date and time("2024-02-29T23:30:00")',
    '@"2026-03-29T01:30:00"',
    'date and time("2026-11-23T17:02:00Z")',
]
DAYS = ['duration("P1D")', 'duration("PT36H")', 'duration("-PT90M")', '@"P10DT2H3M4S"', 'duration("PT0S")']
MONTHS = ['duration("P1M")', 'duration("P1Y2M")', '@"-P14M"', 'duration("P0M")']
LISTS = ["[1, 2, 3]", "[]", "[3, 1, 2, 3]", "[1]", "[10, 2.5, -4]", "[5, 5, 7]"]
TEXT_LISTS = ['["a", "b", "c"]', '["a", "b", "a"]', '["x"]']
CONTEXTS = ["{b: 3}", "{a: null}", '{a: "x", d: true}', "{n: -1}", "{a: 1}", "{a: 1, b: {c: 2}}", '{name: "x", n: 3}', "{}"]
RANGES = ["[1..5]", "(1..5)", "[5..10]", "[3..8]", "(5..10]", "[1..10]", "[1..5)", "[6..7]"]
PLACES = ["1", "2", "3", "-1", "-2"]
BY_CLASS = {
    "Decimal": NUMBERS,
    "str": TEXTS,
    "bool": ["true", "false"],
    "date": DATES,
    "time": TIMES,
    "datetime": MOMENTS,
    "timedelta": DAYS,
    "Months": MONTHS,
    "list": LISTS,
    "dict": CONTEXTS,
    "Range": RANGES,
    "Function": ["function(a, b) a < b"],
}
WRAPPED = ["{v: _}.v", "[_][1]", "(if true then _ else null)", "(_)", "(function(x) x)(_)"]
ANYTHING = [*NUMBERS[:6], *TEXTS[:4], "true", DATES[0], LISTS[0], CONTEXTS[0], "null"]

# Arguments whose text has a form of its own
SPECIAL: dict[tuple[str, str], list[str]] = {
    ("number", "from"): ['"1"', '"1,5"', '"1 000,5"', '"1.000,50"', '"-2.50"', '"abc"', '"1,234.5"', '"1e3"'],
    ("number", "grouping separator"): ['" "', '"."', '","', "null"],
    ("number", "decimal separator"): ['","', '"."'],
    ("date", "from"): ['"2026-11-23"', '"2026-02-30"', '"2024-02-29"', '"26-1-1"', *MOMENTS, *DATES],
    ("date", "year"): ["2026", "2024", "1999"],
    ("date", "month"): ["1", "2", "12", "13"],
    ("date", "day"): ["1", "29", "31"],
    ("time", "from"): ['"17:02:00"', '"17:02:00Z"', '"25:00:00"', '"08:30:00+01:00"', '"17:02"', *MOMENTS, *TIMES],
    ("time", "hour"): ["0", "11", "23", "24"],
    ("time", "minute"): ["0", "59", "60"],
    ("time", "second"): ["0", "30", "59"],
    ("time", "offset"): ['duration("PT1H")', 'duration("-PT5H30M")', "null"],
    ("date and time", "from"): [
        '"2026-11-23T17:02:00"',
        '"2026-11-23T17:02:00Z"',
        '"2026-11-23"',
        '"2026-02-30T00:00:00"',
        *DATES,
    ],
    ("duration", "from"): ['"P1D"', '"P1Y"', '"PT1H30M"', '"-P2D"', '"P1Y2M"', '"x"', '"P400D"', '"P14M"', '"PT0.5S"'],
    ("replace", "pattern"): ['"b"', '"[aeiou]"', '"(a)(b)"', '"^f"', '"o+"', '"\\\\s"', '"B"', '"("'],
    ("replace", "replacement"): ['"x"', '""', '"[$1]"', '"$2$1"'],
    ("replace", "flags"): ['"i"', '""', '"s"'],
    ("matches", "pattern"): ['"b"', '"^foo"', '"o{2}"', '"bar$"', '"[0-9]+"', '"^.*$"', '"FOO"', '"("', '"\\\\d"'],
    ("matches", "flags"): ['"i"', '""', '"s"'],
    ("split", "delimiter"): ['","', '"\\\\s"', '"o"', '"[,;]"', '"b+"'],
    ("string join", "list"): [*TEXT_LISTS, "[]", '["a", null, "c"]'],
    ("string join", "delimiter"): ['", "', '""', '"-"'],
    ("substring", "start position"): PLACES,
    ("substring", "length"): ["1", "2", "3", "100"],
    ("sublist", "start position"): PLACES[:4],
    ("sublist", "length"): ["1", "2"],
    ("insert before", "position"): PLACES[:4],
    ("remove", "position"): PLACES[:4],
    ("list replace", "position"): PLACES[:4],
    ("list replace", "match"): ["function(item, newItem) item < newItem", "function(item, newItem) item = 3"],
    ("list contains", "element"): ["1", "3", '"a"', "null", "2.5"],
    ("index of", "match"): ["1", "3", "5", "99"],
    ("union", "list"): LISTS,
    ("all", "list"): ["[true, false]", "[true, true]", "[]", "[true, null]", "[false, null]", "[1]"],
    ("any", "list"): ["[true, false]", "[false, false]", "[]", "[true, null]", "[false, null]", "[1]"],
    ("flatten", "list"): ["[[1, 2], [3]]", "[1, [2, [3, [4]]]]", "[]", '[["a"], "b"]'],
    ("get value", "key"): ['"a"', '"b"', '"name"', '"z"'],
    ("get value", "keys"): ['["a"]', '["b", "c"]', '["b", "z"]', "[]"],
    ("context", "entries"): [
        '[{key: "a", value: 1}]',
        '[{key: "a", value: 1}, {key: "b", value: "x"}]',
        "[]",
        "[{key: 1, value: 1}]",
    ],
    ("context put", "key"): ['"a"', '"n"', '["b", "c"]', '["b", "d"]', '["z"]'],
    ("context merge", "contexts"): ["[{a: 1}, {b: 2}]", "[{a: 1}, {a: 2}]", "[]", "[{a: {b: 1}}, {a: {c: 2}}]"],
    ("decimal", "scale"): ["0", "1", "2", "-1"],
    ("before", "value1"): [*RANGES, "1", "5", "7"],
    ("before", "value2"): [*RANGES, "1", "5", "10"],
    ("after", "value1"): [*RANGES, "1", "5", "11"],
    ("after", "value2"): [*RANGES, "1", "5", "10"],
    ("coincides", "value1"): [*RANGES, "5"],
    ("coincides", "value2"): [*RANGES, "5"],
    ("years and months duration", "from"): [*DATES],
    ("years and months duration", "to"): [*DATES],
    ("log", "number"): ["1", "2", "10", "0.5", "0", "-1"],
    ("exp", "number"): ["0", "1", "2", "-1"],
    ("sqrt", "number"): ["0", "4", "2", "2.25", "-1"],
    ("odd", "number"): ["1", "2", "-3", "0", "7"],
    ("even", "number"): ["1", "2", "-4", "0", "7"],
}
for _name in ("floor", "ceiling"):
    SPECIAL[_name, "scale"] = ["0", "1", "2", "-1"]
for _name in ("round up", "round down", "round half up", "round half down"):
    SPECIAL[_name, "scale"] = ["0", "1", "2", "-1"]
for _name in ("finishes", "during", "starts"):
    SPECIAL[_name, "point"] = [*RANGES, "1", "5", "10", "6"]
SPECIAL["finished by", "value"] = SPECIAL["includes", "value"] = SPECIAL["started by", "value"] = [*RANGES, "1", "5", "10", "6"]


def _argument(rng: random.Random, form: Builtin, param: Param) -> str:
    if rng.random() < 0.04:
        return rng.choice(ANYTHING)
    if special := SPECIAL.get((form.name, param.name)):
        return rng.choice(special)
    if not param.classes:
        return rng.choice(ANYTHING)
    return rng.choice(BY_CLASS[rng.choice(sorted(c.__name__ for c in param.classes))])


def of_builtins(rng: random.Random) -> list[tuple[str, str]]:
    made: list[tuple[str, str]] = []
    for name, forms in sorted(FUNCTIONS.forms.items()):
        if name in NOT_IN_FEELIN | NOT_THE_SAME_TWICE or forms[0].added:
            continue
        seen: set[str] = set()
        for attempt in range(EACH * 8):
            form = forms[attempt % len(forms)]
            count = rng.randint(form.least, len(form.params))
            params = list(form.params[:count])
            if form.spread and rng.random() < 0.4:
                params += [form.params[-1]] * rng.randint(1, 2)
            args = [_argument(rng, form, p) for p in params]
            if form.spread == "list" and len(args) > 1:
                args = [rng.choice(["true", "false"] if name in ("all", "any") else NUMBERS) for _ in args]
            if not form.spread and args and rng.random() < 0.15:
                args = [f"{p.name}: {a}" for p, a in zip(form.params, args, strict=False)]
            if attempt > EACH * 4 and ":" not in "".join(args[:1])[:12]:  # few arguments to choose from: give them another form
                args = [rng.choice(WRAPPED).replace("_", a) for a in args]
            seen.add(f"{name}({', '.join(args)})")
            if len(seen) >= EACH:
                break
        made += [(name, text) for text in sorted(seen)]
    return made


def of_operators(rng: random.Random) -> list[tuple[str, str]]:
    pools = [NUMBERS, NUMBERS, NUMBERS, TEXTS, DATES, MOMENTS[:3], DAYS, MONTHS, ["true", "false", "null"], LISTS]
    pick: Callable[[list[str]], str] = rng.choice
    made: list[tuple[str, str]] = []

    def take(name: str, one: Callable[[], str]) -> None:
        seen: set[str] = set()
        for attempt in range(EACH * 8):
            text = one()
            seen.add(rng.choice(WRAPPED).replace("_", text) if attempt > EACH * 4 else text)
            if len(seen) >= EACH:
                break
        made.extend((name, text) for text in sorted(seen))

    def same(op: str) -> Callable[[], str]:
        def one() -> str:
            pool = pick(pools)  # type: ignore[arg-type]
            return f"{pick(list(pool))} {op} {pick(list(pool))}"

        return one

    for op in ("=", "!=", "<", "<=", ">", ">="):
        take(op, same(op))
    for op in ("+", "-", "*", "/", "**"):
        take(op, lambda op=op: f"{pick(NUMBERS)} {op} {pick(NUMBERS)}")  # type: ignore[misc]
    take("text +", lambda: f"{pick(TEXTS)} + {pick(TEXTS)}")
    take("date + duration", lambda: f"{pick(DATES + MOMENTS)} {pick(['+', '-'])} {pick(DAYS + MONTHS)}")
    take("date - date", lambda: f"{pick(DATES)} - {pick(DATES)}")
    take("time + duration", lambda: f"{pick(TIMES)} {pick(['+', '-'])} {pick(DAYS)}")
    take("duration arithmetic", lambda: f"{pick(DAYS)} {pick(['+', '-'])} {pick(DAYS)}")
    take("duration * number", lambda: f"{pick(DAYS + MONTHS)} * {pick(['2', '3', '-1', '10'])}")
    take("months arithmetic", lambda: f"{pick(MONTHS)} {pick(['+', '-'])} {pick(MONTHS)}")
    logic = ["true", "false", "null", "1 < 2", "2 < 1", '"x"']
    take("and", lambda: f"{pick(logic)} and {pick(logic)}")
    take("or", lambda: f"{pick(logic)} or {pick(logic)}")
    take("mixed logic", lambda: f"{pick(logic)} {pick(['and', 'or'])} {pick(logic)} {pick(['and', 'or'])} {pick(logic)}")
    take(
        "precedence", lambda: " ".join([pick(NUMBERS[:8]), *(f"{pick(['+', '-', '*'])} {pick(NUMBERS[:8])}" for _ in range(3))])
    )
    take("negate", lambda: f"-({pick(NUMBERS)} + {pick(NUMBERS)})")
    take("between", lambda: f"{pick(NUMBERS)} between {pick(NUMBERS[:8])} and {pick(NUMBERS)}")
    take("in", lambda: f"{pick(NUMBERS)} in {pick([*RANGES, *LISTS, '(< 3)', '(<= 1, > 7)', '(1, 2)', '([1..2], 7)'])}")
    types = ["number", "string", "boolean", "date", "time", "date and time", "list<number>", "list", "Any"]
    take("instance of", lambda: f"{pick([pick(list(p)) for p in pools])} instance of {pick(types)}")
    take("if", lambda: f"if {pick(logic)} then {pick(NUMBERS)} else {pick(TEXTS)}")
    take("for", lambda: f"for x in {pick([*LISTS, '1..4', '3..1'])} return x {pick(['+', '*', '-'])} {pick(NUMBERS)}")
    take("for two", lambda: f"for x in {pick(LISTS)}, y in {pick(LISTS)} return x {pick(['+', '*'])} y")
    take("some", lambda: f"some x in {pick(LISTS)} satisfies x {pick(['>', '<', '='])} {pick(NUMBERS[:6])}")
    take("every", lambda: f"every x in {pick(LISTS)} satisfies x {pick(['>', '<', '='])} {pick(NUMBERS[:6])}")
    take("filter", lambda: f"{pick(LISTS)}[item {pick(['>', '<', '=', '>='])} {pick(NUMBERS[:6])}]")
    take("place", lambda: f"{pick(LISTS)}[{pick(PLACES)}]")
    rows = ["[{a: 1, b: 2}, {a: 3, b: 4}]", '[{a: 1, b: "x"}, {a: 2, b: "y"}]']
    take("filter contexts", lambda: f"{pick(rows)}[a {pick(['>', '<', '='])} {pick(NUMBERS[:4])}]{pick(['', '.b', '.a'])}")
    take("path", lambda: f"{pick(CONTEXTS)}.{pick(['a', 'b', 'name', 'n'])}")
    properties = ["year", "month", "day", "weekday"]
    take("date properties", lambda: f"{pick(DATES + MOMENTS)}.{pick(properties)}")
    take("time properties", lambda: f"{pick(TIMES + MOMENTS)}.{pick(['hour', 'minute', 'second'])}")
    take("duration properties", lambda: f"{pick(DAYS)}.{pick(['days', 'hours', 'minutes', 'seconds'])}")
    take("months properties", lambda: f"{pick(MONTHS)}.{pick(['years', 'months'])}")
    take("context", lambda: f"{{x: {pick(NUMBERS)}, y: x {pick(['+', '*', '-'])} {pick(NUMBERS)}}}.y")
    take("function", lambda: f"(function(a, b) a {pick(['+', '*', '-'])} b)({pick(NUMBERS)}, {pick(NUMBERS)})")
    take(
        "string literal",
        lambda: pick(TEXTS) + " + " + pick(['"\\u0041"', '"\\t"', '"\\\\"', '"\\U01F600"', '"é"', '"\'"', '"\\n"']),
    )
    return made


# Kept whatever the seed: one for each accepted difference that chance might leave out
FIXED = [
    ("context put", 'context put(context: {a: {b: 1}}, keys: ["a", "b"], value: 2)'),
    ("substring", 'substring("😀x", -1)'),
    ("substring", 'substring("a", -2, 1)'),
    ("modulo", "modulo(0.5, 0.1)"),
    ("number", 'number("", ",")'),
    ("number", "number(2)"),
    ("time", 'time("17:02")'),
    ("mixed logic", '"x" or true and "x"'),
    ("and", '"x" and true'),
    ("or", '"x" or false'),
    ("before", 'before("a", [5..10])'),
    ("before", "before(value1: 1, value2: [5..10])"),
    ("includes", 'includes([5..10], "a")'),
    ("replace", 'replace("abc", "b", "[$2]")'),
    ("get value", 'get value({a: {b: 1}}, ["a", "b"])'),
    ("context", "context([])"),
    ("context", "context([{key: 1, value: 1}])"),
    ("if", 'if "x" then 1 else 2'),
    ("max", 'max("a")'),
    ("union", "union(1, [2])"),
    ("date and time", 'date and time(date("2026-11-23"))'),
    ("between", "3 between 5 and 1"),
    ("**", "-1 ** 0.5"),
    ("is", 'is("a", 1)'),
    ("median", "median(3, 1, 2)"),
    ("mode", "mode(3, 1)"),
    ("floor", "floor(1.5, null)"),
]


def corpus() -> list[tuple[str, str]]:
    """(what it is about, expression) for all of them."""
    rng = random.Random(20261125)
    return [*of_builtins(rng), *of_operators(rng), *FIXED]
