"""The workspace's language, as Unicode's Common Locale Data Repository (CLDR) describes it."""

from __future__ import annotations

from functools import lru_cache

from babel import Locale, UnknownLocaleError
from babel import dates as babel_dates

GROUP = "Ours"


@lru_cache(maxsize=64)
def locale(tag: str) -> Locale:
    """Raises ValueError for a language that the CLDR does not know."""
    try:
        return Locale.parse(tag.replace("-", "_"))
    except (UnknownLocaleError, ValueError) as error:
        raise ValueError(f"there is no language “{tag}”") from error


def date_order(tag: str) -> str:
    """Whether a language writes day or month first, from the CLDR's short date: DMY, MDY or YMD."""
    short = str(babel_dates.get_date_format("short", locale(tag)))
    return "".join(dict.fromkeys(c.upper() for c in short if c in "dMy"))
