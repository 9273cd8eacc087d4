"""The workspace's language, as Unicode's Common Locale Data Repository (CLDR) describes it."""

from __future__ import annotations

from functools import lru_cache

from babel import Locale, UnknownLocaleError
from babel import dates as babel_dates

GROUP = "Added by Kelvix"


@lru_cache(maxsize=64)
def locale(tag: str) -> Locale:
    """Return a language. Raises ValueError for a language that the CLDR does not know."""
    try:
        return Locale.parse(tag.replace("-", "_"))
    except (UnknownLocaleError, ValueError) as error:
        raise ValueError(f"unknown language “{tag}”") from error


# Languages that are offered: those of Europe and of the English-speaking countries. All others of the CLDR work by formula.
OFFERED = (
    *("en_GB", "en_US", "en_IE", "en_AU", "en_CA", "en_NZ", "en_ZA", "cs_CZ", "da_DK", "de_DE", "de_AT", "de_CH", "el_GR"),
    *("es_ES", "et_EE", "fi_FI", "fr_FR", "fr_CH", "hu_HU", "it_IT", "lt_LT", "lv_LV", "nb_NO", "nl_NL", "nl_BE", "pl_PL"),
    *("pt_PT", "ro_RO", "sk_SK", "sl_SI", "sv_SE", "tr_TR", "uk_UA"),
)


@lru_cache(maxsize=1)
def languages() -> tuple[tuple[str, str], ...]:
    """(code, name in the language itself) of the languages that are offered."""
    return tuple((code, str(locale(code).get_display_name())) for code in OFFERED)


def date_order(tag: str) -> str:
    """Whether a language writes day or month first, from the CLDR's short date: DMY, MDY or YMD."""
    short = str(babel_dates.get_date_format("short", locale(tag)))
    return "".join(dict.fromkeys(c.upper() for c in short if c in "dMy"))
