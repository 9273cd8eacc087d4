"""References between records: both sides show the same ones, whoever writes them, and the log of either says so."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from kelvix.collections import undo
from kelvix.collections.write import Actor
from kelvix.core.finding import Question
from kelvix.core.query import Comparison
from kelvix.core.values import Referred, Unfit, to_wire
from kelvix.store import changes, databases, ddl, finding, record_writing, records, trash
from kelvix.store.databases import NewField, Refused
from kelvix.store.records import Origin
from support import newest

ME = Origin(person="Orla")


@pytest.fixture
def made(orla):
    """Organs, and visits that refer to them."""
    organs = databases.create(orla.space, "Organs", (NewField("Name", "text"),))
    visits = databases.create(
        orla.space,
        "Visits",
        (NewField("Name", "text"), NewField("Organ", "reference", refers_to=organs.id, back_name="Visited")),
    )
    return orla.space, *again(orla.space, organs, visits)


def again(space, *of):
    found = space.read(lambda t: databases.load(t, space.id))
    return tuple(found[d.id] for d in of)


def add(space, database, *values):
    given = dict(zip([f.id for f in database.fields], values, strict=False))
    return space.transact(lambda t: record_writing.add(t, space.id, database, given, ME))[0]


def get(space, database, record):
    return space.read(lambda t: records.get(t, database, record))


def value(space, database, record, field=1):
    kept = get(space, database, record).values[database.fields[field].id] or ()
    return [(v.record, str(v)) for v in kept]


def change(space, database, record, *referred, field=1):
    kept = get(space, database, record)
    values = {database.fields[field].id: tuple(Referred("as it was called", d.id, r) for d, r in referred) or None}
    return space.transact(lambda t: record_writing.update(t, space.id, database, record, kept.version, values, ME))


def log(space, database, record):
    return [
        (c.kind, c.version, c.before, c.after)
        for c in space.read(lambda t: changes.of_record(t, space.id, database.id, record))
    ]


def test_a_field_that_refers_has_one_that_refers_back(made):
    _, organs, visits = made
    organ, visited = visits.fields[1], organs.fields[1]
    assert (organ.refers_to, organ.back, organ.leads) == (organs.id, visited.id, True)
    assert (visited.name, visited.refers_to, visited.back, visited.leads) == ("Visited", visits.id, organ.id, False)


def test_both_sides_show_what_either_wrote(made):
    space, organs, visits = made
    oxbow, wend = add(space, organs, "Oxbow"), add(space, organs, "Nether Wend")
    first = add(space, visits, "First", (Referred("", organs.id, wend), Referred("", organs.id, oxbow)))
    assert value(space, visits, first) == [(wend, "Nether Wend"), (oxbow, "Oxbow")], "in the order given, by their titles"
    assert value(space, organs, oxbow) == [(first, "First")] == value(space, organs, wend)
    second = add(space, visits, "Second")
    change(space, organs, oxbow, (visits, second), (visits, first))
    assert value(space, visits, second) == [(oxbow, "Oxbow")]
    change(space, organs, wend)
    assert value(space, visits, first) == [(oxbow, "Oxbow")]


def test_the_log_of_either_side_says_what_changed(made):
    space, organs, visits = made
    oxbow = add(space, organs, "Oxbow")
    first = add(space, visits, "First", (Referred("", organs.id, oxbow),))
    back = str(organs.fields[1].id)
    assert log(space, organs, oxbow)[1:] == [("linked", 2, {back: None}, {back: [[str(first), "First", str(visits.id)]]})]
    assert get(space, organs, oxbow).version == 2
    change(space, visits, first, (organs, oxbow))  # the same again changes nothing there
    assert len(log(space, organs, oxbow)) == 2 and get(space, organs, oxbow).version == 2
    numbers = [r["seq"] for r in space.rows("SELECT seq FROM `change` WHERE workspace_id=%s ORDER BY seq", (space.id,))]
    assert numbers == list(range(1, len(numbers) + 1)), "without gaps"


def test_undoing_sets_both_sides_back(made):
    space, organs, visits = made
    oxbow, wend = add(space, organs, "Oxbow"), add(space, organs, "Wend")
    first = add(space, visits, "First", (Referred("", organs.id, oxbow),))
    seq = change(space, visits, first, (organs, wend))
    change(space, organs, wend)  # renames nothing, but takes it away from the other side
    with pytest.raises(undo.CannotUndo, match="Organ was changed again since"):
        space.transact(lambda t: undo.undo(t, space.id, seq, Actor(replace(ME, undoes=seq))))
    seq = change(space, visits, first, (organs, wend))
    name = visits.fields[0].id
    space.transact(
        lambda t: record_writing.update(
            t, space.id, organs, wend, get(space, organs, wend).version, {organs.fields[0].id: "Nether Wend"}, ME
        )
    )
    space.transact(lambda t: undo.undo(t, space.id, seq, Actor(replace(ME, undoes=seq))))
    assert value(space, visits, first) == [] == value(space, organs, wend) and get(space, visits, first).values[name] == "First"


def test_what_is_not_there_is_refused_and_nothing_written(made):
    space, organs, visits = made
    with pytest.raises(Unfit, match="Organ refers to record 999, which no longer exists"):
        add(space, visits, "First", (Referred("record 999", organs.id, 999),))
    assert space.read(lambda t: newest(t, visits, 9)) == []


def test_what_goes_to_the_trash_is_left_out_until_it_comes_back(made):
    space, organs, visits = made
    oxbow = add(space, organs, "Oxbow")
    first = add(space, visits, "First", (Referred("", organs.id, oxbow),))
    for deleted in (True, False):
        space.transact(lambda t, deleted=deleted: record_writing.set_deleted(t, space.id, organs, oxbow, deleted, ME))
        assert value(space, visits, first) == ([] if deleted else [(oxbow, "Oxbow")])
    space.transact(lambda t: record_writing.set_deleted(t, space.id, organs, oxbow, True, ME))
    space.transact(lambda t: t.execute("UPDATE trash SET at = NOW(3) - INTERVAL 31 DAY WHERE workspace_id=%s", (space.id,)))
    assert trash.empty_old(space) == 1
    assert space.rows("SELECT 1 FROM record_reference WHERE field_id=%s", (visits.fields[1].id,)) == []


def test_a_field_goes_and_comes_back_on_both_sides(made):
    space, organs, visits = made
    oxbow = add(space, organs, "Oxbow")
    first = add(space, visits, "First", (Referred("", organs.id, oxbow),))
    databases.take_field_away(space, organs, organs.fields[1].id, "Orla")
    without = again(space, organs, visits)
    assert [len(d.fields) for d in without] == [2, 2]
    databases.bring_field_back(space, without[0], organs.fields[1].id)
    assert again(space, organs, visits) == (organs, visits) and value(space, visits, first) == [(oxbow, "Oxbow")]
    databases.take_field_away(space, visits, visits.fields[1].id, "Orla")
    space.transact(lambda t: t.execute("UPDATE trash SET at = NOW(3) - INTERVAL 31 DAY WHERE workspace_id=%s", (space.id,)))
    assert trash.empty_old(space) == 1
    assert space.rows("SELECT 1 FROM field WHERE refers_to IS NOT NULL AND workspace_id=%s", (space.id,)) == []
    assert space.rows("SELECT 1 FROM record_reference WHERE field_id=%s", (visits.fields[1].id,)) == []


def test_a_database_goes_and_takes_the_fields_along_that_lead_to_it(made):
    space, organs, visits = made
    oxbow = add(space, organs, "Oxbow")
    first = add(space, visits, "First", (Referred("", organs.id, oxbow),))
    databases.delete(space, organs, "Orla")
    [left] = again(space, visits)
    assert [f.name for f in left.fields] == ["Name", "Text"] and get(space, left, first)
    databases.bring_back(space, organs.id)
    assert value(space, *again(space, visits), first) == [(oxbow, "Oxbow")]
    databases.delete(space, organs, "Orla")
    space.transact(lambda t: t.execute("UPDATE trash SET at = NOW(3) - INTERVAL 31 DAY WHERE workspace_id=%s", (space.id,)))
    assert trash.empty_old(space) == 1
    ddl.reconcile(space.server)
    assert space.rows("SELECT name FROM field WHERE refers_to IS NOT NULL AND workspace_id=%s", (space.id,)) == []
    assert [f.name for f in again(space, visits)[0].fields] == ["Name", "Text"]


def test_a_database_refers_to_itself(orla):
    space = orla.space
    people = databases.create(space, "People", (NewField("Name", "text"),))
    databases.add_field(space, people, NewField("Asks", "reference", refers_to=people.id, back_name="Is asked by"))
    [people] = again(space, people)
    ada, bo = add(space, people, "Ada"), add(space, people, "Bo")
    change(space, people, ada, (people, bo), (people, ada))
    assert value(space, people, ada) == [(bo, "Bo"), (ada, "Ada")] and value(space, people, bo, 2) == [(ada, "Ada")]
    assert value(space, people, ada, 2) == [(ada, "Ada")]
    change(space, people, ada)
    assert value(space, people, bo, 2) == [] == value(space, people, ada, 2)


def test_records_are_found_by_what_they_refer_to(made):
    space, organs, visits = made
    oxbow, wend = add(space, organs, "Oxbow"), add(space, organs, "Wend")
    first = add(space, visits, "First", (Referred("", organs.id, oxbow),))
    none = add(space, visits, "None")

    def ask(operator, record=None, database=visits):
        one = Referred("", organs.id, record) if record else None
        compared = (Comparison(database.fields[1].id, operator, one),)
        return space.read(lambda t: finding.find_all(t, database, Question(database.id, "all", compared, "oldest"), space.zone))

    assert (ask("has", oxbow), ask("has", wend), ask("has_none", oxbow)) == ([first], [], [none])
    assert (ask("filled"), ask("empty")) == ([first], [none])
    assert ask("filled", database=organs) == [oxbow]


@pytest.mark.parametrize(
    ("field", "said"),
    [(NewField("To", "reference"), "choose a database for this reference"), (NewField("To", "text", refers_to=1), "only reference fields"),
     (NewField("To", "reference", refers_to=10**9), "no longer exists")],
)  # fmt: skip
def test_what_leads_nowhere_is_refused(made, field, said):
    space, organs, _ = made
    with pytest.raises(Refused, match=said):
        databases.add_field(space, organs, field)
    assert [f.name for f in again(space, organs)[0].fields] == ["Name", "Visited", "Text"]


def test_the_wire_says_title_and_database(made):
    space, organs, visits = made
    oxbow = add(space, organs, "Oxbow")
    first = add(space, visits, "First", (Referred("", organs.id, oxbow),))
    sent = to_wire(get(space, visits, first).values[visits.fields[1].id])
    assert json.loads(json.dumps(sent)) == [[str(oxbow), "Oxbow", str(organs.id)]]
