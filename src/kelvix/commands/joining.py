"""Commands that join a Kelvix that runs already: they read the settings file in its data folder."""

from __future__ import annotations

import argparse
import os
import pathlib

from kelvix import settings as settings_module
from kelvix.settings import TOP, VARIABLE, Settings


def parser() -> argparse.ArgumentParser:
    made = argparse.ArgumentParser(prog="kelvix")
    made.add_argument("--data", type=pathlib.Path, default=None, help="the data folder of the Kelvix to join")
    return made


def settings_at(data: pathlib.Path | None) -> Settings:
    """Of the folder that is named, else of the settings file that the environment names, else of the one that is here."""
    if data is None and os.environ.get(VARIABLE):
        return settings_module.read()
    folders = [data] if data else [TOP / "data/main", TOP / "data/demo"]
    found = [f / "settings.json" for f in folders if (f / "settings.json").exists()]
    if not found:
        raise SystemExit(
            "kelvix: Kelvix has not been started here yet. Run ./kelvix start, or give its data folder with --data"
        )
    return settings_module.read(max(found, key=lambda f: f.stat().st_mtime))


def settings_of(words: list[str]) -> Settings:
    return settings_at(parser().parse_args(words).data)
