"""From nothing: a task becomes an issue with its project's own fields, by picking alone; and what is wrong with a key is put right."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from browser.conftest import continue_as
from kelvix.core.query import Query
from support import Person, until


def put_task(orla: Person, title: str, notes: str) -> None:
    """Add a task on the page of practice Tasks, as its user would."""
    round = orla.container("tasks", "Round")
    with orla.practice_page() as practice:
        practice.post(f"/tasks/lists/{round}", data={"title": title})
        id = orla.kelvix.practice.items(round, 1)[0]["id"]
        practice.post(f"/tasks/tasks/{id}", data={"title": title, "notes": notes, "labels": "reeds"})


def row(page: Page, field: str):
    return page.get_by_role("row").filter(has=page.get_by_label(f"{field} is filled with", exact=True))


def test_a_task_becomes_an_issue_with_its_projects_own_fields(page: Page, orla: Person):
    project = orla.container("issues", "Oxbow")
    with orla.practice_page() as practice:
        for name, type, options in (("Parish", "text", ""), ("Urgency", "option", "Some day, Before Sunday")):
            practice.post(f"/issues/projects/{project}/fields", data={"name": name, "type": type, "options": options})
    put_task(orla, "Cipher on the Great", "Sounds after rain.")

    # Both apps are connected: one by its consent window, one by a key, of which the first reaches nothing.
    page.goto("/connections")
    page.get_by_role("button", name="Connect Tasks").click()
    continue_as(page, orla)
    page.get_by_label("Round").check()
    page.get_by_label("It can also").check()
    page.get_by_role("button", name="Allow").click()
    expect(page.get_by_text("Tasks is connected.")).to_be_visible()
    page.goto("/connections")
    page.get_by_role("button", name="Connect Issues").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("textbox", name="Key").fill("issues-nonsense")
    dialog.get_by_role("button", name="Connect Issues").click()
    expect(dialog.get_by_role("alert")).to_contain_text("doesn’t know this key")
    dialog.get_by_role("textbox", name="Key").fill(orla.key(app="issues"))
    dialog.get_by_role("button", name="Connect Issues").click()
    expect(page.get_by_role("status").filter(has_text="reaches no projects")).to_be_visible()
    page.get_by_role("button", name="Replace key").first.click()
    dialog.get_by_role("textbox", name="Key").fill(orla.key("Oxbow", app="issues"))
    dialog.get_by_role("button", name="Replace key").click()
    expect(page.get_by_role("cell", name="Oxbow", exact=True)).to_be_visible()

    # The workflow: it starts in one app, and its line adds to the other.
    page.goto("/workflows")
    page.get_by_role("button", name="New workflow").first.click()
    page.get_by_label("Name", exact=True).fill("Faults of the round")
    page.get_by_label("Starts when").click()
    page.get_by_role("option", name="Tasks: a task is added", exact=True).click()
    page.get_by_role("button", name="Create", exact=True).click()
    page.get_by_placeholder("Choose a list").fill("Round")
    page.get_by_role("option", name="Round").click()
    expect(page.get_by_role("columnheader").filter(has_text="Cipher on the Great")).to_be_visible()
    page.get_by_role("grid").get_by_text("a record to").click()
    page.get_by_label("Database to add to").click()
    page.get_by_role("option", name="Choose a place in an app").click()
    page.get_by_label("Connection", exact=True).click()
    page.get_by_role("option", name=re.compile("^Issues of")).click()
    page.get_by_placeholder("Choose a project").fill(f"{orla.kelvix.settings.practice_address}/issues/projects/{project}")
    page.get_by_placeholder("Choose a project").press("Enter")
    page.get_by_role("button", name="Choose", exact=True).click()
    expect(page.get_by_role("grid").get_by_text("an issue to Issues › Oxbow")).to_be_visible()
    page.get_by_label("Title is filled with", exact=True).press_sequentially("tit")
    page.get_by_role("option", name=re.compile("Title")).first.click()
    page.get_by_label("Parish is filled with", exact=True).fill("St Hewen")
    page.get_by_label("Kind is filled with", exact=True).press_sequentially("Fau")
    page.get_by_role("option", name=re.compile("^Fault")).click()
    expect(row(page, "Kind")).to_contain_text("Fault")
    page.get_by_label("Urgency is filled with", exact=True).fill("Tonight")  # an option that the project lacks is made here
    expect(row(page, "Urgency")).to_contain_text("is not one of the choices (Some day, Before Sunday)")
    row(page, "Urgency").get_by_role("button", name="add “Tonight” to Urgency").click()
    expect(page.get_by_text("Urgency now has the choice Tonight.")).to_be_visible()
    expect(row(page, "Urgency")).not_to_contain_text("is not one of the choices")
    assert not page.get_by_label("Comments is filled with", exact=True).count()  # that is for Issues to fill

    # Tried: it is there, with a link that opens it in its app; undone, it is gone.
    issues = orla.source(orla.api("GET", "/connections")[0]["id"], str(project))

    def there():
        return [i.title for i in issues.query(Query(limit=10)).items]

    page.get_by_role("button", name=re.compile("^Try ")).click()
    expect(page.get_by_role("dialog")).to_contain_text("undo deletes the issue in Issues")
    page.get_by_role("button", name="Run try").click()
    expect(page.get_by_role("link", name="Open in Oxbow")).to_have_attribute("href", re.compile(r"/issues/issues/\d+$"))
    assert there() == ["Cipher on the Great"]
    page.get_by_role("button", name="Undo this try").click()
    expect(page.get_by_text("1 change undone")).to_be_visible()
    assert there() == []
    page.get_by_role("button", name="Close").click()

    # On: the next task crosses, with all that was filled.
    page.get_by_role("button", name="Turn on").click()
    expect(page.get_by_text("On, version 1")).to_be_visible()
    put_task(orla, "Blower too loud", "")
    until(lambda: there() == ["Blower too loud"])
    [item] = issues.query(Query(limit=10)).items
    named = {f.name: f.named(item.values.get(f.id)) for f in issues.schema().fields}
    assert (named["Parish"], named["Kind"], named["Urgency"]) == ("St Hewen", "Fault", "Tonight")


def test_a_task_that_is_done_becomes_a_record_that_says_what_it_was(page: Page, orla: Person):
    """From nothing: the workflow waits until a field of a task reaches a value, and carries what was before."""
    put_task(orla, "Cipher on the Great", "Sounds after rain.")
    orla.connect("Round", app="tasks")
    round = orla.container("tasks", "Round")
    notes = orla.database("Done", {"name": "Name", "type": "text"}, {"name": "Was for", "type": "text"})
    page.goto("/workflows")
    page.get_by_role("button", name="New workflow").first.click()
    page.get_by_label("Name", exact=True).fill("What was done")
    page.get_by_label("Starts when").click()
    page.get_by_role("option", name="Tasks: a field of a task reaches a value", exact=True).click()
    page.get_by_label("Add a record to").click()
    page.get_by_role("option", name="Done", exact=True).click()
    page.get_by_role("button", name="Create", exact=True).click()
    page.get_by_placeholder("Choose a list").fill("Round")
    page.get_by_role("option", name="Round").click()
    expect(page.get_by_role("columnheader").filter(has_text="Cipher on the Great")).to_be_visible()
    page.get_by_role("row", name=re.compile("^1 When")).click()
    expect(page.get_by_text("Choose a field to watch")).to_be_visible()
    page.get_by_label("Field to watch").click()
    page.get_by_role("option", name="Done", exact=True).click()
    page.get_by_label("New value").click()
    page.get_by_role("option", name="yes", exact=True).click()
    expect(page.get_by_role("grid").get_by_text("Done becomes yes")).to_be_visible()
    page.get_by_role("grid").get_by_text("a record to Done").click()
    page.get_by_label("Name is filled with", exact=True).press_sequentially("tit")
    page.get_by_role("option", name=re.compile("Title")).first.click()
    page.get_by_label("Was for is filled with", exact=True).press_sequentially("before")
    page.get_by_role("option", name=re.compile("Labels")).first.click()
    page.get_by_role("button", name="Turn on").click()
    expect(page.get_by_text("On, version 1")).to_be_visible()
    id = orla.kelvix.practice.items(round, 1)[0]["id"]
    with orla.practice_page() as practice:
        told = {"title": "Cipher on the Great", "notes": "Sounds after rain.", "labels": "pipes"}
        practice.post(f"/tasks/tasks/{id}", data=told)  # another change, which starts nothing
        practice.post(f"/tasks/tasks/{id}", data={**told, "labels": "", "done": "on"})
    [record] = until(lambda: orla.records(notes["id"]))
    first, was = (f["id"] for f in notes["fields"][:2])
    assert record["values"][first] == "Cipher on the Great" and record["values"][was] in ("pipes", "reeds"), record
