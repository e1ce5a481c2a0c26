"""What a cut does elsewhere, by hand-worked figures of the trade; what must be opened for it."""

from __future__ import annotations

import json
import math

import pytest

from support.plain_plans import document
from zygometra.core.measuring.signed import Accepted
from zygometra.core.planning.disassembly import fallen, last_moment, opened_for
from zygometra.core.planning.side_effects import side_effects
from zygometra.exchange.build_file import build_from_text

BANKS = (("A", (1, 3)), ("B", (2, 4)))


def effects(planned, gear=None, **more):
    doc = document(clearances=[0.3] * 4, chambers=[52.0] * 4, planned=planned, valve_gear=gear or {}, **more)
    build = build_from_text(json.dumps(doc))[1]
    return build, {effect.what: effect for effect in side_effects(build, build.planned)}


def cut(amount, bank="A"):
    return {"op": "deck_cut", "bank": bank, "amount": amount}


def test_a_cam_retards_by_twice_the_run_over_its_radius():
    """0.5 mm lower, 38.2 mm radius: 0.75° at the cam, 1.5° at the crank."""
    _, found = effects([cut(0.5)], {"kind": "overhead cam", "pitch_radius": 38.2, "run_cosine": 1})
    assert found["cam timing"].amount == pytest.approx(-0.5)
    assert f"{2 * math.degrees(0.5 / 38.2):.1f}°" in str(found["cam timing"].says)
    assert "retards by 1.5°" in str(found["cam timing"].says)


def test_a_thicker_gasket_advances_it():
    gasket = {"op": "gasket", "gasket": {"thickness": 1.8}}
    _, found = effects([gasket], {"kind": "overhead cam", "pitch_radius": 38.2})
    assert "advances by 1.5°" in str(found["cam timing"].says)
    assert "not stated" in str(found["cam timing"].says)


def test_preload_grows_by_what_the_head_comes_down_and_pushrods_are_looked_up():
    gear = {
        "kind": "pushrod",
        "pushrod_tilt": 10,
        "preload": 1.0,
        "preload_range": {"min": 0.5, "max": 1.2},
        "pushrod_length": 200,
        "pushrods": [199.6, 201],
    }
    _, found = effects([cut(0.4)], gear)
    assert found["lifter preload"].amount == pytest.approx(0.4 * math.cos(math.radians(10)))
    assert "outside what they take" in str(found["lifter preload"].says)
    assert "199.60 mm is to be had" in str(found["pushrods"].says)
    _, longer = effects([{"op": "gasket", "gasket": {"thickness": 4.0}}], gear)
    assert "none of that length" in str(longer["pushrods"].says)


def test_manifold_faces_and_rails_of_unequal_banks():
    """θ 45, α 55 (β 100), δ 1 and 0.5: rails 1.288, sideways 0.301, faces 0.709 and 1.140."""
    gear = {"kind": "pushrod", "intake_face_angle": 100}
    _, found = effects([cut(1.0), cut(0.5, "B")], gear, banks=BANKS)
    assert found["manifold rails"].amount == pytest.approx(1.288, abs=5e-4)
    assert found["manifold sideways"].amount == pytest.approx(-0.301, abs=5e-4)
    assert found["manifold face, bank A"].amount == pytest.approx(0.709, abs=5e-4)
    assert found["manifold face, bank B"].amount == pytest.approx(1.140, abs=5e-4)
    assert "towards bank B" in str(found["manifold sideways"].says)


def test_equal_banks_and_the_step_of_ports_when_nothing_is_cut():
    """Per side δ·sin θ/cos α and rails δ·cos(θ − α)/cos α; ports step by δ·cos(θ − α) on the rails."""
    theta, alpha = math.radians(45), math.radians(55)
    _, found = effects([cut(0.6), cut(0.6, "B")], {"intake_face_angle": 100}, banks=BANKS)
    assert found["manifold face, bank A"].amount == pytest.approx(0.6 * math.sin(theta) / math.cos(alpha))
    assert found["manifold rails"].amount == pytest.approx(0.6 * math.cos(theta - alpha) / math.cos(alpha))
    assert found["port step on the rails"].amount == pytest.approx(0.6 * math.cos(theta - alpha))
    assert found["port step on the faces"].amount == pytest.approx(0.6 * math.sin(theta) / math.sin(alpha))


@pytest.mark.parametrize(("faces", "crown"), [("pocket", 0.0), ("flat", 0.2)])
def test_valve_room_falls_with_the_head_and_a_crown_cut_helps_flat_crowns_alone(faces, crown):
    gear = {"valve_room": {"intake": 3.0}, "valve_angle": {"intake": 20}, "valve_faces": faces}
    _, found = effects([cut(0.4), {"op": "crown_cut", "amount": 0.2}], gear)
    cosine = math.cos(math.radians(20))
    less = 0.4 - crown
    expected = less / cosine if faces == "flat" else less * cosine
    assert found["intake valve room"].amount == pytest.approx(-expected)
    assert "not stated" in str(found["exhaust valve room"].says)


