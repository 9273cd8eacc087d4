"""Small standards: PKCE (RFC 7636), addresses (HTML), contrast (WCAG 2.2), NFKD folding (Unicode), dates of RFC 5322 and ISO 8601.

Values marked "from memory" were not copied from the text.
"""

from __future__ import annotations

import re
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest

from kelvix.connectors.mail import Mail
from kelvix.core.fields import coerce
from kelvix.core.fields.email import EMAIL
from kelvix.core.values import Unfit, fold
from kelvix.settings import TOP
from support import query

UTC_ZONE = ZoneInfo("UTC")


def test_pkce_example_of_rfc_7636_appendix_b():
    """The verifier and the S256 challenge that the RFC gives for it."""
    verifier, challenge = "dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk", "E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM"
    asked = query(Mail("http://localhost:1").consent_address("http://127.0.0.1/cb", "s", verifier, ("3", "4"), False))
    assert asked["code_challenge"] == challenge and asked["code_challenge_method"] == "S256"
    assert (
        asked["response_type"] == "code"
        and asked["state"] == "s"
        and asked["already"] == "3,4"
        and "code_verifier" not in asked
    )


# The HTML standard, 4.10.5.1.5, defines a valid e-mail address by a pattern; the cases are ours, from memory of its tests.
@pytest.mark.parametrize(
    "address", ["a@b.c", "user.name+tag@sub.example.com", "!#$%&'*+/=?^_`{|}~-@x", "x@1.2.3.4", "a@" + "b" * 63 + ".example"]
)
def test_valid_addresses(address):
    assert EMAIL.fullmatch(address)


@pytest.mark.parametrize(
    "address",
    [
        "a",
        "@b.c",
        "a@",
        "a b@c.d",
        "a@b..c",
        "a@-b.c",
        "a@b-.c",
        "a@" + "b" * 64 + ".example",
        "a@b.c.",
        "\u00e4@b.c",
        "a@[1.2.3.4]",
    ],
)
def test_invalid_addresses(address):
    assert not EMAIL.fullmatch(address)


def colours(scheme: str) -> dict[str, tuple[float, ...]]:
    css = (TOP / "web/src/theme/look.css").read_text()
    block = re.search((r":root \{" if scheme == "light" else r':root\[data-scheme="dark"\] \{') + r"(.*?)\n\}", css, re.S)[1]
    return {
        name: tuple(int(value[n : n + 2], 16) for n in (0, 2, 4))
        for name, value in re.findall(r"--([\w-]+): #([0-9a-f]{6})", block)
    }


def luminance(colour) -> float:
    """WCAG 2.2, relative luminance of an sRGB colour."""
    parts = [c / 255 for c in colour]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one, other) -> float:
    high, low = sorted((luminance(one), luminance(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def test_the_formula_itself():
    """WCAG: black on white is 21 : 1; #767676 on white is the known border of 4.5 : 1 (4.54)."""
    assert contrast((0, 0, 0), (255, 255, 255)) == pytest.approx(21)
    assert contrast((0x76,) * 3, (255,) * 3) == pytest.approx(4.54, abs=0.01)


@pytest.mark.parametrize("scheme", ["light", "dark"])
@pytest.mark.parametrize("text", ["ink", "ink-2", "ink-3", "petrol", "fern", "brick", "slate", "marigold-ink"])
@pytest.mark.parametrize("paper", ["page", "sheet", "band", "marigold-soft"])
def test_text_can_be_read_on_every_paper(scheme, text, paper):
    found = colours(scheme)
    assert contrast(found[text], found[paper]) >= 4.5, (scheme, text, paper)


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_what_acts_can_be_read_too(scheme):
    found = colours(scheme)
    assert contrast(found["on-petrol"], found["petrol"]) >= 4.5
    assert contrast(found["petrol"], found["petrol-soft"]) >= 4.5


# Unicode Standard Annex 15, table of singletons and compatibility examples: what is the same after NFKD, and case folding.
@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("\u212b", "\u00e5"),
        ("\ufb01n", "fin"),
        ("2\u2075", "25"),
        ("\u1e9b\u0323", "\u1e69"),
        ("Straße", "STRASSE"),
        ("ΣΊΣΥΦΟΣ", "σίσυφος"),
        ("\u00e9", "e\u0301"),
        ("Ⅷ", "viii"),
    ],
)
def test_folding(one, other):
    assert fold(one) == fold(other)


# RFC 5322, 3.3 and 4.3: forms of dates; RFC 3339, 5.8: examples.
@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("Fri, 21 Nov 1997 09:55:06 -0600", datetime(1997, 11, 21, 15, 55, 6, tzinfo=UTC)),
        ("21 Nov 97 09:55:06 GMT", datetime(1997, 11, 21, 9, 55, 6, tzinfo=UTC)),
        ("Thu, 13 Feb 1969 23:32 -0330", datetime(1969, 2, 14, 3, 2, tzinfo=UTC)),
        ("1985-04-12T23:20:50.52Z", datetime(1985, 4, 12, 23, 20, 50, 520000, tzinfo=UTC)),
        ("1996-12-19T16:39:57-08:00", datetime(1996, 12, 20, 0, 39, 57, tzinfo=UTC)),
        ("1937-01-01T12:00:27.87+00:20", datetime(1937, 1, 1, 11, 40, 27, 870000, tzinfo=UTC)),
    ],
)
def test_dates_and_times(text, expected):
    assert coerce(text, "datetime", UTC_ZONE) == expected


def test_days_that_the_calendar_does_not_have():
    """Gregorian rule: 1900 was no leap year, 2000 was."""
    assert str(coerce("2000-02-29", "date", UTC_ZONE)) == "2000-02-29"
    for text in ("1900-02-29", "29 Feb 1900", "2026-13-01"):
        with pytest.raises(Unfit):
            coerce(text, "date", UTC_ZONE)
