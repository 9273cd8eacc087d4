"""The trial grid, and what helps to fill it in: formulas read and written, and the functions there are."""

from __future__ import annotations

import secrets
from datetime import datetime
from typing import Literal

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from kelvix.api.access import Caller, Reader
from kelvix.core import conditions, formulas, known, rehearsal, shaping
from kelvix.core.cells import Cell
from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.documents import check_shape
from kelvix.core.duplicating import duplicated
from kelvix.core.feel import FUNCTIONS, FeelError, read, write
from kelvix.core.feel import tree as t
from kelvix.core.feel.builtin import words_for
from kelvix.core.fields import TYPES
from kelvix.core.filling import Remedy, compute, describe
from kelvix.core.lines import kind_of
from kelvix.core.operators import OPERATORS
from kelvix.core.outcome import CellState, ReadFirst, SendMails, SendRequest, WebCall
from kelvix.core.schema import Field as TargetField
from kelvix.core.values import FieldId, Unfit, Value, Wire, as_text, to_wire
from kelvix.core.workflow import (
    Condition,
    FieldFilling,
    Filled,
    Formula,
    Group,
    Input,
    Mode,
    Narrows,
    Part,
    Shaped,
    Sought,
    Workflow,
)
from kelvix.workspace import samples, workflows
from kelvix.workspace.suggestions import suggestions

router = APIRouter(prefix="/api/v1", tags=["rehearsal"])
SHOWN_MAILS = 10
SHOWN_BODY = 8_000  # characters of a web request
SHOWN = 300  # characters of a value in an answer


class RehearseIn(BaseModel):
    """`read_again`: Find lines read anew what they read before."""

    document: Workflow
    read_again: bool = False


class RemedyOut(BaseModel):
    label: str
    fills: list[FieldFilling]
    shaped: Shaped | None = None
    sought: list[Sought] | None = None
    choice: str | None = Field(None, description="what the field could be given as another choice")


class ResultOut(BaseModel):
    field: FieldId
    state: str
    shown: str
    sentence: str
    remedies: list[RemedyOut]


class PartOut(BaseModel):
    """A Shape line's value by its key, or a Find line's comparison by its place."""

    key: str
    state: str
    shown: str
    sentence: str
    remedies: list[RemedyOut]


class OtherOut(BaseModel):
    """A workflow that a line can run, and the values that it declares."""

    workflow: int
    name: str
    inputs: list[Input]


class MailOut(BaseModel):
    """A mail that a line sends: its text, and the table below that."""

    to: list[str]
    subject: str
    text: str
    heads: list[str]
    rows: list[list[str]]


class HeaderOut(BaseModel):
    name: str
    value: str


class WebCallOut(BaseModel):
    """A web request that a line sends; what is secret is left out."""

    method: str
    address: str
    headers: list[HeaderOut]
    body: str


class CellOut(BaseModel):
    """`rows` says of each row of an Only if line or a way, in reading order with the heads of groups, whether it holds.
    Within a repeated line, `round` is the one that is shown of `rounds`; in `wrong_rounds` of them this line is not right."""

    line: str
    state: CellState
    note: str
    doubts: int
    results: list[ResultOut]
    rows: list[bool | None]
    parts: list[PartOut]
    round: int
    rounds: int
    wrong_rounds: int
    mails: list[MailOut] = Field(description="the first of those that are sent")
    mail_count: int
    call: WebCallOut | None
    read_at: datetime | None = Field(description="when a Find line's answer was read")


class FindingOut(BaseModel):
    line: str
    field: FieldId | None
    key: str | None
    sentence: str
    remedies: list[RemedyOut]


class CarriedValue(BaseModel):
    """A value that lines below `line` can use; where `inside`, only those that stand within it. `written` is its name in
    formulas."""

    line: str
    key: str
    name: list[str]
    type: str
    operators: list[str]
    written: str
    inside: bool
    choices: list[str] = Field([], description="what it can be, where these are few")


class ListField(BaseModel):
    key: str
    name: str


class ListOut(BaseModel):
    """A list that lines below `line` can go through. `database`: whose records its rows are."""

    line: str
    key: str
    name: list[str]
    database: int | None
    fields: list[ListField]


class CalculationOut(BaseModel):
    """A value and one step from it, as words have it: Date + 3 days."""

    line: str
    key: str
    sign: Literal["+", "-", "*", "/"]
    amount: str
    unit: Literal["", "days", "weeks", "hours", "minutes", "months", "years"]


