"""Crowns under a flat cut: what stands above the rim, and dishes of which little or nothing was told."""

from __future__ import annotations

import copy
import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from support.half_cut import built, engines_of_any_kind
from zygometra.core.errors import NoAnswer
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.planning.figure_samples import FigureSamples
from zygometra.core.planning.quasi_random import QuasiRandomSample
from zygometra.core.stack.difference import difference
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.stack.inverse import solve
from zygometra.core.stack.kernel import Crown, kept_by_cone
from zygometra.core.stack.sensitivity import sensitivities

BOWL = {"compression_height": "34.5 mm", "crown_volume": {"value": 16, "u": 0}, "above_rim": 0}
TOP = BOWL | {
    "crown_volume": {"value": -4, "u": 0},
    "above_rim": "1.5 mm",
    "above_rim_area": {"value": 3000, "u": 0},
}


def engine(piston=BOWL, **changed):
    """Clearance 0.5 mm, quench 1.7; everything but the crown known without doubt."""
    sure = {"u": 0}
    return {
        "format": "zygometra.build",
        "version": 1,
        "name": "crowns",
        "engine": {"layout": "inline", "banks": [{"name": "A", "cylinders": [1, 2]}]},
        "parts": {
            "block": {"deck_height": {"value": 210, **sure}, "bore": {"value": 90, **sure}},
            "crank": {"stroke": {"value": 80, **sure}},
            "rod": {"length": {"value": 135, **sure}},
            "piston": {"top_land_diameter": {"value": 89.4, **sure}, "top_land_height": {"value": 8, **sure}}
            | copy.deepcopy(piston),
            "gasket": {"thickness": {"value": 1.2, **sure}, "bore": {"value": 91.5, **sure}},
            "head": {"chamber_volume": {"value": 45, **sure}, "opening_area": {"value": 4200, **sure}},
        },
        **changed,
    }


def faced(mm, **more):
    return [{"op": "crown_cut", "amount": {"value": mm, "u": 0}}, *more.pop("besides", [])]


def planned(doc, hole=1):
    return evaluate(built(doc)).planned.hole(hole)


def says(doc):
    build = built(doc)
    return {one.code: one for one in findings(build, evaluate(build), rules_for(""))}


# -- a dish of which nobody told the opening ----------------------------------------------


@given(st.floats(0.001, 3), st.floats(0.021, 40))
def test_a_dish_that_nobody_told_makes_the_volume_wait_once_the_rim_is_cut(cut, held):
    doc = engine(BOWL | {"crown_volume": held}, planned=faced(cut))
    now, then = evaluate(built(doc)).now.hole(1).outcome, planned(doc).outcome
    assert now.compression_ratio is not None
    assert then.clearance is None
    assert then.compression_ratio is None
    # The gap is known whatever the dish holds.
    assert then.quench == pytest.approx(1.7 + cut)
    assert str(says(doc)["missing"].where) == "parts.piston.dish_area"


def test_with_nought_written_or_where_doubt_is_left_out_it_is_as_written():
    for doc in (engine(BOWL | {"dish_area": 0}), engine(unstated_doubt="zero")):
        before = evaluate(built(doc)).now.hole(1).outcome.terms.crown
        assert planned({**doc, "planned": faced(1)}).outcome.terms.crown == before == 16


@given(st.floats(0.001, 1.5))
def test_over_a_raised_centre_it_waits_for_the_rim(cut):
    piston = TOP | {"crown_volume": 2}
    assert planned(engine(piston, planned=faced(cut))).outcome.clearance is not None
    assert planned(engine(piston, planned=faced(1.5 + cut))).outcome.clearance is None


@given(st.floats(-0.015, 0.015), st.floats(0.05, 1.4))
def test_a_dome_that_was_reckoned_from_its_area_holds_no_room(rounded, made):
    # 3000 mm² · 1.5 mm = 4.5 cc, all of it but for rounding; before any pass and after some.
    doc = engine(TOP | {"crown_volume": -4.5 + rounded}, planned=faced(2.0))
    passes = [{"id": f"c{n}", "op": "crown_cut", "cylinder": n, "number": 1, "depth": made} for n in (1, 2)]
    for one in (doc, {**doc, "passes": passes}):
        then = planned(one).outcome
        assert then.clearance is not None
        assert then.terms.crown == pytest.approx(rounded, abs=1e-9)


OTHERS = [
    {"op": "deck_cut", "amount": "0.2 mm"},
    {"op": "head_cut", "amount": "0.3 mm"},
    {"op": "open_chamber", "amount": "1 cc"},
    {"op": "bowl", "amount": "1 cc"},
    {"op": "crown_cut", "amount": "0.2 mm"},
    {"op": "gasket", "gasket": {"thickness": "1.5 mm"}},
]


