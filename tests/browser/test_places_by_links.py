"""Places by links of every level; and a workflow that is moved to another account."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from support import Person, document, until


def test_a_place_is_chosen_by_a_link_of_any_level(page: Page, orla: Person):
    practice = orla.kelvix.settings.practice_address
    project, table, sheet = (orla.container(app, "Oxbow") for app in ("issues", "tables", "sheets"))
    with orla.practice_page() as browser:
        browser.post(f"/issues/projects/{project}", data={"title": "Cipher"})
        browser.post(f"/tables/tables/{table}", data={"field-1": "Reed"})
        browser.post(f"/sheets/sheets/{sheet}/rows", data={"rows": "Part;Left\nReed;12"})
        other = orla.container("issues", "Elsewhere")
    for app in ("issues", "tables", "sheets"):
        orla.connect("Oxbow", app=app, send=True)
    issue, row = (orla.kelvix.practice.items(of, 1)[0]["id"] for of in (project, table))
    mail = orla.connect("Enquiries")
    kept = orla.database("Log", {"name": "Name", "type": "text"})
    flow = orla.workflow("By links", document(mail, orla.folders["Enquiries"], kept, {}))
    page.goto(f"/workflows/{flow}")
    page.get_by_role("grid").get_by_text("a record to").click()
    dialog = page.get_by_role("dialog")
    for app, word, links in (
        (
            "Issues",
            "project",
            (f"/issues/projects/{project}", f"/issues/projects/{project}/?view=open", f"/issues/issues/{issue}"),
        ),
        ("Tables", "table", (f"/tables/tables/{table}", f"/tables/rows/{row}")),
        ("Sheets", "sheet", (f"/sheets/sheets/{sheet}", f"/sheets/sheets/{sheet}?row=2")),
    ):
        page.get_by_label("Database to add to").click()
        page.get_by_role("option", name="Choose a place in an app").click()
        page.get_by_label("Connection", exact=True).click()
        page.get_by_role("option", name=re.compile(f"^{app} of")).click()
        box = dialog.get_by_placeholder(f"Choose a {word}")
        for link in links:
            box.fill(practice + link)
            box.press("Enter")
            expect(box).to_have_value("Oxbow")
        if app == "Issues":  # what is not shared is said, and so is what leads elsewhere
            box.fill(f"{practice}/issues/projects/{other}")
            box.press("Enter")
            expect(dialog.locator(".note.bad")).to_contain_text("shared")
            box.fill(f"{practice}/issues/projects/{project}")
            box.press("Enter")
            expect(box).to_have_value("Oxbow")
        chosen = "Oxbow"
        if app == "Sheets":  # what is not there is made here, where the app lets one
            chosen = "Ledger of reeds"
            box.fill(chosen)
            box.press("Enter")
            expect(dialog).to_contain_text("No sheet “Ledger of reeds” is shared with this connection.")
            dialog.get_by_role("button", name="Create “Ledger of reeds”").click()
            expect(dialog.get_by_text("is shared with this connection")).not_to_be_visible()
        page.get_by_role("button", name="Choose", exact=True).click()
        expect(page.get_by_role("grid").get_by_text(f"{app} › {chosen}")).to_be_visible()


def test_a_place_is_chosen_step_by_step_or_by_a_link_to_what_it_stands_within(page: Page, orla: Person):
    practice = orla.kelvix.settings.practice_address
    with orla.practice_page() as browser:
        for name, within in (("Rounds", "Workshop › Autumn"), ("Tuning", "Workshop › Autumn"), ("Leather", "Workshop")):
            browser.post("/tasks/lists", data={"name": name, "within": within})
    there = {c["name"]: c for c in orla.kelvix.practice.containers("tasks", orla.account)}
    workshop, autumn = there["Rounds"]["within"]
    orla.connect("Enquiries")
    consented = orla._consent("tasks", None, {"share": [str(c["id"]) for c in there.values()], "answer": "allow"}, True)
    kept = orla.database("Log", {"name": "Name", "type": "text"})
    flow = orla.workflow("By steps", document(orla.api("GET", "/connections")[0]["id"], 0, kept, {}))
    assert consented
    page.goto(f"/workflows/{flow}")
    page.get_by_role("grid").get_by_text("a record to").click()
    page.get_by_label("Database to add to").click()
    page.get_by_role("option", name="Choose a place in an app").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Connection", exact=True).click()
    page.get_by_role("option", name=re.compile("^Tasks of")).click()
    box = dialog.get_by_placeholder("Choose a list")
    dialog.get_by_role("button", name="Step by step").click()
    dialog.get_by_role("button", name="Workshop › 3 lists").click()
    expect(dialog.get_by_role("button", name="Leather")).to_be_visible()
    dialog.get_by_role("button", name="Autumn › 2 lists").click()
    dialog.get_by_role("button", name="Tuning").click()
    expect(box).to_have_value("Workshop › Autumn › Tuning")
    box.fill(f"{practice}/tasks/areas/{workshop}?view=board")  # several stand within it: which one is asked
    box.press("Enter")
    steps = dialog.get_by_role("group", name="In Workshop")
    steps.get_by_role("button", name="Autumn › 2 lists").click()
    dialog.get_by_role("group", name="In Workshop › Autumn").get_by_role("button", name="Workshop").click()
    steps.get_by_role("button", name="Leather").click()
    expect(box).to_have_value("Workshop › Leather")
    page.get_by_role("button", name="Choose", exact=True).click()
    expect(page.get_by_role("grid").get_by_text("Tasks › Workshop › Leather")).to_be_visible()
    assert autumn


def checked(orla: Person, flow: int) -> bool:
    orla.api("POST", f"/workflows/{flow}/check-now")
    return True


def test_a_workflow_is_moved_to_another_account(page: Page, orla: Person):
    ida = orla.kelvix.person("Ida")
    first, second = orla.container("tables", "Members"), ida.container("tables", "Members of the choir")
    orla.connect("Members", app="tables", send=True)
    kept = orla.database("People", {"name": "Name", "type": "text"})
    [name, *_] = (f["id"] for f in kept["fields"])
    connection = orla.api("GET", "/connections")[0]["id"]
    when = {"app": "tables", "connection": connection, "container": str(first), "container_name": "Members", "event": "arrives"}
    fills = [{"field": name, "filling": [{"ref": {"line": "w", "value": "f1"}}]}]
    add = {"verb": "add", "id": "a", "database": kept["id"], "fillings": fills}
    flow = orla.workflow("Members", {"lines": [{"verb": "when", "id": "w", **when}, add]})
    orla.api("POST", f"/workflows/{flow}/on")
    with orla.practice_page() as browser:
        browser.post(f"/tables/tables/{first}", data={"field-1": "Ada"})
    until(lambda: checked(orla, flow) and orla.records(kept["id"]))

    # A key of another account: the workflow listens there once the connection, its place and the version are changed.
    other = ida.key("Members of the choir", app="tables")
    orla.api("POST", "/connections/key", json={"app": "tables", "key": other, "connection": None})
    page.goto(f"/workflows/{flow}")
    page.get_by_role("grid").get_by_text("a row is added").click()
    page.get_by_label("Connection", exact=True).click()
    page.get_by_role("option", name=re.compile("^Tables of ida")).click()
    page.get_by_placeholder("Choose a table").fill("Members of the choir")
    page.get_by_role("option", name="Members of the choir").click()
    page.get_by_role("button", name="Turn on this draft").click()
    expect(page.get_by_text("On, version 2")).to_be_visible()
    with orla.practice_page() as browser:
        browser.post(f"/tables/tables/{first}", data={"field-1": "Bertil"})
    with ida.practice_page() as browser:
        browser.post(f"/tables/tables/{second}", data={"field-1": "Ciro"})
    until(lambda: checked(orla, flow) and len(orla.records(kept["id"])) == 2)
    assert sorted(r["values"][name] for r in orla.records(kept["id"])) == ["Ada", "Ciro"]
