"""The whole job with what other packages bring, in the real interface: an app is connected, an entry of it starts a workflow, a
line of a kind of theirs is carried out, and a field of a type of theirs is filled."""

from __future__ import annotations

import json
import os
import re
from pathlib import Path

from playwright.sync_api import Page, expect

from browser.conftest import add_field
from support import until


def choose(page: Page, box: str, option: str | re.Pattern[str]) -> None:
    page.get_by_label(box, exact=True).click()
    page.get_by_role("option", name=option, exact=isinstance(option, str)).click()


def test_an_app_a_kind_of_line_and_a_type_of_field_from_packages(packaged_page):
    page, orla = packaged_page
    pipes = orla.database("Pipes", {"name": "Name", "type": "text"})
    page.goto(f"/databases/{pipes['id']}")
    page.get_by_role("button", name="Fields").click()
    add_field(page, "Tuned to", "pitch")
    page.goto("/connections")
    page.get_by_role("button", name="Connect Logbook").click()
    expect(page.get_by_role("heading", name=re.compile("^Logbook of"))).to_be_visible()
    expect(page.get_by_text("Tuning", exact=True)).to_be_visible()

    name, pitch = (f["id"] for f in orla.api("GET", f"/databases/{pipes['id']}")["fields"][:2])
    filled = [{"field": f, "filling": [{"ref": {"line": "w", "value": v}}]} for f, v in ((name, "what"), (pitch, "hertz"))]
    add = {"verb": "add", "id": "a", "database": pipes["id"], "fillings": filled}
    workflow = orla.workflow("Pipes from the book", {"lines": [{"verb": "when", "id": "w"}, add]})
    page.goto(f"/workflows/{workflow}?line=w")
    choose(page, "Trigger", "Logbook: an entry is written")
    choose(page, "Connection", re.compile("^Logbook of"))
    page.get_by_role("combobox", name="Book").click()
    page.get_by_role("option", name=re.compile("^Tuning")).click()
    expect(page.get_by_role("gridcell").filter(has_text="2 fields fit")).to_be_visible()

    page.get_by_role("gridcell").filter(has_text="2 fields fit").click()
    page.get_by_role("button", name="+ Add line").click()
    page.get_by_role("menuitem", name="Print a label: to tie to a pipe").click()
    expect(page.get_by_role("gridcell").filter(has_text="say what stands on the label")).to_be_visible()
    page.get_by_label("Text", exact=True).fill("Pipe of the swell, tuned again, ")
    page.get_by_label("Text", exact=True).press("ArrowDown")
    page.get_by_role("option", name=re.compile("What")).click()
    expect(page.get_by_text(re.compile("a small label holds 24 letters, and this has")).first).to_be_visible()
    choose(page, "Size", "large, up to 60 letters")
    page.get_by_label("Copies", exact=True).fill("40")
    expect(page.get_by_text("! print 1 to 20 copies")).to_be_visible()
    page.get_by_label("Copies", exact=True).fill("2")
    expect(page.get_by_text("! print 1 to 20 copies")).not_to_be_visible()
    expect(page.get_by_role("gridcell").filter(has_text="2 × Pipe of the swell, tuned again, Swell, middle C")).to_be_visible()
    expect(page.get_by_text(re.compile("Draft .*, saved"))).to_be_visible()

    page.get_by_role("button", name="Turn on").click()
    expect(page.get_by_role("button", name="Turn off")).to_be_visible()
    with (Path(os.environ["LOGBOOK_FOLDER"]) / "Tuning.jsonl").open("a") as book:
        book.write(json.dumps({"what": "Great, tenor A", "hertz": "441", "at": "2026-11-28T09:00:00Z"}) + "\n")
    page.get_by_role("button", name="Check now").click()
    [run] = until(lambda: [r for r in orla.runs(workflow) if r["state"] == "done"])
    page.goto(f"/databases/{pipes['id']}")
    expect(page.get_by_role("gridcell", name="Great, tenor A")).to_be_visible()
    expect(page.get_by_role("gridcell", name="441", exact=True)).to_be_visible()
    [label] = [json.loads(line) for line in Path(os.environ["LABEL_PRINTER"]).read_text().splitlines()]
    assert (label["text"], label["copies"]) == ("Pipe of the swell, tuned again, Great, tenor A", 2)

    page.goto(f"/runs/{run['id']}")
    expect(page.get_by_text("2 × Pipe of the swell, tuned again, Great, tenor A")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("Label 1 was printed: take it off the pipe.")).to_be_visible()
    assert orla.records(pipes["id"]) == []
