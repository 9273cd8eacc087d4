"""Which row is which after a sheet was sorted and edited: examples, all explanations of small sheets, and a model that knows."""

from __future__ import annotations

import itertools

import hypothesis.strategies as st
from hypothesis import given, settings

from kelvix.core.sheets.assignment import Doubt, Matched
from kelvix.core.sheets.row_identity import Column, match_columns, match_rows

LEDGER = [
    ("A-1", "Reed leather", "5", "shelf 1"),
    ("A-2", "Hide glue", "2", "shelf 1"),
    ("A-3", "Bellows cloth", "8", "shelf 2"),
    ("A-4", "Action wire", "40", "shelf 3"),
]


def edited(row, **cells):
    return tuple(cells.get(f"c{n}", cell) for n, cell in enumerate(row))


def test_sorted_inserted_deleted_and_edited_at_once():
    a, b, _, d = LEDGER
    new = [d, ("A-5", "Felt", "3", "shelf 2"), edited(b, c2="1"), a]
    assert match_rows(LEDGER, new) == Matched({0: 3, 2: 1, 3: 0}, removed=(2,), added=(1,), doubts=())


def test_rows_that_are_alike_are_as_many_as_they_are():
    a, b, *_ = LEDGER
    assert match_rows([a, b, a], [a, a, b]) == Matched({0: 0, 1: 2, 2: 1}, (), (), ())
    # One is gone, or one was edited: nothing tells which.
    assert match_rows([a, b, a], [b, a]).doubts == (Doubt((0, 2), (1,)),)
    assert match_rows([a, a], [a, edited(a, c2="4")]).doubts == (Doubt((0, 1), (0, 1)),)


def test_where_two_rows_fit_as_well_there_is_doubt_about_these_and_no_others():
    old = [("Bellows", "Ivo", "open"), ("Bellows", "Maren", "open"), ("Reeds", "Ivo", "open")]
    new = [("Reeds", "Ivo", "open"), ("Bellows", "Orla", "open")]
    assert match_rows(old, new) == Matched({0: 2}, (), (), (Doubt((0, 1), (1,)),))


def test_a_row_of_which_most_is_other_is_another():
    assert match_rows([("a", "b", "c")], [("a", "x", "y")]) == Matched({}, (0,), (0,), ())
    assert match_rows([("a", "b", "c")], [("a", "b", "y")]) == Matched({0: 0}, (), (), ())
    assert match_rows([("a", "b")], [("a", "y")]).doubts == (Doubt((0,), (0,)),)  # as much as is the same is other


def test_rows_without_a_filled_cell_are_no_items():
    assert match_rows([("", None), ("a", "b")], [("a", "b"), (None, None)]) == Matched({0: 1}, (), (), ())


def test_a_key_decides_whatever_else_changed():
    old = [("k1", "x", "y"), ("k2", "x", "y"), ("k3", "p", "q")]
    new = [("k3", "other", "all"), ("k9", "x", "y"), ("k1", "", "")]
    assert match_rows(old, new, key=0) == Matched({0: 2, 2: 0}, (1,), (1,), ())


def test_where_a_key_is_missing_or_repeated_contents_decide_among_those():
    old = [("k", "a", "b", "c"), ("k", "d", "e", "f"), ("", "g", "h", "i"), ("m", "g", "h", "i")]
    new = [("k", "d", "e", "F"), ("k", "a", "b", "c"), ("", "g", "h", "i"), ("n", "g", "h", "i")]
    assert match_rows(old, new, key=0) == Matched({0: 1, 1: 0, 2: 2}, (3,), (3,), ())


def test_columns_by_header_and_renamed_ones_by_what_they_hold():
    old = [Column("Name", ("Felt", "Wire")), Column("Count", ("3", "40")), Column("Note", ("", "x"))]
    new = [Column("Shelf", ("1", "2")), Column("How many", ("40", "3")), Column("Name", ("Wire", "Cloth"))]
    assert match_columns(old, new) == Matched({1: 1, 2: 0}, (2,), (0,), ())


def test_columns_without_headers_that_hold_the_same_are_in_doubt():
    old = [Column(None, ("a", "b")), Column(None, ("a", "b"))]
    assert match_columns(old, [Column(None, ("b", "a"))]).doubts == (Doubt((0, 1), (0,)),)
    assert match_columns(old[:1], [Column("Letter", ("b", "a"))]) == Matched({0: 0}, (), (), ())


def test_a_large_sheet_of_alike_rows_is_doubt_and_not_an_hour_of_computing():
    many = [("paid", "yes", "2026")] * 400
    assert [len(d.old) for d in match_rows(many, many[:-1]).doubts] == [400]


# All explanations of small sheets, against what the module says they have in common.


