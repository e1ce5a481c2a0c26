"""A mock-up bank by bank, faces that give deck heights, steps and the gates that ask after them."""

# long: one vee eight, asked bench by bench
from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support.cases import demo

from zygometra.core.build.model import Build
from zygometra.core.cutting.gates import all_standings
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.measuring.corners import mocked_up
from zygometra.core.measuring.faces import aims_of_clearance, bent_heads, deck_difference, decks, heads
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.wording import Reader
from zygometra.exchange.build_file import check

THOU = 0.0254
PITCH = 112.0
GAUGE = {"depth": {"kind": "depth indicator", "resolution": 0.0005, "u": 0.001, "repeatability": 0.003}}


def vee(**more: Any) -> dict[str, Any]:
    """A vee eight on paper, its holes 1 3 5 7 and 2 4 6 8."""
    document = {
        **demo("quarry-loader"),
        "unstated_doubt": "zero",
        "cylinders": {},
        "banks": {},
        "gauges": GAUGE,
    }
    return {**document, **more}


def tipped(i: int, hole: int, one: float, other: float, **more: Any) -> dict[str, Any]:
    return {
        "id": f"r{i}",
        "figure": "deck_clearance",
        "cylinder": hole,
        "tipped": [one, other],
        "gauge": "depth",
        "zero": "z",
        "on": "rim",
    } | more


ONE_SET = {"sets": "one", "between": "line"}


def test_21_and_27_tipped_both_ways_are_24_with_a_rock_of_3_and_a_least_gap_of_21() -> None:
    pair = ["21 thou", "27 thou"]
    readings = [{**tipped(i, 1, 0, 0), "tipped": pair} for i in range(3)]
    build = check(vee(readings=readings, mock_up=ONE_SET))
    hole = mocked_up(build, {}).banks[0].holes[0]
    assert hole.clearance is not None
    assert hole.rock is not None
    assert hole.least is not None
    assert (hole.clearance.mm / THOU, hole.rock / THOU, hole.least / THOU) == pytest.approx((24, 3, 21))


def _ends(document: dict[str, Any], values: dict[int, float]) -> Build:
    readings = [
        tipped(10 * hole + i, hole, c - 0.07, c + 0.07) for hole, c in values.items() for i in range(3)
    ]
    return check({**document, "readings": readings})


depths = st.integers(-20, 150).map(lambda um: um / 100)


@given(st.tuples(depths, depths, depths, depths), st.integers(-10, 10).map(lambda h: h / 100))
@settings(max_examples=60, deadline=None)
def test_one_cut_a_corner_brings_the_whole_line_to_the_aim(ends: tuple[float, ...], aim: float) -> None:
    """Two ends of each of two decks: the line through them, worked here by hand."""
    build = _ends(vee(mock_up=ONE_SET), dict(zip((1, 7, 2, 8), ends, strict=True)))
    found = mocked_up(build, {"left": aim, "right": aim})
    assert found.following is None
    for bank, (front, rear) in zip(found.banks, (ends[:2], ends[2:]), strict=True):
        assert bank.first is not None
        assert bank.last is not None
        assert bank.slope is not None
        assert (bank.first.mm, bank.last.mm) == pytest.approx((front - aim, rear - aim))
        assert bank.slope.mm == pytest.approx((rear - front) / (3 * PITCH))
        for place, hole in enumerate(bank.holes):
            assert hole.is_filled == (place in (1, 2))
            assert hole.clearance is not None
            assert hole.clearance.mm == pytest.approx(front + (rear - front) * place / 3)
    # What both ends share, gauge and zero, drops out of the slope: its band is narrower than the ends'.
    assert found.banks[0].slope is not None
    assert found.banks[0].first is not None
    assert found.banks[0].slope.half * 3 * PITCH < 2 * found.banks[0].first.half


def test_a_cut_at_the_ends_raises_no_stop_on_holes_that_nobody_read() -> None:
    """On paper hole 3 stands 0.4 mm less down than the mock-up has it: filled by the line it is no stop."""
    cuts = [{"op": "deck_cut", "bank": bank, "first": 1.3, "last": 1.4} for bank in ("left", "right")]
    document = vee(planned=cuts, targets={"quench": {"min": 0.9, "aim": 1.04, "max": 1.6}})
    document["parts"]["block"]["deck_height"] = 239.0
    ends = {1: 1.30, 7: 1.40, 2: 1.30, 8: 1.40}

    def stops(mock_up: dict[str, str]) -> set[int]:
        build = _ends({**document, "mock_up": mock_up}, ends)
        found = findings(build, evaluate(build), rules_for(""), Reader())
        return {n for one in found if one.code == "quench-under-floor" for n in one.where.holes}

    assert stops({"sets": "own", "between": "stack"}) >= {3, 5, 4, 6}
    assert stops(ONE_SET) == set()


