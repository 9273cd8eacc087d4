"""Documents of earlier times are read as those of today, and not rewritten."""

from __future__ import annotations

import json

from kelvix.core.lines.add import Add
from kelvix.core.lines.add_or_update import AddOrUpdate
from kelvix.core.lines.find import Find
from kelvix.core.upgrading import upgraded
from kelvix.core.workflow import RecordEvent, Reference, When
from kelvix.store import workflows

EARLIER = {
    "lines": [
        {"verb": "when", "id": "w", "own": {"kind": "record", "database": 7, "event": "reached", "fields": [11], "field": 12,
         "quiet": 30, "filled": [11, 0]}},
        {"verb": "find", "id": "f", "database": 7, "order": 12, "listed": [11],
         "sought": [{"field": 11, "filling": [{"ref": {"line": "w", "value": "f_11"}}]}],
         "figures": [{"key": "n", "kind": "sum", "field": 13}]},
        {"verb": "add_or_update", "id": "a", "database": 8, "by": [21],
         "fillings": [{"field": 21, "filling": [{"text": "5"}]}, {"field": 0, "filling": [{"text": "7"}]}]},
        {"verb": "wait", "id": "p", "amount": 3},
    ]
}  # fmt: skip


def test_fields_that_were_numbers_are_names():
    kept = json.dumps(EARLIER)
    when, find, add, wait = workflows.parse(kept).lines
    assert isinstance(when, When) and isinstance(when.own, RecordEvent)
    assert (when.own.fields, when.own.field, when.own.filled, when.own.quiet) == (("11",), "12", ("11", "0"), 30)
    assert isinstance(find, Find) and (find.order, find.listed, find.database) == ("12", ("11",), 7)
    assert find.sought[0].field == "11" and find.sought[0].filling[0].ref == Reference("w", "f_11")
    assert find.figures[0].field == "13" and wait.amount == 3
    assert isinstance(add, AddOrUpdate) and add.by == ("21",) and [f.field for f in add.fillings] == ["21", "0"]
    assert json.loads(kept) == EARLIER


def test_what_a_find_line_mentioned_stood_anywhere():
    sought = {"field": 11, "operator": "mentions", "filling": [{"text": "x"}]}
    assert upgraded(sought) == {"field": "11", "operator": "contains", "filling": [{"text": "x"}]}
    assert upgraded(sought | {"field": "11"})["operator"] == "mentions"


def test_what_is_of_today_stays_as_it_is():
    today = json.loads(workflows.dump(workflows.parse(json.dumps(EARLIER))))
    assert upgraded(today) == today
    assert isinstance(workflows.parse(json.dumps({"lines": [*EARLIER["lines"][:1], {"verb": "add", "id": "a"}]})).lines[1], Add)
