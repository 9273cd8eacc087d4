"""Collections of apps whose items have comments, which are listed, added and deleted beside the item."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from kelvix.connectors.listed import VaryingCollection
from kelvix.core.collection import Comment
from kelvix.core.schema import Field, Operation
from kelvix.core.values import Value


class CommentedCollection(VaryingCollection):
    """A container whose items have comments."""

    def comments(self, id: str) -> tuple[Comment, ...]:
        return tuple(map(_comment, self.account.call("GET", self._where(id))["comments"]))

    def comment(self, id: str, text: str, key: str) -> Comment:
        return _comment(self.account.call("POST", self._where(id), json={"text": text}, key=key))

    def delete_comment(self, id: str, comment: str, key: str) -> None:
        self.account.call("DELETE", f"{self._where(id)}/{comment}", key=key)

    def operations(self) -> tuple[Operation, ...]:
        text = Field("text", "Comment", "long_text", required=True)
        return (Operation("comment", "add a comment", (text,), knows_keys=self.capabilities.keys),)

    def perform(self, operation: str, id: str, values: Mapping[str, Value], key: str) -> str | None:
        self.comment(id, str(values.get("text") or ""), key)
        return None

    def _where(self, id: str) -> str:
        return f"/{self.account.app.items_word}/{id}/comments"


def _comment(raw: dict[str, Any]) -> Comment:
    return Comment(raw["id"], raw["text"], raw["by"], datetime.fromisoformat(raw["at"]))
