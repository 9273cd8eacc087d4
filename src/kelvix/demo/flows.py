"""The demo's workflows."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass

from kelvix.core import known
from kelvix.core.context import Context
from kelvix.core.feel import read, tree
from kelvix.core.figures import Figure
from kelvix.core.lines.add import Add
from kelvix.core.lines.add_or_update import AddOrUpdate
from kelvix.core.lines.ask import Ask
from kelvix.core.lines.decide import Decide
from kelvix.core.lines.find import Find
from kelvix.core.lines.only_if import OnlyIf
from kelvix.core.lines.otherwise import Otherwise
from kelvix.core.lines.repeat import Repeat
from kelvix.core.lines.save_file import SaveFile
from kelvix.core.lines.send_mail import SendMail
from kelvix.core.lines.shape import Shape
from kelvix.core.lines.stop import Stop
from kelvix.core.lines.update import Update
from kelvix.core.lines.way import Way
from kelvix.core.lines.web_request import Header, WebRequest
from kelvix.core.schema import Database
from kelvix.core.values import FieldId
from kelvix.core.workflow import (
    Condition,
    Default,
    FieldFilling,
    Filled,
    Filling,
    Formula,
    Given,
    Line,
    LookUp,
    Part,
    Piece,
    RecordEvent,
    Reference,
    Schedule,
    Shaped,
    Sought,
    When,
    Workflow,
)
from kelvix.demo import parishes

WORDS = ("quote", "estimate", "visit", "cost")


@dataclass(frozen=True)
class Writer:
    """Writes workflows that listen to folders of one connection. `context` says what formulas may name."""

    connection: int
    folders: dict[str, int]
    receiver: str  # the address of practice Receiver
    context: Callable[[Workflow], Context]

    def when(self, folder: str) -> When:
        return When("when", connection=self.connection, container=str(self.folders[folder]), container_name=folder)

    def formula(self, text: str, *above: Line) -> Filling:
        """Return a formula as it is typed below these lines."""
        flow = Workflow(above)
        return (Part(formula=Formula(tree.dump(read(text, known.scope_of(flow, self.context(flow)))))),)

    def enquiries(self, to: Database, known: Database) -> Workflow:
        """Each enquiry becomes a record, with its parish looked up, who goes there, and what it is about."""
        field = {f.name: f.id for f in known.fields}
        above = (
            self.when("Enquiries"),
            OnlyIf("only", "any", tuple(Condition(_message(key), "mentions", WORDS) for key in ("subject", "text"))),
            Find("find", known.id, "all", (Sought(field["Address"], "is", _parts("=sender.address"), "Address"),)),
            Shape(
                "shape",
                (
                    Shaped("from", "From where", Default((_found(field["Name"]), _message("sender.name")))),
                    Shaped("who", "Who goes", LookUp(_found(field["Deanery"]), parishes.VISITORS, "Orla")),
                ),
            ),
        )
        fills = {
            "Name": _parts("=subject"),
            "From": _parts("=sender.name"),
            "Address": _parts("=sender.address"),
            "Received": _parts("=date"),
            "Reply by": self.formula('Date + duration("P3D")', *above),
            "Parish": (Part(ref=Reference("shape", "from")),),
            "Who": (Part(ref=Reference("shape", "who")),),
            "About": self.formula(f"{json.dumps(parishes.ABOUT)}[mentions(Message.Text, item)]", *above),
            "Stage": _parts("New"),
            "Message": _parts("=link"),
            "Text": _parts("From ", "=sender.name", ":\n\n", "=text"),
        }
        return Workflow((*above, Add("add", to.id, _fillings(to, fills))))

    def invoices(self, to: Database, swapped: bool) -> Workflow:
        """Build the workflow that keeps invoices; `swapped`: the supplier's name and address are filled the wrong way round."""
        name, address = ("=sender.address", "=sender.name") if swapped else ("=sender.name", "=sender.address")
        fills = {
            "Name": _parts("=subject"),
            "Supplier’s name": _parts(name),
            "Address": _parts(address),
            "Received": _parts("=date"),
            "Message": _parts("=link"),
            "Text": _parts("=text"),
        }
        only = OnlyIf("only", "all", (Condition(_message("subject"), "mentions", ("invoice",)),))
        ledger = WebRequest(
            "ledger",
            "POST",
            (Part(text=f"{self.receiver}/ledger"),),
            (Header("X-Workshop", (Part(text="Brackenfell"),)),),
            (
                Given("invoice.subject", _parts("=subject")),
                Given("invoice.received", _parts("=date")),
                Given("supplier.name", _parts(name)),
                Given("supplier.address", _parts(address)),
            ),
        )
        return Workflow((self.when("Suppliers"), only, Add("add", to.id, _fillings(to, fills)), ledger))

    def ledger(self, sheet: Database) -> Workflow:
        """Each invoice becomes a row of the ledger, its day and its time apart."""
        only = OnlyIf("only", "all", (Condition(_message("subject"), "mentions", ("invoice",)),))
        above = (self.when("Suppliers"), only)
        row = {
            "Day": _parts("=date"),
            "Time": self.formula("time(Date)", *above),
            "Supplier": _parts("=sender.name"),
            "Invoice": _parts("=subject"),
            "Opens": _parts("=link"),
        }
        return Workflow((*above, Add("row", sheet.id, _fillings(sheet, row))))

    def won(self, of: Database) -> Workflow:
        """Build the workflow that thanks whoever wrote once an enquiry is won."""
        field = {f.name: f.id for f in of.fields}
        when = When("when", own=RecordEvent(of.id, "reached", field=field["Stage"], becomes="Won"))
        thanks = "Thank you for placing this work with us. We write again with a day for the visit."
        mail = SendMail(
            "thanks",
            self.connection,
            to=_parts(f"=f_{field['Address']}"),
            subject=_parts("Your organ: ", f"=f_{field['Name']}"),
            paragraphs=(_parts("Good day, ", f"=f_{field['From']}", "."), _parts(thanks)),
        )
        return Workflow((when, mail))

    def surveys_by_name(self, of: Database, connection: int, folder: str, name: str) -> Workflow:
        """Build the workflow that files a copy of each survey under its name and its day."""
        field = {f.name: f.id for f in of.fields}
        when = When("when", own=RecordEvent(of.id, "added"))
        day = self.formula("date(Record.Changed)", when)
        named = (*_parts(f"=f_{field['Name']}", " – "), *day)
        return Workflow((when, SaveFile("save", connection, folder, name, file=_parts(f"=f_{field['Copy']}"), name=named)))

    def visitations(self, entries: Database, benefices: Database, to: Database) -> Workflow:
        """Build the workflow that keeps each entry of a register as a record, with what another of its tables says of the
        benefice, which is reached by another key."""
        entry, benefice = ({f.name: f.id for f in d.fields} for d in (entries, benefices))
        of = entries.outside
        assert of
        by = (Sought(benefice["Name"], "is", _parts(f"={entry['Benefice']}"), "Name"),)
        fills = {
            "Name": _parts(f"={entry['Name']}"),
            "Benefice": _parts(f"={entry['Benefice']}"),
            "Warden": (Part(ref=_found(benefice["Warden"])),),
            "Day": _parts(f"={entry['Day']}"),
            "Entry": _parts("=link"),
            "Text": _parts(f"={entry['Finding']}"),
        }
        name = {f.name: f.id for f in to.fields}["Entry"]
        return Workflow(
            (
                When("when", of.app, "any_change", of.connection, of.place, entries.name, every=60),
                Find("find", benefices.id, "all", by),
                AddOrUpdate("keep", to.id, (name,), _fillings(to, fills)),
            )
        )

    def sort_the_post(self, to: Database) -> Workflow:
        """Quotes are asked about before they become work; papers are noted one by one and thanked for; the rest is left."""
        field = {f.name: f.id for f in to.fields}
        subject, title = _message("subject"), Reference("ask", "task")
        each = Reference("each", "each.name")
        number = _message("attachment_count")
        return Workflow(
            (
                self.when("Enquiries"),
                Decide("decide"),
                Way("quote", "any", (Condition(subject, "mentions", ("quote", "estimate")),), "Wants a quote", "decide"),
                Ask(
                    "ask",
                    (Part(text="Prepare a quote for “"), Part(ref=subject), Part(text="”?")),
                    (
                        Shaped("task", "Task", Filled((Part(text="Quote: "), Part(ref=subject)))),
                        Shaped("hours", "Hours", Filled((Part(text="2"),))),
                    ),
                    within="quote",
                ),
                Add(
                    "work",
                    to.id,
                    (
                        FieldFilling(field["Name"], (Part(ref=title),), "Name"),
                        FieldFilling(field["Hours"], (Part(ref=Reference("ask", "hours")),), "Hours"),
                    ),
                    "quote",
                ),
                Way("papers", "all", (Condition(number, "more", ("0",)),), "Sends papers", "decide"),
                Repeat("each", Reference("when", "attachments"), (Part(ref=each),), "papers"),
                Add(
                    "note",
                    to.id,
                    (FieldFilling(field["Name"], (Part(text="File "), Part(ref=each)), "Name"),),
                    "each",
                ),
                SendMail(
                    "thanks",
                    self.connection,
                    _parts("=sender.address"),
                    _parts("Received: ", "=subject"),
                    (
                        (Part(text="Thank you for sending "), Part(ref=Reference("each", "collected")), Part(text=".")),
                        _parts("We will look at it this week."),
                        _parts("Brackenfell Organ Works"),
                    ),
                    within="papers",
                ),
                Otherwise("rest", "decide"),
                Stop("stop", "passed_by", _parts("neither a quote nor papers"), "rest"),
            )
        )

    def open_work(self, to: Database) -> Workflow:
        """Build the workflow that mails what is open, twice a week."""
        field = {f.name: f.id for f in to.fields}
        hours = Figure("hours", "sum", field["Hours"])
        return Workflow(
            (
                When("when", own=Schedule("FREQ=WEEKLY;BYDAY=MO,TH", start="2026-11-02T08:00")),
                Find(
                    "open",
                    to.id,
                    "all",
                    (Sought(field["Done"], "is", (Part(text="no"),), "Done"),),
                    "all",
                    order=field["Due"],
                    figures=(hours,),
                ),
                SendMail(
                    "mail",
                    self.connection,
                    (Part(text="enquiries@brackenfell.example"),),
                    (Part(text="Open work: "), Part(ref=Reference("open", "hours")), Part(text=" hours")),
                    (
                        (Part(text="Good morning. "), Part(ref=Reference("open", "count")), Part(text=" tasks are open.")),
                        (Part(text="The next ones come first."),),
                    ),
                    Reference("open", "records"),
                    tuple(f"f_{field[name]}" for name in ("Name", "Due", "Who", "Hours")),
                ),
            )
        )

    def papers(self, to: Database, connection: int, folder: int) -> Workflow:
        """Build the workflow that keeps a record for each survey, which follows its file."""
        field = {f.name: f.id for f in to.fields}
        when = When("when", "files", "any_change", connection, str(folder), "Surveys")
        fills = {
            "Name": _parts("=title"),
            "Opens": _parts("=link"),
            "Copy": _parts("=file"),
            "Changed": _parts("=changed"),
            "Bytes": _parts("=size"),
            "Marked": _parts("=highlight_texts"),
            "Identifier": _parts("=identifier"),
            "Text": _parts("=text"),
        }
        return Workflow((when, AddOrUpdate("keep", to.id, (field["Identifier"],), _fillings(to, fills))))

    def notes(self, to: Database, connection: int, shelf: int) -> Workflow:
        """Build the workflow that keeps a note for each saved article, which follows its tags and highlights."""
        field = {f.name: f.id for f in to.fields}
        when = When("when", "reading", "any_change", connection, str(shelf), "Workshop reading")
        fills = {
            "Name": _parts("=title"),
            "Author": _parts("=author"),
            "Site": _parts("=site"),
            "Published": _parts("=published"),
            "Address": _parts("=bare_link"),
            "About": _parts("=tags"),
            "Minutes": _parts("=minutes"),
            "Marked": _parts("=highlight_texts"),
            "Text": _parts("=text"),
        }
        return Workflow((when, AddOrUpdate("keep", to.id, (field["Address"],), _fillings(to, fills))))

    def saves_papers(self, connection: int, folder: str, name: str) -> Workflow:
        """Each paper that comes with an enquiry goes into a folder, named after its sender."""
        each = Reference("each", "each.file")
        named = (*_parts("=sender.name", " – "), Part(ref=Reference("each", "each.name")))
        return Workflow(
            (
                self.when("Enquiries"),
                OnlyIf("only", "all", (Condition(_message("attachment_count"), "more", ("0",)),)),
                Repeat("each", Reference("when", "attachments")),
                SaveFile("save", connection, folder, name, file=(Part(ref=each),), name=named, within="each"),
            )
        )

    def visits(self, tasks: Database, issues: Database) -> Workflow:
        """Each wish for a visit becomes a task in the round and an issue of the project, each with a link to the other."""
        above = (
            self.when("Enquiries"),
            OnlyIf("only", "any", tuple(Condition(_message(key), "mentions", ("visit",)) for key in ("subject", "text"))),
        )
        task = {
            "Title": _parts("=subject"),
            "Notes": _parts("=text"),
            "Person": _parts("=sender.address"),
            "Labels": _parts("enquiry"),
            "Due": self.formula('Date + duration("P7D")', *above),
        }
        issue = {
            "Title": _parts("=subject"),
            "Text": (*_parts("From ", "=sender.name", ". Task: "), Part(ref=Reference("task", "link"))),
            "Kind": _parts("Question"),
            "Parish": _parts("=sender.name"),
        }
        back = {"Notes": (*_parts("=text", "\n\nIssue: "), Part(ref=Reference("issue", "link")))}
        return Workflow(
            (
                *above,
                Add("task", tasks.id, _fillings(tasks, task)),
                Add("issue", issues.id, _fillings(issues, issue)),
                Update("back", "task", _fillings(tasks, back)),
            )
        )

    def pitch_book(self, known: Database) -> Workflow:
        """Build the workflow that keeps what the tuner writes from the road says when a parish's organ was tuned last."""
        field = {f.name: f.id for f in known.fields}
        return Workflow(
            (
                self.when("Tuning"),
                OnlyIf("only", "all", (Condition(_message("subject"), "begins", ("pitch book",)),)),
                Shape("shape", (Shaped("place", "Place", Piece(_message("subject"), ":", 2)),)),
                Find(
                    "find",
                    known.id,
                    "all",
                    (Sought(field["Name"], "begins", (Part(ref=Reference("shape", "place")),), "Name"),),
                    "stop",
                ),
                Update("update", "find", _fillings(known, {"Last tuned": _parts("=date")})),
            )
        )


def _message(key: str) -> Reference:
    return Reference("when", key)


def _found(field: FieldId) -> Reference:
    return Reference("find", f"f_{field}")


def _parts(*parts: str) -> Filling:
    """Texts, and values of the message behind an equals sign."""
    return tuple(Part(ref=_message(p[1:])) if p.startswith("=") else Part(text=p) for p in parts)


def _fillings(to: Database, fills: dict[str, Filling]) -> tuple[FieldFilling, ...]:
    field = {f.name: f.id for f in to.fields}
    return tuple(FieldFilling(field[name], filling, name) for name, filling in fills.items())
