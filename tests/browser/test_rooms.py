"""Rooms, stations and modules in a real browser: letters lead, drafts stay, silence is told."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from zygometra.web.stations import ROOMS, STATIONS

BUILD = "Pilot launch 2.3"


def test_every_room_is_reached_by_its_letter_from_everywhere(ada):
    page = ada.page
    for start in ("/settings", "/mix"):
        for room in ROOMS:
            page.goto(ada.address + start)
            page.keyboard.press(room.letter)
            here = page.get_by_role("navigation", name="Rooms of the shop").locator("[aria-current=page]")
            expect(here).to_have_text(room.label)


def test_every_station_is_reached_by_its_letter(ada):
    page = ada.open(BUILD, "record")
    for station in STATIONS:
        page.keyboard.press(station.letter)
        page.wait_for_url(f"**/{station.address}")
        here = page.get_by_role("navigation", name="Stations of this build").locator("[aria-current=page]")
        expect(here).to_contain_text(station.label)


def test_letters_are_text_where_one_types(ada):
    page = ada.page
    page.goto(f"{ada.address}/")
    page.get_by_role("searchbox").fill("")
    page.get_by_role("searchbox").press_sequentially("ftmo")
    expect(page.get_by_role("searchbox")).to_have_value("ftmo")
    assert page.url.split("?")[0] == f"{ada.address}/"


def test_a_letter_with_control_is_the_browsers(ada):
    page = ada.open(BUILD, "figures")
    page.keyboard.press("Control+m")
    page.keyboard.press("Alt+t")
    assert page.url.endswith("/figures")


def test_question_mark_and_n_lead_to_keys_and_a_new_build(ada):
    page = ada.open(BUILD, "aim")
    page.keyboard.press("?")
    page.wait_for_url("**/keys")
    page.keyboard.press("n")
    page.wait_for_url("**/builds/new")


def test_nothing_under_an_open_dialog_hears_the_keys(ada):
    page = ada.open(BUILD)
    page.keyboard.press("w")
    expect(page.locator("dialog[open]")).to_be_visible()
    page.keyboard.press("m")
    assert "/stack" in page.url
    page.keyboard.press("Escape")
    expect(page.locator("dialog[open]")).to_have_count(0)


def test_figures_and_arrows_choose_the_hole(ada):
    page = ada.open(BUILD)
    page.keyboard.press("3")
    expect(page.locator('.lever-head .hole[aria-pressed="true"]')).to_have_text("3")
    page.keyboard.press("ArrowRight")
    expect(page.locator('.lever-head .hole[aria-pressed="true"]')).to_have_text("4")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowLeft")
    expect(page.locator('.lever-head .hole[aria-pressed="true"]')).to_have_text("3")


def test_a_draft_comes_back_and_can_be_forgotten(ada):
    page = ada.page
    page.goto(f"{ada.address}/builds/new")
    page.get_by_label("Name", exact=True).first.fill("Half a build")
    page.goto(f"{ada.address}/keys")
    page.goto(f"{ada.address}/builds/new")
    expect(page.get_by_text("What you typed here before is back.")).to_be_visible()
    expect(page.get_by_label("Name", exact=True).first).to_have_value("Half a build")
    page.get_by_role("button", name="Forget it").click()
    expect(page.get_by_label("Name", exact=True).first).to_have_value("")
    page.goto(f"{ada.address}/builds/new")
    expect(page.get_by_text("What you typed here before is back.")).to_have_count(0)


def test_a_program_that_does_not_answer_is_told_and_taken_back(person):
    visitor = person()
    # Before the page is there: an answer must not slip through while the way is being closed.
    visitor.page.route("**/what-if*", lambda route: route.abort())
    page = visitor.open(BUILD)
    page.keyboard.press("2")
    expect(page.locator("#notice")).to_contain_text("The program does not answer.")
    page.unroute("**/what-if*")
    page.keyboard.press("3")
    expect(page.locator("#notice")).not_to_contain_text("does not answer")
    expect(page.locator('.lever-head .hole[aria-pressed="true"]')).to_have_text("3")


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_the_page_follows_the_light_of_the_machine_unless_told(person, scheme):
    visitor = person(color_scheme=scheme)
    page = visitor.open(BUILD)

    def paper():
        return page.evaluate("getComputedStyle(document.body).backgroundColor")

    theirs = {"light": "rgb(251, 251, 249)", "dark": "rgb(17, 24, 31)"}
    assert paper() == theirs[scheme]
    other = "dark" if scheme == "light" else "light"
    page.goto(f"{visitor.address}/settings")
    page.get_by_label(other, exact=False).first.check()
    with page.expect_navigation():
        page.get_by_role("button", name="Keep settings").click()
    visitor.open(BUILD)
    assert paper() == theirs[other]
