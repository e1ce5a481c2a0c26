"""A deck cut to a named height: each hole from its own height, half cut or whole, planned round and signed for."""

from __future__ import annotations

import copy
import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from support.half_cut import moment
from zygometra.core.build.cut_log import CutPlace
from zygometra.core.cutting.sheet import face_sheet
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.planning.plans import Planner
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.units import Kind, to_base, unit_named
from zygometra.exchange.build_file import check
from zygometra.exchange.evaluation_file import evaluation_document

STACK, AREA = 90 / 2 + 145 + 39.6, math.pi / 4 * 86**2
HEIGHTS = st.floats(229.8, 230.6).map(lambda mm: round(mm, 3))
U = st.sampled_from([0.0, 0.004, 0.02])


def document(heights, to, **more):
    """An inline engine whose holes stand at these heights, its deck to be cut to one."""
    numbers = list(range(1, len(heights) + 1))
    return {
        "format": "zygometra.build",
        "version": 1,
        "name": "to a height",
        "unstated_doubt": "zero",
        "engine": {"layout": "inline", "bore_pitch": 98, "banks": [{"name": "A", "cylinders": numbers}]},
        "parts": {
            "block": {"bore": 86, "pocket_area": 1500},
            "crank": {"stroke": 90},
            "rod": {"length": 145},
            "piston": {"compression_height": 39.6, "crown_volume": 4, "above_rim": 0},
            "gasket": {"name": "g", "thickness": 1.2, "bore": 88},
            "head": {"chamber_volume": 48, "opening_area": 4000},
        },
        "cylinders": {str(n): {"deck_height": height} for n, height in zip(numbers, heights, strict=True)},
        "planned": [{"op": "deck_cut", "to_height": to}],
        **more,
    }


def planned(doc):
    return evaluation_document(evaluate(check(copy.deepcopy(doc))), ())["planned"]["cylinders"]


@settings(max_examples=60, deadline=None)
@given(
    heights=st.lists(HEIGHTS, min_size=1, max_size=4),
    to=st.floats(229.0, 229.79).map(lambda mm: round(mm, 3)),
    u=st.tuples(U, U, U),
    unit=st.sampled_from(["mm", "in"]),
    mocked=st.booleans(),
)
def test_every_hole_is_cut_from_its_own_height_to_the_named_one(heights, to, u, unit, mocked):
    """By hand: with the stack the height cancels, and its doubt with it; beside a mock-up both count."""
    own, tolerance, read = u
    written = {
        "value": round(to / to_base(1.0, unit_named(unit, Kind.LENGTH)), 6),
        "unit": unit,
        "u": f"{tolerance} mm",
    }
    doc = document([{"value": h, "u": own} for h in heights], written)
    to = written["value"] * to_base(1.0, unit_named(unit, Kind.LENGTH))
    if mocked:
        for n in range(1, len(heights) + 1):
            doc["cylinders"][str(n)]["deck_clearance"] = {"value": 0.7, "u": read}
    for height, hole in zip(heights, planned(doc), strict=True):
        cut = height - to
        clearance = 0.7 - cut if mocked else to - STACK
        expected = math.sqrt(read**2 + own**2 + tolerance**2) if mocked else tolerance
        assert hole["deck_clearance_mm"] == pytest.approx(clearance, abs=1e-9)
        assert hole["u"]["deck_clearance_mm"] == pytest.approx(expected, abs=1e-12)
        gasket = math.pi / 4 * 88**2 * 1.2 / 1000
        volume = 48 - 1500 * cut / 1000 + gasket + AREA * clearance / 1000 + 4
        assert hole["clearance_cc"] == pytest.approx(volume)


