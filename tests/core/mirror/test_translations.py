"""Translations are lenses: what is written is read back, and what is the same is not written anew."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from kelvix.core.mirror.lens import NoCounterpartError
from kelvix.core.mirror.rich_text import RichText
from kelvix.core.mirror.translations import TRANSLATIONS, Around, fitting
from kelvix.core.schema import Field
from kelvix.core.values import Amount, Choice, File, Person, Referred, Span

LONDON = ZoneInfo("Europe/London")
CHOICES = (Choice("1", "Open"), Choice("2", "Waiting"), Choice("3", "Done"), Choice("4", "Dropped"))
THEIRS = (Choice("a", "open"), Choice("b", "Finished"), Choice("c", "Later"))
PAIRS = {"pairs": [["1", "a"], ["2", "a"], ["3", "b"]]}
DAYS = st.dates(date(1990, 1, 1), date(2060, 1, 1))
MOMENTS = st.datetimes(datetime(1990, 1, 1), datetime(2060, 1, 1), timezones=st.just(UTC))
TEXTS = st.text(st.sampled_from("aÄe\u0301 \n#*_-`1.>"), max_size=24)


def paired(side, record):
    """Records 1 to 5 of either side are paired with those that have 100 more, or less."""
    other = record.record + 100 if side == "left" else record.record - 100
    return Referred("", 2 if side == "left" else 1, other) if other % 100 <= 5 else None


AROUND = Around(LONDON, "DMY", paired)


def spans(draw_from):
    return st.tuples(draw_from, draw_from).map(lambda two: Span(min(two), max(two)))


def referred(database, first):
    one = st.integers(first + 1, first + 8).map(lambda n: Referred(f"r{n}", database, n))
    return st.lists(one, unique=True, max_size=4).map(tuple)


def several(choices):
    return st.lists(st.sampled_from([c.id for c in choices]), unique=True).map(tuple)


def field(type_, choices=CHOICES):
    return Field("f", "Field", type_, choices=choices if type_ in ("choice", "labels") else ())


NUMBERS = st.decimals(-10_000, 10_000, places=3)
PEOPLE = st.builds(
    Person, st.sampled_from(["Ada Reed", "Ivo  Carrow"]), st.sampled_from(["", "ada@stbride.example", "ADA@stbride.example"])
)
VALUES = {
    "text": TEXTS.map(lambda t: " ".join(t.split())),
    "long_text": TEXTS,
    "number": NUMBERS,
    "date": DAYS,
    "datetime": MOMENTS,
    "time": st.times().map(lambda t: t.replace(microsecond=0)),
    "duration": st.timedeltas(timedelta(0), timedelta(days=30)).map(lambda d: timedelta(seconds=int(d.total_seconds()))),
    "email": st.sampled_from(["ada@stbride.example", "ivo@works.example"]),
    "link": st.sampled_from(["https://works.example/a", "https://works.example/b"]),
    "yes_no": st.booleans(),
    "file": st.builds(
        File,
        st.sampled_from(["plan.pdf", "pipes.csv"]),
        st.integers(1, 3),
        st.just("text/plain"),
        st.sampled_from(["a:1", "b:2"]),
    ),
    "amount": st.builds(Amount, NUMBERS.map(lambda n: round(n, 2)), st.sampled_from(["EUR", "GBP"])),
    "person": PEOPLE,
    "span": st.one_of(spans(DAYS), spans(MOMENTS)),
    "choice": st.sampled_from([c.id for c in CHOICES]),
    "labels": several(CHOICES),
}
MATCHED = [
    ("same", "date", "date", {}),
    ("same", "time", "time", {}),
    ("same", "duration", "duration", {}),
    ("same", "amount", "amount", {}),
    ("same", "span", "span", {}),
    ("same", "yes_no", "yes_no", {}),
    ("same", "link", "link", {}),
    ("file", "file", "file", {}),
    ("text", "text", "text", {}),
    ("text", "text", "email", {}),
    ("text", "link", "text", {}),
    ("rich", "long_text", "long_text", {}),
    ("first_line", "text", "long_text", {}),
    ("number", "number", "number", {}),
    ("number", "number", "number", {"digits": 1}),
    ("moment", "datetime", "datetime", {}),
    ("moment", "datetime", "datetime", {"to": "minute"}),
    ("day", "date", "datetime", {"time": "09:30"}),
    ("day", "span", "date", {}),
    ("day", "datetime", "span", {"time": "09:30"}),
    ("options", "choice", "their choice", PAIRS),
    ("options", "yes_no", "their choice", {"pairs": [["yes", "b"], ["no", "a"], ["no", "c"]]}),
    ("labels", "labels", "their labels", PAIRS),
    ("people", "person", "person", {}),
    ("people", "person", "email", {}),
    ("people", "text", "person", {}),
    ("amount", "amount", "number", {"currency": "EUR"}),
    ("duration", "duration", "number", {"unit": "minutes"}),
    ("references", "reference", "reference", {}),
    ("written", "number", "text", {}),
    ("written", "text", "date", {}),
    ("written", "choice", "text", {}),
    ("written", "duration", "text", {}),
    ("written", "time", "text", {}),
    ("written", "amount", "text", {}),
    ("written", "text", "yes_no", {}),
]


def side_of(name, side):
    if name == "reference":
        return field("reference"), referred(1 if side == 0 else 2, 0 if side == 0 else 100)
    if name == "their choice":
        return field("choice", THEIRS), st.sampled_from([c.id for c in THEIRS])
    if name == "their labels":
        return field("labels", THEIRS), several(THEIRS)
    return field(name), VALUES[name]


def or_none(strategy):
    return st.one_of(st.none(), strategy)


@pytest.mark.parametrize(("code", "left", "right", "options"), MATCHED)
def test_what_a_person_may_choose_of_a_translation_is_taken_and_nothing_else(code, left, right, options):
    translation, fields = TRANSLATIONS[code], (side_of(left, 0)[0], side_of(right, 1)[0])
    asked = translation.asks(*fields)
    assert {one.option for one in asked} >= set(options) - {"pairs"}, "what can be kept can be chosen"
    for one in asked:
        for value, _ in one.choices:
            chosen = {**translation.proposed(*fields), one.option: value}
            assert translation.wrong(*fields, chosen) is None
            translation.domain(*fields, chosen, AROUND)
        if not one.choices:
            assert translation.wrong(*fields, {one.option: "nonsense"}), "what is typed is looked at"


@pytest.mark.parametrize(("code", "left", "right", "options"), MATCHED)
@given(data=st.data())
def test_what_is_put_is_got_and_what_is_the_same_is_left_as_it_is(code, left, right, options, data):
    (ours, our_values), (theirs, their_values) = side_of(left, 0), side_of(right, 1)
    domain = TRANSLATIONS[code].domain(ours, theirs, options, AROUND)
    for lens, there, other, values in (
        (domain.left, our_values, domain.right, their_values),
        (domain.right, their_values, domain.left, our_values),
    ):
        raw, said = data.draw(or_none(there)), data.draw(or_none(values))
        raw = raw if raw not in ("", ()) else None
        try:
            value = other.get(said if said not in ("", ()) else None)
            made = lens.put(raw, value)
        except NoCounterpartError:
            assume(False)
        assert lens.get(made) == value
        assert lens.put(made, value) == made
        try:
            assert lens.put(raw, lens.get(raw)) == raw
        except NoCounterpartError:
            assert code in ("options", "amount", "written"), "of all others each value stands for something"


def test_every_translation_is_tried_above_and_says_what_it_needs():
    assert {code for code, *_ in MATCHED} == set(TRANSLATIONS)
    for code, left, right, options in MATCHED:
        ours, theirs = side_of(left, 0)[0], side_of(right, 1)[0]
        one = TRANSLATIONS[code]
        assert one.fits(ours, theirs) and one.wrong(ours, theirs, options) is None
        assert all(sentence.endswith(".") for sentence in one.loses(ours, theirs, options))
    assert (
        TRANSLATIONS["day"].wrong(field("date"), field("datetime"), {})
        == "Enter the time of day that new dates get, such as 09:00."
    )
    assert "EUR" in str(TRANSLATIONS["amount"].wrong(field("amount"), field("number"), {"currency": "gold"}))
    assert TRANSLATIONS["options"].wrong(field("choice"), field("choice"), {}) is not None


def test_the_best_translation_is_proposed_with_options_matched_by_their_names():
    [(fit, one), *_] = fitting(field("choice"), field("choice", THEIRS))
    assert (fit, one.code) == (1.0, "options")
    assert one.proposed(field("choice"), field("choice", THEIRS)) == {"pairs": [["1", "a"]]}
    assert one.loses(field("choice"), field("choice", THEIRS), {"pairs": [["1", "a"]]}) == (
        "No counterpart for Waiting, Done, Dropped of Field.",
        "No counterpart for Finished, Later of Field.",
    )
    assert fitting(field("date"), field("labels")) == []


def test_a_new_day_keeps_the_time_that_is_there_and_gets_the_named_one_where_there_is_none():
    domain = TRANSLATIONS["day"].domain(field("date"), field("datetime"), {"time": "09:30"}, AROUND)
    summer = datetime(2026, 7, 1, 15, 20, tzinfo=UTC)  # 16:20 in London
    moved = domain.right.put(summer, date(2026, 12, 1))
    assert moved == datetime(2026, 12, 1, 16, 20, tzinfo=UTC), "the same clock in winter"
    assert domain.right.put(None, date(2026, 12, 1)) == datetime(2026, 12, 1, 9, 30, tzinfo=UTC)
    spans = TRANSLATIONS["day"].domain(field("date"), field("span"), {}, AROUND)
    assert spans.right.put(Span(date(2026, 12, 1), date(2026, 12, 3)), date(2026, 12, 10)) == Span(
        date(2026, 12, 10), date(2026, 12, 12)
    ), "a span moves as a whole"


def test_an_option_is_kept_while_it_still_corresponds_and_else_is_the_named_one():
    domain = TRANSLATIONS["options"].domain(field("choice"), field("choice", THEIRS), PAIRS, AROUND)
    open_ = domain.right.get("a")
    assert domain.left.put("2", open_) == "2", "Waiting stays, since it is open there too"
    assert domain.left.put("3", open_) == "1" and domain.left.put(None, open_) == "1"
    with pytest.raises(NoCounterpartError, match="Dropped"):
        domain.left.get("4")
    with pytest.raises(NoCounterpartError, match="Later"):
        domain.right.get("c")


def test_a_label_without_a_counterpart_stays_and_does_not_count():
    domain = TRANSLATIONS["labels"].domain(field("labels"), field("labels", THEIRS), PAIRS, AROUND)
    assert domain.left.get(("4", "1")) == domain.right.get(("a",)) and domain.left.uncounted(("4", "1")) == ("Dropped",)
    assert domain.left.put(("4", "1"), domain.right.get(("b",))) == ("4", "3")
    assert domain.left.put(("4", "1"), None) == ("4",)


def test_references_go_to_what_they_are_paired_with_and_wait_where_nothing_is():
    domain = TRANSLATIONS["references"].domain(field("reference"), field("reference"), {}, AROUND)
    ours, unpaired = Referred("one", 1, 1), Referred("seven", 1, 7)
    assert domain.right.put(None, domain.left.get((ours,))) == (Referred("", 2, 101),)
    with pytest.raises(NoCounterpartError) as raised:
        domain.right.put(None, domain.left.get((ours, unpaired)))
    assert raised.value.waits


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [
        ("*soft*", "_soft_", True),
        ("- reeds\n- leather", "* reeds\n* leather", True),
        ("# Bellows", "Bellows\n=======", True),
        ("a  \nb", "a\\\nb", True),
        ("1. a", "2. a", False),
        ("- a\n- b", "- a\n\n- b", False),
        ("a\nb", "a b", False),
        ("**a**", "*a*", False),
        ("[a](https://works.example)", "[a](https://other.example)", False),
    ],
)
def test_long_texts_are_the_same_where_markdown_makes_the_same_of_them(one, other, same):
    """Pairs that CommonMark 0.31 calls two ways of writing one thing, and others (spec.commonmark.org, from memory)."""
    assert (RichText(one) == RichText(other)) is same
    domain = TRANSLATIONS["rich"].domain(field("long_text"), field("long_text"), {}, AROUND)
    assert domain.right.put(other, domain.left.get(one)) == (other if same else one), (
        "kept as it is written where it is the same"
    )


def test_numbers_are_compared_by_the_coarser_side():
    domain = TRANSLATIONS["number"].domain(field("number"), field("number"), {"digits": 1}, AROUND)
    assert domain.left.put(Decimal("2.347"), domain.right.get(Decimal("2.3"))) == Decimal("2.347")
    assert domain.left.put(Decimal("2.347"), domain.right.get(Decimal("2.4"))) == Decimal("2.4")


def test_a_time_of_day_that_the_clocks_jump_over_still_stands_on_its_day():
    domain = TRANSLATIONS["day"].domain(field("date"), field("datetime"), {"time": "01:30"}, AROUND)
    spring = date(2027, 3, 28)  # 01:00 becomes 02:00 in London
    assert domain.right.get(domain.right.put(None, spring)) == spring


def test_of_money_another_currency_has_no_counterpart():
    domain = TRANSLATIONS["amount"].domain(field("amount"), field("number"), {"currency": "EUR"}, AROUND)
    with pytest.raises(NoCounterpartError, match="GBP"):
        domain.left.get(Amount(Decimal(5), "GBP"))
    assert domain.left.put(None, Decimal("5.5")) == Amount(Decimal("5.5"), "EUR")
