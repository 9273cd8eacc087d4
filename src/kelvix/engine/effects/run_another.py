"""Starting another workflow from a line, within the transaction in which that is recorded."""

from __future__ import annotations

from datetime import UTC, datetime

from kelvix.core import sources
from kelvix.core.cells import Cell
from kelvix.core.collection import PermanentError
from kelvix.core.context import Context
from kelvix.core.filling import Carried
from kelvix.core.lines import run_another
from kelvix.core.lines.run_another import RunAnother
from kelvix.core.outcome import RanAnother
from kelvix.core.values import shorten, to_wire
from kelvix.core.walking import Place
from kelvix.core.workflow import Address
from kelvix.engine.effects.effect import Effect
from kelvix.engine.outside import Outside
from kelvix.engine.recording import place_text
from kelvix.store import events, listening, runs, workflows
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.runs import Claim
from kelvix.store.secrets import digest


def start(
    t: Transaction, space: Space, claim: Claim, line: RunAnother, carried: Carried, context: Context, key: bytes
) -> RanAnother:
    """Return what is recorded of it. Raises PermanentError where the other is off, or would run this one in turn."""
    to = line.workflow or 0
    one = listening.of_workflow(t, space.id, to)
    if one is None or one.state != "on" or one.kind != "address" or one.version_id is None:
        raise PermanentError("the workflow this line runs is off. Turn it on", "workflow")
    causes = events.causes_of_run(t, space.id, claim.run_id)
    if to in causes:
        raise PermanentError("this would loop forever: the workflow this line runs started this run", "workflow")
    own = workflows.version(t, space.id, one.version_id)[1].when.own
    if not isinstance(own, Address):
        raise PermanentError("the workflow this line runs no longer accepts requests", "workflow")
    known = context.others.get(to)
    handed, parts = run_another.values(line, sources.CanRun(known.name if known else "", own.inputs), carried, context.env)
    wrong = [p.sentence for p in parts if p.state == "put_right"]
    if wrong:
        raise PermanentError("; ".join(wrong), "workflow")
    values = {k: to_wire(v) for k, v in handed.items()} | {"received": to_wire(datetime.now(UTC))}
    title = next((shorten(v, 120) for v in values.values() if isinstance(v, str) and v), "") or "A request"
    item = {"id": key.hex()[:16], "title": title, "link": None, "app": "kelvix", "container": "", "values": values}
    events.take_in(t, space.id, to, one.version_id, key, item, "handed", causes)
    return RanAnother("ran", to, known.name if known else "")


class RunAnotherEffect(Effect[RunAnother]):
    recalls = RanAnother

    def execute(self, run: Outside, line: RunAnother, cell: Cell, carried: Carried, place: Place) -> tuple[Carried, str]:
        """Start another workflow: its event and this line's outcome commit together."""
        run.before_effect(run.claim)
        key = digest("handed", run.claim.run_id, line.id, place_text(place))

        def work(t: Transaction) -> None:
            run.progress.hold(t, run.claim, None)
            made = start(t, run.space, run.claim, line, carried, run.context, key)
            runs.keep_lines(t, run.claim, [*run.progress.lines, (line.id, place_text(place), made, None)])

        run.space.transact(work)
        run.progress.written()
        run.topics.add("ready")
        return carried, ""

    def as_recorded(self, run: Outside, line: RunAnother, done: RanAnother, carried: Carried) -> tuple[Carried, str]:
        return carried, ""


EFFECT = RunAnotherEffect()
