"""The real pages: the application behind its real server, driven in headless Chromium."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect, sync_playwright
from sqlalchemy import text

from support.database import keep_aside, lay_out_again
from support.serving import served
from zygometra.demo import load_demo
from zygometra.web import jobs
from zygometra.web.app import create_app

CHROMIUM = "/usr/bin/chromium-headless-shell"
QUIET = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
# A shared machine may stand still for half a minute: what is waited for is the same, only longer.
PATIENCE = 90_000
DESK = {"width": 1280, "height": 800}
expect.set_options(timeout=PATIENCE / 3)
# Refusals are answers; and a request that a newer one replaced is meant to be dropped.
EXPECTED = re.compile(r"status of 4|htmx:(sendAbort|afterRequest)").search


@pytest.fixture(scope="session")
def app(migrated):
    """The application, one for all tests of a worker."""
    made = create_app(engine=migrated, secret_key="only for tests")
    yield made
    jobs.close(made)
    made.extensions["reading engine"].dispose()


@pytest.fixture(scope="session")
def server(app):
    """The application on a port of its own."""
    with served(app) as made:
        yield f"http://127.0.0.1:{made.port}"


@pytest.fixture(scope="session")
def chromium():
    """One browser for all tests of a worker."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=QUIET)
        yield browser
        browser.close()


@pytest.fixture
def demo_shop(engine, owner, app, laid_out):
    """The demo shop as it is on the first start: brought once, then copied."""
    app.extensions["kept builds"].clear()
    with owner.begin() as connection:
        if laid_out:
            lay_out_again(connection)
        else:
            load_demo(engine)
            keep_aside(connection)
            laid_out.add("demo shop")
    with engine.connect() as connection:
        return dict(connection.execute(text("SELECT name, id FROM build")).all())


class Visitor:
    """A person with a browser: opens builds by name, and is told of any fault on the page."""

    def __init__(self, page: Page, address: str, builds: dict[str, int]) -> None:
        self.page, self.address, self.builds = page, address, builds
        self.faults: list[str] = []
        self.outside: list[str] = []
        page.on("pageerror", lambda error: self.faults.append(str(error)))
        page.on(
            "console",
            lambda m: self.faults.append(m.text) if m.type == "error" and not EXPECTED(m.text) else None,
        )
        page.on("request", lambda r: None if r.url.startswith(address) else self.outside.append(r.url))

    def name_myself(self, name: str) -> None:
        self.page.goto(f"{self.address}/who")
        self.page.get_by_label("Your name").fill(name)
        self.page.get_by_role("button", name="To the bench").click()
        self.page.wait_for_url(f"{self.address}/")
        self.page.wait_for_load_state()

    def open(self, build: str, station: str = "stack") -> Page:
        self.page.goto(f"{self.address}/builds/{self.builds[build]}/{station}")
        return self.page

    def figure(self, result: str, hole: int) -> str:
        """What the reckoning says of a hole, as planned (or as it stands where nothing is)."""
        return self.page.locator(f'.reckoning [data-working="{result}"][data-of="{hole}"]').inner_text()


@pytest.fixture(scope="session")
def laid_out():
    """What this worker has kept aside already."""
    return set()


@pytest.fixture(scope="session")
def named():
    """What the browsers of people who have named themselves keep of it, by name."""
    return {}


@pytest.fixture
def person(server, chromium, demo_shop, named):
    """Open a browser for one person more, who names herself the first time she comes."""
    contexts = []

    def come(name="Ada", **options):
        options = {"viewport": DESK, "reduced_motion": "reduce", "storage_state": named.get(name)} | options
        context = chromium.new_context(**options)
        contexts.append(context)
        context.set_default_timeout(PATIENCE)
        visitor = Visitor(context.new_page(), server, demo_shop)
        if name not in named:
            visitor.name_myself(name)
            named[name] = context.storage_state()
        return visitor

    yield come
    for context in contexts:
        context.close()


@pytest.fixture
def ada(person):
    """Ada at a desk; at the end her browser has seen no fault and asked nobody outside."""
    visitor = person()
    yield visitor
    assert visitor.faults == []
    assert visitor.outside == []
