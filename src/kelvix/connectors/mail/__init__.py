"""The Mail connector."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from kelvix.connectors.consented import ConsentedApp
from kelvix.connectors.contract import Display, Event, Outgoing
from kelvix.connectors.listed import ListedAccount, Read
from kelvix.core.collection import Capabilities, PermanentError
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.values import File, ItemValue, Type


def _f(key: str, *name: str, type: Type = "text") -> CarriedField:
    return CarriedField(key, ("Message", *name), type)


class MailAccount(ListedAccount):
    def send(self, message: Outgoing, key: str) -> str | None:
        body = {"to": list(message.to), "subject": message.subject, "text": message.text, "html": message.html}
        return str(self.call("POST", "/send", json=body, key=key)["link"])

    def open(self, locator: str) -> Iterator[bytes]:
        message, _, part = locator.partition("/")
        if not message.isdecimal() or not part.isdecimal():
            raise PermanentError("this is not an attachment", "item")
        return self.content(f"{self.api}/messages/{message}/parts/{part}")

    def read(self, raw: dict[str, Any]) -> Read:
        return _message(raw)


class Mail(ConsentedApp):
    code, name, monogram = "mail", "Mail", "Ma"
    container_word, containers_word, item_word, items_word = "folder", "folders", "message", "messages"
    counted = ("attachment_count", "attachment", "attachments")
    events = (Event("arrives", "a message arrives", ("new",)),)
    display = Display(
        "The message",
        "subject",
        (("From", ("sender.name", "sender.address")), ("To", ("to",)), ("Cc", ("cc",)), ("Date", ("date",)),
         ("Attached", ("attachment_names",)), ("Link", ("link",))),
        ("text",),
    )  # fmt: skip
    sends = True
    title = "subject"
    accounts = MailAccount
    capabilities = Capabilities(push=True, told=frozenset(("added", "left", "deleted")), keys=True)
    fields = (
        _f("subject", "Subject"),
        _f("sender.name", "Sender", "Name"),
        _f("sender.address", "Sender", "Address", type="email"),
        _f("to", "To"),
        _f("cc", "Cc"),
        _f("date", "Date", type="datetime"),
        _f("text", "Text", type="long_text"),
        _f("link", "Link", type="link"),
        _f("folder", "Folder"),
        _f("received", "Arrived", type="datetime"),
        _f("attachment_count", "Attachments", "Number", type="number"),
        _f("attachment_names", "Attachments", "Names"),
        _f("message_id", "Identifier"),
    )
    lists = (
        CarriedList(
            "attachments",
            ("Attachments",),
            (
                CarriedField("name", ("Attachment", "Name"), "text"),
                CarriedField("file", ("Attachment", "Content"), "file"),
                CarriedField("type", ("Attachment", "Type"), "text"),
                CarriedField("size", ("Attachment", "Size in bytes"), "number"),
            ),
        ),
    )
    proposed = (
        ("subject", "Name"),
        ("sender.name", "From"),
        ("sender.address", "Address"),
        ("date", "Received"),
        ("link", "Message"),
    )

    reach = "Includes every message now in this folder, but not messages deleted or moved since then."


def _people(raw: list[dict[str, str]]) -> str:
    return ", ".join(f"{a['name']} <{a['address']}>" if a["name"] else a["address"] for a in raw)


def _message(raw: dict[str, Any]) -> Read:
    """Return a message as carried values. An empty value is None; problems of reading are kept beside them for the screen."""
    values: dict[str, ItemValue] = {
        "subject": raw["subject"] or None,
        "sender.name": raw["sender"]["name"] or None,
        "sender.address": raw["sender"]["address"] or None,
        "to": _people(raw["to"]) or None,
        "cc": _people(raw["cc"]) or None,
        "date": raw["date"],
        "text": raw["text"] or None,
        "link": raw["link"],
        "folder": raw["container_name"],
        "received": raw["received"],
        "attachment_count": str(len(raw["attachments"])),
        "attachment_names": ", ".join(a["name"] for a in raw["attachments"]) or None,
        "message_id": raw["message_id"] or None,
        "attachments": [
            {
                "name": a["name"],
                "file": File(a["name"], a["size"], a["type"], f"mail:{raw['id']}/{a['index']}").wire(),
                "type": a["type"],
                "size": str(a["size"]),
            }
            for a in raw["attachments"]
        ],
    }
    return Read(raw["subject"] or "(no subject)", values, "; ".join(raw["problems"]))


CONNECTOR = Mail
