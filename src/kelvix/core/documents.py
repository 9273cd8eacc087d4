"""What a document must be to be a workflow, whatever its values."""

from __future__ import annotations

from kelvix.core import formulas, nesting, requests
from kelvix.core.lines import fillings_of, kind_of
from kelvix.core.sources import MAX_QUIET
from kelvix.core.workflow import OFTEN, SELDOM, Address, BadDocument, Formula, Group, Part, RecordEvent, Test, Workflow

MAX_LINES = 100
MAX_DEPTH = 10


def check_shape(workflow: Workflow) -> None:
    """Check a document by itself. Raises BadDocument. A draft may be incomplete; it may not be self-contradictory."""
    if not workflow.when or any(kind_of(ln).starts for ln in workflow.lines[1:]):
        raise BadDocument("a workflow has one When line, at the top")
    if len(workflow.lines) > MAX_LINES:
        raise BadDocument(f"a workflow has at most {MAX_LINES} lines")
    ids = [ln.id for ln in workflow.lines]
    if len(set(ids)) != len(ids) or not all(i and len(i) <= 20 for i in ids):
        raise BadDocument("each line needs a unique id of at most 20 characters")
    nesting.check(workflow.lines)
    own = workflow.when.own
    if isinstance(own, Address):
        requests.check_document(own)
    quiet = own.quiet if isinstance(own, RecordEvent) else workflow.when.watch.quiet
    if not 0 <= quiet <= MAX_QUIET:
        raise BadDocument(f"a record can be unchanged for at most {MAX_QUIET} seconds before it starts a run")
    if not OFTEN <= workflow.when.every <= SELDOM:
        raise BadDocument(f"a source is checked every {OFTEN} seconds at most, and once a day at least")
    for line in workflow.lines:
        kind = kind_of(line)
        kind.check_document(line)
        _check_tests(kind.tests(line), 0)
        for part in (p for filling in fillings_of(line) for p in filling):
            _check_part(part)


def _check_part(part: Part) -> None:
    if sum(x is not None for x in (part.text, part.ref, part.formula)) != 1:
        raise BadDocument("a part of a filling is typed text, a carried value or a formula")
    if part.formula is not None:
        _check_formula(part.formula)


def _check_formula(formula: Formula) -> None:
    if bool(formula.tree) == bool(formula.text):
        raise BadDocument("a formula is kept as a tree, or as text where it can’t be read yet")
    if formula.tree:
        try:
            formulas.loaded(formula.tree)
        except ValueError as error:
            raise BadDocument(str(error)) from None


def _check_tests(tests: tuple[Test, ...], depth: int) -> None:
    if depth > MAX_DEPTH:
        raise BadDocument(f"conditions go at most {MAX_DEPTH} levels deep")
    for test in tests:
        if isinstance(test, Group):
            _check_tests(test.conditions, depth + 1)
        elif isinstance(test, Formula):
            _check_formula(test)
