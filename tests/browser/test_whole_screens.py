"""Every screen against WCAG 2.2 by axe-core (Deque's reference rules), in both schemes; and one live stream per browser."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from kelvix.settings import TOP
from mirrored import make
from sides import Issues, Tasks
from support import FIELDS, FILLS, document, until

AXE = (TOP / "web/node_modules/axe-core/axe.min.js").read_text()
TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]


@pytest.fixture
def lively(orla):
    """Something on every screen: its addresses."""
    connection = orla.connect("Enquiries")
    database = orla.database("Enquiries", *FIELDS)
    orla.deliver("Quote, old")
    body = document(connection, orla.folders["Enquiries"], database, FILLS, ("quote",))
    workflow = orla.workflow("From the post", body)
    sample = orla.api("POST", f"/workflows/{workflow}/samples/fetch", json={"document": body})[0]
    run = orla.api("POST", f"/workflows/{workflow}/try", json={"sample": sample["id"]})["run"]
    made = orla.api("POST", f"/databases/{database['id']}/records", json={"values": {str(database["fields"][0]["id"]): "x"}})[
        "record"
    ]
    return [
        "/workflows", f"/workflows/{workflow}", f"/workflows/{workflow}/runs", "/databases", f"/databases/{database['id']}",
        f"/databases/{database['id']}/{made['id']}", "/runs", f"/runs/{run}", "/connections", f"/connections/{connection}", "/practice", "/today", "/needs",
        f"/workflows/{workflow}/backcast", f"/databases/{database['id']}/{made['id']}/page", "/capture", "/quick/", "/captures", "/trash", "/beside",
    ]  # fmt: skip


@pytest.fixture
def in_mirrors(orla):
    """A mirror with a conflict, and one with a plan: their addresses."""
    made, planned = make(orla, Tasks), make(orla, Issues)
    planned.plan()
    made.plan()
    made.carry_out()
    made.api("POST", "/state", json={"state": "off"})
    row = made.row("Order leather")
    made.left.edit(row["left"]["id"], {made.left.title: "Order reed leather"})
    made.right.edit(row["right"]["id"], {made.right.title: "Order the leather"})
    made.api("POST", "/rehearsal")
    until(lambda: made.now()["stage"] is None)
    made.api("POST", "/state", json={"state": "on"})
    until(lambda: made.now()["counts"].get("conflict") == 1)
    at = f"/mirrors/{made.id}"
    return ["/mirrors", at, *(f"{at}/{tab}" for tab in ("rules", "history", "parity", "rehearsal")), f"/mirrors/{planned.id}"]


@pytest.fixture
def in_views(orla):
    """A database in views of each kind, with groups, totals and marks: their addresses."""
    stages = ["To do", "On the bench", "Done"]
    made = orla.database(
        "Tasks",
        {"name": "Name", "type": "text"},
        {"name": "Stage", "type": "choice", "choices": stages},
        {"name": "Due", "type": "date"},
        {"name": "When", "type": "span"},
        {"name": "Hours", "type": "number"},
    )
    ids = {f["name"]: f["id"] for f in made["fields"]}
    for n in range(6):
        when = f"2026-10-{19 + n}T09:00:00Z/2026-10-{19 + n}T10:30:00Z" if n % 2 else f"2026-10-{19 + n}/2026-10-{20 + n}"
        values = {ids["Name"]: f"Plane the sliders, {n}", ids["Due"]: f"2026-10-{19 + n}", ids["When"]: when if n else None}
        values |= {ids["Stage"]: stages[n % 3], ids["Hours"]: str(n)} if n else {}
        orla.api("POST", f"/databases/{made['id']}/records", json={"values": values})
    late = {"mode": "all", "tests": [{"field": ids["Due"], "operator": "before", "value": "2026-10-21"}]}
    common = {"marks": [{"filter": late, "tone": "bad"}], "totals": [{"field": ids["Hours"]}], "group": ids["Stage"]}
    where, shown = f"/databases/{made['id']}", []
    for kind in ("table", "board", "calendar", "timeline", "list"):
        view = {"kind": kind, "by": ids["When"], **common}
        shown.append(orla.api("POST", f"{where}/views", json={"name": kind, "view": view})["id"])
    table, board, calendar, timeline, reading = (f"{where}?view={one}" for one in shown)
    week, month = (f"{calendar}&at=2026-10-19&range={one}" for one in ("week", "month"))
    return [table, board, week, month, f"{timeline}&at=2026-10-19", reading]


# What reaches over the right edge: nothing may, but what stands in a frame of its own that scrolls (WCAG 1.4.10).
OVER = """() => {
  const root = document.documentElement, wide = root.scrollWidth > root.clientWidth;
  const mains = [...document.querySelectorAll('main, [role=dialog]')].filter(m => m.scrollWidth > m.clientWidth + 1);
  if (!wide && mains.length === 0) return [];
  const framed = e => e.closest('.scroll, .vt, .grid, .stacks, .dated');
  const over = [...document.querySelectorAll('body *')].filter(e => e.getBoundingClientRect().right > root.clientWidth + 1);
  return over.filter(e => !framed(e)).map(e => e.outerHTML.slice(0, 120)).slice(0, 5).concat(wide ? ['page'] : []);
}"""


WIDTHS = (1280, 390, 320)  # the last: a phone, and a desk's window at 400 %


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_axe_finds_nothing_and_nothing_reaches_over_the_edge(page: Page, lively, scheme):
    assert wrong(page, lively, scheme) == []


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_axe_finds_nothing_in_mirrors(page: Page, in_mirrors, scheme):
    found = wrong(page, in_mirrors, scheme)
    assert found == [], "\n".join(map(str, found))


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_axe_finds_nothing_in_views(page: Page, in_views, scheme):
    found = wrong(page, in_views, scheme)
    page.set_viewport_size({"width": WIDTHS[0], "height": 800})
    page.goto(in_views[0])
    page.get_by_role("button", name="Change view").click()
    expect(page.get_by_role("dialog", name="Change view")).to_be_visible()
    page.wait_for_timeout(400)  # until it has opened
    page.evaluate(AXE)
    result = page.evaluate("tags => axe.run(document, { runOnly: { type: 'tag', values: tags } })", TAGS)
    found += [("change view", v["id"], n["html"][:140]) for v in result["violations"] for n in v["nodes"]]
    assert found == [], "\n".join(map(str, found))


def wrong(page: Page, addresses, scheme):
    """What is wrong with screens, in all widths."""
    page.emulate_media(color_scheme=scheme, reduced_motion="reduce")
    found = []
    for where in addresses:
        page.set_viewport_size({"width": WIDTHS[0], "height": 800})
        page.goto(where)
        page.wait_for_load_state("networkidle")
        page.wait_for_timeout(600 if where == "/today" else 200)  # the charts come later
        page.evaluate(AXE)
        for width in WIDTHS:
            page.set_viewport_size({"width": width, "height": 800})
            page.wait_for_timeout(150)
            result = page.evaluate("tags => axe.run(document, { runOnly: { type: 'tag', values: tags } })", TAGS)
            found += [
                (where, width, v["id"], n["html"][:140], n["failureSummary"][:200])
                for v in result["violations"]
                for n in v["nodes"]
            ]
            found += [(where, width, "over the edge", html) for html in page.evaluate(OVER)]
    return found


def test_the_tabs_of_a_browser_share_one_stream(page: Page, orla):
    streams: list[str] = []
    page.context.on("request", lambda r: streams.append(r.url) if r.url.endswith("/live") else None)
    database = orla.database("Shared", {"name": "Name", "type": "text"})
    pages = [page.context.new_page() for _ in range(3)]
    for opened in pages:
        opened.goto(f"/databases/{database['id']}")
        expect(opened.get_by_text("No records yet")).to_be_visible()
    assert len(streams) <= 1
    orla.api(
        "POST", f"/databases/{database['id']}/records", json={"values": {str(database["fields"][0]["id"]): "seen everywhere"}}
    )
    for opened in pages:
        expect(opened.get_by_role("gridcell", name="seen everywhere")).to_be_visible()
    assert len(streams) <= 1


def test_the_scheme_is_chosen_and_kept(page: Page):
    page.get_by_role("button", name="Dark scheme").click()
    expect(page.locator("html")).to_have_attribute("data-scheme", "dark")
    page.reload()
    expect(page.locator("html")).to_have_attribute("data-scheme", "dark")


def test_everything_is_loaded_from_here(page: Page, orla):
    """Fonts, styles and scripts ship with the application."""
    hosts = set()
    page.on("request", lambda r: hosts.add(r.url.split("/")[2]))
    page.goto("/databases")
    expect(page.get_by_role("heading", name="Databases", exact=True)).to_be_visible()
    assert hosts == {orla.kelvix.address.split("/")[2]}
    assert page.evaluate("document.fonts.load('16px \"Archivo Variable\"').then(found => found.length)") > 0