class FormulaOut(BaseModel):
    """A kept formula as it is written now; and in words, where it is a simple one: a calculation, a value with a fall-back, a
    part of a moment."""

    text: str
    calculation: CalculationOut | None
    fallback: formulas.Fallback | None
    part: formulas.MomentPart | None


class RehearsalOut(BaseModel):
    """`cells` by sample id, in the order of the lines; `findings` must be put right before turning on. `formulas` by kept tree;
    `tests` by Only if line: its whole condition as a formula, or why it cannot be written as one yet."""

    carried: list[CarriedValue]
    lists: list[ListOut]
    others: list[OtherOut]
    cells: dict[str, list[CellOut]]
    provisional: dict[str, dict[str, dict[str, Wire]]] = Field(description="by sample and line: what rehearsed lines yield")
    unreadable: dict[str, dict[str, str]] = Field(description="by sample and key: what is wrong with a value of the source")
    findings: list[FindingOut]
    operator_words: dict[str, str]
    formulas: dict[str, FormulaOut]
    tests: dict[str, str]


class FormulaIn(BaseModel):
    """A formula as typed on a line, or in words: a calculation, a value with a fall-back, a part of a moment, a whole filling.
    `as_test`: it is to be true or false."""

    document: Workflow
    line: str
    text: str = Field("", max_length=20_000)
    calculation: CalculationOut | None = None
    fallback: formulas.Fallback | None = None
    part: formulas.MomentPart | None = None
    filling: list[Part] | None = None
    as_test: bool = False


class ProblemAt(BaseModel):
    """What is wrong, and where in the text; `nearest` is the known name that was probably meant."""

    sentence: str
    at: int
    to: int
    nearest: str


class SampleResult(BaseModel):
    sample: int
    shown: str
    note: str


class FormulaRead(BaseModel):
    """A formula that was read: `tree` is kept in the document; for a test, `mode` and `conditions` are its rows."""

    tree: str
    text: str
    type: str | None
    problem: ProblemAt | None
    results: list[SampleResult]
    mode: Mode
    conditions: list[Condition | Group | Formula]


class ParamOut(BaseModel):
    name: str
    takes: str
    optional: bool


class FunctionOut(BaseModel):
    """One form of a function that formulas can use."""

    name: str
    signature: str
    params: list[ParamOut]
    says: str
    example: str
    gives: str
    group: str


def _shown(value: Value, field: TargetField | None, who: Caller) -> str:
    return as_text(field.named(value) if field else value, who.space.zone)[:SHOWN]


def _remedies(remedies: tuple[Remedy, ...]) -> list[RemedyOut]:
    return [
        RemedyOut(
            label=r.label,
            fills=list(r.fills),
            shaped=r.shaped,
            sought=None if r.sought is None else list(r.sought),
            choice=r.choice,
        )
        for r in remedies
    ]


def _call_out(call: WebCall) -> WebCallOut:
    named = [*call.headers, *((name, "(kept secret)") for name, _ in call.secrets)]
    headers = [HeaderOut(name=name, value=value) for name, value in named]
    return WebCallOut(method=call.method, address=call.address, headers=headers, body=call.body[:SHOWN_BODY])


def _cell_out(cell: Cell, context: Context, who: Caller) -> CellOut:
    would = cell.would
    mails = would.mails if isinstance(would, SendMails) else ()
    return CellOut(
        line=cell.line,
        state=cell.state,
        note=cell.note,
        doubts=cell.doubts,
        results=[
            ResultOut(
                field=r.field,
                state=r.state,
                shown=_shown(r.value, r.about, who),
                sentence=r.sentence,
                remedies=_remedies(r.remedies),
            )
            for r in cell.results
        ],
        rows=list(cell.rows),
        round=cell.round,
        rounds=cell.rounds,
        wrong_rounds=cell.wrong_rounds,
        mails=[
            MailOut(to=list(m.to), subject=m.subject, text=m.text, heads=list(m.heads), rows=[list(r) for r in m.rows])
            for m in mails[:SHOWN_MAILS]
        ],
        mail_count=len(mails),
        call=_call_out(would.call) if isinstance(would, SendRequest) else None,
        read_at=cell.answer.at if cell.answer else None,
        parts=[
            PartOut(
                key=r.key,
                state=r.state,
                shown=as_text(r.value, who.space.zone)[:SHOWN],
                sentence=r.sentence,
                remedies=_remedies(r.remedies),
            )
            for r in cell.parts
        ],
    )


