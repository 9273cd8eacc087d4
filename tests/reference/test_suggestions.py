"""Suggestions on 40 pairs of a source and a target that were written for the purpose.

tuning.json was used to tune with; heldback.json was written before any of it and is not changed after its first commit. What the
pairs expect is common practice: what the people of PRODUCT.md would choose.
"""

from __future__ import annotations

import json
from datetime import UTC, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest

from kelvix.core import formulas
from kelvix.core.feel import Env
from kelvix.core.fields import from_wire
from kelvix.core.filling import Carried
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.suggestions import suggest
from kelvix.core.workflow import Reference

HERE = Path(__file__).parent / "suggestions"
ENV = Env(datetime(2026, 11, 25, 9, tzinfo=UTC), ZoneInfo("Europe/London"))
SOURCES = json.loads((HERE / "sources.json").read_text())


def samples_of(source):
    fields = tuple(CarriedField(key, (source["name"], *name), type_) for key, name, type_, _ in source["fields"])
    count = len(source["fields"][0][3])
    return [
        Carried({}, {}).plus("w", fields, {key: from_wire(values[n], type_) for key, _, type_, values in source["fields"]})
        for n in range(count)
    ]


def proposed(filling) -> str:
    """The key of a proposed value, or the name of the function that finds it."""
    (part,) = filling
    if part.ref:
        return part.ref.value
    node = formulas.loaded(part.formula.tree)
    while hasattr(node, "of"):
        node = node.of
    return node.function.name


def measure(file: str):
    """(right, all, sure proposals, proposals, wrong ones that were sure, all that is wrong)"""
    right = total = sure = proposals = 0
    sure_but_wrong, wrong = [], []
    for pair in json.loads((HERE / file).read_text()):
        samples = samples_of(SOURCES[pair["source"]])
        fields = tuple(Field(n, name, type_, required=n == 1) for n, (name, type_, _) in enumerate(pair["fields"], 1))
        found = {s.field: s for s in suggest(Database(1, pair["target"], fields), samples[0].fields, samples, ENV)}
        for n, (name, _, expected) in enumerate(pair["fields"], 1):
            total += 1
            wanted = expected if isinstance(expected, list) else [expected]
            got = found.get(n)
            key = proposed(got.filling) if got else None
            proposals += got is not None
            sure += bool(got and got.sure)
            if key in wanted:
                right += 1
                continue
            wrong.append(
                f"{pair['source']} → {pair['target']}.{name}: {key}, not {expected}" + (f" ({got.score:.2f})" if got else "")
            )
            if got and got.sure:
                sure_but_wrong.append(wrong[-1])
    return right, total, sure, proposals, sure_but_wrong, wrong


@pytest.mark.parametrize("file", ["tuning.json", "heldback.json"])
def test_suggestions_are_right_and_know_when_they_are_sure(file):
    """At least 90 % right on both halves, at least 60 % of the proposals stated as sure, and none of these wrong."""
    right, total, sure, proposals, sure_but_wrong, wrong = measure(file)
    said = f"{right} of {total} right, {sure} of {proposals} sure; wrong: " + "; ".join(wrong)
    assert sure_but_wrong == [], said
    assert right / total >= 0.9, said
    assert sure / proposals >= 0.6, said


def test_there_are_enough_pairs():
    assert sum(len(json.loads((HERE / f).read_text())) for f in ("tuning.json", "heldback.json")) >= 40


def test_what_earlier_workflows_did_counts():
    samples = samples_of(SOURCES["mail"])
    target = Database(1, "Odd", (Field(1, "Done", "yes_no"), Field(2, "Whatever", "text")))
    assert suggest(target, samples[0].fields, samples, ENV) == []
    (found,) = suggest(target, samples[0].fields, samples, ENV, {2: {"sender.name": 3}})
    assert found.filling[0].ref == Reference("w", "sender.name") and "3 earlier workflows" in found.reason
