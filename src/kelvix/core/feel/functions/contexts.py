"""Context functions (OMG DMN 1.5, table 77)."""

from __future__ import annotations

from kelvix.core.feel.builtin import ANY, BUILTINS, CONTEXT, LIST, STRING, Param

GROUP = "Contexts"
Entries = dict[str, object]


@BUILTINS.add(
    "get value",
    [Param("m", CONTEXT), Param("key", STRING | LIST)],
    ANY,
    "The value of an entry, or at a path of keys; also looks up a value in a small table.",
    'get value({Urgent: 1, Normal: 2}, "Urgent")',
    "1",
    GROUP,
)
def get_value(context: Entries, key: str | list[object]) -> object:
    if isinstance(key, str):
        return context.get(key)
    found: object = context
    for one in key:
        found = found.get(str(one)) if isinstance(found, dict) else None
    return found if key else None


BUILTINS.add(
    "get value",
    [Param("context", CONTEXT), Param("keys", LIST)],
    ANY,
    "The value at a path of keys.",
    'get value(context: {a: {b: 1}}, keys: ["a", "b"])',
    "1",
    GROUP,
)(get_value)


@BUILTINS.add(
    "get entries", [Param("m", CONTEXT)], LIST, "The entries as contexts of key and value.", "get entries({a: 1})",
    '[{key: "a", value: 1}]', GROUP,
)  # fmt: skip
def get_entries(context: Entries) -> list[object]:
    return [{"key": k, "value": value} for k, value in context.items()]


@BUILTINS.add(
    "context",
    [Param("entries", LIST)],
    CONTEXT,
    "A context of a list of keys and values.",
    'context([{key: "a", value: 1}, {key: "b", value: 2}])',
    "{a: 1, b: 2}",
    GROUP,
)
def context(entries: list[object]) -> Entries:
    made: Entries = {}
    for entry in entries:
        if not isinstance(entry, dict) or not isinstance(entry.get("key"), str) or "value" not in entry:
            raise ValueError("each entry needs a text key and a value")
        if entry["key"] in made:
            raise ValueError(f"“{entry['key']}” is used twice")
        made[entry["key"]] = entry["value"]
    return made


@BUILTINS.add(
    "context put",
    [Param("context", CONTEXT), Param("key", STRING | LIST), Param("value", ANY)],
    CONTEXT,
    "A context with one entry added or changed; a list of keys selects an inner entry.",
    'context put({a: 1}, "b", 2)',
    "{a: 1, b: 2}",
    GROUP,
)
def context_put(entries: Entries, key: str | list[object], value: object) -> Entries:
    if isinstance(key, str):
        return {**entries, key: value}
    if not key or not all(isinstance(k, str) for k in key):
        raise ValueError("a path of keys is a list of texts")
    first, rest = str(key[0]), key[1:]
    if not rest:
        return {**entries, first: value}
    inner = entries.get(first)
    if not isinstance(inner, dict):
        raise ValueError(f"“{first}” is not a context")
    return {**entries, first: context_put(inner, rest, value)}


BUILTINS.add(
    "context put",
    [Param("context", CONTEXT), Param("keys", LIST), Param("value", ANY)],
    CONTEXT,
    "A context with an inner entry added or changed.",
    'context put(context: {a: {b: 1}}, keys: ["a", "b"], value: 2)',
    "{a: {b: 2}}",
    GROUP,
)(context_put)


@BUILTINS.add(
    "context merge",
    [Param("contexts", LIST)],
    CONTEXT,
    "Several contexts as one; later entries win.",
    "context merge([{a: 1, b: 2}, {b: 3}])",
    "{a: 1, b: 3}",
    GROUP,
)
def context_merge(contexts: list[object]) -> Entries:
    merged: Entries = {}
    for one in contexts:
        if not isinstance(one, dict):
            raise ValueError("only contexts can be merged")
        merged |= one
    return merged
