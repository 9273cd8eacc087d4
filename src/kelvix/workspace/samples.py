"""Samples: the items with which a workflow is rehearsed, fetched, made up or edited."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from kelvix.core import requests
from kelvix.core.fields import TYPES, coerce
from kelvix.core.not_found import NotFoundError
from kelvix.core.requests import Request
from kelvix.core.steps import carried_from_item
from kelvix.core.values import Rows, Unfit, Wire, to_wire
from kelvix.core.workflow import Address, When, Workflow
from kelvix.engine.engine import Engine
from kelvix.store import workflows
from kelvix.store.workflows import Kept, Sample
from kelvix.workspace import Space
from kelvix.workspace.refusals import NotNow, NotValid

__all__ = ["Sample"]


def list_all(space: Space, workflow_id: int, when: When | None = None) -> list[Sample]:
    """Return the samples of a workflow; requests with what `when` declares of them by now."""
    found = space.read(lambda t: workflows.samples(t, space.id, workflow_id))
    own = when.own if when else None
    return [_declared(own, one, space) for one in found] if isinstance(own, Address) else found


def _declared(own: Address, one: Sample, space: Space) -> Sample:
    kept = one.item.get("request")
    if kept is None or one.kind != "fetched":
        return one
    values = requests.values_that_fit(own, Request(**kept), one.item_at, space.env(datetime.now(UTC)))
    return replace(one, item={**one.item, "values": values})


def get(space: Space, workflow_id: int, sample_id: int) -> Sample:
    """Return a sample of a workflow. Raises NotFoundError."""
    found = next((s for s in list_all(space, workflow_id) if s.id == sample_id), None)
    if found is None:
        raise NotFoundError("sample not found")
    return found


def source_of(document: Workflow) -> When:
    """Return where a workflow reads its items, in an app. Raises NotNow where that is not said yet, or there is nothing to
    read."""
    if document.when.own is not None:
        raise NotNow("Kelvix can’t wait for this kind of event.", "Fetch items, or create a sample.")
    if document.when.connection is None or document.when.container is None:
        raise NotNow("There is no source yet.", "Choose a connection and a folder in the When line first.")
    return document.when


def make(engine: Engine, space: Space, kept: Kept, values: Mapping[str, Wire], lists: Mapping[str, Rows]) -> None:
    """Make a sample up. Raises NotValid."""
    checked = _checked(engine, space, kept.draft, values, lists, {})
    title, at = _title_and_time(engine, space, kept.draft, checked)
    item = {"id": None, "title": title or "made up", "link": None, "container": "", "values": checked}
    space.transact(lambda t: workflows.keep_sample(t, space.id, kept.id, "made_up", None, item, at))


def edit(
    engine: Engine, space: Space, kept: Kept, sample: Sample, values: Mapping[str, Wire], lists: Mapping[str, Rows]
) -> None:
    """Edit a sample; lists that are not given stay as they are. Raises NotValid."""
    checked = _checked(engine, space, kept.draft, values, lists, sample.item["values"])
    title, _ = _title_and_time(engine, space, kept.draft, checked)
    item = sample.item | {"values": checked, "title": title or sample.item["title"]}
    space.transact(lambda t: workflows.change_sample(t, space.id, kept.id, sample.id, item))


def forget(space: Space, workflow_id: int, sample_id: int) -> None:
    """Forget a sample. Raises NotFoundError."""
    if not space.transact(lambda t: workflows.forget_samples(t, space.id, workflow_id, sample_id)):
        raise NotFoundError("sample not found")


def _checked(
    engine: Engine,
    space: Space,
    document: Workflow,
    values: Mapping[str, Wire],
    lists: Mapping[str, Rows],
    before: Mapping[str, Any],
) -> dict[str, Any]:
    """Take a sample's values as typed by a person: what does not fit its type is refused, what is not known is dropped."""
    context = engine.context(space, document)
    kept = {k: v for k, v in before.items() if isinstance(v, dict)}  # the record that an event is about
    result: dict[str, Any] = kept | {one.key: lists.get(one.key, before.get(one.key, [])) for one in context.lists}
    wrong: dict[str, str] = {}
    for field in context.source:
        raw = values.get(field.key)
        given = tuple(map(str, raw)) if isinstance(raw, list) else raw
        try:
            result[field.key] = to_wire(coerce(given, field.type, space.zone, (), space.order, grows=True))
        except Unfit as unfit:
            wrong[field.key] = str(unfit)
    read = carried_from_item(document, context, result)
    wrong |= {ref.value: said for ref, said in read.unreadable.items()}
    if wrong:
        raise NotValid("Some values are not valid.", "; ".join(wrong.values()), wrong)
    return result


def _title_and_time(engine: Engine, space: Space, document: Workflow, values: Mapping[str, Any]) -> tuple[str, datetime]:
    """Return what an item with these values is called by its app, and its time: the first that it carries, else now."""
    app = engine.apps.get(document.when.app)
    title = str(values.get(app.display.heading) or "") if app and document.when.own is None else ""
    source = engine.context(space, document).source
    at = next((values[f.key] for f in source if TYPES[f.type].has_clock and values.get(f.key)), None)
    return title, datetime.fromisoformat(str(at)) if at else datetime.now(UTC)
