"""Where each character of a PDF's page stands: so that a highlight that begins in the middle of a line gives the words that lie
under it. pypdf gives places only for whole pieces of text; pdfplumber gives them for characters. It brings PDFium along, and is
imported in a reader child only.

Places are in points of the page as it is shown: from its lower left corner, turned as its reader turns it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from io import BufferedReader, BytesIO
from math import hypot
from typing import Any

import pdfplumber

Matrix = tuple[float, float, float, float, float, float]  # as in ISO 32000-1, 8.3.3
Box = tuple[float, float, float, float]  # x0, y0, x1, y1


@dataclass(frozen=True)
class Character:
    """`text` may be several (a ligature); it stands on its base line from `start` to `end`, in any direction, `size` high."""

    text: str
    start: tuple[float, float]
    end: tuple[float, float]
    size: float

    @property
    def along(self) -> tuple[float, float]:
        """The direction of its line, of length 1."""
        dx, dy = self.end[0] - self.start[0], self.end[1] - self.start[1]
        length = hypot(dx, dy)
        return (dx / length, dy / length) if length else (1.0, 0.0)

    @property
    def middle(self) -> tuple[float, float]:
        """Halfway along it, and a third of its height above its base line."""
        (x, y), up = self.along, self.size * 0.3
        return (self.start[0] + self.end[0]) / 2 - y * up, (self.start[1] + self.end[1]) / 2 + x * up


@dataclass(frozen=True)
class Places:
    """The characters of a page, in the order in which the page draws them, and how its own places are shown."""

    characters: tuple[Character, ...]
    shown: Matrix

    def under(self, quads: Sequence[Sequence[float]]) -> str:
        """Return the text under quadrilaterals, each of eight numbers (or four, for two of its corners), as the page keeps
        them."""
        boxes: list[Box] = []
        for quad in quads:
            points = [_placed(self.shown, x, y) for x, y in zip(quad[::2], quad[1::2], strict=False)]
            xs, ys = [x for x, _ in points], [y for _, y in points]
            boxes.append((min(xs), min(ys), max(xs), max(ys)))
        return within(self.characters, boxes)


def _placed(by: Matrix, x: float, y: float) -> tuple[float, float]:
    a, b, c, d, e, f = by
    return a * x + c * y + e, b * x + d * y + f


def places(file: BufferedReader | BytesIO, number: int) -> Places:
    """Return the characters of a page of a file, by its number from 0. Raises what pdfplumber raises."""
    file.seek(0)
    with pdfplumber.open(file, pages=[number + 1], unicode_norm="NFC") as found:
        page = found.pages[0]
        return Places(tuple(_of(c) for c in page.chars), _turned(page.page_obj.mediabox, page.rotation))


def _turned(box: Sequence[float], rotation: int) -> Matrix:
    """How a page is shown that is turned by so many degrees clockwise, with its lower left corner at 0, 0."""
    x0, y0, x1, y1 = box
    matrices: dict[int, Matrix] = {
        90: (0, -1, 1, 0, -y0, x1),
        180: (-1, 0, 0, -1, x1, y1),
        270: (0, 1, -1, 0, y1, -x0),
    }
    return matrices.get(rotation % 360, (1, 0, 0, 1, -x0, -y0))


def _of(char: dict[str, Any]) -> Character:
    across = ("y0", "y1") if abs(char["matrix"][0]) >= abs(char["matrix"][1]) else ("x0", "x1")
    size = char[across[1]] - char[across[0]]
    return Character(char["text"], _placed(char["matrix"], 0, 0), _placed(char["matrix"], char["adv"], 0), size)


def within(found: Sequence[Character], boxes: Sequence[Box]) -> str:
    """Return the text whose characters lie in any of the boxes, with a space where there is a gap or a new line."""
    said: list[str] = []
    before: Character | None = None
    for one in found:
        (x, y), loose = one.middle, one.size * 0.05
        if not any(x0 - loose <= x <= x1 + loose and y0 - loose <= y <= y1 + loose for x0, y0, x1, y1 in boxes):
            continue
        if before and _apart(before, one):
            said.append(" ")
        said.append(one.text)
        before = one
    return " ".join("".join(said).split())


def _apart(before: Character, one: Character) -> bool:
    """Whether a character does not go on where the one before it ends: after a gap, or on another line."""
    dx, dy = one.start[0] - before.end[0], one.start[1] - before.end[1]
    x, y = one.along
    return dx * x + dy * y > one.size * 0.15 or abs(dy * x - dx * y) > one.size * 0.5
