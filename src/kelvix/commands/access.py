"""`token` prints a bearer token for the API, `sign-in` a new sign-in address. Each is shown once."""

from __future__ import annotations

from kelvix.commands.joining import parser, settings_at
from kelvix.store import checkup, people
from kelvix.store.database_server import DatabaseServer


def main(command: str, words: list[str]) -> None:
    arguments = parser()
    if command == "token":
        arguments.add_argument("--name", required=True, help="what the token is for")
    given = arguments.parse_args(words)
    settings = settings_at(given.data)
    server = settings.servers["home"]
    if not checkup.lets_in(server):
        raise SystemExit("kelvix: its database is not responding. Start Kelvix first.")
    home = DatabaseServer(server)
    owner = people.first_owner(home)
    if owner is None:
        raise SystemExit("kelvix: there is no workspace yet. Start Kelvix once.")
    if command == "token":
        print(people.new_token(home, owner.id, given.name))
    else:
        print(f"{settings.address}/sign-in/{people.new_sign_in_link(home, owner.id)}")
