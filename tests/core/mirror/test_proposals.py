"""Which fields are proposed to be matched, and by what items are recognised."""

from kelvix.core.collection import Schema
from kelvix.core.mirror import proposals
from kelvix.core.schema import Field
from kelvix.core.values import Choice

STAGES = tuple(Choice(str(n), name) for n, name in enumerate(("To do", "On the bench", "Done")))
STATUSES = tuple(Choice(str(n), name) for n, name in enumerate(("Done", "To do")))
TASKS = Schema(
    (
        Field("1", "Task", "text"),
        Field("2", "Due", "date"),
        Field("3", "Stage", "choice", choices=STAGES),
        Field("4", "Hours", "number"),
        Field("0", "Text", "long_text"),
    ),
    "1",
    title="1",
    body="0",
)
ISSUES = Schema(
    (
        Field("status", "Status", "choice", choices=STATUSES),
        Field("created", "Created", "datetime", can_write=False),
        Field("due", "Due on", "date"),
        Field("title", "Title", "text"),
        Field("text", "Notes", "long_text"),
        Field("number", "Number", "number", can_write=False),
    ),
    "1",
    title="title",
    body="text",
)


def test_fields_are_matched_by_what_they_are_called_hold_and_are_the_title_first():
    found = proposals.field_pairs(TASKS, ISSUES)
    assert [(p.left, p.right, p.translation) for p in found] == [
        ("1", "title", "text"),
        ("2", "due", "same"),
        ("3", "status", "options"),
        ("0", "text", "rich"),
    ]
    assert found[2].options == {"pairs": [["0", "1"], ["2", "0"]]}, "options that are called the same"


def test_what_can_only_be_read_crosses_from_there_alone():
    number = Schema((Field("9", "Number", "number"),), "1")
    [only] = proposals.field_pairs(number, ISSUES)
    assert only.direction == "to_left"
    [other] = proposals.field_pairs(ISSUES, number)
    assert other.direction == "to_right"


def test_items_are_recognised_by_their_titles_else_by_what_tells_them_apart():
    found = proposals.field_pairs(TASKS, ISSUES)
    assert [(k.left, k.right) for k in proposals.match_rule(TASKS, ISSUES, found).keys] == [("1", "title")]
    by_link = Schema((Field("a", "Address", "link"), Field("b", "Note", "text")), "1")
    fields = proposals.field_pairs(by_link, by_link)
    assert [k.left for k in proposals.match_rule(by_link, by_link, fields).keys] == ["a"]
