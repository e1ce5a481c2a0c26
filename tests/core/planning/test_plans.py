"""Plans: complete, tidy, put back through the evaluation; policies; what they cost."""

from __future__ import annotations

import itertools
import json
import math
import random

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from support.cases import demo
from support.plain_plans import Plain, document, engines
from support.vee_eights import vee_eight
from zygometra.core.planning.costs import bill_of
from zygometra.core.planning.crowns import closed_levers
from zygometra.core.planning.decisions import FixedDecisions
from zygometra.core.planning.figure_samples import FigureSamples
from zygometra.core.planning.pareto import Objectives, dominates
from zygometra.core.planning.plans import Planner, plans_of, rank
from zygometra.core.planning.quasi_random import QuasiRandomSample
from zygometra.core.planning.results import inside, results
from zygometra.core.planning.two_stage_cut import _Bench, _cuts
from zygometra.core.planning.why_first import why
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.build_file import build_from_text, check
from zygometra.exchange.plan_file import answer_document

QUICK = (Phase.explicit, Phase.generate)
LOOSE = settings(max_examples=10, deadline=None, phases=QUICK, suppress_health_check=list(HealthCheck))
GASKET = {"thickness": {"value": 1.02, "plus_minus": 0.03}, "bore": 94.0, "price": 30}
DECK = {"max": 0.5, "step": 0.01, "tolerance": {"value": 0, "plus_minus": 0.015}, "fixed": 90, "metal": 45}
WINDOWS = {"compression_ratio": {"min": 9.8, "max": 10.3}, "quench": {"min": 1.0, "max": 1.2}}


def four(**more):
    """A four whose deck can be cut, with one gasket to be had."""
    levers = more.pop("levers", {"deck_cut": DECK, "gaskets": [GASKET]})
    targets = more.pop("targets", WINDOWS)
    planning = more.pop("planning", {"least_yield": 0})
    return document(
        clearances=[0.30, 0.31, 0.28, 0.29],
        chambers=[52.0, 52.3, 51.8, 52.1],
        levers=levers,
        targets=targets,
        planning=planning,
        **more,
    )


def planned(doc, pins=None):
    return plans_of(build_from_text(json.dumps(doc))[1], fixed=pins or FixedDecisions())


@LOOSE
@given(st.sampled_from([1, 1, 2]).flatmap(engines))
def test_plans_hold_what_they_say(doc):
    """Put back through a file each gives its result; none beats another; limits and order are kept."""
    build = build_from_text(json.dumps(doc))[1]
    answer = plans_of(build)
    for plan, told in zip(answer.plans, answer_document(build, answer)["plans"], strict=True):
        again = check({**doc, "planned": json.loads(json.dumps(told["planned"]))})
        for ours, theirs in zip(plan.result.holes, evaluate(again).planned.holes, strict=True):
            assert ours.outcome.quench == pytest.approx(theirs.outcome.quench, abs=1e-12)
            assert ours.outcome.compression_ratio == pytest.approx(
                theirs.outcome.compression_ratio, abs=1e-12
            )
            assert ours.outcome.doubts.quench.u == pytest.approx(theirs.outcome.doubts.quench.u, abs=1e-12)
        assert bill_of(build, again.planned) == pytest.approx(plan.bill)
        for op in plan.planned:
            own = doc["levers"].get(op.op)
            if own and op.amount is not None:
                most = max(q.value for q in (op.amount, op.first, op.last) if q is not None)
                low, high = (float(str(own.get(end, 0)).split()[0]) for end in ("min", "max"))
                if op.op == "crown_cut":
                    # What stands above the rim comes off before.
                    fitted = next((one.part for one in plan.planned if one.part), None)
                    stands = doc["parts"]["piston"].get("above_rim", 0) if fitted is None else 0
                    high += stands
                assert low - 1e-9 <= most <= high + 1e-9
    worths = [plan.worth for plan in answer.plans]
    assert not any(dominates(one, other) for one in worths for other in worths)
    keys = [rank(build.planning.priority)(plan) for plan in answer.plans]
    assert keys == sorted(keys)


