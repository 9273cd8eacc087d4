"""Types of fields in the real interface: one that a package of its own brings, references that both sides show, and values of
several parts."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from browser.conftest import add_field
from support import Person, until


def write(page: Page, name: str, text: str) -> None:
    """Type into a field at the side."""
    page.get_by_label(f"Edit {name}").click()
    page.get_by_label(name, exact=True).fill(text)
    page.get_by_label(name, exact=True).press("Enter")


def test_a_type_from_a_package_references_and_values_of_several_parts(packaged_page):
    page, orla = packaged_page
    organs, visits = (
        orla.database("Organs", {"name": "Name", "type": "text"}),
        orla.database("Visits", {"name": "Name", "type": "text"}),
    )
    title = {d["id"]: str(d["fields"][0]["id"]) for d in (organs, visits)}
    for database, name in ((organs, "Oxbow"), (organs, "Nether Wend"), (visits, "Spring tuning")):
        orla.api("POST", f"/databases/{database['id']}/records", json={"values": {title[database["id"]]: name}})

    page.goto(f"/databases/{visits['id']}")
    page.get_by_role("button", name="Fields").click()
    add_field(page, "Tuned to", "pitch")
    add_field(page, "Organ", "reference to records", database="Organs", back="Visited")
    add_field(page, "Fee", "amount with currency")
    add_field(page, "Stay", "span of time")
    page.get_by_role("button", name="Close").first.click()

    page.get_by_role("gridcell", name="Spring tuning").click()
    write(page, "Tuned to", "600")
    expect(page.get_by_text("organs are tuned to 380 to 490 Hz", exact=False).first).to_be_visible()
    page.keyboard.press("Escape")
    write(page, "Tuned to", "440 Hz")
    expect(page.get_by_role("gridcell", name="440")).to_be_visible()
    write(page, "Fee", "€1850.5")
    expect(page.get_by_role("gridcell", name="1,850.50 EUR")).to_be_visible()
    write(page, "Stay", "2026-11-23T10:00/PT90M")
    expect(page.get_by_role("gridcell", name="23 Nov 2026, 10:00 – 11:30")).to_be_visible()

    page.get_by_label("Edit Organ").click()
    page.get_by_label("Organ", exact=True).fill("oxb")
    page.get_by_role("option", name="Oxbow").click()
    page.get_by_label("Organ", exact=True).press("Enter")
    expect(page.get_by_role("gridcell", name="Oxbow")).to_be_visible()
    page.get_by_role("complementary").get_by_role("link", name="Oxbow").click()
    expect(page.get_by_role("link", name="Spring tuning")).to_be_visible()
    page.get_by_label("Edit Visited").click()
    page.get_by_label("Remove Spring tuning").click()
    page.get_by_label("Visited", exact=True).press("Enter")
    until(lambda: orla.records(visits["id"])[0]["values"][organ_of(orla, visits)] is None)


def organ_of(orla: Person, visits) -> str:
    return next(str(f["id"]) for f in orla.api("GET", f"/databases/{visits['id']}")["fields"] if f["name"] == "Organ")


def test_a_workflow_refers_to_the_record_that_it_found(packaged):
    orla = packaged.person("Orla")
    organs = orla.database("Organs", {"name": "Name", "type": "text"})
    visits = orla.database(
        "Visits", {"name": "Name", "type": "text"}, {"name": "Organ", "type": "reference", "refers_to": organs["id"]}
    )
    name, organ = (f["id"] for f in visits["fields"][:2])
    for title in ("Oxbow", "Wend"):
        orla.api("POST", f"/databases/{organs['id']}/records", json={"values": {str(organs["fields"][0]["id"]): title}})
    when = {"verb": "when", "id": "w", "connection": orla.connect("Enquiries"), "container": str(orla.folders["Enquiries"])}
    subject = [{"ref": {"line": "w", "value": "subject"}}]
    find = {
        "verb": "find",
        "id": "f",
        "database": organs["id"],
        "sought": [{"field": organs["fields"][0]["id"], "filling": subject}],
    }
    add = {"verb": "add", "id": "a", "database": visits["id"], "fillings": [
        {"field": name, "filling": subject}, {"field": organ, "filling": [{"ref": {"line": "f", "value": "link"}}]}]}  # fmt: skip
    workflow = orla.workflow("Visits", {"lines": [when, find, add]})
    orla.api("POST", f"/workflows/{workflow}/on")
    orla.deliver("Wend")
    [record] = until(lambda: orla.records(visits["id"]))
    assert [r[1] for r in record["values"][str(organ)]] == ["Wend"]
    back = orla.api("GET", f"/databases/{organs['id']}")["fields"][1]
    assert back["name"] == "Visits" and back["refers_to"] == visits["id"]
    changed = next(r for r in orla.records(organs["id"]) if r["values"][str(back["id"])])
    assert changed["values"][str(back["id"])] == [[str(record["id"]), "Wend", str(visits["id"])]]
    run = orla.runs(workflow)[0]["id"]
    orla.api("POST", f"/runs/{run}/undo")
    until(lambda: orla.records(visits["id"]) == [])
    assert all(r["values"][str(back["id"])] is None for r in orla.records(organs["id"]))
