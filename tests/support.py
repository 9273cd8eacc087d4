"""A whole Kelvix for tests, and the moves of a person in it by HTTP."""

from __future__ import annotations

import re
import smtplib
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from email import policy
from email.message import EmailMessage
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, urlsplit
from zoneinfo import ZoneInfo

import httpx2 as httpx
import pymysql

from kelvix.commands.serve import Installation
from kelvix.core.collection import Collection
from kelvix.core.query import Query
from kelvix.core.schema import Database
from kelvix.engine.engine import Engine, make
from kelvix.engine.subscriptions import feeding
from kelvix.practice.store import Store
from kelvix.store import connections, people, runs
from kelvix.store.consumers import Consumer
from kelvix.store.database_server import DatabaseServer, Transaction
from kelvix.store.directory import Space
from kelvix.store.query import page as read_page
from kelvix.store.records import Record
from kelvix.store.runs import Claim

FOLDERS = {"Enquiries": "enquiries@works.example", "Suppliers": "suppliers@works.example", "Empty": "empty@works.example"}


# For how long a test waits for what is to come about before it fails. Not a bound on how fast anything is: a machine that others
# use takes three times as long as one at rest. Shorter than the minute between two polls, which are not to make up for a push.
PATIENCE = 45.0


def until(what: Callable[[], Any], seconds: float = PATIENCE, every: float = 0.03) -> Any:
    """What a condition gives, once it gives something. Fails after some seconds."""
    end = time.monotonic() + seconds
    while True:
        found = what()
        if found:
            return found
        assert time.monotonic() < end, "this did not come about in time"
        time.sleep(every)