def _carried(document: Workflow, context: Context) -> list[CarriedValue]:
    scope = known.scope_of(document, context)
    fields = known.carried_fields(document, context)
    return [
        CarriedValue(
            line=ref.line,
            key=f.key,
            name=list(f.name),
            type=f.type,
            operators=list(TYPES[f.type].operators),
            written=write(t.Value(ref.line, f.key), scope),
            choices=list(f.choices or TYPES[f.type].offered),
            inside=(line := document.line(ref.line)) is not None and kind_of(line).is_inside(f.key),
        )
        for ref, f in fields.items()
    ]


def _formulas(document: Workflow, context: Context) -> dict[str, FormulaOut]:
    """All kept formulas of a document, as they are written now."""
    scope = known.scope_of(document, context)
    found: dict[str, FormulaOut] = {}
    for tree in known.trees_of(document):
        step = formulas.calculation(tree)
        found[tree] = FormulaOut(
            text=write(formulas.loaded(tree), scope),
            calculation=CalculationOut.model_validate(step.__dict__) if step else None,
            fallback=formulas.fallback(tree),
            part=formulas.moment_part(tree),
        )
    return found


def _tests(document: Workflow, context: Context) -> dict[str, str]:
    """Each Only if line's condition as a formula; nothing where it is not finished."""
    scope = known.scope_of(document, context)
    fields = known.carried_fields(document, context)
    found: dict[str, str] = {}
    for line in document.lines:
        if isinstance(line, Narrows) and line.conditions:
            try:
                found[line.id] = write(conditions.write_all(line.mode, line.conditions, fields, context.env), scope)
            except Unfit:
                found[line.id] = ""
    return found


def _lists(document: Workflow, context: Context) -> list[ListOut]:
    return [
        ListOut(
            line=ref.line,
            key=one.key,
            name=list(one.name),
            database=one.database,
            fields=[ListField(key=f.key, name=f.name[-1]) for f in one.fields],
        )
        for ref, one in known.carried_lists(document, context).items()
    ]


def _provisional(document: Workflow, rehearsed: rehearsal.Rehearsed) -> dict[str, dict[str, Wire]]:
    """Return what the lines of one sample yield to those below; nothing yet where that is being read."""
    waiting = {c.line for c in rehearsed.cells if isinstance(c.would, ReadFirst)} | {document.when.id}
    found: dict[str, dict[str, Wire]] = {}
    for ref, value in rehearsed.values.items():
        if ref.line not in waiting:
            found.setdefault(ref.line, {})[ref.value] = to_wire(value)
    return found


@router.post("/workflows/{workflow_id}/rehearse", response_model=RehearsalOut)
def rehearse(who: Reader, workflow_id: int, body: RehearseIn) -> Response:
    """Return what every line of this document would do with each sample. Nothing is written."""
    check_shape(body.document)
    context = who.engine.context(who.space, body.document, "rehearses", body.read_again)
    cells: dict[str, list[CellOut]] = {}
    provisional: dict[str, dict[str, dict[str, Wire]]] = {}
    unreadable: dict[str, dict[str, str]] = {}
    for sample in samples.list_all(who.space, workflow_id, body.document.when):
        rehearsed = rehearsal.rehearse_whole(body.document, sample.item["values"], context)
        cells[str(sample.id)] = [_cell_out(c, context, who) for c in rehearsed.cells]
        provisional[str(sample.id)] = _provisional(body.document, rehearsed)
        unreadable[str(sample.id)] = {ref.value: said for ref, said in rehearsed.carried.unreadable.items()}
    answer = RehearsalOut(
        carried=_carried(body.document, context),
        lists=_lists(body.document, context),
        others=[OtherOut(workflow=id, name=one.name, inputs=list(one.inputs)) for id, one in context.others.items()],
        cells=cells,
        provisional=provisional,
        unreadable=unreadable,
        findings=[
            FindingOut(line=f.line, field=f.field, key=f.key, sentence=f.sentence, remedies=_remedies(f.remedies))
            for f in check(body.document, context)
        ],
        operator_words={str(k): m.words for k, m in OPERATORS.items()},
        formulas=_formulas(body.document, context),
        tests=_tests(body.document, context),
    )
    # Written out here: it is of these types already, and checking it once more took a third of the time that people wait.
    return Response(answer.model_dump_json(), media_type="application/json")


