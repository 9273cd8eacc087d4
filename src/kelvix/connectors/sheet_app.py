"""What apps have in the same way whose places are sheets: their events, and how links to rows are read."""

from __future__ import annotations

import re
from urllib.parse import parse_qs

from kelvix.connectors.consented import ConsentedApp
from kelvix.connectors.contract import Display, Event
from kelvix.connectors.sheet import AT_ROW, CAPABILITIES, REACH
from kelvix.core.fields.link import split_address
from kelvix.core.schema import CarriedField


class SheetApp(ConsentedApp):
    """An app of sheets, with a consent window."""

    title = "row"
    varies = has_sheets = True
    capabilities, reach = CAPABILITIES, REACH
    events = (
        Event("arrives", "a row is added", ("new",)),
        Event("any_change", "a row is added or changed", ("new", "changed", "unsure")),
    )
    display = Display("The row", "", (), ())
    fields = (CarriedField("row", ("Row", "Row"), "number"),)
    proposed = ()

    def item_of_link(self, link: str) -> str | None:
        """Return the row that a link names, as its sheet and its number."""
        place, parts = self.container_of_link(link), split_address(link.strip())
        number = parse_qs(parts.query).get("row", [""])[0] if parts else ""
        return f"{place}{AT_ROW}{number}" if place and re.fullmatch(r"\d{1,6}", number) else None
