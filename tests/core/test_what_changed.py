"""What happened to an item, by comparing it with what it was; and whether that starts a workflow."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kelvix.core import watching
from kelvix.core.collection import Item
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import Choice
from kelvix.core.watching import Mark, Seen
from kelvix.core.workflow import Awaited, Watch

FIELDS = (
    Field("title", "Title", "text"),
    Field("state", "State", "choice", choices=(Choice("1", "Open"), Choice("2", "Done"))),
    Field("notes", "Notes", "long_text"),
    Field("row", "Row", "number", can_write=False, counts=False),
)
PLACE = Database(10**12, "Round", FIELDS)


def item(place: str = "7", version: str = "1", **values) -> Item:
    at = datetime(2026, 11, 30, tzinfo=UTC)
    return Item("1", version, values, str(values.get("title") or ""), "https://tasks.example/1", place, "Round", at)


def mark(**values) -> Mark:
    return watching.mark_of(item(**values), FIELDS)


def seen(before: dict | None, after: dict | None, **more) -> Seen:
    was = mark(**before) if before is not None else None
    return watching.compare(was, item(version="2", **after) if after is not None else None, after is not None, FIELDS, **more)


def test_what_happened_is_told_by_comparing():
    assert seen(None, {"title": "Oil"}) == Seen("added", {}, {"title": "Oil"}, None, "2")
    assert seen(None, {"title": "Oil"}, is_new=False).happened == "came"
    assert seen({"title": "Oil"}, {"title": "Oil"}).happened == "same"
    found = seen({"title": "Oil", "state": "1"}, {"title": "Oil", "state": "2"})
    assert found == Seen("changed", {"state": "1"}, {"state": "2"}, "1", "2")
    assert seen({"title": "Oil"}, None) == Seen("removed", {"title": "Oil"}, {}, "1")
    assert seen({"title": "Oil"}, None, is_hidden=True).happened == "left"
    assert watching.compare(mark(title="Oil"), item("8", title="Oil"), False, FIELDS).happened == "left"
    assert seen(None, None).happened == "same"
    assert watching.compare(None, item("8", title="Oil"), False, FIELDS).happened == "same"


def test_an_emptied_field_has_changed_and_one_that_is_not_told_has_not():
    assert seen({"title": "Oil", "state": "1"}, {"title": "Oil", "state": None}).after == {"state": None}
    assert seen({"title": "Oil", "state": "1"}, {"title": "Oil"}).happened == "same"


def test_where_a_row_stands_is_no_change_of_it():
    assert seen({"title": "Oil", "row": 2}, {"title": "Oil", "row": 9}).happened == "same"


def test_a_long_text_is_compared_and_not_kept():
    found = seen({"notes": "a" * 9000}, {"notes": "b" * 9000})
    assert list(found.after) == ["notes"] and len(str(found.before["notes"])) == 64
    assert watching.as_carried(mark(title="Oil", state="2", notes="long"), PLACE) == {"title": "Oil", "state": "Done"}


def starts(event: str, found: Seen, **watch) -> bool:
    return watching.starts(Awaited(event, Watch(**watch)), PLACE, found)


OPEN, DONE = {"title": "Oil", "state": "1"}, {"title": "Oil", "state": "2"}


@pytest.mark.parametrize(
    "event,found,watch,does",
    [
        ("arrives", seen(None, OPEN), {}, True),
        ("arrives", seen(None, OPEN, is_new=False), {}, True),
        ("arrives", seen(OPEN, DONE), {}, False),
        ("any_change", seen(OPEN, DONE), {}, True),
        ("any_change", seen(OPEN, None), {}, False),
        ("changed", seen(OPEN, DONE), {}, True),
        ("changed", seen(None, OPEN), {}, False),
        ("changed", seen(OPEN, DONE), {"fields": ("title",)}, False),
        ("changed", seen(OPEN, DONE), {"fields": ("title", "state")}, True),
        ("reached", seen(OPEN, DONE), {"field": "state", "becomes": "done"}, True),
        ("reached", seen(DONE, OPEN), {"field": "state", "becomes": "done"}, False),
        ("reached", seen(OPEN, DONE), {"field": "state", "becomes": "done", "was": "open"}, True),
        ("reached", seen(None, DONE), {"field": "state", "becomes": "done"}, True),
        ("reached", seen(None, DONE), {"field": "state", "becomes": "done", "was": "open"}, False),
        ("reached", seen(None, DONE, is_new=False), {"field": "state", "becomes": "done"}, False),
        ("reached", seen(OPEN, OPEN | {"title": "Oil it"}), {"field": "state", "becomes": "open"}, False),
        ("reached", seen(OPEN, DONE), {"field": "gone"}, False),
        ("came", seen(None, OPEN, is_new=False), {}, True),
        ("came", seen(None, OPEN), {}, False),
        ("left", seen(OPEN, None, is_hidden=True), {}, True),
        ("left", seen(OPEN, None), {}, False),
        ("removed", seen(OPEN, None), {}, True),
        ("removed", seen(OPEN, DONE), {}, False),
    ],
)
def test_what_starts_a_workflow(event, found, watch, does):
    assert starts(event, found, **watch) is does


def test_what_a_workflow_wrote_itself_is_taken_away():
    found = seen(OPEN | {"notes": "x"}, DONE | {"notes": "y"})
    assert watching.less(found, {"notes": "y"}, PLACE).after == {"state": "2"}
    assert watching.less(found, {"notes": "z"}, PLACE) == found
    assert watching.less(found, {"notes": "y", "state": "2"}, PLACE).happened == "same"


def test_what_was_before_is_carried_by_the_names_of_choices():
    awaited = Awaited("changed")
    carried = [f.carried(f.id, ("Task", f.name)) for f in FIELDS]
    before = watching.before_fields(awaited, carried, FIELDS)
    assert [(c.key, c.name) for c in before] == [("was_title", ("Before", "Title")), ("was_state", ("Before", "State"))]
    assert before[1] == CarriedField(
        "was_state", ("Before", "State"), "choice" if before[1].type == "choice" else "text", ("Open", "Done")
    )
    assert watching.before_fields(Awaited("arrives"), carried, FIELDS) == ()
    values = watching.carried_before(seen(OPEN, DONE), {"title": "Oil", "state": "Done", "row": "3"}, PLACE)
    assert values == {"was_title": "Oil", "was_state": "Open"}


@pytest.mark.parametrize(
    "event,watch,says",
    [
        ("reached", {}, "choose a field to watch"),
        ("reached", {"field": "f9"}, "no longer in Round"),
        ("changed", {"fields": ("title", "f9")}, "no longer in Round"),
        ("changed", {"fields": ("row",)}, "changes of “Row” are not told"),
        ("arrives", {"filled": ("f9",)}, "no longer in Round"),
        ("arrives", {"filled": ("row",), "fields": ("f9",)}, ""),
        ("changed", {"fields": ("title",)}, ""),
    ],
)
def test_what_must_be_put_right(event, watch, says):
    findings = watching.check("w", Awaited(event, Watch(**watch)), PLACE)
    assert says in findings[0].sentence if says else findings == []


STATES = st.lists(st.tuples(st.sampled_from(["1", "2", None]), st.booleans()), max_size=30)


@given(STATES)
def test_a_value_is_reached_as_often_as_it_is_seen_to_become_it(edits):
    """Against a model that has the true state at each look: whatever happens between two looks, each time that the item is found
    done and was not at the look before is one start, and no other is."""
    known, expected, found, last = mark(**OPEN), 0, 0, "1"
    for state, is_looked_at in edits:
        if not is_looked_at:
            continue
        now = item(title="Oil", state=state)
        told = watching.compare(known, now, True, FIELDS)
        found += starts("reached", told, field="state", becomes="Done")
        expected += state == "2" and last != "2"
        known, last = watching.mark_of(now, FIELDS), state
    assert found == expected
