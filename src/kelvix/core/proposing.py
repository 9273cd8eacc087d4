"""Which database a capture is for, by where a person's earlier captures with its words were kept."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from math import log

LITTLE = 0.2  # of a capture, by which a word that was never seen somewhere is taken for seen


def database_for(
    words: Iterable[str], counts: Mapping[str, Mapping[int, int]], of_all: str, databases: Iterable[int], last: int | None
) -> int | None:
    """Naive Bayes with additive smoothing (a textbook method): the most likely database of those that were used; the one used
    last where nothing was learned, or where the words say nothing. `counts` are by word and database, `of_all` is the word of
    all captures."""
    known = list(databases)
    total = {d: n for d, n in counts.get(of_all, {}).items() if d in known}
    telling = [w for w in words if counts.get(w)]
    fallback = last if last in known else (known[0] if known else None)
    if not total or not telling:
        return fallback

    def score(database: int) -> float:
        mine = total[database]
        prior = log(mine / sum(total.values()))
        return prior + sum(log((counts[w].get(database, 0) + LITTLE) / (mine + 2 * LITTLE)) for w in telling)

    return max(total, key=lambda d: (score(d), d == fallback))
