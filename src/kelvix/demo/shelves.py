"""The demo's files: condition surveys and drawings, as small PDFs in which somebody marked and noted things."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from kelvix.demo.days import moved
from kelvix.demo.papers import Mark, paper

SURVEYED = (
    ("Holm St Mary", 2, "The bellows leak at the second fold.", "patch, or new leather?"),
    ("Wexcombe St Anne", 4, "Three pallets of the Great do not close.", "before Advent"),
    ("Little Marl", 5, "Woodworm in the plinth, old and dry.", ""),
    ("Ashby Fold", 9, "The tremulant shakes the whole chest.", "see the letter of the 8th"),
    ("Sedge Hill", 11, "Pedal trackers worn through at the arms.", "12 to renew"),
    ("Upper Tarn", 12, "The blower runs hot after twenty minutes.", "ask for its plate"),
    ("Corran St Bride", 16, "Soft metal: the Dulciana leans on its rack.", "rack it anew"),
    ("Netherby", 18, "Dust throughout; the reeds speak late.", ""),
    ("Thorpe Sallow", 19, "The case door is off its upper hinge.", "tell the churchwarden"),
    ("Great Marl", 23, "Damp behind the Swell box, 74 % at noon.", "hygrometer for a month"),
    ("Pendle St Ewen", 24, "All is well but for one cipher on tenor G.", ""),
)
DRAWINGS = (
    ("Bellows, second fold", "Holm St Mary", 3, "Leather 1.2 mm, hair sheep, cut across the grain."),
    ("Tracker arms, pedal", "Sedge Hill", 12, "Twelve arms in beech, bushed with red cloth."),
    ("Rack for the Dulciana", "Corran St Bride", 17, "Oak, 18 mm; holes by the old rack."),
    ("Case door, upper hinge", "Thorpe Sallow", 20, "Brass butt hinge, 100 mm."),
)


@dataclass(frozen=True)
class Paper:
    name: str
    at: datetime
    content: bytes


def _at(day: int, hour: int, minute: int) -> datetime:
    return moved(datetime(2026, 11, day, hour, minute, tzinfo=UTC))


def surveys() -> list[Paper]:
    """In the order of their days."""
    found: list[Paper] = []
    for number, (place, day, trouble, note) in enumerate(SURVEYED):
        at = _at(day, 9 + number % 7, 5 + 7 * number % 50)
        lines = [
            f"Condition survey of {at:%d %B %Y}, by Ivo Carrow.",
            "",
            f"Humidity at the console {58 + number * 3 % 17} %, {9 + number * 5 % 8} degrees.",
            trouble,
            "The case and the front pipes are sound.",
            f"Pitch {438 + number % 5} Hz at {12 + number % 5} degrees.",
            "",
            "To be done before the next tuning, and to be priced by the workshop.",
        ]
        title = f"Condition survey, {place}"
        content = paper(title, "Ivo Carrow", lines, (Mark(3, note),), "Photographs follow" if number % 4 == 0 else "")
        found.append(Paper(f"Survey {place} {at:%Y-%m-%d}.pdf", at, content))
    return found


def drawings() -> list[Paper]:
    found: list[Paper] = []
    for what, place, day, note in DRAWINGS:
        at = _at(day, 15, 20)
        content = paper(f"{what}, {place}", "Orla Fenwick", [f"Drawing for {place}, scale 1 : 5.", note], (Mark(1),))
        found.append(Paper(f"{place} – {what}.pdf", at, content))
    return found
