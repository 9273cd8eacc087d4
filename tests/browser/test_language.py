"""The language of the timetable on screen: formulas, conditions as rows and as a formula, shaped values, swaps, renames."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from support import FIELDS, FILLS, document, until


@pytest.fixture
def built(page: Page, orla):
    """A workflow with two samples, open in the window."""
    connection = orla.connect("Enquiries")
    more = [{"name": n, "type": t} for n, t in (("From", "text"), ("Reply by", "date"), ("Time", "text"))]
    database = orla.database("Enquiries", *FIELDS, *more)
    orla.deliver("Quote for a tremulant", text='He said "no",\nthen \'yes\' \\ and left.\n{"a": 1}')
    orla.deliver("Quote for reeds", text="Our reeds sulk.")
    body = document(connection, orla.folders["Enquiries"], database, FILLS | {"From": "sender.name"}, ("quote",))
    workflow = orla.workflow("From the post", body)
    orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})
    page.goto(f"/workflows/{workflow}")
    expect(page.get_by_text("5 fields fit")).to_have_count(2)
    return page, orla, database, workflow


def lines(orla, workflow):
    return orla.api("GET", f"/workflows/{workflow}")["document"]["lines"]


def row(page: Page, field: str):
    return page.get_by_role("row").filter(has=page.get_by_label(f"{field} is filled with", exact=True))


def write(page: Page, text: str) -> None:
    """Type into the formula that is open."""
    page.locator(".cm-content").click()
    page.keyboard.press("Control+a")
    page.keyboard.press("Delete")
    page.keyboard.insert_text(text)


def test_a_formula_with_completion_by_keyboard_alone(built):
    page, orla, _, workflow = built
    page.get_by_label("Reply by is filled with").focus()
    page.keyboard.type("=")
    page.keyboard.type("Dat")
    expect(page.get_by_role("option", name=re.compile("^Date")).first).to_be_visible()
    page.wait_for_timeout(400)  # what was typed so far has been read and is marked: the cursor stays where it is
    page.keyboard.press("Enter")
    page.keyboard.type(" + dura")
    expect(page.get_by_role("option", name=re.compile("^duration"))).to_be_visible()
    page.wait_for_timeout(150)  # CodeMirror takes no choice in the first moments of a list
    page.keyboard.press("Enter")
    expect(page.get_by_text("duration(from)").first).to_be_visible()
    page.keyboard.type('"P3D')
    page.keyboard.press("End")
    expect(page.get_by_role("status")).to_contain_text("gives")
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name=re.compile("Formula Date . 3 days"))).to_be_visible()
    until(
        lambda: any(p["formula"] and p["formula"]["tree"] for f in lines(orla, workflow)[-1]["fillings"] for p in f["filling"])
    )


def test_a_calculation_said_in_words_by_mouse_alone(built):
    page, *_ = built
    page.get_by_label("Reply by is filled with", exact=True).click()
    page.get_by_label("The message As it looks").get_by_role("button", name=re.compile("2026, ")).click()
    row(page, "Reply by").get_by_label("Calculate with Message › Date").click()
    page.get_by_label("Amount").fill("3")
    page.get_by_label("Unit").click()
    page.get_by_role("option", name="weeks").click()
    expect(row(page, "Reply by").get_by_role("button", name=re.compile("3 weeks"))).to_be_visible()
    page.get_by_role("button", name="Edit as formula").click()
    expect(page.locator(".cm-content")).to_have_text('Date + duration("P21D")')


def test_an_error_in_a_formula_is_said_with_the_nearest_name_and_nothing_typed_is_lost(built):
    page, orla, _, workflow = built
    page.get_by_label("Time is filled with").focus()
    page.keyboard.type("=")
    write(page, "upper case(Subjct)")
    expect(page.get_by_role("status")).to_contain_text("did you mean “Subject”")
    until(lambda: any(p["formula"] for f in lines(orla, workflow)[-1]["fillings"] for p in f["filling"]))
    page.reload()
    page.get_by_role("button", name=re.compile("Formula upper case.Subjct")).click()
    page.get_by_role("button", name="use Subject").click()
    expect(page.get_by_role("status")).to_contain_text("QUOTE FOR REEDS")
    expect(page.get_by_role("cell", name="QUOTE FOR REEDS", exact=True)).to_be_visible()


def test_a_name_and_an_address_the_wrong_way_round_are_noticed_and_put_right(built):
    page, orla, database, workflow = built
    ids = {f["name"]: f["id"] for f in database["fields"]}
    detail = orla.api("GET", f"/workflows/{workflow}")
    filled = {f["field"]: f for f in detail["document"]["lines"][-1]["fillings"]}
    name, mail = ids["From"], ids["Address"]
    filled[name]["filling"], filled[mail]["filling"] = filled[mail]["filling"], filled[name]["filling"]
    orla.api("PUT", f"/workflows/{workflow}", json={"name": "x", "document": detail["document"]},
             headers={"if-match": str(detail["draft_version"])})  # fmt: skip
    page.reload()
    expect(page.get_by_text("is not an email address", exact=False).first).to_be_visible()
    page.get_by_role("button", name=re.compile("^Swap ")).first.click()
    expect(page.get_by_text("5 fields fit")).to_have_count(2)
    until(
        lambda: (
            {f["field"]: f["filling"][0]["ref"]["value"] for f in lines(orla, workflow)[-1]["fillings"]}[mail]
            == "sender.address"
        )
    )


def test_a_date_and_a_time_made_of_one_timestamp(built):
    page, orla, database, workflow = built
    page.get_by_role("gridcell", name="continues").first.click()
    page.get_by_role("button", name="+ Add line").click()
    page.get_by_role("menuitem", name=re.compile("^Shape")).click()
    page.get_by_role("button", name="split Date into date and time").click()
    expect(page.get_by_role("gridcell", name=re.compile("2 values"))).to_have_count(3)
    pattern = page.get_by_label("Pattern").nth(1)
    pattern.fill("HH:MM a")
    expect(page.get_by_text("AM and PM", exact=False)).to_be_visible()
    page.get_by_role("button", name=re.compile("^hh:mm a, which gives")).click()
    expect(pattern).to_have_value("hh:mm a")
    pattern.fill("HH:mm")
    page.get_by_role("gridcell", name=re.compile("5 fields fit")).first.click()
    for field, value in (("Reply by", "day"), ("Time", "time")):
        box = page.get_by_label(f"{field} is filled with")
        box.focus()
        box.press_sequentially(value, delay=20)
        page.get_by_role("option", name=re.compile(f"^{value}", re.I)).first.click()
    expect(page.get_by_text("7 fields fit")).to_have_count(2)
    until(
        lambda: (
            (filled := lines(orla, workflow)[-1]["fillings"])
            and len(filled) == 7
            and not any(part.get("text") for one in filled for part in one["filling"])
        )
    )  # saved with what was chosen, not as typed
    sample = orla.api("GET", f"/workflows/{workflow}/samples")[0]
    orla.api("POST", f"/workflows/{workflow}/try", json={"sample": sample["id"]})
    (record,) = until(lambda: orla.records(database["id"]))
    ids = {f["name"]: str(f["id"]) for f in database["fields"]}
    assert re.fullmatch(r"\d{4}-\d\d-\d\d", record["values"][ids["Reply by"]])
    assert re.fullmatch(r"\d\d:\d\d", record["values"][ids["Time"]])


def test_a_condition_is_picked_read_as_a_formula_changed_there_and_read_back_as_rows(built):
    page, orla, _, workflow = built
    page.get_by_role("gridcell", name="continues").first.click()
    page.get_by_role("button", name="+ Add condition").click()
    page.get_by_label("Compared with").last.fill("reeds")
    expect(page.get_by_label("1 of 2 samples continue")).to_be_visible()
    page.get_by_role("button", name="Edit as formula").click()
    expect(page.locator(".cm-content")).to_have_text('mentions(Subject, "quote") or mentions(Subject, "reeds")')
    write(page, 'mentions(Subject, "quote") and (mentions(Text, "sulk") or string length(Subject) > 100)')
    page.get_by_role("button", name="as rows").click()  # at once: what was typed last is read all the same
    expect(page.get_by_label("All or any in this group")).to_have_text("any is true")
    expect(page.get_by_label("Compared with").nth(1)).to_have_value("sulk")
    expect(page.get_by_role("button", name=re.compile("string length.Subject. > 100"))).to_be_visible()
    expect(page.get_by_role("gridcell", name="skipped")).to_have_count(1)
    group = until(lambda: [c for c in lines(orla, workflow)[1]["conditions"] if c["kind"] == "group"])[0]
    assert [c["kind"] for c in group["conditions"]] == ["condition", "formula"]


def test_text_of_many_lines_with_quotation_marks_arrives_unharmed(built):
    page, orla, database, workflow = built
    page.get_by_label("Text is filled with, text").last.click()
    page.keyboard.type(' "quoted"')
    sample = next(s for s in orla.api("GET", f"/workflows/{workflow}/samples") if "tremulant" in s["title"])
    until(lambda: any(p.get("text") == ' "quoted"' for f in lines(orla, workflow)[-1]["fillings"] for p in f["filling"]))
    orla.api("POST", f"/workflows/{workflow}/try", json={"sample": sample["id"]})
    (record,) = until(lambda: orla.records(database["id"]))
    assert record["values"]["0"] == 'He said "no",\nthen \'yes\' \\ and left.\n{"a": 1} "quoted"'


def test_a_renamed_and_a_deleted_field(built):
    page, orla, database, workflow = built
    ids = {f["name"]: f["id"] for f in database["fields"]}
    page.get_by_label("Time is filled with", exact=True).click()
    page.keyboard.type("noon")
    until(lambda: any(f["named"] == "Time" for f in lines(orla, workflow)[-1]["fillings"]))
    orla.api("PATCH", f"/databases/{database['id']}/fields/{ids['From']}", json={"name": "Correspondent"})
    page.reload()
    expect(page.get_by_text("renamed, was “From”")).to_be_visible()
    expect(page.get_by_text("6 fields fit")).to_have_count(2)  # a rename alone breaks nothing
    orla.api("DELETE", f"/databases/{database['id']}/fields/{ids['Time']}")
    page.reload()
    expect(page.get_by_text("no longer has the field “Time”").first).to_be_visible()
    expect(page.get_by_title("1 problem to fix first")).to_be_visible()
    orla.api("POST", f"/databases/{database['id']}/fields", json={"name": "Time of day", "type": "text"})
    page.get_by_role("button", name="fill Time of day with it").first.click()
    expect(page.get_by_text("6 fields fit")).to_have_count(2)


def test_proposals_are_taken_one_by_one_or_all(built):
    page, orla, _, workflow = built
    detail = orla.api("GET", f"/workflows/{workflow}")
    detail["document"]["lines"][-1]["fillings"] = []
    orla.api("PUT", f"/workflows/{workflow}", json={"name": "x", "document": detail["document"]},
             headers={"if-match": str(detail["draft_version"])})  # fmt: skip
    page.reload()
    expect(page.get_by_text("fields have suggestions")).to_be_visible()
    page.get_by_role("button", name="use Message › Sender › Address").click()
    expect(row(page, "Address").get_by_role("button", name=re.compile("Sender › Address"))).to_be_visible()
    page.get_by_role("button", name="Accept all").click()
    expect(page.get_by_text("5 fields fit")).to_have_count(2)


def test_samples_are_filtered_and_compared(built):
    page, *_ = built
    page.get_by_role("gridcell", name="continues").first.click()
    page.get_by_label("Compared with").fill("tremulant")
    expect(page.get_by_role("gridcell", name="skipped")).to_have_count(1)
    page.get_by_label("Samples to show").click()
    page.get_by_role("option", name="only skipped or stopped").click()
    expect(page.get_by_text("1 of 2 samples")).to_be_visible()
    page.get_by_label("Samples to show").click()
    page.get_by_role("option", name="all", exact=True).click()
    page.get_by_role("button", name="compare").click()
    table = page.get_by_role("table", name="Compare samples")
    expect(table.get_by_role("row").filter(has_text="Only if")).to_contain_text("skipped")
    expect(table.get_by_title("differs").first).to_be_visible()


def test_a_backcast_is_read_and_one_of_its_events_made_a_sample(built):
    page, orla, _, _ = built
    orla.deliver("A newsletter")
    page.get_by_role("link", name="Backcast").click()
    page.get_by_role("button", name="Run backcast").click()
    outcomes = page.get_by_role("table", name="Outcomes")
    expect(outcomes.get_by_role("row").filter(has_text="skipped")).to_contain_text("1")
    expect(page.get_by_role("status")).to_contain_text("3 events")
    expect(page.get_by_text("but not messages deleted or moved since then", exact=False)).to_be_visible()
    outcomes.get_by_role("button", name="A newsletter").click()
    expect(page.get_by_role("columnheader", name=re.compile("A newsletter"))).to_have_attribute("aria-current", "true")
