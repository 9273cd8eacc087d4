"""Expressions: 20 typical ones, half with dates or lists, over a context under 1 KB; per evaluation, in one run beside CEL
(common-expression-language), Jinja2's compiled expressions and hand-written Python that does the same.

Each evaluation gets the context as a Python dict, as each event of a workflow is another. Claims, geometric means: at least 10
times faster than CEL and than Jinja2 where they can express it; at most 3 times slower than Python by hand.
"""

from __future__ import annotations

import json
import statistics
import time
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

import cel
import jinja2
from _report import keep, table, verdict

from kelvix.core.feel import Env, Scope, compiled, read
from kelvix.core.feel.values import from_python
from kelvix.settings import TOP

FASTER, SLOWER, ROUNDS, SECONDS = 10.0, 3.0, 7, 0.03
D = Decimal
C = dict[str, Any]


def by_hand_due(c: C) -> object:
    return (c["due"] - c["received"].date()).days


def by_hand_reply(c: C) -> object:
    return c["received"] + timedelta(days=3)


def by_hand_long(c: C) -> object:
    return [line["name"] for line in c["lines"] if line["price"] * line["count"] > D(60)]


# What it is, FEEL, CEL, Jinja2, Python by hand. None where it cannot be expressed.
CASES: list[tuple[str, str, str | None, str | None, Callable[[C], object]]] = [
    ("a comparison", "quantity > 2", "quantity > 2", "quantity > 2", lambda c: c["quantity"] > D(2)),
    ("arithmetic", "quantity * price * (1 - discount)", "double(quantity) * price * (1.0 - discount)",
     "quantity * price * (1 - discount)", lambda c: c["quantity"] * c["price"] * (D(1) - c["discount"])),
    ("and, or", 'quantity > 2 and status = "Urgent" or price > 1000', 'quantity > 2 && status == "Urgent" || price > 1000.0',
     'quantity > 2 and status == "Urgent" or price > 1000',
     lambda c: (c["quantity"] > D(2) and c["status"] == "Urgent") or c["price"] > D(1000)),
    ("text put together", '"From " + sender.name + ": " + subject', '"From " + sender.name + ": " + subject',
     '"From " ~ sender.name ~ ": " ~ subject', lambda c: "From " + c["sender"]["name"] + ": " + c["subject"]),
    ("deep path", "sender.parish.town", "sender.parish.town", "sender.parish.town", lambda c: c["sender"]["parish"]["town"]),
    ("if", 'if status = "Urgent" then 1 else if status = "Normal" then 2 else 3',
     'status == "Urgent" ? 1 : status == "Normal" ? 2 : 3', '1 if status == "Urgent" else 2 if status == "Normal" else 3',
     lambda c: D(1) if c["status"] == "Urgent" else D(2) if c["status"] == "Normal" else D(3)),
    ("contains", 'contains(lower case(subject), "quote")', None, '"quote" in subject|lower',
     lambda c: "quote" in c["subject"].lower()),
    ("starts with", 'starts with(subject, "Quote")', 'subject.startsWith("Quote")', 'subject.startswith("Quote")',
     lambda c: c["subject"].startswith("Quote")),
    ("nothing there", "if paid = null then price else price - paid", "paid == null ? price : 0.0", "price if paid is none else price - paid",
     lambda c: c["price"] if c["paid"] is None else c["price"] - c["paid"]),
    ("pieces", 'substring after(sender.address, "@")', None, 'sender.address.split("@")[1]',
     lambda c: c["sender"]["address"].partition("@")[2]),
    ("dates compared", 'received > date and time("2026-11-01T00:00:00Z")', 'received > timestamp("2026-11-01T00:00:00Z")', None,
     lambda c, t=datetime(2026, 11, 1, tzinfo=UTC): c["received"] > t),
    ("date and duration", 'received + duration("P3D")', 'received + duration("72h")', None, by_hand_reply),
    ("days between", "(due - date(received)).days", None, "(due - received.date()).days", by_hand_due),
    ("weekday", "received.weekday < 6", "received.getDayOfWeek() < 6", "received.isoweekday() < 6",
     lambda c: D(c["received"].isoweekday()) < D(6)),
    ("within a range", "due in [@\"2026-12-01\"..@\"2026-12-31\"]", None, None,
     lambda c, a=date(2026, 12, 1), b=date(2026, 12, 31): a <= c["due"] <= b),
    ("in a list", '"winter" in tags', '"winter" in tags', '"winter" in tags', lambda c: "winter" in c["tags"]),
    ("sum over lines", "sum(for l in lines return l.price * l.count)", None, None,
     lambda c: sum((x["price"] * x["count"] for x in c["lines"]), D())),
    ("filter", "lines[price * count > 60].name", "lines.filter(l, double(l.price) * double(l.count) > 60.0).map(l, l.name)", None,
     by_hand_long),
    ("some", "some l in lines satisfies l.price > 300", "lines.exists(l, double(l.price) > 300.0)", None,
     lambda c: any(x["price"] > D(300) for x in c["lines"])),
    ("mean and greatest", "max(readings) - mean(readings)", None, "(readings|max) - (readings|sum) / (readings|length)",
     lambda c: max(c["readings"]) - sum(c["readings"]) / D(len(c["readings"]))),
]  # fmt: skip


