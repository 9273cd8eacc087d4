"""The views of the demo's databases: those that the people of the workshop would use."""

from __future__ import annotations

from functools import partial

from kelvix.core.operators import Operator
from kelvix.core.periods import period
from kelvix.core.query import Comparison, Joined, Order
from kelvix.core.schema import Database
from kelvix.core.values import FieldId, Value
from kelvix.core.views import Column, Mark, Total, View
from kelvix.store import views
from kelvix.store.directory import Space

BY = "Orla Fenwick"


def add_views(space: Space, database: Database) -> None:
    """Add a database's views, where it has any."""
    for name, view in _Views(database).made():
        space.transact(partial(views.create, workspace_id=space.id, database_id=database.id, name=name, view=view, by=BY))


class _Views:
    """Views of a database, by the names of its fields."""

    def __init__(self, database: Database):
        self.database = database
        self.by_name = {f.name: f for f in database.fields}

    def made(self) -> list[tuple[str, View]]:
        """Return each view with its name."""
        match self.database.name:
            case "Enquiries":
                return self._enquiries()
            case "Workshop tasks":
                return self._tasks()
            case "Suppliers’ invoices":
                return self._invoices()
            case "Tuning calendar":
                return self._visits()
            case "Notes":
                return self._notes()
            case "Parishes":
                return self._parishes()
        return []

    def _enquiries(self) -> list[tuple[str, View]]:
        columns = self._columns("Name", "Parish", "Received", "Estimate", "About", "Who", "Reply by")
        open_ones = self._where(("Stage", "is_not", "Closed"), ("Received", "within", period("the last 90 days")))
        late = self._where(("Reply by", "before", period("today")), ("Stage", "is", "New"))
        received, estimate, stage = self._id("Received"), Total(self._id("Estimate")), self._id("Stage")
        return [
            (
                "Open, by stage",
                View(
                    "table", open_ones, (Order(received, True),), stage, columns, totals=(estimate,), marks=(Mark(late, "bad"),)
                ),
            ),
            (
                "Side by side",
                View(
                    "board", open_ones, (Order(received, True),), stage, columns, totals=(estimate,), marks=(Mark(late, "bad"),)
                ),
            ),
            (
                "Won this year",
                View(
                    where=self._where(("Stage", "is", "Won"), ("Received", "within", period("this year"))),
                    order=(Order(self._id("Estimate"), True),),
                    columns=self._columns("Name", "Parish", "Estimate", "Received", "Who"),
                    totals=(estimate,),
                ),
            ),
        ]

    def _tasks(self) -> list[tuple[str, View]]:
        due, hours = self._id("Due"), Total(self._id("Hours"))
        columns = self._columns("Name", "Due", "Who", "Hours", "Stage")
        to_do = self._where(("Done", "is", False))
        late = Mark(self._where(("Due", "before", period("today")), ("Done", "is", False)), "bad")
        board = self._columns("Name", "Who", "Hours", "Due")
        return [
            ("On the bench", View("board", to_do, (Order(due),), self._id("Stage"), board, totals=(hours,), marks=(late,))),
            ("By person", View("table", to_do, (Order(due),), self._id("Who"), columns, totals=(hours,), marks=(late,))),
            ("Calendar", View("calendar", to_do, by=due, marks=(late,))),
            (
                "Due this week",
                View(
                    "table", self._where(("Due", "within", period("this week"))), (Order(due),), None, columns, totals=(hours,)
                ),
            ),
        ]

    def _invoices(self) -> list[tuple[str, View]]:
        received, amount = self._id("Received"), Total(self._id("Amount"))
        return [
            (
                "To be paid",
                View(where=self._where(("Paid", "is_not", True)), order=(Order(received),), totals=(amount,)),
            ),
            (
                "By month",
                View(order=(Order(received, True),), group=received, totals=(amount,)),
            ),
            (
                "By supplier",
                View(order=(Order(received, True),), group=self._id("Supplier’s name"), totals=(amount,)),
            ),
        ]

    def _visits(self) -> list[tuple[str, View]]:
        when, asked = self._id("When"), Mark(self._where(("Visit", "is", "Asked")), "look")
        done = Mark(self._where(("Visit", "is", "Done")), "good")
        columns = self._columns("Name", "When", "Who", "Kind", "Visit")
        return [
            ("By week", View("calendar", by=when, marks=(asked, done))),
            ("Over the weeks", View("timeline", by=when, marks=(asked, done))),
            ("By person", View(group=self._id("Who"), order=(Order(when),), columns=columns, marks=(asked,))),
            ("To be agreed", View("board", order=(Order(when),), group=self._id("Visit"), columns=columns, marks=(asked,))),
        ]

    def _notes(self) -> list[tuple[str, View]]:
        published = self._id("Published")
        lately = self._where(("Published", "within", period("the last 3 months")))
        return [
            (
                "For reading",
                View(
                    "list",
                    order=(Order(published, True),),
                    columns=self._columns("Name", "Author", "Site", "Published", "About"),
                ),
            ),
            (
                "By subject",
                View(group=self._id("About"), order=(Order(published, True),), totals=(Total(self._id("Minutes")),)),
            ),
            ("Lately", View(where=lately, order=(Order(published, True),), totals=(Total(self._id("Minutes")),))),
        ]

    def _parishes(self) -> list[tuple[str, View]]:
        tuned = self._id("Last tuned")
        long_ago = Mark(self._where(("Last tuned", "before", period("6 months ago"))), "look")
        return [
            ("By deanery", View(group=self._id("Deanery"), order=(Order(self._id("Name")),), marks=(long_ago,))),
            ("To be tuned", View(where=self._where(("Last tuned", "before", period("6 months ago"))), order=(Order(tuned),))),
            ("By care", View("board", group=self._id("Care"), order=(Order(self._id("Name")),), marks=(long_ago,))),
        ]

    def _id(self, name: str) -> FieldId:
        return self.by_name[name].id

    def _columns(self, *names: str) -> tuple[Column, ...]:
        return tuple(Column(self._id(name)) for name in names)

    def _where(self, *tests: tuple[str, Operator, Value]) -> Joined:
        return Joined("all", tuple(self._test(*one) for one in tests))

    def _test(self, name: str, operator: Operator, value: Value) -> Comparison:
        field = self.by_name[name]
        choice = next((c.id for c in field.choices if c.name == value), value)
        return Comparison(field.id, operator, choice)