@given(st.lists(st.sampled_from(OTHERS), unique_by=str), st.floats(0.01, 0.5), st.booleans())
def test_what_waits_never_turns_into_a_number_by_another_cut(others, cut, logged):
    doc = engine()
    if logged:
        doc["passes"] = [
            {"id": f"c{n}", "op": "crown_cut", "cylinder": n, "number": 1, "depth": cut} for n in (1, 2)
        ]
        doc["planned"] = copy.deepcopy(others)
    else:
        doc["planned"] = faced(cut, besides=copy.deepcopy(others))
    for state in (evaluate(built(doc)).planned, *([evaluate(built(doc)).now] if logged else [])):
        for hole in state.holes:
            assert hole.outcome.compression_ratio is None
    assert {"missing", "dish-opening-untold"} <= set(says(doc))
    # Another set brings its own dish, and a number with it.
    fitted = {"op": "fit", "kind": "piston", "part": {**engine()["parts"]["piston"], "dish_area": 3000}}
    doc["planned"] = [fitted]
    assert planned(doc).outcome.compression_ratio is not None


def test_no_inverse_question_and_no_step_goes_into_what_nobody_told():
    build = built(engine())
    with pytest.raises(NoAnswer, match="opening of the dish"):
        solve(build, 1, op="crown_cut", result="compression_ratio", wanted=7.5)
    assert "crown_cut" not in {
        row.lever for row in sensitivities(evaluate(build).planned.holes[0].outcome, None)
    }
    told = built(engine(BOWL | {"dish_area": 3000}))
    assert solve(told, 1, op="crown_cut", result="compression_ratio", wanted=7.5) > 0
    assert "crown_cut" in {row.lever for row in sensitivities(evaluate(told).planned.holes[0].outcome, None)}


# -- a dish of which the opening alone is told --------------------------------------------


def lost(area_at, depth):
    """What a flat cut takes from a bowl in cc, by adding up thin slices."""
    z = np.linspace(0, depth, 4001)
    return float(np.trapezoid(area_at(z), z)) / 1000


def sphere(area, deep):
    """A cap of a sphere: its opening's radius squared falls as its depth does."""
    rim = math.sqrt(area / math.pi)
    radius = (rim * rim + deep * deep) / (2 * deep)
    return lambda z: np.maximum(math.pi * (radius**2 - (radius - deep + z) ** 2), 0) * (z < deep)


@given(
    st.floats(800, 5000),
    st.floats(1, 9),
    st.sampled_from(["sphere", "cone", "frustum", "step", "cylinder"]),
    st.floats(0.5, 0.95),
    st.floats(0.02, 1),
)
def test_straight_walls_and_a_cone_hold_every_bowl_between(area, deep, kind, narrower, share):
    rim = math.sqrt(area / math.pi)
    assume(kind != "sphere" or deep < 0.95 * rim)
    shapes = {
        "sphere": sphere(area, deep),
        "cone": lambda z: area * np.maximum(1 - z / deep, 0) ** 2,
        "frustum": lambda z: area * (1 - (1 - narrower) * z / deep) ** 2 * (z < deep),
        "step": lambda z: area * np.where(z < 0.6 * deep, 1.0, narrower) * (z < deep),
        "cylinder": lambda z: area * (z < deep),
    }
    area_at, cut = shapes[kind], share * deep
    crown = Crown(dish_area=area, dish=lost(area_at, deep))
    straight = min(area * cut / 1000, crown.dish)
    least = straight - kept_by_cone(crown, cut)
    assert least - 2e-3 * crown.dish <= lost(area_at, cut) <= straight + 2e-3 * crown.dish


def test_a_spherical_dish_lies_where_the_trade_says():
    # 70 wide and 3 deep: 3.21 cc to 1 mm, 3.85 with straight walls.
    area = math.pi / 4 * 70**2
    held = math.pi * 3 / 6 * (3 * 35**2 + 9) / 1000
    crown = Crown(dish_area=area, dish=held)
    assert area / 1000 == pytest.approx(3.85, abs=0.005)
    assert lost(sphere(area, 3.0), 1.0) == pytest.approx(3.21, abs=0.005)
    assert 3.85 - kept_by_cone(crown, 1.0) < 3.21 < 3.85


