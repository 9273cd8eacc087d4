"""Reading back what a Get line got: it is not asked again, since what was done below hangs on the first answer."""

from __future__ import annotations

from kelvix.core.filling import Carried
from kelvix.core.lines.get import Get, as_find
from kelvix.core.outcome import Outcome
from kelvix.engine.effects import find
from kelvix.engine.effects.effect import Effect
from kelvix.engine.outside import Outside


class GetEffect(Effect[Get]):
    recalls = Outcome

    def as_recorded(self, run: Outside, line: Get, done: Outcome, carried: Carried) -> tuple[Carried, str]:
        return find.EFFECT.as_recorded(run, as_find(line), done, carried)


EFFECT = GetEffect()
