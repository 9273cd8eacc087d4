"""Get lines: one record by its link or its number."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from kelvix.core import known
from kelvix.core.cells import Answer
from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.lines.get import Get
from kelvix.core.rehearsal import rehearse_whole
from kelvix.core.schema import FIRST_OUTSIDE, CarriedField, Database, Field, Outside
from kelvix.core.workflow import Part, Reference, When, Workflow

NOW = datetime(2026, 11, 29, tzinfo=UTC)
FIELDS = (Field("title", "Title", "text"), Field("link", "Link", "link", can_write=False))
LIST = Outside(1, "7", "tasks", "Tasks", "list", "task", "tasks", "https://tasks.example/lists/7")
PLACE = Database(FIRST_OUTSIDE, "Rounds", FIELDS, LIST)
OWN = Database(1, "Notes", (Field("1", "Name", "text"),))
SOURCE = (CarriedField("about", ("Message", "About"), "link"),)
LINK = "https://tasks.example/tasks/9"
GET = Get("g", PLACE.id, (Part(ref=Reference("w", "about")),))


def rehearsed(line, item, answer=None, asked=None):
    def find(question):
        if asked is not None:
            asked.append(question)
        return answer

    context = Context(SOURCE, {PLACE.id: PLACE, OWN.id: OWN}, Env(NOW, ZoneInfo("UTC")), find)
    flow = Workflow((When("w", connection=1, container="1"), line))
    return rehearse_whole(flow, item, context).cells[1], context, flow


def test_what_is_asked_for_is_the_one_that_the_link_means():
    asked = []
    there = Answer(1, "9", {"title": "Tune the reeds", "link": LINK}, NOW)
    cell, context, flow = rehearsed(GET, {"about": LINK}, there, asked)
    assert [(q.database, q.identity) for q in asked] == [(PLACE.id, LINK)]
    assert (cell.state, cell.note) == ("found", "1 found: Tune the reeds")
    assert check(flow, context)[0].sentence.startswith("this workflow does nothing")  # and nothing else is wrong


def test_its_fields_and_its_own_link_are_carried_on_by_the_words_of_its_app():
    _, context, flow = rehearsed(GET, {"about": LINK})
    names = {
        ref.value: f.name
        for ref, f in known.made_by(GET, known.known_to(flow, "g", context), context).fields.items()
        if ref.line == "g"
    }
    assert names["link"] == ("Found in Rounds", "Link to the task") and names["f_title"] == ("Found in Rounds", "Title")
    assert known.made_by(GET, known.known_to(flow, "g", context), context).records["g"].database == PLACE.id


def test_none_and_empty_are_told_and_may_end_the_item():
    none = Answer(0, None, {}, NOW)
    assert rehearsed(GET, {"about": LINK}, none)[0].state == "found_none"
    assert rehearsed(replace(GET, none="stop"), {"about": LINK}, none)[0].state == "passed_by"
    asked = []
    cell = rehearsed(GET, {"about": None}, none, asked)[0]
    assert (cell.state, asked, cell.parts[0].sentence) == ("found_none", [], "is empty in this item")


def test_what_is_missing_is_said_in_the_words_of_the_place():
    assert "enter a link to a task" in rehearsed(replace(GET, what=()), {})[0].note
    assert "enter a link to a record" in rehearsed(replace(GET, what=(), database=OWN.id), {})[0].note
    gone = replace(GET, database=77)
    cell, context, flow = rehearsed(gone, {"about": LINK})
    assert cell.state == "put_right" and "deleted" in check(flow, context)[0].sentence
    failing = Answer(0, None, {}, NOW, problem="Tasks can’t be reached")
    assert rehearsed(GET, {"about": LINK}, failing)[0].note == "Tasks can’t be reached"