@LOOSE
@given(engines(), st.sampled_from(["here", "fitted"]), st.sampled_from([0, 0.3]))
def test_no_plan_goes_into_a_dish_that_nobody_told(doc, whose, above):
    doc = json.loads(json.dumps(doc)) | {"unstated_doubt": "house"}
    doc["levers"]["crown_cut"] = {"max": 0.5, "tolerance": {"value": 0, "plus_minus": 0.001}}
    here = doc["parts"]["piston"]
    here |= {"crown_volume": 6.0, "dish_area": 2000, "above_rim": 0}
    fitted = {
        "name": "other",
        "compression_height": 34.7,
        "crown_volume": 6.0,
        "dish_area": 1500,
        "above_rim": 0,
    }
    doc["levers"]["parts"] = [{"kind": "piston", "part": fitted, "price": 10}]
    untold = here if whose == "here" else fitted
    untold |= {"above_rim": above} | ({"above_rim_area": 1200} if above else {})
    del untold["dish_area"]
    answer = planned(doc)
    for plan in answer.plans:
        for hole in plan.result.holes:
            assert hole.outcome.compression_ratio is not None
        other = any(op.part is not None for op in plan.planned)
        if other == (whose == "fitted"):
            assert sum(op.amount.value for op in plan.planned if op.op == "crown_cut") <= above + 1e-9
    build = build_from_text(json.dumps(doc))[1]
    assert ["stop at the rim" in says.words for says in closed_levers(build)] == [True]


def test_where_there_is_no_plan_it_says_which_figure_opens_the_crown():
    doc = four(levers={"crown_cut": DECK | {"metal": 0}}, targets={"quench": {"min": 1.75, "max": 1.85}})
    doc |= {"unstated_doubt": "house"}
    assert planned(doc).plans
    del doc["parts"]["piston"]["dish_area"]
    answer = planned(doc)
    # The gap alone wants no volume, but what waits is no ground for a plan.
    assert not answer.plans
    assert "dish area" in answer.none_because[-1].says.words


@settings(max_examples=20, deadline=None)
@given(st.floats(0.05, 0.45), st.floats(800, 3000), st.floats(3, 12))
def test_the_draws_of_a_faced_dish_reach_from_straight_walls_to_a_cone(cut, area, held):
    doc = four(levers={"crown_cut": {"max": 0.5}})
    doc |= {"unstated_doubt": "house"}
    exact = {"u": 0}
    doc["parts"]["piston"] |= {
        "crown_volume": {"value": held, **exact},
        "dish_area": {"value": area, **exact},
        "top_land_height": {"value": 8, **exact},
        "top_land_diameter": {"value": 91.4, **exact},
    }
    build = build_from_text(json.dumps(doc))[1]
    op = build_from_text(
        json.dumps(doc | {"planned": [{"op": "crown_cut", "amount": {"value": cut, **exact}}]})
    )[1]
    moved = []
    for planned_ops in ((), op.planned):
        drawn = results(FigureSamples(build, QuasiRandomSample(3)), planned_ops)
        moved.append(drawn.volume - drawn.clearance * math.pi / 4 * 92.0**2 / 1000)
    taken = moved[0] - moved[1]
    deep = 3 * held * 1000 / area
    less = area * cut / 1000 - held * (1 - (1 - cut / deep) ** 3)
    straight = area * cut / 1000 + math.pi / 4 * (92.0**2 - 91.4**2) * cut / 1000
    assert taken.min() == pytest.approx(straight - less, abs=2e-3 * less + 1e-9)
    assert taken.max() == pytest.approx(straight + less, abs=2e-3 * less + 1e-9)
    assert taken.std() == pytest.approx(less / math.sqrt(3), rel=0.01)


# long: the promise of a whole search against a grid
@settings(max_examples=8, deadline=None, phases=QUICK, suppress_health_check=list(HealthCheck))
@given(st.sampled_from([1, 1, 1, 2]).flatmap(engines))
def test_no_plan_of_a_grid_is_left_uncovered(doc):
    answer, plain = planned(doc), Plain(doc, count=4000)
    least = doc["planning"]["least_yield"]
    grid = list(itertools.islice(plain.grid(steps=3, crowns=9), 100_000))
    some = random.Random(1).sample(grid, min(len(grid), 900))
    admissible = [plan for plan in some if plain.stated_inside(plan)]
    assert bool(answer.plans) >= bool(admissible)
    # Plain draws and the ladders' own each stray by about a point.
    stray = 0.02
    for plan in admissible[:60]:
        chance = plain.inside(plan)[1:].mean()
        if chance < least + 0.02 + stray:
            continue
        cost, metal, days = plain.bill(plan)
        assert any(
            one.bill.cost <= cost + 10 + 1e-6
            and one.bill.metal <= metal + 4 + 1e-6
            and one.bill.days <= days + 1e-9
            and one.chance >= chance - 0.02 - stray
            for one in answer.plans
        ), (plan, chance, cost, metal, days)


