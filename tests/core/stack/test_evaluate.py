"""The arithmetic: properties, hand-worked cases, and doubt against a second derivation."""

from __future__ import annotations

import dataclasses
import math

import pytest
from hypothesis import given

from support.cases import vector
from support.plain import Guess, plain_evaluation
from support.strategies import builds, documents, partial_documents
from zygometra.core.build.document import read_document
from zygometra.core.build.examples import figures_of, small_single
from zygometra.core.build.model import Bank, Operation
from zygometra.core.errors import ImpossibleEngine
from zygometra.core.quantity import read_quantity
from zygometra.core.stack.difference import spread_of_ratio
from zygometra.core.stack.evaluate import deck_line, evaluate
from zygometra.core.stack.motion import acceleration_at_tdc, drop_and_slopes, mean_piston_speed, piston_drop
from zygometra.core.uncertainty import Cause
from zygometra.core.units import Kind


def cut(op, mm, **more):
    return Operation(op, amount=read_quantity(mm, Kind.LENGTH, dimension=op, unstated="zero"), **more)


def numeric_u(build, key, plain_key, state):
    """Doubt by shifting each figure a little and asking the plain arithmetic again."""
    total = 0.0
    for path, quantity in build.figures.items():
        if quantity.u == 0:
            continue
        step = max(abs(quantity.value), 1.0) * 1e-5
        sides = []
        for way in (1, -1):
            moved = dict(build.figures) | {
                path: dataclasses.replace(quantity, value=quantity.value + way * step)
            }
            sides.append(plain_evaluation(dataclasses.replace(build, figures=moved))[state])
        total += ((sides[0][key][plain_key] - sides[1][key][plain_key]) / (2 * step) * quantity.u) ** 2
    for i, op in enumerate(build.planned):
        if state == "planned" and op.amount is not None and op.amount.u:
            sides = []
            for way in (1, -1):
                amount = dataclasses.replace(op.amount, value=op.amount.value + way * 1e-5)
                planned = [
                    *build.planned[:i],
                    dataclasses.replace(op, amount=amount),
                    *build.planned[i + 1 :],
                ]
                sides.append(plain_evaluation(dataclasses.replace(build, planned=tuple(planned)))[state])
            total += ((sides[0][key][plain_key] - sides[1][key][plain_key]) / 2e-5 * op.amount.u) ** 2
    if build.unstated_doubt == "house":
        # What nobody told: 1 ± 1 mm over the bore, from straight to a cone, a ring of 0.3 by 6 mm.
        bore = build.figures.get("parts.block.bore")
        ring = math.pi * (bore.value if bore else 0.0) * 0.3 * 6.0 / 1000
        for name, half in (("wider", 1.0), ("to_cone", 1.0), ("ring", ring)):
            sides = []
            for way in (1, -1):
                guess = Guess()._replace(**{name: getattr(Guess(), name) + way * 1e-5})
                sides.append(plain_evaluation(build, guess)[state][key][plain_key])
            total += ((sides[0] - sides[1]) / 2e-5 * half / math.sqrt(3)) ** 2
    return math.sqrt(total)


@given(builds())
def test_every_doubt_agrees_with_shifted_figures(build):
    doubts_agree(build)


@given(partial_documents().map(read_document))
def test_every_result_and_doubt_agrees_where_figures_are_missing(build):
    evaluation, plain = evaluate(build), plain_evaluation(build)
    for state in ("now", "planned"):
        for hole, expected in zip(getattr(evaluation, state).holes, plain[state], strict=True):
            o = hole.outcome
            ours = (o.deck_clearance, o.quench, o.swept, o.clearance, o.compression_ratio, o.effective)
            for found, wanted in zip(ours, expected.values(), strict=True):
                assert (found is None) == (wanted is None), (state, hole.number, expected)
            # An unknown result has no doubt: none that is nought, and none of what it waits for.
            for name in ("deck_clearance", "quench", "swept", "clearance"):
                assert math.isnan(getattr(o.doubts, name).u) == (getattr(o, name) is None), name
            for found, wanted in zip(ours, expected.values(), strict=True):
                if wanted is not None:
                    assert found == pytest.approx(wanted, rel=1e-9, abs=1e-9)
    doubts_agree(build)


