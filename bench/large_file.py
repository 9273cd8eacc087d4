"""A file of 1 GB passes through: from one folder of practice Files by a run into another, a piece at a time. What each process
held at most meanwhile, beside what it held before. Claim: no process grows by more than 64 MB. Only by name; the size in MB can
be set by KELVIX_LARGE_MB."""

from __future__ import annotations

import hashlib
import json
import os
import pathlib
import time

from _report import keep, kelvix, table, verdict

from kelvix.connectors.http import Caller
from kelvix.practice.contents import Contents
from support import Kelvix, Person, until

MB = int(os.environ.get("KELVIX_LARGE_MB", "1024"))
AT_MOST = 64.0  # MB
PIECE = bytes(range(256)) * 4096  # 1 MB


def held(running: Kelvix, name: str) -> float:
    """MB that a process holds now."""
    status = pathlib.Path(f"/proc/{running.installation.child(name).pid}/status").read_text()
    return int(status.partition("VmRSS:")[2].split()[0]) / 1024


def most(running: Kelvix, name: str, forget: bool = False) -> float:
    """MB that a process held at most since it was forgotten."""
    there = pathlib.Path(f"/proc/{running.installation.child(name).pid}")
    if forget:
        (there / "clear_refs").write_text("5")
    return int((there / "status").read_text().partition("VmHWM:")[2].split()[0]) / 1024


def workflow(orla: Person) -> int:
    connection = orla.connect("In", "Out", app="files", send=True)
    inside, out = (str(orla.container("files", n)) for n in ("In", "Out"))
    when = {"verb": "when", "id": "w", "app": "files", "connection": connection, "container": inside}
    save = {"verb": "save_file", "id": "s", "connection": connection, "container": out, "container_name": "Out",
            "file": [{"ref": {"line": "w", "value": "file"}}]}  # fmt: skip
    made = orla.workflow("Large", {"lines": [when, save]})
    orla.api("POST", f"/workflows/{made}/on")
    return made


def main() -> None:
    with kelvix() as running:
        orla = running.person("Orla")
        flow = workflow(orla)
        orla.put_files("In", {"small.bin": b"x"})
        until(lambda: len(orla.runs(flow, "done")) == 1, 60)
        names = ("worker", "practice", "web")
        before = {n: held(running, n) for n in names}
        for name in names:
            most(running, name, forget=True)
        token, began = orla.token(orla.api("GET", "/connections")[0]["id"]), time.monotonic()
        folder = orla.container("files", "In")
        caller = Caller("Files", running.settings.practice_address)
        body = (PIECE for _ in range(MB))
        caller.call("POST", f"/files/api/folders/{folder}/files", token, params={"name": "large.bin"}, body=body)
        uploaded = time.monotonic() - began
        until(lambda: len(orla.runs(flow, "done")) == 2, 900, 0.2)
        took = time.monotonic() - began - uploaded
        after = {n: most(running, n) for n in names}
        [row] = [r for r in running.practice.items(orla.container("files", "Out"), 10) if "large" in r["body"]]
        whole = hashlib.sha256()
        contents = Contents(pathlib.Path(running.settings.data) / "practice-files")
        for piece in contents.read(json.loads(row["body"])["digest"]):
            whole.update(piece)
        expected = hashlib.sha256()
        for _ in range(MB):
            expected.update(PIECE)
        assert whole.digest() == expected.digest(), "it is not the same file"
    rows = [[n, f"{before[n]:.0f} MB", f"{after[n]:.0f} MB", f"{after[n] - before[n]:+.0f} MB"] for n in names]
    table(f"large file: {MB} MB, up in {uploaded:.0f} s, through in {took:.0f} s", ["", "before", "at most", ""], rows)
    verdict(all(after[n] - before[n] <= AT_MOST for n in names), f"no process grows by more than {AT_MOST:.0f} MB")
    keep("large_file", {"mb": MB, "before": before, "most": after, "seconds": took})


if __name__ == "__main__":
    main()
