"""What a build comes to while it is cut: against the same worked plainly, and from whichever side it is told."""

from __future__ import annotations

import json
import math
from dataclasses import replace

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from support.cases import demo
from support.half_cut import (
    BORE,
    CHAMBER,
    CROWN,
    OPENING,
    SHAPES,
    STROKE,
    built,
    deck_passes,
    document,
    engines_of_any_kind,
    logs,
    moment,
    planned,
)
from support.plain_plans import engines
from zygometra.core.build.cut_log import CutPlace
from zygometra.core.house_rules import rules_for
from zygometra.core.measuring.causes import causes
from zygometra.core.planning.as_machined import as_machined
from zygometra.core.planning.plans import Planner
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.stack.inverse import solve
from zygometra.exchange.evaluation_file import evaluation_document
from zygometra.exchange.plan_file import plans_document

AREA = math.pi / 4 * BORE**2
GASKET = math.pi / 4 * 93**2 * 1.2 / 1000
DECK = CutPlace("deck_cut", "A")


def plainly(clearance, head, crown):
    """Quench and ratio of a hole, with a flat crown and a straight-walled chamber."""
    c = clearance + crown
    volume = CHAMBER - OPENING * head / 1000 + GASKET + AREA * c / 1000 + CROWN
    swept = AREA * STROKE / 1000
    return c + 1.2, (swept + volume) / volume


@given(logs())
def test_now_and_planned_are_what_the_log_says(drawn):
    doc, told = drawn
    found = evaluate(built(doc))
    asked = doc["planned"][0]["amount"]["value"]
    left = max(asked - told["made"], 0.0)
    for n in (1, 2, 3, 4):
        read, since = told["deck"][n]
        for state, more in ((found.now, 0.0), (found.planned, left)):
            outcome = state.hole(n).outcome
            quench, ratio = plainly(read - since - more, told["head"], told["crown"][n])
            assert outcome.quench == pytest.approx(quench, abs=1e-9)
            assert outcome.compression_ratio == pytest.approx(ratio, rel=1e-9)


def test_a_pass_entered_twice_or_late_counts_once():
    once = evaluate(built(document(passes=deck_passes(0.1, 0.08))))
    again = deck_passes(0.1, 0.08)
    again += [{**again[1], "id": "from another phone", "at": moment(90)}]
    late = [again[2], again[1], again[0]]
    for passes in (again, late):
        found = evaluate(built(document(passes=passes)))
        assert [h.outcome.quench for h in found.now.holes] == [h.outcome.quench for h in once.now.holes]


def test_a_pass_of_another_depth_is_a_question_and_a_void_one_is_gone():
    passes = deck_passes(0.1, 0.08)
    other = {**passes[1], "id": "typed by the other hand", "depth": 0.05}
    log = built(document(passes=[*passes, other])).cuts.of(DECK)
    assert [one.id for one in log.against] == ["typed by the other hand"]
    assert math.fsum(one.depth for one in log.passes) == pytest.approx(0.18)
    build = built(document(passes=passes, voided=[{"reading": "deck_cut-2", "why": "not made"}]))
    assert build.cuts.total(DECK) == pytest.approx(0.1)


def test_the_machine_misses_once_and_not_where_it_was_read_after():
    doc = document(passes=deck_passes(0.1), planned=planned(0.25))
    half = evaluate(built(doc))
    assert half.now.hole(1).outcome.doubts.quench.u == 0
    assert half.planned.hole(1).outcome.doubts.quench.u == pytest.approx(0.015 / math.sqrt(3))
    doc["passes"] = deck_passes(0.1, 0.15)
    doc["readings"].append(
        {"id": "s1", "figure": "deck_clearance", "cylinder": 1, "value": 0.17, "at": moment(100)}
    )
    done = evaluate(built(doc))
    assert done.now.hole(1).outcome.doubts.quench.u == 0
    assert done.now.hole(2).outcome.doubts.quench.u == pytest.approx(0.015 / math.sqrt(3))
    pair = next(
        p for p in evaluation_document(evaluate(built(doc)), ())["now"]["pairs"] if p["between"] == [2, 3]
    )
    assert pair["u"]["quench_mm"] == pytest.approx(0, abs=1e-12)


