"""What a line means that somebody typed in a hurry: a record of a database, its fields filled by the words of the line.

Looked for in this order, each piece of the line used once: "field: value"; addresses and links; dates in plain words; numbers
beside the name of their field, amounts of money; choices and labels by their names, with # or @ before them or plain; what is
left is the name. A plain word stays in the name where it stands in the middle of it or the name would not read without it, and
a label's always: it says what the thing is about.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import zip_longest

from kelvix.core import plain_dates
from kelvix.core.feel import Env
from kelvix.core.fields import TYPES, coerce
from kelvix.core.fields.field_type import FieldType
from kelvix.core.patterns import MAX_CUT, cut, cut_once, pattern
from kelvix.core.schema import TEXT_FIELD, Database, Field
from kelvix.core.values import Choice, FieldId, Unfit, Value, as_text, fold, shorten

MAX_LINES = 200
MAX_UNDERSTOOD = MAX_CUT  # characters of a line; what is longer is no line typed in a hurry
MAX_COMPLETIONS = 6
MAX_UNCLEAR = 3  # sentences on what was not understood: more are no help
PAST = frozenset(("received", "added", "created", "changed", "finished", "sent", "done", "arrived", "captured", "paid"))
MONEY = frozenset(("price", "amount", "cost", "costs", "total", "sum", "fee", "budget", "paid"))
JOINING = frozenset(
    ("and", "or", "with", "for", "to", "by", "from", "of", "the", "a", "an", "about", "at", "in", "on", "&", "+")
)
HOLDING = frozenset(("of", "and", "or", "&", "+"))  # those of them that hold to what is before them
PERSON = frozenset(("who", "person", "people", "owner", "assigned", "assignee", "by", "for"))
BULLET = pattern(r"^(?:[-*•]\s+)?(?:\[[ xX]?\]\s+)?", worst="- ")
NUMBER = r"\d{1,9}(?:,\d{3})*(?:\.\d+)?"
_MARKED = cut(r"(?<!\S)#([\w-]+)", worst="#a")
_BEFORE_CARET = cut(r"(?:[#@])?[\w’'-]*$", worst="a")
_WORDS = cut(r"[^\W\d_]{3,}", worst="a")
_NONSPACE = cut(r"\S+", worst="a ")
_LOOSE = pattern(r"\s+([,.;:!?])", worst=" ")


@dataclass(frozen=True)
class Understood:
    """A piece of the line and what it is taken for: the value of a field, as it reads."""

    start: int
    end: int
    field: FieldId
    said: str


@dataclass(frozen=True)
class Quick:
    """A record that a line means. `wrong` says what does not fit, `unclear` what reads as a date and was not taken for one."""

    values: dict[FieldId, Value]
    pieces: tuple[Understood, ...]
    wrong: tuple[str, ...] = ()
    unclear: tuple[str, ...] = ()


class _Reading:
    """One line being read: which pieces are used, and which fields filled."""

    def __init__(self, line: str, database: Database, people: Sequence[str], env: Env):
        self.line, self.database, self.people, self.env = line, database, people, env
        self.free = list(line)  # what is not used yet; used characters are NUL
        self.values: dict[FieldId, Value] = {}
        self.pieces: list[Understood] = []
        self.unfit: list[tuple[Field, str]] = []
        self.unclear: list[str] = []

    @property
    def left(self) -> str:
        return "".join(self.free)

    def open(self, fits: Callable[[FieldType], bool]) -> list[Field]:
        """Fields of fitting types that nothing was found for yet."""
        free = (f for f in self.database.fields[1:] if f.id not in self.values and f.id != TEXT_FIELD)
        return [f for f in free if fits(TYPES[f.type])]

    def take(self, start: int, end: int, field: Field, value: Value, keep: bool = False) -> None:
        """`keep`: the words stay in the name all the same."""
        if _has_many(field) and isinstance(value, tuple):
            before = self.values.get(field.id)
            value = tuple(dict.fromkeys((*(before if isinstance(before, tuple) else ()), *value)))
        self.values[field.id] = value
        shown = field.named(value)
        self.pieces.append(Understood(start, end, field.id, as_text(shown, self.env.zone)))
        if not keep:
            self.free[start:end] = "\0" * (end - start)

    def try_value(self, start: int, end: int, field: Field, text: Value, keep: bool = False) -> bool:
        try:
            value = field.take(text, self.env.zone, self.env.order)
        except Unfit as unfit:
            self.unfit.append((field, str(unfit)))
            return False
        if value is None:
            return False
        self.take(start, end, field, value, keep)
        return True


def understand(line: str, database: Database, people: Sequence[str], env: Env) -> Quick:
    """`people` are the names of those of the workspace."""
    reading = _Reading(line, database, people, env)
    _named_fields(reading)
    _addresses(reading)
    _dates(reading)
    _numbers(reading)
    _choices(reading)
    _people(reading)
    title = database.fields[0]
    named = reading.values.get(title.id)
    name = _LOOSE.sub(r"\1", " ".join(reading.left.replace("\0", " ").split())).strip(" ,;-–")
    if name:
        reading.values[title.id] = f"{name} {named}" if named else name
    elif line.strip() and title.id not in reading.values:
        reading.values[title.id] = line.strip()
    wrong = tuple(f"{field.name}: {said}" for field, said in reading.unfit if field.id not in reading.values)
    return Quick(reading.values, tuple(sorted(reading.pieces, key=lambda p: p.start)), wrong, tuple(reading.unclear))


def by_names(sent: Mapping[str, object], database: Database, env: Env) -> tuple[Quick, tuple[str, ...]]:
    """Return a record that is meant by names of fields and their values, as another program sends them: texts, numbers, yes
    or no, or lists of them. Beside it, as lines, what did not fit or has no field, so that it is not lost."""
    names = {fold(f.name): f for f in database.fields}
    values: dict[FieldId, Value] = {}
    wrong: list[str] = []
    unclear: list[str] = []
    left: list[str] = []
    for name, given in sent.items():
        texts = tuple(_plainly(one) for one in (given if isinstance(given, list) else [given]) if one not in (None, ""))
        field = names.get(fold(name))
        if not texts:
            continue
        if field is None:
            unclear.append(f"{database.name} has no field “{shorten(name, 60)}”; its value was added to the text")
            left.append(f"{shorten(name, 60)}: {', '.join(texts)}")
            continue
        try:
            values[field.id] = _given(texts, field, env)
        except Unfit as unfit:
            wrong.append(f"{field.name}: {unfit}")
            left.append(f"{field.name}: {', '.join(texts)}")
    return Quick(values, (), tuple(wrong), tuple(unclear)), tuple(left)


def _plainly(one: object) -> str:
    if isinstance(one, bool):
        return "yes" if one else "no"
    return one if isinstance(one, str) else json.dumps(one, ensure_ascii=False)


def _given(texts: tuple[str, ...], field: Field, env: Env) -> Value:
    """Return a word as a field keeps it. Raises Unfit."""
    value: Value = texts if _has_many(field) and len(texts) > 1 else ", ".join(texts)
    try:
        return field.take(value, env.zone, env.order)
    except Unfit:
        if not TYPES[field.type].tells_day:
            raise
        text = texts[0].strip()
        said = plain_dates.find(text, env.now, env.zone, env.order)
        if said is None or said.start or said.end < len(text):
            raise
        return _of_day(said, field, env)


def _has_many(field: Field) -> bool:
    return TYPES[field.type].has_many


def _has_clock(field: Field) -> bool:
    return TYPES[field.type].has_clock


def _of_day(said: plain_dates.Said, field: Field, env: Env) -> Value:
    return coerce(said.at if _has_clock(field) else said.day, field.type, env.zone)


def lines_of(text: str, each: bool) -> list[tuple[str, str]]:
    """Return the lines that are records, each with the text that belongs to it: with `each`, every line that is not indented
    is one, and those below that are belong to it; else the first is, and all others do."""
    lines = [ln.rstrip() for ln in text.replace("\r\n", "\n").replace("\r", "\n").split("\n")]
    found: list[tuple[str, list[str]]] = []
    for line in lines:
        begins = line.strip() and (not found or (each and not line.startswith((" ", "\t"))))
        if begins:
            found.append((line.strip(), []))
        elif found:
            found[-1][1].append(line.strip() if each else line)
    if len(found) > MAX_LINES:  # too many to be kept: none is looked at
        return [(line, "") for line, _ in found]
    return [_bounded(BULLET.sub("", line), "\n".join(more).strip("\n")) for line, more in found]


def _bounded(line: str, more: str) -> tuple[str, str]:
    """Return a line that is too long to be understood: named by its beginning, and whole in the text."""
    return (line, more) if len(line) <= MAX_UNDERSTOOD else (shorten(line, 200), "\n".join(filter(None, (line, more))))


def _named_fields(r: _Reading) -> None:
    """Field: value, up to the next such name, a comma before it or the end."""
    names = {fold(f.name): f for f in r.database.fields if f.id != TEXT_FIELD and TYPES[f.type].can_be_typed}
    if not names:
        return
    heads = "|".join(re.escape(name) for name in sorted(names, key=len, reverse=True))
    headed = cut_once(rf"(?<!\w)({heads})\s*[:=]\s*", re.I)
    folded = fold(r.line)
    if len(folded) != len(r.line):  # folding changed the length: the places would not agree
        folded = r.line.lower()
    marks = list(headed.finditer(folded))
    for mark, after in zip_longest(marks, marks[1:]):
        field = names.get(mark[1])
        end = after.start() if after else len(r.line)
        text = r.line[mark.end() : end].rstrip(" ,;")
        if field is None or not text or text.startswith("//"):
            continue
        value: Value = text
        if TYPES[field.type].tells_day:
            said = plain_dates.find(text, r.env.now, r.env.zone, r.env.order)
            if said is not None and said.start == 0:
                text = text[: said.end]
                value = said.at if _has_clock(field) else said.day
        elif TYPES[field.type].is_number and (match := cut_once(rf"({NUMBER})\s?{_unit(field)}(?!\w)", re.I).match(text)):
            text, value = match[0], match[1]
        elif TYPES[field.type].reads_first_words:
            text, value = _shortest(text, field, r)
        r.try_value(mark.start(), mark.end() + len(text), field, value)


def _shortest(text: str, field: Field, r: _Reading) -> tuple[str, Value]:
    """As many of the first words as the field takes: what stands behind them belongs to the name again."""
    words = list(_NONSPACE.finditer(text))
    for word in reversed(words):
        piece = text[: word.end()].rstrip(",;")
        try:
            if field.take(piece, r.env.zone, r.env.order, may_grow=False) is not None:
                return text[: word.end()], piece
        except Unfit:
            continue
    return text, text


def _addresses(r: _Reading) -> None:
    """Find what is known by its form alone: links before what stands in them."""
    for type_ in reversed(TYPES.values()):
        for start, end, value in type_.in_line(r.left):
            if fields := [f for f in r.open(lambda t: t.can_be_typed) if TYPES[f.type] is type_]:
                r.try_value(start, end, fields[0], value, _is_joined(r, start, end))


def _dates(r: _Reading) -> None:
    """Dates fill date fields in their order, those of what is past last."""
    since = 0
    while len(r.unclear) < MAX_UNCLEAR and (fields := r.open(lambda t: t.tells_day)):
        said = plain_dates.find(r.left, r.env.now, r.env.zone, r.env.order, since)
        if said is None:
            r.unclear += plain_dates.doubts(r.left, r.env.now, r.env.zone, r.env.order)[:MAX_UNCLEAR]
            return
        since = said.end
        future = said.at >= r.env.now.replace(hour=0, minute=0, second=0, microsecond=0)
        fields.sort(key=lambda f: (bool(PAST & set(fold(f.name).split())) == future, said.timed and not _has_clock(f)))
        field = fields[0]
        if said.dayless and not _has_clock(field):  # the time stays in the name: it would be lost
            words = r.line[said.start : said.end].strip()
            r.unclear.append(f"“{words}” has no day; for {field.name}, write for example “today {words}”")
            continue
        r.take(said.start, said.end, field, _of_day(said, field, r.env))
        if not _has_clock(field) and said.clock:  # the field has no room for the time: it stays in the name
            r.free[slice(*said.clock)] = r.line[slice(*said.clock)]


def _unit(field: Field) -> str:
    """Return a pattern for the name of a number: whole, without its s, or its first letter."""
    name = re.escape(fold(field.name))
    return rf"(?:{name}|{name.removesuffix('s')}|{name[0]})" if len(name) > 1 else name


def _numbers(r: _Reading) -> None:
    """Find numbers with the name of their field beside them, whole or its first letter: 4 hours, 4 h, hours 4. An amount of
    money goes into a field for money without it."""
    for field in r.open(lambda t: t.is_number):
        name, number = re.escape(fold(field.name)), f"({NUMBER})"
        pattern = rf"(?<![\w.,/:-]){number} ?{_unit(field)}(?!\w)|(?<!\w){name} [£$€]?{number}(?![\w,/:-])"
        if MONEY & set(fold(field.name).split()):
            pattern += rf"|(?<!\w)[£$€]{number}(?![\w,/:-])"
        match = cut_once(pattern, re.I).search(r.left)
        if match:
            found = next(g for g in match.groups() if g)
            r.try_value(match.start(), match.end(), field, found, keep=_is_joined(r, *match.span()))


def _choices(r: _Reading) -> None:
    for field in r.open(lambda t: t.has_choices):
        found = [(m, c) for c in sorted(field.choices, key=lambda c: -len(c.name)) if (m := _named(r, c))]
        if not _has_many(field):  # one that is marked, else the first that is named
            found = sorted(found, key=lambda one: (not one[0][1], one[0].start()))[:1]
        for _, choice in found:
            _choice(r, field, choice)
    growing = [f for f in r.database.fields if f.grows and (_has_many(f) or f in r.open(lambda t: t.has_choices))]
    for match in _MARKED.finditer(r.left):
        if growing:
            field = growing[0]
            r.try_value(match.start(), match.end(), field, (match[1],) if _has_many(field) else match[1])
            growing = growing if _has_many(field) else growing[1:]


def _named(r: _Reading, choice: Choice) -> re.Match[str] | None:
    return cut_once(rf"(?<![\w#@])([#@]?){re.escape(choice.name)}(?!\w)", re.I).search(r.left)


def _choice(r: _Reading, field: Field, choice: Choice) -> None:
    match = _named(r, choice)
    if match is None:  # a longer one had these words
        return
    value: Value = (choice.id,) if _has_many(field) else choice.id
    if match[1]:
        keep = _is_joined(r, *match.span())
    else:
        keep = _has_many(field) or _is_within(r, *match.span()) or _reads_on(r, *match.span())
    r.take(match.start(), match.end(), field, value, keep)
    if keep and match[1]:
        r.free[match.start()] = "\0"  # the word stays without its mark


def _around(r: _Reading, start: int, end: int) -> tuple[list[str], list[str]]:
    """Return the words that are left before and behind a piece."""
    before, after = r.left[:start], r.left[end:]
    return before.replace("\0", " ").split(), after.replace("\0", " ").strip(" ,;.").split()


def _is_within(r: _Reading, start: int, end: int) -> bool:
    before, after = _around(r, start, end)
    return bool(before and after)


def _is_joined(r: _Reading, start: int, end: int) -> bool:
    """Whether the name would break off without this piece, or begin in the middle: Meet Ada and; Buy of wood; with the post."""
    before, after = _around(r, start, end)
    ends = bool(before) and fold(before[-1]) in JOINING
    return ends or (bool(after) and fold(after[0]) in (HOLDING if before else JOINING))


def _reads_on(r: _Reading, start: int, end: int) -> bool:
    """Whether the name would not say enough without this piece: one word, as in email."""
    before, after = _around(r, start, end)
    return _is_joined(r, start, end) or len(before) + len(after) == 1


def _people(r: _Reading) -> None:
    """Put the people of the workspace, into fields for people, and for texts that are named for one."""
    named = [f for f in r.open(lambda t: t.takes_all) if PERSON & set(fold(f.name).split())]
    fields = [*r.open(lambda t: t.is_for_people), *named]
    for person in sorted(r.people, key=len, reverse=True):
        if not fields:
            return
        for name in (person, person.split()[0]):
            match = cut_once(rf"(?<!\w)@?{re.escape(name)}(?!\w)", re.I).search(r.left)
            if match:
                r.try_value(match.start(), match.end(), fields[0], person, keep=not match[0].startswith("@"))
                fields = fields[1:]
                break


def complete(line: str, caret: int, database: Database, people: Sequence[str]) -> list[tuple[int, str]]:
    """How the word before the caret can go on: where it begins, and the whole word. With # or @ before it, choices, labels and
    people at once; else from its second letter, names of fields too."""
    match = _BEFORE_CARET.search(line[:caret])
    word = match[0] if match else ""
    start, marked = caret - len(word), word[:1] in ("#", "@")
    begun = fold(word.lstrip("#@"))
    if not marked and len(begun) < 2:
        return []
    mark = word[:1] if marked else ""
    names = [f"{mark}{c.name}" for f in database.fields if TYPES[f.type].has_choices for c in f.choices]
    names += [f"{mark}{p}" for p in people]
    if not marked:
        names += [f"{f.name}: " for f in database.fields[1:] if f.id != TEXT_FIELD and TYPES[f.type].can_be_typed]
    found = [n for n in dict.fromkeys(names) if fold(n.lstrip("#@")).startswith(begun) and fold(n) != fold(word)]
    return [(start, n) for n in found[:MAX_COMPLETIONS]]


def words_of(line: str) -> set[str]:
    """Return the words of a line by which the database that one means is learned."""
    return {found[0] for found in _WORDS.finditer(fold(line))}
