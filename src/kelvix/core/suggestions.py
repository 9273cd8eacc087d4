"""What could fill a target field: carried values, or pieces found in them, with the reason, and whether it is sure.

A candidate's score comes of four things: how alike the names are (words that people use for the same thing count as alike),
whether the types go together, what the values of the samples look like, and how this field was filled in earlier workflows.
Only the best is proposed, and only where it is clearly better than nothing; it is called sure where it is also clearly better
than the next.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from rapidfuzz import fuzz

from kelvix.core.feel import Env
from kelvix.core.feel import tree as t
from kelvix.core.fields import TYPES
from kelvix.core.filling import Carried, compute
from kelvix.core.schema import CarriedField, Database, Field
from kelvix.core.values import FieldId, Type, Unfit, fold
from kelvix.core.workflow import Filling, Formula, Part, Reference

PROPOSED, SURE, CLEARLY = 0.50, 0.74, 0.12  # of a score from 0 to about 1

# Words for the same thing, as people name fields. Common practice, from memory.
ALIKE: tuple[frozenset[str], ...] = tuple(
    frozenset(group.split())
    for group in (
        "title name subject headline heading",
        "sender from author who person contact writer by requester reporter reported caller owner organiser asked",
        "author written by writer",
        "supplier vendor shop seller sender",
        "email mail address",
        "date received sent arrived when on day",
        "created made opened added since joined",
        "changed modified updated edited last seen",
        "start begins starts from begin",
        "end ends until finish",
        "due deadline by",
        "text body message content details description note notes comment remarks question wrong programme",
        "summary abstract excerpt",
        "link url address page web website open",
        "place location venue where",
        "phone telephone tel mobile",
        "tags labels keywords",
        "quantity qty amount count number many",
        "price cost unit each",
        "kind type",
        "done completed finished closed",
        "assignee assigned responsible who person",
        "priority urgency",
        "files attachments attachment",
        "guests with attendees participants",
        "room channel",
        "church parish",
        "newsletter letter list",
        "minutes time reading duration",
        "quotes highlights",
        "part item product",
        "site website journal source publication",
        "recipient to",
        "copy cc",
        "published publication",
        "citation cite",
        "year publication",
    )
)
FILLER = {
    "of",
    "the",
    "a",
    "an",
    "is",
    "in",
    "it",
    "as",
    "at",
    "no",
    "your",
    "what",
    "how",
    "that",
    "me",
    "for",
    "and",
    "can",
    "we",
    "do",
}
# A value that is found in a text, by the words of the field's name
FOUND: tuple[tuple[frozenset[str], type, str, str], ...] = (
    (
        frozenset({"amount", "total", "sum", "due", "price", "cost"}),
        Decimal,
        "first amount",
        "the first amount of money in it",
    ),
    (frozenset({"phone", "telephone", "mobile", "tel"}), str, "first phone", "the first telephone number in"),
    (
        frozenset({"number", "no", "reference", "ref", "invoice", "receipt", "order"}),
        str,
        "first reference",
        "the first reference number in",
    ),
)


@dataclass(frozen=True)
class Suggestion:
    """A filling for a field, and why. `sure`: it can be taken without looking."""

    field: FieldId
    filling: Filling
    reason: str
    sure: bool
    score: float


@dataclass(frozen=True)
class _Candidate:
    filling: Filling
    score: float
    reason: str
    certain: bool = True  # whether it may ever be called sure


def words_of(name: str) -> list[str]:
    """Return the words of a name that say something: folded, without filler, plurals cut."""
    found = [w for w in re.findall(r"[a-z0-9]+", fold(name).replace("e-mail", "email")) if w not in FILLER]
    return found or re.findall(r"[a-z0-9]+", fold(name))


def _same_word(a: str, b: str) -> float:
    """1 for the same word, less for one that means the same or is spelt nearly so."""
    if a == b or a.rstrip("s") == b.rstrip("s"):
        return 1.0
    if any(a in group and b in group for group in ALIKE):
        return 0.8
    ratio = fuzz.ratio(a, b) / 100
    if min(len(a), len(b)) >= 4 and (a.startswith(b) or b.startswith(a)):
        return max(0.75, ratio)
    return ratio if ratio >= 0.8 else 0.0


def likeness(field: str, carried: Sequence[str]) -> float:
    """How alike two names are, from 0 to 1: how much of each is found in the other."""
    mine = words_of(field)
    theirs = [w for part in carried[1:] or carried for w in words_of(part)]
    if fold(field) == fold(" ".join(carried[1:] or carried)):
        return 1.0
    forth = sum(max((_same_word(a, b) for b in theirs), default=0.0) for a in mine) / len(mine)
    back = sum(max((_same_word(a, b) for a in mine), default=0.0) for b in theirs) / len(theirs)
    return 0.65 * forth + 0.35 * back


def _fit_of_types(field: Type, carried: Type) -> float | None:
    """How well types go together; None where they never do."""
    return TYPES[field].fit(TYPES[carried])


def _looks(field: Field, filling: Filling, samples: Sequence[Carried], env: Env) -> tuple[float, bool]:
    """Return the share of the samples whose value fits the field, and whether any sample has a value at all."""
    fit = filled = 0
    for carried in samples:
        try:
            value = field.take(compute(filling, carried, env), env.zone, env.order)
        except Unfit:
            filled += 1
            continue
        if value is not None:
            fit, filled = fit + 1, filled + 1
    return (fit / filled if filled else 0.5), filled > 0


def suggest(
    database: Database,
    carried: Mapping[Reference, CarriedField],
    samples: Sequence[Carried],
    env: Env,
    history: Mapping[FieldId, Mapping[str, int]] | None = None,
) -> list[Suggestion]:
    """Return a proposal for each field of the database that has one. `history` counts, by field, the keys of the source by
    which earlier workflows filled it."""
    found: list[Suggestion] = []
    for field in database.fields:
        mine = (history or {}).get(field.id, {})
        candidates = sorted(_candidates(field, database, carried, samples, env, mine), key=lambda c: -c.score)
        if not candidates or candidates[0].score < PROPOSED:
            continue
        best = candidates[0]
        second = next((c.score for c in candidates[1:] if c.filling != best.filling), 0.0)
        sure = best.certain and best.score >= SURE and best.score - second >= CLEARLY
        found.append(Suggestion(field.id, best.filling, best.reason, sure, best.score))
    return found


def _candidates(
    field: Field,
    database: Database,
    carried: Mapping[Reference, CarriedField],
    samples: Sequence[Carried],
    env: Env,
    history: Mapping[str, int],
) -> list[_Candidate]:
    found: list[_Candidate] = []
    title = _title_of(carried)
    for ref, source in carried.items():
        type_fit = _fit_of_types(field.type, source.type)
        if type_fit is None:
            continue
        filling: Filling = (Part(ref=ref),)
        share, any_value = _looks(field, filling, samples, env)
        if any_value and share < 0.5:
            continue
        like = likeness(field.name, source.name)
        used = history.get(source.key, 0)
        score = 0.62 * like + 0.26 * type_fit + 0.12 * share + min(0.35, 0.2 * used)
        if type_fit >= 0.95 and _only_one(ref, field.type, carried) and (like >= 0.25 or TYPES[field.type].family == "address"):
            score = max(score, 0.56)
        if ref == title and field.id == database.fields[0].id:  # what names a record is what names the item
            score = max(score, 0.9 if _is_title(field) else 0.55)
        elif title is not None and _is_title(field):
            score -= 0.1
        found.append(_Candidate(filling, score, _reason(field, source, like, type_fit, share, used), like >= 0.75 or used > 0))
    return [*found, *_found_in_texts(field, carried, samples, env)]


def _is_title(field: Field) -> bool:
    """Whether a field is named for nothing but naming its record."""
    return field.required and TYPES[field.type].takes_all and set(words_of(field.name)) <= {"name", "title"}


def _title_of(carried: Mapping[Reference, CarriedField]) -> Reference | None:
    """Return the value that names an item: the first, where it is a short text that stands by itself."""
    first = next(iter(carried.items()), None)
    return first[0] if first and TYPES[first[1].type].takes_all and len(first[1].name) == 2 else None


def _only_one(ref: Reference, type_: Type, carried: Mapping[Reference, CarriedField]) -> bool:
    """Whether a value is the only one of a field's type. A link that downloads a copy does not count."""
    same = [
        r
        for r, c in carried.items()
        if (_fit_of_types(type_, c.type) or 0) >= 0.95 and "download" not in fold(" ".join(c.name))
    ]
    return same == [ref]