def test_readings_before_a_pass_are_set_aside_once_it_was_read_again():
    doc = document(passes=deck_passes(0.1))
    doc["readings"].append(
        {"id": "s1", "figure": "deck_clearance", "cylinder": 1, "value": 0.33, "at": moment(50)}
    )
    used = built(doc).in_use
    assert [(one.reading.id, one.reason) for one in used.aside] == [("r1", "cut-since")]
    assert used.pools[next(iter(used.pools))].squares == 0


@pytest.mark.parametrize("area", [0, 900])
def test_a_chamber_that_lies_in_the_block_goes_with_its_deck(area):
    """Read before and after a pass: 900 mm² lose 0.09 cc to a tenth, and the older reading is set aside."""
    doc = document(passes=deck_passes(0.1))
    doc["parts"]["block"]["pocket_area"] = area
    chamber = {"figure": "chamber_volume", "cylinder": 1}
    doc["readings"].append({"id": "v1", **chamber, "value": 50.0, "at": moment(1)})
    before = evaluate(built(doc)).now
    assert before.hole(1).outcome.terms.chamber == pytest.approx(50.0 - area * 0.1 / 1000)
    assert before.hole(2).outcome.terms.chamber == pytest.approx(CHAMBER - area * 0.1 / 1000)
    doc["readings"].append({"id": "v2", **chamber, "value": 49.8, "at": moment(50)})
    used = built(doc)
    assert evaluate(used).now.hole(1).outcome.terms.chamber == pytest.approx(49.8 if area else 49.9)
    assert [one.reading.id for one in used.in_use.aside if one.reading.figure == "chamber_volume"] == (
        ["v1"] if area else []
    )


def test_a_levelled_cut_takes_its_wedge_first():
    wedge = [{"op": "deck_cut", "bank": "A", "first": 0.1, "last": 0.25}]
    found = evaluate(built(document(planned=wedge, passes=deck_passes(0.1))))
    off = [0.42 + 0.01 * n + 1.2 - found.now.hole(n).outcome.quench for n in (1, 2, 3, 4)]
    assert off == pytest.approx([0, 0, 0.05, 0.1], abs=1e-9)
    came = [0.42 + 0.01 * n + 1.2 - found.planned.hole(n).outcome.quench for n in (1, 2, 3, 4)]
    assert came == pytest.approx([0.1, 0.15, 0.2, 0.25], abs=1e-9)


@given(st.floats(0.5, 20), st.floats(0.05, 0.6), st.floats(0.05, 0.6))
def test_two_cuts_of_a_drafted_chamber_take_what_one_takes(draft, first, second):
    doc = document(planned=planned(first + second, "head_cut"))
    doc["parts"]["head"] |= {"opening_perimeter": 240, "wall_draft": draft}
    whole = evaluate(built(doc)).planned.hole(1).outcome.compression_ratio
    doc["passes"] = deck_passes(first, op="head_cut")
    parts = evaluate(built(doc)).planned.hole(1).outcome.compression_ratio
    assert parts == pytest.approx(whole, rel=1e-9)


@settings(max_examples=20)
@given(st.lists(st.sampled_from([0.03, 0.05, 0.08]), min_size=1, max_size=4), st.booleans())
def test_a_plan_from_here_put_on_the_build_comes_to_what_it_says(depths, read):
    doc = document(passes=deck_passes(*depths), planned=planned(0.25))
    doc["levers"]["head_cut"] = {"max": 0.3, "step": 0.05}
    if read:
        after = {"id": "s2", "figure": "deck_clearance", "cylinder": 2, "value": 0.3, "at": moment(100)}
        doc["readings"].append(after)
    for plan in plans_document(built(doc))["plans"]:
        applied = evaluation_document(evaluate(built({**doc, "planned": plan["planned"]})), ())["planned"]
        for said, came in zip(plan["result"]["cylinders"], applied["cylinders"], strict=True):
            for name in ("quench_mm", "compression_ratio", "deck_clearance_mm"):
                assert said[name] == pytest.approx(came[name], rel=1e-9, abs=1e-9)


