"""Files in the real interface: from the practice app to a record, and an attachment into a folder that is made on the way."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from kelvix.demo.papers import Mark, paper
from support import Person, until

SURVEY = paper("Condition survey, Holm", "Ada Pell", ["The bellows leak."], (Mark(0, "price it"),))


def test_a_file_becomes_a_record_that_opens_it_and_keeps_a_copy_at_hand(page: Page, orla: Person):
    orla.container("files", "Surveys")
    page.get_by_role("link", name="Connections").click()
    page.get_by_role("button", name="Connect Files").click()
    page.get_by_role("button", name=re.compile(re.escape(orla.owner.name) + r".*-" + str(orla.owner.id) + "-")).click()
    expect(page.get_by_role("heading", name="Kelvix asks for access to your Files")).to_be_visible()
    page.get_by_label(re.compile("Surveys")).check()
    page.get_by_role("button", name="Allow").click()
    expect(page.get_by_text("What it can see")).to_be_visible()
    orla.put_files("Surveys", {"Holm.pdf": SURVEY})

    page.get_by_role("link", name="Workflows").click()
    page.get_by_role("button", name="New workflow").click()
    page.get_by_label("Name", exact=True).fill("Surveys on the shelf")
    page.get_by_role("button", name="Create").click()
    grid = page.get_by_role("grid", name="Rehearsal: lines down, samples across")
    grid.get_by_text("a file is added").click()
    page.get_by_label("Trigger").click()
    page.get_by_role("option", name="Files: a file is added or changed").click()
    folder = page.get_by_placeholder("Choose a folder, or paste its link")
    folder.fill("Surveys")
    folder.press("Enter")
    expect(grid.get_by_text("Files › Surveys")).to_be_visible()
    itself = page.get_by_label("The file As it looks")
    expect(itself.get_by_role("button", name="“The bellows leak.” (price it)")).to_be_visible()
    expect(itself.get_by_role("button", name="Condition survey, Holm", exact=True)).to_be_visible()

    grid.get_by_text("a record to …").click()
    page.get_by_role("button", name="Create database from the sample").click()
    page.get_by_label("Database name").fill("Papers")
    page.get_by_role("button", name="Create").click()
    expect(grid.get_by_text(re.compile(r"\d fields fit"))).to_be_visible()
    page.get_by_role("button", name="Turn on").click()
    expect(page.get_by_text("On, version 1")).to_be_visible()
    orla.put_files("Surveys", {"Marl.pdf": SURVEY})
    [papers] = orla.api("GET", "/databases")
    until(lambda: len(orla.records(papers["id"])) == 1)
    page.goto(f"/databases/{papers['id']}/{orla.records(papers['id'])[0]['id']}")
    side = page.get_by_label("Record")
    expect(side.get_by_role("heading", name="Marl.pdf")).to_be_visible()
    expect(side.get_by_role("link", name=re.compile("files.files.[0-9]+$"))).to_be_visible()


def test_an_attachment_is_saved_into_a_folder_that_is_made_at_set_up(page: Page, orla: Person):
    mail = orla.connect("Enquiries")
    files = orla.connect("Drawings", app="files", send=True)
    when = {
        "verb": "when",
        "id": "w",
        "connection": mail,
        "container": str(orla.folders["Enquiries"]),
        "container_name": "Enquiries",
    }
    repeat = {"verb": "repeat", "id": "r", "of": {"line": "w", "value": "attachments"}}
    save = {"verb": "save_file", "id": "s", "within": "r", "connection": files}
    flow = orla.workflow("Papers of the post", {"lines": [when, repeat, save]})
    orla.deliver("Organ", attachments={"case.pdf": SURVEY})
    document = orla.api("GET", f"/workflows/{flow}")["document"]
    orla.api("POST", f"/workflows/{flow}/samples/fetch", json={"document": document, "count": 3})
    page.goto(f"/workflows/{flow}")
    grid = page.get_by_role("grid", name="Rehearsal: lines down, samples across")
    grid.get_by_text("a file", exact=True).click()
    box = page.get_by_label("File to save", exact=True)
    box.fill("Content")
    page.get_by_role("option", name=re.compile("Attachment › Content")).click()
    folder = page.get_by_placeholder("Choose a folder, or paste its link")
    folder.fill("Holm")
    folder.press("Enter")
    expect(page.get_by_text("No folder “Holm” is shared with this connection.")).to_be_visible()
    page.get_by_role("button", name="Create “Holm”").click()
    expect(grid.get_by_text("into Holm")).to_be_visible()
    expect(grid.get_by_text("case.pdf → Holm")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Try")).click()
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("saved files stay")).to_be_visible()
    dialog.get_by_role("button", name="Run try").click()
    expect(dialog.get_by_role("link", name="case.pdf")).to_be_visible()
    [row] = orla.kelvix.practice.items(orla.container("files", "Holm"), 10)
    with orla.practice_page() as there:
        assert there.get(f"/files/files/{row['id']}/copy").content == SURVEY


def test_a_connection_that_may_not_add_files_is_said_before_anything_runs(page: Page, orla: Person):
    mail, files = orla.connect("Enquiries"), orla.connect("Drawings", app="files")
    when = {"verb": "when", "id": "w", "connection": mail, "container": str(orla.folders["Enquiries"])}
    repeat = {"verb": "repeat", "id": "r", "of": {"line": "w", "value": "attachments"}}
    drawings = {"container": str(orla.container("files", "Drawings")), "container_name": "Drawings"}
    file = [{"ref": {"line": "r", "value": "each.file"}}]
    save = {"verb": "save_file", "id": "s", "within": "r", "connection": files, "file": file} | drawings
    flow = orla.workflow("Papers of the post", {"lines": [when, repeat, save]})
    page.goto(f"/workflows/{flow}")
    page.get_by_role("button", name="Turn on", exact=True).click()
    expect(page.get_by_text("allow it to add files", exact=False).first).to_be_visible()
    expect(page.get_by_text("○ Off")).to_be_visible()
