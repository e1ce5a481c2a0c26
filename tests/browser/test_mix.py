"""A builder finds a combination: the mix bench in a real browser."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect
from sqlalchemy.orm import Session

from support.database import sweep
from support.people import by
from zygometra.demo.shelf import demo_shelf
from zygometra.store import shelf as store

ASKED = (
    "block=BL-001&quench-min=0.95&quench-aim=1.1&quench-max=1.3"
    "&compression_ratio-min=9.2&compression_ratio-max=10.4"
)


@pytest.fixture
def mix(ada):
    ada.page.goto(f"{ada.address}/mix?{ASKED}")
    return ada.page


def counted(page) -> int:
    return int(re.sub(r"\D", "", page.locator("#mix-count b").inner_text()))


def test_the_wrong_mix_is_seen_beside_the_right_one(mix):
    expect(mix.locator(".recipes .recipe")).not_to_have_count(0)
    far = mix.locator('.point.out[aria-label*="mm down"]').first
    key = far.get_attribute("data-recipe")
    box = far.bounding_box()
    mix.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(mix.locator(".in-hand h2")).to_contain_text("does not stand")
    expect(mix.locator(".recipe.chosen")).to_have_attribute("data-recipe", re.compile("CR-"))
    mix.get_by_role("button", name="Pin to compare").click()
    expect(mix.locator("#ask-pins")).to_have_value(re.compile("~"))
    # The pinned comes first once the answer is there: what is pressed next is another.
    expect(mix.locator(".recipes")).to_contain_text("◆")
    mix.locator(".recipe").nth(1).click()
    expect(mix.locator(".recipe.pinned")).to_have_count(1)
    assert "pins=" in mix.url
    assert key


def test_a_window_typed_narrower_leaves_fewer_and_the_address_carries_it(mix):
    before = counted(mix)
    mix.get_by_role("textbox", name="most compression ratio").fill("9.6")
    expect(mix.locator("#mix-count b")).not_to_have_text(f"{before} recipes")
    assert counted(mix) < before
    expect(mix).to_have_url(re.compile("compression_ratio-max=9.6"))
    mix.reload()
    expect(mix.get_by_role("textbox", name="most compression ratio")).to_have_value("9.6")


def test_the_edge_of_a_window_is_dragged_and_moved_by_keys(mix):
    mix.get_by_label("up", exact=True).select_option("quench")
    edge = mix.locator('.edge[data-edge="quench.max"]')
    expect(edge).to_be_visible()
    box = edge.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    mix.mouse.move(x, y)
    mix.mouse.down()
    mix.mouse.move(x, y - 30, steps=12)
    mix.mouse.up()
    field = mix.get_by_role("textbox", name="most quench")
    expect(field).not_to_have_value("1.3")
    dragged = float(field.input_value())
    assert dragged > 1.3
    expect(mix).to_have_url(re.compile(f"quench-max={dragged:.2f}"))
    edge.focus()
    mix.keyboard.press("ArrowDown")
    expect(field).to_have_value(f"{dragged - 0.01:.2f}")
    expect(mix.locator('.edge[data-edge="quench.max"]')).to_be_focused()


def test_the_map_is_walked_by_keys(mix):
    mix.locator('.point[tabindex="0"]').focus()
    mix.keyboard.press("ArrowRight")
    there = mix.locator(".point:focus")
    says = there.get_attribute("aria-label")
    expect(mix.locator("#map-says")).to_have_text(says)
    key = there.get_attribute("data-recipe")
    mix.keyboard.press("Enter")
    expect(mix.locator(".point.chosen")).to_have_attribute("data-recipe", key)


def test_an_old_answer_never_stands_over_a_newer_one(mix):
    field = mix.get_by_role("textbox", name="most compression ratio")
    held = []

    def hold(route):
        held.append(route)

    mix.route(re.compile(r"/mix/answer.*compression_ratio-max=12&"), hold)
    field.fill("12")
    mix.wait_for_timeout(400)
    assert held
    field.fill("9.6")
    expect(mix).to_have_url(re.compile("compression_ratio-max=9.6"))
    newer = mix.locator("#mix-count b").inner_text()
    for route in held:
        route.continue_()
    mix.wait_for_timeout(500)
    assert mix.locator("#mix-count b").inner_text() == newer
    expect(mix).to_have_url(re.compile("compression_ratio-max=9.6"))


def test_why_not_this_part_is_answered_in_place(mix):
    mix.get_by_label("Why not this part?").fill("HD-00002")
    mix.locator(".why-not button").click()
    expect(mix.locator("#why-not")).to_contain_text("bolt pattern")


def test_a_recipe_is_taken_into_a_build_and_evaluated(mix):
    mix.get_by_role("link", name="Take into a build").click()
    mix.get_by_label("Name").fill("Harbour stroker")
    mix.get_by_role("button", name="Start it").click()
    expect(mix.get_by_role("heading", name="Harbour stroker")).to_be_visible()
    expect(mix.locator("#notice")).to_contain_text("recipe from the mix bench: block BL-001")
    expect(mix.locator(".reckoning tbody tr")).to_have_count(12)


def test_the_basket_is_ordered_and_the_shelf_knows(mix):
    mix.get_by_role("link", name="Basket").click()
    expect(mix.locator(".basket")).to_contain_text("rod bearings")
    mix.get_by_role("button", name="Mark as ordered").click()
    expect(mix.locator("#notice")).to_contain_text("Ordered:")
    expect(mix.locator(".basket")).to_contain_text("ordered")


def test_a_basket_is_printed_with_its_heading_and_what_stands_against_it(mix):
    mix.locator('.point.out[aria-label*="mm down"]').first.dispatch_event("click")
    expect(mix.locator(".in-hand h2")).to_contain_text("does not stand")
    mix.get_by_role("link", name="Basket").click()
    mix.wait_for_url("**/mix/basket?*")
    expect(mix.locator(".print-only")).to_have_count(1)
    expect(mix.locator(".print-only")).to_be_hidden()
    mix.evaluate("window.print = () => document.body.dataset.printed = 'yes'")
    mix.get_by_role("button", name="print").click()
    expect(mix.locator("body")).to_have_attribute("data-printed", "yes")
    mix.emulate_media(media="print")
    expect(mix.locator(".print-only")).to_contain_text("basket")
    expect(mix.locator(".fails")).to_contain_text("outside its window")
    for screen_only in (".bar", "form.order"):
        expect(mix.locator(screen_only)).to_be_hidden()


def test_a_part_taken_off_the_shelf_is_put_back_as_it_was(ada):
    page = ada.page
    page.goto(f"{ada.address}/shelf/crank/CR-00001")
    page.get_by_label("Name").fill("a crank renamed")
    with page.expect_navigation():
        page.get_by_role("button", name="Save").click()
    page.get_by_role("button", name="Take off the shelf").click()
    expect(page.locator(".sub")).to_have_text("crank · off the shelf")
    expect(page.locator(".changes > li")).to_have_count(3)
    page.get_by_role("button", name="Back to before this").first.click()
    expect(page.get_by_label("Name")).to_have_value("a crank renamed")
    page.get_by_role("button", name="Back to before this").nth(1).click()
    expect(page.get_by_label("Name")).to_have_value("Tarnbeck crank 86")
    expect(page.locator(".changes > li")).to_have_count(5)


def test_who_reads_inches_sees_inches_wherever_a_length_stands(ada):
    page = ada.page
    page.goto(f"{ada.address}/settings")
    page.get_by_label("inches and thou").check()
    with page.expect_navigation():
        page.get_by_role("button", name="Keep settings").click()
    page.goto(f"{ada.address}/mix?{ASKED}")
    page.get_by_label("Why not this part?").fill("PS-00003")
    page.get_by_role("button", name="Ask").click()
    expect(page.locator("#why-not")).to_contain_text(re.compile(r"\d thou (larger|smaller)"))
    for place in ("#mix-answer", "#mix-said", ".in-hand .jobs"):
        for words in page.locator(place).all_inner_texts():
            assert not re.search(r"\d mm\b", words), words


def test_without_scripts_the_question_is_still_asked(person):
    bench = person(java_script_enabled=False)
    bench.page.goto(f"{bench.address}/mix?{ASKED}")
    bench.page.get_by_role("textbox", name="least compression ratio").fill("15")
    bench.page.get_by_role("textbox", name="most compression ratio").fill("16")
    bench.page.get_by_role("button", name="Ask").first.click()
    expect(bench.page.locator("#mix-said")).to_contain_text("No recipe satisfies every window.")


def test_a_table_is_dropped_on_the_shelf(ada, tmp_path):
    page = ada.page
    page.goto(f"{ada.address}/shelf?kind=rod")
    file = tmp_path / "rods.csv"
    file.write_text("code,name,length,price\nHB-1,harbour rod,151 mm,44.50\n")
    page.locator("#file").set_input_files(file)
    page.get_by_role("button", name="Take in", exact=True).click()
    expect(page.locator("#notice")).to_contain_text("1 new")
    page.get_by_role("searchbox").fill("HB-1")
    expect(page.locator(".parts tbody tr")).to_have_count(1)
    expect(page.locator(".parts")).to_contain_text("rod length 151 mm")


def test_number_and_reasons_come_when_they_are_ready(ada, migrated, owner, monkeypatch):
    with owner.begin() as connection:
        sweep(connection, "TRUNCATE part, part_change RESTART IDENTITY")
    with Session(migrated) as session:
        store.take_in(session, demo_shelf(3000, 7), entry=by("Ada", "for the test"))
        session.commit()
    monkeypatch.setattr("zygometra.web.mix.routes.COUNT_WAIT", 0.0)
    monkeypatch.setattr("zygometra.web.mix.view.WHY_WAIT", 0.0)
    page = ada.page
    page.goto(f"{ada.address}/mix?block=BL-002&quench-min=1")
    expect(page.locator("#mix-count")).to_contain_text("about")
    expect(page.locator("#mix-count")).to_contain_text("recipes, counted")
    page.get_by_role("textbox", name="least compression ratio").fill("60")
    expect(page.locator("#mix-said")).to_contain_text(
        "The nearest miss, shown as the recipe in hand: compression ratio"
    )
    expect(page.locator(".in-hand h2")).to_contain_text("does not stand")
    expect(page.locator("#mix-count b")).to_have_text("0 recipes")
