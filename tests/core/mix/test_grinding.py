"""A crank that can be ground offset: its stroke is free to meet every window, not only where the piston stops."""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from support.shelves import part, shelf
from zygometra.core.mix.judge import judge
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.searching import best
from zygometra.core.mix.shelf import Block
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window

from .test_search import lay_out

# By hand: a pin of 54 on rods for 50 with 0.1 of clean-up moves its centre by 1.9, the stroke by up to 3.8.
PIN, MOVED = 54.0, 3.8


def results_at(stroke, *, rod, height, gasket, cut):
    """What the fixed parts come to at a stroke, from the formulas alone."""
    clearance = 225.4 - stroke / 2 - rod - height + cut
    area = math.pi / 4 * 92**2
    volume = 52 + 4.5 + math.pi / 4 * 93.5**2 * gasket / 1000 + area * clearance / 1000
    return {
        "compression_ratio": (area * stroke / 1000 + volume) / volume if volume > 0 else 99.0,
        "deck_clearance": clearance,
        "quench": clearance + gasket,
        "displacement": math.pi / 4 * 92**2 * stroke * 4 / 1000,
        "rod_ratio": rod / stroke,
        "piston_speed": stroke * 5500 / 30_000,
    }


def inside(results, windows, slack):
    return (
        all(
            (w.low is None or results[key] >= w.low + slack * scale)
            and (w.high is None or results[key] <= w.high - slack * scale)
            for key, w in windows.items()
            for scale in ((0.01 * abs(results[key]) + 0.02),)
        )
        and results["quench"] >= 0.9 + slack * 0.02
    )


@st.composite
def a_window(draw, middle, width):
    """One-edged, two-edged, aim alone, or several of these, somewhere about what the parts give."""
    low = middle + draw(st.floats(-1, 1)) * width
    high = low + draw(st.floats(0.02, 2)) * width
    edges = draw(st.sampled_from(["low", "high", "both", "aim", "both and aim"]))
    return Window(
        low if edges in ("low", "both", "both and aim") else None,
        (low + high) / 2 if "aim" in edges else None,
        high if edges in ("high", "both", "both and aim") else None,
    )


MIDDLES = {
    "deck_clearance": (0.3, 1.0),
    "quench": (1.5, 0.8),
    "displacement": (2300.0, 80.0),
    "rod_ratio": (1.70, 0.06),
    "piston_speed": (15.9, 0.6),
    "compression_ratio": (9.4, 1.0),
}


@st.composite
def cases(draw):
    asked = draw(st.sets(st.sampled_from(sorted(MIDDLES)), max_size=4))
    windows = {key: draw(a_window(*MIDDLES[key])) for key in sorted(asked)}
    figures = {
        "rod": draw(st.sampled_from([146.0, 148.0, 149.0])),
        "height": draw(st.sampled_from([33.0, 34.2, 35.0])),
        "gasket": draw(st.sampled_from([0.8, 1.2, 2.0])),
    }
    faces = draw(st.booleans())
    return windows, figures, faces


@settings(max_examples=300)
@given(cases())
def test_a_recipe_stands_where_any_stroke_meets_every_window(case):
    windows, figures, faces = case
    made = shelf(
        part("crank", "C", pin_diameter=PIN),
        part("rod", "R", length=figures["rod"]),
        part("piston", "P", compression_height=figures["height"], top_land_height=None),
        part("gasket", "G", thickness=figures["gasket"]),
    )
    allowed = frozenset({"offset-grind", "face-crown"} if faces else {"offset-grind"})
    question = MixQuestion("B1", windows, machining=allowed, crown_limit=1.0)
    verdict = judge(made, Block(made, "B1"), rules=USUAL, question=question, recipe=(0, 0, 0, 0, 0))
    strokes = [86 - MOVED + 2 * MOVED * i / 400 for i in range(401)]
    # How deep a crown is faced follows from the gap alone; with a ratio asked for, only uncut crowns are told.
    depths = (0.0, 0.25, 0.5, 0.75, 1.0) if faces and "compression_ratio" not in windows else (0.0,)
    clearly = any(
        # A crown is faced only where the piston would stop too high, and no stroke does without.
        inside(results_at(stroke, cut=cut, **figures), windows, 0.2)
        and (
            cut == 0.0
            or not (
                inside(results_at(stroke, cut=0.0, **figures), _gaps(windows), -0.01)
                or any(inside(results_at(s, cut=0.0, **figures), _but_ratio(windows), -0.01) for s in strokes)
            )
        )
        for stroke in strokes
        for cut in depths
    )
    nearly = any(
        inside(results_at(stroke, cut=cut, **figures), windows, -0.5)
        for stroke in strokes
        for cut in [i / 40 for i in range(41)]
        if faces or cut == 0.0
    )
    if clearly:
        assert not verdict.outside, verdict
    if not verdict.outside:
        assert nearly
        assert 86 - MOVED - 1e-9 <= verdict.results.stroke <= 86 + MOVED + 1e-9
    found = best(lay_out(made, question)).recipes
    assert bool(found) == verdict.stands


def _but_ratio(windows):
    return {key: w for key, w in windows.items() if key != "compression_ratio"}


def _gaps(windows):
    return {key: w for key, w in windows.items() if key in ("deck_clearance", "quench")}


@pytest.mark.parametrize(
    ("windows", "stroke"),
    [
        # Nothing asked: the crank stays as it is.
        ({}, 86.0),
        # π/4·92²·4·S/1000 ≥ 2300 cc wants S ≥ 86.50: no more than that is ground.
        ({"displacement": Window(2300, None, None)}, 2300e3 / (math.pi * 92**2)),
        # 2350 cc want 88.38; the floor of 0.9 holds at 86 + 2·(1.4 − 0.9).
        ({"displacement": Window(2350, None, None)}, 87.0),
        # 2·S·n ≤ 15.4 m/s at 5500 wants S ≤ 84: as near as the gap allows where nothing bounds it.
        ({"piston_speed": Window(None, None, 15.4)}, 84.0),
        # An aim of quench is met where displacement lets it: c = 0.2 at 86, 0.1 less for 0.2 more of stroke.
        ({"quench": Window(None, 1.3, None)}, 86.2),
        (
            {"quench": Window(None, 1.3, None), "displacement": Window(2295, None, None)},
            2295e3 / (math.pi * 92**2),
        ),
        # 9.9 wants V = Vs/8.9, Vs = 6.6476·S and V = 64.74 + 6.6476·(43.2 − S/2) cc: S = 86.450427.
        ({"compression_ratio": Window(9.9, None, None)}, 86.450427),
        # 10.5 is past what the floor leaves: nothing is gained by going half way.
        ({"compression_ratio": Window(10.5, None, None)}, 86.0),
        # 2400 cc want more than can be ground at all.
        ({"displacement": Window(2400, None, None)}, 87.0),
    ],
)
def test_the_stroke_that_is_ground(windows, stroke):
    made = shelf(part("crank", "C", pin_diameter=PIN))
    question = MixQuestion("B1", windows, machining=frozenset({"offset-grind"}))
    verdict = judge(made, Block(made, "B1"), rules=USUAL, question=question, recipe=(0, 0, 0, 0, 0))
    assert verdict.results.stroke == pytest.approx(stroke, abs=1e-6)
