"""Expressions: FEEL, the language of OMG's Decision Model and Notation standard (DMN), compiled to Python.

read(text, scope)    → a tree (see tree.py), or FeelError with its place
compiled(tree)       → something that can be carried out again and again
write(tree, scope)   → the text, with names as they are now
"""

from kelvix.core.feel.environment import Env
from kelvix.core.feel.errors import FeelError, TooMuch
from kelvix.core.feel.language import FUNCTIONS, compiled, evaluate, read, read_tests, write
from kelvix.core.feel.names import Scope

__all__ = ["FUNCTIONS", "Env", "FeelError", "Scope", "TooMuch", "compiled", "evaluate", "read", "read_tests", "write"]
