"""The demo's places in apps that lines write to, each with what is in it already."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import TypeVar

from kelvix.core.schema import Database
from kelvix.demo import tasks
from kelvix.demo.days import TURNED_ON, YEAR, moved
from kelvix.engine.engine import Engine
from kelvix.practice.apps.issues import Issues
from kelvix.practice.apps.sheets import Sheets, cells
from kelvix.practice.apps.tables import Tables
from kelvix.practice.apps.tasks import Tasks
from kelvix.practice.faults import Faults
from kelvix.practice.framework import PracticeApp
from kelvix.practice.push import Pusher
from kelvix.practice.store import Store
from kelvix.settings import Settings
from kelvix.store import connections
from kelvix.store.directory import Space

A = TypeVar("A", bound=PracticeApp)
FOREMAN = "Ivo"  # whose tasks are on the bench
ADDRESS = "works@brackenfell.example"
INVOICES = (
    "Invoices of the works;;;;",
    "Invoice;Day;Time;Supplier;Opens",
    "Invoice 4410, pear wood;2026-10-02;08:14;Hollin Timber;",
    "Invoice 2209, felt;2026-10-19;16:40;Wick Felt and Leather;",
)
PARTS = (
    "Part;Shelf;Left;Reorder at;Missing",
    "Reed, 8 foot;A1;12;8;=D-C",
    "Leather strip, sheep;B4;3;6;=D-C",
    "Tracker wire, 1 mm;C2;40;20;=D-C",
    "Pallet felt, crimson;B1;2;4;=D-C",
    "Bone glue, kg;D3;5;2;=D-C",
)


BENEFICES = (("Netherby", "Hanne Ruud", 412), ("Thorpe Sallow", "Piers Caldo", 690), ("Great Marl", "Odile Brandt", 1204))


@dataclass(frozen=True)
class Entry:
    """An entry of the register's visitations."""

    benefice: str
    name: str
    at: datetime
    finding: str


ENTRIES = tuple(
    Entry(benefice, f"Visitation of {benefice}", moved(datetime(2026, 11, day, 10, 30, tzinfo=UTC)), finding)
    for benefice, day, finding in (
        ("Netherby", 6, "The organ is dusty and its reeds speak late."),
        ("Thorpe Sallow", 13, "The case door hangs from one hinge."),
        ("Great Marl", 20, "Damp behind the Swell. A hygrometer is lent."),
    )
)