def test_a_single_lever_is_cut_to_the_middle_of_what_it_must_reach():
    """By hand: 0.28 to 0.31 down, 1.3 over them, wanted 1.0 to 1.2: between 0.41 and 0.58 comes off."""
    doc = four(
        levers={"deck_cut": DECK | {"max": 0.6}},
        targets={"quench": {"min": 1.0, "max": 1.2}},
        planning={"priority": "surest", "least_yield": 0},
    )
    (first, *_) = planned(doc).plans
    (op,) = first.planned
    assert op.op == "deck_cut"
    assert 0.47 <= op.amount.value <= 0.52
    assert op.amount.value / 0.01 == pytest.approx(round(op.amount.value / 0.01))
    assert first.bill.metal == pytest.approx(45 * op.amount.value)
    assert first.chance > 0.95


def test_a_gasket_that_is_waited_for_does_not_stand_for_one_in_hand():
    """As dear, as good, and either does with a deck cut that costs nothing: the one in hand is sooner."""
    deck = {"max": 0.5, "tolerance": {"value": 0, "plus_minus": 0.015}}
    waited = {"name": "waited", "thickness": {"value": 1.15, "plus_minus": 0.03}, "bore": 94.0, "days": 2}
    in_hand = {"name": "in hand", "thickness": {"value": 0.9, "plus_minus": 0.03}, "bore": 94.0}
    doc = four(
        levers={"deck_cut": deck, "gaskets": [waited, in_hand]},
        targets={"quench": {"max": 1.1}},
        planning={"priority": "soonest"},
    )
    # What is there can stay, 1.3 thick, but then too much would have to come off.
    first = planned(doc).plans[0]
    assert first.bill.days == 0
    assert first.buys == ("gasket in hand",)


def test_priorities_put_plans_in_their_order():
    firsts = {}
    for priority in ("cheapest", "least metal", "reversible first", "surest", "soonest"):
        doc = four(planning={"priority": priority, "least_yield": 0.2})
        firsts[priority] = planned(doc).plans[0]
    assert firsts["least metal"].bill.metal == min(plan.bill.metal for plan in firsts.values())
    loose = four(
        targets={"quench": {"max": 1.7}}, planning={"priority": "reversible first", "least_yield": 0}
    )
    assert not planned(loose).plans[0].irreversible
    assert firsts["surest"].chance == max(plan.chance for plan in firsts.values())
    assert firsts["cheapest"].bill.cost == min(plan.bill.cost for plan in firsts.values())


def test_no_plan_goes_under_the_floor_whatever_the_window_asks():
    doc = four(
        targets={"quench": {"min": 0.5, "max": 1.0}}, planning={"priority": "cheapest", "least_yield": 0}
    )
    for plan in planned(doc).plans:
        assert min(hole.outcome.quench for hole in plan.result.holes) >= 0.889
        assert plan.floor_risk >= 0


def test_what_is_fixed_by_hand_stays_and_the_rest_is_solved_round_it():
    answer = planned(four(), FixedDecisions(cuts={("deck_cut", "A"): (0.2, 0.2)}))
    assert answer.plans
    assert all(
        [op.amount.value for op in plan.planned if op.op == "deck_cut"] == [0.2] for plan in answer.plans
    )
    loose = four(targets={"quench": {"max": 1.7}})
    resting = planned(loose, FixedDecisions(cuts={("deck_cut", "A"): (0.0, 0.0)}))
    assert resting.plans
    assert all(op.op != "deck_cut" for plan in resting.plans for op in plan.planned)
    kept = planned(four(), FixedDecisions(gaskets={"A": None}))
    assert all(op.gasket is None for plan in kept.plans for op in plan.planned)


def test_limits_of_a_bank_and_least_amounts_are_kept():
    doc = four(levers={"deck_cut": DECK | {"min": 0.3, "banks": {"A": {"max": 0.42}}}, "gaskets": [GASKET]})
    cuts = [op.amount.value for plan in planned(doc).plans for op in plan.planned if op.op == "deck_cut"]
    assert cuts
    assert all(0.3 - 1e-9 <= cut <= 0.42 + 1e-9 for cut in cuts)


def test_a_reading_between_two_cuts_is_worth_what_it_takes_away():
    doubtful, sure = (
        planned(four(u_clearance=u, planning={"priority": "surest", "least_yield": 0})).plans[0]
        for u in (0.05, 0.004)
    )
    assert doubtful.policy.chance > doubtful.chance + 0.1
    assert doubtful.policy.chance <= doubtful.policy.clairvoyant <= 1
    assert abs(sure.policy.chance - sure.chance) < 0.05
    leave = doubtful.policy.leave["A"]
    assert leave / 0.01 == pytest.approx(round(leave / 0.01))
    plain = planned(four(levers={"gaskets": [GASKET]}, targets={"quench": {"max": 1.6}})).plans
    assert all(plan.policy is None for plan in plain)


