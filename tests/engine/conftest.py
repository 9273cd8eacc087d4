"""A workflow that is on."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import pytest

from support import Person, document, until

FIELDS = ({"name": "Name", "type": "text"}, {"name": "Address", "type": "email"}, {"name": "Received", "type": "datetime"})
FILLS = {"Name": "subject", "Address": "sender.address", "Received": "date", "Text": "text"}


@dataclass
class On:
    person: Person
    connection: int
    database: dict[str, Any]
    workflow: int

    @property
    def name_field(self) -> str:
        return str(self.database["fields"][0]["id"])

    def titles(self) -> list[str]:
        return [r["values"][self.name_field] for r in self.person.records(self.database["id"])]

    def detail(self) -> dict[str, Any]:
        return self.person.api("GET", f"/workflows/{self.workflow}")

    def check_now(self) -> None:
        before = self.detail()["watch"]["last_check_at"]
        self.person.api("POST", f"/workflows/{self.workflow}/check-now")
        until(lambda: self.detail()["watch"]["last_check_at"] != before, 20)

    def where(self, item: str) -> dict[str, Any]:
        return self.person.api("POST", f"/workflows/{self.workflow}/where", json={"item": item})

    def newest_message(self, folder: str = "Enquiries") -> int:
        return self.person.kelvix.practice.items(self.person.folders[folder], 1)[0]["id"]


def turn_on(person: Person, words: tuple[str, ...] = ()) -> On:
    connection = person.connect("Enquiries", "Suppliers")
    database = person.database("Enquiries", *FIELDS)
    workflow = person.workflow("From the post", document(connection, person.folders["Enquiries"], database, FILLS, words))
    person.api("POST", f"/workflows/{workflow}/on")
    return On(person, connection, database, workflow)


@pytest.fixture
def on(orla: Person) -> On:
    return turn_on(orla)
