"""What is typed at the machine is kept: through cuts at every moment, refusals, other tabs and other people."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect
from sqlalchemy import text

BARGE = "Canal barge 2.6"
FACE = "cut-log/deck_cut/A"
READ = "measure/read?figure=deck_clearance&unit=mm&way=plain&place=h1&axis=pin"


@pytest.fixture
def noted(engine, demo_shop):
    """What the shop has of a build, of one kind, in its order: body and who."""

    def look(build, kind):
        with engine.connect() as connection:
            rows = connection.execute(
                text("SELECT body, actor FROM fact WHERE build_id = :id AND kind = :kind ORDER BY seq"),
                {"id": demo_shop[build], "kind": kind},
            )
            return [(row.body, row.actor) for row in rows]

    return look


def log(page, number, depth):
    page.get_by_label("Depth of this pass").fill(depth)
    page.get_by_role("button", name=f"Log pass {number}").click()


def waits(page):
    return page.locator("#waiting:not(:empty), #queue-waiting:not(:empty)")


def nothing_waits(page):
    expect(waits(page)).to_have_count(0)


def depths(noted, since=3):
    return [body["depth"] for body, _ in noted(BARGE, "pass")][since:]


def read(page, value):
    page.keyboard.type(value)
    page.keyboard.press("Enter")


def test_two_passes_without_a_network_both_arrive_in_their_order(person, noted):
    page = person().open(BARGE, FACE)
    page.context.set_offline(True)
    log(page, 4, "0.03 mm")
    log(page, 5, "0.02 mm")
    expect(page.locator("#waiting")).to_contain_text("2 passes on this device")
    page.context.set_offline(False)
    expect(page.get_by_label("How far it is")).to_contain_text("0.230 mm")
    expect(page.get_by_role("button", name="Log pass 6")).to_be_visible()
    assert depths(noted) == ["0.03 mm", "0.02 mm"]


@pytest.mark.parametrize(
    "moment", ["before it leaves", "on its way there", "on its way back", "as it is kept"]
)
def test_an_entry_is_taken_once_whenever_it_is_cut_off(person, noted, moment):
    bench = person()
    page = bench.open(BARGE, FACE)
    cut = {"off": False}

    def on_the_way(route):
        if cut["off"]:
            route.continue_()
            return
        cut["off"] = True
        if moment == "on its way back":
            # The shop has it; the device never hears.
            route.fetch()
        route.abort()

    if moment == "before it leaves":
        page.context.set_offline(True)
    elif moment != "as it is kept":
        page.route("**/pass", on_the_way)
    log(page, 4, "0.03 mm")
    if moment == "as it is kept":
        # The page ends in the very moment of the press.
        page.close(run_before_unload=False)
        page = page.context.new_page() if not page.is_closed() else bench.page.context.new_page()
        page.goto(f"{bench.address}/builds/{bench.builds[BARGE]}/stack")
    page.context.set_offline(False)
    nothing_waits(page)
    if moment != "as it is kept":
        expect(page.get_by_role("button", name="Log pass 5")).to_be_visible()
    page.goto(f"{bench.address}/builds/{bench.builds[BARGE]}/{FACE}")
    expect(page.get_by_label("How far it is")).to_contain_text("0.210 mm")
    assert depths(noted) == ["0.03 mm"]


def test_a_pass_that_is_asked_about_stays_until_it_is_answered_and_the_next_waits_for_it(person, noted):
    bench = person()
    page = bench.open(BARGE, FACE)
    page.context.set_offline(True)
    log(page, 4, "0.4 mm")
    log(page, 5, "0.02 mm")
    expect(page.locator("#waiting")).to_contain_text("2 passes")
    page.context.set_offline(False)
    expect(page.locator(".queue, #refused").get_by_text("check the depth").first).to_be_visible()
    # Whatever page is opened, it stands there.
    bench.open(BARGE, "stack")
    box = page.get_by_role("region", name="On this device")
    expect(box).to_contain_text("check the depth, the unit")
    expect(box).to_contain_text("1 pass on this device")
    assert depths(noted) == []
    # Put right, it goes first.
    box.get_by_role("button", name="Put it right").click()
    page.wait_for_url(f"**/{FACE}")
    expect(page.get_by_label("Depth of this pass")).to_have_value("0.4 mm")
    log(page, 4, "0.04 mm")
    expect(page.get_by_label("How far it is")).to_contain_text("0.240 mm")
    assert depths(noted) == ["0.04 mm", "0.02 mm"]


def test_what_a_signed_off_build_refuses_stays_and_can_be_sent_again(person, noted, engine):
    bench = person()
    page = bench.open(BARGE, READ)
    page.context.set_offline(True)
    read(page, "0.31")
    with engine.begin() as connection:
        connection.execute(text("UPDATE build SET stage = 'signed off' WHERE name = :name"), {"name": BARGE})
    page.context.set_offline(False)
    refused = page.get_by_text("takes nothing more until it is opened again").first
    expect(refused).to_be_visible()
    page.reload()
    expect(refused).to_be_visible()
    with engine.begin() as connection:
        connection.execute(text("UPDATE build SET stage = 'cut' WHERE name = :name"), {"name": BARGE})
    before = len(noted(BARGE, "reading"))
    page.goto(f"{bench.address}/")
    box = page.get_by_role("region", name="On this device")
    box.get_by_role("button", name="Send it again").click()
    # The figure may be asked about: it is right.
    expect(box.get_by_text("takes nothing more")).to_have_count(0)
    nothing_waits(page)
    if box.get_by_role("button", name="It is right: keep it").count():
        box.get_by_role("button", name="It is right: keep it").click()
        expect(box).to_be_hidden()
    assert [body["value"] for body, _ in noted(BARGE, "reading")[before:]] == ["0.31 mm"]


def test_two_tabs_add_to_one_list(person, noted):
    bench = person()
    first = bench.open(BARGE, READ)
    second = first.context.new_page()
    second.goto(first.url)
    before = len(noted(BARGE, "reading"))
    first.context.set_offline(True)
    for page, value in ((first, "0.311"), (second, "0.312"), (first, "0.313"), (second, "0.314")):
        page.bring_to_front()
        page.get_by_label(re.compile("Reads")).focus()
        read(page, value)
        expect(page.locator("#waiting")).to_contain_text("on this device")
    expect(first.locator("#waiting")).to_contain_text("4 readings")
    first.context.set_offline(False)
    nothing_waits(first)
    nothing_waits(second)
    first.goto(f"{bench.address}/")
    box = first.get_by_role("region", name="On this device")
    while box.get_by_role("button", name="It is right: keep it").count():
        box.get_by_role("button", name="It is right: keep it").first.click()
        nothing_waits(first)
    got = [body["value"] for body, _ in noted(BARGE, "reading")[before:]]
    assert sorted(got) == ["0.311 mm", "0.312 mm", "0.313 mm", "0.314 mm"]


def test_what_one_person_typed_goes_out_under_no_other_name(person, noted):
    bench = person("Mirth")
    page = bench.open(BARGE, FACE)
    page.route("**/pass", lambda route: route.abort())
    log(page, 4, "0.03 mm")
    expect(page.locator("#waiting")).to_contain_text("1 pass on this device")
    page.goto(f"{bench.address}/who")
    page.get_by_role("button", name="Leave this bench").click()
    page.wait_for_url("**/who?left=1")
    page.unroute("**/pass")
    bench.name_myself("Soren")
    expect(page.locator("#queue-others")).to_contain_text("1 pass of Mirth on this device")
    page.goto(f"{bench.address}/builds/{bench.builds[BARGE]}/{FACE}")
    expect(page.locator("#queue-others")).to_contain_text("1 pass of Mirth")
    log(page, 4, "0.02 mm")
    expect(page.get_by_label("How far it is")).to_contain_text("0.200 mm")
    nothing_waits(page)
    assert [(b["depth"], b["by"], who) for b, who in noted(BARGE, "pass")[3:]] == [
        ("0.02 mm", "Soren", "Soren")
    ]
    page.goto(f"{bench.address}/who")
    page.get_by_label("Your name").fill("Mirth")
    page.get_by_role("button", name="To the bench").click()
    # Hers comes second now and is asked about or kept, under her own name.
    expect(page.locator("#queue-others")).to_have_text("")
    nothing_waits(page)
    assert {who for _, who in noted(BARGE, "pass")[4:]} <= {"Mirth"}


def fill_step(page):
    page.get_by_label("In your words").fill("done with care")


def fill_found(page):
    page.get_by_text("Note something found").click()
    page.get_by_label("What", exact=True).fill("a hard spot")


def fill_set_up(page):
    page.get_by_text("Set-up record").click()
    page.get_by_label("Machine", exact=True).fill("Mill 9")


@pytest.mark.parametrize(
    ("kind", "station", "fill"),
    [("step", "measure/steps", fill_step), ("found", "measure", fill_found), ("set-up", FACE, fill_set_up)],
)
def test_every_kind_of_entry_waits_on_the_device(person, noted, kind, station, fill):
    page = person().open(BARGE, station)
    before = len(noted(BARGE, kind))
    page.context.set_offline(True)
    fill(page)
    page.locator(f"form[data-queue='{kind}'] button").last.click()
    expect(waits(page)).to_contain_text("on this device")
    page.context.set_offline(False)
    nothing_waits(page)
    expect(page.get_by_role("region", name="On this device")).to_be_hidden()
    assert len(noted(BARGE, kind)) == before + 1
