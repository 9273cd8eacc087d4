"""The demo's parishes and houses whose organs the works knows."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from kelvix.core.workflow import TableRow

DEANERIES = ("Wend Vale", "Ferry", "Uplands", "None")
CARE = ("Tuning", "Humidity", "Reeds", "Leather", "Blower")
ABOUT = ("Bellows", "Blower", "Humidifier", "Pipes", "Reeds", "Tremulant", "Tuning", "Water")  # as letters name it
VISITORS = tuple(TableRow(deanery, who) for deanery, who in (("Wend Vale", "Ivo"), ("Ferry", "Maren"), ("Uplands", "Petra")))


@dataclass(frozen=True)
class Parish:
    name: str
    address: str
    deanery: str
    organ: str
    care: tuple[str, ...]
    tuned: date | None


PARISHES = (
    Parish("St Bride, Nether Wend", "ada.pell@stbride.example", "Wend Vale", "II/P 18, 1891", ("Tuning", "Reeds"), date(2026, 9, 14)),
    Parish("St Hewen", "t.wren@sthewen.example", "Wend Vale", "II/P 14, 1904", ("Tuning", "Leather"), date(2026, 6, 2)),
    Parish("All Saints, Ferry Reach", "r.amory@allsaints-ferry.example", "Ferry", "III/P 31, 1878", ("Tuning", "Humidity"), date(2026, 9, 16)),
    Parish("St Osyth", "churchwarden@stosyth.example", "Ferry", "II/P 11, 1930", ("Tuning", "Blower"), date(2026, 11, 17)),
    Parish("St Mildred", "ilse.brand@stmildred.example", "Uplands", "I 6, 1866", ("Tuning",), date(2026, 5, 20)),
    Parish("St Petroc", "jonas.tarn@stpetroc.example", "Uplands", "I 5, 1979", (), None),
    Parish("Holy Rood", "edda@holyrood.example", "Ferry", "II/P 20, 1887", ("Tuning", "Humidity", "Leather"), date(2026, 3, 12)),
    Parish("Wick Chapel", "m.oake@wickchapel.example", "Wend Vale", "I/P 8, 1899", ("Humidity",), date(2026, 4, 28)),
    Parish("Oxbow Priory", "hester.vane@oxbow.example", "Uplands", "II/P 22, 1912", ("Tuning", "Reeds"), date(2026, 11, 10)),
    Parish("Marl Hall", "house@marlhall.example", "None", "Chamber organ, 1790", ("Tuning",), date(2026, 2, 18)),
    Parish("Thornmere School", "ivo.sand@thornmere-school.example", "None", "II/P 12, 1962", ("Tuning",), date(2026, 9, 1)),
)  # fmt: skip
