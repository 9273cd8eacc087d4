"""The Mail connector."""

from __future__ import annotations

import re
from datetime import datetime
from typing import Any
from urllib.parse import urlsplit

from authlib.integrations.httpx_client import OAuth2Client, OAuthError

from kelvix.connectors.contract import App, Change, Container, Grant, Item, Outgoing, Passing, Sight, Standing
from kelvix.connectors.http import Caller
from kelvix.core.schema import CarriedField, CarriedList
from kelvix.core.values import ItemValue


def _f(key: str, *name: str, type: str = "text") -> CarriedField:
    return CarriedField(key, ("Message", *name), type)  # type: ignore[arg-type]


class Mail(App):
    code, name, monogram = "mail", "Mail", "Ma"
    container_word, containers_word, item_word, items_word = "folder", "folders", "message", "messages"
    event_words = "a message arrives"
    sends = True
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

    def __init__(self, address: str):
        self.address = address
        self._caller = Caller(self.name, address)

    # Connecting

    def _oauth(self, redirect: str) -> OAuth2Client:
        return OAuth2Client(
            "kelvix",
            token_endpoint_auth_method="none",
            scope=self.code,
            redirect_uri=redirect,
            code_challenge_method="S256",
            trust_env=False,
            timeout=10,
        )

    def consent_address(self, redirect: str, state: str, verifier: str, already: tuple[str, ...], send: bool) -> str:
        url, _ = self._oauth(redirect).create_authorization_url(
            f"{self.address}/oauth/authorize", state=state, code_verifier=verifier, already=",".join(already), send=int(send)
        )
        return str(url)

    def exchange(self, redirect: str, code: str, verifier: str) -> Grant:
        try:
            with self._oauth(redirect) as client:
                token = client.fetch_token(f"{self.address}/oauth/token", code=code, code_verifier=verifier)
        except OAuthError as error:
            raise Standing(f"{self.name} did not give access: {error.description or error.error}", "access") from None
        except Exception:
            raise Passing(f"{self.name} cannot be reached") from None
        return Grant(token["access_token"], token.get("expires_in"))

    # Reading

    def look(self, token: str) -> Sight:
        raw = self._caller.call("GET", "/mail/api/me", token)
        return Sight(
            raw["account"],
            tuple(Container(f["id"], f["name"], f["items"], f["link"]) for f in raw["shared"]),
            tuple(raw["not_shared"]),
            raw["may_send"],
        )

    def newest(self, token: str, container: str, limit: int) -> list[Item]:
        raw = self._caller.call("GET", f"/mail/api/folders/{container}/messages", token, params={"limit": limit})
        return [_item(m) for m in raw["messages"]]

    reach = (
        "Mail gives every message that is still in this folder, as it is today. Messages that were deleted or moved away "
        "since are not among them."
    )

    def past(self, token: str, container: str, before: str | None, limit: int) -> tuple[list[Item], str | None]:
        params: dict[str, Any] = {"limit": limit} | ({"before": before} if before else {})
        raw = self._caller.call("GET", f"/mail/api/folders/{container}/messages", token, params=params)
        items = [_item(m) for m in raw["messages"]]
        return items, items[-1].id if len(items) == limit else None

    def item(self, token: str, item_id: str) -> Item:
        return _item(self._caller.call("GET", f"/mail/api/messages/{item_id}", token))

    def changes(self, token: str, after: int) -> tuple[list[Change], int, bool]:
        raw = self._caller.call("GET", "/mail/api/feed", token, params={"after": after})
        return (
            [Change(c["seq"], c["folder"], c["message"], c["kind"]) for c in raw["changes"]],
            raw["cursor"],
            bool(raw["more"]),
        )

    def head(self, token: str) -> int:
        return int(self._caller.call("GET", "/mail/api/feed", token, params={"after": 2**53})["cursor"])

    def subscribe(self, token: str, container: str, address: str) -> tuple[str, str]:
        raw = self._caller.call("POST", "/mail/api/subscriptions", token, json={"folder": container, "url": address})
        return raw["id"], raw["secret"]

    def unsubscribe(self, token: str, subscription: str) -> None:
        self._caller.call("DELETE", f"/mail/api/subscriptions/{subscription}", token)

    def send(self, token: str, message: Outgoing, key: str) -> str | None:
        body = {"to": list(message.to), "subject": message.subject, "text": message.text, "html": message.html}
        return str(self._caller.call("POST", "/mail/api/send", token, json=body, key=key)["link"])

    # Links

    def container_of_link(self, link: str) -> str | None:
        return self._in_link(link, "folders")

    def item_of_link(self, link: str) -> str | None:
        return self._in_link(link, "messages")

    def _in_link(self, link: str, what: str) -> str | None:
        """The number behind /mail/folders/ or /mail/messages/, at this Mail's own address only."""
        parts = urlsplit(link.strip())
        if parts.netloc != urlsplit(self.address).netloc:
            return None
        found = re.fullmatch(rf"/mail/{what}/(\d{{1,18}})/?", parts.path)
        return found[1] if found else None


def _people(raw: list[dict[str, str]]) -> str:
    return ", ".join(f"{a['name']} <{a['address']}>" if a["name"] else a["address"] for a in raw)


def _item(raw: dict[str, Any]) -> Item:
    """A message as carried values. An empty value is None; problems of reading are kept beside them for the screen."""
    values: dict[str, ItemValue] = {
        "subject": raw["subject"] or None,
        "sender.name": raw["sender"]["name"] or None,
        "sender.address": raw["sender"]["address"] or None,
        "to": _people(raw["to"]) or None,
        "cc": _people(raw["cc"]) or None,
        "date": raw["date"],
        "text": raw["text"] or None,
        "link": raw["link"],
        "folder": raw["folder_name"],
        "received": raw["received"],
        "attachment_count": str(len(raw["attachments"])),
        "attachment_names": ", ".join(a["name"] for a in raw["attachments"]) or None,
        "message_id": raw["message_id"] or None,
        "attachments": [{"name": a["name"], "type": a["type"], "size": str(a["size"])} for a in raw["attachments"]],
    }
    if raw["problems"]:
        values["problems"] = "; ".join(raw["problems"])
    return Item(
        raw["id"],
        raw["folder"],
        raw["folder_name"],
        raw["subject"] or "(no subject)",
        raw["link"],
        datetime.fromisoformat(raw["received"]),
        values,
        int(raw.get("seq") or 0),
    )
