"""Reading back what a List line listed: it is not listed again, since what was done below hangs on it."""

from __future__ import annotations

from kelvix.core.collection import PermanentError
from kelvix.core.filling import Carried
from kelvix.core.lines import list as listing
from kelvix.core.lines.list import Listed, ListValues
from kelvix.core.outcome import FoundRecords, Outcome
from kelvix.engine.effects.effect import Effect
from kelvix.engine.outside import Outside


class ListEffect(Effect[ListValues]):
    recalls = Outcome

    def as_recorded(self, run: Outside, line: ListValues, done: Outcome, carried: Carried) -> tuple[Carried, str]:
        database = run.context.databases.get(line.database or 0)
        if database is None:
            raise PermanentError("the database of this line was deleted", "run")
        kept = done.records if isinstance(done, FoundRecords) else ()
        listed = [Listed(str(id), str(told[listing.NAME]), told.get(listing.ADDRESS)) for id, told in kept]
        return listing.below(line, database, listed, carried), done.end


EFFECT = ListEffect()
