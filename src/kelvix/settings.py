"""What an installation is told from outside: where its data lies, its servers, its keys, its addresses."""

from __future__ import annotations

import json
import os
import pathlib
from dataclasses import asdict, dataclass, field

TOP = pathlib.Path(__file__).resolve().parents[2]
VARIABLE = "KELVIX_SETTINGS"  # names the settings file that the start command wrote


@dataclass(frozen=True)
class Server:
    """One MariaDB server and the schema in it that Kelvix uses."""

    host: str
    port: int
    user: str
    password: str
    schema: str = "kelvix"


def _seconds(variable: str, otherwise: float) -> float:
    """Return a field whose default an environment variable may set, where settings are made; whoever reads them finds it
    there."""
    default: float = field(default_factory=lambda: float(os.environ.get(variable, otherwise)))
    return default


@dataclass(frozen=True)
class Settings:
    """`servers` maps a server's name to its address; the one called "home" also keeps people and sessions."""

    data: str
    servers: dict[str, Server]
    key: str  # 32 bytes, base64: encrypts secrets; never kept in the database
    practice: Server
    host: str = "127.0.0.1"
    port: int = 8600
    practice_port: int = 8601
    smtp_port: int = 8625
    metrics_port: int = 0  # of the web application; a worker takes the next one that is free; 0: none
    capture_smtp_port: int = 0  # where mail to capture addresses is taken; 0: nowhere
    capture_mail_domain: str = "capture.localhost"  # of their addresses: the one whose mail is sent to that port
    smtp_host: str = "127.0.0.1"  # where mail to the owner is handed in
    reachable: tuple[str, ...] = ()  # hosts of private networks, as name:port, to which web requests may go all the same
    lease: float = _seconds("KELVIX_LEASE", 30)  # for which a claim holds, by the database's clock
    tell_every: float = _seconds("KELVIX_TELL_EVERY", 30)  # between looks for what the owner is told
    recover_every: float = _seconds("KELVIX_RECOVER_EVERY", 20)  # between looks for connections that are well again
    count_every: float = _seconds("KELVIX_COUNT_EVERY", 20)  # between counts of a workspace's runs

    @property
    def address(self) -> str:
        """Where people reach Kelvix, and where apps push to."""
        return f"http://{self.host}:{self.port}"

    @property
    def may_reach(self) -> frozenset[str]:
        """The hosts of private networks to which web requests may go: the practice apps, and what the installation names."""
        return frozenset((f"localhost:{self.practice_port}", *self.reachable))

    @property
    def practice_address(self) -> str:
        """A different host name than Kelvix's, so that no cookie is shared."""
        return f"http://localhost:{self.practice_port}"

    def json(self) -> str:
        """Return the settings as a text, from which `of_json` reads them."""
        return json.dumps(asdict(self), indent=1)


def read(path: str | pathlib.Path | None = None) -> Settings:
    """Return the settings of this process. Raises SystemExit with what to do where there are none."""
    path = path or os.environ.get(VARIABLE)
    if not path or not pathlib.Path(path).exists():
        raise SystemExit(f"kelvix: no settings file. Start with ./kelvix demo or ./kelvix start, or set {VARIABLE}")
    return of_json(pathlib.Path(path).read_text())


def of_json(text: str) -> Settings:
    """Return the settings that a text holds, as `write` wrote it."""
    raw = json.loads(text)
    raw["servers"] = {name: Server(**server) for name, server in raw["servers"].items()}
    raw["practice"] = Server(**raw["practice"])
    raw["reachable"] = tuple(raw.get("reachable", ()))
    return Settings(**raw)
