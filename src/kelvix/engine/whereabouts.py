"""Where is my item? What became of a source item in a workflow, also where that is nothing."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from kelvix.core.collection import Collection, Item, PermanentError
from kelvix.core.lines.find import Find
from kelvix.core.lines.stop import Stop
from kelvix.core.not_found import NotFoundError
from kelvix.core.outcome import Asked, Rested, Stopped, Wrote
from kelvix.core.patterns import pattern
from kelvix.core.values import as_text, shorten, whole
from kelvix.core.workflow import RecordEvent
from kelvix.engine.engine import Engine
from kelvix.store import arrivals, consumers, events, inbox, journal, listening, runs, settling, subscriptions, workflows
from kelvix.store.consumers import Consumer
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space
from kelvix.store.listening import Listening
from kelvix.store.subscriptions import Subscription

Fate = Literal[
    "came_through",
    "passed_by",
    "failed",
    "on_its_way",
    "before_on",
    "elsewhere",
    "off",
    "next_check",
    "not_there",
    "not_understood",
]

RECORD = pattern(r"/databases/(\d{1,18})/(\d{1,18})/?$", worst="/databases/1/1")
CAME = {
    "push": "when it arrived",
    "catch_up": "when it was caught up on",
    "change": "when it was changed",
    "hand": "by hand",
    "time": "on schedule",
    "request": "by a request",
    "handed": "from another workflow",
}
# Outcomes of lines that were about a record, and how that is said.
WROTE = {"added": "became", "updated": "updated", "unchanged": "made no changes to", "deleted": "deleted"}


@dataclass(frozen=True)
class Whereabouts:
    """`sentence` says what happened, `advice` what to do, where there is something to do."""

    fate: Fate
    sentence: str
    advice: str = ""
    title: str = ""
    run: int | None = None
    link: str | None = None
    at: datetime | None = None


def where_is(engine: Engine, space: Space, workflow_id: int, link_or_id: str) -> Whereabouts:
    """Find what became of an item. Raises NotFoundError for an unknown workflow, TransientError where the app does not
    answer, PermanentError where it is not installed."""
    kept = space.read(lambda t: workflows.get(t, space.id, workflow_id))
    if kept is None:
        raise NotFoundError("workflow not found")
    if kept.draft.when.own is not None:
        return _own_fate(space, kept, link_or_id)
    one = space.read(lambda t: consumers.of_workflow(t, space.id, workflow_id))
    of = space.read(lambda t: subscriptions.of_workflow(t, space.id, workflow_id))
    when = kept.draft.when
    app = engine.app(when.app)
    item_id = link_or_id if whole(link_or_id) is not None else app.item_of_link(link_or_id)
    if item_id is None:
        return Whereabouts(
            "not_understood",
            f"This is not a link to a {app.item_word} in {app.name}.",
            f"Open the {app.item_word} in {app.name} and copy its address, or pick it from the list.",
        )
    place = of.place if of else when.container or ""
    if app.has_sheets and one and one.connection_id:  # a link names a row by where it stands
        with suppress(PermanentError):
            item_id = engine.account(space, one.connection_id).collection(place).one(item_id).id
    scope = one.scope(of.account) if one and of else ""
    event = space.read(lambda t: arrivals.event_of(t, space.id, workflow_id, scope, place, item_id))
    if one and one.kinds not in ("", "new"):  # what became of its newest change
        event = space.read(lambda t: events.of_item(t, space.id, workflow_id, item_id)) or event
    if event:
        return _fate_of_event(space, event["id"], event["came_by"], event["at"])
    if held := _held(space, kept, item_id):
        return held
    if one and one.looks and one.state != "off" and of and (seen := _seen(engine, space, kept, of, item_id)):
        return seen
    if one is None or of is None or one.connection_id is None or kept.turned_on_at is None:
        return Whereabouts(
            "off",
            "This workflow has never been turned on, so it has not processed anything.",
            "Turn it on to process items that arrive from then on.",
        )
    try:
        source = engine.account(space, one.connection_id).collection(of.place)
        item = source.one(item_id)
    except PermanentError as failure:
        engine.note_failure(space, one.connection_id, failure)
        said = {
            "access": f"{app.name} refuses this connection, so the {app.item_word} can’t be checked.",
            "container": f"It is in a {app.container_word} that is not shared with this connection.",
        }.get(failure.about, f"{app.name} no longer has this {app.item_word}.")
        advice = {
            "access": "Reconnect it.",
            "container": f"Share that {app.container_word}, or move the {app.item_word} to “{when.container_name}”.",
        }.get(failure.about, "")
        return Whereabouts("elsewhere" if failure.about == "container" else "not_there", said, advice)
    return _fate_without_event(kept, one, of, source, item, app.container_word, app.item_word, space)


def _seen(engine: Engine, space: Space, kept: workflows.Kept, of: Subscription, item_id: str) -> Whereabouts | None:
    """Return the fate of an item whose changes were looked at, and started nothing; none where it did not change."""
    change = space.read(lambda t: journal.newest_seen(t, of.id, item_id))
    watch = kept.draft.when.watch
    if change is None:
        return None
    at, title = as_text(change.of.at, space.zone), change.item["title"] if change.item else ""
    place = engine.kept_place(space, kept.draft.when.connection, of.place)
    if space.read(lambda t: settling.is_under_way(t, kept.id, item_id)):
        names = [f.name for f in (place.fields if place else ()) if f.id in watch.filled]
        waits = [f"{watch.quiet} s without a change"] * bool(watch.quiet) + [f"{', '.join(names)} to be filled"] * bool(names)
        said = f"It was read {at}. The workflow waits for {' and '.join(waits)}."
        return Whereabouts("on_its_way", said, "", title, at=change.of.at)
    changed = [f.name for f in (place.fields if place else ()) if f.id in change.seen.after]
    what = {"changed": f"{', '.join(changed) or 'it'} changed", "left": "it was moved away", "removed": "it was removed"}
    said = f"Its last change was read {at}: {what.get(change.seen.happened, 'it was added')}. That doesn’t start this workflow."
    return Whereabouts("passed_by", said, "Change the When line if it should.", title, at=change.of.at)


def _own_fate(space: Space, kept: workflows.Kept, link_or_id: str) -> Whereabouts:
    """Of a record, by its link or number; of a time or a request, by what it is called."""
    own = kept.draft.when.own
    record = RECORD.search(link_or_id.strip())
    item = record[2] if record else link_or_id.strip()
    if record and isinstance(own, RecordEvent) and int(record[1]) != own.database:
        said = "This is a record of another database."
        return Whereabouts("elsewhere", said, "Choose a record of this workflow’s database.")
    event = space.read(lambda t: events.of_item(t, space.id, kept.id, item))
    if event:
        return _fate_of_event(space, event["id"], event["came_by"], event["at"])
    if held := _held(space, kept, item):
        return held
    one = space.read(lambda t: _listens(t, space, kept))
    if kept.turned_on_at is None or one is None:
        return Whereabouts("off", "This workflow has never been turned on, so it has not processed anything.", "Turn it on.")
    if one.state != "on":
        return Whereabouts("off", "The workflow is off, so it processes nothing.", "Turn it on.")
    if isinstance(one, Consumer) and str(one.note.get("record")) == item:
        return Whereabouts(
            "not_there",
            "This workflow changed it itself. A workflow doesn’t start from its own changes, to prevent a loop.",
            "Use another workflow to react to such changes.",
        )
    said = "It has not matched this workflow’s trigger since that was turned on"
    return Whereabouts(
        "before_on", f"{said} ({as_text(one.since or kept.turned_on_at, space.zone)}).", "Press its button, or change it."
    )


def _listens(t: Transaction, space: Space, kept: workflows.Kept) -> Consumer | Listening | None:
    """Return by what a workflow listens here: to records, or to times and requests."""
    if isinstance(kept.draft.when.own, RecordEvent):
        return consumers.of_workflow(t, space.id, kept.id)
    return listening.of_workflow(t, space.id, kept.id)


def _waiting(t: Transaction, space: Space, workflow_id: int, item_id: str) -> dict[str, Any] | None:
    """Return what is held of an item: in the inbox, or in the journal where its consumer cannot read on."""
    if row := inbox.of_item(t, space.id, workflow_id, item_id):
        return row
    one = consumers.of_workflow(t, space.id, workflow_id)
    if one is None or one.subscription_id is None or one.state == "off":
        return None
    change = journal.about(t, one.subscription_id, one.read_to, item_id)
    if change is None or change.told not in one.kinds.split(","):
        return None
    return {"came_by": change.came_by, "at": change.at, "title": None}


def _held(space: Space, kept: workflows.Kept, item_id: str) -> Whereabouts | None:
    """Return the fate of what is held."""
    row = space.read(lambda t: _waiting(t, space, kept.id, item_id))
    if row is None:
        return None
    said = f"It was received {as_text(row['at'], space.zone)} {CAME.get(row['came_by'], 'at a check')}, and is held"
    if kept.state == "on":
        return Whereabouts("on_its_way", f"{said}: it will run when the workspace’s limit allows.", at=row["at"])
    advice = "Resume the workflow to run it." if kept.state == "paused" else "Turn on the workflow to run it."
    return Whereabouts("on_its_way", f"{said}: the workflow is {kept.state}.", advice, row["title"] or "", at=row["at"])


def _lines_of(space: Space, run_id: int) -> dict[tuple[str, str], runs.RunLine]:
    return space.read(lambda t: runs.lines(t, space.id, [run_id]))[run_id]


def _fate_of_event(space: Space, event_id: int, came_by: str, at: datetime) -> Whereabouts:
    run = space.read(lambda t: runs.of_event(t, space.id, event_id))
    came = f"It was received {as_text(at, space.zone)} {CAME.get(came_by, 'at a check')}"
    if run is None:
        return Whereabouts("on_its_way", f"{came}, and is waiting to run.", at=at)
    title = run.title or ""
    if run.state == "done":
        lines = _lines_of(space, run.id)
        did, link = _did(list(lines.values()))
        undone = f" It was undone {as_text(run.undone_at, space.zone)}." if run.undone_at else ""
        return Whereabouts("came_through", f"{came} and {did}.{undone}", "", title, run.id, link, at)
    if run.state == "passed_by":
        lines = _lines_of(space, run.id)
        stopped = next((r.line for r in lines.values() if r.outcome.code in ("passed_by", "stops")), "")
        _, document = space.read(lambda t: workflows.version(t, space.id, run.version_id))
        number, line = next(((n, one) for n, one in enumerate(document.lines, 1) if one.id == stopped), (0, None))
        why = "a condition was not met"
        if isinstance(line, Find):
            why = "no record was found"
        elif isinstance(line, Stop):
            ended = next((r.outcome for r in lines.values() if r.line == stopped), None)
            why = (ended.reason if isinstance(ended, Stopped) else "") or "a Stop line ended it"
        return Whereabouts(
            "passed_by",
            f"{came} and was skipped at line {number}: {why}.",
            "Change that line if it should have continued.",
            title,
            run.id,
            None,
            at,
        )
    sentence = (run.problem or {}).get("sentence", "")
    if run.state == "failed":
        return Whereabouts(
            "failed",
            f"{came}, and its run failed: {sentence}.",
            "Open the run, fix the problem, then run it again.",
            title,
            run.id,
            None,
            at,
        )
    outcomes = _lines_of(space, run.id).values()
    if run.state == "waiting" and any(isinstance(r.outcome, Asked) for r in outcomes):
        said = f"{came}, and its run is waiting for your answer."
        return Whereabouts("on_its_way", said, "Answer it in Needs you.", title, run.id, at=at)
    resting = next((o for r in outcomes if isinstance(o := r.outcome, Rested) and o.code == "waits"), None)
    if run.state == "waiting" and resting:
        due = as_text(datetime.fromisoformat(resting.until), space.zone)
        return Whereabouts("on_its_way", f"{came}, and its run is waiting until {due}.", "", title, run.id, None, at)
    again = f" Last attempt: {sentence}." if sentence else ""
    return Whereabouts("on_its_way", f"{came}, and its run is {run.state}.{again}", "", title, run.id, None, at)


def _did(lines: list[runs.RunLine]) -> tuple[str, str | None]:
    """Return what a run did, in words: the record that it is about, with its link; else what was done outside."""
    done = [r.outcome for r in lines]
    wrote = next((o for o in done if isinstance(o, Wrote) and o.code in WROTE), None)
    if wrote:
        return f"{WROTE[wrote.code]} “{shorten(wrote.title or 'a record')}” in {wrote.database_name}", wrote.link
    outside = [o for o in done if o.did]
    alike = sum(type(o) is type(outside[0]) for o in outside)
    more = f", and {alike - 1} more" if alike > 1 else ""
    return f"{outside[0].did}{more}" if outside else "ran all lines", None


def _fate_without_event(
    kept: workflows.Kept,
    one: Consumer,
    of: Subscription,
    source: Collection,
    item: Item,
    container_word: str,
    item_word: str,
    space: Space,
) -> Whereabouts:
    if not source.has(item):
        return Whereabouts(
            "elsewhere",
            f"It is in the {container_word} “{item.place_name}”, but this workflow reads "
            f"{item_word}s from “{kept.draft.when.container_name}”.",
            f"Move it there, or change the When line to “{item.place_name}”.",
            item.title,
            at=item.created,
        )
    if one.cursor_from is not None and source.was_there(item, one.cursor_from):
        on = as_text(one.since or kept.turned_on_at, space.zone)
        return Whereabouts(
            "before_on",
            f"It arrived {as_text(item.created, space.zone)}, before the workflow was turned on ({on}).",
            f"Try it as a sample, or move it out of the {container_word} and back.",
            item.title,
            at=item.created,
        )
    if kept.state != "on":
        return Whereabouts(
            "off",
            f"It arrived {as_text(item.created, space.zone)}, and the workflow has been off since "
            f"{as_text(kept.turned_off_at, space.zone)}.",
            "Turn on the workflow.",
            item.title,
            at=item.created,
        )
    trouble = f" Last check: {of.problem}." if of.problem else ""
    return Whereabouts(
        "next_check",
        f"Not received yet. Next check at {of.next_check_at.astimezone(space.zone):%H:%M:%S}.{trouble}",
        "Check now.",
        item.title,
        at=item.created,
    )