def test_what_is_off_already_is_taken_from_what_a_lever_may_do():
    planner = Planner(built(document(passes=deck_passes(0.2, 0.1))), rules_for(""))
    assert planner._decks["A"].high == pytest.approx(0.3)
    gone = Planner(built(document(passes=deck_passes(0.4, 0.2))), rules_for(""))
    assert "A" not in gone._decks


@given(st.sampled_from(["quench", "compression_ratio"]), st.floats(0.0, 0.2), st.floats(0.01, 0.2))
def test_what_a_lever_must_do_counts_what_is_off(result, done, more):
    doc = document(planned=planned(0.25), passes=deck_passes(done) if done > 0.001 else [])
    wanted = getattr(
        evaluate(built({**doc, "planned": planned(done + more)})).planned.hole(2).outcome, result
    )
    total = solve(built(doc), 2, op="deck_cut", result=result, wanted=wanted)
    came = evaluate(built({**doc, "planned": planned(total)})).planned.hole(2).outcome
    assert getattr(came, result) == pytest.approx(wanted, rel=1e-9)


@given(
    engines_of_any_kind(),
    st.sampled_from(["deck_cut", "head_cut", "crown_cut"]),
    st.sampled_from(["quench", "deck_clearance", "compression_ratio"]),
    st.booleans(),
)
def test_what_a_lever_must_do_is_found_on_any_kind_of_engine(doc, op, result, begun):
    where = {"bank": "A"} if op != "crown_cut" else {}
    passes = deck_passes(0.1, op=op)
    if op == "crown_cut":
        passes = [
            {key: value for key, value in passes[0].items() if key != "bank"} | {"id": f"c{n}", "cylinder": n}
            for n in (1, 2, 3, 4)
        ]
    doc["passes"] = passes if begun else []

    def came(amount):
        plan = [{"op": op, "amount": float(amount), **where}]
        return getattr(evaluate(built({**doc, "planned": plan})).planned.hole(2).outcome, result)

    # A dish of which nobody told the opening makes the ratio wait.
    assume(came(0.45) is not None and came(0.3) is not None)
    assume(abs(came(0.45) - came(0.3)) > 1e-9)
    plan = [{"op": op, "amount": 0.3, **where}]
    total = solve(built({**doc, "planned": plan}), 2, op=op, result=result, wanted=came(0.45))
    assert came(total) == pytest.approx(came(0.45), abs=1e-9)


def test_crowns_are_cut_piece_by_piece_and_planned_as_a_set():
    passes = [{"id": "c1", "op": "crown_cut", "cylinder": 1, "number": 1, "depth": 0.2, "at": moment(40)}]
    doc = document(planned=[{"op": "crown_cut", "amount": 0.3}], passes=passes)
    found = evaluate(built(doc))
    before = [0.42 + 0.01 * n for n in (1, 2, 3, 4)]
    assert [h.outcome.deck_clearance for h in found.now.holes] == pytest.approx(
        [before[0] + 0.2, *before[1:]]
    )
    assert [h.outcome.deck_clearance for h in found.planned.holes] == pytest.approx([c + 0.3 for c in before])


def test_a_survey_of_the_deck_is_as_old_as_it_is():
    points = [{"x": x, "y": y, "z": 229.9} for x in (-50, 340) for y in (-60, 60)]
    survey = {"id": "v", "face": "deck", "bank": "A", "datum": "crank", "points": points, "at": moment(5)}
    doc = document(passes=deck_passes(0.1), surveys=[survey])
    doc["readings"] = []
    low = 229.9 - 0.1 - (STROKE / 2 + 145 + 39.6)
    assert evaluate(built(doc)).now.hole(1).outcome.deck_clearance == pytest.approx(low)
    survey["at"] = moment(90)
    assert evaluate(built(doc)).now.hole(1).outcome.deck_clearance == pytest.approx(low + 0.1)


