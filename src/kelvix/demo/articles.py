"""The demo's saved articles: made-up pages on leather, humidity, temperaments and the like."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from html import escape

from kelvix.demo.days import moved

AUTHORS = ("Nell Sparrow", "Aldous Fenn", "Maud Tarrow", "Piers Holloway", "Ines Carrow")
SITES = (
    ("The Bellows Room", "bellowsroom.example"),
    ("Reed and Rank", "reedandrank.example"),
    ("Dry Rooms", "dryrooms.example"),
)
SUBJECTS = (
    (
        "Hair sheep or pigskin",
        "leather",
        "Hair sheep is thin and closes well; pigskin lasts where it is flexed in one line only.",
    ),
    ("Cutting across the grain", "leather", "A gusset that is cut along the grain cracks within ten winters."),
    ("Hide glue, warm and thin", "glue", "Sixty degrees is enough; above seventy it weakens for good."),
    ("Sixty per cent, and no less", "humidity", "Below forty-five per cent soundboards open, and runs begin to murmur."),
    (
        "A hygrometer for every church",
        "humidity",
        "What matters is not the number but how fast it falls when the heating comes on.",
    ),
    ("Meantone at the parish level", "temperament", "Quarter comma suits the old specification, and few hymns."),
    ("Young’s second temperament", "temperament", "It keeps all keys usable and gives each its own colour."),
    ("Why reeds speak late", "reeds", "Dust under the tongue is the first suspect, a loose wedge the second."),
    ("Curving a tongue", "reeds", "A burnisher, a block, and patience: the last third does the speaking."),
    ("Woodworm, old and dry", "wood", "Frass that does not fall afresh is history; tap, and look again in May."),
)
DAYS = (4, 10, 11, 14, 17, 18, 19, 22, 23, 24)  # of those that came since the workflow was turned on
PARTS = ("", ": a second look", ": letters and answers")


@dataclass(frozen=True)
class Saved:
    address: str
    title: str
    tags: tuple[str, ...]
    page: bytes
    highlights: tuple[tuple[str, str], ...]
    at: datetime


def all_articles() -> list[Saved]:
    """Thirty, in the order in which they were saved."""
    found: list[Saved] = []
    for number in range(30):
        subject, tag, said = SUBJECTS[number % len(SUBJECTS)]
        title = subject + PARTS[number // len(SUBJECTS)]
        site, host = SITES[number % len(SITES)]
        author = AUTHORS[(number * 3 + number // 10) % len(AUTHORS)]
        day = moved(datetime(2026, 10 + number // 28, 1 + number % 28, 18, (number * 7) % 60, tzinfo=UTC))
        if number >= 20:
            day = moved(datetime(2026, 11, DAYS[number - 20], 18, (number * 7) % 60, tzinfo=UTC))
        slug = "-".join("".join(c if c.isalnum() else " " for c in title.lower()).split())
        address = f"https://{host}/{slug}?utm_source=letter"
        marks = ((said, "for the workshop book" if number % 6 == 0 else ""),) if number % 2 == 0 else ()
        found.append(
            Saved(
                address,
                title,
                (tag, "to keep") if number % 5 == 0 else (tag,),
                _page(title, author, site, said, day),
                marks,
                day,
            )
        )
    return found


def _page(title: str, author: str, site: str, said: str, day: datetime) -> bytes:
    more = (
        f"We asked three workshops, and {author.split()[0]} went to see the fourth.",
        "None of this is new; most of it was known to those who built the instruments, and forgotten since.",
        "Try it on something that does not matter first, and write down the weather.",
    )
    paragraphs = "".join(f"<p>{escape(p)}</p>" for p in (said, *more * 3))
    return (
        f'<!doctype html><html lang="en-GB"><head><title>{escape(title)} | {site}</title><meta name="author" content="{author}">'
        f'<meta property="og:title" content="{escape(title)}"><meta property="og:site_name" content="{site}">'
        f'<meta property="article:published_time" content="{day:%Y-%m-%d}T08:00:00Z"></head>'
        f"<body><article><h1>{escape(title)}</h1>{paragraphs}<h2>What we do now</h2><p>{escape(said)}</p></article></body></html>"
    ).encode()