def cost(old, new, pairs):
    """What an explanation costs, by the rule that the module states."""
    total = sum(2 + filled(row) for i, row in enumerate(old) if i not in pairs.values() and filled(row))
    total += sum(2 + filled(row) for j, row in enumerate(new) if j not in pairs and filled(row))
    edits = [sum((a or "") != (b or "") for a, b in zip(old[i], new[j], strict=True)) for j, i in pairs.items()]
    return total + sum(4 + 4 * d for d in edits if d)


def filled(row):
    return sum(bool(cell) for cell in row)


def explanations(old, new):
    """All ways to pair rows that have a filled cell."""
    before, after = [i for i, r in enumerate(old) if filled(r)], [j for j, r in enumerate(new) if filled(r)]
    for size in range(min(len(before), len(after)) + 1):
        for ours in itertools.combinations(before, size):
            for theirs in itertools.permutations(after, size):
                yield dict(zip(theirs, ours, strict=True))


SMALL = st.lists(st.tuples(*[st.sampled_from(["", "a", "b", "c"])] * 3), max_size=4)


@given(SMALL, SMALL)
@settings(max_examples=150, deadline=None)
def test_what_all_smallest_explanations_share_is_said_and_nothing_else(old, new):
    found = match_rows(old, new)
    all_ = [(cost(old, new, e), e) for e in explanations(old, new)]
    least = min(c for c, _ in all_)
    smallest = [e for c, e in all_ if c == least]
    shared = {j: i for j, i in smallest[0].items() if all(e.get(j) == i for e in smallest)}
    assert shared.items() <= found.same.items()
    for j, i in found.same.items():
        assert (j, i) in shared.items() or old[i] == new[j], "rows that are alike may be paired in their order"
    assert all(all(i not in e.values() for e in smallest) for i in found.removed)
    assert all(all(j not in e for e in smallest) for j in found.added)
    in_doubt = [*(i for d in found.doubts for i in d.old)], [*(j for d in found.doubts for j in d.new)]
    assert sorted([*found.same.values(), *found.removed, *in_doubt[0]]) == [i for i, r in enumerate(old) if filled(r)]
    assert sorted([*found.same, *found.added, *in_doubt[1]]) == [j for j, r in enumerate(new) if filled(r)]


# A sheet as people keep one: a name of its own in most rows, a few choices, a number; then sorted by a column, rows inserted and deleted
# anywhere, single cells edited. The model knows which row is which.

NAMES = st.text("abcdefgh", min_size=3, max_size=6)
ROWS = st.lists(
    st.tuples(NAMES, st.sampled_from(["open", "done"]), st.integers(0, 30).map(str), NAMES), min_size=1, max_size=12
)


@given(ROWS, st.data())
@settings(max_examples=120, deadline=None)
def test_no_row_is_taken_for_another_unless_that_explains_as_much_with_less(rows, data):
    sheet = list(enumerate(rows))
    for _ in range(data.draw(st.integers(1, 6))):
        match data.draw(st.sampled_from(["sort", "insert", "delete", "edit"])):
            case "sort":
                by = data.draw(st.integers(0, 3))
                sheet.sort(key=lambda one: one[1][by])
            case "insert":
                [row] = data.draw(ROWS.map(lambda found: found[:1]))
                sheet.insert(data.draw(st.integers(0, len(sheet))), (-1, row))
            case "delete" if sheet:
                sheet.pop(data.draw(st.integers(0, len(sheet) - 1)))
            case "edit" if sheet:
                at, cell = data.draw(st.integers(0, len(sheet) - 1)), data.draw(st.integers(0, 3))
                known, row = sheet[at]
                sheet[at] = (known, (*row[:cell], data.draw(NAMES), *row[cell + 1 :]))
    new = [row for _, row in sheet]
    true = {j: known for j, (known, _) in enumerate(sheet) if known >= 0}
    found = match_rows(rows, new)
    wrong = {j: i for j, i in found.same.items() if true.get(j) != i and rows[i] != new[j]}
    if wrong:
        assert cost(rows, new, found.same | rest(found, rows, new)) < cost(rows, new, true)


def rest(found, old, new):
    """A smallest way to pair what is in doubt."""
    pairs = {}
    for doubt in found.doubts:
        ways = [
            dict(zip(theirs, ours, strict=True))
            for size in range(min(len(doubt.old), len(doubt.new)) + 1)
            for ours in itertools.combinations(doubt.old, size)
            for theirs in itertools.permutations(doubt.new, size)
        ]
        pairs |= min(
            ways, key=lambda way: cost([old[i] for i in doubt.old], [new[j] for j in doubt.new], renumbered(way, doubt))
        )
    return pairs


def renumbered(way, doubt):
    return {doubt.new.index(j): doubt.old.index(i) for j, i in way.items()}


def test_a_sheet_of_which_every_row_was_edited_is_matched_whole():
    old = [(f"part {n}", "shelf", str(n % 7), f"note {n}") for n in range(500)]
    new = [edited(row, c2="99") for row in reversed(old)]
    assert match_rows(old, new).same == {499 - n: n for n in range(500)}
