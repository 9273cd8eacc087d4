"""`shots`: one picture of each main view, from the demo data, into docs/screenshots."""

from __future__ import annotations

import argparse
import pathlib
import tempfile
from typing import Any

from kelvix.commands.serve import Installation, sign_in_address
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
    "timetable": ("/workflows/6",),
    "timetable-dark": ("/workflows/6",),
    "files": ("/workflows/3",),
    "decide": ("/workflows/7", "text=which way to go"),
    "mail": ("/workflows/8", "text=Open work: … hours"),
    "side-by-side": ("/beside?left=c2.6&right=d4", "see:section[aria-label='Left'] li"),
    "captures": ("/captures", "textarea", "type:Order hair sheep leather next Friday, Ivo 4 h @or"),
    "backcast": ("/workflows/1/backcast", "button:has-text('Backcast over')", "button:has-text('Choose past items')"),
    "runs-of-a-workflow": ("/workflows/1/runs",),
    "where-is-my-item": ("/workflows/1", "button:has-text('Where is my item?')"),
    "needs-you": ("/needs",),
    "database": ("/databases/1/18",),
    "runs": ("/runs",),
    "run": ("/runs/20",),
    "connection": ("/connections/1",),
    "practice-apps": ("/practice",),
    # The last: it deletes some of what the others show.
    "trash": (
        "/databases/1",
        "[aria-label='Choose Loft visit on Thursday']",
        "[aria-label='Choose Scaffolding for Oxbow']",
        "button:has-text('Delete them')",
        "[role=dialog] button:has-text('Delete')",
        "nav a:has-text('Trash')",
    ),
}


def main(words: list[str]) -> None:
    from playwright.sync_api import sync_playwright

    from kelvix.demo.load import load

    parser = argparse.ArgumentParser(prog="kelvix shots")
    parser.add_argument("--port", type=int, default=8700)
    given = parser.parse_args(words)
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        installation = Installation(pathlib.Path(folder), port=given.port)
        try:
            settings = installation.prepare()
            installation.start("practice")
            load(settings)
            installation.start("web", "worker")
            browser = playwright.chromium.launch(**CHROMIUM)
            for name, (where, *presses) in VIEWS.items():
                context = browser.new_context(
                    viewport={"width": 1280, "height": 800}, color_scheme="dark" if name.endswith("dark") else "light"
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
                page.wait_for_function("() => !/being read|^…/m.test(document.querySelector('main')?.innerText ?? '…')")
                page.screenshot(path=str(FOLDER / f"{name}.png"))
                context.close()
                print(f"kelvix: {name}")
            browser.close()
        finally:
            installation.stop()
