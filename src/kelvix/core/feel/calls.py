"""Calling built-in functions whose arguments did not fit at once, and functions made in the expression."""

from __future__ import annotations

from kelvix.core.feel.builtin import Builtin, accept, words_for
from kelvix.core.feel.environment import DEEPEST_CALLS, Env, Failure, shown
from kelvix.core.feel.errors import TooMuch
from kelvix.core.feel.values import Function, kind


def misfit(env: Env, form: Builtin, args: tuple[object, ...]) -> object:
    """Call a built-in whose arguments did not fit at once: after conversion, or not at all."""
    taken: list[object] = []
    for at, value in enumerate(args):
        param = form.params[min(at, len(form.params) - 1)]
        if value is None and param.takes_null:
            taken.append(None)
            continue
        if value is None:
            if param.optional:
                taken.append(None)
                continue
            return None
        fits, converted = accept(value, param.classes)
        if not fits:
            return env.note(
                f"{form.name}: {param.name} must be {words_for(param.classes)}, and {shown(value)} is {kind(value)}"
            )
        taken.append(converted)
    try:
        return form.do(env, *taken) if form.needs_env else form.do(*taken)
    except Failure as error:
        return env.failed(error, form.name)


def call_value(env: Env, function: object, args: tuple[object, ...], names: tuple[str, ...]) -> object:
    """Call what turned out to be a function."""
    if not isinstance(function, Function):
        return env.note(f"{kind(function)}, {shown(function)}, can’t be called")
    if names:
        if set(names) != set(function.params):
            return env.note(f"the function takes {', '.join(function.params) or 'nothing'}")
        args = tuple(args[names.index(p)] for p in function.params)
    return call_function(env, function, args)


def call_function(env: Env, function: Function, args: tuple[object, ...]) -> object:
    if len(args) != len(function.params) and function.params != ("…",):
        return env.note(f"the function takes {len(function.params)} arguments, not {len(args)}")
    env.spend()
    env.calls += 1
    if env.calls > DEEPEST_CALLS:
        raise TooMuch(f"functions call each other more than {DEEPEST_CALLS} levels deep")
    try:
        return function.call(*args)
    finally:
        env.calls -= 1
