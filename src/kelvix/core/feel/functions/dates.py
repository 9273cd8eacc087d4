"""Temporal functions (OMG DMN 1.5, table 75). Weeks are those of ISO 8601."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from kelvix.core.feel.builtin import BUILTINS, DAY, NUMBER, STRING, Param

GROUP = "Dates"
DATE_ONLY = [Param("date", DAY)]
WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MONTHS = (
    *("January", "February", "March", "April", "May", "June"),
    *("July", "August", "September", "October", "November", "December"),
)


@BUILTINS.add("day of year", DATE_ONLY, NUMBER, "The day's number in its year.", "day of year(date(2019, 9, 17))", "260", GROUP)
def day_of_year(day: date) -> Decimal:
    return Decimal(day.timetuple().tm_yday)


@BUILTINS.add("day of week", DATE_ONLY, STRING, "The weekday.", "day of week(date(2019, 9, 17))", '"Tuesday"', GROUP)
def day_of_week(day: date) -> str:
    return WEEKDAYS[day.weekday()]


@BUILTINS.add("month of year", DATE_ONLY, STRING, "The month.", "month of year(date(2019, 9, 17))", '"September"', GROUP)
def month_of_year(day: date) -> str:
    return MONTHS[day.month - 1]


@BUILTINS.add("week of year", DATE_ONLY, NUMBER, "The week's number.", "week of year(date(2019, 9, 17))", "38", GROUP)
def week_of_year(day: date) -> Decimal:
    return Decimal(day.isocalendar().week)
