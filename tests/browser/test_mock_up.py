"""A vee eight mocked up at its four corners, from the first reading to the tags: by thumb and by keyboard."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

PHONE = {"viewport": {"width": 390, "height": 844}, "has_touch": True, "is_mobile": True}
RESCUE = "Mountain rescue truck V8"
# Thou, tipped either way, of one rod and piston at the ends of both banks.
ENDS = {1: (21, 27), 7: (29, 35), 2: (18, 24), 8: (18, 24)}


def _keys(page, sides):
    for side in sides:
        page.keyboard.type(f"{side:g}")
        page.keyboard.press("Enter")


def _thumb(page, sides):
    first, second = (page.get_by_label(label) for label in ("One way, thou", "The other way, thou"))
    for field, side in zip((first, second), sides, strict=True):
        field.tap()
        field.fill(f"{side:g}")
    page.get_by_role("button", name="Take it").tap()


# long: one job from its beginning to its end
@pytest.mark.parametrize("way", [_keys, _thumb], ids=["keyboard", "thumb"])
def test_a_vee_eight_from_its_first_reading_to_the_tags(person, way):
    bench = person(**PHONE)
    page = bench.open(RESCUE, "aim")
    page.get_by_label(re.compile("Deck clearance.*aim", re.I)).first.fill("15 thou")
    page.locator("form button[type=submit], form .button.is-link").first.click()
    page.wait_for_load_state()
    page = bench.open(RESCUE, "measure/mock-up")
    page.get_by_label("Parts").select_option("one")
    page.get_by_label("Holes between").select_option("line")
    page.get_by_label("Between the machinist's supports").fill("13.23 in")
    page.get_by_role("button", name="Settle it").tap()
    expect(page.get_by_role("link", name="Read hole 1").first).to_be_visible()
    page.locator("#read-next").tap()
    page.get_by_text("Settled for this series").tap()
    page.get_by_label("Unit of bare numbers").select_option("thou")
    page.get_by_label("Gauge", exact=True).select_option("depth-2")
    page.get_by_role("button", name="Settle it").tap()
    # Three rounds, as one set is carried from end to end: the place after the last of one bank is the next's first.
    for more in (0, 0.1, -0.1):
        for hole, (one, other) in ENDS.items():
            expect(page.locator("#where")).to_have_text(f"Hole {hole}")
            # Two holes read alike: only the shop's answer tells that the second has come.
            with page.expect_response(lambda answer: answer.request.method == "POST"):
                way(page, (one - more, other + more))
            mean, rock, least = (
                f"{x:g}" if more == 0 else f"{x:.1f}" for x in ((one + other) / 2, 3 + more, one - more)
            )
            expect(page.locator(".read-back")).to_contain_text(
                f"{mean} thou · rock {rock} · least gap {least}"
            )
    expect(page.locator("#waiting")).to_have_text("")
    page = bench.open(RESCUE, "measure/mock-up")
    left = page.get_by_role("region", name="Bank left")
    # What nobody read lies on the line: a third of the way from 24 to 32, and no stop comes of it.
    expect(left.get_by_role("row").nth(2)).to_contain_text("by the line")
    expect(left.get_by_role("row").nth(1)).to_contain_text("3× ✓")
    expect(page.locator(".besides [aria-current]")).to_contain_text("4 read, 4 by the line")
    page.get_by_role("button", name="Put these cuts on the plan").tap()
    page.wait_for_url("**/stack")
    expect(page.locator("#findings")).not_to_contain_text(re.compile("Holes? [3456].*floor"))
    page = bench.open(RESCUE, "measure/mock-up/tags")
    tags = page.get_by_role("list", name="Tags").get_by_role("listitem")
    expect(tags).to_have_count(4)
    # 24 − 15 and 32 − 15 at the left ends, 21 − 15 at both right ones, in thou; mm first for this reader.
    wanted = ((1, 9.0), (7, 17.0), (2, 6.0), (8, 6.0))
    for i, (hole, thou) in enumerate(wanted):
        expect(tags.nth(i)).to_contain_text(f"at hole {hole}")
        expect(tags.nth(i)).to_contain_text(re.compile(rf"\b{thou:g}(\.\d+)? thou"))
    expect(page.get_by_text("on the pad with the engine number")).to_be_visible()
    assert bench.faults == []
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
