"""Records, versions, the change log and undo, on a real MariaDB."""

from __future__ import annotations

import threading
import time
from datetime import UTC, date, datetime
from decimal import Decimal

import pytest

from kelvix.collections import undo
from kelvix.collections.undo import CannotUndo
from kelvix.collections.write import Actor
from kelvix.core.not_found import NotFoundError
from kelvix.core.values import NewChoice
from kelvix.store import changes, databases, ddl, record_writing, records
from kelvix.store.database_server import IDLE
from kelvix.store.databases import NewField, Refused
from kelvix.store.records import Origin, Stale
from support import newest

ALL = (
    NewField("Name", "text"), NewField("Long", "long_text"), NewField("Number", "number"), NewField("Day", "date"),
    NewField("Time", "datetime"), NewField("Stage", "choice", choices=("New", "Old")), NewField("Mail", "email"), NewField("Link", "link"),
    NewField("Done", "yes_no"), NewField("Tags", "labels", choices=("Leather", "Reeds"), grows=True),
)  # fmt: skip
ME = Origin(person="Orla")


@pytest.fixture
def made(orla):
    return orla.space, databases.create(orla.space, "All types", ALL)


def add(space, database, **values):
    ids = {f.name: f.id for f in database.fields}
    return space.transact(lambda t: record_writing.add(t, space.id, database, {ids[n]: v for n, v in values.items()}, ME))


def field(database, name):
    return next(f for f in database.fields if f.name == name).id


def test_every_type_comes_back_as_it_was_given(made):
    space, database = made
    values = {
        "Name": "Θέμα \N{MUSICAL SYMBOL G CLEF}", "Long": "a\n" * 1000, "Number": Decimal("12345678901234567890.0000000001"), "Day": date(2026, 2, 28),
        "Time": datetime(2026, 3, 29, 1, 0, 0, 123000, tzinfo=UTC), "Stage": "2", "Mail": "a@b.example", "Link": "https://x.example/", "Done": False,
        "Text": "# Head", "Tags": ("2", "1"),
    }  # fmt: skip
    record_id, _ = add(space, database, **values)
    kept = space.read(lambda t: records.get(t, database, record_id))
    assert {f.name: kept.values[f.id] for f in database.fields} == values
    assert kept.version == 1


def test_a_write_names_the_version_it_saw(made):
    space, database = made
    name = field(database, "Name")
    record_id, _ = add(space, database, Name="first")
    space.transact(lambda t: record_writing.update(t, space.id, database, record_id, 1, {name: "second"}, ME))
    with pytest.raises(Stale) as caught:
        space.transact(lambda t: record_writing.update(t, space.id, database, record_id, 1, {name: "mine"}, ME))
    assert caught.value.record.values[name] == "second" and caught.value.record.version == 2


def test_two_writers_at_once_one_is_told(made):
    space, database = made
    name = field(database, "Name")
    record_id, _ = add(space, database, Name="start")
    outcomes = []
    gate = threading.Barrier(2)

    def write(text):
        gate.wait()
        try:
            space.transact(lambda t: record_writing.update(t, space.id, database, record_id, 1, {name: text}, ME))
            outcomes.append("kept")
        except Stale:
            outcomes.append("told")

    threads = [threading.Thread(target=write, args=(t,)) for t in ("a", "b")]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(outcomes) == ["kept", "told"]


def test_undo_of_each_kind(made):
    space, database = made
    name, stage = field(database, "Name"), field(database, "Stage")
    record_id, added = add(space, database, Name="first", Stage="1")

    def set_back(seq):
        return space.transact(lambda t: undo.undo(t, space.id, seq, Actor(ME)))

    edit = space.transact(lambda t: record_writing.update(t, space.id, database, record_id, 1, {name: "second"}, ME))
    space.transact(lambda t: record_writing.update(t, space.id, database, record_id, 2, {stage: "2"}, ME))
    set_back(edit)  # another field was changed since: no matter
    now = space.read(lambda t: records.get(t, database, record_id))
    assert (now.values[name], now.values[stage]) == ("first", "2")
    with pytest.raises(CannotUndo, match="changed since"):
        set_back(added)
    gone = space.transact(lambda t: record_writing.set_deleted(t, space.id, database, record_id, True, ME))
    assert space.read(lambda t: records.get(t, database, record_id)) is None
    set_back(gone)
    assert space.read(lambda t: records.get(t, database, record_id)).values[name] == "first"
    with pytest.raises(CannotUndo):
        set_back(gone)
    with pytest.raises(NotFoundError):
        set_back(10**9)


