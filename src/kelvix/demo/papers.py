"""Small PDFs made for the demo: a heading, lines of text, and what somebody highlighted and noted in them."""

from __future__ import annotations

from dataclasses import dataclass
from io import BytesIO

from pypdf import PdfWriter
from pypdf.annotations import Highlight, Text
from pypdf.generic import ArrayObject, DecodedStreamObject, DictionaryObject, FloatObject, NameObject, TextStringObject

WIDTH, HEIGHT, LEFT, TOP, LEADING, SIZE = 595.0, 842.0, 64.0, 770.0, 18.0, 11.0  # points: A4
LINES = 36  # of a page


@dataclass(frozen=True)
class Mark:
    """A line that was highlighted, by its number from 0, and what was noted beside it."""

    line: int
    note: str = ""


def paper(title: str, author: str, lines: list[str], marks: tuple[Mark, ...] = (), note: str = "") -> bytes:
    """Return the PDF; `note` is one that stands alone at the top."""
    writer = PdfWriter()
    writer.add_metadata({"/Title": title, "/Author": author})
    for first in range(0, max(1, len(lines)), LINES):
        shown = lines[first : first + LINES]
        page = writer.add_blank_page(WIDTH, HEIGHT)
        number = len(writer.pages) - 1
        _write(writer, page, title if first == 0 else "", shown)
        for mark in marks:
            if first <= mark.line < first + LINES:
                _mark(writer, number, mark.line - first, len(lines[mark.line]), mark.note)
    if note:
        writer.add_annotation(0, Text(rect=(LEFT, TOP + 30, LEFT + 18, TOP + 48), text=note))
    out = BytesIO()
    writer.write(out)
    return out.getvalue()


def _write(writer: PdfWriter, page: DictionaryObject, title: str, lines: list[str]) -> None:
    font = DictionaryObject(
        {
            NameObject("/Type"): NameObject("/Font"),
            NameObject("/Subtype"): NameObject("/Type1"),
            NameObject("/BaseFont"): NameObject("/Helvetica"),
            NameObject("/Encoding"): NameObject("/WinAnsiEncoding"),
        }
    )
    resources = DictionaryObject(
        {NameObject("/Font"): DictionaryObject({NameObject("/F1"): writer._add_object(font)})}  # the public way adds no fonts
    )
    content = [f"BT /F1 18 Tf {LEFT} {TOP + 24} Td ({_literal(title)}) Tj ET"] if title else []
    for place, line in enumerate(lines):
        content.append(f"BT /F1 {SIZE} Tf {LEFT} {TOP - place * LEADING} Td ({_literal(line)}) Tj ET")
    stream = DecodedStreamObject()
    stream.set_data("\n".join(content).encode("cp1252", "replace"))
    page[NameObject("/Resources")] = resources
    page[NameObject("/Contents")] = writer._add_object(stream)


def _literal(text: str) -> str:
    return text.replace("\\", "\\\\").replace("(", "\\(").replace(")", "\\)")


def _mark(writer: PdfWriter, page: int, line: int, length: int, note: str) -> None:
    bottom = TOP - line * LEADING - 3
    right = min(WIDTH - LEFT, LEFT + length * SIZE * 0.55)
    corners = (LEFT, bottom + SIZE + 3, right, bottom + SIZE + 3, LEFT, bottom, right, bottom)
    quads = ArrayObject([FloatObject(n) for n in corners])
    mark = Highlight(rect=(LEFT, bottom, right, bottom + SIZE + 3), quad_points=quads, highlight_color="ffd54a")
    if note:
        mark[NameObject("/Contents")] = TextStringObject(note)
    writer.add_annotation(page, mark)
