"""The soak: messages at a steady rate for an hour. Memory of each process and the time from arrival to the end of its run, at the
end beside the beginning. Only run by its name; KELVIX_SOAK_SECONDS makes it shorter."""

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


@dataclass
class Part:
    """A twelfth of the time: the memory of processes at its end, in MB, and the seconds that runs took in it."""

    memory: dict[str, float]
    took: list[float]
    waiting: int


def resident(pid: int) -> float:
    """MB, from the kernel's own count."""
    with open(f"/proc/{pid}/status") as status:
        kilobytes = next(int(line.split()[1]) for line in status if line.startswith("VmRSS"))
    return kilobytes / 1024


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
            memory = {name: resident(pid) for name, pid in processes(running).items()}
            parts.append(Part(memory, [float(r["took"]) for r in rows], waiting))
            print(f"  {len(parts)}/{PARTS}: {len(rows)} runs, median {1000 * median(parts[-1].took):.0f} ms", flush=True)
        time.sleep(5)
        done = len(orla.space.rows("SELECT id FROM run WHERE workflow_id=%s AND state='done'", (on.workflow,)))
    first, end = parts[1] if len(parts) > 2 else parts[0], parts[-1]
    rows = [[f"memory of {n}", f"{first.memory[n]:.0f} MB", f"{end.memory[n]:.0f} MB", f"{end.memory[n] / first.memory[n]:.2f}"]
            for n in first.memory]  # fmt: skip
    for name, of in (("median", median), ("95 %", lambda v: percentile(v, 0.95))):
        a, b = of(first.took), of(end.took)
        rows.append([f"from arrival to end, {name}", f"{1000 * a:.0f} ms", f"{1000 * b:.0f} ms", f"{b / a:.2f}"])
    table(f"soak: {number:,} messages in {SECONDS / 60:.0f} minutes", ["", "beginning", "end", "ratio"], rows)
    level = all(end.memory[n] / first.memory[n] <= MORE_MEMORY for n in ("web", "worker", "practice"))
    verdict(level, f"no process of ours holds more than {MORE_MEMORY} times as much")
    verdict(median(end.took) / median(first.took) <= SLOWER, f"runs take no more than {SLOWER} times as long")
    verdict(done == number + 20 and end.waiting < 20, "all were carried, and none waits")
    keep("soak", {"parts": [{"memory": p.memory, "median": median(p.took), "runs": len(p.took)} for p in parts]})


if __name__ == "__main__":
    main()