class Person:
    """Somebody signed in to a workspace of their own, with an account in practice Mail."""

    def __init__(self, kelvix: Kelvix, owner: people.Person, account: int):
        self.kelvix, self.owner, self.account = kelvix, owner, account
        self.space: Space = kelvix.engine.directory.open(owner.workspace_id)
        self.web = httpx.Client(base_url=kelvix.address, timeout=30, trust_env=False)
        self.sign_in_code = people.new_sign_in_link(kelvix.engine.directory.home, owner.id)
        assert self.web.get(f"/sign-in/{self.sign_in_code}").status_code == 303
        folders = kelvix.practice.containers("mail", account)
        self.addresses = {f["name"]: f["address"] for f in folders}
        self.folders = {f["name"]: f["id"] for f in folders}

    @property
    def account_address(self) -> str:
        """What the practice apps' pages call this person's account by."""
        return next(a["address"] for a in self.kelvix.practice.accounts() if a["id"] == self.account)

    @staticmethod
    def new(kelvix: Kelvix, name: str) -> Person:
        """Somebody with a workspace, an account and empty folders of their own."""
        owner = people.create_workspace(kelvix.engine.directory.home, f"{name}'s workspace", name, "Europe/London")
        tag = f"{owner.id}-{kelvix.settings.smtp_port}"
        account = kelvix.practice.account(f"{name.lower()}-{tag}@works.example", name)
        for folder, address in FOLDERS.items():
            kelvix.practice.container("mail", account, folder, address.replace("@", f"-{tag}@"))
        return Person(kelvix, owner, account)

    def api(self, method: str, where: str, expect: int | None = None, **more: Any) -> Any:
        answer = self.web.request(method, f"/api/v1{where}", **more)
        for _ in range(3):  # what is only read is asked for again, as the answer says, where the database was busy for seconds
            if method != "GET" or expect or answer.status_code != 503:
                break
            time.sleep(float(answer.headers["retry-after"]))
            answer = self.web.request(method, f"/api/v1{where}", **more)
        if expect:
            assert answer.status_code == expect, (answer.status_code, answer.text)
        else:
            assert answer.is_success, (answer.status_code, answer.text)
        return answer.json() if answer.content else None

    def container(self, app: str, name: str) -> int:
        """A container of a practice app, made where there is none."""
        return self.folders[name] if app == "mail" else self.kelvix.practice.container(app, self.account, name)

    def connect(
        self, *folders: str, connection: int | None = None, allow: bool = True, send: bool = False, app: str = "mail"
    ) -> int:
        """Connect as a person would, through the consent window or by a key: the connection's id."""
        if self.kelvix.engine.apps[app].connects == "key":
            key = self.key(*folders, app=app, write=send)
            return int(self.api("POST", "/connections/key", json={"app": app, "key": key, "connection": connection})["id"])
        there = [str(self.container(getattr(self.kelvix.engine.apps[app], "service", app), f)) for f in folders]
        landed = self._consent(app, connection, {"share": there, "answer": "allow" if allow else "refuse"}, send)
        if landed == "/connections?said=failed" and allow:  # the app did not answer in time: a person asks once more
            landed = self._consent(app, connection, {"share": there, "answer": "allow"}, send)
        found = re.fullmatch(r"/connections/(\d+)", landed)
        assert found or not allow, landed
        return int(found[1]) if found else 0

    def key(self, *places: str, app: str, write: bool = True, ends: str = "quarter") -> str:
        """A key of a practice app, made on its own page."""
        form = {"name": "For Kelvix", "share": [str(self.container(app, p)) for p in places], "ends": ends}
        with self.practice_page() as browser:
            made = browser.post(f"/{app}/keys", data=form | ({"write": "1"} if write else {}))
        found = re.search(r'id="made">([^<]+)<', made.text)
        assert found, made.text
        return found[1]

    def _consent(self, app: str, connection: int | None, ticked: dict[str, Any], send: bool) -> str:
        asked = self.api("POST", "/connections/consent", json={"app": app, "connection": connection})["address"]
        with self.practice_page() as browser:
            page = browser.get(asked)
            assert page.status_code == 200, (page.status_code, page.headers.get("location"), page.text[-300:])
            answer = browser.post(asked, data=ticked | ({"send": "1"} if send else {}))
        back = answer.headers["location"]
        return self.web.get(back.removeprefix(self.kelvix.address)).headers["location"]

    def token(self, connection: int) -> str:
        found = self.space.read(lambda t: connections.token(t, self.kelvix.engine.vault, self.space.id, connection))
        assert found
        return found[1]

    def source(self, connection: int, place: str) -> Collection:
        """What a connection sees of a container, as the engine reads it."""
        return self.kelvix.engine.account(self.space, connection).collection(place)

    def revoke(self, connection: int) -> None:
        """Take access away on the practice apps' own page."""
        known = self.kelvix.practice.access("mail", self.token(connection))
        assert known
        with self.practice_page() as page:
            assert page.post(f"/tokens/{known.token_digest.hex()}/revoke").status_code == 303

    @contextmanager
    def practice_page(self) -> Iterator[httpx.Client]:
        """A browser that is signed in to the practice apps."""
        with httpx.Client(base_url=self.kelvix.settings.practice_address, timeout=30, trust_env=False) as browser:
            browser.post("/sign-in", data={"account": self.account})
            yield browser

    def put_files(self, folder: str, files: dict[str, bytes]) -> None:
        """Add files on the page of practice Files, as its user would."""
        with self.practice_page() as page:
            sent = [("files", (name, content)) for name, content in files.items()]
            answer = page.post(f"/files/folders/{self.container('files', folder)}", files=sent)
            assert answer.status_code == 303, answer.text

    def database(self, name: str, *fields: dict[str, Any]) -> dict[str, Any]:
        return self.api("POST", "/databases", json={"name": name, "fields": list(fields)})

    def records(self, database: int) -> list[dict[str, Any]]:
        return self.api("GET", f"/databases/{database}/records?limit=500")["records"]

    def workflow(self, name: str, document: dict[str, Any]) -> int:
        made = self.api("POST", "/workflows", json={"name": name})
        self.api(
            "PUT",
            f"/workflows/{made['id']}",
            json={"name": name, "document": document},
            headers={"if-match": str(made["draft_version"])},
        )
        return made["id"]

    def runs(self, workflow: int, state: str | None = None) -> list[dict[str, Any]]:
        return self.api("GET", f"/runs?workflow={workflow}&limit=200" + (f"&state={state}" if state else ""))["runs"]

    def deliver(
        self,
        subject: str,
        folder: str = "Enquiries",
        text: str = "Good morning.",
        sender: str = "Ada Pell <ada.pell@stbride.example>",
        raw: bytes | None = None,
        attachments: dict[str, bytes] | None = None,
    ) -> None:
        """Send a message by SMTP, as any program would."""
        message = EmailMessage()
        message["From"], message["To"], message["Subject"] = sender, self.addresses[folder], subject
        message.set_content(text)
        for name, content in (attachments or {}).items():
            message.add_attachment(content, maintype="application", subtype="octet-stream", filename=name)
        with smtplib.SMTP("127.0.0.1", self.kelvix.settings.smtp_port, timeout=30) as smtp:
            smtp.sendmail("test@works.example", self.addresses[folder], raw or message.as_bytes(policy=policy.SMTP))

    def faults(self, mode: str = "none", push: str = "once", app: str = "mail") -> None:
        with self.practice_page() as page:
            assert page.post("/faults", data={"name": app, "mode": mode, "push": push}).status_code == 303


