"""All fields of a pair, from the values that its items have to those that are written."""

from __future__ import annotations

from datetime import UTC, date, datetime

from kelvix.core.collection import Unreadable
from kelvix.core.mirror.document import FieldPair
from kelvix.core.mirror.merge import Agreed
from kelvix.core.mirror.reconciling import Matched, Seen, Standing, counterpart, reconcile
from kelvix.core.mirror.roots import Root
from kelvix.core.mirror.translations import TRANSLATIONS, Around
from kelvix.core.schema import Field
from kelvix.core.values import Choice

TITLE = Field("t", "Title", "text")
DAY, MOMENT = Field("d", "Due", "date"), Field("m", "Until", "datetime")
STAGE = Field("s", "Stage", "choice", choices=(Choice("1", "Open"), Choice("2", "Odd")))
STATUS = Field("u", "Status", "choice", choices=(Choice("a", "Open"),))


def matched(code, left, right, options=None, **how):
    pair = FieldPair(left.id, left.id, right.id, code, options or {}, **how)
    return Matched(pair, TRANSLATIONS[code].domain(left, right, pair.options, Around()))


FIELDS = (
    matched("text", TITLE, TITLE),
    matched("day", DAY, MOMENT, {"time": "09:00"}),
    matched("options", STAGE, STATUS, {"pairs": [["1", "a"]]}),
)
ONE = {"t": "Bellows", "d": date(2026, 12, 1), "s": "1"}
OTHER = {"t": "Bellows", "m": datetime(2026, 12, 1, 15, tzinfo=UTC), "u": "a"}
AGREED = {one.pair.id: Agreed(one.domain.left.get(ONE[one.pair.left])) for one in FIELDS}


def test_values_are_written_as_each_side_keeps_them():
    found = reconcile(FIELDS, AGREED, Seen(ONE | {"d": date(2026, 12, 3)}), Seen(OTHER | {"t": "Reservoir"}))
    assert found.right == {"m": datetime(2026, 12, 3, 15, tzinfo=UTC)} and found.left == {"t": "Reservoir"}
    assert found.state == "behind"
    assert reconcile(FIELDS, AGREED, Seen(ONE), Seen(OTHER)).state == "in_step"


def test_one_field_in_conflict_holds_up_no_other():
    found = reconcile(
        FIELDS, AGREED, Seen(ONE | {"t": "A", "s": "1"}), Seen(OTHER | {"t": "B", "m": datetime(2026, 12, 9, 15, tzinfo=UTC)})
    )
    assert found.state == "conflict" and found.left == {"d": date(2026, 12, 9)} and not found.right


def test_what_has_no_counterpart_is_left_where_it_is():
    found = reconcile(FIELDS, AGREED, Seen(ONE | {"s": "2"}), Seen(OTHER))
    assert found.state == "no_counterpart" and not found.right
    assert counterpart(FIELDS, Seen(ONE | {"s": "2"}), "left") == (
        {"t": "Bellows", "m": datetime(2026, 12, 1, 9, tzinfo=UTC)},
        [FIELDS[2].pair],
    )


def test_a_value_that_its_app_keeps_in_its_own_way_stands_for_what_was_meant():
    cut = {"t": Standing("Bel", "Bellows", Root("one"))}
    same = reconcile(FIELDS, AGREED, Seen(ONE), Seen(OTHER | {"t": "Bel"}, cut))
    assert same.state == "in_step", "nothing is written back"
    edited = reconcile(FIELDS, AGREED, Seen(ONE), Seen(OTHER | {"t": "Bell"}, cut))
    assert edited.left == {"t": "Bell"}, "it stands for that only as long as it is as it was"


def test_what_was_not_told_or_cannot_be_read_is_neither_compared_nor_written():
    untold = {key: value for key, value in OTHER.items() if key != "t"}
    found = reconcile(FIELDS, AGREED, Seen(ONE | {"t": "New"}), Seen(untold))
    assert not found.right and found.outcomes["t"].state == "unreadable"
    found = reconcile(FIELDS, AGREED, Seen(ONE), Seen(OTHER | {"m": Unreadable("not a date", "soon")}))
    assert not found.left and not found.right


def test_an_item_is_made_of_the_fields_that_go_to_its_side():
    one_way = (matched("text", TITLE, TITLE), matched("day", DAY, MOMENT, {"time": "09:00"}, direction="to_left"))
    assert counterpart(one_way, Seen(ONE), "left") == ({"t": "Bellows"}, [])
    assert counterpart(one_way, Seen(OTHER), "right") == ({"t": "Bellows", "d": date(2026, 12, 1)}, [])