def test_no_cause_is_sought_for_what_was_cut():
    doc = document(planned=planned(0.3), passes=deck_passes(0.3), unstated_doubt="house")
    before = doc.pop("readings")
    doc["readings"] = []
    for when, off in ((0, 0.0), (100, 0.3)):
        for one in before:
            for i in range(3):
                value = round(one["value"] + 0.002 * (i - 1) - off, 4)
                own = {"id": f"{one['id']}-{i}-{when}", "value": value, "zero": f"z{when}"}
                doc["readings"].append({**one, **own, "at": moment(when + i)})
    doc["parts"]["block"]["deck_height"] = {"value": 230.0 + 0.02, "plus_minus": 0.05}
    doc["parts"]["rod"]["length"] = {"value": 145.0, "u": 0.01, "each": True}
    doc["parts"]["piston"]["compression_height"] = {"value": 39.6, "u": 0.01, "each": True}
    doc["parts"]["crank"]["stroke"] = {"value": 90.0, "u": 0.01}
    assert causes(built(doc)) == ()


@settings(max_examples=16)
@given(st.sampled_from([1, 1, 2]).flatmap(engines), st.data())
def test_any_build_half_cut_is_planned_from_where_it_stands(doc, data):
    """Faces and crowns cut by any amounts: what a plan says is what its whole cuts come to, put on the build."""
    doc = json.loads(json.dumps(doc))
    depths = st.floats(0.01, 0.12).map(lambda mm: round(mm, 3))
    doc["passes"] = [
        {
            "id": f"{op}{bank['name']}{i}",
            "op": op,
            "bank": bank["name"],
            "number": i,
            "depth": data.draw(depths),
        }
        for bank in doc["engine"]["banks"]
        for op in ("deck_cut", "head_cut")
        for i in range(1, 1 + data.draw(st.integers(0, 2)))
    ]
    doc["planning"]["least_yield"] = 0.0
    if len(doc["engine"]["banks"]) == 2 and data.draw(st.booleans()):
        doc["levers"]["swap_heads"] = {"fixed": 20}
    # A set that was begun, or finished.
    crown, pieces = data.draw(st.sampled_from([(0.0, 0), (0.05, 1), (0.05, 4)]))
    doc["passes"] += [
        {"id": f"c{n}", "op": "crown_cut", "cylinder": n, "number": 1, "depth": crown}
        for bank in doc["engine"]["banks"]
        for n in bank["cylinders"][:pieces]
    ]
    for plan in plans_document(built(doc))["plans"]:
        ops = {op["op"] for op in plan["planned"]}
        if crown and {"fit", "crown_cut"} <= ops:
            continue  # A log does not say of which set of pistons it speaks.
        came = evaluation_document(evaluate(built({**doc, "planned": plan["planned"]})), ())["planned"]
        for one, other in zip(plan["result"]["cylinders"], came["cylinders"], strict=True):
            for name in ("quench_mm", "compression_ratio", "deck_clearance_mm"):
                assert one[name] == pytest.approx(other[name], rel=1e-9, abs=1e-9)


def test_a_head_that_was_begun_leaves_the_other_banks_as_it_was():
    """A drafted chamber opens narrower where it was milled, and only there."""
    doc = demo("pilot-launch") | {"planned": [], "cylinders": {}, "banks": {}, "levers": {}}
    doc["engine"] = doc["engine"] | {
        "layout": "vee",
        "bank_angle": 90,
        "banks": [{"name": "A", "cylinders": [1, 3]}, {"name": "B", "cylinders": [2, 4]}],
    }
    drafted = {"chamber_volume": 52.0, "opening_area": 4200, "opening_perimeter": 240, "wall_draft": 12}
    doc["parts"]["head"] = drafted
    begun = {"id": "h1", "op": "head_cut", "bank": "A", "number": 1, "depth": 0.3}
    planned = ({"op": "head_cut", "bank": "B", "amount": "0.2 mm"},)
    half_cut = built({**doc, "passes": [begun]})
    half_cut = as_machined(half_cut, rules_for(half_cut.school))
    came = evaluate(replace(half_cut, planned=built({**doc, "planned": list(planned)}).planned)).planned
    alone = evaluate(built({**doc, "planned": list(planned)})).planned
    for number in (2, 4):
        assert came.hole(number).outcome.clearance == pytest.approx(
            alone.hole(number).outcome.clearance, abs=1e-9
        )
    assert came.hole(1).outcome.clearance < alone.hole(1).outcome.clearance - 1


