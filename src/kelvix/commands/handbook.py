"""Writes docs/expressions.md from what the functions say of themselves, so that the page cannot go out of date."""

from __future__ import annotations

from kelvix.core.feel import FUNCTIONS
from kelvix.core.feel.builtin import Builtin, words_for
from kelvix.core.fields import TYPES
from kelvix.settings import TOP

PAGE = TOP / "docs/expressions.md"

OPENING = """# Expressions

<!-- Written by `python -m kelvix handbook` from the code; tests run every example. -->

Formulas in Kelvix are written in **FEEL**, the expression language of the Decision Model and Notation standard (DMN) of the
Object Management Group. This page lists everything you can use, each with an example and its result. The tests run all of them.

## Values

| value | written | for example |
|---|---|---|
| number | with a point; 34 digits are kept | `1850.50` |
| text | in straight quotation marks; `\\n` is a new line, `\\"` a quotation mark | `"Quote for St Bride"` |
| true, false, nothing | | `true`, `false`, `null` |
| date, time, date and time | after `@`, or by a function | `@"2026-11-23"`, `time("17:02:00")`, `@"2026-11-23T17:02:00Z"` |
| duration | P, days, T, hours and minutes; or P, years and months | `duration("P3D")`, `@"PT4H30M"`, `@"P1Y2M"` |
| list | in brackets | `[1, 2, 3]` |
| context | names and values in braces | `{Urgent: 1, Normal: 2}` |
| range | with or without its ends | `[1..5]`, `(1..5]`, `(> 10)` |

A carried value is written by its name: `Message.Sender.Name`, or shorter where that is clear: `Sender.Name`. A name that holds
signs stands in backticks: `` `Amount (net)` ``. What is kept is the value itself, not its name: renaming a field changes how a
formula is shown and nothing else.

## Operators

| written | does | example | gives |
|---|---|---|---|
"""

OPERATORS = [
    (
        "+ - * / **",
        "arithmetic; + also joins texts and adds a duration to a date",
        '@"2026-11-23" + @"P3D"',
        'date("2026-11-26")',
    ),
    ("= != < <= > >=", "compare values of one type", '"b" > "a"', "true"),
    ("between … and …", "both ends included", "3 between 1 and 5", "true"),
    ("in", "in a list, in a range, or passing a test", "7 in (< 3, > 5)", "true"),
    ("and, or", "true, false, or unknown (null)", "false and null", "false"),
    ("if … then … else", "one of two", 'if 3 > 2 then "more" else "less"', '"more"'),
    ("for … in … return", "a value for each item", "for n in 1..3 return n * n", "[1, 4, 9]"),
    ("some, every … satisfies", "whether any or all satisfy it", "some n in [1, 5] satisfies n > 4", "true"),
    ("list[ … ]", "the items that pass, or the item at a position", "[5, 6, 7][item > 5]", "[6, 7]"),
    ("a.b", "an entry, or a part of a date or duration", '@"2026-11-23".weekday', "1"),
    ("instance of", "whether a value is of a type", "1 instance of number", "true"),
    ("function(…)", "a function you define", "(function(n) n * 2)(21)", "42"),
]


def _row(*cells: str) -> str:
    return "| " + " | ".join(c.replace("|", "\\|") for c in cells) + " |\n"


def _code(text: str) -> str:
    return f"`` {text} ``" if "`" in text else f"`{text}`"


def _of(form: Builtin) -> str:
    params = ", ".join(f"{p.name}{'?' if p.optional else ''}: {words_for(p.classes)}" for p in form.params)
    says = form.says + (f" Takes {params}." if form.params else "")
    return _row(_code(form.signature), says, _code(form.example[0]), _code(form.example[1]))


def page() -> str:
    text = OPENING + "".join(_row(_code(w), does, _code(example), _code(gives)) for w, does, example, gives in OPERATORS)
    text += (
        "\nIf something can't be computed, the result is null and the timetable says why. A formula has at most 10,000\n"
        "characters and 200 levels; texts, lists and loops have limits too, so no formula can hang or use up memory.\n"
    )
    groups: dict[str, list[Builtin]] = {}
    for forms in FUNCTIONS.forms.values():
        for form in forms:
            groups.setdefault(form.group, []).append(form)
    for group in sorted(groups, key=lambda g: (g == "Added by Kelvix", g)):
        title = f"Functions: {group.lower()}" if group != "Added by Kelvix" else "Functions added by Kelvix"
        text += f"\n## {title}\n\n| function | does | example | gives |\n|---|---|---|---|\n"
        text += "".join(map(_of, sorted(groups[group], key=lambda f: f.name)))
    text += "\n## What a field accepts\n\n| field | accepts | never |\n|---|---|---|\n"
    text += "".join(_row(t.name, t.accepts, t.refuses) for t in TYPES.values())
    return text


def main() -> None:
    PAGE.write_text(page())
