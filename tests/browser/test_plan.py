"""A plan to the target, by keyboard: windows dragged, a lever fixed by hand, the plan put on the build."""

from __future__ import annotations

import re

from playwright.sync_api import expect


def yield_of(row):
    return int(re.search(r"(\d+) %", row.inner_text())[1])


def test_windows_are_dragged_and_a_plan_is_put_on_the_build(person):
    bench = person()
    page = bench.open("Kiln blower 1.6", "plans")
    first = page.locator("table.plans tbody tr").first
    expect(first).to_contain_text("deck cut")
    before = yield_of(first)
    handle = page.get_by_label("Quench, least, handle")
    handle.focus()
    for _ in range(6):
        page.keyboard.press("ArrowLeft")
    expect(page.get_by_label("Quench, least", exact=True)).to_have_value("0.96 mm")
    # A wider window is met more surely; nothing of it is kept.
    expect(first).not_to_contain_text(f"{before} %")
    assert yield_of(first) > before
    page.get_by_label("Quench, most", exact=True).fill("banana")
    page.get_by_label("Quench, most", exact=True).press("Tab")
    expect(page.locator("#plan-answer")).to_contain_text("Found 'banana'")
    page.get_by_label("Quench, most", exact=True).fill("")
    page.get_by_text("Fix some of it by hand").click()
    page.get_by_label("Deck cut A").fill("0.40 mm")
    page.get_by_label("Deck cut A").press("Tab")
    expect(first).to_contain_text("deck cut A 0.40 mm")
    page.get_by_role("button", name="Put this plan on the build").click()
    page.wait_for_url(re.compile("/stack"))
    expect(page.get_by_label("Deck cut", exact=True)).to_have_value(re.compile("0.40?"))


def test_each_lever_alone_comes_when_it_is_asked_for(person):
    page = person().open("Kiln blower 1.6", "plans")
    # The answer is put on the page once it is found; what was opened before would be gone with it.
    expect(page.locator("table.plans tbody tr").first).to_contain_text("deck cut")
    page.get_by_text("Ways out side by side").click()
    expect(page.locator(".ways table")).to_contain_text("deck cut")