@given(st.floats(500, 5000), st.floats(1, 30), st.floats(0.01, 3), st.floats(0, 2))
def test_the_doubt_of_a_shape_is_the_difference_to_a_cone_however_the_cut_is_parted(area, held, cut, made):
    piston = BOWL | {"crown_volume": {"value": held, "u": 0}, "dish_area": {"value": area, "u": 0}}
    whole = made + cut
    doc = engine(piston, planned=faced(whole), levers={"crown_cut": {"tolerance": {"value": 0, "u": 0}}})
    doc["parts"]["piston"]["compression_height"] = {"value": 34.5, "u": 0}
    if made > 0.001:
        doc["passes"] = [
            {"id": f"c{n}", "op": "crown_cut", "cylinder": n, "number": 1, "depth": made} for n in (1, 2)
        ]
    then = planned(doc).outcome
    if then.clearance is None:
        return  # Its top land is gone.
    if made > 0.001 and made >= held / area * 1000:
        # Nothing of the dish is left, and no dome comes of it.
        assert then.terms.crown == pytest.approx(0, abs=1e-9)
        return
    deep = 3 * held / area * 1000
    cone = held * (1 - max(1 - whole / deep, 0) ** 3)
    straight = min(area * whole / 1000, held)
    assert then.terms.crown == pytest.approx(held - straight, abs=1e-9)
    if made > 0.001 and straight == held:
        return  # Through the dish is a stop of its own.
    assert then.doubts.clearance.u == pytest.approx((straight - cone) / math.sqrt(3), abs=1e-9)


# -- what stands above the rim -------------------------------------------------------------


@given(st.floats(0, 3), st.floats(0, 3), st.sampled_from(["mm", "inch"]))
def test_what_stands_above_the_rim_falls_by_what_is_cut_until_the_rim_moves(stands, cut, system):
    unit = (lambda mm: f"{mm / 25.4!r} in") if system == "inch" else (lambda mm: f"{mm!r} mm")
    stands, cut = round(stands, 6), round(cut, 6)
    piston = TOP | {"above_rim": unit(stands), "dish_area": 0}
    doc = engine(piston, planned=[{"op": "crown_cut", "amount": unit(cut)}])
    then = planned(doc)
    assert then.above_rim == pytest.approx(max(stands - cut, 0), abs=1e-9)
    assert then.outcome.deck_clearance == pytest.approx(0.5 + max(cut - stands, 0), abs=1e-9)


def test_nobody_said_what_stands_above_the_rim_and_it_is_null():
    piston = {name: value for name, value in BOWL.items() if name != "above_rim"}
    assert planned(engine(piston)).above_rim is None
    assert planned(engine()).above_rim == 0


@given(st.floats(0, 1.5), st.floats(0, 1.4))
def test_a_crown_is_cut_so_that_so_much_stays_above_the_rim(wanted, made):
    doc = engine(TOP, planned=faced(1.5))
    if made > 0.001:
        doc["passes"] = [{"id": "c", "op": "crown_cut", "cylinder": 1, "number": 1, "depth": made}]
    if wanted > 1.5 - made:
        with pytest.raises(NoAnswer, match="Metal cannot be put back"):
            solve(built(doc), 1, op="crown_cut", result="above_rim", wanted=wanted + 1e-6)
        return
    total = solve(built(doc), 1, op="crown_cut", result="above_rim", wanted=wanted)
    assert planned({**doc, "planned": faced(total)}).above_rim == pytest.approx(wanted, abs=1e-9)


@pytest.mark.parametrize(
    ("piston", "op", "wanted", "why"),
    [
        (TOP, "deck_cut", 0.8, "a crown cut alone"),
        (TOP, "crown_cut", -0.1, "nought or more"),
        ({"compression_height": 34.5}, "crown_cut", 0.8, "Nobody said"),
    ],
)
def test_what_cannot_be_aimed_at_says_why(piston, op, wanted, why):
    with pytest.raises(NoAnswer, match=why):
        solve(built(engine(piston)), 1, op=op, result="above_rim", wanted=wanted)


def test_only_what_goes_off_below_the_rim_counts_against_the_limit():
    doc = engine(TOP | {"dish_area": 0}, levers={"crown_cut": {"max": "0.5 mm"}})
    assert "cut-over-limit" not in says({**doc, "planned": faced(2.0)})
    over = says({**doc, "planned": faced(2.01)})
    assert any("limit" in code for code in over), sorted(over)


def test_what_goes_off_above_the_rim_counts_against_the_metal_under_it():
    asked = says(engine(TOP, planned=faced(0.7)))
    assert "0.700 mm off what stands above the rim" in asked["crown-top-thickness-untold"].says
    thick = says(engine(TOP | {"above_rim_thickness": "9 mm"}, planned=faced(0.7)))
    assert not {code for code in thick if "top" in code}
    thin = says(engine(TOP | {"above_rim_thickness": "5.5 mm"}, planned=faced(0.7)))
    assert "4.80 mm" in thin["crown-cut-leaves-little-on-top"].says
    gone = says(engine(TOP | {"above_rim_thickness": "0.7 mm"}, planned=faced(0.7)))
    assert gone["crown-cut-through-top"].severity == "stop"
    # The warning outlives the metal.
    cut = {
        "passes": [
            {"id": f"c{n}", "op": "crown_cut", "cylinder": n, "number": 1, "depth": 0.7} for n in (1, 2)
        ]
    }
    assert "crown-cut-leaves-little-on-top" in says(engine(TOP | {"above_rim_thickness": "5.5 mm"}, **cut))
    assert "crown-top-thickness-untold" in says(engine(TOP, **cut))


