"""Readings of sheets: each continues the last, and is kept as long as somebody reads on from it."""

from __future__ import annotations

import zlib
from collections.abc import Mapping

from kelvix.core.collection import Ref
from kelvix.core.sheets import kept
from kelvix.core.sheets.grid import Cell, Grid
from kelvix.core.sheets.layout import Rule
from kelvix.core.sheets.reading import Meant, Reading
from kelvix.remembering import Remembered
from kelvix.store.database_server import Transaction
from kelvix.store.directory import Space

KEPT_DAYS = 1  # for which a reading is kept that nobody reads on from, but may be about to
MEANT_HOURS = 1  # after which something that was to be written is taken for not written
WHERE = "workspace_id=%s AND account=%s AND place=%s"


class KeptReadings(kept.Readings):
    """The readings of a workspace. What was read is remembered: a reading never changes."""

    def __init__(self, space: Space, known: Remembered[Reading], grids: Remembered[tuple[Reading, Grid]]):
        self.space, self.known, self.grids = space, known, grids

    def grid(self, of: Ref, reading: Reading) -> Grid | None:
        kept = self.grids.known(self._key(of))
        return kept[1] if kept is not None and kept[0] is reading else None

    def remember(self, of: Ref, reading: Reading, grid: Grid) -> None:
        self.grids.put(self._key(of), (reading, grid))

    def rule(self, of: Ref) -> Rule:
        row = self.space.read(
            lambda t: t.row(f"SELECT header, key_column AS `key` FROM reading_rule WHERE {WHERE}", self._key(of))
        )
        return Rule(**row) if row else Rule()

    def last(self, of: Ref) -> Reading | None:
        row = self.space.read(lambda t: t.row(f"SELECT MAX(n) AS n FROM reading WHERE {WHERE}", self._key(of)))
        return self.get(of, row["n"]) if row and row["n"] else None

    def get(self, of: Ref, n: int) -> Reading | None:
        try:
            return self.known.get((*self._key(of), n), lambda: self._read(of, n))
        except KeyError:
            return None

    def _read(self, of: Ref, n: int) -> Reading:
        row = self.space.read(lambda t: t.row(f"SELECT content FROM reading WHERE {WHERE} AND n=%s", (*self._key(of), n)))
        if row is None:
            raise KeyError(n)
        return kept.from_json(n, zlib.decompress(row["content"]).decode())

    def keep(self, of: Ref, reading: Reading) -> bool:
        content = zlib.compress(kept.to_json(reading).encode(), 1)

        def work(t: Transaction) -> bool:
            is_next = t.execute(
                "INSERT IGNORE INTO reading (workspace_id, account, place, n, content) VALUES (%s,%s,%s,%s,%s)",
                (*self._key(of), reading.n, content),
            )
            for row in t.rows(f"SELECT row_id FROM reading_meant WHERE {WHERE}", self._key(of)) if is_next else ():
                now = reading.by_id.get(row["row_id"])
                if now is None or now.revision == reading.n:
                    t.execute(f"DELETE FROM reading_meant WHERE {WHERE} AND row_id=%s", (*self._key(of), row["row_id"]))
            return bool(is_next)

        is_next = self.space.transact(work)
        if is_next:
            self.known.put((*self._key(of), reading.n), reading)
        return is_next

    def meant(self, of: Ref) -> Meant:
        rows = self.space.read(
            lambda t: t.rows(
                f"SELECT row_id, cells FROM reading_meant WHERE {WHERE} AND at > NOW(3) - INTERVAL %s HOUR",
                (*self._key(of), MEANT_HOURS),
            )
        )
        return {row["row_id"]: kept.cells_from_json(row["cells"]) for row in rows}

    def mean(self, of: Ref, id: str, cells: Mapping[str, Cell] | None) -> None:
        self.space.transact(
            lambda t: t.execute(
                "REPLACE INTO reading_meant (workspace_id, account, place, row_id, cells) VALUES (%s,%s,%s,%s,%s)",
                (*self._key(of), id, kept.cells_to_json(cells)),
            )
        )

    def _key(self, of: Ref) -> tuple[int, str, str]:
        return self.space.id, of.account, of.place


def set_rule(t: Transaction, workspace_id: int, of: Ref, rule: Rule) -> None:
    """Keep what a person said of a sheet."""
    t.execute(
        "REPLACE INTO reading_rule (workspace_id, account, place, header, key_column) VALUES (%s,%s,%s,%s,%s)",
        (workspace_id, of.account, of.place, rule.header, rule.key),
    )


def prune(t: Transaction, workspace_id: int, limit: int) -> int:
    """Let go of readings from which nobody reads on: how many."""
    t.execute("DELETE FROM reading_meant WHERE workspace_id=%s AND at < NOW(3) - INTERVAL %s HOUR", (workspace_id, MEANT_HOURS))
    rows = t.rows(
        "SELECT r.account, r.place, r.n FROM reading r JOIN (SELECT account, place, MAX(n) AS n FROM reading "
        "WHERE workspace_id=%s GROUP BY account, place) l ON l.account=r.account AND l.place=r.place AND r.n<l.n "
        "WHERE r.workspace_id=%s AND r.at < NOW(3) - INTERVAL %s DAY AND NOT EXISTS (SELECT 1 FROM subscription s "
        "WHERE s.workspace_id=r.workspace_id AND s.account=r.account AND s.place=r.place AND s.cursor_at=r.n) LIMIT %s",
        (workspace_id, workspace_id, KEPT_DAYS, limit),
    )
    for row in rows:
        t.later(f"DELETE FROM reading WHERE {WHERE} AND n=%s", (workspace_id, row["account"], row["place"], row["n"]))
    return len(rows)
