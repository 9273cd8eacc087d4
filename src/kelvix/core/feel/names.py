"""What names mean where an expression stands. Names may hold spaces, so that they are found by the longest match."""

from __future__ import annotations

import re
from collections.abc import Container, Iterable, Iterator, Mapping
from dataclasses import dataclass, field

from kelvix.core.feel.tree import Name, Node, Value

KEYWORDS = frozenset(
    (
        *("and", "or", "if", "then", "else", "for", "in", "return", "some", "every", "satisfies", "between", "instance"),
        *("of", "function", "true", "false", "null", "external"),
    )
)
# OMG DMN 1.5, grammar rules 27 to 30: a name starts like a word and may go on with these characters.
PLAIN = re.compile(r"[^\W\d][\w]*(?: [\w]+)*")


@dataclass
class Member:
    """What one name stands for: itself (`node`, where it can be used by itself) and the names below it."""

    node: Node | None = None
    members: dict[str, Member] = field(default_factory=dict)


@dataclass
class Scope:
    """The names an expression may use, by level. Build it with `of_carried` or `of_context`."""

    roots: dict[str, Member] = field(default_factory=dict)
    written: dict[Value, tuple[str, ...]] = field(default_factory=dict)

    def name_of(self, value: Value) -> tuple[str, ...] | None:
        """How a carried value is written, level by level: as short as is clear."""
        return self.written.get(value)

    def all_names(self) -> Iterator[str]:
        yield from self.roots

    @staticmethod
    def of_carried(
        named: Iterable[tuple[Value, tuple[str, ...]]],
        functions: Iterable[str] = (),
        usable: Container[Value] | None = None,
        whole: Container[Value] = (),
    ) -> Scope:
        """Carried values under their names. Where two have the same name, later ones get a number. The last parts of a name
        will do where they are clear: Message.Sender.Name, Sender.Name. Only `usable` ones can be read; all can be written.
        Those that are `whole` are called by their whole names only, so that they leave others theirs."""
        taken = set(functions) | KEYWORDS
        full: dict[tuple[str, ...], Value] = {}
        for value, name in named:
            unique, number = name, 2
            while unique in full:
                unique, number = (f"{name[0]} {number}", *name[1:]), number + 1
            full[unique] = value
        counts: dict[tuple[str, ...], int] = {}
        for name, value in full.items():
            for at in range(1 if value in whole else len(name)):
                counts[name[at:]] = counts.get(name[at:], 0) + 1
        heads = {n[0] for n in full}
        scope = Scope()
        for name, value in full.items():
            for at in reversed(range(len(name))):
                short = name[at:]
                if at and (value in whole or counts[short] > 1 or short[0] in heads or short[0] in taken):
                    continue
                if usable is None or value in usable:
                    scope._put(short, value)
                scope.written.setdefault(value, short)
        return scope

    def _put(self, name: tuple[str, ...], value: Value) -> None:
        members, member = self.roots, Member()
        for part in name:
            member = members.setdefault(part, Member())
            members = member.members
        member.node = value

    @staticmethod
    def of_context(context: Mapping[str, object]) -> Scope:
        """Return the names of a context: its entries, and theirs."""
        return Scope({k: _member(Name(k), v) for k, v in context.items()})


def _member(node: Node | None, value: object) -> Member:
    if isinstance(value, list):  # a path into a list goes to each of its contexts
        below: dict[str, Member] = {}
        for item in value:
            if isinstance(item, Mapping):
                below |= {str(k): _member(None, v) for k, v in item.items()}
        return Member(node, below)
    if isinstance(value, Mapping):
        return Member(node, {str(k): _member(None, v) for k, v in value.items()})
    return Member(node)


def pattern(names: Iterable[str]) -> re.Pattern[str] | None:
    """Return what finds the longest of these names at a place. Spaces within a name may be any white space in the text."""
    ordered = sorted({n for n in names if n.strip()}, key=len, reverse=True)
    if not ordered:
        return None
    each = (r"\s+".join(map(re.escape, n.split())) + (r"(?!\w)" if re.match(r"\w", n[-1]) else "") for n in ordered)
    return re.compile("|".join(each))