def test_the_ends_are_read_before_the_rest_and_what_does_not_agree_again() -> None:
    assert mocked_up(check(vee(mock_up=ONE_SET)), {}).following == 1
    some = [tipped(1, 1, 0.5, 0.6), tipped(2, 7, 0.5, 0.6), tipped(3, 2, 0.5, 0.6)]
    assert mocked_up(check(vee(mock_up=ONE_SET, readings=some)), {}).following == 8
    own = [*some, tipped(4, 8, 0.5, 0.6)]
    # Four ends with one set: then each again until it agrees; every hole with its own: the holes between.
    assert mocked_up(check(vee(mock_up=ONE_SET, readings=own)), {}).following == 1
    assert mocked_up(check(vee(readings=own)), {}).following == 3


def test_a_bank_of_one_hole_has_one_cut() -> None:
    document = {**demo("hill-climb"), "unstated_doubt": "zero", "gauges": GAUGE, "planned": []}
    build = check({**document, "cylinders": {}, "readings": [tipped(1, 1, 0.40, 0.50)]})
    (bank,) = mocked_up(build, {build.banks[0].name: 0.2}).banks
    assert bank.first == bank.last
    assert bank.first is not None
    assert bank.first.mm == pytest.approx(0.25)
    assert bank.slope is None


def test_the_shim_is_the_wedge_over_the_supports() -> None:
    document = vee(mock_up=ONE_SET, facing={"support_span": {"along": "448 mm"}})
    found = mocked_up(_ends(document, {1: 0.5, 7: 0.8, 2: 0.5, 8: 0.5}), {"left": 0.2})
    assert found.banks[0].shim == pytest.approx(0.3 / 336 * 448)
    assert found.banks[1].shim == pytest.approx(0.0, abs=1e-12)


# -- faces ------------------------------------------------------------------------


def face(bank: str, heights: dict[tuple[float, float], Any], **more: Any) -> dict[str, Any]:
    points = [{"x": x, "y": y, "z": z} for (x, y), z in heights.items()]
    return {"id": f"s-{bank}-{more.get('held', '')}", "face": "deck", "bank": bank, "points": points} | more


GRID = [(x, y) for y in (80.0, 0.0, -80.0) for x in (-60.0, 56.0, 168.0, 280.0, 396.0)]


@given(st.floats(-0.3, 0.3), st.floats(-0.3, 0.3), st.floats(-0.1, 0.1))
@settings(max_examples=40, deadline=None)
def test_a_surveyed_deck_gives_each_hole_its_height(along: float, across: float, off: float) -> None:
    def height(x: float, y: float) -> float:
        return 239.4 + off + along * x / 336 + across * y / 160

    heights = {at: {"value": height(*at), "u": 0.004} for at in GRID}
    survey = face("left", heights, bores=[{"number": 5, "x": 224.5, "y": 0.4, "diameter": 99.0}])
    build = check(vee(surveys=[survey]))
    for number, (x, y) in {1: (0, 0), 3: (PITCH, 0), 5: (224.5, 0.4), 7: (336, 0)}.items():
        quantity = build.figures[f"cylinders.{number}.deck_height"]
        assert quantity.value == pytest.approx(height(x, y), abs=1e-9)
        assert quantity.basis == "measured"
        # The plane's doubt there: the leverage of fifteen points of one doubt.
        design = np.array([[1, *at] for at in GRID])
        leverage = np.array([1, x, y]) @ np.linalg.inv(design.T @ design) @ np.array([1, x, y])
        assert quantity.u == pytest.approx(0.004 * math.sqrt(leverage), rel=1e-9)
    assert "cylinders.2.deck_height" not in build.figures


