"""The whole job by hand, in the real interface: from nothing to a record that appears by itself."""

from __future__ import annotations

import re
import smtplib
from email.message import EmailMessage

from playwright.sync_api import Page, expect

from support import Person


def connect_mail(page: Page, orla: Person) -> None:
    page.get_by_role("link", name="Connections").click()
    page.get_by_role("button", name="Connect Mail").click()
    page.get_by_role("button", name=re.compile(re.escape(orla.owner.name) + r".*-" + str(orla.owner.id) + "-")).click()
    expect(page.get_by_role("heading", name="Kelvix asks for access to your Mail")).to_be_visible()
    page.get_by_label(re.compile("Enquiries")).check()
    page.get_by_role("button", name="Allow").click()
    expect(page.get_by_text("What it can see")).to_be_visible()
    expect(page.get_by_role("row", name=re.compile("Enquiries 3"))).to_be_visible()
    expect(page.get_by_text("Suppliers, Empty.")).to_be_visible()


def test_from_nothing_to_a_record_that_appears_by_itself(page: Page, orla: Person):
    orla.deliver("Quote for a tremulant", text="It has grown restless.", sender="Revd Ada Pell <ada.pell@stbride.example>")
    orla.deliver("Newsletter", text="Six recitals.")
    orla.deliver("Estimate, please", text="For both bellows.", sender="Tobias Wren <t.wren@sthewen.example>")
    expect(page.get_by_text("No activity yet")).to_be_visible()
    page.get_by_role("link", name="Workflows").click()
    expect(page.get_by_text("No workflows yet")).to_be_visible()

    connect_mail(page, orla)

    # Name it, and get it half built.
    page.get_by_role("link", name="Workflows").click()
    page.get_by_role("button", name="New workflow").click()
    page.get_by_label("Name", exact=True).fill("Enquiries from the post")
    expect(page.get_by_label("Connection")).to_have_text(re.compile("^Mail of orla"))  # the only one
    page.get_by_role("button", name="Create").click()
    grid = page.get_by_role("grid", name="Rehearsal: lines down, samples across")
    expect(grid.get_by_text("a message arrives")).to_be_visible()

    # The folder, by pasting its link.
    grid.get_by_text("a message arrives").click()
    folder = page.get_by_placeholder("Choose a folder, or paste its link")
    folder.fill(f"{orla.kelvix.settings.practice_address}/mail/folders/{orla.folders['Enquiries']}")
    folder.press("Enter")
    expect(grid.get_by_text("Mail › Enquiries")).to_be_visible()

    # Real samples.
    expect(grid.get_by_role("columnheader", name=re.compile("Estimate, please"))).to_be_visible()
    expect(grid.get_by_role("gridcell", name="● in")).to_have_count(3)

    # The database, made from the sample.
    grid.get_by_text("a record to …").click()
    page.get_by_role("button", name="Create database from the sample").click()
    page.get_by_label("Database name").fill("Enquiries")
    page.get_by_role("button", name="Create").click()
    expect(grid.get_by_text("a record to Enquiries")).to_be_visible()
    expect(grid.get_by_text("6 fields fit")).to_have_count(3)

    # A line in between, whose condition is pointed at.
    grid.get_by_text("a message arrives").click()
    page.get_by_role("button", name="+ Add line").click()
    page.get_by_role("menuitem", name=re.compile("^Only if")).click()
    page.get_by_label("The message As it looks").get_by_role("button", name="Estimate, please").click()
    page.get_by_label("Compared with").fill("quote, estimate")
    expect(grid.get_by_text("continues")).to_have_count(2)
    expect(grid.get_by_text("skipped")).to_have_count(1)

    # A field filled the wrong way round: it is said, and put right by one click.
    grid.get_by_text("a record to Enquiries").click()
    address = page.get_by_label("Address is filled with", exact=True)
    page.get_by_label("Address is filled with, text").focus()
    page.keyboard.press("Backspace")
    address.focus()
    page.get_by_label("The message As it looks").get_by_role("button", name="Tobias Wren").click()
    expect(page.get_by_text("“Tobias Wren” is not an email address")).to_be_visible()
    expect(grid.get_by_text("1 problem")).to_have_count(2)
    page.get_by_role("button", name="use Message › Sender › Address").click()
    expect(grid.get_by_text("6 fields fit")).to_have_count(2)

    # Typed text and a value, mixed; the value found by what it contains.
    page.get_by_label("Name is filled with, text").press("Home")
    name = page.get_by_label("Name is filled with", exact=True)
    name.press_sequentially("By post: ")
    expect(page.get_by_role("cell", name="By post: Estimate, please")).to_be_visible()
    page.get_by_role("button", name="As a list").click()
    page.get_by_label("Search carried values").fill("sthewen")
    expect(page.get_by_role("button", name="Sender › Address", exact=True)).to_be_visible()
    expect(page.get_by_role("button", name="Sender › Name", exact=True)).to_have_count(0)

    # A real try, and its undoing.
    page.get_by_role("button", name=re.compile("^Try ")).click()
    page.get_by_role("button", name="Run try").click()
    expect(page.get_by_role("link", name="Open in Enquiries")).to_be_visible()
    page.get_by_role("button", name="Undo this try").click()
    expect(page.get_by_text("1 record moved to the trash.")).to_be_visible()
    page.get_by_role("button", name="Close").click()
    expect(page.get_by_text("Off, tried")).to_be_visible()

    # On; and with the table open in another window, a message comes and becomes a record, without reloading.
    page.get_by_role("button", name="Turn on", exact=True).click()
    expect(page.get_by_text("On, version 1")).to_be_visible()
    table = page.context.new_page()
    table.goto("/databases")
    table.get_by_role("link", name="Enquiries").click()
    expect(table.get_by_text("No records yet")).to_be_visible()
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = (
        "Edda Holm <edda@holyrood.example>",
        orla.addresses["Enquiries"],
        "A quote for the case",
    )
    message.set_content("Water came through.")
    with smtplib.SMTP("127.0.0.1", orla.kelvix.settings.smtp_port) as smtp:
        smtp.send_message(message)
    row = table.get_by_role("gridcell", name="By post: A quote for the case")
    expect(row).to_be_visible()

    # The record at the side says where each value came from; the run and the item are found again.
    row.click()
    side = table.get_by_label("Record", exact=True)
    expect(side.get_by_text("Water came through.")).to_be_visible()
    side.get_by_role("button", name="Show sources").click()
    expect(side.get_by_text("Message › Sender › Address")).to_be_visible()
    expect(side.get_by_role("link", name="Mail › Enquiries")).to_be_visible()
    page.get_by_role("link", name="Runs").last.click()
    expect(page.get_by_role("grid", name=re.compile("^Runs")).get_by_text("By post: A quote")).to_be_visible()
    page.get_by_role("button", name="Where is my item?").click()
    page.get_by_role("button", name="Newsletter").click()
    expect(page.get_by_role("status")).to_contain_text("before the workflow was turned on")
    page.get_by_role("button", name="A quote for the case").click()
    expect(page.get_by_role("status")).to_contain_text("became “By post: A quote for the case” in Enquiries")
