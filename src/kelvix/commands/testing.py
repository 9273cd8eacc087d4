"""`test`: all checks and tests, in as many processes as there are cores. Each test process starts its own servers. What stops
processes, or measures who waits for whom, follows by itself, so that it says nothing about how busy the machine was."""

from __future__ import annotations

import os
import subprocess
import sys

from kelvix.settings import TOP

NONE_FOUND = 5  # pytest's exit code where no test was chosen
CHOOSING = ("-n", "-m", "-x", "--pdb", "-s")  # whoever gives these says how it is to run


def main(words: list[str]) -> None:
    if any(w.startswith(CHOOSING) for w in words):
        sys.exit(_pytest(words))
    beside = _pytest(["-n", str(min(4, os.cpu_count() or 2)), "-m", "not alone", *words])
    alone = _pytest(["-m", "alone", *words])
    codes = {beside, alone} - {NONE_FOUND}
    sys.exit(max(codes) if codes else NONE_FOUND)


def _pytest(words: list[str]) -> int:
    env = os.environ | {"PYTHONPATH": f"{TOP / 'src'}:{TOP / 'tests'}"}
    return subprocess.run([sys.executable, "-m", "pytest", *words], cwd=TOP, env=env).returncode
