"""Where each character of a PDF's page stands, in the page's own units: so that a highlight that begins in the middle of a line
gives the words that lie under it. pypdf gives places only for whole pieces of text; its layout mode reckons with the widths of
characters, in modules that are not promised to stay (the version is pinned, and pypdf's own samples are tests)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pypdf import PageObject
from pypdf._text_extraction import mult
from pypdf._text_extraction._layout_mode._fixed_width_page import recurse_to_target_op, set_font_operation
from pypdf._text_extraction._layout_mode._text_state_manager import TextStateManager
from pypdf._text_extraction._layout_mode._text_state_params import TextStateParams
from pypdf.generic import ArrayObject, ContentStream, StreamObject

Box = tuple[float, float, float, float]  # x0, y0, x1, y1


@dataclass(frozen=True)
class Character:
    """`text` may be several (a ligature); it stands on the base line `y` from `x0` to `x1`, `size` high."""

    text: str
    x0: float
    x1: float
    y: float
    size: float


def characters(page: PageObject) -> list[Character]:
    """In the order in which the page draws them."""
    contents: Any = page.get("/Contents")
    contents = contents.get_object() if contents is not None else None
    if not isinstance(contents, ArrayObject | StreamObject):
        return []
    fonts = page._layout_mode_fonts()
    operations = iter(ContentStream(contents, page.pdf, "bytes").operations)
    state = TextStateManager()
    found: list[Character] = []
    for operands, operator in operations:
        if operator in (b"BT", b"q"):
            ends: Any = b"ET" if operator == b"BT" else b"Q"
            for shown in recurse_to_target_op(operations, state, ends, fonts)[1]:
                found += _of(shown)
        elif operator == b"cm":
            state.add_cm(*operands)
        elif operator == b"Tf":
            set_font_operation(state, fonts, operands)
        else:
            state.set_state_param(operator, operands)
    return found


def _of(shown: TextStateParams) -> list[Character]:
    if not shown.font.interpretable:
        return []
    found: list[Character] = []
    encoding = shown.font.encoding
    along = 0.0
    for raw in shown._raw_chars or shown.text:
        mapped = encoding.get(ord(raw), raw) if isinstance(encoding, dict) else raw
        width = shown.word_tx(raw)
        x0, y = _at(shown, along)
        x1, _ = _at(shown, along + width)
        found.append(Character(shown.font.character_map.get(mapped, mapped), min(x0, x1), max(x0, x1), y, shown.font_height))
        along += width
    return found


def _at(shown: TextStateParams, along: float) -> tuple[float, float]:
    placed = mult([1.0, 0.0, 0.0, 1.0, along, shown.Ts], shown.transform)
    return placed[4], placed[5]


def within(found: list[Character], boxes: list[Box]) -> str:
    """The text whose characters lie in any of the boxes, with a space where there is a gap or a new line."""
    said: list[str] = []
    before: Character | None = None
    for one in found:
        middle = (one.x0 + one.x1) / 2
        if not any(x0 <= middle <= x1 and y0 - one.size * 0.35 <= one.y <= y1 - one.size * 0.25 for x0, y0, x1, y1 in boxes):
            continue
        if before and (abs(one.y - before.y) > one.size * 0.5 or one.x0 - before.x1 > one.size * 0.15):
            said.append(" ")
        said.append(one.text)
        before = one
    return " ".join("".join(said).split())
