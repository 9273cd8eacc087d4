"""Asking a person: the question as it is kept and shown, and what the answer means to the run."""

from __future__ import annotations

from typing import Any

from kelvix.core import outcome
from kelvix.core.cells import Cell
from kelvix.core.feel import Env
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried
from kelvix.core.lines import ask
from kelvix.core.lines.ask import Answered, Ask
from kelvix.core.outcome import AnsweredBy, Outcome
from kelvix.core.steps import step
from kelvix.core.values import as_text, to_wire
from kelvix.core.walking import LEFT, Place
from kelvix.engine.effects.effect import Effect
from kelvix.engine.outside import Outside
from kelvix.store.questions import Kind as QuestionKind


class AskEffect(Effect[Ask]):
    recalls = Outcome

    def question(self, run: Outside, line: Ask, cell: Cell, carried: Carried) -> tuple[QuestionKind, dict[str, Any]]:
        return "approval", approval(line, cell, carried, run.context.env)

    def answered(
        self, run: Outside, line: Ask, cell: Cell, carried: Carried, place: Place, answer: dict[str, Any]
    ) -> tuple[Carried, str]:
        done = outcome.read("answered", answer)
        run.record(line, place, done)
        return self.as_recorded(run, line, done, carried)

    def as_recorded(self, run: Outside, line: Ask, done: Outcome, carried: Carried) -> tuple[Carried, str]:
        if not isinstance(done, AnsweredBy):  # left out, in a try of another line
            return step(line, carried, run.context)[1], ""
        answer = answer_of(line, done, carried)
        below = ask.carry_on(line, answer, carried)
        if answer.approved or line.no == "go_on":
            return below, ""
        return below, LEFT if line.within else "passed_by"


def approval(line: Ask, cell: Cell, carried: Carried, env: Env) -> dict[str, Any]:
    """Return a question that is answered with yes or no, and the values that are shown."""
    fields = {f.key: f for f in ask.fields_of(line, carried)}
    return {
        "question": ask.question(line, carried, env),
        "values": [
            {"key": p.key, "name": fields[p.key].name[-1], "type": fields[p.key].type, "value": to_wire(p.value),
             "text": as_text(p.value, env.zone)}
            for p in cell.parts
        ],
        "no": line.no,
    }  # fmt: skip


def answer_of(line: Ask, said: AnsweredBy, carried: Carried) -> Answered:
    """Return an answer as it was recorded."""
    types = {f.key: f.type for f in ask.fields_of(line, carried)}
    values = {key: from_wire(value, types[key]) for key, value in said.values.items() if key in types}
    return Answered(said.approved, said.by or "", values)


EFFECT = AskEffect()
