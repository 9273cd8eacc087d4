"""Expressions compiled once, to one Python function each.

The tree is turned into Python's own syntax tree and compiled by Python, which is several times faster than closures that call
each other. Nothing of what a person wrote gets into that code: it is made of temporary names that are numbered here, of the
functions in RUNTIME, and of a table of constants. Statements rather than nested expressions, so that deep nesting is no
matter; branches are carried out only where they are needed.

The function takes the values by name, or by (line, key) for carried values, and the environment.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

from kelvix.core.feel import arithmetic, calls, comparison, environment, paths, types
from kelvix.core.feel import tree as t
from kelvix.core.feel.builtin import Builtin, Registry
from kelvix.core.feel.environment import Env, Failure, Heavy
from kelvix.core.feel.errors import FeelError, TooMuch
from kelvix.core.feel.values import Function, Months, read_at

Scope = Mapping[Any, object]
FOLDED = frozenset({date, time, datetime, timedelta, Months, Decimal, str})
PLENTY = 200  # nodes, from which on sizes are counted outside loops too
MAX_NODES = 4_000  # of one expression: each costs some time to compile
COMPARE = {"<": "less", "<=": "at_most", ">": "more", ">=": "at_least"}
RUNTIME: dict[str, object] = {  # what compiled code may call, and the classes that it asks for
    **{f.__name__: f for f in (arithmetic.add, arithmetic.subtract, arithmetic.multiply, arithmetic.divide)},
    **{f.__name__: f for f in (arithmetic.power, arithmetic.negate, comparison.equal, comparison.unequal)},
    **{f.__name__: f for f in (comparison.less, comparison.at_most, comparison.more, comparison.at_least)},
    **{f.__name__: f for f in (comparison.both, comparison.either, comparison.any_of, comparison.between)},
    **{f.__name__: f for f in (comparison.passes, comparison.passes_test, comparison.make_range, paths.path)},
    **{f.__name__: f for f in (paths.filtered, paths.at_place, paths.run_through, paths.from_to, paths.loop)},
    **{f.__name__: f for f in (paths.quantified, calls.misfit, calls.call_value, types.is_instance)},
    **{f.__name__: f for f in (environment.charged, environment.touched)},
    **{"Failure": Failure, "Function": Function, "D": Decimal, "str": str, "dict": dict, "list": list},
    "FAST": frozenset({Decimal, str, date, timedelta, Months}),
}
ARITHMETIC = {"+": "add", "-": "subtract", "*": "multiply", "/": "divide", "**": "power"}


@dataclass(frozen=True)
class Compiled:
    """An expression that is ready to be carried out; `reads` are the keys of the values that it uses."""

    node: t.Node
    run: Callable[[Scope, Env], object]
    reads: tuple[Any, ...] = ()

    def evaluate(self, scope: Scope, env: Env) -> object:
        """Return what the expression gives. Null where it cannot be worked out, with a note in `env`. Raises TooMuch, nothing
        else."""
        try:
            return self.run(scope, env)
        except Heavy:
            assert env.elsewhere
            env.notes.clear()
            return env.elsewhere(self.node, {key: scope.get(key) for key in self.reads}, env)
        except TooMuch:
            raise
        except Failure as error:
            return env.failed(error, "this formula")
        except (RecursionError, MemoryError):
            raise TooMuch("this is too large to compute") from None


def compile_tree(node: t.Node, functions: Registry) -> Compiled:
    """Compile a tree. Raises FeelError for a tree that cannot mean anything, such as a call with too few arguments."""
    unit = _Unit(functions, node)
    if unit.size > MAX_NODES:
        raise TooMuch(f"a formula has at most {MAX_NODES:,} parts; this one has {unit.size:,}")
    run = unit.function()
    return Compiled(node, run, tuple(unit.read))


class _Unit:
    """One expression under compilation. `gen` methods add statements and give the name that holds the result."""

    def __init__(self, functions: Registry, node: t.Node):
        self.functions, self.node = functions, node
        self.body: list[ast.stmt] = []
        self.count = 0
        self.constants: dict[str, object] = dict(RUNTIME)
        self.classes: dict[str, type] = {}  # of names whose class is known: constants
        self.bound: list[tuple[str | None, str]] = []  # locals by name; items of filters, without one
        self.loops = 0
        self.read: dict[object, str] = {}
        self.size = _size(node)
        self.heavy = self.size > PLENTY

    # Putting code together

    def function(self) -> Callable[[Scope, Env], object]:
        result = self.gen(self.node)
        self.emit(f"return {result}")
        reads = [ast.parse(f"{name} = s.get({self.constant(key)})").body[0] for key, name in self.read.items()]
        shell = ast.parse("def run(s, e): pass")
        run = shell.body[0]
        assert isinstance(run, ast.FunctionDef)
        run.body = [*reads, *self.body]
        names: dict[str, Any] = dict(self.constants)
        exec(compile(ast.fix_missing_locations(shell), "<expression>", "exec"), names)  # noqa: S102 - see the module's text
        made: Callable[[Scope, Env], object] = names["run"]
        return made

    def emit(self, code: str) -> None:
        self.body += _parsed(code)

    def new(self, code: str = "") -> str:
        self.count += 1
        name = f"t{self.count}"
        if code:
            self.emit(f"{name} = {code}")
        return name

    def constant(self, value: object) -> str:
        self.count += 1
        name = f"k{self.count}"
        self.constants[name] = value
        if value is not None:
            self.classes[name] = value.__class__
        return name

    def block(self, work: Callable[[], str], target: str) -> list[ast.stmt]:
        """Return the statements of a branch that ends by setting `target`."""
        outer, self.body = self.body, []
        found = work()
        self.emit(f"{target} = {found}")
        made, self.body = self.body, outer
        return made

    def branch(self, test: str, then: Callable[[], str], otherwise: Callable[[], str]) -> str:
        target = self.new()
        made = ast.If(ast.parse(test, mode="eval").body, self.block(then, target), self.block(otherwise, target))
        self.body.append(made)
        return target

    def nested(self, params: tuple[str, ...], work: Callable[[], str]) -> str:
        """Return a function within the function: the body of a loop, a filter's test, a function literal."""
        self.count += 1
        name = f"f{self.count}"
        outer, self.body = self.body, []
        self.loops += 1
        found = work()
        self.emit(f"return {found}")
        self.loops -= 1
        made = ast.parse(f"def {name}({', '.join(params)}): pass").body[0]
        assert isinstance(made, ast.FunctionDef)
        made.body, self.body = self.body, outer
        self.body.append(made)
        return name

    def is_of(self, name: str, wanted: str, cls: type) -> str:
        """Return a test that `name` is of a class; nothing where that is known."""
        return "" if self.classes.get(name) is cls else f"{name}.__class__ is {wanted}"

    def either_way(self, tests: list[str], fast: str, slow: str) -> str:
        needed = " and ".join(x for x in tests if x)
        return self.new(f"{fast} if {needed} else {slow}" if needed else fast)

    # Values

    def gen(self, node: t.Node) -> str:
        made: str = getattr(self, f"_{type(node).__name__.lower()}")(node)
        return made

    def _null(self, _: t.Null) -> str:
        return self.constant(None)

    def _bool(self, node: t.Bool) -> str:
        return self.constant(node.value)

    def _number(self, node: t.Number) -> str:
        return self.constant(_decimal(node.digits))

    def _string(self, node: t.String) -> str:
        return self.constant(node.text)

    def _at(self, node: t.At) -> str:
        try:
            return self.constant(read_at(node.text))
        except Failure as error:
            said = str(error)
            return self.new(f"e.note({self.constant(f'“{node.text}” is not a date, time or duration: {said}')})")

    def _value(self, node: t.Value) -> str:
        return self._given((node.line, node.key))

    def _given(self, key: object) -> str:
        """Return what the context gives under this key, fetched once."""
        if key not in self.read:
            self.count += 1
            self.read[key] = f"g{self.count}"
        return self.read[key]

    def _name(self, node: t.Name) -> str:
        k = self.constant(node.name)
        items: list[str] = []
        outer = ""
        for name, holder in reversed(self.bound):
            if name == node.name:
                outer = holder
                break
            if name is None:
                items.append(holder)
        if not outer and node.name == "item" and items:
            outer = items[0]
        if not outer:
            given = self._given(node.name)
            forms = self.functions.forms.get(node.name)
            if forms:
                outer = f"({given} if {k} in s else {self.constant(_as_value(forms))})"
            elif items:
                said = self.constant(f"“{node.name}” is not defined here")
                outer = f"({given} if {k} in s else e.note({said}))"
            else:
                return given
        for item in reversed(items):
            outer = f"({item}[{k}] if {item}.__class__ is dict and {k} in {item} else {outer})"
        return self.new(outer)

    def _path(self, node: t.Path) -> str:
        of, k = self.gen(node.of), self.constant(node.name)
        return self.new(f"{of}[{k}] if {of}.__class__ is dict and {k} in {of} else path(e, {of}, {k})")

    def _filter(self, node: t.Filter) -> str:
        of = self.gen(node.of)
        if isinstance(node.test, t.Number) or (isinstance(node.test, t.Negate) and isinstance(node.test.of, t.Number)):
            return self.new(f"at_place(e, {of}, {self.gen(node.test)})")
        item = self.new()

        def test() -> str:
            self.bound.append((None, item))
            found = self.gen(node.test)
            self.bound.pop()
            return found

        return self.new(f"filtered(e, {of}, {self.nested((item,), test)})")

    def _list(self, node: t.List) -> str:
        return self.new(f"[{', '.join([self.gen(i) for i in node.items])}]")

    def _context(self, node: t.Context) -> str:
        entries: list[str] = []
        for name, value in zip(node.names, node.values, strict=True):
            held = self.gen(value)
            entries.append(f"{self.constant(name)}: {held}")
            self.bound.append((name, held))
        del self.bound[len(self.bound) - len(entries) :]
        return self.new(f"{{{', '.join(entries)}}}")

    def _interval(self, node: t.Interval) -> str:
        low = self.gen(node.low) if node.low is not None else self.constant(None)
        high = self.gen(node.high) if node.high is not None else self.constant(None)
        return self.new(f"make_range(e, {low}, {node.low_in}, {high}, {node.high_in}, {node.low is None}, {node.high is None})")

    # Operators

    def _negate(self, node: t.Negate) -> str:
        if isinstance(node.of, t.Number):
            return self.constant(-_decimal(node.of.digits))
        of = self.gen(node.of)
        return self.either_way([self.is_of(of, "D", Decimal)], f"-{of}", f"negate(e, {of})")

    def _binary(self, node: t.Binary) -> str:
        if node.op in ("and", "or"):
            return self._logical(node)
        left, right = self.gen(node.left), self.gen(node.right)
        if node.op in ARITHMETIC:
            slow = f"{ARITHMETIC[node.op]}(e, {left}, {right})"
            if node.op == "+" and str in (self.classes.get(left), self.classes.get(right)) and not (self.loops or self.heavy):
                tests = [self.is_of(left, "str", str), self.is_of(right, "str", str)]
                return self.either_way(tests, f"{left} + {right}", slow)
            if node.op in ("/", "**"):
                return self.new(slow)
            tests = [self.is_of(left, "D", Decimal), self.is_of(right, "D", Decimal)]
            return self.either_way(tests, f"{left} {node.op} {right}", slow)
        return self._comparison(node.op, left, right, node.right)

    def _comparison(self, op: str, left: str, right: str, right_node: t.Node | None = None) -> str:
        if op in ("=", "!="):
            slow = f"{'equal' if op == '=' else 'unequal'}(e, {left}, {right})"
            python = "==" if op == "=" else "!="
            if isinstance(right_node, t.Null):
                return self.new(f"{left} {'is' if op == '=' else 'is not'} None")
            for one, other in ((left, right), (right, left)):
                if self.classes.get(one) is str:
                    return self.either_way([self.is_of(other, "str", str)], f"{left} {python} {right}", slow)
                if self.classes.get(one) is Decimal:
                    return self.either_way([self.is_of(other, "D", Decimal)], f"{left} {python} {right}", slow)
            return self.new(slow)
        slow = f"{COMPARE[op]}(e, {left}, {right})"
        if Decimal in (self.classes.get(left), self.classes.get(right)):
            tests = [self.is_of(left, "D", Decimal), self.is_of(right, "D", Decimal)]
        else:
            tests = [f"{left}.__class__ is {right}.__class__", f"{left}.__class__ in FAST"]
        return self.either_way(tests, f"{left} {op} {right}", slow)

    def _logical(self, node: t.Binary) -> str:
        left = self.gen(node.left)
        decided, join = ("False", "both") if node.op == "and" else ("True", "either")

        def rest() -> str:
            right = self.gen(node.right)
            known = f"{left} is {decided == 'False'} and ({right} is True or {right} is False)"
            return f"{right} if {known} else {join}({left}, {right})"

        return self.branch(f"{left} is {decided}", lambda: decided, rest)

    def _between(self, node: t.Between) -> str:
        value, low, high = self.gen(node.value), self.gen(node.low), self.gen(node.high)
        return self.new(f"between(e, {value}, {low}, {high})")

    def _in(self, node: t.In) -> str:
        return self._any_test(self.gen(node.value), node.tests)

    def _tests(self, node: t.Tests) -> str:
        if not node.tests:
            return self.constant(True)
        found = self._any_test(self._given("?"), node.tests)
        return self.new(f"(None if {found} is None else not {found})") if node.negated else found

    def _any_test(self, value: str, tests: tuple[t.Node, ...]) -> str:
        self.bound.append(("?", value))
        found = [self._one_test(value, test) for test in tests]
        self.bound.pop()
        return found[0] if len(found) == 1 else self.new(f"any_of(({', '.join(found)},))")

    def _one_test(self, value: str, test: t.Node) -> str:
        if isinstance(test, t.Test):
            return self._comparison(test.op, value, self.gen(test.with_), test.with_)
        if isinstance(test, t.Interval) and _rising(test):
            assert test.low is not None and test.high is not None
            low = self._comparison(">=" if test.low_in else ">", value, self.gen(test.low))
            high = self._comparison("<=" if test.high_in else "<", value, self.gen(test.high))
            return self.new(f"both({low}, {high})")
        asks = "passes_test" if _mentions(test, "?") else "passes"
        return self.new(f"{asks}(e, {value}, {self.gen(test)})")

    def _test(self, node: t.Test) -> str:
        raise FeelError(f"“{node.op} …” can only follow “in”")

    def _instanceof(self, node: t.InstanceOf) -> str:
        return self.new(f"is_instance({self.gen(node.value)}, {self.constant(node.type)})")

    # What is carried out in part, or many times

    def _if(self, node: t.If) -> str:
        test = self.gen(node.test)
        return self.branch(f"{test} is True", lambda: self.gen(node.then), lambda: self.gen(node.otherwise))

    def _for(self, node: t.For) -> str:
        partial = self.new("[]")
        wants_partial = _mentions(node.body, "partial")

        def body() -> str:
            if wants_partial:
                self.emit(f"e.spend(len({partial}) // 16)")
                self.bound.append(("partial", self.new(f"list({partial})")))
            found = self.gen(node.body)
            if wants_partial:
                self.bound.pop()
            return found

        def one(at: int) -> str:
            iterator = node.iterators[at]
            last = at == len(node.iterators) - 1
            source, item = self._source(iterator), self.new()

            def within() -> str:
                self.bound.append((iterator.name, item))
                found = body() if last else one(at + 1)
                self.bound.pop()
                return found

            return self.new(f"loop(e, {source}, {partial}, {self.nested((item,), within)}, {last})")

        return one(0)

    def _source(self, iterator: t.Iterator) -> str:
        source = self.gen(iterator.source)
        if iterator.to is not None:
            return self.new(f"from_to(e, {source}, {self.gen(iterator.to)})")
        return self.new(f"run_through(e, {source})")

    def _quantified(self, node: t.Quantified) -> str:
        def one(at: int) -> str:
            iterator = node.iterators[at]
            source, item = self._source(iterator), self.new()

            def within() -> str:
                self.bound.append((iterator.name, item))
                found = self.gen(node.test) if at == len(node.iterators) - 1 else one(at + 1)
                self.bound.pop()
                return found

            test = self.nested((item,), within)
            return self.new(f"None if {source} is None else quantified(e, {source}, {test}, {node.kind == 'some'})")

        return one(0)

    def _function(self, node: t.Function) -> str:
        holders = tuple(self.new() for _ in node.params)

        def body() -> str:
            self.bound += list(zip(node.params, holders, strict=True))
            found = self.gen(node.body)
            del self.bound[len(self.bound) - len(holders) :]
            return found

        made = self.nested(holders, body)
        return self.new(f"Function({self.constant(node.params)}, {made})")

    def _call(self, node: t.Call) -> str:
        if isinstance(node.function, t.Name):
            name = node.function.name
            if name in self.functions.forms and not any(n == name for n, _ in self.bound):
                form = self.functions.choose(name, len(node.args), node.names)
                if form is None:
                    forms = " or ".join(f.signature for f in self.functions.forms[name])
                    raise FeelError(f"“{name}” is written {forms}")
                return self._builtin(form, node)
        function = self.gen(node.function)
        args = "".join(f"{self.gen(a)}, " for a in node.args)
        return self.new(f"call_value(e, {function}, ({args}), {self.constant(node.names)})")

    def _builtin(self, form: Builtin, node: t.Call) -> str:
        """Arguments are checked against their types in line; what does not fit at once goes to `misfit`."""
        args = self._arguments(form, node)
        if (folded := self._folded(form, args)) is not None:
            return folded
        tests: list[str] = []
        for param, arg in zip(form.params, args, strict=False):
            known = self.classes.get(arg)
            if not param.classes or (known is not None and known in param.classes):
                continue
            if len(param.classes) == 1:
                test = f"{arg}.__class__ is {self.constant(next(iter(param.classes)))}"
            else:
                test = f"{arg}.__class__ in {self.constant(param.classes)}"
            tests.append(f"({arg} is None or {test})" if param.optional or param.nullable else test)
        do, given = self.constant(form.do), ", ".join((["e"] if form.needs_env else []) + args)
        target = self.new()
        inner = f"charged(e, {do}({given}))" if self.loops or self.heavy else f"{do}({given})"
        sized = [a for a in args if a not in self.classes]
        if sized and (self.loops or self.heavy or form.weight > 1):
            self.emit(f"touched(e, {form.weight}, {', '.join(sized)})")
        fast = _parsed(
            f"try:\n    {target} = {inner}\nexcept Failure as x:\n    {target} = e.failed(x, {self.constant(form.name)})"
        )
        if tests:
            slow = _parsed(f"{target} = misfit(e, {self.constant(form)}, ({''.join(f'{a}, ' for a in args)}))")
            self.body.append(ast.If(ast.parse(" and ".join(tests), mode="eval").body, fast, slow))
        else:
            self.body += fast
        return target

    def _folded(self, form: Builtin, args: list[str]) -> str | None:
        """Return the result of a call whose arguments are all written out, such as date("2026-11-23"): worked out once."""
        if form.needs_env or form.spread or not all(a in self.classes for a in args) or not form.result & FOLDED:
            return None
        if any(p.classes and self.classes[a] not in p.classes for p, a in zip(form.params, args, strict=False)):
            return None
        try:
            found = form.do(*(self.constants[a] for a in args))
        except Failure:
            return None  # found out, and said, when it is carried out
        return self.constant(found) if found.__class__ in FOLDED else None

    def _arguments(self, form: Builtin, node: t.Call) -> list[str]:
        """Return what is given for each parameter, in order."""
        if node.names:
            given = {n: self.gen(a) for n, a in zip(node.names, node.args, strict=True)}
            last = max(i for i, p in enumerate(form.params) if p.name in given)
            return [given[p.name] if p.name in given else self.constant(None) for p in form.params[: last + 1]]
        args = [self.gen(a) for a in node.args]
        if not form.spread:
            return args
        fixed = len(form.params) - 1
        rest = args[fixed:]
        if form.spread == "list" and len(rest) == 1:
            (one,) = rest
            spread = self.new(f"{one} if {one}.__class__ is list or {one} is None else [{one}]")
        else:
            spread = self.new(f"[{', '.join(rest)}]")
        return [*args[:fixed], spread]


