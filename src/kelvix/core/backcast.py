"""What a workflow would have done with past events: each event rehearsed, and the outcomes counted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from kelvix.core.cells import Cell
from kelvix.core.context import Context
from kelvix.core.outcome import End, PassBy, Problem
from kelvix.core.rehearsal import Rehearsed, rehearse_whole
from kelvix.core.values import shorten
from kelvix.core.workflow import Workflow

EXAMPLES = 5  # items that are kept of each outcome
MAX_OUTCOMES = 60

Kind = Literal["carried", "look", "passed_by", "put_right"]


@dataclass
class Ending:
    """One way in which events end: carried to the last line, carried with something to look at, passed by at a line, or stopped
    there with something to put right, which `sentence` says. `examples` are the newest items of it: (id, title)."""

    kind: Kind
    line: str
    sentence: str
    count: int = 0
    examples: list[tuple[str, str]] = field(default_factory=list)


class Backcast:
    """Counts outcomes as events are rehearsed, in any order."""

    def __init__(self, workflow: Workflow, context: Context):
        self.workflow, self.context = workflow, context
        self.outcomes: dict[tuple[Kind, str, str], Ending] = {}
        self.seen = 0

    def take(self, item_id: str, title: str, values: Mapping[str, object]) -> None:
        """Rehearse one event."""
        kind, line, sentence = self._outcome(rehearse_whole(self.workflow, values, self.context))
        key = (kind, line, sentence)
        if key not in self.outcomes and len(self.outcomes) >= MAX_OUTCOMES:
            key = (kind, line, "other problems" if kind == "put_right" else "")
        outcome = self.outcomes.setdefault(key, Ending(*key))
        outcome.count += 1
        if len(outcome.examples) < EXAMPLES:
            outcome.examples.append((item_id, shorten(title, 120)))
        self.seen += 1

    def _outcome(self, rehearsed: Rehearsed) -> tuple[Kind, str, str]:
        looked, cells = "", rehearsed.cells
        for cell in cells:
            match cell.would:
                case PassBy() | End(how="passed_by"):
                    return "passed_by", cell.line, ""
                case End(how="failed"):
                    return "put_right", cell.line, cell.note
                case Problem():
                    return "put_right", cell.line, self._said(cell)
            if cell.doubts and not looked:
                looked = cell.line
        return ("look", looked, "") if looked else ("carried", cells[-1].line, "")

    def _said(self, cell: Cell) -> str:
        """Return what is wrong, by the names of fields rather than by values, so that like events are counted together."""
        names = [r.about.name for r in cell.results if r.state == "put_right" and r.about]
        if names:
            return f"{', '.join(names)}: does not fit"
        if cell.answer is not None and cell.answer.count > 1:
            return "several match, one allowed"
        made = [s.sentence for s in cell.parts if s.state == "put_right"]
        return shorten(made[0] if made else cell.note, 160)

    def counted(self) -> list[Ending]:
        """Return the outcomes, the most frequent first."""
        return sorted(self.outcomes.values(), key=lambda o: -o.count)
