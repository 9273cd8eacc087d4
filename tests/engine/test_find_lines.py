"""Find lines in rehearsals, which read at a pace and remember, and in runs, which read once."""

from __future__ import annotations

from datetime import UTC, datetime
from types import SimpleNamespace

import pytest

from kelvix.core.cells import Answer
from kelvix.core.collection import TransientError
from kelvix.core.finding import Question
from kelvix.core.query import Comparison
from kelvix.engine import finding
from kelvix.engine.finding import BURST, KEPT, MAX_SIZE, PACE, SETTLED, Lookups
from support import document, until

NOW = datetime(2026, 11, 25, 9, tzinfo=UTC)


class Clock:
    def __init__(self):
        self.now = 100.0

    def __call__(self) -> float:
        return self.now

    def sleep(self, seconds: float) -> None:
        self.now += seconds


@pytest.fixture
def lookups(monkeypatch):
    """Lookups by a clock of the test's, and all that they read: what is read is counted by question."""
    clock, read, text = Clock(), [], {"of": "x"}
    monkeypatch.setattr(
        finding,
        "direct",
        lambda space, databases, ask: lambda q: read.append(q) or Answer(len(read), None, {1: text["of"]}, NOW),
    )
    return Lookups(clock, clock.sleep), clock, read, text


def nothing(*_):
    """Of apps nothing is asked here."""
    raise AssertionError


def question(text: str = "x") -> Question:
    return Question(7, "all", (Comparison(1, "is", text),), "newest")


SPACE, OTHER = SimpleNamespace(id=1), SimpleNamespace(id=2)


def test_a_question_is_read_once_it_has_settled(lookups):
    """Typing changes the question with each letter: none of these is read."""
    made, clock, read, _text = lookups
    find = made.finder(SPACE, {}, nothing)
    for letter in range(10):
        assert find(question("St Bride"[:letter])) is None
        clock.now += 0.08
    assert read == []
    find(question("St Bride"))
    clock.now += SETTLED
    assert find(question("St Bride")).count == 1 and read == [question("St Bride")]


def test_an_answer_is_kept_for_a_while_and_read_again_on_wish(lookups):
    made, clock, _, _text = lookups
    find = made.finder(SPACE, {}, nothing)
    find(question())
    clock.now += SETTLED
    assert find(question()).count == 1
    clock.now += KEPT - 1
    assert find(question()).count == 1
    assert made.finder(SPACE, {}, nothing, again=True)(question()).count == 2
    clock.now += KEPT
    assert find(question()).count == 3


def test_reads_are_paced_and_one_workspace_does_not_hold_up_another(lookups):
    made, clock, read, _text = lookups
    find = made.finder(SPACE, {}, nothing)
    many = [question(str(n)) for n in range(int(BURST) + 30)]
    for q in many:
        find(q)
    clock.now += SETTLED
    answers = [find(q) for q in many]
    assert len(read) == BURST and answers.count(None) == 30
    made.finder(OTHER, {}, nothing)(question())
    clock.now += SETTLED
    assert made.finder(OTHER, {}, nothing)(question()) is not None
    clock.now += 30 / PACE
    assert None not in [find(q) for q in many]


def test_a_backcast_waits_for_its_turn_and_leaves_room(lookups):
    made, clock, read, _text = lookups
    find, began = made.patient(SPACE, {}, nothing), clock.now
    many = [question(str(n % 200)) for n in range(400)]
    assert None not in [find(q) for q in many]
    assert len(read) == 200, "each question once"
    assert clock.now - began >= (200 - BURST / 2) / PACE * 0.9
    rehearsed = made.finder(SPACE, {}, nothing)
    rehearsed(question("mine"))
    clock.now += SETTLED
    assert rehearsed(question("mine")) is not None, "a person is not held up by it"