def test_holes_of_one_deck_share_its_plane_and_its_gauge() -> None:
    """The difference of two holes is surer than either: the plane's level and the gauge drop out."""
    heights = dict.fromkeys(GRID, "239.40 mm")
    build = check(vee(unstated_doubt="house", surveys=[face("left", heights, gauge="depth")]))
    now = evaluate(build).now
    one, other = (build.figures[f"cylinders.{n}.deck_height"] for n in (1, 3))
    terms = {t.key: t.u for t in one.terms}
    shared = sum((terms.get(t.key, 0.0) - t.u) ** 2 for t in other.terms)
    assert math.sqrt(shared) < min(one.u, other.u)
    assert {t.key for t in one.terms} >= {"~gauge depth"}
    assert now.hole(1).outcome.doubts.deck_clearance.u > 0


def test_a_reading_in_the_hole_stands_before_the_survey_and_a_void_survey_gives_nothing() -> None:
    survey = face("left", dict.fromkeys(GRID, 239.4))
    reading = {"id": "r", "figure": "deck_height", "cylinder": 3, "value": 239.1, "gauge": "depth"}
    build = check(vee(surveys=[survey], readings=[reading]))
    assert build.figures["cylinders.3.deck_height"].value == pytest.approx(239.1)
    assert build.figures["cylinders.1.deck_height"].value == pytest.approx(239.4)
    void = [{"reading": survey["id"], "why": "the arbor was loose"}]
    assert "cylinders.1.deck_height" not in check(vee(surveys=[survey], voided=void)).figures
    plate = {**survey, "datum": "plate"}
    assert "cylinders.1.deck_height" not in check(vee(surveys=[plate])).figures


def _two_decks(target: str, **facing: Any) -> Build:
    left = {at: 239.50 + 0.10 * at[0] / 336 for at in GRID}
    surveys = [face("left", left), face("right", dict.fromkeys(GRID, 239.40))]
    return check(vee(surveys=surveys, facing={"target": target, "allowance": "0.02 mm", **facing}))


def test_decks_are_cleaned_each_or_brought_to_one_height() -> None:
    rules = rules_for("")
    clean = decks(_two_decks("clean"), rules)
    low = 239.50 - 0.10 * 60 / 336
    assert clean["left"].found.cut.finished_height.mm == pytest.approx(low - 0.02)
    assert clean["right"].found.cut.finished_height.mm == pytest.approx(239.38)
    common = decks(_two_decks("common"), rules)
    assert [f.found.cut.finished_height.mm for f in common.values()] == pytest.approx([239.38] * 2)
    assert common["left"].found.cut.cylinders[7].mm == pytest.approx(239.60 - 239.38)
    named = decks(_two_decks("height", height="239.30 mm"), rules)
    assert named["right"].found.cut.most.mm == pytest.approx(0.10)
    ends = deck_difference(clean["left"], clean["right"])
    assert ends is not None
    assert [end.mm for end in ends] == pytest.approx([0.10, 0.20])


def test_a_deck_is_cut_to_the_clearance_that_is_aimed_at() -> None:
    build = check(
        vee(
            surveys=[face("right", dict.fromkeys(GRID, 239.40))],
            facing={"target": "clearance"},
            targets={"deck_clearance": {"aim": 0.3}},
        )
    )
    now = evaluate(build).now
    found = decks(build, rules_for(""), now)["right"].found
    assert found.cut.cylinders[4].mm == pytest.approx(now.hole(4).outcome.deck_clearance - 0.3)  # type: ignore[operator]


def test_each_bank_aims_over_its_own_gasket_and_a_crown_cut_adds_its_room() -> None:
    document = vee(targets={"quench": {"min": 1.3, "max": 1.5}})
    document["banks"] = {"right": {"gasket": {"thickness": 1.2, "bore": 101.6}}}
    document["parts"]["piston"]["above_rim"] = 0
    aims = aims_of_clearance(check(document))
    assert aims["left"].wanted == pytest.approx(1.4 - 1.04)
    assert aims["right"] == pytest.approx((1.4 - 1.2, 1.4 - 1.2))
    document["planned"] = [
        {"op": "crown_cut", "amount": 0.15},
        {"op": "deck_cut", "amount": 0.4},
        {"op": "gasket", "bank": "left", "gasket": {"thickness": 1.1, "bore": 101.6}},
    ]
    planned = aims_of_clearance(check(document))
    assert planned["left"] == pytest.approx((1.4 - 1.1, 1.4 - 1.1 - 0.15))
    own = {**document, "targets": {"quench": {"min": 1.0}, "deck_clearance": {"min": 0.2}}}
    assert aims_of_clearance(check(own))["right"] == pytest.approx((0.2, 0.2 - 0.15))
    assert aims_of_clearance(check({**document, "targets": {}})) == {}


