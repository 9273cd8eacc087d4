"""Do lines: what an app offers to be done to an item, with what that takes."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from kelvix.core.cells import Answer
from kelvix.core.checking import check
from kelvix.core.context import Context
from kelvix.core.feel import Env
from kelvix.core.lines.do import Do
from kelvix.core.lines.get import Get
from kelvix.core.rehearsal import rehearse_whole
from kelvix.core.schema import FIRST_OUTSIDE, CarriedField, Database, Field, Operation, Outside
from kelvix.core.workflow import FieldFilling, Part, Reference, When, Workflow

NOW = datetime(2026, 11, 29, tzinfo=UTC)
COMMENT = Operation("comment", "add a comment", (Field("text", "Comment", "long_text", required=True),))
PROJECT = Outside(1, "7", "issues", "Issues", "project", "issue", "issues", "https://issues.example/7", operations=(COMMENT,))
PLACE = Database(FIRST_OUTSIDE, "Works", (Field("title", "Title", "text"),), PROJECT)
SOURCE = (CarriedField("text", ("Message", "Text"), "long_text"),)
GET = Get("g", PLACE.id, (Part(text="9"),))
DO = Do("d", "g", "comment", (FieldFilling("text", (Part(ref=Reference("w", "text")),)),))


def rehearsed(line, item, there=True, place=PLACE):
    answer = Answer(1, "9", {"title": "Cipher"}, NOW) if there else Answer(0, None, {}, NOW)
    context = Context(SOURCE, {place.id: place}, Env(NOW, ZoneInfo("UTC")), lambda _: answer)
    flow = Workflow((When("w", connection=1, container="1"), GET, line))
    return rehearse_whole(flow, item, context).cells[2], [f.sentence for f in check(flow, context)]


def test_what_it_takes_is_filled_like_a_record():
    cell, wrong = rehearsed(DO, {"text": "Sounds after rain"})
    assert (cell.state, cell.note, wrong) == ("fits", "add a comment", [])
    assert cell.writes == {"text": "Sounds after rain"}
    empty, _ = rehearsed(DO, {"text": None})
    assert empty.state == "put_right" and "Comment is required" in empty.note
    _, unfilled = rehearsed(replace(DO, fillings=()), {"text": "x"})
    assert unfilled == ["Comment is required"]


def test_nothing_is_done_where_there_is_no_item():
    cell, _ = rehearsed(DO, {"text": "x"}, there=False)
    assert (cell.state, cell.note) == ("found_none", "no issue to do this to")


def test_what_is_not_offered_is_said():
    assert rehearsed(replace(DO, operation=""), {"text": "x"})[1] == ["choose what to do"]
    assert "no longer offers" in rehearsed(replace(DO, operation="sing"), {"text": "x"})[1][0]
    silent = Database(PLACE.id, "Works", PLACE.fields, replace(PROJECT, operations=()))
    assert rehearsed(DO, {"text": "x"}, place=silent)[1] == ["Issues offers nothing else to do to an issue"]
    own = Database(1, "Notes", PLACE.fields)
    flow_over_own = rehearsed(DO, {"text": "x"}, place=replace(own, id=PLACE.id))[1]
    assert flow_over_own == ["Notes offers nothing else to do to a record"]
