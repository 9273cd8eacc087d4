"""The source packages of packages.lock, as `./kelvix test` unpacked them."""

from __future__ import annotations

from pathlib import Path

UNPACKED = Path(__file__).resolve().parents[2] / ".reference"


def package(name: str) -> Path:
    found = sorted(UNPACKED.glob(f"{name}-*"))
    assert found, f"the source of {name} is not here: ./kelvix test fetches it"
    return found[-1]
