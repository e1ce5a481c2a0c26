"""A face cut at the machine with a thumb, from its printed code to the last pass; a network that goes away."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

BARGE = "Canal barge 2.6"


def next_pass(page, depth):
    page.get_by_label("Depth of this pass").fill(depth)


def test_zones_are_pressed_and_a_pass_survives_a_network_that_goes_away(person):
    page = person().open(BARGE, "cut-log/deck_cut/A")
    page.set_viewport_size({"width": 390, "height": 844})
    fresh = page.get_by_role("button", name=re.compile("^intake 1:"))
    fresh.click()
    expect(fresh).to_have_attribute("aria-label", "intake 1: touched, this pass")
    fresh.press("Enter")
    expect(fresh).to_have_attribute("aria-label", "intake 1: clean, this pass")
    before = page.get_by_role("button", name=re.compile("^intake 2:"))
    before.click()
    expect(before).to_have_attribute("aria-label", "intake 2: clean, this pass")
    next_pass(page, "0.25 mm")
    expect(page.locator("#next-says")).to_contain_text("Last moment")
    next_pass(page, "0.04 mm")
    expect(page.locator("#next-says")).to_contain_text("0.220 mm is off in all")
    page.context.set_offline(True)
    page.get_by_role("button", name="Log pass 4").click()
    expect(page.locator("#waiting")).to_contain_text("on this device")
    page.context.set_offline(False)
    # It is sent by itself, once; the page then stands at the next pass.
    expect(page.get_by_role("button", name="Log pass 5")).to_be_visible(timeout=10_000)
    expect(page.get_by_label("How far it is")).to_contain_text("0.220 mm")
    expect(page.get_by_role("button", name=re.compile("^intake 1: clean$"))).to_be_visible()


def test_a_pass_that_was_not_acknowledged_is_sent_when_the_page_is_opened_again(person):
    bench = person()
    page = bench.open(BARGE, "cut-log/deck_cut/A")
    page.context.set_offline(True)
    next_pass(page, "0.03 mm")
    page.get_by_role("button", name="Log pass 4").click()
    expect(page.locator("#waiting")).to_contain_text("on this device")
    context = page.context
    page.close()
    # The device comes back with the network; whatever page it is opened at, the pass waits for its own.
    context.set_offline(False)
    page = context.new_page()
    page.goto(f"{bench.address}/builds/{bench.builds[BARGE]}/cut-log/deck_cut/A")
    expect(page.get_by_role("button", name="Log pass 5")).to_be_visible(timeout=10_000)
    expect(page.get_by_label("How far it is")).to_contain_text("0.210 mm")


def test_a_refused_pass_says_why_and_keeps_what_was_typed(ada):
    page = ada.open(BARGE, "cut-log/deck_cut/A")
    next_pass(page, "0.4 mm")
    expect(page.locator("#next-says")).to_contain_text("Do not cut it")
    page.get_by_role("button", name="Log pass 4").click()
    expect(page.locator("#refused")).to_contain_text("check the depth, the unit")
    expect(page.get_by_label("Depth of this pass")).to_have_value("0.4 mm")


@pytest.mark.parametrize("depth", ["0.04 mm"])
def test_two_at_one_machine_log_one_pass(person, depth):
    first, second = (person(name).open(BARGE, "cut-log/deck_cut/A") for name in ("Ada", "Mirth"))
    for page in (first, second):
        next_pass(page, depth)
        page.get_by_role("button", name="Log pass 4").click()
        expect(page.get_by_role("button", name="Log pass 5")).to_be_visible()
    expect(second.get_by_text("Pass 4 was entered twice")).to_be_visible()
    expect(second.get_by_label("How far it is")).to_contain_text("0.220 mm")
