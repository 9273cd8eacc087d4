"""Who is signed in, and how their workspace writes and keeps."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal
from zoneinfo import available_timezones

from kelvix.core.feel.added.language import languages
from kelvix.core.fields.email import EMAIL
from kelvix.engine.engine import Engine
from kelvix.store import people, retention
from kelvix.store.people import MAY_WRITE, SESSION_DAYS, Person
from kelvix.workspace import Space
from kelvix.workspace.refusals import NotValid

__all__ = ["MAY_WRITE", "SESSION_DAYS", "Person"]


@dataclass(frozen=True)
class Settings:
    """`email`: where a person is told what needs them. What runs carried is kept for `keep_content` days, that they were for
    `keep_runs`."""

    email: str | None
    keep_content: int
    keep_runs: int


def known(engine: Engine, kind: Literal["session", "token"], secret: str) -> Person | None:
    """Return whose session or token this is."""
    home = engine.directory.home
    return people.by_session(home, secret) if kind == "session" else people.by_token(home, secret)


def sign_in(engine: Engine, code: str) -> str | None:
    """Return the session that a sign-in address gives, once."""
    return people.use_sign_in_link(engine.directory.home, code)


def sign_out(engine: Engine, session: str) -> None:
    people.end_session(engine.directory.home, session)


def settings(engine: Engine, space: Space, person: Person) -> Settings:
    home = engine.directory.home
    content, runs = home.read(lambda t: retention.days(t, space.id))
    return Settings(people.email_of(home, person.id), content, runs)


def change(
    engine: Engine, space: Space, person: Person, zone: str, language: str, order: str | None, wanted: Settings
) -> Space:
    """Change how a workspace writes dates and numbers and how long it keeps what runs carried, and where its owner is told:
    the workspace as it is then. Raises NotValid."""
    if zone not in available_timezones():
        raise NotValid(f"{zone} is not a time zone.", "Use for example Europe/London.")
    if language not in {code for code, _ in languages()}:
        raise NotValid(f"{language} is not an available language.", "Choose one from the list.")
    email = (wanted.email or "").strip()
    if email and not EMAIL.fullmatch(email):
        raise NotValid(f"{email} is not an email address.", "Use for example orla@works.example.")
    if wanted.keep_runs < wanted.keep_content:
        raise NotValid("Runs must be kept at least as long as their content.", "Enter at least as many days.")
    directory = engine.directory
    people.set_email(directory.home, person.id, email or None)
    directory.home.transact(lambda t: retention.set_days(t, space.id, wanted.keep_content, wanted.keep_runs))
    people.change_workspace(directory.home, space.id, zone, language, order)
    directory.forget(space.id)
    return directory.open(space.id)