@LOOSE
@given(st.sampled_from([1, 1, 2]).flatmap(engines), st.sampled_from([None, 0.001, 0.02, 0.1]))
def test_who_waits_for_a_reading_never_loses_and_who_knows_all_gains_most(doc, u):
    """One cut, two with a reading, two with one that is never off: in that order, or no reading is advised."""
    if u is not None:
        doc["planning"]["reading"] = {"deck_clearance": {"u": u}}
    for plan in planned(doc).plans:
        if plan.policy is not None:
            assert plan.chance <= plan.policy.chance + 1e-12 <= plan.policy.clairvoyant + 2e-12


def test_a_reading_that_tells_less_than_was_known_is_not_advised():
    """Read to a tenth what is known to hundredths: whoever follows the reading cuts wrong."""
    blunt = {"reading": {"deck_clearance": {"u": 0.1}}, "priority": "surest", "least_yield": 0}
    plan = planned(four(u_clearance=0.004, planning=blunt)).plans[0]
    assert any(op.op == "deck_cut" for op in plan.planned)
    assert plan.policy is None


def test_a_last_cut_is_chosen_from_the_readings_alone():
    plan = planned(four(u_clearance=0.05, planning={"priority": "surest", "least_yield": 0})).plans[0]
    last, leave = plan.policy.last["A"], plan.policy.leave["A"]
    import numpy as np

    holes = np.array([[h.outcome.deck_clearance + leave for h in plan.result.holes]])
    taken = last.taken(holes)[0]
    assert last.taken(holes + 0.03)[0] == pytest.approx(taken + 0.03, abs=0.0101)
    assert last.taken(holes - 5)[0] == 0
    assert last.taken(holes + 5)[0] <= last.most + 1e-9


def test_a_plan_that_does_nothing_is_one_where_nothing_is_asked():
    (only,) = planned(four(targets={})).plans
    assert only.planned == ()
    assert only.worth == Objectives(0, 0, 0, 1.0)


def test_readers_are_told_why_a_plan_is_first():
    plans = planned(four(planning={"priority": "cheapest", "least_yield": 0})).plans
    assert str(why("cheapest", 0, plans)).startswith("First because it is the cheapest")
    if len(plans) > 1:
        assert "Against the first" in str(why("cheapest", 1, plans))


def test_what_was_drawn_is_drawn_again_alike_after_it_was_let_go():
    planner = Planner(build_from_text(json.dumps(vee_eight(5)))[1])
    plans = planner.plans()
    before = [plan.policy.chance for plan in plans if plan.policy is not None]
    planner.let_go()
    again = [planner.weighed(plan.planned) for plan in plans]
    assert [plan.chance for plan in again] == [plan.chance for plan in plans]
    assert [plan.policy.chance for plan in again if plan.policy is not None] == before


def test_room_bank_by_bank_counts_as_all_holes_worked_out_do():
    """A second way: what the banks' room says of two cuts, against every hole put through the arithmetic."""
    for doc in (vee_eight(5), vee_eight(9)):
        planner = Planner(build_from_text(json.dumps(doc))[1])
        for plan in planner.plans()[:6]:
            cuts = _cuts(planner.build, plan.planned, planner._decks)
            if not cuts:
                continue
            bench = _Bench(planner.coarse, plan.planned, planner.wanted, cuts)
            leave = bench.leaves(3.0)
            for aim, u in ((0.0, 0.01), (0.3, 0.0)):
                more = [bench._more(cut, leave[cut.name], aim, u) for cut in cuts]
                whole = inside(bench.after(more), planner.wanted).mean()
                assert bench.chance(leave, aim, u) == pytest.approx(whole, abs=1e-12)


def test_the_demo_shop_holds_a_handful_and_a_policy_that_pays():
    handful = planned(demo("brickyard-lorry"))
    assert 4 <= len(handful.plans) <= 14
    pays = planned(demo("kiln-blower")).plans[0]
    assert pays.policy.chance > pays.chance + 0.1
    none = planned(demo("hill-climb"))
    assert not none.plans
    assert none.none_because


def test_missing_figures_are_named():
    doc = four()
    del doc["parts"]["head"]["chamber_volume"]
    doc["cylinders"]["3"].pop("chamber_volume")
    answer = planned(doc)
    assert not answer.plans
    assert "missing" in str(answer.none_because[0].says)
