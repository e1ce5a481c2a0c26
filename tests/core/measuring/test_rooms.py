"""The room over domes and pads that were read, up to the plane of the head's face."""

from __future__ import annotations

import json
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.cases import demo
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.measuring.read_in import read_measured
from zygometra.core.measuring.rooms import rooms
from zygometra.core.planning.plans import plans_of
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.evaluation_file import state_document
from zygometra.exchange.plan_file import answer_document


def engine(*readings, **changed):
    document = {
        "format": "zygometra.build",
        "version": 1,
        "name": "read on top",
        "unstated_doubt": "zero",
        "engine": {"layout": "inline", "banks": [{"name": "A", "cylinders": [1, 2]}]},
        "parts": {
            "piston": {"above_rim": 1.5, "above_rim_area": 3000},
            "gasket": {"thickness": {"value": 1.2, "u": 0.03}},
        },
        "gauges": {"d": {"kind": "depth indicator", "resolution": 0, "u": 0.004, "repeatability": 0}},
        "readings": [
            {"figure": "deck_clearance", "gauge": "d", "at": "2026-05-02T09:00:00Z", **one, "id": f"r{i}"}
            for i, one in enumerate(readings)
        ],
        **changed,
    }
    return read_measured(document)


def on(spot, value, cylinder=1, **more):
    return {"cylinder": cylinder, "value": value, "on": spot, **more}


def now(build):
    return rooms(build, evaluate(build).now)


def planned(build):
    return rooms(build, evaluate(build).planned)


def test_a_reading_on_a_dome_gives_the_room_over_it_and_leaves_the_rim_open():
    build = engine(on("dome", -1.0), on("dome", -1.02))
    (room,) = now(build)[1]
    assert (room.on, room.value) == ("dome", pytest.approx(-1.01 + 1.2))
    # The gauge's own doubt; the scatter of two that are 0.02 apart, with the register's nought as two degrees; the
    # gasket's.
    pooled = (2 * 0.0 + 2 * 0.01**2) / (2 + 1)
    assert room.uncertainty.u == pytest.approx(math.sqrt(0.004**2 + pooled / 2 + 0.03**2), rel=1e-9)
    hole = evaluate(build).now.hole(1).outcome
    assert hole.deck_clearance is None
    assert hole.quench is None
    assert 2 not in now(build)


@given(st.floats(-2, 2), st.floats(0, 0.6), st.floats(0, 1.5), st.floats(0.3, 2))
def test_a_dome_falls_by_the_whole_cut_and_comes_up_with_the_deck(read, deck, crown, thickness):
    build = engine(
        on("dome", read),
        parts={"piston": {"above_rim": 1.5, "above_rim_area": 3000}, "gasket": {"thickness": thickness}},
        planned=[{"op": "crown_cut", "amount": crown}, {"op": "deck_cut", "amount": deck}],
    )
    assert now(build)[1][0].value == pytest.approx(read + thickness)
    assert planned(build)[1][0].value == pytest.approx(read + thickness + crown - deck)
    # Cut and logged it is the same.
    made = [
        {
            "id": "c",
            "op": "crown_cut",
            "cylinder": 1,
            "number": 1,
            "depth": crown,
            "at": "2026-05-03T09:00:00Z",
        },
        {"id": "d", "op": "deck_cut", "bank": "A", "number": 1, "depth": deck, "at": "2026-05-03T09:00:00Z"},
    ]
    logged = engine(
        on("dome", read),
        parts={"piston": {"above_rim": 1.5, "above_rim_area": 3000}, "gasket": {"thickness": thickness}},
        passes=[one for one in made if one["depth"] > 0],
    )
    assert now(logged)[1][0].value == pytest.approx(read + thickness + crown - deck)


@pytest.mark.parametrize(
    ("height", "cut", "moved"),
    [(None, 0.5, None), (1.0, 0.5, 0.0), (1.0, 0.8, 0.3), (0.0, 1.6, 0.1), (None, 0.0, 0.0)],
)
def test_a_pad_moves_once_the_tool_has_come_down_to_it(height, cut, moved):
    pad = on("pad", 0.3) | ({} if height is None else {"pad_height": height})
    build = engine(pad, planned=[{"op": "crown_cut", "amount": cut}])
    (room,) = planned(build)[1]
    assert room.value == (None if moved is None else pytest.approx(0.3 + 1.2 + moved))


def test_what_was_read_after_a_cut_counts_from_there():
    passes = [
        {"id": "d", "op": "deck_cut", "bank": "A", "number": 1, "depth": 0.2, "at": "2026-05-03T09:00:00Z"}
    ]
    build = engine(on("dome", -1.0), on("dome", -1.3, at="2026-05-04T09:00:00Z"), passes=passes)
    assert now(build)[1][0].value == pytest.approx(-1.3 + 1.2)


def test_only_a_pad_lies_under_the_heads_flat():
    def codes(build):
        return {one.code for one in findings(build, evaluate(build), rules_for(""))}

    assert "room-over-pad-small" in codes(engine(on("pad", -0.5)))
    assert "room-over-pad-small" not in codes(engine(on("pad", 0.0)))
    assert "room-over-pad-small" not in codes(engine(on("dome", -0.5)))


def test_a_plans_result_has_the_room_that_its_plan_leads_to():
    document = demo("fell-winch")
    document["planned"], document["levers"]["deck_cut"] = [], {"max": 0.3}
    document["targets"]["quench"] = {"min": 1.1, "max": 1.3}
    build = read_measured(document)
    told = json.loads(json.dumps(answer_document(build, plans_of(build))["plans"][0]))
    again = read_measured({**document, "planned": told["planned"]})
    state = evaluate(again).planned
    result = json.loads(json.dumps(state_document(state, rooms(again, state))))
    assert all(one["room_at"] for one in result["cylinders"])
    assert told["result"]["cylinders"] == result["cylinders"]
