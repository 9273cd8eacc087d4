"""What a mirror keeps is read back as it was."""

import json
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal

import pytest

from kelvix.core.mirror import forms
from kelvix.core.mirror.document import Away, FieldPair, Key, MatchRule, Mirror, MirrorSide, Safety
from kelvix.core.mirror.merge import Agreed, Conflict, Outcome, Unmatched, Unread
from kelvix.core.mirror.reconciling import Standing
from kelvix.core.mirror.rich_text import RichText
from kelvix.core.mirror.roots import Root
from kelvix.core.mirror.translations.people import Somebody
from kelvix.core.query import Comparison, Joined
from kelvix.core.values import Amount, File, Person, Referred, Span

VALUES = [
    None,
    "",
    "oak",
    True,
    False,
    Decimal("1.50"),
    date(2026, 11, 30),
    datetime(2026, 11, 30, 9, 5, 7, 123000, tzinfo=UTC),
    time(9, 30),
    timedelta(hours=36),
    Amount(Decimal("12.50"), "EUR"),
    Person("Ada Pell", "ada@example.example"),
    Span(date(2026, 1, 1), date(2026, 1, 3)),
    RichText("a\n\nb"),
    Somebody("ada", "Ada", "ada@example.example"),
    Unmatched("3", "Waiting", True),
    Unread("it was not told"),
    frozenset(("oak=1", "tin=2")),
    ("oak", "tin"),
    (Referred("Loft", 3, 7), Referred("Case", 3, 8)),
    frozenset((Referred("Loft", 3, 7),)),
]


@pytest.mark.parametrize("value", VALUES, ids=lambda value: type(value).__name__)
def test_a_value_is_read_back_as_it_was(value):
    found = forms.value_of(json.loads(json.dumps(forms.value_json(value))))
    assert found == value and type(found) is type(value)


def test_a_file_is_read_back_with_where_it_lies():
    value = File("plan.pdf", 12, "application/pdf", "files:7:acc")
    found = forms.value_of(forms.value_json(value))
    assert isinstance(found, File) and (found.size, found.kind, found.source) == (value.size, value.kind, value.source)


@pytest.mark.parametrize("meant", ["oak", "OAK"])
def test_what_a_field_stands_for_is_read_back(meant):
    standing = Standing("oak", meant, Root("b", ("a",)), datetime(2026, 11, 30, tzinfo=UTC), False)
    assert forms.standing_of(json.loads(json.dumps(forms.standing_json(standing)))) == standing


def test_what_is_open_is_read_back_with_both_edits():
    outcome = Outcome("conflict", conflict=Conflict(Agreed(None), date(2026, 1, 1), date(2026, 1, 2), "k"))
    assert forms.outcome_of(json.loads(json.dumps(forms.outcome_json(outcome)))) == outcome
    assert forms.agreed_of(forms.agreed_json({"1": Agreed(None)})) == {"1": Agreed(None)}


def test_a_mirror_is_read_back_as_it_was_chosen():
    where = Joined("all", (Comparison("1", "is", "oak"), Comparison("2", "filled")))
    mirror = Mirror(
        MirrorSide(1, where),
        MirrorSide(10**12, None, Away("status", "4")),
        (FieldPair("a", "1", "title", "text", {}, "to_right", "newest"), FieldPair("b", "2", "on", "day", {"at": "09:00"})),
        MatchRule((Key("1", "title", "near"),), 0.9),
        "left",
        "right",
        "follow",
        "archive",
        Safety(0.2, 6),
        5.0,
        "to_left",
        datetime(2026, 11, 30, 9, tzinfo=UTC),
    )
    assert forms.mirror_of(json.loads(json.dumps(forms.mirror_json(mirror)))) == mirror
