"""`shots`: one picture of each main view, from the demo data, into docs/screenshots."""

from __future__ import annotations

import argparse
from typing import Any

from kelvix.commands.serve import demo_for_a_while, sign_in_address
from kelvix.settings import TOP

FLAGS = (
    "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking "
    "--disable-component-update --disable-sync"
)
CHROMIUM: dict[str, Any] = {"executable_path": "/usr/bin/chromium", "args": FLAGS.split()}
FOLDER = TOP / "docs/screenshots"

# What is shown, and what is pressed or typed there, one after the other.
VIEWS: dict[str, tuple[str, ...]] = {
    "today": ("/today", "see:figure"),
    "workflows": ("/workflows",),
    "timetable": ("/workflows/11",),
    "timetable-dark": ("/workflows/11",),
    "sheet": ("/workflows/9", "button:has-text('Header and rows')", "see:[aria-label='First rows of the sheet']"),
    "mail": ("/workflows/13", "text=Open work: … hours"),
    "side-by-side": ("/beside?left=c2.6&right=d4", "see:section[aria-label='Left'] li"),
    "captures": ("/captures", "textarea", "type:Order hair sheep leather next Friday, Ivo 4 h @or"),
    "backcast": ("/workflows/1/backcast", "button:has-text('Run backcast')", "button:has-text('Choose past items')"),
    "runs-of-a-workflow": ("/workflows/1/runs",),
    "where-is-my-item": ("/workflows/1", "button:has-text('Where is my item?')"),
    "needs-you": ("/needs",),
    "database": ("/databases/1/18", "see:.vt .grouphead"),
    "board": ("/databases/7", "see:.stack .entry b"),
    "calendar": ("/databases/8", "see:.week .bar"),
    "mirror": ("/mirrors/1", "see:.aligned .settling"),
    "run": ("/runs", "main tbody tr:has-text('Done') a >> nth=0"),
    "connection": ("/connections/1",),
    "phone": ("/workflows/1",),
}


# A screen is there: its bundle and its data, and in a timetable its cells.
STANDS = """() => {
  const main = document.querySelector('main:not([aria-busy])'), text = main?.innerText ?? '';
  const cells = main?.querySelector('table.grid, .oneup') ? main.querySelector('td .mk, .cell .mk') : true;
  return cells && text.trim() !== '' && !/loading|^…/m.test(text);
}"""


def main(words: list[str]) -> None:
    from playwright.sync_api import sync_playwright

    parser = argparse.ArgumentParser(prog="kelvix shots")
    parser.add_argument("--port", type=int, default=8700)
    given = parser.parse_args(words)
    FOLDER.mkdir(parents=True, exist_ok=True)
    with demo_for_a_while(given.port) as settings, sync_playwright() as playwright:
        browser = playwright.chromium.launch(**CHROMIUM)
        for name, (where, *presses) in VIEWS.items():
            context = browser.new_context(
                viewport={"width": 390, "height": 844} if name == "phone" else {"width": 1280, "height": 800},
                color_scheme="dark" if name.endswith("dark") else "light",
            )
            page = context.new_page()
            page.goto(sign_in_address(settings, settings.servers["home"]))
            page.goto(settings.address + where)
            page.wait_for_load_state("load")
            page.wait_for_timeout(900)
            for press in presses:
                if press.startswith("type:"):
                    page.keyboard.type(press.removeprefix("type:"))
                elif press.startswith("see:"):  # comes later than the rest
                    page.wait_for_selector(press.removeprefix("see:"))
                else:
                    page.click(press)
                page.wait_for_timeout(600)
            page.wait_for_function(STANDS)
            page.screenshot(path=str(FOLDER / f"{name}.png"))
            context.close()
            print(f"kelvix: {name}")
        browser.close()