# -- every kind of engine ------------------------------------------------------------------


@given(engines_of_any_kind(), st.floats(0.01, 1))
def test_a_crown_with_room_and_no_opening_waits_in_every_kind_of_engine(doc, cut):
    doc = copy.deepcopy(doc) | {"unstated_doubt": "house"}
    piston = doc["parts"]["piston"]
    piston.pop("dish_area", None)
    piston |= {"crown_volume": 9.0, "above_rim": 0}
    for own in doc.get("cylinders", {}).values():
        own.pop("crown_volume", None)
    doc["planned"] = [{"op": "crown_cut", "amount": cut}]
    doc["readings"] = [one for one in doc.get("readings", ()) if one["figure"] != "crown_volume"]
    for hole in evaluate(built(doc)).planned.holes:
        assert hole.outcome.compression_ratio is None


# -- a gasket of which nobody told the opening -----------------------------------------------


@pytest.mark.parametrize("each", [False, True])
def test_a_gasket_without_an_opening_reaches_from_the_bore_up_and_moves_with_it(each):
    doc = engine(BOWL | {"compression_height": {"value": 34.5, "u": 0}})
    del doc["parts"]["gasket"]["bore"]
    doc["parts"]["block"]["bore"] = {"value": 90, "u": 0.02, "each": each}
    one, other = evaluate(built(doc)).now.holes
    b, t, c = 90.0, 1.2, 0.5
    assert one.outcome.terms.gasket == pytest.approx(math.pi / 4 * (b + 1) ** 2 * t / 1000)
    # dVc/dB: gasket, deck and the ring around the top land; dVc/dG: the gasket's alone.
    by_bore = math.pi / 2 * ((b + 1) * t + b * c + b * 8) / 1000
    by_opening = math.pi / 2 * (b + 1) * t / 1000
    u = math.hypot(by_bore * 0.02, by_opening / math.sqrt(3))
    assert one.outcome.doubts.clearance.u == pytest.approx(u, rel=1e-9)
    # The gasket is the same over both holes; bores that differ are two.
    apart = difference(one, other, "clearance").u
    assert apart == pytest.approx(by_bore * 0.02 * math.sqrt(2) if each else 0, abs=1e-12)
    drawn = FigureSamples(built(doc), QuasiRandomSample(3)).base()
    volume = drawn.gasket_volume + drawn.area * c / 1000 + drawn.closed
    assert volume.std(axis=0) == pytest.approx([u, u], rel=0.02)
    says_so = says(doc)
    assert "gasket-opening-not-told" in says_so
    assert not {"gasket-room", "gasket-smaller-than-bore"} & set(says_so)


def test_a_gasket_known_by_thickness_alone_over_one_known_by_volume_has_the_usual_opening():
    doc = engine(planned=[{"op": "gasket", "gasket": {"thickness": 1.5}}])
    doc["parts"]["gasket"] = {"volume": "8 cc", "thickness": "1 mm"}
    evaluation = evaluate(built(doc))
    assert evaluation.now.hole(1).outcome.terms.gasket == 8
    assert evaluation.planned.hole(1).outcome.terms.gasket == pytest.approx(math.pi / 4 * 91**2 * 1.5 / 1000)


def test_a_rim_at_the_deck_needs_no_bore():
    doc = engine(cylinders={"1": {"deck_clearance": 0}, "2": {"deck_clearance": "0.1 mm"}})
    doc["parts"] = {
        "block": {"swept_volume": "500 cc"},
        "piston": {"crown_volume": "4 cc"},
        "gasket": {"volume": "8 cc"},
        "head": {"chamber_volume": "45 cc"},
    }
    one, other = evaluate(built(doc)).now.holes
    assert one.outcome.clearance == 57
    assert one.outcome.compression_ratio == pytest.approx(557 / 57)
    assert math.isnan(one.outcome.doubts.clearance.u)
    assert other.outcome.clearance is None
    cut = {**doc, "planned": [{"op": "deck_cut", "amount": "0.1 mm"}]}
    assert evaluate(built(cut)).planned.hole(1).outcome.clearance is None
