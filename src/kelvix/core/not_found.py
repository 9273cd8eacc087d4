"""What was asked for and is not here."""

from __future__ import annotations


class NotFoundError(Exception):
    """What was asked for is not here, or no longer, as a sentence. It is no LookupError: a key that our own code misses is a
    defect, and must not read as something that somebody deleted."""