def context() -> tuple[C, C]:
    """The context with decimals, as Kelvix and the Python by hand take it, and with floats, as the others do."""
    plain = json.loads((TOP / "bench/feel_context.json").read_text())
    plain["received"], plain["due"] = datetime.fromisoformat(plain["received"]), date.fromisoformat(plain["due"])
    ours = from_python(plain)
    assert isinstance(ours, dict)
    return ours, plain


def timed(work: Callable[[], object]) -> float:
    """Microseconds for one call: the best of several rounds."""
    work()
    times, best = 1, float("inf")
    for _ in range(ROUNDS):
        while True:
            began = time.perf_counter()
            for _ in range(times):
                work()
            took = time.perf_counter() - began
            if took >= SECONDS:
                break
            times = max(times * 2, int(times * SECONDS / max(took, 1e-9)))
        best = min(best, took / times)
    return best * 1e6


def same(one: object, other: object) -> bool:
    """One result beside another's, numbers as far as floats go, zones aside."""
    if isinstance(one, (Decimal, float, int)) and isinstance(other, (Decimal, float, int)) and not isinstance(one, bool):
        return abs(float(one) - float(other)) < 1e-9 * max(1.0, abs(float(one)))
    return one == other


def main() -> None:
    ours, plain = context()
    scope = Scope.of_context(ours)
    cel_plain = {k: v for k, v in plain.items() if not (isinstance(v, date) and not isinstance(v, datetime))}
    env = Env(datetime(2026, 11, 25, 9, tzinfo=UTC), ZoneInfo("Europe/London"))
    templates = jinja2.Environment()
    rows, results, ratios = [], {}, {"cel": [], "jinja2": [], "python": []}
    for name, feel, cel_text, jinja_text, hand in CASES:
        ready = compiled(read(feel, scope))

        def evaluate(ready=ready) -> object:
            env.steps = 200_000
            return ready.evaluate(ours, env)

        runs: dict[str, Callable[[], object]] = {"ours": evaluate, "python": lambda hand=hand: hand(ours)}
        if cel_text:
            runs["cel"] = lambda p=cel.compile(cel_text): p.execute(cel_plain)
        if jinja_text:
            runs["jinja2"] = lambda x=templates.compile_expression(jinja_text): x(**plain)
        wanted = hand(ours)
        for which, run in runs.items():
            assert same(wanted, run()), f"{which}, {name}: {run()!r} is not {wanted!r}"
        found = {which: timed(run) for which, run in runs.items()}
        results[name] = found
        for which, values in ratios.items():
            if which in found:
                values.append(found[which] / found["ours"])
        rows.append([name, *(f"{found[w]:.2f}" if w in found else "-" for w in ("ours", "python", "cel", "jinja2"))])
    table("expressions: microseconds for one evaluation", ["", "Kelvix", "Python", "CEL", "Jinja2"], rows)
    means = {which: statistics.geometric_mean(values) for which, values in ratios.items()}
    table(
        "geometric means",
        ["", "ratio"],
        [
            [f"CEL, over Kelvix ({len(ratios['cel'])} expressions)", f"{means['cel']:.1f} x"],
            [f"Jinja2, over Kelvix ({len(ratios['jinja2'])} expressions)", f"{means['jinja2']:.1f} x"],
            ["Kelvix, over Python by hand", f"{1 / means['python']:.2f} x"],
        ],
    )
    verdict(means["cel"] >= FASTER, f"at least {FASTER:.0f} times as fast as CEL")
    verdict(means["jinja2"] >= FASTER, f"at least {FASTER:.0f} times as fast as Jinja2")
    verdict(1 / means["python"] <= SLOWER, f"at most {SLOWER:.0f} times as slow as Python by hand")
    keep("feel", results)


if __name__ == "__main__":
    main()
