"""Every page for everybody: axe finds nothing, light or dark; the keyboard reaches all; a phone will do."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from playwright.sync_api import expect

AXE = (Path(__file__).parent / "vendor/axe.min.js").read_text()
BUILDS = ("Pilot launch 2.3", "Mountain rescue truck V8", "Quarry loader V8", "Hill-climb single")
STATIONS = ("figures", "aim", "sheet", "record", "working", "figure?at=parts.block.bore")
PLAIN = ("/", "/builds/new", "/settings", "/house-rules", "/keys", "/patterns", "/who", "/nowhere")
RECIPE = "at=CR-00001~RD-00001~PS-00001~GS-00001~HD-00001"
MIX = (
    "/mix",
    "/mix?block=BL-002&compression_ratio-min=16",
    f"/mix/basket?block=BL-001&{RECIPE}",
    f"/mix/take?block=BL-001&{RECIPE}",
    "/shelf?kind=piston",
    "/shelf/crank/CR-00001",
    "/shelf/rod/new",
    "/shelf/rules",
    "/gauges",
    "/gauges/depth-1",
)
# Builds that were read: the logbook, one figure's readings, the page for a hand at the engine.
READ = {
    "Harbour tug 2.6": (
        "measure",
        "measure/at?place=cylinders.1.deck_clearance",
        "measure/read?figure=deck_clearance&way=tipped",
        "measure/read?figure=chamber_volume&way=shots",
    ),
    "Snow plough 2.1": ("measure",),
    "Timber hauler V8": (
        "measure/mock-up",
        "measure/mock-up/tags",
        "measure/decks",
        "measure/heads?mode=alike&within=0.5",
        "measure/steps",
    ),
    "Canal barge 2.6": (
        "cut-log",
        "cut-log/deck_cut/A?sheet=1.27.250.0000000000",
        "cut-log/set/crown_cut",
        "sheet/deck_cut/A",
        "agreement",
    ),
    "Granary hoist 1.9": ("verify", "build-sheet"),
}


def pages(bench):
    yield from PLAIN
    yield from MIX
    for name in BUILDS:
        yield f"/builds/{bench.builds[name]}/stack"
    yield from (f"/builds/{bench.builds[BUILDS[0]]}/{station}" for station in STATIONS)
    for name, stations in READ.items():
        yield from (f"/builds/{bench.builds[name]}/{station}" for station in stations)


EVERYTHING = "{rules: {'target-size': {enabled: true}}}"
# All that axe asks of colours: the rest of it is the same by day and by night.
COLOURS = "{runOnly: ['color-contrast', 'link-in-text-block']}"


def violations(page, asked=EVERYTHING):
    page.evaluate(f"if (!window.axe) {{ {AXE} }}")
    return page.evaluate(
        f"async () => (await axe.run(document, {asked})).violations"
        ".map(v => [v.id, v.nodes.map(n => n.target.join(' '))])"
    )


def width(page, window):
    """How wide the page is in a window of some width."""
    page.set_viewport_size({"width": window, "height": 800})
    return page.evaluate("document.documentElement.scrollWidth")


# The walk in parts, so that those who run the tests side by side share it.
PARTS = 4


@pytest.mark.parametrize("part", range(PARTS))
def test_axe_finds_nothing_by_day_or_by_night_and_no_page_is_wider_than_its_window(person, part):
    bench = person(bypass_csp=True)
    page, faults = bench.page, {}
    for address in list(pages(bench))[part::PARTS]:
        page.emulate_media(color_scheme="light")
        page.goto(bench.address + address)
        by_day = violations(page)
        page.emulate_media(color_scheme="dark")
        by_night = violations(page, COLOURS)
        wide = [(window, found) for window in (390, 1280) if (found := width(page, window)) > window]
        if by_day or by_night or wide:
            faults[address] = (by_day, by_night, wide)
    assert faults == {}, json.dumps(faults, indent=1)


def test_axe_finds_nothing_in_an_open_dialog(person):
    bench = person(bypass_csp=True)
    page = bench.open(BUILDS[0])
    page.locator('.reckoning [data-working="compression_ratio"][data-of="2"]').click()
    expect(page.locator("dialog .steps")).to_be_visible()
    assert violations(page) == []
    page.keyboard.press("Escape")
    page.locator('[data-figure="parts.rod.length"]').click()
    expect(page.locator("dialog form")).to_be_visible()
    assert violations(page) == []


def test_a_plan_is_made_and_kept_by_keyboard_alone(ada):
    page = ada.open(BUILDS[0])
    page.keyboard.press("d")
    expect(page.get_by_label("Deck cut", exact=True)).to_be_focused()
    page.keyboard.press("Control+a")
    page.keyboard.type("12 thou")
    expect(page.locator("#keep")).to_contain_text("deck cut: 12 thou")
    page.keyboard.press("Tab")
    expect(page.locator("#card-deck_cut button")).to_be_focused()
    page.keyboard.press("k")
    expect(page.locator("#keep")).to_contain_text("The plan is kept.")
    page.keyboard.press("3")
    expect(page.locator(".hole.chosen")).to_have_text("3")
    page.keyboard.press("ArrowRight")
    expect(page.locator(".hole.chosen")).to_have_text("4")
    page.keyboard.press("u")
    expect(page.locator("#notice .flash")).to_contain_text("Taken back: plan")
    page.keyboard.press("p")
    # A heading is seen before the keys are listened to.
    page.wait_for_url("**/sheet")
    expect(page.get_by_role("heading", name="Cut sheet: Pilot launch 2.3")).to_be_visible()
    page.keyboard.press("?")
    page.wait_for_url("**/keys")
    expect(page.get_by_role("heading", name="Keys")).to_be_visible()


def test_figures_of_the_drawing_are_reached_and_opened_by_keyboard(ada):
    page = ada.open(BUILDS[0])
    page.locator('.stack [data-figure="parts.crank.stroke"]').focus()
    page.keyboard.press("Enter")
    expect(page.locator("dialog").get_by_label("Readings")).to_have_value("86.0 mm\n86.01 mm\n86.0 mm")
    page.keyboard.press("Escape")
    page.locator('.stack [data-working="quench"]').focus()
    page.keyboard.press("Space")
    expect(page.locator("dialog .step.chosen")).to_contain_text("quench = c + t")


def test_on_a_phone_a_lever_is_moved_and_kept(person):
    bench = person(viewport={"width": 390, "height": 800}, has_touch=True, is_mobile=True)
    page = bench.open(BUILDS[0])
    page.get_by_label("Deck cut", exact=True).fill("0.10 mm")
    expect(page.locator('.reckoning [data-working="deck_clearance"][data-of="1"]')).to_have_text("0.12 down")
    page.get_by_role("button", name="Keep", exact=True).tap()
    expect(page.locator("#keep")).to_contain_text("The plan is kept.")


def test_without_scripts_the_levers_still_answer(person):
    bench = person(java_script_enabled=False)
    page = bench.open(BUILDS[0])
    page.get_by_label("Deck cut", exact=True).fill("0.10 mm")
    page.get_by_role("button", name="Show what it does").click()
    expect(page.locator("#keep")).to_contain_text("deck cut: 0.10 mm")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.locator("#keep")).to_contain_text("The plan is kept.")


# What a thumb can hit; links inside a sentence are as high as its lines.
_SMALL = """() => [...document.querySelectorAll('a, button, input, select, summary, [role=slider] .reach')]
  .filter(e => e.getClientRects().length && !e.matches('.skip, [type=hidden], [type=checkbox], [type=radio]'))
  .filter(e => !(e.matches('a') && getComputedStyle(e).display === 'inline'))
  .map(e => [e.tagName, (e.id || e.textContent).trim().slice(0, 24), e.getBoundingClientRect()])
  .filter(([, , r]) => r.width < 43.5 || r.height < 43.5)
  .map(([tag, name, r]) => `${tag} ${name} ${Math.round(r.width)} × ${Math.round(r.height)}`)"""


def test_on_a_phone_the_loupe_comes_first_and_whole_and_every_target_is_large(person):
    bench = person(viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True)
    page = bench.open("Quarry loader V8")
    loupe = page.locator(".loupe-part .loupe-rim").bounding_box()
    section = page.locator(".section-part").bounding_box()
    quench = page.locator(".loupe-part [data-working=quench]").bounding_box()
    assert loupe["x"] >= 0
    assert loupe["x"] + loupe["width"] <= 390
    # Above the section, and all of it in the first view.
    assert loupe["y"] + loupe["height"] <= min(section["y"] + 6, 844)
    assert loupe["x"] < quench["x"]
    assert quench["x"] + quench["width"] < loupe["x"] + loupe["width"]
    assert page.locator("header.bar").bounding_box()["height"] < 60
    assert page.evaluate(_SMALL) == []


def test_every_room_has_large_targets_on_a_phone(person):
    bench = person(viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True)
    build = bench.builds["Quarry loader V8"]
    stations = [f"/builds/{build}/{name}" for name in ("figures", "aim", "sheet", "record")]
    rooms = [
        "/",
        "/builds/new",
        "/shelf?kind=piston",
        "/shelf/piston/new",
        "/mix",
        "/house-rules",
        "/settings",
        "/keys",
    ]
    for address in (*stations, *rooms):
        bench.page.goto(f"{bench.address}{address}")
        bench.page.wait_for_load_state()
        assert bench.page.evaluate(_SMALL) == [], address


def test_the_rest_of_the_bar_waits_behind_a_button(person):
    bench = person(viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True)
    page = bench.open("Quarry loader V8")
    mix = page.get_by_role("link", name="Mix", exact=True)
    assert not mix.is_visible()
    page.get_by_role("button", name="menu").click()
    assert mix.is_visible()
    page.keyboard.press("Escape")
    assert not mix.is_visible()
    assert page.evaluate("document.activeElement.id") == "bar-button"
    page.get_by_role("button", name="menu").click()
    mix.click()
    page.wait_for_url("**/mix")


def test_without_scripts_the_bar_of_a_phone_is_open(person):
    page = person(viewport={"width": 390, "height": 844}, java_script_enabled=False).open("Quarry loader V8")
    assert page.get_by_role("link", name="Mix", exact=True).is_visible()


def test_the_first_lever_is_within_ten_tabs(ada):
    page = ada.open("Quarry loader V8")
    for _press in range(10):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.textContent") == "To the levers":
            page.keyboard.press("Enter")
        if page.evaluate("document.activeElement.id") == "lever-deck_cut":
            break
    assert page.evaluate("document.activeElement.id") == "lever-deck_cut"
