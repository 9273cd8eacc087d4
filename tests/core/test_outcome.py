"""What runs recorded is read by its type, and kept again as it was."""

from __future__ import annotations

import pytest

from kelvix.core import outcome
from kelvix.core.outcome import (
    AnsweredBy,
    Asked,
    Decided,
    Failed,
    FileSaved,
    FoundRecords,
    MailsSent,
    Outcome,
    RanAnother,
    Requested,
    Rested,
    Rounds,
    Shaped,
    Stopped,
    Wrote,
)

RECORD = {
    "database": 7,
    "database_name": "Tasks",
    "record": 3,
    "title": "Felt",
    "link": None,
    "values": {"11": "Felt"},
    "count": 1,
    "is_new": True,
}
FOUND = {
    "database": 7,
    "database_name": "Tasks",
    "count": 2,
    "record": 3,
    "title": "Felt",
    "link": "x",
    "values": {"11": "Felt"},
    "records": [[3, {}]],
}
CALL = {
    "attempt": 2,
    "method": "POST",
    "address": "http://x.example/",
    "headers": [["a", "b"]],
    "secrets": [["k", 4]],
    "body": "{}",
}
KEPT = [
    *[(code, RECORD, Wrote) for code in ("added", "updated", "unchanged", "there", "deleted", "found_none")],
    ("updated", RECORD | {"since": "2026-11-28T09:00:00+00:00", "records": [3]}, Wrote),
    *[(code, FOUND, FoundRecords) for code in ("found", "found_none", "passed_by", "left")],
    ("fits", {"Where": "Oxbow", "database": "7", "code": "x"}, Shaped),
    ("sent", {"mails": [{"to": ["a@x.example"], "subject": "S", "link": None}], "app": "post"}, MailsSent),
    *[(code, CALL, Requested) for code in ("sending", "to_send", "in_doubt")],
    ("sent", CALL | {"status": 200, "answer": "ok", "taken": {"n": "1"}}, Requested),
    ("sent", CALL | {"by": "Orla"}, Requested),
    ("saved", {"name": "a", "link": None, "identifier": "1", "happened": "added", "folder": "F", "app": "shelf"}, FileSaved),
    ("saved", {"name": "a", "link": None, "identifier": "1", "happened": "added", "folder": "F"}, FileSaved),
    ("ran", {"workflow": 4, "workflow_name": "Other"}, RanAnother),
    ("goes_on", {"way": "else", "taken": "w2"}, Decided),
    ("repeating", {"done": 1, "of": 3}, Rounds), ("repeated", {"done": 3, "of": 3}, Rounds),
    ("waits", {"since": "a", "until": "b"}, Rested), ("waited", {"since": "a", "until": "b"}, Rested),
    ("asks", {"since": "a"}, Asked),
    ("answered", {"since": "a", "by": "Orla", "approved": True, "values": {"k": "1"}, "said": "yes"}, AnsweredBy),
    ("stops", {"said": "passed by: too late"}, Stopped), ("stops", {"said": "fails", "why": ""}, Stopped),
    ("failed", {"problems": ["Name is required"]}, Failed),
    ("goes_on", None, Outcome), ("skipped", None, Outcome), ("fits", None, Outcome), ("odd", {"of": "another time"}, Outcome),
]  # fmt: skip


@pytest.mark.parametrize(("code", "kept", "type_"), KEPT)
def test_each_is_read_by_its_type_and_kept_as_it_was(code, kept, type_):
    found = outcome.read(code, kept)
    assert type(found) is type_ and found.code == code and found.kept() == kept
    assert outcome.read(found.code, found.kept()) == found


def test_what_is_there_to_go_on_with_is_not_shown():
    assert "records" not in outcome.read("found", FOUND).shown() and outcome.read("added", RECORD).shown() == RECORD


def test_rests_are_counted_by_when_they_began():
    began = [outcome.read(code, kept).rested_since for code, kept in (
        ("waits", {"since": "a", "until": "b"}), ("asks", {"since": "c"}), ("answered", {"since": "d", "by": None}),
        ("updated", RECORD | {"since": "e"}), ("added", RECORD), ("goes_on", None))]  # fmt: skip
    assert began == ["a", "c", "d", "e", None, None]


def test_why_a_run_was_stopped():
    assert [
        outcome.read("stops", k).reason
        for k in ({"said": "passed by: at 9:30"}, {"said": "fails: x: y", "why": "x: y"}, {"said": "ends here, done"})
    ] == ["at 9:30", "x: y", ""]
