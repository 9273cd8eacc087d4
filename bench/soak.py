"""The soak: messages at a steady rate for an hour. Memory, file handles and threads of each process, the rows of tables that hold
what passes, and the time from arrival to the end of its run, at the end beside the beginning. Only run by its name; KELVIX_SOAK_SECONDS makes it shorter."""

from __future__ import annotations

import os
import time
from dataclasses import dataclass

from _report import keep, kelvix, median, percentile, table, verdict

from support import Kelvix, turn_on

SECONDS = float(os.environ.get("KELVIX_SOAK_SECONDS", "3600"))
EACH_SECOND = float(os.environ.get("KELVIX_SOAK_RATE", "4"))
PARTS = 12
MORE_MEMORY, SLOWER = 1.25, 2.0  # times as much as at the beginning, that is still taken for level
MORE_HANDLES, MORE_ROWS = 12, 200  # more than at the beginning, likewise: what comes and goes
OURS = ("web", "worker", "practice")
PASSING = ("ready", "settling", "pace", "held", "inbox", "listener", "idempotency", "question", "request_count", "lane_place")


@dataclass
class Part:
    """A twelfth of the time: what processes hold at its end (memory in MB, file handles, threads), rows of tables, and the seconds
    that runs took in it."""

    memory: dict[str, float]
    handles: dict[str, int]
    threads: dict[str, int]
    rows: dict[str, int]
    took: list[float]
    waiting: int


def resident(pid: int) -> float:
    """MB, from the kernel's own count."""
    with open(f"/proc/{pid}/status") as status:
        kilobytes = next(int(line.split()[1]) for line in status if line.startswith("VmRSS"))
    return kilobytes / 1024


def threads(pid: int) -> int:
    with open(f"/proc/{pid}/status") as status:
        return next(int(line.split()[1]) for line in status if line.startswith("Threads"))


def processes(running: Kelvix) -> dict[str, int]:
    children = {name: running.installation.child(name).pid for name in running.installation._children}
    return children | {"mariadb": running.installation.mariadb.child.pid}


def main() -> None:
    parts: list[Part] = []
    with kelvix() as running:
        orla = running.person("Orla")
        on = turn_on(orla)
        for n in range(20):  # what is loaded once is loaded
            orla.deliver(f"before {n}")
        time.sleep(5)
        last, number = 0, 0
        for _ in range(PARTS):
            until = time.monotonic() + SECONDS / PARTS
            while (now := time.monotonic()) < until:
                orla.deliver(f"message {number}")
                number += 1
                time.sleep(max(0.0, 1 / EACH_SECOND - (time.monotonic() - now)))
            rows = orla.space.rows(
                "SELECT id, TIMESTAMPDIFF(MICROSECOND, created_at, finished_at) / 1e6 AS took FROM run WHERE workflow_id=%s "
                "AND id > %s AND finished_at IS NOT NULL",
                (on.workflow, last),
            )
            last = max((r["id"] for r in rows), default=last)
            waiting = orla.space.row("SELECT COUNT(*) AS n FROM ready WHERE due_at <= NOW(3)")["n"]
            pids = processes(running)
            parts.append(
                Part(
                    {name: resident(pid) for name, pid in pids.items()},
                    {name: len(os.listdir(f"/proc/{pids[name]}/fd")) for name in OURS},
                    {name: threads(pids[name]) for name in OURS},
                    {name: orla.space.row(f"SELECT COUNT(*) AS n FROM {name}")["n"] for name in PASSING},
                    [float(r["took"]) for r in rows],
                    waiting,
                )
            )
            print(f"  {len(parts)}/{PARTS}: {len(rows)} runs, median {1000 * median(parts[-1].took):.0f} ms", flush=True)
        time.sleep(5)
        done = len(orla.space.rows("SELECT id FROM run WHERE workflow_id=%s AND state='done'", (on.workflow,)))
    first, end = parts[1] if len(parts) > 2 else parts[0], parts[-1]
    rows = [[f"memory of {n}", f"{first.memory[n]:.0f} MB", f"{end.memory[n]:.0f} MB", f"{end.memory[n] / first.memory[n]:.2f}"]
            for n in first.memory]  # fmt: skip
    for what in ("handles", "threads", "rows"):
        before, after = getattr(first, what), getattr(end, what)
        rows += [[f"{what} of {n}", str(before[n]), str(after[n]), f"{after[n] - before[n]:+}"] for n in before]
    for name, of in (("median", median), ("95 %", lambda v: percentile(v, 0.95))):
        a, b = of(first.took), of(end.took)
        rows.append([f"from arrival to end, {name}", f"{1000 * a:.0f} ms", f"{1000 * b:.0f} ms", f"{b / a:.2f}"])
    table(f"soak: {number:,} messages in {SECONDS / 60:.0f} minutes", ["", "beginning", "end", "ratio"], rows)
    level = all(end.memory[n] / first.memory[n] <= MORE_MEMORY for n in OURS)
    verdict(level, f"no process of ours holds more than {MORE_MEMORY} times as much")
    held = all(end.handles[n] - first.handles[n] <= MORE_HANDLES for n in OURS)
    held = held and all(end.threads[n] - first.threads[n] <= MORE_HANDLES for n in OURS)
    verdict(held, f"none has more than {MORE_HANDLES} file handles or threads more")
    rows_level = all(end.rows[n] - first.rows[n] <= MORE_ROWS for n in PASSING)
    verdict(rows_level, f"no table of what passes has more than {MORE_ROWS} rows more")
    verdict(median(end.took) / median(first.took) <= SLOWER, f"runs take no more than {SLOWER} times as long")
    verdict(done == number + 20 and end.waiting < 20, "all were carried, and none waits")
    keep(
        "soak",
        {
            "parts": [
                {
                    "memory": p.memory,
                    "handles": p.handles,
                    "threads": p.threads,
                    "rows": p.rows,
                    "median": median(p.took),
                    "runs": len(p.took),
                }
                for p in parts
            ]
        },
    )


if __name__ == "__main__":
    main()
