"""Each judgement at its edge, held against the plain comparison in words, over whole ranges."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.cases import demo, single
from zygometra.core.build.document import read_document
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import SCHOOL, rules_for
from zygometra.core.stack.evaluate import evaluate

HAIR = 1e-6


def said(document):
    """The codes that are said of a build, its outcome, and the house rules."""
    build = read_document(document)
    rules, evaluation = rules_for(build.school), evaluate(build)
    found = {finding.code: finding for finding in findings(build, evaluation, rules)}
    return found, evaluation.planned.holes[0].outcome, rules


THICKNESSES = st.floats(0.2, 2.5).map(lambda mm: round(mm, 4))


@given(st.floats(33.0, 37.0).map(lambda mm: round(mm, 4)), THICKNESSES)
def test_how_proud_is_told_by_the_gasket(height, thickness):
    found, outcome, _ = said(
        single(parts__piston__compression_height=f"{height} mm", parts__gasket__thickness=f"{thickness} mm")
    )
    proud = -outcome.deck_clearance
    over = proud > 0 and proud >= outcome.gasket_thickness
    assert ("proud-over-gasket" in found) == over
    assert ("piston-proud" in found) == (proud > 0 and not over)


@given(st.floats(79.0, 83.5).map(lambda mm: round(mm, 3)))
def test_a_round_gasket_is_judged_by_the_bore_under_it(opening):
    document = single(parts__gasket__bore=f"{opening} mm")
    found, _, rules = said(document)
    build = read_document(document)
    bore = build.figures["parts.block.bore"].value
    assert ("gasket-smaller-than-bore" in found) == (opening < bore)
    assert ("gasket-room" in found) == (opening >= bore and opening - bore < rules["gasket_room"])


@given(THICKNESSES, st.sampled_from(["steel", "titanium", "aluminium"]))
def test_the_quench_floor_is_that_of_the_rods(thickness, material):
    found, outcome, rules = said(
        single(parts__gasket__thickness=f"{thickness} mm", parts__rod__material=material)
    )
    floor = rules.quench_floor(material)
    assert floor == {"steel": 0.889, "titanium": 1.0, "aluminium": 1.4}[material]
    assert ("quench-under-floor" in found) == (outcome.quench < floor - HAIR)


@given(st.floats(0.95, 1.6).map(lambda mm: round(mm, 3)), THICKNESSES)
def test_a_quench_window_is_judged_above_the_floor(low, thickness):
    document = single(
        parts__gasket__thickness=f"{thickness} mm",
        targets={"quench": {"min": f"{low} mm", "max": f"{low + 0.2:.3f} mm"}},
    )
    found, outcome, rules = said(document)
    floor = rules.quench_floor("steel")
    under = outcome.quench < max(low, floor) - HAIR
    assert ("quench-under-window" in found or "quench-under-floor" in found) == under


@given(st.floats(7, 14).map(lambda ratio: round(ratio, 3)))
def test_a_ratio_window_is_missed_on_either_side(low):
    document = single(targets={"compression_ratio": {"min": low, "max": round(low + 0.4, 3)}})
    found, outcome, _ = said(document)
    ratio = outcome.compression_ratio
    outside = ratio < low - HAIR or ratio > low + 0.4 + HAIR
    assert ("ratio-outside-window" in found) == outside
    if "ratio-outside-window" in found:
        assert "ratio-may-be-outside" not in found


@given(st.floats(-0.6, 0.4).map(lambda mm: round(mm, 3)))
def test_a_window_of_the_deck_clearance_is_judged_with_its_sign(low):
    document = single(targets={"deck_clearance": {"min": f"{low} mm", "max": f"{low + 0.1:.3f} mm"}})
    found, outcome, _ = said(document)
    clearance = outcome.deck_clearance
    outside = clearance < low - HAIR or clearance > low + 0.1 + HAIR
    assert ("clearance-outside-window" in found) == outside


@given(st.floats(0.01, 1.2).map(lambda mm: round(mm, 3)))
def test_a_head_that_is_cut_moves_and_a_lever_has_its_limit(cut):
    plan = [{"op": "head_cut", "amount": f"{cut} mm"}]
    document = single(plan)
    document["levers"] = {"head_cut": {"max": "0.5 mm"}}
    found, _, rules = said(document)
    assert ("head-moves" in found) == (cut >= rules["lowering_note"])
    assert ("lever-limit" in found) == (cut > 0.5 + HAIR)


@given(st.floats(0.0, 3.0).map(lambda mm: round(mm, 3)))
def test_a_crown_is_cut_through_where_the_land_ends(cut):
    plan = [{"op": "crown_cut", "amount": f"{cut} mm"}] if cut else []
    found, outcome, _ = said(
        single(plan, parts__piston__top_land_height="2 mm", parts__piston__top_land_diameter="79.5 mm")
    )
    assert ("crown-cut-through-land" in found) == (outcome.crown_cut >= 2.0)
    assert ("crown-cut-mass" in found) == (outcome.crown_cut > 0)


@given(st.floats(78.0, 82.0).map(lambda mm: round(mm, 3)))
def test_a_top_land_runs_inside_its_bore(diameter):
    document = single(
        parts__piston__top_land_height="6 mm", parts__piston__top_land_diameter=f"{diameter} mm"
    )
    found, _, _ = said(document)
    bore = read_document(document).figures["parts.block.bore"].value
    assert ("top-land-over-bore" in found) == (diameter >= bore)
    assert "crevice-not-known" not in found


@given(st.floats(0.0, 0.5).map(lambda cc: round(cc, 2)))
def test_holes_that_differ_are_told_by_their_spread(opened):
    document = demo("ferry-tender")
    document["planned"] = [{"op": "open_chamber", "cylinder": 2, "amount": f"{opened} cc"}] if opened else []
    build = read_document(document)
    rules, evaluation = rules_for(build.school), evaluate(build)
    ratios = [hole.outcome.compression_ratio for hole in evaluation.planned.holes]
    found = {finding.code for finding in findings(build, evaluation, rules)}
    most = build.targets.ratio_spread if build.targets.ratio_spread is not None else rules["ratio_spread"]
    assert ("ratio-spread" in found) == (max(ratios) - min(ratios) > most + HAIR)


@pytest.mark.parametrize(
    ("readings", "said_so"), [([0.31, 0.31, 0.31], True), ([0.31, 0.32, 0.31], False), ([0.31], False)]
)
def test_readings_that_are_all_alike_are_wondered_at(readings, said_so):
    raw = {"readings": readings, "unit": "mm", "basis": "mock-up"}
    found, _, _ = said(single(cylinders={"1": {"deck_clearance": raw}}))
    assert ("identical-readings" in found) == said_so


@pytest.mark.parametrize("read", [-0.36, -0.30, 0.0, 0.4])
def test_a_mock_up_is_held_against_the_paper_stack(read):
    paper = said(single())[1].deck_clearance
    raw = {"value": read, "unit": "mm", "basis": "mock-up", "u": 0.005}
    found, outcome, _ = said(single(cylinders={"1": {"deck_clearance": raw}}))
    assert outcome.deck_clearance == pytest.approx(read)
    differs = abs(read - paper)
    if differs > 0.3:
        assert "mock-up-disagrees" in found
    if differs < 0.005:
        assert "mock-up-disagrees" not in found


@pytest.mark.parametrize("school", [*SCHOOL, "", "nobody's", "Paper-First"])
def test_a_school_that_nobody_knows_is_told(school):
    found, _, _ = said(single(school=school))
    assert ("school-not-known" in found) == (school not in SCHOOL and school != "")


@pytest.mark.parametrize(
    ("basis", "said_so"),
    [("advertised", True), ("catalogue", False), ("measured", False), ("assumed", False)],
)
def test_an_advertised_chamber_is_told(basis, said_so):
    raw = {"value": 40, "unit": "cc", "basis": basis, "plus_minus": 0.5}
    found, _, _ = said(single(parts__head__chamber_volume=raw))
    assert ("chamber-advertised" in found) == said_so
