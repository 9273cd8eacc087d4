"""Reading, compiling and printing expressions with all the functions there are."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from kelvix.core.feel import added  # noqa: F401 - it registers
from kelvix.core.feel import tree as t
from kelvix.core.feel.builtin import BUILTINS
from kelvix.core.feel.compiler import Compiled, compile_tree
from kelvix.core.feel.environment import Env
from kelvix.core.feel.functions import contexts, conversion, dates, lists, numbers, ranges, texts  # noqa: F401 - they register
from kelvix.core.feel.names import Scope
from kelvix.core.feel.parser import parse, parse_tests
from kelvix.core.feel.printer import print_tree
from kelvix.core.feel.values import from_python

FUNCTIONS = BUILTINS  # with all that the modules above declared


def read(text: str, scope: Scope) -> t.Node:
    """Return the tree of an expression. Raises FeelError."""
    node = parse(text, scope, FUNCTIONS)
    compiled(node)
    return node


def read_tests(text: str, scope: Scope) -> t.Tests:
    """Return the tree of unary tests. Raises FeelError."""
    node = parse_tests(text, scope, FUNCTIONS)
    compiled(node)
    return node


@lru_cache(maxsize=4096)
def compiled(node: t.Node) -> Compiled:
    """Compiled once; trees are values, so that equal ones share. Raises FeelError."""
    return compile_tree(node, FUNCTIONS)


def write(node: t.Node, scope: Scope) -> str:
    """Return the text of a tree, with the names of `scope`."""
    return print_tree(node, scope)


def evaluate(text: str, context: Mapping[str, object], env: Env) -> object:
    """Return an expression over a context of plain Python values, in one go. Raises FeelError."""
    given = {k: from_python(v) for k, v in context.items()}
    return compiled(read(text, Scope.of_context(given))).evaluate(given, env)
