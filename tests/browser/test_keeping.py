"""What is kept, taken back and left, by one person and by two."""

from __future__ import annotations

from playwright.sync_api import expect
from tests.browser.test_jobs import PILOT, shown


def test_what_was_typed_and_not_understood_cannot_be_kept(ada):
    page = ada.open(PILOT)
    page.get_by_label("Deck cut", exact=True).fill("0.10 mm")
    expect(page.locator("#keep-button")).to_be_visible()
    page.get_by_label("Head cut", exact=True).fill("30 thuo")
    expect(page.locator("#keep")).to_contain_text("An entry is not understood")
    expect(page.locator("#keep-button")).to_have_count(0)
    page.keyboard.press("Escape")
    page.keyboard.press("k")
    expect(page.locator("header.bar")).to_contain_text("version 1")
    page.get_by_label("Head cut", exact=True).fill("0.1 mm")
    expect(page.locator("#keep-button")).to_be_visible()


def test_what_is_typed_and_kept_in_one_go_is_what_is_kept(ada):
    page = ada.open(PILOT)
    page.get_by_label("Deck cut", exact=True).fill("0.10 mm")
    expect(page.locator("#keep-button")).to_be_visible()
    # The answer to this is still on its way when the letter is pressed.
    page.get_by_label("Deck cut", exact=True).fill("0.15 mm")
    page.keyboard.press("Escape")
    page.keyboard.press("k")
    expect(page.locator("header.bar")).to_contain_text("version 2")
    expect(page.get_by_label("Deck cut", exact=True)).to_have_value("0.15 mm")


def test_escape_leaves_a_lever_and_letters_are_keys_again(ada):
    page = ada.open(PILOT)
    page.keyboard.press("d")
    expect(page.get_by_label("Deck cut", exact=True)).to_be_focused()
    page.keyboard.press("Escape")
    expect(page.get_by_label("Deck cut", exact=True)).not_to_be_focused()
    page.keyboard.press("3")
    expect(page.locator(".hole.chosen")).to_have_text("3")
    page.locator("#handle-deck_cut").focus()
    page.keyboard.press("Escape")
    expect(page.locator("#handle-deck_cut")).not_to_be_focused()


def test_undo_asks_about_a_what_if_first(ada):
    page = ada.open(PILOT)
    page.get_by_label("Deck cut", exact=True).fill("0.10 mm")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.locator("header.bar")).to_contain_text("version 2")
    page.wait_for_load_state()
    page.get_by_label("Deck cut", exact=True).fill("0.20 mm")
    expect(page.locator("#keep")).to_contain_text("Not kept")
    page.get_by_role("button", name="undo").click()
    expect(page.get_by_role("heading", name="A what-if is on screen that is not kept")).to_be_visible()
    page.get_by_role("link", name="Back to it, to keep it").click()
    expect(page.get_by_label("Deck cut", exact=True)).to_have_value("0.20 mm")
    page.wait_for_load_state()
    page.get_by_role("button", name="undo").click()
    page.get_by_role("button", name="Drop it and undo").click()
    expect(page.locator("#notice")).to_contain_text("Taken back: plan")
    shown(ada, "deck_clearance", 1, "0.04 down")


def test_a_page_hears_that_somebody_went_on(person):
    ada, tove = person("Ada"), person("Tove")
    mine, hers = ada.open(PILOT), tove.open(PILOT)
    hers.get_by_label("Deck cut", exact=True).fill("0.10 mm")
    hers.get_by_role("button", name="Keep", exact=True).click()
    expect(hers.locator("#keep")).to_contain_text("The plan is kept.")
    expect(mine.locator("#newer")).to_contain_text("Tove saved version 2 while you look at version 1")
    # What is on screen stays until she asks for the newer.
    expect(mine.locator("header.bar")).to_contain_text("version 1")
    mine.get_by_role("link", name="Show it").click()
    expect(mine.locator("header.bar")).to_contain_text("version 2")
    expect(mine.locator("#newer")).to_be_empty()
    assert ada.faults == tove.faults == []


def test_two_people_on_one_build(person):
    ada, tove = person("Ada"), person("Tove")
    mine, hers = ada.open(PILOT, "figures"), tove.open(PILOT, "figures")
    for page in (hers, mine):
        page.locator('[data-figure="parts.block.bore"]').click()
        expect(page.locator("dialog").get_by_label("Value")).to_have_value("92.0 mm")
    for page, typed in ((hers, "92.50 mm"), (mine, "93 mm")):
        page.locator("dialog").get_by_label("Value").fill(typed)
        page.locator("dialog").get_by_label("Basis").select_option("")
        page.locator("dialog").get_by_label("Standard uncertainty").fill("")
        page.locator("dialog").get_by_role("button", name="Save").click()
        if page is hers:
            expect(page.locator("header.bar")).to_contain_text("version 2")
    conflict = mine.locator("dialog .conflict")
    expect(conflict).to_contain_text("Tove")
    expect(conflict).to_contain_text("92.50 mm")
    expect(conflict).to_contain_text("93 mm")
    conflict.get_by_role("button", name="Save mine over theirs").click()
    expect(mine.locator("header.bar")).to_contain_text("version 3")
    expect(ada.open(PILOT, "figures").locator('[data-figure="parts.block.bore"]')).to_contain_text("93 mm")
    assert ada.faults == tove.faults == []
