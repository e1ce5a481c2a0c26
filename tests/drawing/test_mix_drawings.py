"""Recipes side by side and the map of the field: to scale, and readable without seeing."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET

import pytest

from zygometra.core.windows import Window
from zygometra.core.wording import Reader
from zygometra.drawing.field import HEIGHT, WIDTH, Axis, Point, field_map
from zygometra.drawing.recipes import Stack, stacks_drawing

ACROSS = Axis("displacement", "displacement, cc", Window(2200, 2290, 2400), 0, per_shown=1.0)
UP = Axis("deck_clearance", "deck clearance, mm", Window(-0.1, None, 0.5), 2, per_shown=1.0)


def stack(key="a", clearance=0.2, state="", out=""):
    return Stack(
        key,
        f"{key} · 86/148",
        225.4,
        92,
        stroke=86,
        rod=148,
        compression=34.4 - clearance,
        clearance=clearance,
        half=0.08,
        thickness=1.2,
        crown=4.5,
        chamber_depth=18,
        state=state,
        out=out,
    )


def root(svg):
    return ET.fromstring(svg)


def with_class(svg, css):
    return [e for e in root(svg).iter() if css in (e.get("class") or "").split()]


def rims(svg):
    return [
        float(e.get("y")) for e in root(svg).iter("rect") if (e.get("class") or "").startswith("metal piston")
    ]


def test_all_stacks_hang_from_one_deck_line_on_one_scale():
    svg = stacks_drawing([stack("a", 0.0), stack("b", 1.0), stack("c", 2.0)], (None, None), Reader())
    level, one, two = rims(svg)
    deck = float(with_class(svg, "deck-line")[0].get("y1"))
    assert level == pytest.approx(deck, abs=0.01)
    assert two - one == pytest.approx(one - level, abs=0.02)
    factor = int(re.search(r"magnified (\d+) times", svg).group(1))
    assert one - level == pytest.approx(factor * 96 / 25.4, abs=0.02)


def test_a_piston_through_the_head_is_marked_by_more_than_colour():
    svg = stacks_drawing([stack("a", -1.5, out="quench")], (None, None), Reader())
    assert with_class(svg, "through")
    label = with_class(svg, "recipe")[0].get("aria-label")
    assert "1.50 mm proud" in label
    assert "outside: quench" in label


def test_what_is_read_out_holds_what_is_written():
    svg = stacks_drawing([stack("a", 0.2, "chosen")], (0.0, 0.5), Reader())
    recipe = with_class(svg, "recipe")[0]
    written = " ".join("".join(recipe.itertext()).split())
    assert written in recipe.get("aria-label")
    assert recipe.get("aria-pressed") == "true"


def test_few_recipes_leave_room_and_none_draw_nothing():
    assert root(stacks_drawing([stack()], (None, None), Reader(), 6)).get("viewBox") == root(
        stacks_drawing([stack(k) for k in "abcdef"], (None, None), Reader(), 6)
    ).get("viewBox")
    assert stacks_drawing([], (None, None), Reader(), 6) == ""


def points(svg):
    found = {}
    for e in root(svg).iter():
        if e.get("role") == "radio":
            found[e.get("data-recipe")] = tuple(map(float, re.findall(r"-?[\d.]+", e.get("transform"))))
    return found


SAMPLE = [
    Point("a", 2250, 0.1, "one", state="in", machined=False),
    Point("b", 2350, 0.3, "two", state="out", machined=False),
    Point("c", 2300, -1.0, "three", state="chosen", machined=True),
]


def test_more_lies_further_right_and_higher_up():
    at = points(field_map(SAMPLE, ACROSS, UP))
    assert at["a"][0] < at["c"][0] < at["b"][0]
    assert at["b"][1] < at["a"][1] < at["c"][1]
    assert at["c"][0] - at["a"][0] == pytest.approx((at["b"][0] - at["a"][0]) / 2, abs=0.11)


def test_every_point_lies_on_the_map_however_far_out():
    far = [
        *SAMPLE,
        Point("d", 9e6, 400.0, "far", state="out", machined=False),
        Point("e", 2250, 0.1, "same", state="pinned", machined=False),
    ]
    for x, y in points(field_map(far, ACROSS, UP)).values():
        assert 0 < x < WIDTH
        assert 0 < y < HEIGHT


def test_one_point_takes_the_keyboard():
    svg = field_map(SAMPLE, ACROSS, UP)
    stops = [
        e.get("data-recipe")
        for e in root(svg).iter()
        if e.get("role") == "radio" and e.get("tabindex") == "0"
    ]
    assert stops == ["c"]


def test_the_edges_of_windows_are_sliders_in_the_readers_unit():
    thou = Axis("deck_clearance", "deck clearance, thou", Window(-0.1, None, 0.508), 1, per_shown=0.0254)
    edges = {
        e.get("data-edge"): e
        for e in root(field_map(SAMPLE, ACROSS, thou)).iter()
        if e.get("role") == "slider"
    }
    assert set(edges) == {"displacement.min", "displacement.max", "deck_clearance.min", "deck_clearance.max"}
    assert float(edges["deck_clearance.max"].get("data-value")) == pytest.approx(20.0)
    # A drag by as much as two points lie apart is a change by as much as they differ.
    at = points(field_map(SAMPLE, ACROSS, thou))
    per = float(edges["displacement.min"].get("data-per"))
    assert (at["b"][0] - at["a"][0]) * per == pytest.approx(100, rel=0.01)


def test_a_map_without_windows_or_points_is_still_a_map():
    svg = field_map(
        [], Axis("a", "a", Window(), 1, per_shown=1.0), Axis("b", "b", Window(), 1, per_shown=1.0)
    )
    assert with_class(svg, "map-ground")
    assert not with_class(svg, "map-window")


def test_names_on_the_map_are_only_text():
    svg = field_map([Point('"><b>', 1, 1, "<script>", state="in", machined=False)], ACROSS, UP)
    assert "<script>" not in svg
    assert root(svg) is not None
