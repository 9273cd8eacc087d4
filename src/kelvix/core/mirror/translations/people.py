"""People: the same where their address is, or where that is not known, their name. An address may stand alone."""

from __future__ import annotations

from dataclasses import dataclass, field

from kelvix.core.fields import TYPES
from kelvix.core.mirror.lens import Canonical, Domain, Lens
from kelvix.core.mirror.translations.translation import Around, Options, Translation
from kelvix.core.schema import Field
from kelvix.core.values import Person, Value


@dataclass(frozen=True)
class Somebody:
    """A person, the same as another by what `key` says."""

    key: str
    name: str = field(compare=False)
    address: str = field(compare=False)


class Known(Lens):
    """A person by address, or else by name; by name alone where one side knows no more."""

    def __init__(self, type: str, by_name: bool):
        self.type, self.by_name = type, by_name

    def get(self, raw: Value) -> Canonical:
        if raw is None:
            return None
        if isinstance(raw, Person):
            name, address = raw.name, raw.address
        else:
            name, address = (str(raw), "") if self.by_name else ("", str(raw))
        name, address = " ".join(name.split()), address.strip()
        if self.by_name:
            return Somebody(name or address, name or address, "")
        return Somebody(address.lower() or name, name, address)

    def fresh(self, raw: Value, value: Canonical) -> Value:
        if value is None:
            return None
        assert isinstance(value, Somebody)
        if TYPES[self.type].keeps is Person:
            return Person(value.name, value.address)
        return value.name if self.by_name else value.address or None


class Someone(Translation):
    code, words = "people", "a person"

    def fits(self, left: Field, right: Field) -> float | None:
        people = [TYPES[f.type].keeps is Person for f in (left, right)]
        tells = [TYPES[f.type].takes_all or f.type == "email" for f in (left, right)]
        if all(people):
            return 1.0
        return 0.5 if any(people) and any(tells) else None

    def domain(self, left: Field, right: Field, options: Options, around: Around) -> Domain:
        by_name = any(TYPES[f.type].takes_all for f in (left, right))
        return Domain.between(left, right, lambda f: Known(f.type, by_name), "person")

    def loses(self, left: Field, right: Field, options: Options) -> tuple[str, ...]:
        if left.type == right.type:
            return ()
        by_name = any(TYPES[f.type].takes_all for f in (left, right))
        return (f"Only the {'name' if by_name else 'address'} of a person crosses.",)


TRANSLATION = Someone()
