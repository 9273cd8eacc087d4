"""Writing a tree as text, with as few parentheses as its meaning allows. What is written reads back as the same tree."""

from __future__ import annotations

from kelvix.core.feel import tree as t
from kelvix.core.feel.names import KEYWORDS, PLAIN, Scope
from kelvix.core.feel.parser import POWER, PROPERTIES
from kelvix.core.feel.values import quote

OPERAND, NEGATED, LOOSEST = 9, 8, 0


def print_tree(node: t.Node, scope: Scope) -> str:
    return _Printer(scope).at(node, LOOSEST)


def plain_name(name: str) -> str:
    """Return a name as it is written: in backticks where the standard does not allow it as it is."""
    words = name.split(" ")
    if PLAIN.fullmatch(name) and not any(w in KEYWORDS for w in words):
        return name
    return f"`{name}`"


class _Printer:
    def __init__(self, scope: Scope):
        self.scope = scope

    def at(self, node: t.Node, power: int) -> str:
        """Return the text of a node where only operators that bind at least so tight may stand bare."""
        text, own = self.text(node)
        return f"({text})" if own < power else text

    def text(self, node: t.Node) -> tuple[str, int]:
        """Return a node's text, and how tight its outermost operator binds."""
        match node:
            case t.Null():
                return "null", OPERAND
            case t.Bool(value):
                return ("true" if value else "false"), OPERAND
            case t.Number(digits):
                return digits, OPERAND
            case t.String(text):
                return quote(text), OPERAND
            case t.At(text):
                return f"@{quote(text)}", OPERAND
            case t.Name(name):
                return ("?" if name == "?" else self.function_name(name)), OPERAND
            case t.Value():
                return ".".join(plain_name(n) for n in self.scope.name_of(node) or ("no longer available",)), OPERAND
            case t.Path(of, name):
                return f"{self.at(of, OPERAND)}.{name if name in PROPERTIES else plain_name(name)}", OPERAND
            case t.Filter(of, test):
                of_text = self.at(of, OPERAND)
                if isinstance(of, (t.Number, t.String, t.At)):
                    of_text = f"({of_text})"
                return f"{of_text}[{self.at(test, LOOSEST)}]", OPERAND
            case t.Call(function, args, names):
                given = [self.at(a, LOOSEST) for a in args]
                if names:
                    given = [f"{n}: {g}" for n, g in zip(names, given, strict=True)]
                return f"{self.at(function, OPERAND)}({', '.join(given)})", OPERAND
            case t.Negate(of):
                return f"-{self.at(of, NEGATED)}", NEGATED
            case t.Binary(op, left, right):
                power = POWER[op]
                # `and` within `or` needs no parentheses, but is read wrongly by many
                needs = [OPERAND if op == "or" and isinstance(x, t.Binary) and x.op == "and" else power for x in (left, right)]
                return f"{self.at(left, needs[0])} {op} {self.at(right, max(needs[1], power + 1))}", power
            case t.Between(value, low, high):
                three = POWER["between"]
                low_text, high_text = self.at(low, POWER["+"]), self.at(high, POWER["+"])
                return f"{self.at(value, three)} between {low_text} and {high_text}", three
            case t.In(value, tests):
                return f"{self.at(value, POWER['in'])} in {self.tests(tests)}", POWER["in"]
            case t.Test(op, with_):
                return f"{op} {self.at(with_, POWER['+'])}", LOOSEST
            case t.Tests(tests, negated):
                inner = ", ".join(self.at(x, LOOSEST) for x in tests) or "-"
                return (f"not({inner})" if negated else inner), LOOSEST
            case t.InstanceOf(value, type_):
                return f"{self.at(value, POWER['instance of'])} instance of {self.type(type_)}", POWER["instance of"]
            case t.If(test, then, otherwise):
                parts = [self.at(p, LOOSEST) for p in (test, then, otherwise)]
                return f"if {parts[0]} then {parts[1]} else {parts[2]}", LOOSEST
            case t.For(iterators, body):
                return f"for {self.iterators(iterators)} return {self.at(body, LOOSEST)}", LOOSEST
            case t.Quantified(kind, iterators, test):
                return f"{kind} {self.iterators(iterators)} satisfies {self.at(test, LOOSEST)}", LOOSEST
            case t.Function(params, body):
                return f"function({', '.join(map(plain_name, params))}) {self.at(body, LOOSEST)}", LOOSEST
            case t.List(items):
                return f"[{', '.join(self.at(i, LOOSEST) for i in items)}]", OPERAND
            case t.Context(names, values):
                entries = (f"{self.key(n)}: {self.at(v, LOOSEST)}" for n, v in zip(names, values, strict=True))
                return f"{{{', '.join(entries)}}}", OPERAND
            case t.Interval():
                return self.interval(node), OPERAND
        raise TypeError(node)

    def function_name(self, name: str) -> str:
        """Write a function's name, which may hold what names may not: date and time."""
        from kelvix.core.feel.builtin import BUILTINS

        return name if name in BUILTINS.forms else plain_name(name)

    def tests(self, tests: tuple[t.Node, ...]) -> str:
        if len(tests) == 1 and isinstance(tests[0], (t.Interval, t.List)):
            return self.at(tests[0], OPERAND)
        return f"({', '.join(self.at(x, LOOSEST) for x in tests)})"

    def interval(self, node: t.Interval) -> str:
        if node.low is None and node.high is not None:
            return f"({'<=' if node.high_in else '<'} {self.at(node.high, POWER['+'])})"
        if node.high is None and node.low is not None:
            return f"({'>=' if node.low_in else '>'} {self.at(node.low, POWER['+'])})"
        assert node.low is not None and node.high is not None
        ends = f"{self.at(node.low, POWER['+'])}..{self.at(node.high, POWER['+'])}"
        return f"{'[' if node.low_in else '('}{ends}{']' if node.high_in else ')'}"

    def iterators(self, iterators: tuple[t.Iterator, ...]) -> str:
        def one(i: t.Iterator) -> str:
            to = f"..{self.at(i.to, POWER['+'])}" if i.to is not None else ""
            return f"{plain_name(i.name)} in {self.at(i.source, POWER['+'])}{to}"

        return ", ".join(map(one, iterators))

    def key(self, name: str) -> str:
        return name if PLAIN.fullmatch(name) and not any(w in KEYWORDS for w in name.split()) else quote(name)

    def type(self, type_: t.TypeName) -> str:
        inner = [self.type(a) for a in type_.args]
        if not inner:
            return type_.name
        if type_.name == "context":
            inner = [f"{n}: {i}" for n, i in zip(type_.names, inner, strict=True)]
        if type_.name == "function":
            return f"function<{', '.join(inner[:-1])}>->{inner[-1]}"
        return f"{type_.name}<{', '.join(inner)}>"
