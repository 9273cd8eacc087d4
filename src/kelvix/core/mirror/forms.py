"""How what a mirror knows is kept as JSON: values of any domain, what fields stand for, what was agreed on, and what a person
chose. Each value says of which kind it is, so that it is read back without its field."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

from kelvix.core import kept_values
from kelvix.core.mirror.document import Away, FieldPair, Key, MatchRule, Mirror, MirrorSide, Safety
from kelvix.core.mirror.lens import Canonical
from kelvix.core.mirror.merge import Agreed, Conflict, Outcome, Unmatched, Unread
from kelvix.core.mirror.reconciling import Standing
from kelvix.core.mirror.rich_text import RichText
from kelvix.core.mirror.roots import Root
from kelvix.core.mirror.translations.file import Document
from kelvix.core.mirror.translations.people import Somebody
from kelvix.core.values import Composite, Value, Wire, to_wire

Json = Any
CHOICES = ("creates", "first", "deletes", "leaving", "quiet", "comments")


def value_json(value: Canonical | Value) -> Json:
    """Return a value of a domain, or of a field, as JSON keeps it."""
    if value is None or isinstance(value, bool) or type(value) is str:
        return value
    if isinstance(value, RichText):
        return ["rich", value.text]
    if isinstance(value, frozenset):
        return ["set", sorted(map(value_json, value), key=str)]
    if isinstance(value, tuple):
        return ["list", [value_json(one) for one in value]]
    if isinstance(value, Document):
        return ["document", value.name, value.size, value.kind, value.source]
    if isinstance(value, Somebody):
        return ["somebody", value.key, value.name, value.address]
    if isinstance(value, Unmatched):
        return ["unmatched", value.what, value.name, value.waits]
    if isinstance(value, Unread):
        return ["unread", value.why]
    assert value is None or isinstance(value, str | date | Decimal | time | timedelta | Composite)
    return kept_values.value_json(value)


def value_of(kept: Json) -> Any:
    """Read what `value_json` made. Raises ValueError."""
    if not isinstance(kept, list):
        return kept
    kind, *rest = kept
    match kind:
        case "rich":
            return RichText(rest[0])
        case "set":
            return frozenset(map(value_of, rest[0]))
        case "list":
            return tuple(map(value_of, rest[0]))
        case "document":
            return Document(*rest)
        case "somebody":
            return Somebody(*rest)
        case "unmatched":
            return Unmatched(*rest)
        case "unread":
            return Unread(*rest)
    return kept_values.value_of(kept)


def root_json(root: Root | None) -> Json:
    return None if root is None else [root.id, *root.after]


def root_of(kept: Json) -> Root | None:
    return None if kept is None else Root(kept[0], tuple(kept[1:]))


def standing_json(standing: Standing) -> Json:
    meant = {} if standing.meant == standing.raw else {"meant": value_json(standing.meant)}
    at = standing.at.isoformat() if standing.at else None
    raw = value_json(standing.raw)
    return {"raw": raw, **meant, "root": root_json(standing.root), "at": at, "person": standing.by_person}


def standing_of(kept: Json) -> Standing:
    raw = value_of(kept["raw"])
    at = datetime.fromisoformat(kept["at"]) if kept["at"] else None
    return Standing(raw, value_of(kept["meant"]) if "meant" in kept else raw, root_of(kept["root"]), at, kept["person"])


def agreed_json(agreed: Mapping[str, Agreed]) -> Json:
    return {key: value_json(one.value) for key, one in agreed.items()}


def agreed_of(kept: Json) -> dict[str, Agreed]:
    return {key: Agreed(value_of(one)) for key, one in kept.items()}


def outcome_json(outcome: Outcome) -> Json:
    """Return what is open of a field; what is written for it is computed anew when it is."""
    made: dict[str, Json] = {"state": outcome.state}
    if (c := outcome.conflict) is not None:
        was = [value_json(c.agreed.value)] if c.agreed else []
        made["conflict"] = {"was": was, "left": value_json(c.left), "right": value_json(c.right), "key": c.key}
    return made


def outcome_of(kept: Json) -> Outcome:
    conflict = None
    if (c := kept.get("conflict")) is not None:
        was = Agreed(value_of(c["was"][0])) if c["was"] else None
        conflict = Conflict(was, value_of(c["left"]), value_of(c["right"]), c["key"])
    return Outcome(kept["state"], conflict=conflict)


# What a person chose


def away_json(away: Away | None) -> Json:
    return {"field": away.field, "value": value_json(away.value)} if away is not None else None


def away_of(kept: Json) -> Away | None:
    return Away(kept["field"], value_of(kept["value"])) if kept else None


def mirror_json(mirror: Mirror) -> Json:
    sides = {
        side: {"database": of.database, "where": kept_values.where_json(of.where), "away": away_json(of.away)}
        for side, of in mirror.sides
    }
    fields = [asdict(one) for one in mirror.fields]
    rest = {key: getattr(mirror, key) for key in CHOICES}
    since = mirror.comments_since.isoformat() if mirror.comments_since else None
    parts = {"match": asdict(mirror.match), "safety": asdict(mirror.safety), "comments_since": since}
    return {**sides, "fields": fields, **parts, **rest}


def mirror_of(kept: Json) -> Mirror:
    left, right = (
        MirrorSide(kept[side]["database"], kept_values.where_of(kept[side]["where"]), away_of(kept[side].get("away")))
        for side in ("left", "right")
    )
    match = MatchRule(tuple(Key(**key) for key in kept["match"]["keys"]), kept["match"]["least"])
    fields = tuple(FieldPair(**one) for one in kept["fields"])
    rest = {key: kept[key] for key in CHOICES if key in kept}
    since = datetime.fromisoformat(kept["comments_since"]) if kept.get("comments_since") else None
    return Mirror(left, right, fields, match, safety=Safety(**kept["safety"]), comments_since=since, **rest)


def wire_json(values: Mapping[str, Value]) -> dict[str, Wire]:
    """Return values as they are shown in a history."""
    return {key: to_wire(value) for key, value in values.items()}
