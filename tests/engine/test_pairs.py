"""Any kind of place to any other: an item is carried over with all field types that both know, edited, and the edit carried.

What is tested knows no app: a `Side` is a place that lines can listen to and write to, and the hands of its user."""

from __future__ import annotations

from itertools import product
from typing import Any

import pytest

from kelvix.core.query import Query
from kelvix.core.schema import Field
from kelvix.core.values import File, Value, to_wire
from kelvix.engine import file_content
from sides import Issues, Outside, Own, Sheets, Tables, Tasks
from support import until

TITLE = "Voice the Trumpet"
SIDES = (Own, Tasks, Issues, Sheets, Tables)


def a_file(orla, name: str) -> Value:
    """A file of practice Files, as lines carry it."""
    folder = str(orla.container("files", "Plans"))
    orla.put_files("Plans", {name: f"{name}, in full".encode()})
    found = orla.source(orla.connect("Plans", app="files"), folder).query(Query(limit=10)).items
    return next(item.values["file"] for item in found if item.title == name)


def example(field: Field, orla, second: bool) -> Value:
    if field.type == "file":
        return a_file(orla, ("Case.txt", "Bellows.txt")[second])
    texts = {
        "long_text": ("Softer, **please**.", "No: louder."),
        "date": ("2026-12-04", "2026-12-11"),
        "datetime": ("2026-12-04 09:30", "2026-12-11 17:00"),
        "yes_no": ("no", "yes"),
        "number": ("8.5", "12"),
        "person": ("Ada Pell <ada@stbride.example>", "Ivo Carrow <ivo@brackenfell.example>"),
        "labels": ("reeds, leather", "pipes"),
        "choice": ("Fault", "Wish"),
        "link": ("https://wick.example/1", "https://wick.example/2"),
        "email": ("ada@stbride.example", "ivo@brackenfell.example"),
        "time": ("09:30", "17:00"),
        "text": ("One", "Two"),
    }
    told = texts[field.type][second]
    return field.take(told, orla.space.zone, "DMY")


@pytest.mark.parametrize("pair", list(product(SIDES, SIDES)), ids=lambda p: "-to-".join(s.__name__.lower() for s in p))
def test_an_item_and_its_edit_are_carried(orla, pair):
    here, there = pair[0](orla, "Here"), pair[1](orla, "There")
    mine, theirs = here.fields(), there.fields()
    both = [kind for kind in mine if kind in theirs]
    assert len(both) >= 3, both

    def filled(field: str, of: str) -> dict[str, Any]:
        return {"field": field, "filling": [{"ref": {"line": "w", "value": here.key(of)}}]}

    fillings = [filled(there.title, here.title), *(filled(theirs[kind].id, mine[kind].id) for kind in both)]
    keep = {"verb": "add_or_update", "id": "k", "database": there.id, "by": [there.title], "fillings": fillings}
    flows = [orla.workflow(f"Pair {n}", {"lines": [when, keep]}) for n, when in enumerate(here.whens())]
    for flow in flows:
        orla.api("POST", f"/workflows/{flow}/on")

    def carried() -> bool:
        found, theirs = there.items(), there.fields()  # which may have new choices by now
        if [i.title for i in found] != [TITLE]:
            return False
        return all(said(theirs[k], found[0].values.get(theirs[k].id)) == said(mine[k], wanted[k]) for k in both)

    def said(field: Field, value: Any) -> Any:
        if isinstance(value, File):  # an app keeps a copy of its own
            content = b"".join(file_content.content(orla.kelvix.engine, orla.space, value))
            return str(value), value.size, value.kind, content
        return to_wire(field.named(value))

    wanted = {kind: example(mine[kind], orla, False) for kind in both}

    def look() -> None:
        """Ask at once a source that tells nobody; others are asked too, for nothing."""
        for flow in flows:
            if isinstance(here, Outside):
                orla.api("POST", f"/workflows/{flow}/check-now")

    id = here.create({here.title: TITLE, **{mine[kind].id: wanted[kind] for kind in both}})
    look()
    until(carried)
    wanted = {kind: example(mine[kind], orla, True) for kind in both}
    here.edit(id, {mine[kind].id: wanted[kind] for kind in both})
    look()
    until(carried)
    # The item is there a moment before its run has written down that it is done.
    until(lambda: all(run["state"] == "done" for flow in flows for run in orla.runs(flow)))