@settings(max_examples=40, deadline=None)
@given(
    heights=st.lists(HEIGHTS, min_size=2, max_size=4),
    shares=st.lists(st.floats(0.05, 0.6), min_size=1, max_size=3),
    again=st.booleans(),
)
def test_half_cut_what_is_left_leads_to_the_same_plane(heights, shares, again):
    """The tool's plane is parallel with the crank: it cuts air over a low hole until it comes to it."""
    to = 229.6
    doc = document(heights, f"{to} mm", passes=[])
    deepest, done = max(heights) - to, 0.0
    for i, share in enumerate(shares, 1):
        depth = round((deepest - done) * share, 4)
        if depth > 1e-4:
            done += depth
            doc["passes"].append(
                {
                    "id": f"p{i}",
                    "op": "deck_cut",
                    "bank": "A",
                    "number": i,
                    "depth": depth,
                    "at": moment(30 + i),
                }
            )
    tool = max(heights) - done
    if again and doc["passes"]:
        doc["readings"] = [
            {
                "id": f"h{n}",
                "figure": "deck_height",
                "cylinder": n,
                "value": round(min(h, tool), 6),
                "at": moment(90),
            }
            for n, h in enumerate(heights, 1)
        ]
    build = check(copy.deepcopy(doc))
    both = evaluate(build)
    for n, height in enumerate(heights, 1):
        now, then = both.now.hole(n).outcome, both.planned.hole(n).outcome
        assert now.deck_clearance == pytest.approx(min(height, tool) - STACK, abs=1e-6)
        assert then.deck_clearance == pytest.approx(to - STACK, abs=1e-6)


def test_a_height_over_the_deck_is_a_stop_that_nobody_signs_away_and_one_unknown_waits():
    doc = document([230.1, 229.9], "230.0 mm")
    build = check(copy.deepcopy(doc))
    told = {f.code: f for f in findings(build, evaluate(build), rules_for(""))}
    assert told["height-over-deck"].says.startswith(
        "Hole 2: the deck stands 229.90 mm, under the height of 230.00 mm"
    )
    del doc["cylinders"]["2"]
    first, second = planned(doc)
    assert first["deck_clearance_mm"] == pytest.approx(230.0 - STACK)
    assert second["deck_clearance_mm"] is second["compression_ratio"] is None
    bare = check(doc)
    missing = next(f for f in findings(bare, evaluate(bare), rules_for("")) if f.code == "missing")
    assert "deck height" in missing.says
    assert "nan" not in missing.says


@pytest.mark.parametrize("extra", [{"amount": 0.1}, {"first": 0.1, "last": 0.2}, {"op": "head_cut"}])
def test_a_height_stands_beside_no_amount(extra):
    doc = document([230.1], "230.0 mm")
    doc["planned"][0] |= extra
    with pytest.raises(Exception, match=r"planned\[0\]\.\w+: found .* wanted"):
        check(doc)


def test_the_sheet_says_the_height_and_every_depth_from_it():
    doc = document([230.31, 230.12, 230.24], {"value": 229.95, "unit": "mm", "plus_minus": 0.01})
    sheet = face_sheet(check(doc), CutPlace("deck_cut", "A"), rules_for(""))
    assert sheet.to_height == pytest.approx(229.95)
    assert [one.cut for one in sheet.holes] == pytest.approx([0.36, 0.17, 0.29])
    assert {round(one.finish, 9) for one in sheet.holes} == {229.95}


def test_the_planner_neither_moves_nor_tilts_a_plane_that_somebody_named():
    doc = document(
        [230.31, 230.12, 230.24, 230.20],
        "229.9 mm",
        targets={"quench": {"min": 1.2, "max": 1.7}, "compression_ratio": {"min": 9.0, "max": 12.5}},
        levers={
            "deck_cut": {"max": 0.7, "step": 0.05, "level": True},
            "head_cut": {"max": 0.6, "step": 0.01},
            "gaskets": [{"name": "thick", "thickness": 1.4, "bore": 88, "price": 5}],
        },
        planning={"least_yield": 0.0},
    )
    build = check(doc)
    planner = Planner(build)
    plans = planner.plans()
    assert plans
    for plan in plans:
        whole = planner.whole(plan.planned)
        decks = [op for op in whole if op.op == "deck_cut"]
        assert [op.to_height.value for op in decks] == [229.9]
        came = evaluate(check({**doc, "planned": _documents(whole)})).planned
        for hole in came.holes:
            assert hole.outcome.deck_clearance == pytest.approx(229.9 - STACK, abs=1e-9)
            mine = plan.result.hole(hole.number).outcome
            assert hole.outcome.compression_ratio == pytest.approx(mine.compression_ratio, rel=1e-9)


def _documents(planned_ops):
    from zygometra.core.build.document import operation_document

    return [operation_document(op) for op in planned_ops]
