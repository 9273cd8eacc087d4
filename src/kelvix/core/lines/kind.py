"""What a kind of line is: its place in the document, what it does with a sample, and what it says of itself. A kind is a module
of its own in this folder."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import TYPE_CHECKING, Any, ClassVar, Generic, Literal, TypeVar

from kelvix.core.cells import Cell, Finding
from kelvix.core.filling import Carried
from kelvix.core.lines.form import Form
from kelvix.core.outcome import End, Outcome, Stopped
from kelvix.core.values import FieldId
from kelvix.core.workflow import BadDocument, Filling, Line, Reference, Test

if TYPE_CHECKING:
    from collections.abc import Mapping

    from kelvix.core.context import Context
    from kelvix.core.schema import Database

L = TypeVar("L", bound=Line)


class Kind(Generic[L]):
    """`line`: its place in a document. `acts`: it changes something. `fixed`: it always stands where it is, once. `stays`:
    it may need nobody outside, and no time, so that runs of it are carried together. `sees`: whose values its own fillings and
    formulas can use: those of the lines above, its own too, or those of the lines within it. `starts`: it stands at the
    head, once. `holds`: what stands within it: lines, or ways (`is_way`), of which one is gone; the last of them
    (`is_last`) is always there."""

    line: ClassVar[type[Any]]
    form: ClassVar[Form | None] = None
    verb: ClassVar[str]
    acts: ClassVar[bool] = False
    fixed: ClassVar[bool] = False
    stays: ClassVar[bool] = False
    sees: ClassVar[Literal["above", "own", "within"]] = "above"
    starts: ClassVar[bool] = False
    holds: ClassVar[Literal["nothing", "lines", "ways"]] = "nothing"
    is_way: ClassVar[bool] = False
    is_last: ClassVar[bool] = False

    def is_local(self, line: L) -> bool:
        """Say whether it needs nobody outside, and no time, as it was filled in."""
        return self.stays

    def step(self, line: L, carried: Carried, context: Context) -> tuple[Cell, Carried]:
        """Return what it does with what it is given, and what the lines below it can use."""
        raise TypeError("a line with others within it is gone through by a walk")

    def makes(self, line: L, carried: Carried, context: Context) -> Carried:
        """Return what lines below can use whatever the sample, with the record that it holds."""
        return carried

    def inside(self, line: L, carried: Carried, context: Context) -> Carried:
        """Return what the lines within it can use whatever the sample."""
        return carried

    def is_inside(self, key: str) -> bool:
        """Say whether a value that it makes is for the lines within it, rather than for those below."""
        return False

    def is_named_whole(self, key: str) -> bool:
        """Say whether formulas name a value that it makes by its whole name only, so that it leaves others their short ones."""
        return False

    def check(self, line: L, carried: Carried, context: Context, within: Callable[[], Carried | None]) -> list[Finding]:
        """Return what must be put right before turning on, whatever the sample. `within`: what the lines within it carry at
        their end, where there are any."""
        return []

    def check_document(self, line: L) -> None:
        """Raise BadDocument where it contradicts itself, whatever its values."""

    def fillings(self, line: L) -> Iterator[Filling]:
        """Yield all that is filled on it."""
        return iter(())

    def tests(self, line: L) -> tuple[Test, ...]:
        """Return its conditions."""
        return ()

    def looks_at(self, line: L) -> Iterable[Reference] | None:
        """Return the values that a run keeps with it, since it decides by them; none where it decides nothing."""
        return None

    def works_on(self, line: L) -> int | None:
        """Return the database, or the place of an app, that it names."""
        return None

    def compares(self, line: L) -> tuple[int | None, tuple[FieldId, ...]]:
        """Return the database in which it looks for records, and by which fields."""
        return None, ()

    def bare(self, line: L) -> L:
        """Return it without what fields were called when it was filled in, which changes nothing of what it does."""
        return line

    def named(self, line: L, earlier: Line | None, databases: Mapping[int, Database]) -> L:
        """Return it with what the fields are called that it uses, as each was when it was filled last. `earlier`: the line as
        it was kept before."""
        return line

    def connections(self, line: L) -> tuple[int | None, ...]:
        """Return the connections that it sends by."""
        return ()

    def says(self, line: L, names: Mapping[int, str]) -> str:
        """Return its part of the sentence that tells a workflow; `names` are those of databases."""
        return ""

    def outcome(self, line: L, cell: Cell, code: str, context: Context) -> Outcome:
        """Return what is recorded of it where it writes nothing: what it found, made or says."""
        return Stopped(code, cell.note, cell.would.why) if isinstance(cell.would, End) else Outcome(code)


def check_keys(keys: Iterable[str]) -> None:
    """Raise BadDocument where values of a line cannot be told apart."""
    known = list(keys)
    if len(set(known)) != len(known) or not all(k and len(k) <= 20 for k in known):
        raise BadDocument("each value of a line needs a key of its own, of at most 20 characters")


def check_comparisons(number: int) -> None:
    """Raise BadDocument where a line compares too much."""
    if number > MAX_COMPARISONS:
        raise BadDocument(f"a line compares at most {MAX_COMPARISONS} fields")


MAX_COMPARISONS = 20
