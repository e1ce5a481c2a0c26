"""A hand at the engine: readings by keyboard, over interruptions, by two people, from a gauge that sends."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect
from sqlalchemy import text

PHONE = {"viewport": {"width": 390, "height": 844}, "has_touch": True, "is_mobile": True}
TUG, QUARRY = "Harbour tug 2.6", "Quarry loader V8"
HOLES = (1, 3, 5, 7, 2, 4, 6, 8)


@pytest.fixture
def kept(engine, demo_shop):
    """What the shop has of a build's readings, by hole, in the order in which it came."""

    def look(build, figure="deck_clearance"):
        with engine.connect() as connection:
            rows = connection.execute(
                text(
                    "SELECT body FROM fact WHERE build_id = :id AND kind = 'reading' AND place LIKE :place ORDER BY seq"
                ),
                {"id": demo_shop[build], "place": f"cylinders.%.{figure}"},
            )
            return [row.body for row in rows]

    return look


def read_page(bench, build, query):
    bench.open(build, f"measure/read?{query}")
    expect(bench.page.get_by_label(re.compile("Reads|One way|Whole shots"))).to_be_focused()
    return bench.page


def sent_all(page):
    expect(page.locator("#waiting")).to_have_text("", timeout=90_000)


def test_48_readings_of_an_eight_with_the_keyboard_alone_and_none_lost_over_an_interruption(person, kept):
    """Six rounds of a vee eight, typed as one reads; the network goes in the third and comes back in the fifth."""
    bench = person(**PHONE)
    page = read_page(bench, QUARRY, "figure=deck_clearance&unit=mm&way=plain&place=h1&gauge=depth-2&axis=pin")
    typed = []
    for turn in range(6):
        if turn == 2:
            sent_all(page)
            page.context.set_offline(True)
        for hole in HOLES:
            expect(page.locator("#where")).to_have_text(f"Hole {hole}")
            value = f"{1.55 + hole / 100 + turn / 1000:.3f}"
            page.keyboard.type(value)
            page.keyboard.press("Enter")
            typed.append((hole, f"{value} mm"))
        if turn == 3:
            expect(page.locator("#waiting")).to_contain_text("16 readings on this device")
            # The page is even loaded again meanwhile: what was typed is there.
            page.context.set_offline(False)
            page.reload()
            expect(page.locator("#where")).to_contain_text("Hole")
            page.locator(".strip [data-place=h1]").press("Enter")
    sent_all(page)
    shop_has = [(one["cylinder"], one["value"]) for one in kept(QUARRY)]
    assert shop_has == typed
    assert len(shop_has) == 48
    assert len({one["id"] for one in kept(QUARRY)}) == 48
    assert bench.outside == []


def test_a_tipped_pair_is_read_back_as_mean_rock_and_least_gap(person, kept):
    bench = person(**PHONE)
    page = read_page(
        bench, TUG, "figure=deck_clearance&unit=thou&way=tipped&place=h2&gauge=depth-2&then=stay"
    )
    before = len(kept(TUG))
    for side in ("21", "27"):
        page.keyboard.type(side)
        page.keyboard.press("Enter")
    expect(page.locator(".read-back")).to_contain_text("24 thou · rock 3 · least gap 21")
    expect(page.locator(".agrees")).to_contain_text("2 more readings")
    sent_all(page)
    assert len(kept(TUG)) == before + 1
    assert bench.faults == []


def test_a_figure_ten_times_off_is_asked_about_and_stays_to_be_put_right(ada, kept):
    page = read_page(ada, TUG, "figure=deck_clearance&unit=mm&way=plain&place=h1&gauge=depth-2&axis=pin")
    before = len(kept(TUG))
    page.keyboard.type("3.1")
    page.keyboard.press("Enter")
    expect(page.locator("#refused .fault")).to_contain_text("would be like the others")
    # The hand is back at the place and the figure that it slipped on.
    expect(page.locator("#where")).to_have_text("Hole 1")
    expect(page.get_by_label("Reads, mm")).to_have_value("3.1")
    page.get_by_label("Reads, mm").fill("0.31")
    page.keyboard.press("Enter")
    expect(page.locator(".read-back")).to_contain_text("0.31 mm down")
    sent_all(page)
    assert [one["value"] for one in kept(TUG)[before:]] == ["0.31 mm"]
    page.locator(".strip [data-place=h2]").click()
    page.keyboard.type("3.2")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="It is right: keep it").click()
    expect(page.locator(".read-back")).to_contain_text("3.2 mm down")


def test_two_phones_on_one_engine_never_conflict(person, kept):
    before = len(kept(QUARRY))
    phones = [person(name, **PHONE) for name in ("Ada", "Tove")]
    pages = [
        read_page(bench, QUARRY, f"figure=deck_clearance&unit=mm&way=plain&place=h{hole}&axis=pin")
        for bench, hole in zip(phones, (1, 2), strict=True)
    ]
    for i in range(6):
        for page in pages:
            page.keyboard.type(f"1.{60 + i}")
            page.keyboard.press("Enter")
    for page in pages:
        sent_all(page)
    shop_has = kept(QUARRY)[before:]
    assert len(shop_has) == 12
    assert {one["by"] for one in shop_has} == {"Ada", "Tove"}
    assert all(bench.faults == [] for bench in phones)


def test_a_gauge_that_sends_fills_the_field_and_enter_takes_it(ada, kept):
    page = read_page(ada, TUG, "figure=bore&unit=mm&way=plain&place=h3&gauge=bore-1&axis=thrust&depth=20+mm")
    page.get_by_role("button", name="Let bore-1 send").click()
    # What is heard keeps the unit that the gauge sent.
    expect(page.get_by_label("Reads, mm")).to_have_value(re.compile(r"9\d\.\d{3} mm"))
    heard = page.get_by_label("Reads, mm").input_value()
    page.get_by_role("button", name="Stop listening").click()
    page.get_by_label("Reads, mm").press("Enter")
    expect(page.locator(".read-back")).to_contain_text(heard)
    assert kept(TUG, "bore")[-1]["value"] == heard


def test_a_zero_that_came_back_off_its_mark_is_said_at_once(ada):
    page = read_page(
        ada, TUG, "figure=deck_clearance&unit=mm&way=plain&place=h1&gauge=depth-2&axis=pin&then=stay"
    )
    page.get_by_role("button", name=re.compile("zeroed on its datum|Zero it afresh")).click()
    page.wait_for_url(re.compile("zero=z"))
    page.keyboard.type("0.31")
    page.keyboard.press("Enter")
    expect(page.locator(".read-back")).to_contain_text("0.31 mm down")
    page.get_by_label("On its datum it shows, mm").fill("0.05")
    page.get_by_role("button", name=re.compile("Check zero")).click()
    expect(page.locator("#notice")).to_contain_text("came back off its mark")
    expect(page.locator(".last-three")).to_contain_text("its zero had moved")


def test_a_figure_leads_to_its_readings_and_one_is_voided_there(ada):
    page = ada.open(TUG, "measure")
    page.get_by_role("link", name=re.compile("deck clearance, hole 2")).click()
    dialog = page.locator("#dialog")
    expect(dialog).to_contain_text("What its doubt is made of")
    dialog.get_by_text("void · photograph").first.click()
    dialog.get_by_label(re.compile("Why .* is void")).first.fill("the stem stuck")
    dialog.get_by_role("button", name="Void it").first.click()
    expect(page.get_by_label("Void and set aside")).to_contain_text("the stem stuck (Ada)")