def test_undo_does_not_overwrite_a_later_edit_of_the_same_field(made):
    space, database = made
    name = field(database, "Name")
    record_id, _ = add(space, database, Name="first")
    edit = space.transact(lambda t: record_writing.update(t, space.id, database, record_id, 1, {name: "second"}, ME))
    space.transact(lambda t: record_writing.update(t, space.id, database, record_id, 2, {name: "third"}, ME))
    with pytest.raises(CannotUndo, match="Name was changed again"):
        space.transact(lambda t: undo.undo(t, space.id, edit, Actor(ME)))


def test_every_value_can_say_where_it_came_from(made):
    space, database = made
    name, stage = field(database, "Name"), field(database, "Stage")
    record_id, _ = add(space, database, Name="first", Stage="1")
    seq = space.transact(
        lambda t: record_writing.update(t, space.id, database, record_id, 1, {stage: "2"}, Origin(person="Ivo"))
    )
    history = space.read(lambda t: changes.of_record(t, space.id, database.id, record_id))
    origins = changes.origins(history)
    assert origins[str(name)].origin == {"person": "Orla"} and origins[str(stage)].seq == seq
    assert history[-1].before == {str(stage): "1"} and history[-1].after == {str(stage): "2"}


def test_the_numbers_of_changes_become_visible_in_order(made):
    """A reader that goes on from the highest number it saw misses none, whatever the writers do."""
    space, database = made
    stop = threading.Event()
    seen: list[int] = []
    before = space.read(lambda t: changes.last(t, space.id))

    def read():
        cursor = before
        while True:
            done = stop.is_set()
            found = space.transact(lambda t, after=cursor: changes.after(t, space.id, after, 1000))
            seen.extend(one.seq for one in found)
            cursor = found[-1].seq if found else cursor
            if done:
                return

    def write():
        for n in range(60):
            add(space, database, Name=f"n{n}")

    reader, writers = threading.Thread(target=read), [threading.Thread(target=write) for _ in range(4)]
    reader.start()
    for thread in writers:
        thread.start()
    for thread in writers:
        thread.join()
    stop.set()
    reader.join()
    assert len(seen) == len(set(seen)) == 240 and seen == sorted(seen)


def test_a_number_that_is_kept_no_longer_holds_up_nothing(made):
    space, database = made
    seqs = [add(space, database, Name=f"n{n}")[1] for n in range(4)]
    space.transact(lambda t: t.execute("DELETE FROM `change` WHERE workspace_id=%s AND seq=%s", (space.id, seqs[1])))
    found = space.transact(lambda t: changes.after(t, space.id, seqs[0] - 1, 10))
    assert [one.seq for one in found] == [seqs[0], *seqs[2:]]


def test_pages_by_keyset_hold_each_record_once(made):
    space, database = made
    ids = [add(space, database, Name=f"n{n}")[0] for n in range(25)]
    found, before = [], None
    while page := space.read(lambda t: newest(t, database, 10, before)):  # noqa: B023
        found += [r.id for r in page]
        before = page[-1].id
    assert found == ids[::-1]


def test_a_field_can_be_added_taken_away_and_brought_back_with_its_values(made):
    space, database = made
    record_id, _ = add(space, database, Name="x", Mail="a@b.example")
    extra = databases.add_field(space, database, NewField("Extra", "number"))
    mail = field(database, "Mail")
    databases.take_field_away(space, database, mail, "Orla")
    now = space.read(lambda t: databases.get(t, space.id, database.id))
    assert now.field(mail) is None and now.field(extra.id).type == "number"
    databases.bring_field_back(space, now, mail)
    again = space.read(lambda t: databases.get(t, space.id, database.id))
    assert space.read(lambda t: records.get(t, again, record_id)).values[mail] == "a@b.example"


