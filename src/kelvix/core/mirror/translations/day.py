"""A day, where one side keeps a moment or a span: a new day keeps the time that is there, or gets the one that is named."""

from __future__ import annotations

from datetime import date, datetime, time
from zoneinfo import ZoneInfo

from kelvix.core.fields import TYPES, from_wire
from kelvix.core.mirror.lens import Canonical, Domain, Lens
from kelvix.core.mirror.translations.translation import Around, Asked, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Span, Unfit, Value

KEPT = (date, datetime, Span)
NINE = "09:00"


class Day(Lens):
    """The day of a date, a moment or the start of a span, in a zone. A span moves as a whole."""

    def __init__(self, keeps: type, zone: ZoneInfo, time_of_day: time):
        self.keeps, self.zone, self.time_of_day = keeps, zone, time_of_day

    def get(self, raw: Value) -> Canonical:
        start = raw.start if isinstance(raw, Span) else raw
        if isinstance(start, datetime):
            return start.astimezone(self.zone).date()
        return start

    def fresh(self, raw: Value, value: Canonical) -> Value:
        if value is None:
            return None
        assert isinstance(value, date)
        if self.keeps is date:
            return value
        if self.keeps is datetime:
            return self._at(raw if isinstance(raw, datetime) else None, value)
        if not isinstance(raw, Span):
            return Span(value, value)
        if isinstance(raw.start, datetime) and isinstance(raw.end, datetime):
            start = self._at(raw.start, value)
            return Span(start, start + (raw.end - raw.start))
        return Span(value, date.fromordinal(value.toordinal() + raw.end.toordinal() - raw.start.toordinal()))

    def _at(self, there: datetime | None, day: date) -> datetime:
        clock = there.astimezone(self.zone).time() if there else self.time_of_day
        # A time that the clocks jump over is moved by the jump, and stays on its day in all zones but those that skip days.
        return datetime.combine(day, clock, self.zone).astimezone(ZoneInfo("UTC"))


class AsDay(Translation):
    code, words = "day", "a day"

    def fits(self, left: Field, right: Field) -> float | None:
        both = (TYPES[left.type].keeps, TYPES[right.type].keeps)
        if not all(one in KEPT for one in both) or both[0] is both[1]:
            return None
        return 0.5 if Span in both else 0.7

    def proposed(self, left: Field, right: Field) -> dict[str, str]:
        return {"time": NINE} if _needs_time(left, right) else {}

    def asks(self, left: Field, right: Field) -> tuple[Asked, ...]:
        return (Asked("time", "Time of day of new dates"),) if _needs_time(left, right) else ()

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        at = _time(options)
        return Domain.between(left, right, lambda f: Day(TYPES[f.type].keeps, around.zone, at or time(9)), "date")

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        of = {datetime: "The time of day of {} doesn’t cross.", Span: "Only the first day of {} crosses."}
        finer = [(of.get(TYPES[f.type].keeps), f.name) for f in (left, right)]
        return tuple(said.format(name) for said, name in finer if said)

    def wrong(self, left: Field, right: Field, options: Options) -> str | None:
        missing = _needs_time(left, right) and _time(options) is None
        return "Enter the time of day that new dates get, such as 09:00." if missing else None


def _needs_time(left: Field, right: Field) -> bool:
    return any(TYPES[f.type].keeps is datetime for f in (left, right))


def _time(options: Options) -> time | None:
    try:
        found = from_wire(str(options.get("time") or ""), "time")
    except Unfit:
        return None
    return found if isinstance(found, time) else None


TRANSLATION = AsDay()