def test_answers_are_let_go_before_they_fill_the_memory(lookups):
    made, clock, read, text = lookups
    text["of"] = "x" * (MAX_SIZE // 4)
    find = made.finder(SPACE, {}, nothing)
    for _ in range(4):
        for n in range(6):
            find(question(str(n)))
            kept = [k.answer for k in made._known.values() if k.answer]
            assert sum(len(a.values[1]) for a in kept) == made._size <= MAX_SIZE
        clock.now += SETTLED
    assert len(kept) == 4 and len(read) > 4, "what was asked for longest ago was let go, and read again when it was asked for"


@pytest.fixture
def parishes(orla):
    """A workflow that finds a parish by its sender's address, and adds a record named after it."""
    connection = orla.connect("Enquiries")
    known = orla.database("Parishes", {"name": "Name", "type": "text"}, {"name": "Address", "type": "email"})
    enquiries = orla.database("Enquiries", {"name": "Name", "type": "text"}, {"name": "Parish", "type": "text"})
    name, address = (f["id"] for f in known["fields"][:2])
    body = document(connection, orla.folders["Enquiries"], enquiries, {"Name": "subject"})
    find = {
        "verb": "find", "id": "f", "database": known["id"],
        "sought": [{"field": address, "operator": "is", "filling": [{"ref": {"line": "w", "value": "sender.address"}}]}],
    }  # fmt: skip
    body["lines"].insert(-1, find)
    parish = {"field": enquiries["fields"][1]["id"], "filling": [{"ref": {"line": "f", "value": f"f_{name}"}}]}
    body["lines"][-1]["fillings"].append(parish)

    def keep(title, of):
        values = {str(name): title, str(address): of}
        return orla.api("POST", f"/databases/{known['id']}/records", json={"values": values})["record"]

    def names():
        return sorted(r["values"].get(str(parish["field"])) or "none" for r in orla.records(enquiries["id"]))

    return orla, body, keep, names


def test_a_run_finds_what_is_there_and_says_so(parishes):
    orla, body, keep, names = parishes
    record = keep("St Bride", "ada@stbride.example")
    workflow = orla.workflow("Named after its parish", body)
    orla.api("POST", f"/workflows/{workflow}/on")
    orla.deliver("Quote", sender="Ada <ADA@stbride.example>")
    orla.deliver("Other", sender="x@nowhere.example")
    until(lambda: names() == ["St Bride", "none"])
    done = [orla.api("GET", f"/runs/{r['id']}")["run"] for r in orla.runs(workflow)]
    found = {r["title"]: next(ln for ln in r["lines"] if ln["line"] == "f") for r in done}
    assert found["Quote"]["outcome"] == "found" and found["Quote"]["output"]["record"] == record["id"]
    assert found["Quote"]["input"] == {"Message › Sender › Address": "ADA@stbride.example"}
    assert found["Other"]["outcome"] == "found_none" and found["Other"]["output"]["count"] == 0


def test_a_run_that_is_taken_up_again_goes_on_with_its_first_answer(parishes, by_hand):
    """What it added hangs on that answer; the record that was found has another name by now."""
    orla, body, keep, names = parishes
    record = keep("St Bride", "ada@stbride.example")
    body["lines"].append(body["lines"][-1] | {"id": "b"})
    run = by_hand.begin(orla.workflow("Twice", body), {"subject": "x", "sender.address": "ada@stbride.example"})
    by_hand.cut(run, 2)
    assert names() == ["St Bride"]
    title = next(iter(record["values"]))
    path = f"/databases/{body['lines'][1]['database']}/records/{record['id']}"
    orla.api("PATCH", path, json={"values": {title: "St Bridget"}}, headers={"If-Match": '"1"'})
    by_hand.carry(run)
    assert names() == ["St Bride", "St Bride"]


def test_a_rehearsal_reads_and_a_backcast_too(parishes):
    orla, body, keep, _ = parishes
    keep("St Bride", "ada@stbride.example")
    for n in range(3):
        orla.deliver(f"Quote {n}", sender="Ada <ada@stbride.example>" if n else "x@nowhere.example")
    workflow = orla.workflow("Look", body)
    orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})

    def cells(**more):
        found = orla.api("POST", f"/workflows/{workflow}/rehearse", json={"document": body, **more})
        return found, sorted(c[1]["state"] for c in found["cells"].values())

    assert cells()[1] == ["waiting"] * 3
    until(lambda: cells()[1] == ["found", "found", "found_none"])
    found, _ = cells()
    cell = next(c[1] for c in found["cells"].values() if c[1]["state"] == "found")
    assert cell["note"] == "1 found: St Bride" and cell["read_at"]
    assert "St Bride" in str(found["provisional"])
    keep("St Bride, tower", "ada@stbride.example")
    assert "1 found" in str(cells()[0]["cells"]), "as it was read"
    assert "2 found; the newest: St Bride, tower" in str(cells(read_again=True)[0]["cells"])
    orla.api("POST", f"/workflows/{workflow}/backcast", json={"document": body})
    done = until(lambda: (b := orla.api("GET", f"/workflows/{workflow}/backcast")) and b["state"] == "done" and b)
    assert [(o["kind"], o["count"]) for o in done["outcomes"]] == [("carried", 3)]


def test_an_app_that_cannot_be_asked_is_a_problem_of_the_cell_and_not_of_the_rehearsal(monkeypatch):
    def fails(space, databases, ask):
        def read(_):
            raise TransientError("Tasks can’t be reached")

        return read

    monkeypatch.setattr(finding, "direct", fails)
    clock = Clock()
    made = Lookups(clock, clock.sleep)
    find = made.finder(SPACE, {}, nothing)
    find(question())
    clock.now += SETTLED
    assert find(question()).problem == "Tasks can’t be reached"
    assert made.patient(OTHER, {}, nothing)(question()).problem == "Tasks can’t be reached"