def test_what_was_half_made_is_finished_at_the_next_start(made):
    """A crash between the row that asks for a field and the column that it needs."""
    space, database = made
    space.transact(lambda t: t.execute(
        "INSERT INTO field (workspace_id, database_id, name, type, choices, position) VALUES (%s,%s,'Late','text','[]',20)", (space.id, database.id)))  # fmt: skip
    assert "Late" not in [f.name for f in space.read(lambda t: databases.get(t, space.id, database.id)).fields]
    ddl.reconcile(space.server)
    later = space.read(lambda t: databases.get(t, space.id, database.id))
    record_id, _ = add(space, later, Name="x", Late="kept")
    assert space.read(lambda t: records.get(t, later, record_id)).values[field(later, "Late")] == "kept"


def test_a_field_is_added_while_a_transaction_holds_the_table(made):
    space, database = made
    held, go = threading.Event(), threading.Event()

    def hold():
        def work(t):
            t.rows(f"SELECT * FROM {ddl.table(database.id)}")
            held.set()
            go.wait(0.4)

        space.transact(work)  # fmt: skip

    thread = threading.Thread(target=hold)
    thread.start()
    held.wait()
    made_field = databases.add_field(space, database, NewField("While", "text"))
    thread.join()
    assert made_field.name == "While"


@pytest.mark.parametrize(
    ("name", "fields", "said"),
    [
        ("", (), "needs a name"),
        ("x", (NewField("A", "text"), NewField("a ", "number")), "called"),
        ("x", (NewField("A", "text"), NewField(" ", "number")), "a field needs a name"),
        ("x", tuple(NewField(f"f{n}", "text") for n in range(201)), "at most 200"),
    ],
)
def test_what_cannot_be_made_says_why(orla, name, fields, said):
    with pytest.raises(Refused, match=said):
        databases.create(orla.space, name, fields)


def test_renaming_a_choice_list_keeps_what_was_chosen(made):
    space, database = made
    stage = field(database, "Stage")
    record_id, _ = add(space, database, Name="x", Stage="2")
    databases.change_field(space, database, stage, None, None, ("Old", "Newer", "New"))
    now = space.read(lambda t: databases.get(t, space.id, database.id))
    assert now.field(stage).choice_name(space.read(lambda t: records.get(t, now, record_id)).values[stage]) == "Old"
    with pytest.raises(Refused, match="is required"):
        databases.change_field(space, now, now.fields[0].id, None, False, None)


def test_a_process_frozen_inside_a_transaction_holds_up_nobody_for_long(made):
    """The server ends a transaction that does nothing; its work is then done anew, from the start."""
    space, database = made
    name = field(database, "Name")
    record_id, _ = add(space, database, Name="start")
    held = threading.Event()
    attempts = []

    def frozen():
        def work(t):
            attempts.append(records.get(t, database, record_id, lock=True).values[name])
            held.set()
            if len(attempts) == 1:
                time.sleep(IDLE + 2)
            t.rows("SELECT 1")

        space.transact(work)

    thread = threading.Thread(target=frozen)
    thread.start()
    held.wait()
    began = time.monotonic()
    space.transact(lambda t: record_writing.update(t, space.id, database, record_id, 1, {name: "not held up"}, ME))
    assert time.monotonic() - began < IDLE + 1.5
    thread.join()
    assert attempts == ["start", "not held up"]


def test_labels_are_changed_logged_and_undone(made):
    space, database = made
    tags = field(database, "Tags")
    record_id, _ = add(space, database, Name="n", Tags=("1", NewChoice("Wind")))
    grown = space.read(lambda t: databases.get(t, space.id, database.id))
    assert [c.name for c in grown.field(tags).choices] == ["Leather", "Reeds", "Wind"]

    def now():
        return space.read(lambda t: records.get(t, grown, record_id)).values[tags]

    assert now() == ("1", "3")
    seq = space.transact(lambda t: record_writing.update(t, space.id, grown, record_id, 1, {tags: None}, ME))
    assert now() is None
    assert space.read(lambda t: changes.get(t, space.id, seq)).before == {str(tags): ["1", "3"]}
    space.transact(lambda t: undo.undo(t, space.id, seq, Actor(ME)))
    assert now() == ("1", "3")
    databases.take_field_away(space, grown, tags, "Orla")
    databases.bring_field_back(space, space.read(lambda t: databases.get(t, space.id, grown.id)), tags)
    assert now() == ("1", "3"), "a field that is brought back has its labels again"
