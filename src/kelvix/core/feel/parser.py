"""Reading expressions: the FEEL grammar (OMG DMN 1.5, clause 10.3.1.2) by recursive descent.

Operators bind, from loose to tight: or · and · comparisons, in, between · + - · * / · ** · instance of · minus sign ·
paths, filters and calls. All are read from left to right, ** too. There is no separate lexer: a name may hold spaces and
signs, and where it ends depends on what is known.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import NoReturn

from kelvix.core.feel import tree as t
from kelvix.core.feel.builtin import Registry
from kelvix.core.feel.errors import FeelError, TooMuch, nearest_name
from kelvix.core.feel.names import KEYWORDS, Member, Scope, pattern

MAX_LENGTH = 10_000  # characters of an expression
MAX_ATTEMPTS = 500  # lists of tests, read again as something else where they turn out not to be any
SPACE = re.compile(r"(?:\s+|//[^\n]*|/\*.*?\*/)+", re.S)
WORD = re.compile(r"[^\W\d]\w*|\?")
WORDS = re.compile(r"[^\W\d]\w*(?:[^\S\n]+\w+)*")
NUMBER = re.compile(r"\d+(?:\.\d+)?|\.\d+", re.ASCII)
STRING = re.compile(r'"((?:[^"\\]|\\.)*)"', re.S)
TICKED = re.compile(r"`([^`]+)`")
ENTRY = re.compile(r'\s*([^:{}\[\]()",]+?)\s*:')
ARGUMENT = re.compile(r"([^\W\d]\w*(?:\s+\w+)*)\s*:")
ESCAPE = re.compile(r"\\(u[0-9a-fA-F]{4}|U[0-9a-fA-F]{6}|.)", re.S)
ESCAPES = {"n": "\n", "r": "\r", "t": "\t", "b": "\b", "f": "\f"}
OPERATOR = re.compile(r"\*\*|<=|>=|!=|[-+*/=<>]|(?:or|and|in|between|instance\s+of)(?!\w)")
POWER = {"or": 1, "and": 2, "=": 3, "!=": 3, "<": 3, "<=": 3, ">": 3, ">=": 3, "in": 3, "between": 3}
POWER |= {"+": 4, "-": 4, "*": 5, "/": 5, "**": 6, "instance of": 7}
TYPES = (
    *("number", "string", "boolean", "date and time", "date", "time", "days and time duration", "years and months duration"),
    *("day time duration", "year month duration", "Any", "Null", "list", "context", "function", "range", "null"),
)
TYPE = re.compile("|".join(r"\s+".join(n.split()) for n in sorted(TYPES, key=len, reverse=True)))
PROPERTIES = ("time offset", "start included", "end included")


def parse(text: str, scope: Scope, functions: Registry) -> t.Node:
    """Return the expression in `text`. Raises FeelError with the place and, for an unknown name, the nearest known one."""
    return _Parser(text, scope, functions).whole(_Parser.expression)


def parse_tests(text: str, scope: Scope, functions: Registry) -> t.Tests:
    """Unary tests: `< 5, [10..20]`, `not("a")`, `-`. The value that is tested is named `?`."""
    found = _Parser(text, scope, functions).whole(_Parser.unary_tests)
    assert isinstance(found, t.Tests)
    return found


class _Parser:
    def __init__(self, text: str, scope: Scope, functions: Registry):
        if len(text) > MAX_LENGTH:
            raise TooMuch(f"a formula has at most {MAX_LENGTH:,} characters", 0, len(text))
        self.text, self.at, self.scope, self.functions = text, 0, scope, functions
        self.locals: list[str] = []
        self.keys: set[str] = set(PROPERTIES)  # names that some context of the text has
        self.filters = 0
        self.ends_range = 0  # ranges whose end is being read: “[” after a literal closes one, and is no filter
        self.attempts = 0
        self.depth = 0
        self._known: tuple[int, int, re.Pattern[str] | None] = (-1, -1, None)

    def whole(self, read: Callable[[_Parser], t.Node]) -> t.Node:
        self.space()
        if self.at == len(self.text):
            raise FeelError("this formula is empty", 0, 0)
        node = read(self)
        self.space()
        if self.at < len(self.text):
            self.unexpected()
        if t.depth(node) > t.DEEPEST:
            raise TooMuch(f"this is nested more than {t.DEEPEST} levels deep", 0, len(self.text))
        return node

    # What stands at a place

    def space(self) -> None:
        if found := SPACE.match(self.text, self.at):
            self.at = found.end()

    def sign(self, *signs: str) -> str | None:
        """Consume and return the first of these signs found here."""
        self.space()
        for sign in signs:
            if self.text.startswith(sign, self.at):
                self.at += len(sign)
                return sign
        return None

    def need(self, sign: str, after: str) -> None:
        if self.sign(sign) is None:
            self.fail(f"“{sign}” is missing {after}")

    def word(self, *words: str) -> str | None:
        """Consume and return the keyword found here, if it is one of these."""
        self.space()
        found = WORD.match(self.text, self.at)
        if found and found[0] in words:
            self.at = found.end()
            return found[0]
        return None

    def need_word(self, word: str, after: str) -> None:
        if self.word(word) is None:
            self.fail(f"“{word}” is missing {after}")

    def fail(self, sentence: str, at: int | None = None) -> NoReturn:
        start = self.at if at is None else at
        raise FeelError(sentence, start, max(start, self.at))

    def unexpected(self) -> NoReturn:
        self.space()
        if self.at >= len(self.text):
            self.fail("something is missing at the end")
        found = WORDS.match(self.text, self.at)
        shown = found[0] if found else self.text[self.at]
        start, self.at = self.at, self.at + len(shown)
        if self.text[start] == '"':
            self.fail("this text has no closing quotation mark", start)
        self.fail(f"“{shown}” is not expected here", start)

    # Names

    def known(self) -> re.Pattern[str] | None:
        marks = (len(self.locals), len(self.keys))
        if self._known[:2] != marks:
            names = [*self.scope.roots, *self.functions.forms, *self.locals, *(self.keys if self.filters else ())]
            self._known = (*marks, pattern(names))
        return self._known[2]

    def bind(self, name: str) -> None:
        self.locals.append(name)
        self._known = (-1, -1, None)

    def unbind(self, count: int) -> None:
        del self.locals[len(self.locals) - count :]
        self._known = (-1, -1, None)

    def resolve(self, name: str) -> tuple[t.Node | None, Member | None]:
        if name in self.locals:
            return t.Name(name), None
        if name in self.scope.roots:
            member = self.scope.roots[name]
            return member.node, member
        return t.Name(name), None

    def name(self) -> tuple[t.Node, Member | None] | None:
        """Return a name that is used as a value, with what is known below it."""
        start = self.at
        if ticked := TICKED.match(self.text, self.at):
            found = ticked[1]
            self.at = ticked.end()
            if (
                found not in self.locals
                and found not in self.scope.roots
                and found not in self.functions.forms
                and not self.filters
            ):
                self.unknown(found, start)
        else:
            word = WORD.match(self.text, self.at)
            known = self.known()
            longest = known.match(self.text, self.at) if known else None
            if word and word[0] in KEYWORDS and (longest is None or longest.end() <= word.end()):
                return None
            if longest is not None:
                self.at = longest.end()
                found = " ".join(longest[0].split())
            elif word is None:
                return None
            elif self.filters or word[0] == "?":
                self.at = word.end()
                found = word[0] if word[0] == "?" else self.greedy(start)
            else:
                found = self.greedy(start)
                self.unknown(found, start)
        node, member = self.resolve(found)
        while node is None and member is not None:  # a group of values: one of them must follow
            if self.sign(".") is None:
                first = next(iter(member.members), "")
                raise FeelError(
                    f"“{found}” is a group of values; say which one, for example {found}.{first}",
                    start,
                    self.at,
                    f"{found}.{first}",
                )
            self.space()
            found, member = self.below(member, found)
            node = member.node
        assert node is not None
        return node, member

    def below(self, member: Member, of: str) -> tuple[str, Member]:
        """Return the name below a group."""
        start = self.at
        known = pattern(member.members)
        if ticked := TICKED.match(self.text, self.at):
            self.at, name = ticked.end(), ticked[1]
        elif known and (found := known.match(self.text, self.at)):
            self.at, name = found.end(), " ".join(found[0].split())
        else:
            name = self.greedy(start)
        if name not in member.members:
            near = nearest_name(name, member.members)
            said = f"“{of}” has nothing named “{name}”" + (f"; did you mean “{near}”?" if near else "")
            raise FeelError(said, start, self.at, near)
        return name, member.members[name]

    def greedy(self, start: int) -> str:
        """As many words as follow each other before a keyword."""
        end = start
        place = start
        while found := WORD.match(self.text, place) or re.compile(r"\w+").match(self.text, place):
            if found[0] in KEYWORDS:
                break
            end = found.end()
            gap = SPACE.match(self.text, end)
            if not gap:
                break
            place = gap.end()
        if end == start:
            self.unexpected()
        self.at = end
        return " ".join(self.text[start:end].split())

    def unknown(self, name: str, start: int) -> NoReturn:
        first = (name.split() or [name])[0]  # a name in backticks may be of spaces alone
        everything = [*self.scope.roots, *self.locals, *self.functions.forms]
        near = nearest_name(name, everything) or nearest_name(first, everything)
        is_call = self.text[self.at :].lstrip().startswith("(")
        said = f"there is no {'function' if is_call else 'value'} named “{name if len(name) <= 60 else name[:59] + '…'}”"
        raise FeelError(said + (f"; did you mean “{near}”?" if near else ""), start, self.at, near)

    def fresh_name(self, until: str) -> str:
        """Return a name that is made here: of an iterator or a parameter."""
        self.space()
        if ticked := TICKED.match(self.text, self.at):
            self.at = ticked.end()
            return ticked[1]
        start = self.at
        name = self.greedy(start)
        if not name:
            self.fail(f"a name is missing before “{until}”", start)
        return name

    # Expressions

    def expression(self, loosest: int = 1) -> t.Node:
        self.depth += 1
        if self.depth > t.DEEPEST:
            self.fail(f"this is nested more than {t.DEEPEST} levels deep")
        node = self.operand()
        while True:
            self.space()
            found = OPERATOR.match(self.text, self.at)
            op = " ".join(found[0].split()) if found else ""
            if not found or POWER[op] < loosest:
                break
            self.at = found.end()
            if op == "in":
                node = t.In(node, self.in_tests())
            elif op == "between":
                low = self.expression(POWER["+"])
                self.need_word("and", "between the two ends")
                node = t.Between(node, low, self.expression(POWER["+"]))
            elif op == "instance of":
                node = t.InstanceOf(node, self.type_name())
            else:
                node = t.Binary(op, node, self.expression(POWER[op] + 1))
        self.depth -= 1
        return node

    def operand(self) -> t.Node:
        self.space()
        start = self.at
        if self.at >= len(self.text):
            self.fail("something is missing at the end")
        char = self.text[self.at]
        member: Member | None = None
        if char == "-":
            self.at += 1
            self.depth += 1
            if self.depth > t.DEEPEST:
                self.fail(f"this is nested more than {t.DEEPEST} levels deep")
            node: t.Node = t.Negate(self.operand())
            self.depth -= 1
            return node
        if char == '"':
            node = t.String(self.string())
        elif char == "@":
            self.at += 1
            if self.at >= len(self.text) or self.text[self.at] != '"':
                self.fail('a quoted date, time or duration follows @, as in @"2026-11-23"', start)
            node = t.At(self.string())
        elif found := NUMBER.match(self.text, self.at):
            self.at = found.end()
            if len(found[0]) > 400:
                self.fail("a number has at most 400 digits", start)
            node = t.Number(found[0] if found[0][0] != "." else f"0{found[0]}")
        elif char == "{":
            node = self.context()
        elif char in "([]":
            node = self.bracketed()
        else:
            named = self.name()
            if named is not None:
                node, member = named
            else:
                node = self.worded()
                if isinstance(node, (t.If, t.For, t.Quantified, t.Function)):
                    return node
        return self.postfix(node, member, literal=char in '"@' or char.isdigit() or char == ".")

    def half_range(self, op: str) -> t.Node:
        """`(< 5)` as a range without a lower end; only within parentheses, as the standard has it."""
        end = self.expression(POWER["+"])
        self.need(")", "after the range")
        if op in ("<", "<="):
            return t.Interval(None, False, end, op == "<=")
        return t.Interval(end, op == ">=", None, False) if op != "=" else t.Interval(end, True, end, True)

    def postfix(self, node: t.Node, member: Member | None, literal: bool) -> t.Node:
        while True:
            self.space()
            if self.text.startswith(".", self.at) and not self.text.startswith("..", self.at):
                self.at += 1
                literal = False
                self.space()
                if member is not None and isinstance(node, t.Value) and member.members:
                    _, member = self.below(member, "")
                    node = member.node or node
                    continue
                node, member = self.path(node, member)
            elif self.text.startswith("[", self.at):
                if literal and self.ends_range:
                    return node  # the end of a range: ]1..3[
                self.at += 1
                outer, self.filters = self.keys, self.filters + 1
                self.keys = self.keys | set(member.members if member else ()) | {"item"}
                self._known = (-1, -1, None)
                node = t.Filter(node, self.expression())
                self.filters -= 1
                self.keys = outer
                self._known = (-1, -1, None)
                self.need("]", "after the filter")
            elif self.text.startswith("(", self.at):
                self.at += 1
                node, member = self.call(node), None
            else:
                return node

    def path(self, node: t.Node, member: Member | None) -> tuple[t.Node, Member | None]:
        start = self.at
        if ticked := TICKED.match(self.text, self.at):
            self.at, name = ticked.end(), ticked[1]
        else:
            known = pattern([*(member.members if member else ()), *self.keys])
            found = known.match(self.text, self.at) if known else None
            words = WORDS.match(self.text, self.at)
            if found and (words is None or found.end() >= self._greedy_end(start)):
                self.at, name = found.end(), " ".join(found[0].split())
            elif words is None:
                self.unexpected()
            else:
                name = self.greedy(start)
        return t.Path(node, name), member.members.get(name) if member else None

    def _greedy_end(self, start: int) -> int:
        self.greedy(start)
        end, self.at = self.at, start
        return end

    def call(self, node: t.Node) -> t.Node:
        start = self.at
        found = self.arguments(node)
        builtin = isinstance(node, t.Name) and node.name not in self.locals and self.functions.forms.get(node.name)
        if isinstance(node, t.Name) and builtin and not self.functions.choose(node.name, len(found.args), found.names):
            self.fail(f"this is written {' or '.join(f.signature for f in builtin)}", start - 1)
        return found

    def arguments(self, node: t.Node) -> t.Call:
        args: list[t.Node] = []
        names: list[str] = []
        if self.sign(")"):
            return t.Call(node, ())
        while True:
            self.space()
            start = self.at
            if named := ARGUMENT.match(self.text, self.at):
                self.at = named.end()
                names.append(" ".join(named[1].split()))
            args.append(self.expression())
            if names and len(names) != len(args):
                self.fail("name all of the arguments or none", start)
            if not self.sign(","):
                break
        self.need(")", "after the arguments")
        if len(set(names)) != len(names):
            self.fail("an argument is named twice", start)
        return t.Call(node, tuple(args), tuple(names))

    def string(self) -> str:
        start = self.at
        found = STRING.match(self.text, self.at)
        if not found:
            self.at = len(self.text)
            self.fail("this text has no closing quotation mark", start)
        self.at = found.end()
        body = found[1]
        if "\\" not in body:
            return body

        def one(escape: re.Match[str]) -> str:
            code = escape[1]
            if len(code) > 1:
                point = int(code[1:], 16)
                return chr(point) if point <= 0x10FFFF else escape[0]
            return ESCAPES.get(code, code if code in "\"'\\" else escape[0])

        # two escapes that are halves of one character are put together
        return ESCAPE.sub(one, body).encode("utf-16", "surrogatepass").decode("utf-16", "replace")

    def context(self) -> t.Node:
        self.need("{", "")
        names: list[str] = []
        values: list[t.Node] = []
        bound = 0
        while not self.sign("}"):
            if names:
                self.need(",", "between two entries")
            self.space()
            start = self.at
            if self.text.startswith('"', self.at):
                name = self.string()
                self.need(":", "after the entry's name")
            elif found := ENTRY.match(self.text, self.at):
                name, self.at = " ".join(found[1].strip("` ").split()), found.end()
            else:
                self.fail("an entry of a context is written name: value", start)
            if name in names:
                self.fail(f"“{name}” is used twice", start)
            values.append(self.expression())
            names.append(name)
            self.keys = self.keys | {name}
            self.bind(name)
            bound += 1
        self.unbind(bound)
        return t.Context(tuple(names), tuple(values))

    def bracketed(self) -> t.Node:
        """Return a list, a range, or an expression in parentheses."""
        opening = self.text[self.at]
        start = self.at
        self.at += 1
        if opening == "[" and self.sign("]"):
            return t.List(())
        if opening == "(" and (op := self.sign("<=", ">=", "<", ">", "=")):
            return self.half_range(op)
        first = self.expression()
        if self.sign(".."):
            return self.interval(first, opening == "[")
        if opening == "(":
            self.need(")", "after the parentheses")
            return first
        if opening == "]":
            self.fail("“]” is not expected here", start)
        items = [first]
        while self.sign(","):
            items.append(self.expression())
        self.need("]", "after the list")
        return t.List(tuple(items))

    def interval(self, low: t.Node, low_in: bool) -> t.Node:
        self.ends_range += 1
        high = self.expression()
        self.ends_range -= 1
        closing = self.sign("]", ")", "[")
        if closing is None:
            self.fail("“]” or “)” is missing after the range")
        return t.Interval(low, low_in, high, closing == "]")

    def worded(self) -> t.Node:
        start = self.at
        match self.word("if", "for", "some", "every", "function", "true", "false", "null"):
            case "true":
                return t.Bool(True)
            case "false":
                return t.Bool(False)
            case "null":
                return t.Null()
            case "if":
                test = self.expression()
                self.need_word("then", "after the condition")
                then = self.expression()
                self.need_word("else", "after “then”; add an “else” part")
                return t.If(test, then, self.expression())
            case "for":
                iterators = self.iterators()
                self.need_word("return", "after the list")
                self.bind("partial")
                body = self.expression()
                self.unbind(len(iterators) + 1)
                return t.For(iterators, body)
            case "some" | "every" as quantifier:
                iterators = self.iterators()
                self.need_word("satisfies", "after the list")
                test = self.expression()
                self.unbind(len(iterators))
                return t.Quantified("some" if quantifier == "some" else "every", iterators, test)
            case "function":
                return self.function()
        self.at = start
        self.unexpected()

    def iterators(self) -> tuple[t.Iterator, ...]:
        found: list[t.Iterator] = []
        while True:
            name = self.fresh_name("in")
            self.need_word("in", f"after “{name}”")
            source = self.expression()
            to = self.expression() if self.sign("..") else None
            found.append(t.Iterator(name, source, to))
            self.bind(name)
            if not self.sign(","):
                return tuple(found)

    def function(self) -> t.Node:
        self.need("(", "after “function”")
        params: list[str] = []
        while not self.sign(")"):
            if params:
                self.need(",", "between two parameters")
            params.append(self.fresh_name(")"))
            if self.sign(":"):
                self.type_name()
        if self.word("external"):
            self.fail("external functions are not available")
        for p in params:
            self.bind(p)
        body = self.expression()
        self.unbind(len(params))
        return t.Function(tuple(params), body)

    # Tests and types

    def in_tests(self) -> tuple[t.Node, ...]:
        self.space()
        if self.text.startswith("(", self.at):
            start, mark = self.at, (len(self.locals), self.depth)
            self.at += 1
            self.attempts += 1
            self.bind("?")
            if self.attempts > MAX_ATTEMPTS:  # each is read twice at most, so that nesting them must have an end
                raise TooMuch("this formula has too many tests", start, start + 1)
            try:
                tests = [self.test()]
                while self.sign(","):
                    tests.append(self.test())
                if self.sign(")"):
                    self.unbind(len(self.locals) - mark[0])
                    after = OPERATOR.match(self.text, self.at)
                    if len(tests) > 1 or after is None:
                        return tuple(tests)
            except TooMuch:
                raise
            except FeelError:
                pass
            self.at = start  # what began as a list of tests is a range or an expression in parentheses
            self.unbind(len(self.locals) - mark[0])
            self.depth = mark[1]
        return (self.test(POWER["+"]),)

    def test(self, loosest: int = 1) -> t.Node:
        self.space()
        if op := self.sign("<=", ">=", "!=", "<", ">", "="):
            return t.Test(op, self.expression(POWER["+"]))
        return self.expression(loosest)

    def unary_tests(self) -> t.Node:
        self.bind("?")
        start = self.at
        if self.sign("-"):
            self.space()
            if self.at == len(self.text):
                return t.Tests(())
            self.at = start
        negated = False
        if self.word("not") and self.sign("("):
            negated = True
        else:
            self.at = start
        tests = [self.test()]
        while self.sign(","):
            tests.append(self.test())
        if negated:
            self.need(")", "after not( …")
        return t.Tests(tuple(tests), negated)

    def type_name(self) -> t.TypeName:
        self.space()
        found = TYPE.match(self.text, self.at)
        if not found:
            start = self.at
            word = WORDS.match(self.text, self.at)
            self.at = word.end() if word else self.at
            shown = self.text[start : self.at]
            near = nearest_name(shown, TYPES)
            raise FeelError(f"“{shown}” is not a type" + (f"; did you mean “{near}”?" if near else ""), start, self.at, near)
        self.at = found.end()
        name = " ".join(found[0].split())
        name = {"day time duration": "days and time duration", "year month duration": "years and months duration"}.get(
            name, name
        )
        args: list[t.TypeName] = []
        names: list[str] = []
        if name in ("list", "context", "range", "function") and self.sign("<"):
            while not self.sign(">"):
                if args:
                    self.need(",", "between two types")
                if name == "context":
                    entry = ENTRY.match(self.text, self.at)
                    if not entry:
                        self.fail("an entry of a context type is written name: type")
                    names.append(" ".join(entry[1].split()))
                    self.at = entry.end()
                args.append(self.type_name())
            if name == "function":
                self.need("->", "before the function's result")
                args.append(self.type_name())
        return t.TypeName(name, tuple(args), tuple(names))
