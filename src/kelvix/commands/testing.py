"""`test`: all checks and tests, in as many processes as there are cores. Each test process starts its own servers."""

from __future__ import annotations

import os
import subprocess
import sys

from kelvix.settings import TOP


def main(words: list[str]) -> None:
    many = (
        []
        if any(w in ("-n", "-x", "--pdb", "-s") or w.startswith("-n") for w in words)
        else ["-n", str(min(4, os.cpu_count() or 2))]
    )
    env = os.environ | {"PYTHONPATH": f"{TOP / 'src'}:{TOP / 'tests'}"}
    sys.exit(subprocess.run([sys.executable, "-m", "pytest", *many, *words], cwd=TOP, env=env).returncode)
