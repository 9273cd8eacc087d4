"""The program behind ./kelvix: each command by its name."""

from __future__ import annotations

import sys

from kelvix.commands import logs

HELP = """kelvix COMMAND

  demo       start with the demo workspace          --data DIR --port N --host H
  start      start for real use                     --data DIR --port N --host H --database-host H
                                                    --reach HOST:PORT --no-practice
  test       run all tests                          [pytest's own arguments]
  bench      measure, beside a baseline             [name]
  shots      refresh docs/screenshots from the demo
  worker     one more worker for a running Kelvix   --data DIR
  token      a bearer token for the API, shown once --name X --data DIR
  sign-in    a new sign-in address                  --data DIR
  doctor     check the installation, report problems  --data DIR
"""


def main() -> None:
    command, words = (sys.argv[1] if len(sys.argv) > 1 else "help"), sys.argv[2:]
    logs.set_up(command, plain=sys.stderr.isatty())
    match command:
        case "demo" | "start":
            from kelvix.commands import serve

            serve.main(words, demo=command == "demo")
        case "web" | "practice" | "worker":
            from kelvix.commands import children

            getattr(children, command)(words)
        case "token" | "sign-in":
            from kelvix.commands import access

            access.main(command, words)
        case "doctor":
            from kelvix.commands import doctor

            doctor.main(words)
        case "test":
            from kelvix.commands import testing

            testing.main(words)
        case "bench":
            from kelvix.commands import benching

            benching.main(words)
        case "shots":
            from kelvix.commands import shots

            shots.main(words)
        case "handbook":
            from kelvix.commands import claims, handbook
            from kelvix.connectors.apps import apps

            handbook.main()
            claims.main(apps("").values())
        case "openapi":
            from kelvix.commands import openapi

            openapi.main()
        case _:
            print(HELP)
            sys.exit(0 if command in ("help", "-h", "--help") else 2)


if __name__ == "__main__":
    main()