def test_a_bowed_head_under_an_overhead_cam_is_a_stop_until_somebody_spoke_of_its_bores() -> None:
    bowed = {at: 0.05 - 0.09 * ((at[0] - 168) / 228) ** 2 for at in GRID}
    survey = face("left", bowed, face="head", datum="plate", held="free")

    def stops(**more: Any) -> set[str]:
        build = check(vee(surveys=[survey], **more))
        return {f.code for f in findings(build, evaluate(build), rules_for("")) if f.severity == "stop"}

    assert "cam-bores-in-doubt" in stops(valve_gear={"kind": "overhead cam"})
    assert "cam-bores-in-doubt" not in stops(valve_gear={"kind": "pushrod"})
    said = {"id": "c", "step": "cam-bores", "state": "cam turns freely", "bank": "left"}
    assert "cam-bores-in-doubt" not in stops(valve_gear={"kind": "overhead cam"}, steps=[said])
    ((bank, bow),) = bent_heads(heads(check(vee(surveys=[survey])), rules_for("")))
    assert (bank, bow.mm) == ("left", pytest.approx(0.09, abs=1e-9))


def test_a_head_that_would_lose_more_than_it_may_cannot_be_saved() -> None:
    bowed = {at: 0.05 - 0.09 * ((at[0] - 168) / 228) ** 2 for at in GRID}
    survey = face("left", bowed, face="head", datum="plate", held="free")
    facing = {"gasket_kind": "multi-layer steel"}

    def verdict(so_far: float) -> str:
        build = check(
            vee(
                surveys=[survey],
                facing={**facing, "head_cut_so_far": so_far},
                levers={"head_cut": {"max": 0.5}},
            )
        )
        return heads(build, rules_for(""))["left", "free"].found.verdict

    assert (verdict(0.3), verdict(0.45)) == ("face", "cannot be saved")


# -- steps and gates ----------------------------------------------------------------


def gates(document: dict[str, Any]) -> dict[int, tuple[str, ...]]:
    """What stands against each gate, before whatever cut; each reason once."""
    build = check(document)
    found: dict[int, tuple[str, ...]] = {}
    for one in all_standings(build, evaluate(build)):
        found[one.gate.number] = tuple(dict.fromkeys((*found.get(one.gate.number, ()), *one.fails)))
    return found


def step(name: str, state: str, at: str = "2026-05-06T08:00:00Z", **more: Any) -> dict[str, Any]:
    return {"id": f"{name} {more}", "step": name, "state": state, "at": at} | more


CUT = [{"op": "deck_cut", "amount": "0.1 mm"}]


def test_a_deck_cut_meets_its_gates_and_steps_pass_them() -> None:
    before = gates(vee(planned=CUT))
    assert set(before) == {5, 6, 7, 8, 11, 13, 15}
    assert all(before[n] for n in (5, 7, 11, 13, 15))
    assert before[8] == ()
    done = [
        step("line-hone", "not needed"),
        step("covers", "none share it"),
        step("id-pad", "recorded", says="QL 1"),
        step("elsewhere", "checked again"),
    ]
    after = gates(vee(planned=CUT, steps=done))
    assert not any(after[n] for n in (5, 7, 11, 13))


def test_who_hones_first_is_told_at_the_deck() -> None:
    assert gates(vee(planned=CUT, steps=[step("finish-hone", "done", cylinder=3)]))[8] == (
        "finish-honed, hole 3 already, and the deck is still to be faced",
    )


def test_what_a_cut_fed_is_read_again_before_the_next_step() -> None:
    old = tipped(1, 1, 0.5, 0.6, at="2026-05-05T08:00:00Z")
    faced = step("deck-cut", "done", bank="left")
    first = gates(vee(readings=[old], steps=[faced]))[10]
    assert first[0] == "hole 1: deck clearance read on a mock-up last read before it (deck faced, bank left)"
    # Where nothing was read nothing is met.
    assert first[1:] == tuple(f"hole {n}: nothing read after it (deck faced, bank left)" for n in (3, 5, 7))
    again = [tipped(2 + n, n, 0.4, 0.5, at="2026-05-07T08:00:00Z") for n in (1, 3, 5, 7)]
    assert gates(vee(readings=[old, *again], steps=[faced]))[10] == ()
    right = gates(vee(readings=[old], steps=[step("deck-cut", "done", bank="right")]))[10]
    assert {says.partition(":")[0] for says in right} == {f"hole {n}" for n in (2, 4, 6, 8)}


