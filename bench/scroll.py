"""A table of 100,000 records scrolled in Chromium, as a hand does it: 60 px a frame, for some seconds, and thrown to its middle.

The baseline is a static table of as many columns in the same frame of the same page, scrolled the same way. Claim: the share of frames that
take more than 20 ms is at most that of the static table and five points; and no row that is in sight while one scrolls is blank.
KELVIX_SCROLL is the number of records.
"""

from __future__ import annotations

import os
from typing import Any

from _report import keep, kelvix, table, verdict
from playwright.sync_api import Page, sync_playwright

from kelvix.commands.shots import CHROMIUM
from kelvix.store import databases, ddl, people
from kelvix.store.databases import NewField

RECORDS = int(os.environ.get("KELVIX_SCROLL", "100000"))
FRAMES, STEP, SLOW, POINTS = 240, 60, 20, 0.05
# Scrolls an element by so many px each frame: the milliseconds of each, and how many rows in sight were blank.
SCROLL = """([of, frames, step]) => new Promise(done => {
  const box = document.querySelector(of), took = [];
  let blank = 0, last = performance.now();
  const next = now => {
    took.push(now - last);
    last = now;
    const frame = box.getBoundingClientRect();
    for (const row of box.querySelectorAll('[aria-busy=true]')) {
      const { top, bottom } = row.getBoundingClientRect();
      if (bottom > frame.top + 44 && top < frame.bottom) blank += 1;
    }
    box.scrollTop += step;
    took.length < frames ? requestAnimationFrame(next) : done({ took: took.slice(2), blank, rows: box.querySelectorAll('[role=row]').length });
  };
  requestAnimationFrame(next);
})"""
# A static table in the place of ours: as many columns, and more rows than are scrolled through.
STATIC = """([rows]) => {
  const frame = document.querySelector('.vt'), cells = [...document.querySelectorAll('.vt .tr')][5].querySelectorAll('.td').length;
  const one = n => `<tr>${Array.from({length: cells}, (_, c) => `<td class="td">Cell ${n} ${c}</td>`).join('')}</tr>`;
  frame.id = 'static';
  frame.innerHTML = `<table><tbody>${Array.from({length: rows}, (_, n) => one(n)).join('')}</tbody></table>`;
}"""


def scrolled(page: Page, of: str) -> dict[str, Any]:
    page.wait_for_timeout(800)
    found = page.evaluate(SCROLL, [of, FRAMES, STEP])
    slow = sum(ms > SLOW for ms in found["took"]) / len(found["took"])
    return {"slow": slow, "typical": sorted(found["took"])[len(found["took"]) // 2], "blank": found["blank"]}


def main() -> None:
    with kelvix() as running, sync_playwright() as playwright:
        orla = running.person("Orla")
        made = databases.create(
            orla.space,
            "Tasks",
            (
                NewField("Name", "text"),
                NewField("Stage", "choice", choices=("To do", "Done")),
                NewField("Due", "date"),
                NewField("Hours", "number"),
                NewField("Note", "text"),
            ),
        )
        by = [ddl.column(f.id) for f in made.fields[:5]]
        orla.space.read(
            lambda t: t.execute(
                f"INSERT INTO {ddl.table(made.id)} ({', '.join(by)}) SELECT CONCAT('Task ', seq), 1 + MOD(seq, 2), "
                f"DATE('2020-01-01') + INTERVAL MOD(seq * 7919, 2500) DAY, MOD(seq, 400) / 4, CONCAT('A note of ', seq) FROM seq_1_to_{RECORDS}"
            )
        )
        code = people.new_sign_in_link(running.engine.directory.home, orla.owner.id)
        page = playwright.chromium.launch(**CHROMIUM).new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{running.address}/sign-in/{code}")
        page.goto(f"{running.address}/databases/{made.id}")
        page.locator(".vt .tr .td >> nth=3").wait_for()
        top = scrolled(page, ".vt")
        page.evaluate(f"document.querySelector('.vt').scrollTop = {RECORDS * 16}")  # to the middle
        for _ in range(100):  # until the middle is read: page by page, since it is deep
            page.wait_for_timeout(200)
            if page.evaluate(
                "!document.querySelector('.vt [aria-busy=true]') && document.querySelectorAll('.vt .tr').length > 20"
            ):
                break
        deep = page.evaluate("document.querySelectorAll('.vt .tr')[5].getAttribute('aria-rowindex')")
        middle = scrolled(page, ".vt")
        page.evaluate(STATIC, [FRAMES * STEP // 32 + 100])
        static = scrolled(page, "#static")
    print(f"  the middle is row {int(deep):,}")
    rows = {"a static table": static, "from the top": top, "in the middle": middle}
    table(
        f"{RECORDS:,} records scrolled by {STEP} px a frame",
        ["", f"over {SLOW} ms", "typical ms", "blank rows"],
        [[name, f"{one['slow']:.1%}", f"{one['typical']:.1f}", str(one["blank"])] for name, one in rows.items()],
    )
    worst = max(top["slow"], middle["slow"])
    verdict(
        worst <= static["slow"] + POINTS, f"frames over {SLOW} ms at most five points more than a static table: {worst:.1%}"
    )
    verdict(top["blank"] + middle["blank"] == 0, "no blank rows")
    keep("scroll", rows)


if __name__ == "__main__":
    main()
