"""What lies under a highlight, however the page is turned and wherever its corner is.

Widths of Helvetica's characters, in thousandths, from Adobe's font metrics (from memory): o n e 556, t 278, w 722, space 278.
"""

from __future__ import annotations

import io

import pytest

from kelvix.formats.pdf import Highlight, read

ONE, TWO = (3 * 5.56 + 2.78, 2.78 + 7.22 + 5.56)  # of "one " and of "two" in 10 points


def page(turned: int, corner: tuple[int, int]) -> bytes:
    """A page with “one two three” on it, of which “two” is highlighted."""
    x, y = corner
    left, low = x + 50, y + 100
    x0, x1, y0, y1 = left + ONE, left + ONE + TWO, low - 2, low + 8
    quad = f"{x0} {y1} {x1} {y1} {x0} {y0} {x1} {y0}"
    text = f"BT /F 10 Tf {left} {low} Td (one two three) Tj ET".encode()
    parts = [
        b"<</Type/Catalog/Pages 2 0 R>>",
        b"<</Type/Pages/Kids[3 0 R]/Count 1>>",
        f"<</Type/Page/Parent 2 0 R/MediaBox[{x} {y} {x + 400} {y + 300}]/Rotate {turned}/Contents 4 0 R"
        f"/Resources<</Font<</F 5 0 R>>>>/Annots[6 0 R]>>".encode(),
        b"<</Length %d>>stream\n%s\nendstream" % (len(text), text),
        b"<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>",
        f"<</Type/Annot/Subtype/Highlight/Rect[{x0} {y0} {x1} {y1}]/QuadPoints[{quad}]/Contents(mine)>>".encode(),
    ]
    whole = b"%PDF-1.4\n"
    places = []
    for number, part in enumerate(parts, 1):
        places.append(len(whole))
        whole += b"%d 0 obj%s endobj\n" % (number, part)
    table = b"".join(b"%010d 00000 n \n" % at for at in places)
    return (
        whole
        + b"xref\n0 7\n0000000000 65535 f \n"
        + table
        + b"trailer\n<</Size 7/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF" % len(whole)
    )


@pytest.mark.parametrize("corner", [(0, 0), (120, -40)])
@pytest.mark.parametrize("turned", [0, 90, 180, 270])
def test_the_word_under_a_highlight_is_found(turned, corner):
    found = read(io.BytesIO(page(turned, corner)))
    assert found.highlights == (Highlight(1, "two", "mine"),) and found.problem == ""