def doubts_agree(build):
    evaluation = evaluate(build)
    names = {
        "compression_ratio": "ratio",
        "effective": "effective",
        "quench": "quench",
        "deck_clearance": "clearance",
        "clearance": "volume",
        "swept": "swept",
    }
    for state in ("now", "planned"):
        for place in (0, 1):
            outcome = getattr(evaluation, state).holes[place].outcome
            for ours, plain in names.items():
                if getattr(outcome, ours) is None:
                    continue
                expected = numeric_u(build, place, plain, state)
                assert getattr(outcome.doubts, ours).u == pytest.approx(expected, rel=2e-4, abs=1e-8), (
                    state,
                    ours,
                )


@given(builds(planned=False))
def test_more_metal_off_deck_or_head_never_lowers_the_ratio(build):
    ratios = [
        [
            h.outcome.compression_ratio
            for h in evaluate(dataclasses.replace(build, planned=(cut(op, mm),))).planned.holes
        ]
        for op in ("deck_cut", "head_cut")
        for mm in (0.0, 0.1, 0.3)
    ]
    for less, more in (
        (ratios[0], ratios[1]),
        (ratios[1], ratios[2]),
        (ratios[3], ratios[4]),
        (ratios[4], ratios[5]),
    ):
        assert all(b > a for a, b in zip(less, more, strict=True))


@given(builds(planned=False))
def test_a_cut_in_two_passes_is_the_cut_in_one(build):
    for op in ("deck_cut", "head_cut", "crown_cut"):
        once = evaluate(dataclasses.replace(build, planned=(cut(op, 0.37),))).planned.holes[0].outcome
        twice = (
            evaluate(dataclasses.replace(build, planned=(cut(op, 0.12), cut(op, 0.25))))
            .planned.holes[0]
            .outcome
        )
        assert (twice.compression_ratio is None) == (once.compression_ratio is None)
        if once.compression_ratio is not None:
            assert twice.compression_ratio == pytest.approx(once.compression_ratio, rel=1e-12)
        assert twice.deck_clearance == pytest.approx(once.deck_clearance, abs=1e-12)


@given(builds())
def test_milling_never_changes_displacement(build):
    evaluation = evaluate(build)
    assert evaluation.planned.displacement_cc == evaluation.now.displacement_cc


@given(documents())
def test_a_crown_cut_lowers_the_piston_and_a_deck_cut_raises_it(document):
    evaluation = evaluate(read_document(document))
    taken = {op["op"]: op["amount"]["value"] for op in document["planned"][:3]}
    for now, planned in zip(evaluation.now.holes, evaluation.planned.holes, strict=True):
        moved = planned.outcome.deck_clearance - now.outcome.deck_clearance
        above = document["parts"]["piston"].get("above_rim", {"value": 0})["value"]
        off_rim = max(taken["crown_cut"] - above, 0)
        assert moved == pytest.approx(off_rim - taken["deck_cut"], abs=1e-9)
        assert planned.outcome.quench - now.outcome.quench == pytest.approx(moved, abs=1e-9)


def test_a_head_cut_leaves_the_quench_alone():
    build = small_single(planned=(cut("head_cut", 0.5),))
    evaluation = evaluate(build)
    assert evaluation.planned.holes[0].outcome.quench == evaluation.now.holes[0].outcome.quench


def test_the_crown_cut_of_the_handbook_by_its_closed_form():
    # Vc grows by (land area − dish)·t; the ring around the land shortens with it.
    figures = dict(small_single().figures) | figures_of(
        {
            "parts.piston.dish_area": 1500,
            "parts.piston.top_land_height": "6 mm",
            "parts.piston.top_land_diameter": "79.4 mm",
        }
    )
    build = small_single(figures=figures, planned=(cut("crown_cut", 0.4),))
    evaluation = evaluate(build)
    grown = evaluation.planned.holes[0].outcome.clearance - evaluation.now.holes[0].outcome.clearance
    assert grown == pytest.approx((math.pi / 4 * 79.4**2 - 1500) * 0.4 / 1000, rel=1e-9)


def test_a_valve_in_block_deck_cut_takes_its_pocket_too():
    figures = dict(small_single().figures) | figures_of({"parts.block.pocket_area": "3000 mm2"})
    plain = evaluate(small_single(planned=(cut("deck_cut", 0.2),))).planned.holes[0].outcome
    pocketed = (
        evaluate(small_single(figures=figures, planned=(cut("deck_cut", 0.2),))).planned.holes[0].outcome
    )
    assert plain.clearance - pocketed.clearance == pytest.approx(3000 * 0.2 / 1000)