@given(engines_of_any_kind(), st.sampled_from(["deck_cut", "head_cut", "crown_cut"]), st.data())
def test_what_was_cut_is_what_the_same_cut_was_planned_to_be(doc, op, data):
    """Every operation on every kind of crown, chamber and block: the log comes to what one whole cut comes to."""
    depths = data.draw(st.lists(st.integers(1, 40).map(lambda n: n / 100), min_size=1, max_size=3))
    whole = {"value": round(math.fsum(depths), 2), "plus_minus": 0.02}
    plan = [{"op": op, "amount": whole} | ({"bank": "A"} if op != "crown_cut" else {})]
    meant = evaluate(built({**doc, "planned": plan}))
    made = data.draw(st.integers(1, len(depths)))
    passes = deck_passes(*depths[:made], op=op)
    if op == "crown_cut":
        passes = [
            {k: v for k, v in one.items() if k != "bank"} | {"id": f"{one['id']}-{n}", "cylinder": n}
            for one in passes
            for n in (1, 2, 3, 4)
        ]
    logged = evaluate(built({**doc, "planned": plan, "passes": passes}))
    states = [logged.planned, *([logged.now] if made == len(depths) else [])]
    for state in states:
        for n in (1, 2, 3, 4):
            came, wanted = state.hole(n).outcome, meant.planned.hole(n).outcome
            for name in ("deck_clearance", "quench", "clearance", "compression_ratio", "effective"):
                one, other = getattr(came, name), getattr(wanted, name)
                # What waits when it is planned waits when it is cut.
                assert (one is None) == (other is None), name
                assert one is None or one == pytest.approx(other, rel=1e-9, abs=1e-9), name
            for name in ("quench", "clearance", "compression_ratio"):
                if getattr(came, name) is not None:
                    u = getattr(came.doubts, name).u
                    assert u == pytest.approx(getattr(wanted.doubts, name).u, rel=1e-6), name


@pytest.mark.parametrize("shape", SHAPES, ids=["drafted", "filled in steps", "straight"])
@given(st.floats(0.05, 0.7), st.floats(0.05, 0.7), st.floats(0.05, 0.7))
def test_a_chamber_read_between_two_cuts_goes_on_from_there(shape, first, second, third):
    """A chamber read after the first cut at just what was left of it changes nothing of what the others take."""
    doc = document(planned=planned(first + second + third, "head_cut"))
    doc["parts"]["head"] |= shape
    whole = evaluate(built(doc)).planned
    one = evaluate(built({**doc, "planned": planned(first, "head_cut")})).planned.hole(1).outcome
    doc["passes"] = deck_passes(first, second, op="head_cut")
    left = {
        "id": "v",
        "figure": "chamber_volume",
        "cylinder": 1,
        "value": one.terms.chamber,
        "at": moment(45),
    }
    doc["readings"] = [*doc["readings"], left]
    found = evaluate(built(doc))
    for n in (1, 2):
        ratio = whole.hole(n).outcome.compression_ratio
        assert found.planned.hole(n).outcome.compression_ratio == pytest.approx(ratio, rel=1e-9)
    bare = {**doc, "passes": [], "readings": doc["readings"][:-1]}
    at_two = evaluate(built({**bare, "planned": planned(first + second, "head_cut")}))
    expected = at_two.planned.hole(1).outcome.terms.chamber
    assert found.now.hole(1).outcome.terms.chamber == pytest.approx(expected, rel=1e-9)


@pytest.mark.parametrize("cut", [0.3, 0.5, 0.7])
def test_where_a_cut_just_reaches_the_rim_a_miss_and_the_height_above_it_count_alike(cut):
    """Cut down to the rim, nobody knows on which side of it the tool stopped: what is doubtful of either moves it."""
    doc = document(passes=[])
    doc["parts"]["piston"] |= {
        "above_rim": {"value": 0.5, "u": 0.03},
        "above_rim_area": 1000,
        "dish_area": 900,
    }
    doc["planned"] = [{"op": "crown_cut", "amount": {"value": cut, "unit": "mm", "u": 0.04}}]
    hole = evaluate(built(doc)).planned.holes[0].outcome
    expected = math.hypot(0.03, 0.04) if cut >= 0.5 else 0.0
    assert hole.doubts.deck_clearance.u == pytest.approx(expected)
