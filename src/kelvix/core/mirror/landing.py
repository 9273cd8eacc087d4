"""What an app made of a value that was written to it: the same, the same in its own way, nothing, or something of its own."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Literal

from kelvix.core.mirror.lens import unified
from kelvix.core.values import Amount, Value

Landing = Literal["same", "normalised", "refused", "edited"]


def landing(wrote: Value, before: Value, holds: Value, longest: int | None = None) -> Landing:
    """Return what became of a value that was written. `before`: what was there; `longest`: characters that the field is known
    to keep. A normalised value stands for what was written; one that was edited is that app's own edit."""
    if holds == wrote:
        return "same"
    if _is_normalised(wrote, holds, longest):
        return "normalised"
    if holds is None or holds == before:
        return "refused"
    return "edited"


def _is_normalised(wrote: Value, holds: Value, longest: int | None) -> bool:
    """Say whether a value differs in white space, case, order, a length or a precision alone."""
    if isinstance(wrote, tuple) and isinstance(holds, tuple):
        return sorted(map(str, wrote)) == sorted(map(str, holds))
    if isinstance(wrote, Decimal) and isinstance(holds, Decimal):
        return _is_rounded(wrote, holds)
    if isinstance(wrote, Amount) and isinstance(holds, Amount):
        return wrote.currency == holds.currency and _is_rounded(wrote.number, holds.number)
    if isinstance(wrote, datetime) and isinstance(holds, datetime):
        return holds in (wrote.replace(microsecond=0), wrote.replace(second=0, microsecond=0))
    if isinstance(wrote, date | bool):
        return False
    if isinstance(wrote, str) and isinstance(holds, str) and type(wrote) is type(holds):
        ours, theirs = _plain(wrote), _plain(holds)
        if ours == theirs:
            return True
        return longest is not None and len(holds) >= longest - 1 and bool(theirs) and ours.startswith(theirs.rstrip("…"))
    return False


def _plain(text: str) -> str:
    return " ".join(unified(text).split()).casefold()


def _is_rounded(wrote: Decimal, holds: Decimal) -> bool:
    """Say whether a number is another one, to fewer decimals."""
    exponent = holds.as_tuple().exponent
    if not isinstance(exponent, int) or not wrote.is_finite():
        return False
    return exponent > min(int(wrote.as_tuple().exponent), 0) and abs(wrote - holds) <= Decimal(1).scaleb(min(exponent, 0))