def _decimal(digits: str) -> Decimal:
    try:
        return +Decimal(digits)
    except ArithmeticError:
        raise FeelError("this number is too large") from None


def _parsed(code: str) -> list[ast.stmt]:
    return ast.parse(code).body


def _size(node: object) -> int:
    """Count the nodes of a tree, however deep it is."""
    size, left = 0, [node]
    while left:
        size += 1
        left += t.children(left.pop())
    return size


def _mentions(node: object, name: str) -> bool:
    return node == t.Name(name) or any(_mentions(c, name) for c in t.children(node))


def _rising(test: t.Interval) -> bool:
    """Whether a range is written out with two ends of one kind, the lower first: it can be tested without being made."""
    ends: list[object] = []
    for end in (test.low, test.high):
        if isinstance(end, t.Number):
            ends.append(Decimal(end.digits))
        elif isinstance(end, t.At):
            try:
                ends.append(read_at(end.text))
            except Failure:
                return False
        else:
            return False
    low, high = ends
    if low.__class__ is not high.__class__ or isinstance(low, datetime):
        return False
    try:
        return bool(low <= high)  # type: ignore[operator]
    except TypeError:
        return False


def _as_value(forms: list[Builtin]) -> Function:
    """Return a built-in used as a value, as in sort(list, precedes)."""
    form = forms[0]

    def call(*args: object) -> object:
        if form.needs_env or form.spread or not form.least <= len(args) <= len(form.params):
            raise ValueError(f"{form.name} is written {form.signature}")
        return form.do(*args)

    return Function(tuple(p.name for p in form.params), call)
