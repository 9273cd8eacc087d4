"""`bench`: runs the measurements in bench/, each beside its baseline in the same run; prints a table, writes JSON."""

from __future__ import annotations

import os
import subprocess
import sys

from kelvix.settings import TOP

# These take an hour, or the machine: they are run by their names only.
LONG = ("growth", "hostile", "large_file", "mirror", "mirror_model", "mirror_storm", "network", "soak", "storm", "targets")


def main(words: list[str]) -> None:
    known = sorted(p.stem for p in (TOP / "bench").glob("*.py") if not p.stem.startswith("_"))
    wanted = words or [name for name in known if name not in LONG]
    if unknown := [w for w in wanted if w not in known]:
        raise SystemExit(f"kelvix: unknown bench {unknown[0]}. Choose one of {', '.join(known)}")
    env = os.environ | {"PYTHONPATH": f"{TOP / 'src'}:{TOP / 'tests'}:{TOP / 'bench'}"}
    for name in wanted:
        done = subprocess.run([sys.executable, "-W", "ignore", str(TOP / f"bench/{name}.py")], cwd=TOP, env=env)
        if done.returncode:
            sys.exit(done.returncode)