@router.post("/workflows/{workflow_id}/formula")
def read_formula(who: Reader, workflow_id: int, body: FormulaIn) -> FormulaRead:
    """Read a formula as it stands on a line: its tree, what is wrong with it, and what it gives for each sample."""
    check_shape(body.document)
    workflows.get(who.space, workflow_id)
    context = who.engine.context(who.space, body.document, "rehearses")
    scope = known.scope_of(body.document, context, body.line)
    try:
        node = _in_words(body) or read(body.text, scope)
    except FeelError as error:
        wrong = ProblemAt(sentence=str(error), at=error.at, to=error.to, nearest=error.nearest)
    except Unfit as unfit:
        wrong = ProblemAt(sentence=str(unfit), at=0, to=0, nearest="")
    else:
        fields = known.carried_fields(body.document, context)
        mode, rows = conditions.read(node, fields)
        return FormulaRead(
            tree=t.dump(node),
            text=write(node, scope),
            type=formulas.type_of(node, {(ref.line, ref.value): f.type for ref, f in fields.items()}),
            problem=None,
            results=_results(who, workflow_id, node, body.document, body.line, context),
            mode=mode if body.as_test else "all",
            conditions=list(rows) if body.as_test else [],
        )
    return FormulaRead(tree="", text=body.text, type=None, problem=wrong, results=[], mode="all", conditions=[])


def _in_words(body: FormulaIn) -> t.Node | None:
    """Return the formula that is said in words. Raises Unfit."""
    if body.calculation:
        return formulas.of_calculation(formulas.Calculation(**body.calculation.model_dump()))
    if body.fallback:
        return formulas.of_fallback(body.fallback)
    if body.part:
        return formulas.of_moment_part(body.part)
    return formulas.of_filling(body.filling) if body.filling else None


def _results(
    who: Caller, workflow_id: int, node: t.Node, document: Workflow, line: str, context: Context
) -> list[SampleResult]:
    """Return what a formula gives for each sample; a note says why it comes to nothing."""
    found: list[SampleResult] = []
    filling = (Part(formula=Formula(t.dump(node))),)
    for sample in samples.list_all(who.space, workflow_id, document.when):
        carried = rehearsal.carried_to(document, line, sample.item["values"], context)
        try:
            value = compute(filling, carried, context.env)
            found.append(SampleResult(sample=sample.id, shown=as_text(value, who.space.zone)[:SHOWN], note=""))
        except Unfit as unfit:
            found.append(SampleResult(sample=sample.id, shown="", note=str(unfit)))
    return found


class SuggestIn(BaseModel):
    document: Workflow
    line: str


class SuggestionOut(BaseModel):
    """What could fill a field, and why. `words` is how it reads; `sure`: it can be taken without looking."""

    field: FieldId
    filling: list[Part]
    words: str
    reason: str
    sure: bool


@router.post("/workflows/{workflow_id}/suggest")
def suggest_fillings(who: Reader, workflow_id: int, body: SuggestIn) -> list[SuggestionOut]:
    """Return a proposal for each field that a line adds and that is not filled yet, where there is one."""
    check_shape(body.document)
    workflows.get(who.space, workflow_id)
    carried, found = suggestions(who.engine, who.space, workflow_id, body.document, body.line)
    return [
        SuggestionOut(field=s.field, filling=list(s.filling), words=describe(s.filling, carried), reason=s.reason, sure=s.sure)
        for s in found
    ]


class LineIn(BaseModel):
    document: Workflow
    line: str


@router.post("/workflows/{workflow_id}/duplicate-line")
def duplicate_line(who: Reader, workflow_id: int, body: LineIn) -> LineIn:
    """Return the document with a copy of a line and all that stands within it; `line` is the copy. Nothing is kept."""
    check_shape(body.document)
    workflows.get(who.space, workflow_id)
    document, copy = duplicated(body.document, body.line, lambda: secrets.token_hex(4))
    check_shape(document)
    return LineIn(document=document, line=copy)


class MakingIn(BaseModel):
    shaped: Shaped


@router.post("/shaped/as-formula")
def shaped_as_formula(who: Reader, body: MakingIn) -> Shaped:
    """Return a Shape line's value with its making turned into a formula, which can be changed freely."""
    made = shaping.as_formula(body.shaped.made)
    return Shaped(body.shaped.key, body.shaped.name, made if made.filling else Filled(()))


@router.get("/functions")
def list_functions(who: Reader) -> list[FunctionOut]:
    """Return the functions that formulas can use, by name."""
    return [
        FunctionOut(
            name=f.name,
            signature=f.signature,
            params=[ParamOut(name=p.name, takes=words_for(p.classes), optional=p.optional) for p in f.params],
            says=f.says,
            example=f.example[0],
            gives=f.example[1],
            group=f.group,
        )
        for name in sorted(FUNCTIONS.forms)
        for f in FUNCTIONS.forms[name]
    ]