@dataclass
class Places:
    """`account`: of the practice apps; `at` sets the clock."""

    engine: Engine
    space: Space
    practice: Store
    settings: Settings
    account: int
    at: Callable[[datetime | None], None]

    def rounds(self) -> Database:
        """Two lists of the workshop's tasks; the one for rounds, as lines work on it."""
        app, workshop = self._app(Tasks), self._container("tasks", "Workshop", holds=True)
        lists = {name: self._container("tasks", name, workshop) for name in ("Rounds", "Bench")}
        for task in [task for task in tasks.all_tasks() if task.who == FOREMAN][-14:]:
            values = {
                "title": task.name,
                "notes": task.text,
                "due": task.due.isoformat(),
                "person": {"name": task.who, "address": f"{task.who.lower()}@brackenfell.example"},
                "labels": ["bench"],
                "done": task.done,
            }
            app.add(lists["Bench"], task.who, values, task.at, tell=False)
        self._token("tasks", list(lists.values()))
        return self._see(self._reach("tasks", "Tasks of the works"), lists["Rounds"])

    def project(self) -> Database:
        """Make a project with fields of its own, as lines work on it. It is reached by a key."""
        app, project = self._app(Issues), self._container("issues", "Visits and faults")
        for name, type, options in (
            ("Parish", "text", ()),
            ("Hours", "number", ()),
            ("Visit", "date", ()),
            ("Urgency", "option", ("Before Sunday", "This month", "Some day")),
        ):
            app.make_field(project, name, type, options)
        for title, parish in (("Cipher on the Great", "St Hewen"), ("Blower too loud", "Marl")):
            app.add(project, "Orla Fenwick", {"title": title, "fields": {"1": parish}}, TURNED_ON - timedelta(days=9))
        self.practice.new_token("demo-issues", "issues", self.account, "key", [project], True, 365, "Kelvix")
        return self._see(self._reach("issues", "Issues of the works"), project)

    def restoration(self) -> tuple[Database, Issues, int]:
        """Make the project that the customers follow, with fields of its own; its app, and the project."""
        app, project = self._app(Issues), self._container("issues", "Restoration")
        for name, type in (("Due", "date"), ("Hours", "number")):
            app.make_field(project, name, type, ())
        self.practice.new_token("demo-restoration", "issues", self.account, "key", [project], True, 365, "Kelvix")
        reached = self._reach("issues", "Issues of the customers", "demo-restoration")
        return self._see(reached, project), app, project

    def for_mirrors(self) -> tuple[Database, Database, Database]:
        """Return the foreman's list of tasks, a table of parishes, and the shelf of saved articles."""
        bench = self._container("tasks", "Bench", self._container("tasks", "Workshop", holds=True))
        app, holder = self._app(Tables), self._container("tables", "Deanery register", holds=True)
        table = self._container("tables", "Parishes in care", holder)
        for name, type in (("Organ", "text"), ("Last tuned", "day")):
            app.make_field(table, name, type)
        self.practice.new_token("demo-care", "tables", self.account, "key", [table], True, 365, "Kelvix")
        known = self.space.read(lambda t: {c.name: c.id for c in connections.list_all(t, self.space.id)})
        shelf = self._container("reading", "Workshop reading")
        return (
            self._see(known["Tasks of the works"], bench),
            self._see(self._reach("tables", "Parishes in care", "demo-care"), table),
            self._see(known["Reading of the works"], shelf),
        )

    def ledger(self) -> Database:
        """Make a workbook with the ledger of invoices, whose header is its second row, and that of parts; the first, as lines work
        on it."""
        app, books = self._app(Sheets), self._container("sheets", "Books", holds=True)
        sheets = {name: self._container("sheets", name, books) for name in ("Invoices", "Parts")}
        for name, rows in (("Invoices", INVOICES), ("Parts", PARTS)):
            for row in rows:
                app.add(sheets[name], [cells.typed(_this_year(text)) for text in row.split(";")])
        self._token("sheets", list(sheets.values()))
        return self._see(self._reach("sheets", "Sheets of the works"), sheets["Invoices"])

    def register(self) -> tuple[Database, Database, Callable[[Entry], int]]:
        """Make a register of two tables: its visitations, reached by a key that may only read these; its benefices, by one that
        reaches both; and what adds an entry."""
        app, holder = self._app(Tables), self._container("tables", "Deanery register", holds=True)
        benefices, visitations = (self._container("tables", name, holder) for name in ("Benefices", "Visitations"))
        for name, type in (("Warden", "person"), ("Pipes", "number")):
            app.make_field(benefices, name, type)
        for name, type in (("Day", "day"), ("Finding", "lines")):
            app.make_field(visitations, name, type)
        app.make_field(visitations, "Benefice", "rows", table=benefices)
        rows = {
            name: app.add(
                benefices, "Petra Voss", {"1": name, "2": {"name": warden}, "3": pipes}, TURNED_ON - timedelta(days=30)
            )
            for name, warden, pipes in BENEFICES
        }
        connections = []
        for key, name, shared, write in (
            ("visitations", "Visitations, to read", [visitations], False),
            ("register", "Deanery register", [visitations, benefices], True),
        ):
            self.practice.new_token(f"demo-{key}", "tables", self.account, "key", shared, write, 365, name)
            connections.append(self._reach("tables", name, f"demo-{key}"))

        def add(entry: Entry) -> int:
            values = {"1": entry.name, "2": entry.at.date().isoformat(), "3": entry.finding, "4": [rows[entry.benefice]]}
            return app.add(visitations, "Petra Voss", values, entry.at)

        return self._see(connections[0], visitations), self._see(connections[1], benefices), add

    def _app(self, kind: type[A]) -> A:
        return kind(self.practice, Pusher(self.practice, Faults()), self.settings)

    def _container(self, app: str, name: str, within: int | None = None, holds: bool = False) -> int:
        return self.practice.container(app, self.account, name, within=within, holds=holds)

    def _token(self, app: str, shared: Sequence[int]) -> None:
        self.practice.new_token(f"demo-{app}", app, self.account, "kelvix", list(shared), may_send=True)

    def _reach(self, app: str, name: str, token: str = "") -> int:
        self.at(moved(datetime(2026, 11, 2, 7, 5, tzinfo=UTC)))
        made = connections.save(self.space, self.engine.vault, None, app, name, ADDRESS, token or f"demo-{app}", YEAR)
        self.at(None)
        return made

    def _see(self, connection: int, place: int) -> Database:
        return self.engine.see_place(self.space, connection, str(place))


def _this_year(text: str) -> str:
    """Return a day as it is moved with all others; anything else as it is."""
    try:
        return moved(datetime.strptime(text, "%Y-%m-%d").replace(tzinfo=UTC)).date().isoformat()
    except ValueError:
        return text
