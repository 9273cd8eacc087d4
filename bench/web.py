"""Core Web Vitals of every main screen, on the demo's data, with the processor slowed down four times.

Measured is what the browser itself says (the Performance API): when the largest piece was painted, how much moved, and how long the
slowest interaction took until something was painted. Medians of five loads, the cache warm (two loads come before). Claim: "good" as
web.dev defines it: largest paint at most 2.5 s, interaction at most 200 ms, shift at most 0.1. The baseline is quick input, the
lightest page there is.
Then, cold: how much script comes with the first screen, compressed, apart from the charts, which come once it stands. Claim: at most
250 kB.
"""

from __future__ import annotations

import statistics
import tempfile
from typing import Any

from _report import keep, table, verdict
from playwright.sync_api import Browser, BrowserContext, sync_playwright

from kelvix.commands.serve import demo_for_a_while, sign_in_address
from kelvix.commands.shots import CHROMIUM

SLOWER, TIMES, WARM = 4, 5, 2
GOOD, SCRIPT = {"paint": 2500, "interaction": 200, "shift": 0.1}, 250_000  # ms, ms, of the screen; bytes

# Each screen, and what is pressed on it: the act that is most often done first there.
SCREENS = {
    "Quick input": ("/quick/", "textarea"),
    "Today": ("/today", "text=Show as table"),
    "Needs you": ("/needs", "main input"),
    "Databases": ("/databases", "text=New database"),
    "Database": ("/databases/1", "[role=gridcell] >> nth=0"),
    "Fields": ("/databases/1", "button:text-is('Fields')"),
    "Record": ("/databases/1/20/page", "text=Show history"),
    "Workflows": ("/workflows", "text=New workflow"),
    "Timetable": ("/workflows/1", "td:has-text('a record in Parishes')"),
    "Runs of a workflow": ("/workflows/1/runs", "td:has-text('a record in Parishes')"),
    "Runs": ("/runs", "[aria-label=State]"),
    "Run": ("/runs/{run}", "main >> nth=0"),
    "Side by side": ("/beside", "main select >> nth=0"),
    "Captures": ("/captures", "main input >> nth=0"),
    "Connections": ("/connections", "main a >> nth=0"),
    "Trash": ("/trash", "main [role=combobox] >> nth=0"),
    "Practice apps": ("/practice", "main >> nth=0"),
}
WATCH = """
  window.vitals = { paint: 0, shift: 0, interaction: 0 };
  new PerformanceObserver(l => { for (const e of l.getEntries()) vitals.paint = e.startTime; }).observe({ type: 'largest-contentful-paint', buffered: true });
  new PerformanceObserver(l => { for (const e of l.getEntries()) if (!e.hadRecentInput) vitals.shift += e.value; }).observe({ type: 'layout-shift', buffered: true });
  new PerformanceObserver(l => { for (const e of l.getEntries()) if (e.interactionId) vitals.interaction = Math.max(vitals.interaction, e.duration); }).observe({ type: 'event', durationThreshold: 16, buffered: true });
"""


def measured(context: BrowserContext, where: str, press: str) -> dict[str, float]:
    """Load a screen and press something on it: what the browser says of that."""
    page = context.new_page()
    page.add_init_script(WATCH)
    session = context.new_cdp_session(page)
    session.send("Emulation.setCPUThrottlingRate", {"rate": SLOWER})
    page.goto(where)
    pressed = page.locator(press).first
    pressed.wait_for()
    page.wait_for_timeout(2500)  # what comes late may move what stands
    before = page.evaluate("vitals")
    box = pressed.bounding_box()
    assert box
    page.mouse.click(
        box["x"] + min(30, box["width"] / 2), box["y"] + box["height"] / 2
    )  # as a hand does: no script of the test's
    page.wait_for_timeout(900)
    after = page.evaluate("vitals")
    page.close()
    return {"paint": before["paint"], "shift": before["shift"], "interaction": after["interaction"]}


def script(browser: Browser, address: str, cookies: list[Any]) -> tuple[int, int]:
    """Compressed bytes of script that the first screen brings, cold; and of these, the charts'."""
    context = browser.new_context(base_url=address, service_workers="block")
    context.add_cookies(cookies)
    page = context.new_page()
    page.goto("/today")
    page.wait_for_selector(".charts svg")
    found = page.evaluate(
        "performance.getEntriesByType('resource').filter(e => e.name.endsWith('.js')).map(e => [e.name, e.encodedBodySize])"
    )
    browser.close()
    charts = sum(size for name, size in found if "/Charts-" in name)
    return sum(size for _, size in found), charts


def main() -> None:
    results: dict[str, dict[str, float]] = {}
    with demo_for_a_while() as settings, sync_playwright() as playwright, tempfile.TemporaryDirectory() as profile:
        # With a profile on disk, as a person's browser has: it keeps files and compiled script from one visit to the next.
        context = playwright.chromium.launch_persistent_context(
            profile, **CHROMIUM, viewport={"width": 1280, "height": 800}, base_url=settings.address, service_workers="block"
        )
        page = context.new_page()
        page.goto(sign_in_address(settings, settings.servers["home"]))
        page.wait_for_load_state("load")
        page.close()
        run = context.request.get("/api/v1/runs").json()["runs"][0]["id"]  # the newest
        for name, (path, press) in SCREENS.items():
            where = path.format(run=run)
            found = [measured(context, where, press) for _ in range(TIMES + WARM)][WARM:]
            results[name] = {key: statistics.median(f[key] for f in found) for key in found[0]}
            print(f"{name}: {results[name]}", flush=True)
        cookies = context.cookies()
        context.close()
        whole, charts = script(playwright.chromium.launch(**CHROMIUM), settings.address, cookies)
    bad = [name for name, one in results.items() if any(one[key] > most for key, most in GOOD.items())]
    base = results["Quick input"]["paint"]
    rows = [
        [
            name,
            f"{one['paint'] / 1000:.2f} s",
            f"{one['paint'] / base:.1f}",
            f"{one['interaction']:.0f} ms",
            f"{one['shift']:.3f}",
            "!" if name in bad else "✓",
        ]
        for name, one in results.items()
    ]
    table(
        f"Each screen, the processor {SLOWER} times slower, medians of {TIMES}",
        ["screen", "largest paint", "of quick input's", "interaction", "shift", ""],
        rows,
    )
    first = whole - charts
    print(f"script of the first screen: {first / 1000:.0f} kB compressed, and {charts / 1000:.0f} kB of charts after it")
    verdict(not bad, f"every screen is good{': not ' + ', '.join(bad) if bad else ''}")
    verdict(first <= SCRIPT, f"script of the first screen at most {SCRIPT / 1000:.0f} kB")
    keep("web", {"screens": results, "script": first, "charts": charts})


if __name__ == "__main__":
    main()