def test_what_is_not_known_is_said():
    _, found = effects([cut(0.4)])
    assert "not stated" in str(found["valve gear"].says)
    assert "not stated" in str(found["deck"].says)


def test_crowns_lose_mass_land_and_bowl():
    _, found = effects([{"op": "crown_cut", "amount": 0.3}])
    area = math.pi / 4 * 92**2
    assert f"{2.7 * (area - 2000) * 0.3 / 1000:.1f} g" in str(found["piston mass"].says)
    assert "not stated" in str(found["top land"].says)
    # 6 cc in 2000 mm²: 3 mm deep, 2.7 left.
    assert "2.700 mm" in str(found["bowl"].says)


def test_nothing_planned_moves_nothing():
    assert effects([])[1] == {}


def test_what_must_come_off_hangs_on_how_far_it_is_assembled():
    build, _ = effects([{"op": "crown_cut", "amount": 0.1}])
    whole = opened_for(build, build.planned, "complete")
    off = opened_for(build, build.planned, "heads off")
    assert [one.what for one in whole.taken][-3:] == [one.what for one in off.taken]
    assert {one.of: one.buy for one in off.taken}["pin retainers"] == 8
    assert opened_for(build, build.planned, "bare").taken == ()
    assert whole.minutes > off.minutes > 0
    assert "10 measured again what a cut fed" in whole.falls
    gasket, _ = effects([{"op": "gasket", "gasket": {"thickness": 1.5}}])
    assert opened_for(gasket, gasket.planned, "heads off").taken == ()
    assert last_moment(gasket.planned)[0][1].startswith("until the head is torqued")


def test_what_a_bowl_leaves_under_it_and_what_the_piston_loses():
    """1.2 cc of 2,000 mm²: 0.6 mm deeper, 6.4 of 7 is left; light alloy, about 3.2 g."""
    _, found = effects([{"op": "bowl", "amount": "1.2 cc"}])
    assert "not stated: the crown under the bowl" in str(found["bowl floor"].says)
    doc = document(clearances=[0.3] * 4, chambers=[52.0] * 4, planned=[{"op": "bowl", "amount": "1.2 cc"}])
    doc["parts"]["piston"]["crown_thickness"] = "7 mm"
    build = build_from_text(json.dumps(doc))[1]
    told = {effect.what: effect for effect in side_effects(build, build.planned)}
    assert told["bowl floor"].amount == pytest.approx(-0.6)
    assert "6.4" in str(told["bowl floor"].says)
    assert "3.2 g" in str(told["piston mass"].says)
    assert [one.what for one in opened_for(build, build.planned, "heads off").taken]
    assert "crown volume and what is left of the crown" in opened_for(build, build.planned, "bare").read_again


def accepted(key, **body):
    return Accepted.read({"id": key, "reason": "seen", **body})


@pytest.mark.parametrize(
    ("planned", "falls"),
    [
        ([cut(0.2)], {6: ("cylinders.1.deck_clearance",)}),
        ([cut(0.2, "B")], {6: ("cylinders.2.deck_clearance",)}),
        ([{"op": "head_cut", "amount": 0.1}], {9: ("cylinders.3.chamber_volume",)}),
        ([{"op": "open_chamber", "cylinder": 1, "amount": "1 cc"}], {}),
        (
            [{"op": "crown_cut", "amount": 0.1}],
            {6: ("cylinders.1.deck_clearance", "cylinders.2.deck_clearance")},
        ),
        ([{"op": "bowl", "amount": "1 cc"}], {}),
    ],
)
def test_acceptances_fall_that_were_signed_on_figures_which_a_plan_changes(planned, falls):
    build, _ = effects(planned, banks=BANKS)
    known = {"by": "Ada", "at": "2026-11-02", "covers": {"cylinders.3.chamber_volume": 52.0}}
    again = {"covers": {"cylinders.1.deck_clearance": 0.3, "cylinders.2.deck_clearance": 0.3}}
    signed = [
        accepted("a", gate=6, covers={"cylinders.3.deck_clearance": 0.3}),
        accepted("b", gate=9, **known),
        accepted("c", gate=6, by="Bo", at="2026-11-03", **again),
    ]
    found = fallen(build, build.planned, signed)
    assert {one.gate.number: one.places for one in found} == falls
    assert {one.gate.number: one.by for one in found} == {gate: {6: "Bo", 9: "Ada"}[gate] for gate in falls}