def test_a_piece_in_two_holes_is_no_matched_part() -> None:
    def read(i: int, hole: int, rod: str) -> dict[str, Any]:
        return tipped(i, hole, 0.5, 0.6, conditions={"rod": rod})

    assert gates(vee(readings=[read(1, 1, "a"), read(2, 3, "b")]))[12] == ()
    twice = [read(1, 1, "a"), read(2, 3, "a")]
    assert gates(vee(readings=twice))[12] == ("rod a was read in holes 1, 3",)
    assert 12 not in gates(vee(readings=twice, mock_up=ONE_SET))


# -- chambers, crowns, gaskets -------------------------------------------------------


def _filled(i: int, hole: int, cc: float, at: str, **more: Any) -> dict[str, Any]:
    return {"id": f"c{i}", "figure": "chamber_volume", "cylinder": hole, "value": cc, "at": at} | more


def codes(document: dict[str, Any]) -> dict[str, str]:
    build = check(document)
    return {f.code: f.says for f in findings(build, evaluate(build), rules_for(""))}


def test_a_chamber_filled_before_its_seats_were_cut_counts_no_more() -> None:
    old = _filled(1, 1, 64.0, "2026-05-05T08:00:00Z")
    seats = step("seats", "done")
    build = check(vee(readings=[old], steps=[seats]))
    assert evaluate(build).now.hole(1).outcome.terms.chamber == pytest.approx(66.0)
    assert "Hole 1" in codes(vee(readings=[old], steps=[seats]))["chambers-void"]
    elsewhere = check(vee(readings=[old], steps=[step("seats", "done", cylinder=2)]))
    assert evaluate(elsewhere).now.hole(1).outcome.terms.chamber == pytest.approx(64.0)
    new = _filled(2, 1, 64.4, "2026-05-06T09:00:00Z")
    again = vee(readings=[old, new], steps=[seats])
    assert evaluate(check(again)).now.hole(1).outcome.terms.chamber == pytest.approx(64.4)
    assert "chambers-void" not in codes(again)


def test_a_chamber_off_its_paper_figure_tells_how_much_may_have_been_milled() -> None:
    at = "2026-05-05T08:00:00Z"
    document = vee(readings=[_filled(1, 1, 63.9, at), _filled(2, 3, 65.9, at)])
    says = codes(document)["chamber-off-advertised"]
    # 2.1 cc over an opening of 42 cm²: half a millimetre; within ± 0.8 cc nothing is said of hole 3.
    assert says.startswith("Hole 1: the chamber measures 2.10 cc smaller")
    assert "0.50 mm had been milled" in says


def test_a_level_that_fell_is_told() -> None:
    reading = _filled(1, 4, 66.0, "2026-05-05T08:00:00Z", conditions={"level_stood": False})
    assert "Hole 4" in codes(vee(readings=[reading]))["chamber-did-not-stand"]


@given(st.floats(20, 60), st.floats(1, 12), st.floats(60, 110), st.floats(0, 0.6))
@settings(max_examples=60, deadline=None)
def test_a_crown_filled_in_its_bore_is_what_is_left_of_the_liquid(
    poured: float, below: float, bore: float, ring: float
) -> None:
    reading = {
        "id": "f",
        "figure": "crown_volume",
        "cylinder": 1,
        "value": poured,
        "rim_below": {"value": below, "u": 0.01},
        "bore": bore,
        "ring_volume": ring,
    }
    quantity = check(vee(readings=[reading])).figures["cylinders.1.crown_volume"]
    area = math.pi / 4 * bore**2
    assert quantity.value == pytest.approx(poured - area * below / 1000 - ring)
    assert quantity.u == pytest.approx(area * 0.01 / 1000)


def test_an_advertised_gasket_is_said_and_one_that_crushed_otherwise_too() -> None:
    document = vee()
    document["parts"]["gasket"]["thickness"] = {"value": 1.04, "basis": "advertised"}
    assert "advertised gasket thickness" in codes(document)["gasket-advertised"]
    measured = {"id": "g", "figure": "thickness", "value": 1.15}
    found = codes({**document, "readings": [measured]})
    assert "crushed to 1.15" in found["gasket-off-advertised"]
    assert "gasket-advertised" not in found


