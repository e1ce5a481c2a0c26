"""The chamfer at a bore's upper edge: by hand, by another way, half cut, and in the planner's draws."""

from __future__ import annotations

import math

import numpy as np
import pytest

from support.cases import vector
from support.half_cut import built, deck_passes, document
from support.plain import plain_evaluation
from zygometra.core.house_rules import rules_for
from zygometra.core.planning.figure_samples import FigureSamples
from zygometra.core.planning.plans import Planner
from zygometra.core.planning.results import results
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.stack.inverse import solve
from zygometra.core.stack.kernel import Chamfer, chamfer_volume, chord
from zygometra.core.stack.working import as_text, working
from zygometra.core.wording import Reader
from zygometra.exchange.build_file import check


def chamfered(width=1.0, angle=45.0, *, planned=(), **more):
    """An inline four with such an edge, without any doubt but what is written here."""
    doc = document(planned=list(planned), **more)
    doc["parts"]["block"]["edge_chamfer"] = {"width": width, "angle": angle}
    return doc


def volumes(doc, state="planned"):
    return [hole.outcome.clearance for hole in getattr(evaluate(built(doc)), state).holes]


def deck(amount, **more):
    return {"op": "deck_cut", "bank": "A", "amount": {"value": amount, "unit": "mm", "u": 0.01, **more}}


def test_one_millimetre_at_45_degrees_on_a_90_mm_bore():
    # A triangle of ½ mm² whose middle runs at 45⅓ mm: 2π·45.333·½ = 142.4 mm³.
    assert chamfer_volume(Chamfer(1.0, 45.0, 90.0), None) == pytest.approx(0.1424, abs=5e-5)


@pytest.mark.parametrize("cut", [0.0, 0.3, 0.4999, 0.7])
@pytest.mark.parametrize("angle", [30.0, 45.0, 60.0])
def test_a_deck_cut_leaves_what_a_cone_leaves(cut, angle):
    doc = chamfered(0.6, angle, planned=[deck(cut)] if cut else [])
    assert volumes(doc) == pytest.approx(
        [row["volume"] for row in plain_evaluation(built(doc))["planned"]], abs=1e-10
    )
    sharp = document(planned=doc["planned"])
    gone = 0.6 * math.tan(math.radians(angle)) <= cut
    assert (volumes(doc) == pytest.approx(volumes(sharp), abs=1e-12)) == gone


def test_it_is_nought_without_doubt_where_nobody_stated_one():
    doc = vector("tarnbeck-plain")["build"] | {"unstated_doubt": "house"}
    before = evaluate(built(doc)).now.holes[0].outcome
    assert before.terms.other == 0
    assert not any("edge" in item.term.key for item in before.contributions)
    doc["parts"]["block"]["edge_chamfer"] = {"width": 0, "angle": 45}
    assert evaluate(built(doc)).now.holes[0].outcome.clearance == before.clearance


@pytest.mark.parametrize("half", [{"width": 0.5}, {"angle": 45}])
def test_half_a_chamfer_is_asked_for_and_counts_as_unknown(half):
    doc = document()
    doc["parts"]["block"]["edge_chamfer"] = half
    build = built(doc)
    assert evaluate(build).now.holes[0].outcome.clearance is None
    assert evaluate(build).now.holes[0].outcome.quench is not None
    assert np.isnan(results(FigureSamples(build), ()).volume).all()


def test_what_was_cut_off_counts_and_a_plan_goes_on_from_there():
    """0.2 mm off in passes, 0.1 more planned: as 0.3 in one cut, in the record and in the planner's figures."""
    whole, begun = chamfered(0.5, 40.0, planned=[deck(0.3)]), chamfered(0.5, 40.0, planned=[deck(0.3)])
    begun["passes"] = deck_passes(0.15, 0.05)
    assert volumes(begun) == pytest.approx(volumes(whole), abs=1e-10)
    build = built(chamfered(0.5, 40.0, planned=[deck(0.3)]))
    stated = results(FigureSamples(build), build.planned)
    assert stated.volume[0] == pytest.approx(volumes(whole), abs=1e-10)


def test_a_wanted_ratio_is_met_though_the_edge_bends_the_way():
    build = built(chamfered(1.2, 40.0))
    wanted = evaluate(build).now.holes[0].outcome.compression_ratio + 0.4
    cut = solve(build, 1, op="deck_cut", result="compression_ratio", wanted=wanted)
    met = evaluate(built(chamfered(1.2, 40.0, planned=[deck(cut)]))).planned.holes[0].outcome
    assert met.compression_ratio == pytest.approx(wanted, abs=1e-9)
    straight = solve(built(document()), 1, op="deck_cut", result="compression_ratio", wanted=wanted)
    assert abs(straight - cut) > 1e-3


def test_plans_meet_their_windows_with_a_chamfered_edge():
    doc = chamfered(1.0, 45.0)
    holes = evaluate(built(chamfered(1.0, 45.0, planned=[deck(0.25)]))).planned.holes
    least, most = (f(hole.outcome.compression_ratio for hole in holes) for f in (min, max))
    doc["targets"] = {"compression_ratio": {"min": round(least, 4) - 0.05, "max": round(most, 4) + 0.05}}
    build = built(doc)
    plans = Planner(build, rules_for(build.school)).plans()
    assert plans
    for plan in plans:
        for hole in plan.result.holes:
            assert least - 0.052 <= hole.outcome.compression_ratio <= most + 0.052
    edge, cut = Chamfer(1.0, 45.0, 92.0), 0.3
    middle = chamfer_volume(edge, None) - chord(edge, cut) * cut / 2 / 1000 - chamfer_volume(edge, cut / 2)
    assert 0 < middle < 0.0035


def test_the_working_shows_it_and_the_file_keeps_it():
    doc = chamfered("0.5 mm", "45°", planned=[deck(0.1)])
    build = check(doc)
    text = as_text(working(build, evaluate(build).planned.hole(1), Reader()))
    # 0.4 mm are left: π·0.16·(46 + 0.1333) = 23.2 mm³.
    assert "V_edge = π·w²·tan β·(B/2 + w/3)" in text
    assert "0.02 cc" in text
    assert "+ V_edge" in text
