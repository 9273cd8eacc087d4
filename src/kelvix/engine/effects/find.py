"""Reading back what a Find line found: it is not asked again, since what was done below hangs on the first answer."""

from __future__ import annotations

from kelvix.core.cells import Answer
from kelvix.core.collection import PermanentError
from kelvix.core.context import Context
from kelvix.core.filling import Carried
from kelvix.core.lines import find
from kelvix.core.lines.find import Find
from kelvix.core.outcome import FoundRecords, Outcome
from kelvix.core.schema import Database
from kelvix.engine.effects.effect import Effect
from kelvix.engine.outside import Outside
from kelvix.engine.recording import recorded_values


class FindEffect(Effect[Find]):
    recalls = Outcome

    def as_recorded(self, run: Outside, line: Find, done: Outcome, carried: Carried) -> tuple[Carried, str]:
        database = run.context.databases.get(line.database or 0)
        if database is None:
            raise PermanentError("the database of this line was deleted", "run")
        found = done if isinstance(done, FoundRecords) else FoundRecords(done.code)
        answer = answer_of(found, database, run.context)
        return find.carry_found(line, database, answer, carried, run.context), done.end


def answer_of(found: FoundRecords, database: Database, context: Context) -> Answer:
    """Return what a Find line found, from what was recorded."""
    records = tuple((id, recorded_values(v, database)) for id, v in found.records)
    return Answer(found.count, found.record, recorded_values(found.values, database), context.env.now, records)


EFFECT = FindEffect()