def test_pellets_give_each_hole_its_gasket_and_tell_of_a_tilt() -> None:
    def pellet(hole: int, mm: float) -> dict[str, Any]:
        return {"id": f"p{hole}", "figure": "thickness", "cylinder": hole, "value": mm}

    even = [pellet(hole, 1.04) for hole in (1, 3, 5, 7)]
    assert "pellets-uneven" not in codes(vee(readings=even))
    tilted = [pellet(hole, 1.04 + 0.03 * i) for i, hole in enumerate((1, 3, 5, 7))]
    assert "0.090 mm more at hole 1 than at hole 7" in codes(vee(readings=tilted))["pellets-uneven"]
    now = evaluate(check(vee(readings=tilted))).now
    gaps = [now.hole(n).outcome.quench - now.hole(n).outcome.deck_clearance for n in (1, 3, 5, 7)]  # type: ignore[operator]
    assert gaps == pytest.approx([1.04, 1.07, 1.10, 1.13])


def test_what_is_noted_beside_a_build_comes_back_to_the_letter() -> None:
    from zygometra.core.measuring.facts import Facts
    from zygometra.core.measuring.read_in import facts_in

    document = demo("timber-hauler")
    kept = Facts().extended(facts_in(document, {})).document({})
    for key in ("surveys", "steps", "readings"):
        assert kept[key] == document[key]


def test_a_wedge_accuses_no_part_where_one_set_was_moved_round() -> None:
    """Two thou or twelve: what one rod and piston show in four holes is the deck."""
    from zygometra.core.measuring.causes import causes

    document = {**demo("timber-hauler"), "unstated_doubt": "house"}
    assert causes(check(document)) == ()
    assert causes(check({**document, "surveys": []})) == ()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (
            {"surveys": [face("middle", dict.fromkeys(GRID, 239.4))]},
            r"surveys\[0\].bank: found the bank 'middle'",
        ),
        (
            {"surveys": [face("left", dict.fromkeys([(0, 1), (1, 1), (2, 1)], 1))]},
            r"points: found points in one line",
        ),
        (
            {"surveys": [face("left", dict.fromkeys(GRID, 1)), face("left", dict.fromkeys(GRID, 1))]},
            "s-left-' twice",
        ),
        (
            {"surveys": [face("left", dict.fromkeys(GRID, 1), face="head", datum="crank")]},
            "a head is swept off",
        ),
        ({"surveys": [face("left", dict.fromkeys(GRID, "wet"))]}, r"surveys\[0\].points\[0\].z"),
        (
            {"steps": [step("line-hone", "recorded")]},
            r"steps\[0\].state: found 'recorded'; wanted one of done",
        ),
        ({"steps": [step("line-hone", "done", cylinder=1)]}, r"steps\[0\].cylinder"),
        ({"steps": [step("deck-cut", "done", bank="middle")]}, r"steps\[0\].bank"),
        ({"voided": [{"reading": "nothing", "why": "slip"}]}, r"voided\[0\].reading"),
        ({"facing": {"target": "up"}}, "facing.target"),
        ({"valve_gear": {"kind": "rotary"}}, "valve_gear.kind"),
    ],
)
def test_what_is_wrong_beside_a_build_is_told_by_its_place(change: dict[str, Any], says: str) -> None:
    from zygometra.core.errors import BuildFaults

    with pytest.raises(BuildFaults, match=says):
        check(vee(**change))


def test_a_dome_is_filled_only_with_its_top_under_the_plate() -> None:
    from zygometra.core.errors import BuildFaults

    document = vee()
    document["parts"]["piston"] |= {"above_rim": 4.0, "above_rim_area": 1200}
    reading = {"id": "f", "figure": "crown_volume", "cylinder": 1, "value": 30, "rim_below": 3, "bore": 99}
    with pytest.raises(BuildFaults, match="at least 4 mm, as high as the dome stands"):
        check({**document, "readings": [reading]})
    build = check({**document, "readings": [{**reading, "rim_below": 5}]})
    assert build.figures["cylinders.1.crown_volume"].value == pytest.approx(
        30 - math.pi / 4 * 99**2 * 5 / 1000
    )
