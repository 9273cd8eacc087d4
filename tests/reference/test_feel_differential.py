"""Ours beside `feelin` 8.2 (npm, MIT), an interpreter of FEEL in JavaScript, on a generated corpus of about 3,000 expressions."""

from __future__ import annotations

import json
import math
import subprocess
import sys
from collections import Counter
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest

from kelvix.core.feel import FUNCTIONS, Env, FeelError, evaluate
from kelvix.core.feel.values import Months, write
from kelvix.settings import TOP

HERE = Path(__file__).parent / "feel"
sys.path.insert(0, str(HERE))
from accepted import ACCEPTED  # noqa: E402
from corpus import NOT_IN_FEELIN, NOT_THE_SAME_TWICE, corpus  # noqa: E402


def tagged(value: object) -> dict[str, object] | None:
    match value:
        case None:
            return None
        case bool():
            return {"boolean": value}
        case Decimal():
            return {"number": value}
        case str():
            return {"string": value}
        case list():
            return {"list": [tagged(v) for v in value]}
        case dict():
            return {"context": {k: tagged(v) for k, v in value.items()}}
        case datetime():
            return {"date and time": write(value)}
        case date():
            return {"date": write(value)}
        case time():
            return {"time": write(value)}
        case timedelta() | Months():
            return {"duration": write(value)}
    return {"other": type(value).__name__}


def same(ours, theirs) -> bool:
    """Numbers within what a double can tell; all else exactly."""
    if ours is None or theirs is None:
        return ours is theirs
    if ours.keys() != theirs.keys():
        return False
    ((kind, a),), (b,) = ours.items(), theirs.values()
    if kind == "number":
        return b not in ("NaN", "Infinity") and math.isclose(float(a), float(b), rel_tol=1e-12, abs_tol=1e-15)
    if kind == "list":
        return len(a) == len(b) and all(map(same, a, b))
    if kind == "context":
        return a.keys() == b.keys() and all(same(a[k], b[k]) for k in a)
    return a == b


@pytest.fixture(scope="module")
def results():
    pairs = corpus()
    ran = subprocess.run(
        ["node", str(HERE / "feelin.mjs"), str(TOP / "web" / "package.json")],
        input=json.dumps([text for _, text in pairs]),
        capture_output=True,
        text=True,
        check=True,
        timeout=120,
    )
    found = []
    for (about, text), answer in zip(pairs, json.loads(ran.stdout), strict=True):
        try:
            ours = tagged(evaluate(text, {}, Env(datetime(2026, 11, 25, 9, tzinfo=UTC), ZoneInfo("Europe/London"))))
        except FeelError as error:
            ours = {"error": str(error)}
        found.append((about, text, ours, answer["value"] if "error" not in answer else answer))
    return found


def test_the_corpus_is_large_enough(results):
    """At least 2,000 in all, and 20 for each built-in of the standard and each operator."""
    counts = Counter(about for about, *_ in results)
    assert len(results) >= 2_000
    standard = {n for n, forms in FUNCTIONS.forms.items() if not forms[0].added} - NOT_IN_FEELIN - NOT_THE_SAME_TWICE
    assert not {n: counts[n] for n in standard if counts[n] < 20}
    assert not {n: c for n, c in counts.items() if c < 20}


def test_ours_and_feelin_agree_but_for_the_accepted_differences(results):
    unexplained, used = [], set()
    for about, text, ours, theirs in results:
        if same(ours, theirs) or ("error" in (ours or {}) and "error" in (theirs or {})):
            continue
        rule = next((r for r in ACCEPTED if about in r.about and r.when(text, ours, theirs)), None)
        if rule is None:
            unexplained.append(f"{text}: ours {ours}, feelin {theirs}")
        else:
            used.add(rule.reason)
    assert not unexplained, "\n".join(unexplained[:20])
    assert {r.reason for r in ACCEPTED} == used
