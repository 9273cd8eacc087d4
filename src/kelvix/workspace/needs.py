"""What needs a person: the questions of runs, and their answers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kelvix.core.lines import ask
from kelvix.core.lines.ask import Ask
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import RecordId, Wire, to_wire
from kelvix.store import questions, workflows
from kelvix.store.questions import Question
from kelvix.workspace import Space
from kelvix.workspace.people import Person
from kelvix.workspace.refusals import NotNow, NotValid

__all__ = ["Question"]


def open_ones(space: Space) -> list[Question]:
    """Return the questions that wait for a person, the oldest first."""
    return space.read(lambda t: questions.open_ones(t, space.id))


def answer(
    space: Space, question_id: int, person: Person, said: str, record: RecordId | None, values: Mapping[str, str]
) -> None:
    """Answer a question, so that its run goes on. `values` are those that were edited, as they are typed, by key. Raises
    NotFoundError, NotValid, and NotNow where somebody was faster."""
    asked = space.read(lambda t: questions.get(t, space.id, question_id))
    if asked is None:
        raise NotFoundError("question not found")
    match asked.kind:
        case "approval":
            kept = _approval(space, asked, said, values)
        case "which":
            kept = _which(asked, said, record)
        case "doubt":
            kept = _doubt(said)
    if not space.transact(lambda t: questions.answer(t, space.id, asked, kept, person.name)):
        raise NotNow("Already answered.", f"{asked.answered_by or 'Somebody'} answered first. The run has continued.")


def _approval(space: Space, asked: Question, said: str, given: Mapping[str, str]) -> dict[str, Any]:
    if said not in ("yes", "no"):
        raise NotValid("This question needs yes or no.", "Choose one.")
    _, document = space.read(lambda t: workflows.version(t, space.id, asked.version_id))
    line = document.line(asked.line)
    values: dict[str, Wire] = {v["key"]: v["value"] for v in asked.asked["values"]}
    if isinstance(line, Ask):
        types = {v["key"]: v["type"] for v in asked.asked["values"]}
        edited, wrong = ask.edited(line, given, types, space.env(asked.asked_at))
        if wrong:
            raise NotValid("Some values are not valid.", "; ".join(wrong.values()), wrong)
        values |= {key: to_wire(value) for key, value in edited.items()}
    return {"approved": said == "yes", "values": values}


def _doubt(said: str) -> dict[str, Any]:
    if said not in ("arrived", "again", "stop"):
        raise NotValid("Did it arrive?", "Choose: it arrived, resend, or stop the run.")
    return {"said": said}


def _which(asked: Question, said: str, record: RecordId | None) -> dict[str, Any]:
    match said:
        case "new":
            return {"records": []}
        case "all":
            return {"records": asked.asked["all"]}
        case "record" if record in asked.asked["all"]:
            return {"records": [record]}
    raise NotValid("Choose a record.", "Choose one of the matches, all of them, or a new one.")