def test_a_gasket_opening_that_is_not_round_counts_by_its_area():
    figures = dict(small_single().figures) | figures_of({"parts.gasket.opening_area": "5600 mm2"})
    outcome = evaluate(small_single(figures=figures)).now.holes[0].outcome
    assert outcome.terms.gasket == pytest.approx(5600 * 1.6 / 1000)


def test_no_room_above_the_piston_gives_no_ratio():
    figures = dict(small_single().figures) | figures_of({"parts.piston.crown_volume": "-80 cc"})
    outcome = evaluate(small_single(figures=figures)).now.holes[0].outcome
    assert outcome.clearance < 0
    assert outcome.compression_ratio is None
    assert outcome.effective is None


def test_narrower_places_win():
    case = vector("quillon-vee-two-banks")["build"]
    case["cylinders"] = {"2": {"deck_height": "239.00 mm", "bore": "99.10 mm"}}
    build = read_document({**case, "planned": []})
    holes = {h.number: h.outcome.deck_clearance for h in evaluate(build).now.holes}
    assert holes[1] == pytest.approx(239.61 - 238.6)
    assert holes[4] == pytest.approx(239.18 - 238.6)
    assert holes[2] == pytest.approx(239.00 - 238.6)


def test_a_planned_gasket_fits_only_its_bank():
    evaluation = evaluate(read_document(vector("quillon-vee-two-banks")["build"]))
    thickness = {h.number: h.outcome.gasket_thickness for h in evaluation.planned.holes}
    assert thickness[1] == 1.04
    assert thickness[2] == 1.04
    assert evaluation.now.hole(2).outcome.gasket_thickness == 1.35


def test_step_fills_decide_what_a_head_cut_takes():
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["head"]["step_fills"] = [
        {"depth": "0 mm", "below": "52 cc"},
        {"depth": "0.5 mm", "below": "50 cc"},
        {"depth": "1 mm", "below": "48.2 cc"},
    ]
    document["planned"] = [{"op": "head_cut", "amount": "0.5 mm"}]
    outcome = evaluate(read_document(document)).planned.holes[0].outcome
    assert outcome.terms.chamber == pytest.approx(50.0)
    document["planned"][0]["amount"] = "1.5 mm"
    past = evaluate(read_document(document)).planned.holes[0].outcome
    assert (past.terms.chamber, past.compression_ratio, past.beyond) == (None, None, {"head"})
    assert past.quench is not None


@pytest.mark.parametrize("cut_mm", [1e-6, 0.5])
def test_the_doubt_of_step_fills_grows_with_the_cut_and_counts_depths(cut_mm):
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["head"] |= {
        "chamber_volume": {"value": 52, "u": 0},
        "step_fills": [
            {"depth": 0, "below": {"value": 52, "u": 0.3}},
            {"depth": {"value": 0.5, "u": 0.01}, "below": {"value": 50, "u": 0.2}},
            {"depth": 1, "below": {"value": 48, "u": 0.2}},
        ],
    }
    document["planned"] = [{"op": "head_cut", "amount": {"value": cut_mm, "u": 0}}]
    hole = evaluate(read_document(document)).planned.holes[0]
    fills = [item for item in hole.outcome.contributions if "step_fills" in item.term.key]
    u = math.sqrt(sum((item.slopes.volume * item.term.u) ** 2 for item in fills))
    # At a fill both its volume and that at the face count, and its depth by the loss of 4 cc per mm;
    # at the face nothing is lost, whatever the fills were.
    expected = math.sqrt(0.3**2 + 0.2**2 + (4 * 0.01) ** 2) if cut_mm == 0.5 else 0.0
    assert u == pytest.approx(expected, abs=2e-4)


def test_a_known_rate_wins_over_the_opening():
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["head"]["removal_rate"] = "5 cc/mm"
    document["planned"] = [{"op": "head_cut", "amount": "0.2 mm"}]
    assert evaluate(read_document(document)).planned.holes[0].outcome.terms.chamber == pytest.approx(51.0)


def test_a_top_land_that_nobody_knows_counts_as_nought_and_brings_the_houses_doubt():
    document = vector("pellam-single-proud")["build"]
    known = evaluate(read_document(document)).now.holes[0].outcome
    for name in ("top_land_height", "top_land_diameter"):
        document["parts"]["piston"].pop(name, None)
    bare = evaluate(read_document(document)).now.holes[0].outcome
    house = evaluate(read_document({**document, "unstated_doubt": "house"})).now.holes[0].outcome
    assert bare.clearance == house.clearance <= known.clearance
    # A usual land by hand: 0.3 mm of gap, 6 mm high, once round the bore; rectangular.
    ring = math.pi * 80.0 * 0.3 * 6 / 1000
    (own,) = (item for item in house.contributions if item.term.cause is Cause.LAND)
    assert own.term.u == pytest.approx(ring / math.sqrt(3))
    assert own.term.rectangular
    assert not any(item.term.cause is Cause.LAND for item in bare.contributions)


