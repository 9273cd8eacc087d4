"""An e-mail address."""

from __future__ import annotations

from collections.abc import Iterator

from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.patterns import cut, short
from kelvix.core.values import Person, Unfit, Value, shorten

MAX_LENGTH = 320
WITH_AT = cut(r"\S+@\S+", worst="a")
# WHATWG HTML, "valid e-mail address" (input type=email), with a required dot-free or dotted host as the text gives it.
EMAIL = short(
    r"[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?"
    r"(?:\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*",
    most=MAX_LENGTH,
    worst="a@a.",
)


class Email(FieldType):
    code, rank, name, with_article = "email", 70, "email", "an email address"
    accepts = "one address, such as ada@stbride.example"
    refuses = "an address with a name around it"
    example = "ada.pell@stbride.example"
    longest = MAX_LENGTH
    column, index_prefix = "VARCHAR(320)", 60
    groups = True
    reads_first_words = True
    family, from_text, into_text = "address", 0.5, 0.35
    tells_apart = 1
    fits = {"person": 0.8}
    refuses_families = frozenset(("time", "number", "yes_no"))

    def seems(self, raw: object) -> bool:
        return isinstance(raw, str) and "@" in raw and self.takes(raw)

    def in_line(self, text: str) -> Iterator[tuple[int, int, str]]:
        for match in WITH_AT.finditer(text):
            address = match[0].strip("<>,;.()")
            if EMAIL.fullmatch(address):
                start = match.start() + match[0].index(address)
                yield start, start + len(address), address

    def coerce(self, value: Value, how: Taking) -> Value:
        return super().coerce(value.address if isinstance(value, Person) and value.address else value, how)

    def read(self, text: str, how: Taking) -> Value:
        line = one_line(text)
        if not EMAIL.fullmatch(line):
            raise Unfit(f"“{shorten(text)}” is not an email address")
        return line


TYPE = Email()