def newest(t: Transaction, database: Database, limit: int, before: int | None = None) -> list[Record]:
    """The newest records, or those below one."""
    return read_page(t, database, Query(limit=limit, after=str(before) if before else None), ZoneInfo("UTC"))[0]


def document(
    connection: int,
    folder: int,
    database: dict[str, Any],
    fills: dict[str, str],
    words: tuple[str, ...] = (),
) -> dict[str, Any]:
    """A workflow from a folder to a database: `fills` maps names of fields to keys of carried values."""
    by_name = {f["name"]: f["id"] for f in database["fields"]}
    lines: list[dict[str, Any]] = [
        {"verb": "when", "id": "w", "connection": connection, "container": str(folder), "container_name": "Enquiries"}
    ]
    if words:
        lines.append(
            {
                "verb": "only_if",
                "id": "o",
                "mode": "any",
                "conditions": [{"ref": {"line": "w", "value": "subject"}, "operator": "mentions", "words": list(words)}],
            }
        )
    lines.append(
        {
            "verb": "add",
            "id": "a",
            "database": database["id"],
            "fillings": [{"field": by_name[n], "filling": [{"ref": {"line": "w", "value": v}}]} for n, v in fills.items()],
        }
    )
    return {"lines": lines}


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
        before = self.detail()["subscription"]["last_check_at"]
        self.person.api("POST", f"/workflows/{self.workflow}/check-now")
        until(lambda: self.detail()["subscription"]["last_check_at"] != before)

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


def claim(space: Space, engine: Engine, **more: Any) -> list[Claim]:
    """What a worker claims, after consumers have read what was taken in."""
    feeding.feed(engine, space.server)
    return space.transact(lambda t: runs.claim(t, **more))


class Kelvix:
    """An installation with all its processes. `engine` and `practice` are this process's own ends of its databases."""

    other_port: int

    def __init__(
        self,
        folder: Path,
        database_host: str = "127.0.0.1",
        reachable: tuple[str, ...] = (),
        port: int = 0,
        begins_with: tuple[str, ...] = ("practice", "web", "worker"),
    ):
        self.installation = Installation(folder, port=port, database_host=database_host, reachable=reachable)
        self.settings = self.installation.prepare()
        self.installation.start(*begins_with)
        self.engine: Engine = make(self.settings)
        self.practice = Store(DatabaseServer(self.settings.practice))
        self.address = self.settings.address

    def person(self, name: str = "Orla") -> Person:
        return Person.new(self, name)

    def stop(self) -> None:
        self.installation.stop()


def query(address: str) -> dict[str, str]:
    return {k: v[0] for k, v in parse_qs(urlsplit(address).query).items()}


@contextmanager
def locked(kelvix: Kelvix, consumer: Consumer) -> Iterator[None]:
    """Hold a consumer, as a worker does that stands still in the middle of a transaction."""
    server = kelvix.settings.servers["home"]
    held = pymysql.connect(host=server.host, port=server.port, user="kelvix", password=server.password, database=server.schema)
    with held, held.cursor() as cursor:
        cursor.execute("SELECT id FROM consumer WHERE id=%s FOR UPDATE", (consumer.id,))
        yield
        held.rollback()
