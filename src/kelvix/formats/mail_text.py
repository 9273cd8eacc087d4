"""A mail's text and table as plain text and as HTML, both built from their parts: nothing that is carried becomes markup."""

from __future__ import annotations

from xml.etree import ElementTree as ET

WIDEST = 40  # characters of a column in plain text

Table = tuple[tuple[str, ...], ...]
CELL = "border-bottom:1px solid #c8d2d2;padding:4px 12px 4px 0;text-align:left;vertical-align:top"


def plain(text: str, heads: tuple[str, ...], rows: Table) -> str:
    """With the table in columns that stand below each other."""
    if not rows:
        return text
    whole = [heads, *rows]
    widths = [min(WIDEST, max(len(row[n]) for row in whole)) for n in range(len(heads))]

    def line(row: tuple[str, ...]) -> str:
        cells = [c if len(c) <= w else c[: w - 1] + "…" for c, w in zip(row, widths, strict=True)]
        return "  ".join(c.ljust(w) for c, w in zip(cells, widths, strict=True)).rstrip()

    table = "\n".join([line(heads), "  ".join("-" * w for w in widths), *map(line, rows)])
    return f"{text}\n\n{table}" if text else table


def html(text: str, heads: tuple[str, ...], rows: Table) -> str:
    """Paragraphs and a table."""
    root = ET.Element("div", {"style": "font-family:sans-serif;font-size:14px;line-height:1.5"})
    for paragraph in filter(None, text.split("\n\n")):
        at = ET.SubElement(root, "p")
        first, *more = paragraph.split("\n")
        at.text = first
        for line in more:
            ET.SubElement(at, "br").tail = line
    if rows:
        table = ET.SubElement(root, "table", {"style": "border-collapse:collapse"})
        for tag, cells in (("th", heads), *(("td", row) for row in rows)):
            row_ = ET.SubElement(table, "tr")
            for cell in cells:
                ET.SubElement(row_, tag, {"style": CELL}).text = cell
    return ET.tostring(root, encoding="unicode", method="html")