def test_a_deck_line_needs_two_holes_and_its_slope_a_pitch():
    bank = Bank("A", (1, 2, 3, 4))
    line = deck_line(bank, [0.10, 0.16, 0.19, 0.27], 100.0)
    # By hand: mean 0.18, Σ(i−1.5)(c−mean) = 0.27, Σ(i−1.5)² = 5 → 0.054 per pitch.
    assert line.slope_mm_per_m == pytest.approx(0.54)
    assert line.first_cylinder_mm == pytest.approx(0.18 - 1.5 * 0.054)
    assert sum(line.residuals_mm) == pytest.approx(0, abs=1e-12)
    # Places in the bank suffice for the line; by the metre it is not known.
    without = deck_line(bank, [0.10, 0.16, 0.19, 0.27], 0.0)
    assert without.slope_mm_per_m is None
    assert without.first_cylinder_mm == pytest.approx(line.first_cylinder_mm)
    assert without.residuals_mm == pytest.approx(line.residuals_mm)


def test_spread_knows_what_the_holes_share():
    document = vector("tarnbeck-plain")["build"]
    document["cylinders"] = {"2": {"chamber_volume": {"value": 53, "u": 0}}}
    document["parts"]["head"]["chamber_volume"] = {"value": 52, "u": 0}
    spread = spread_of_ratio(evaluate(read_document(document)).now)
    assert (spread.high, spread.low) == (1, 2)
    assert spread.difference == pytest.approx(9.653 - 9.524, abs=2e-3)
    # Deck, rod, piston and gasket are one source for both holes and nearly cancel.
    assert spread.spread.u < 0.003


def test_a_part_that_differs_hole_to_hole_does_not_cancel():
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["rod"]["length"]["each"] = True
    document["cylinders"] = {"2": {"chamber_volume": {"value": 53, "u": 0}}}
    assert spread_of_ratio(evaluate(read_document(document)).now).spread.u > 0.003


def test_holes_alike_are_still_two_holes_with_a_doubt_between_them():
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["head"]["chamber_volume"] = {
        "readings": [51.7, 52.0, 52.3],
        "gauge_u": 0,
        "each": True,
    }
    now = evaluate(read_document(document)).now
    spread = spread_of_ratio(now)
    outcome = now.holes[0].outcome
    assert spread.difference == 0.0
    assert spread.high != spread.low
    # Two chambers, each with u = 0.3/√3; dCR/dV = (CR − 1)/Vc. All else is shared and drops out.
    by_chamber = (outcome.compression_ratio - 1) / outcome.clearance
    assert spread.spread.u == pytest.approx(math.sqrt(2) * by_chamber * 0.3 / math.sqrt(3), rel=1e-9)
    # Two equal terms of two degrees of freedom each make four.
    assert spread.spread.dof == pytest.approx(4.0)


def test_piston_motion_at_the_ends_and_its_slopes():
    assert piston_drop(86, 148, 0) == 0
    assert piston_drop(86, 148, 180) == pytest.approx(86)
    # Quarter turn: r + L − √(L² − r²), by hand 43 + 148 − 141.615677…
    assert piston_drop(86, 148, 90) == pytest.approx(43 + 148 - math.sqrt(148**2 - 43**2))
    drop, by_stroke, by_rod, by_angle = drop_and_slopes(86, 148, 234)
    step = 1e-5
    assert by_stroke == pytest.approx((piston_drop(86 + step, 148, 234) - drop) / step, rel=1e-4)
    assert by_rod == pytest.approx((piston_drop(86, 148 + step, 234) - drop) / step, rel=1e-4)
    assert by_angle == pytest.approx((piston_drop(86, 148, 234 + step) - drop) / step, rel=1e-4)
    with pytest.raises(ImpossibleEngine, match="longer than half the stroke"):
        piston_drop(86, 43, 90)


def test_speed_and_acceleration_by_hand():
    assert mean_piston_speed(79.5, 7000) == pytest.approx(18.55)
    omega = 7000 * math.pi / 30
    assert acceleration_at_tdc(79.5, 95, 7000) == pytest.approx(0.03975 * omega**2 * (1 + 39.75 / 95))