def _found_in_texts(
    field: Field, carried: Mapping[Reference, CarriedField], samples: Sequence[Carried], env: Env
) -> list[_Candidate]:
    """Pieces that are found in the longest text: amounts, telephone numbers, reference numbers."""
    mine = set(words_of(field.name))
    texts = [ref for ref, c in carried.items() if TYPES[c.type].is_long]
    found: list[_Candidate] = []
    for names, gives, function, says in FOUND:
        if not (mine & names) or TYPES[field.type].of_class is not gives or not texts:
            continue
        value: t.Node = t.Call(t.Name(function), (t.Value(texts[0].line, texts[0].value),))
        if function == "first amount":
            value = t.Path(value, "amount")
        filling: Filling = (Part(formula=Formula(t.dump(value))),)
        share, any_value = _looks(field, filling, samples, env)
        if any_value and share >= 0.5:
            score = 0.85 if mine <= names else 0.66
            found.append(_Candidate(filling, score, f"{says} {' › '.join(carried[texts[0]].name)}", certain=False))
    return found


def _reason(field: Field, source: CarriedField, like: float, type_fit: float, share: float, used: int) -> str:
    """Why a value is proposed, in a few words."""
    said: list[str] = []
    own = TYPES[field.type]
    if used:
        said.append(f"{used} earlier workflow{'s' if used > 1 else ''} filled it this way")
    if like >= 0.999:
        said.append("same name")
    elif like >= 0.5:
        said.append("similar name")
    if type_fit >= 0.95:
        said.append(f"{own.name if field.type == source.type else own.with_article} also")
    elif share == 1.0:
        said.append("all samples fit")
    return ", ".join(said) or "only one of its type"
