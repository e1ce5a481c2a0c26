"""Takes the pictures of docs/screenshots from a running demo shop (a fresh one: ./start on an empty database).

usage: .venv/bin/python scripts/screenshots.py http://127.0.0.1:8757
"""

from __future__ import annotations

import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

OUT = Path(__file__).parents[1] / "docs/screenshots"
QUIET = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def name_myself(page: Page, address: str) -> dict[str, str]:
    """Give a name, and find where each build lies."""
    page.goto(f"{address}/who")
    page.get_by_label("Your name").fill("Tove Arkell")
    page.get_by_role("button", name="To the bench").click()
    page.wait_for_url(f"{address}/")
    return {
        a.inner_text(): a.get_attribute("href").removesuffix("/stack")
        for a in page.locator(".builds th a").all()
    }


def shot(page: Page, name: str) -> None:
    """Keep one picture, once nothing moves any more."""
    page.wait_for_load_state()
    page.wait_for_timeout(700)
    page.screenshot(path=str(OUT / f"{name}.png"))


# long: the views, one after another
def main(address: str) -> None:
    """Walk the main views."""
    OUT.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=QUIET)
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        at = name_myself(page, address)
        shot(page, "floor")
        pilot, truck = at["Pilot launch 2.3"], at["Mountain rescue truck V8"]
        for station in ("stack", "figures"):
            page.goto(f"{address}{pilot}/{station}")
            shot(page, station)
        page.goto(f"{address}{at['Brickyard lorry V8']}/plans?full=1")
        # The search goes on behind the page.
        page.get_by_role("button", name="Put this plan on the build").wait_for()
        shot(page, "plan")
        barge, hoist = at["Canal barge 2.6"], at["Granary hoist 1.9"]
        for name, where in (
            ("cut-log", f"{barge}/cut-log/deck_cut/A"),
            ("face-sheet", f"{barge}/sheet/deck_cut/A"),
            ("agreement", f"{barge}/agreement"),
            ("verify", f"{hoist}/verify"),
        ):
            page.goto(f"{address}{where}")
            shot(page, name)
        page.goto(f"{address}{truck}/stack?hole=2")
        page.get_by_label("Deck cut", exact=True).fill("0.12 mm")
        page.wait_for_timeout(600)
        shot(page, "stack-vee")
        page.goto(f"{address}{pilot}/stack")
        page.locator('.reckoning [data-working="deck_clearance"][data-of="4"]').click()
        page.wait_for_selector("dialog[open] .steps")
        shot(page, "working")
        page.goto(f"{address}{at['Snow plough 2.1']}/measure")
        shot(page, "measure")
        timber = at["Timber hauler V8"]
        for name in ("mock-up", "decks"):
            page.goto(f"{address}{timber}/measure/{name}")
            shot(page, name)
        page.goto(f"{address}{timber}/measure/heads?mode=alike&within=0.5&swap=yes")
        page.locator(".answer").scroll_into_view_if_needed()
        page.get_by_role("heading", name="Bring them to match").evaluate("e => e.scrollIntoView()")
        shot(page, "heads")
        page.goto(f"{address}/gauges")
        shot(page, "gauges")
        page.goto(f"{address}/mix")
        page.locator(".point.out").nth(3).dispatch_event("click")
        page.wait_for_timeout(800)
        shot(page, "mix")
        page.goto(f"{address}/shelf?kind=piston")
        shot(page, "shelf")
        page.goto(f"{address}/settings")
        page.get_by_label("inches and thou").check()
        page.get_by_label("dark", exact=True).check()
        page.get_by_role("button", name="Keep settings").click()
        page.goto(f"{address}{at['Fell winch twin']}/stack")
        shot(page, "stack-dark")
        phone = browser.new_context(viewport={"width": 390, "height": 800}).new_page()
        name_myself(phone, address)
        phone.goto(f"{address}{at['Harbour tug 2.6']}/measure/read?figure=deck_clearance&unit=thou&place=h2")
        for name, side in (("One way, thou", "12.4"), ("The other way, thou", "12.8")):
            phone.get_by_label(name).fill(side)
            phone.keyboard.press("Enter")
        phone.wait_for_selector(".read-back")
        shot(phone, "phone")
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1].rstrip("/"))
