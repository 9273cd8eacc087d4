"""One of a field's choices, kept by its id."""

from __future__ import annotations

from kelvix.core.fields.field_type import FieldType, Taking, one_line
from kelvix.core.values import NewChoice, Unfit, Value, fold, shorten

MAX_NAME = 100


class UnknownChoice(Unfit):
    """A text names none of the choices: `name`, which one could be made of."""

    def __init__(self, sentence: str, name: str):
        super().__init__(sentence)
        self.name = name


def choose(text: str, how: Taking) -> str:
    """Return the id of the choice that a text names, or a new one where the field allows it. Raises Unfit."""
    line = one_line(text)
    for choice in how.choices:
        if fold(choice.name) == fold(line) or choice.id == line:
            return choice.id
    if how.grows and len(line) <= MAX_NAME:
        return NewChoice(line)
    known = ", ".join(c.name for c in how.choices[:8]) or "none yet"
    raise UnknownChoice(f"“{shorten(text)}” is not one of the choices ({known})", line if len(line) <= MAX_NAME else "")


class Choice(FieldType):
    code, rank, name, with_article = "choice", 60, "choice", "a choice"
    accepts = "the name of a choice, ignoring case and accents; a new one if the field allows it"
    refuses = "other texts"
    operators = ("is", "is_not", "filled", "empty")
    has_choices = reads_first_words = True
    in_requests = False
    column = "VARCHAR(20)"
    groups = True
    from_text, carried_as = 0.5, "text"

    def read(self, text: str, how: Taking) -> Value:
        return choose(text, how)


TYPE = Choice()
